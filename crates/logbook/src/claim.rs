//! Who works on a device.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::Read as _;
use std::path::{Path, PathBuf};

use sha2::{Digest as _, Sha256};
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
    /// Claims a device in a folder by a name that is the same for everybody who means it; people are shown another one.
    ///
    /// # Errors
    /// [`ClaimError::Held`] when another program, or another part of this one, has it.
    pub fn take(folder: &Path, name: &str, shown: &str) -> Result<Self, ClaimError> {
        let path = folder.join(file_name(name));
        // Beside the lock: on some systems nobody else can read what is locked.
        let by = path.with_extension("process");
        let failed = |why| ClaimError::File { path: path.clone(), why };
        wibbet_types::private_folder(folder).map_err(failed)?;
        let file =
            OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path).map_err(failed)?;
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let mut process = String::new();
                // Who it is only helps; that it cannot be read does not change the answer.
                let _ = File::open(&by).and_then(|file| file.take(20).read_to_string(&mut process));
                let process = process.trim();
                let known = !process.is_empty() && process.bytes().all(|b| b.is_ascii_digit());
                let process = if known { process.to_owned() } else { "unknown".to_owned() };
                return Err(ClaimError::Held { name: shown.to_owned(), process });
            }
            Err(TryLockError::Error(why)) => return Err(failed(why)),
        }
        std::fs::write(&by, format!("{}\n", std::process::id())).map_err(|why| ClaimError::File { path: by, why })?;
        Ok(Self { _file: file })
    }
}

/// Where the programs of one user find each other, whatever logbook they have.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MeetingPlaces(Vec<PathBuf>);

impl MeetingPlaces {
    /// Those of this computer's user. Two, since a program that was started by a service or by `sudo` may know but one of
    /// them: the folder for running programs, and one among the temporary files. Where a system has neither, as for an app on a phone,
    /// `home`, a folder of the user's own.
    pub fn of_this_user(home: &Path) -> Self {
        let (user, of_user) = user();
        let runtime = std::env::var_os("XDG_RUNTIME_DIR").map(PathBuf::from);
        let runtime = runtime.or_else(|| Some(Path::new("/run/user").join(user?.to_string())));
        let runtime = runtime.filter(|folder| folder.is_dir()).map(|folder| folder.join("wibbet"));
        let temporary = std::env::temp_dir().join(format!("wibbet-{of_user}"));
        let mut places: Vec<PathBuf> = runtime.into_iter().chain([temporary]).filter(|folder| is_own(folder)).collect();
        if places.is_empty() {
            places.extend(Some(home.join("meeting")).filter(|folder| is_own(folder)));
        }
        Self(places)
    }

    /// A folder that nobody else knows: for simulated devices, and for tests.
    pub fn only(folder: &Path) -> Self {
        Self(vec![folder.join("meeting")])
    }

    /// The folders.
    pub fn folders(&self) -> &[PathBuf] {
        &self.0
    }
}

/// The number of the user, where there are such, and what tells the user apart from others.
fn user() -> (Option<u32>, String) {
    #[cfg(unix)]
    {
        let user = rustix::process::geteuid().as_raw();
        (Some(user), user.to_string())
    }
    #[cfg(not(unix))]
    (None, std::env::var("USERNAME").unwrap_or_default().chars().filter(|c| c.is_ascii_alphanumeric()).collect())
}

/// Whether a folder, which is made if need be, belongs to nobody but this user: in a place that all may write to, another
/// one could have been quicker.
fn is_own(folder: &Path) -> bool {
    let made = wibbet_types::private_folder(folder).and_then(|()| folder.symlink_metadata());
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt as _;
        let own = |about: &std::fs::Metadata| Some(about.uid()) == user().0 && about.mode() & 0o077 == 0;
        made.is_ok_and(|about| about.is_dir() && own(&about))
    }
    #[cfg(not(unix))]
    made.is_ok_and(|about| about.is_dir())
}

/// A name as a file name: letters, digits, `-` and `.` as they are, the rest in hex; a long one by its hash, since file
/// names end at 255 bytes.
fn file_name(name: &str) -> String {
    let mut out = String::from("device-");
    if name.len() > 60 {
        let hash = Sha256::digest(name);
        out.extend(hash.iter().map(|byte| format!("{byte:02x}")));
        return out + ".claim";
    }
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
        let first = Claim::take(folder.path(), "CT5/../x", "CT5").unwrap();
        let error = Claim::take(folder.path(), "CT5/../x", "CT5").unwrap_err().to_string();
        assert!(error.contains(&std::process::id().to_string()) && error.contains("Nothing was sent"), "{error}");
        assert!(error.contains("at work on CT5."), "{error}");
        let other = Claim::take(folder.path(), "other", "other").unwrap();
        drop(first);
        Claim::take(folder.path(), "CT5/../x", "CT5").unwrap();
        drop(other);
        // As long as a serial may be, of bytes that no file name has.
        let long: String = "\u{1}".repeat(250);
        let held = Claim::take(folder.path(), &long, "long").unwrap();
        Claim::take(folder.path(), &long, "long").unwrap_err();
        Claim::take(folder.path(), &long[1..], "long").unwrap();
        drop(held);
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2 * 4, "no name leads out of the folder");
    }

    #[cfg(unix)]
    #[test]
    fn a_meeting_place_belongs_to_nobody_else() {
        use std::os::unix::fs::{PermissionsExt as _, symlink};
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        assert!(is_own(&at("new")) && is_own(&at("new")));
        std::fs::set_permissions(at("new"), std::fs::Permissions::from_mode(0o770)).unwrap();
        assert!(!is_own(&at("new")), "others may write there");
        std::fs::create_dir(at("elsewhere")).unwrap();
        symlink(at("elsewhere"), at("link")).unwrap();
        assert!(!is_own(&at("link")), "it leads elsewhere");
        std::fs::write(at("file"), "").unwrap();
        assert!(!is_own(&at("file")));
        let places = MeetingPlaces::of_this_user(&at("home"));
        assert!((1..=2).contains(&places.folders().len()) && !at("home").exists(), "{places:?}");
    }
}
