//! The sync service: looking at, fetching and sending files.
//!
//! Every message is four letters, a little-endian u32 and, mostly, as many bytes. The first
//! version is spoken, which every device has; its sizes are 32 bits.

use std::time::Duration;

use thiserror::Error;
use wibbet_types::{DevicePath, PlainText};

use crate::budget::CallBudget;
use crate::error::CallError;
use crate::link::{Link, Stream};

/// The kinds of message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum SyncId {
    Stat,
    List,
    Recv,
    Send,
    Dent,
    Data,
    Done,
    Okay,
    Fail,
    Quit,
}

impl SyncId {
    const ALL: [(Self, [u8; 4]); 10] = [
        (Self::Stat, *b"STAT"),
        (Self::List, *b"LIST"),
        (Self::Recv, *b"RECV"),
        (Self::Send, *b"SEND"),
        (Self::Dent, *b"DENT"),
        (Self::Data, *b"DATA"),
        (Self::Done, *b"DONE"),
        (Self::Okay, *b"OKAY"),
        (Self::Fail, *b"FAIL"),
        (Self::Quit, *b"QUIT"),
    ];

    fn letters(self) -> [u8; 4] {
        Self::ALL.iter().find(|(id, _)| *id == self).map_or(*b"????", |(_, letters)| *letters)
    }
}

/// The most data in one message, in bytes.
const CHUNK: usize = 64 * 1024;

/// A message: id, length, bytes.
pub fn sync_message(id: SyncId, data: &[u8]) -> Vec<u8> {
    let mut out = id.letters().to_vec();
    out.extend_from_slice(&u32::try_from(data.len()).unwrap_or(u32::MAX).to_le_bytes());
    out.extend_from_slice(data);
    out
}

/// The id and the number of a message's head.
pub fn read_sync_header(head: &[u8; 8]) -> Option<(SyncId, u32)> {
    let id = SyncId::ALL.iter().find(|(_, letters)| letters == &head[..4])?.0;
    Some((id, u32::from_le_bytes([head[4], head[5], head[6], head[7]])))
}

/// A file or folder on the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The name within its folder; empty for an answer to `stat`.
    pub name: PlainText,
    /// Unix mode with the file type; 0 where there is nothing.
    pub mode: u32,
    /// Bytes, modulo 2³².
    pub size: u32,
    /// Seconds since 1970.
    pub time: u32,
}

/// Why a file could not be had.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum SyncError {
    /// The call failed.
    #[error(transparent)]
    Call(#[from] CallError),
    /// The device says no.
    #[error("{path}: the device says: {said}")]
    Failed {
        /// The file.
        path: String,
        /// The device's words.
        said: PlainText,
    },
    /// What is sent cannot be read on this computer.
    #[error("the file cannot be read on this computer: {why}")]
    Local {
        /// Why not.
        why: String,
    },
    /// The answer breaks a rule of the service.
    #[error("{path}: the sync service broke a rule: {rule}")]
    Garbled {
        /// The file.
        path: String,
        /// The rule.
        rule: &'static str,
    },
}

/// An open sync service.
#[derive(Debug)]
pub struct SyncClient {
    stream: Stream,
    idle: Duration,
    budget: CallBudget,
    held: Vec<u8>,
    at: usize,
}

impl SyncClient {
    /// Opens the service; `idle` is how long to wait for each answer.
    pub async fn open(link: &Link, idle: Duration) -> Result<Self, CallError> {
        let stream = link.open("sync:", idle).await?;
        Ok(Self { stream, idle, budget: CallBudget::new(idle), held: Vec::new(), at: 0 })
    }

    /// Looks at a path. A mode of 0 means that nothing is there.
    pub async fn stat(&mut self, path: &DevicePath) -> Result<Entry, SyncError> {
        self.ask(SyncId::Stat, path.as_str().as_bytes()).await?;
        self.stat_answer(path).await
    }

    /// Looks at many paths in few round trips: so many are asked for before the first answer is read. In the order of
    /// the paths; a mode of 0 means that nothing is there.
    pub async fn stat_many(&mut self, paths: &[DevicePath]) -> Result<Vec<Entry>, SyncError> {
        // Both sides hold what the other has not read yet: never more than a few kilobytes of answers.
        const AT_ONCE: usize = 500;
        let mut entries = Vec::with_capacity(paths.len());
        for some in paths.chunks(AT_ONCE) {
            let asked: Vec<u8> = some.iter().flat_map(|p| sync_message(SyncId::Stat, p.as_str().as_bytes())).collect();
            self.stream.write(&asked, self.idle).await?;
            for path in some {
                entries.push(self.stat_answer(path).await?);
            }
        }
        Ok(entries)
    }

    async fn stat_answer(&mut self, path: &DevicePath) -> Result<Entry, SyncError> {
        let answer: [u8; 16] = self.exactly().await?;
        if answer[..4] != SyncId::Stat.letters() {
            return Err(garbled(path, "no answer to STAT"));
        }
        Ok(Entry {
            name: PlainText::default(),
            mode: word(&answer, 4),
            size: word(&answer, 8),
            time: word(&answer, 12),
        })
    }

    /// Lists a folder, `.` and `..` left out. A folder that is not there is empty.
    pub async fn list(&mut self, path: &DevicePath) -> Result<Vec<Entry>, SyncError> {
        const MOST: usize = 100_000;
        self.ask(SyncId::List, path.as_str().as_bytes()).await?;
        let mut entries = Vec::new();
        loop {
            let head: [u8; 20] = self.exactly().await?;
            if head[..4] == SyncId::Done.letters() {
                return Ok(entries);
            }
            let length = word(&head, 16) as usize;
            if head[..4] != SyncId::Dent.letters() || length > 1024 || entries.len() == MOST {
                return Err(garbled(path, "no entry of a folder"));
            }
            let name = self.take(length).await?;
            if name != b"." && name != b".." {
                let name = PlainText::from_bytes(&name);
                entries.push(Entry { name, mode: word(&head, 4), size: word(&head, 8), time: word(&head, 12) });
            }
        }
    }

    /// Fetches a file of at most `most` bytes, passing them to `each`. How many there were.
    ///
    /// # Errors
    /// Among others when the file does not end there.
    pub async fn recv(
        &mut self,
        path: &DevicePath,
        most: u64,
        each: &mut (dyn FnMut(&[u8]) + Send),
    ) -> Result<u64, SyncError> {
        self.ask(SyncId::Recv, path.as_str().as_bytes()).await?;
        self.budget = CallBudget::for_file(self.idle, most);
        let mut total = 0;
        loop {
            let head: [u8; 8] = self.exactly().await?;
            match read_sync_header(&head) {
                Some((SyncId::Data, length)) if length as usize <= CHUNK => {
                    let data = self.take(length as usize).await?;
                    total += u64::from(length);
                    if total > most {
                        return Err(garbled(path, "more bytes than the file has"));
                    }
                    each(&data);
                }
                Some((SyncId::Done, _)) => return Ok(total),
                Some((SyncId::Fail, length)) => return Err(self.failure(path, length).await?),
                _ => return Err(garbled(path, "neither data nor an end")),
            }
        }
    }

    /// As [`SyncClient::send_from`], of bytes that are all there.
    pub async fn send(&mut self, path: &DevicePath, mode: u32, time: u32, data: &[u8]) -> Result<(), SyncError> {
        let mut left = data;
        let mut next = || {
            let (piece, rest) = left.split_at(left.len().min(CHUNK));
            left = rest;
            Ok(piece.to_vec())
        };
        self.send_from(path, (mode, time), &mut next).await
    }

    /// Sends a file with the given mode (permission bits) and time (seconds since 1970), its bytes from `next` until that gives
    /// none, or fails. It is on the device when this returns. The platform's daemon gives group and others the rights of the owner (observed on 34.0.5: 640 becomes
    /// 666).
    pub async fn send_from(
        &mut self,
        path: &DevicePath,
        (mode, time): (u32, u32),
        next: &mut (dyn FnMut() -> std::io::Result<Vec<u8>> + Send),
    ) -> Result<(), SyncError> {
        const REGULAR: u32 = 0o100_000;
        let target = format!("{},{}", path.as_str(), REGULAR | (mode & 0o777));
        self.ask(SyncId::Send, target.as_bytes()).await?;
        loop {
            let piece = next().map_err(|error| SyncError::Local { why: error.to_string() })?;
            if piece.is_empty() {
                break;
            }
            for chunk in piece.chunks(CHUNK) {
                self.stream.write(&sync_message(SyncId::Data, chunk), self.idle).await?;
            }
        }
        let mut done = SyncId::Done.letters().to_vec();
        done.extend_from_slice(&time.to_le_bytes());
        self.stream.write(&done, self.idle).await?;
        let head: [u8; 8] = self.exactly().await?;
        match read_sync_header(&head) {
            Some((SyncId::Okay, _)) => Ok(()),
            Some((SyncId::Fail, length)) => Err(self.failure(path, length).await?),
            _ => Err(garbled(path, "neither OKAY nor FAIL")),
        }
    }

    async fn ask(&mut self, id: SyncId, words: &[u8]) -> Result<(), CallError> {
        self.budget = CallBudget::new(self.idle);
        self.stream.write(&sync_message(id, words), self.idle).await
    }

    async fn failure(&mut self, path: &DevicePath, length: u32) -> Result<SyncError, CallError> {
        let said = self.take((length as usize).min(4096)).await?;
        Ok(SyncError::Failed { path: path.to_string(), said: PlainText::short(&String::from_utf8_lossy(&said)) })
    }

    async fn exactly<const N: usize>(&mut self) -> Result<[u8; N], CallError> {
        let mut out = [0; N];
        out.copy_from_slice(&self.take(N).await?);
        Ok(out)
    }

    async fn take(&mut self, n: usize) -> Result<Vec<u8>, CallError> {
        while self.held.len() - self.at < n {
            self.held.drain(..self.at);
            self.at = 0;
            match self.budget.read(&mut self.stream).await? {
                Some(piece) => self.held.extend_from_slice(&piece),
                None => return Err(CallError::CutShort { service: self.stream.name().clone() }),
            }
        }
        let taken = self.held[self.at..self.at + n].to_vec();
        self.at += n;
        Ok(taken)
    }
}

fn garbled(path: &DevicePath, rule: &'static str) -> SyncError {
    SyncError::Garbled { path: path.to_string(), rule }
}

fn word(bytes: &[u8], at: usize) -> u32 {
    u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]])
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Worked out by hand from the service's documentation.
    #[test]
    fn messages() {
        assert_eq!(sync_message(SyncId::Stat, b"/x"), b"STAT\x02\0\0\0/x");
        assert_eq!(read_sync_header(b"DATA\0\x01\0\0"), Some((SyncId::Data, 256)));
        assert_eq!(read_sync_header(b"WHAT\0\x01\0\0"), None);
    }
}
