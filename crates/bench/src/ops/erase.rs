//! Erasing what is kept of a device on this computer.

use std::path::Path;

use wibbet_logbook::{Claim, ClaimError, Erased, Logbook, LogbookError};
use wibbet_types::DeviceId;

use super::claim::CLAIMS;
use super::copies::COPIES;

/// Why nothing was erased.
#[derive(Debug, thiserror::Error)]
pub enum EraseError {
    /// Somebody is at work on the device: what is sent could not be written down any more.
    #[error(transparent)]
    Claim(#[from] ClaimError),
    /// The record cannot be changed.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
}

/// Erases what the logbook in a folder has of a device, and the files of its copies. What was erased, and in words what of it lies on this
/// computer still.
///
/// # Errors
/// When somebody is at work on the device, or the record cannot be changed; then nothing was erased.
pub fn erase_device(folder: &Path, device: &DeviceId) -> Result<(Erased, Vec<String>), EraseError> {
    erase_device_if(folder, device, |_| Ok(true)).map(Option::unwrap_or_default)
}

/// The same, where `still` says so at a moment in which nobody is at work on the device any more; else `None`, and nothing was erased.
///
/// # Errors
/// As [`erase_device`], and what `still` gives.
pub fn erase_device_if(
    folder: &Path,
    device: &DeviceId,
    still: impl FnOnce(&Logbook) -> Result<bool, LogbookError>,
) -> Result<Option<(Erased, Vec<String>)>, EraseError> {
    let _claim = Claim::take(&folder.join(CLAIMS), device.as_str(), device.as_str())?;
    let mut book = Logbook::open(folder)?;
    if !still(&book)? {
        return Ok(None);
    }
    let erased = book.erase(device)?;
    let mut left = Vec::new();
    for copy in &erased.copies {
        let files = folder.join(COPIES).join(&copy.folder);
        match std::fs::remove_dir_all(&files) {
            Err(why) if why.kind() != std::io::ErrorKind::NotFound => left.push(format!("{}: {why}", files.display())),
            _ => {}
        }
        // The folders of the run and of the device, once they are empty.
        files.ancestors().skip(1).take(2).for_each(|above| drop(std::fs::remove_dir(above)));
    }
    if !erased.overwritten {
        let words =
            "bytes of it in the logbook's file, since another program uses it: erase it again once that has ended";
        left.push(words.into());
    }
    left.extend(erased.older.iter().map(|file| {
        let file = file.display();
        format!(
            "{file}: the logbook as an older Wibbet had it, which may tell of it too; delete it if it is not needed"
        )
    }));
    Ok(Some((erased, left)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use wibbet_core::device::Likeness;
    use wibbet_core::testing;
    use wibbet_types::Timestamp;

    #[test]
    fn what_somebody_is_at_work_on_is_not_erased() {
        let folder = tempfile::tempdir().unwrap();
        let facts = testing::facts();
        let id = Logbook::open(folder.path())
            .and_then(|mut book| book.note_device(&facts, Likeness::Different, "", None, Timestamp(1)))
            .unwrap()
            .unwrap();
        let claim = Claim::take(&folder.path().join(CLAIMS), id.as_str(), id.as_str()).unwrap();
        let refused = erase_device(folder.path(), &id).unwrap_err();
        assert!(matches!(refused, EraseError::Claim(ClaimError::Held { .. })), "{refused}");
        let known = || Logbook::open(folder.path()).unwrap().devices().unwrap().len();
        assert_eq!(known(), 1);
        drop(claim);
        assert!(erase_device_if(folder.path(), &id, |_| Ok(false)).unwrap().is_none());
        assert_eq!(known(), 1, "it is not to be erased any more");
        let (erased, left) = erase_device(folder.path(), &id).unwrap();
        assert_eq!((erased.rows.as_slice(), left.len(), known()), (&[("device", 1)][..], 0, 0));
    }
}
