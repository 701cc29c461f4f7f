//! Files, as the sync service shows them.

use std::collections::BTreeMap;

use wibbet_adb::{SyncId, read_sync_header, sync_message};

use crate::android::{Contents, FOLDER, File, REGULAR, State};

/// A file that is being sent to the device.
#[derive(Debug, Default)]
pub(crate) struct SyncSession {
    held: Vec<u8>,
    sending: Option<(String, u32, Vec<u8>)>,
}

/// What the sync service does after some bytes.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum SyncStep {
    /// Sends this.
    Send(Vec<u8>),
    /// Waits for more.
    More,
    /// Ends.
    End,
}

impl SyncSession {
    pub(crate) fn feed(&mut self, bytes: &[u8]) {
        self.held.extend_from_slice(bytes);
    }

    /// Handles one message, if it is whole.
    pub(crate) fn step(&mut self, state: &mut State) -> SyncStep {
        let Some(head) = self.held.first_chunk::<8>() else { return SyncStep::More };
        let Some((id, length)) = read_sync_header(head) else { return SyncStep::End };
        // DONE carries a time in place of a length.
        let body = if id == SyncId::Done { 0 } else { length as usize };
        if self.held.len() < 8 + body {
            return SyncStep::More;
        }
        let message: Vec<u8> = self.held.drain(..8 + body).skip(8).collect();
        let path = String::from_utf8_lossy(&message).into_owned();
        match id {
            SyncId::Stat => SyncStep::Send(stat(state, &path)),
            SyncId::List => SyncStep::Send(list(state, &path)),
            SyncId::Recv => SyncStep::Send(match state.files.get(&path) {
                Some(file) => {
                    let all = file.data.read(0, usize::MAX);
                    let mut out: Vec<u8> = all.chunks(64 * 1024).flat_map(|c| sync_message(SyncId::Data, c)).collect();
                    out.extend(sync_message(SyncId::Done, &[]));
                    out
                }
                None => sync_message(SyncId::Fail, b"No such file or directory"),
            }),
            SyncId::Send => {
                let (path, mode) = path.rsplit_once(',').unwrap_or((&path, "33188"));
                self.sending = Some((path.to_owned(), mode.parse().unwrap_or(REGULAR | 0o644), Vec::new()));
                SyncStep::Send(Vec::new())
            }
            SyncId::Data => {
                if let Some((_, _, data)) = &mut self.sending {
                    data.extend_from_slice(&message);
                }
                SyncStep::Send(Vec::new())
            }
            SyncId::Done => match self.sending.take() {
                Some((path, mode, data)) if path.starts_with("/data/local/tmp/") || path.starts_with("/sdcard/") => {
                    // As the platform's daemon does: group and others get the rights of the owner.
                    let owner = (mode >> 6) & 7;
                    let mode = mode & !0o77 | owner << 3 | owner;
                    state.files.insert(path, File { mode, time: length, data: Contents::Bytes(data) });
                    SyncStep::Send(sync_message(SyncId::Okay, &[]))
                }
                Some(_) => SyncStep::Send(sync_message(SyncId::Fail, b"couldn't create file: Permission denied")),
                None => SyncStep::End,
            },
            _ => SyncStep::End,
        }
    }
}

fn stat(state: &State, path: &str) -> Vec<u8> {
    let folder = format!("{}/", path.trim_end_matches('/'));
    let (mode, size, time) = match state.files.get(path) {
        Some(file) => (file.mode, file.data.len() as u32, file.time),
        None if state.files.keys().any(|f| f.starts_with(&folder)) => (FOLDER, 4096, 0),
        None => (0, 0, 0),
    };
    let mut out = b"STAT".to_vec();
    [mode, size, time].iter().for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
    out
}

fn list(state: &State, path: &str) -> Vec<u8> {
    let folder = format!("{}/", path.trim_end_matches('/'));
    let mut entries: BTreeMap<&str, (u32, u32, u32)> =
        BTreeMap::from([(".", (FOLDER, 4096, 0)), ("..", (FOLDER, 4096, 0))]);
    for (name, file) in state.files.range(folder.clone()..).take_while(|(name, _)| name.starts_with(&folder)) {
        match name[folder.len()..].split_once('/') {
            Some((sub, _)) => drop(entries.insert(sub, (FOLDER, 4096, 0))),
            None => drop(entries.insert(&name[folder.len()..], (file.mode, file.data.len() as u32, file.time))),
        }
    }
    let mut out = Vec::new();
    for (name, (mode, size, time)) in entries {
        out.extend_from_slice(b"DENT");
        [mode, size, time, name.len() as u32].iter().for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
        out.extend_from_slice(name.as_bytes());
    }
    out.extend_from_slice(b"DONE");
    out.extend_from_slice(&[0; 16]);
    out
}
