//! Who works on a device.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::{Read as _, Seek as _, Write as _};
use std::path::{Path, PathBuf};

use thiserror::Error;

/// Why a device cannot be worked on.
#[derive(Debug, Error)]
pub enum ClaimError {
    /// Another program does.
    #[error(
        "another Wibbet (process {process}) is at work on {name}. Nothing was sent; look there, or wait until it is done"
    )]
    Held {
        /// The device.
        name: String,
        /// The process id, as far as known.
        process: String,
    },
    /// The claim could not be written down.
    #[error("the claim {path} could not be made: {why}")]
    File {
        /// The file.
        path: PathBuf,
        /// What the system said.
        why: std::io::Error,
    },
}

/// The right to change a device. The operating system takes it back when the program ends, however
/// it ends, so none is ever left behind.
#[derive(Debug)]
pub struct Claim {
    _file: File,
}

impl Claim {
    /// Claims a device by name (its serial or its address) in a folder.
    ///
    /// # Errors
    /// [`ClaimError::Held`] when another program, or another part of this one, has it.
    pub fn take(folder: &Path, name: &str) -> Result<Self, ClaimError> {
        let path = folder.join(file_name(name));
        let failed = |why| ClaimError::File { path: path.clone(), why };
        wibbet_types::private_folder(folder).map_err(failed)?;
        let mut file =
            OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path).map_err(failed)?;
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let mut process = String::new();
                // Who it is only helps; that it cannot be read does not change the answer.
                let _ = (&file).take(20).read_to_string(&mut process);
                let process = process.trim();
                let known = !process.is_empty() && process.bytes().all(|b| b.is_ascii_digit());
                let process = if known { process.to_owned() } else { "unknown".to_owned() };
                return Err(ClaimError::Held { name: name.to_owned(), process });
            }
            Err(TryLockError::Error(why)) => return Err(failed(why)),
        }
        let noted =
            file.set_len(0).and_then(|()| file.rewind()).and_then(|()| writeln!(file, "{}", std::process::id()));
        noted.map_err(failed)?;
        Ok(Self { _file: file })
    }
}

/// A name as a file name: letters, digits, `-` and `.` as they are, the rest in hex.
fn file_name(name: &str) -> String {
    let mut out = String::from("device-");
    for byte in name.bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'.' => out.push(byte.into()),
            other => out.push_str(&format!("_{other:02x}")),
        }
    }
    out.push_str(".claim");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_at_a_time_and_told_in_words() {
        let folder = tempfile::tempdir().unwrap();
        let first = Claim::take(folder.path(), "CT5/../x").unwrap();
        let error = Claim::take(folder.path(), "CT5/../x").unwrap_err().to_string();
        assert!(error.contains(&std::process::id().to_string()) && error.contains("Nothing was sent"), "{error}");
        let other = Claim::take(folder.path(), "other").unwrap();
        drop(first);
        Claim::take(folder.path(), "CT5/../x").unwrap();
        drop(other);
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2, "no name leads out of the folder");
    }
}
