//! Bringing files from a device and to it.

use std::path::{Path, PathBuf};

use wibbet_core::read::{read_sums, sums_request};
use wibbet_types::DevicePath;

use super::copies::{CopyError, fetch, pieces_of, sum_of};
use crate::device::{AdbDevice, Device as _};

/// A file that was brought.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Brought {
    /// On this computer.
    pub here: PathBuf,
    /// On the device.
    pub there: DevicePath,
    /// Bytes.
    pub bytes: u64,
    /// SHA-256 of what is on this computer.
    pub sha256: String,
    /// Whether the device's own sum is the same; `None` where it has no tool for it.
    pub same: Option<bool>,
}

/// Where a file of the device comes to: a folder takes it under its own name.
pub fn place_here(there: &DevicePath, here: &Path) -> PathBuf {
    let own = there.as_str().rsplit('/').next().unwrap_or_default();
    if here.is_dir() { here.join(own) } else { here.to_owned() }
}

/// Where on a device a file comes to: a folder, which has `/` at its end, takes it under its own name.
///
/// # Errors
/// When the file has no name that a path can hold.
pub fn place_there(here: &Path, there: &DevicePath) -> Result<DevicePath, CopyError> {
    let unusable = |why: String| CopyError::Unusable { path: here.display().to_string(), why };
    match (there.as_str().ends_with('/'), here.file_name().and_then(|name| name.to_str())) {
        (true, Some(own)) => {
            format!("{there}{own}").parse().map_err(|error: wibbet_types::BadPath| unusable(error.to_string()))
        }
        (true, None) => Err(unusable("it names no file".to_owned())),
        (false, _) => Ok(there.clone()),
    }
}

/// Brings a file from the device. What an earlier try has brought of it, in a file of the name with `.part` behind it, is gone on with.
///
/// # Errors
/// When the device cannot be asked or does not let it be read, and those of the disk.
pub async fn pull(
    device: &AdbDevice,
    there: &DevicePath,
    here: &Path,
    progress: &(dyn Fn(u64, u64) + Send + Sync),
) -> Result<Brought, CopyError> {
    let length = device.lengths(std::slice::from_ref(there)).await?.into_iter().next().flatten();
    let bytes = length.ok_or_else(|| CopyError::NoFile { path: there.to_string() })?;
    if here.exists() {
        return Err(CopyError::Disk { path: here.display().to_string(), why: "it is there already".into() });
    }
    fetch(device, there, bytes, here, &|done| progress(done, bytes)).await?;
    brought(device, there, here, bytes).await
}

/// Brings a file to the device.
///
/// # Errors
/// When it cannot be read, the device cannot be asked, or does not take it.
pub async fn push(
    device: &AdbDevice,
    here: &Path,
    there: &DevicePath,
    progress: &(dyn Fn(u64, u64) + Send + Sync),
) -> Result<Brought, CopyError> {
    let disk = |error: std::io::Error| CopyError::Disk { path: here.display().to_string(), why: error.to_string() };
    let about = here.metadata().map_err(disk)?;
    let (bytes, time) = (about.len(), about.modified().ok());
    let time = time.and_then(|time| time.duration_since(std::time::UNIX_EPOCH).ok());
    let time = time.and_then(|time| u32::try_from(time.as_secs()).ok()).unwrap_or_default();
    let mut done = 0;
    let mut read = pieces_of(here).map_err(disk)?;
    let mut next = || {
        let piece = read()?;
        done += piece.len() as u64;
        progress(done, bytes);
        Ok(piece)
    };
    device.send_file(there, time, &mut next).await?;
    brought(device, there, here, bytes).await
}

async fn brought(device: &AdbDevice, there: &DevicePath, here: &Path, bytes: u64) -> Result<Brought, CopyError> {
    let sha256 = sum_of(here)?;
    let told = device.ask(&sums_request(std::slice::from_ref(there)), &mut |_| {}).await?;
    let same = read_sums(&told).into_iter().find(|(path, _)| path == there).map(|(_, sum)| sum == sha256);
    Ok(Brought { here: here.to_owned(), there: there.clone(), bytes, sha256, same })
}
