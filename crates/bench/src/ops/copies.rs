//! Keeping copies of packages' APKs on this computer, and checking them.
//!
//! A file that has been fetched in part goes on where it was: what is there is asked for from there on. A copy is written down only
//! when all its files are there and have been checked: against the device's own sums where it has the tool for them, else against the
//! lengths that it tells.

use std::fs::{File, OpenOptions};
use std::io::{Read as _, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};

use sha2::{Digest as _, Sha256};
use thiserror::Error;
use wibbet_core::package::{CopiedFile, KeptCopy, Placed};
use wibbet_core::read::{DumpReader, paths_request, read_back_request, read_paths, read_sums, sums_request};
use wibbet_types::{DeviceId, DevicePath, PackageId, RunId, UserId, new_private_file, private_file, private_folder};

use crate::device::{AskError, Device};

/// The folder of all copies, beside the logbook.
pub const COPIES: &str = "copies";

/// The most parts of one app.
pub(super) const MOST_PARTS: usize = 200;

/// Why no copy could be made, or one cannot be used.
#[derive(Debug, Error)]
pub enum CopyError {
    /// The device cannot be asked.
    #[error(transparent)]
    Ask(#[from] AskError),
    /// The device does not let it be read.
    #[error("its APK cannot be copied: {0}")]
    Unreadable(String),
    /// What came is not what the device has.
    #[error("what was copied of {path} is not what is there: {why}")]
    Differs {
        /// The file.
        path: String,
        /// In what.
        why: String,
    },
    /// The disk of this computer.
    #[error("{path}: {why}")]
    Disk {
        /// The file or folder.
        path: String,
        /// What came in the way.
        why: String,
    },
    /// There is no room on this computer.
    #[error(
        "copies of {needed} bytes are to be kept in {folder}, and {free} bytes are free there: make room, or leave out what they are of"
    )]
    NoRoom {
        /// Bytes that are needed.
        needed: u64,
        /// Bytes that are free.
        free: u64,
        /// Where.
        folder: String,
    },
    /// The device has no such file, or does not let it be seen.
    #[error("{path} is not on the device, or the shell may not see it")]
    NoFile {
        /// The file.
        path: String,
    },
    /// A file of this computer is no APK, or does not belong to the others.
    #[error("{path} cannot be installed: {why}")]
    Unusable {
        /// The file.
        path: String,
        /// Why not.
        why: String,
    },
    /// A kept file is not what it was.
    #[error("{path} is not what was kept there: {why}")]
    Damaged {
        /// The file.
        path: String,
        /// In what.
        why: String,
    },
}

pub(super) fn disk(path: &Path) -> impl Fn(std::io::Error) -> CopyError + '_ {
    |error| CopyError::Disk { path: path.display().to_string(), why: error.to_string() }
}

/// What is to be copied of a package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct ToCopy {
    /// The package.
    pub(crate) id: PackageId,
    /// Its files with their lengths, the base first.
    pub(crate) files: Vec<(DevicePath, u64)>,
    /// `versionCode` and `versionName`, where they are known.
    pub(crate) version: (Option<u64>, String),
    /// Who installed it.
    pub(crate) installer: Option<PackageId>,
    /// Of what is going to be removed from the system: all that lies in its folder. Its files have no names here yet.
    pub(crate) placed: Vec<Placed>,
}

impl ToCopy {
    /// Bytes of all files.
    pub(crate) fn size(&self) -> u64 {
        self.files.iter().fold(0, |sum, (_, size)| sum.saturating_add(*size))
    }
}

/// Finds out what there is to be copied of a package that a user has.
///
/// # Errors
/// When the device cannot be asked, or does not tell.
pub(crate) async fn what_to_copy<D: Device>(device: &D, id: &PackageId, user: UserId) -> Result<ToCopy, CopyError> {
    let unreadable = |why: &str| CopyError::Unreadable(format!("{id}: {why}"));
    let said = device.ask(&paths_request(&device.capabilities(), id, user), &mut |_| {}).await?;
    let paths = read_paths(&said);
    if paths.is_empty() {
        return Err(unreadable("the device does not tell where it is"));
    }
    if paths.len() > MOST_PARTS {
        return Err(unreadable("the device says that it comes in too many parts"));
    }
    let lengths = device.lengths(&paths).await?;
    let files: Option<Vec<(DevicePath, u64)>> =
        paths.into_iter().zip(lengths).map(|(path, length)| Some((path, length?))).collect();
    let files = files.ok_or_else(|| unreadable("the device does not let the shell read it"))?;
    let mut reader = DumpReader::default();
    device.ask(&read_back_request(&device.capabilities(), id), &mut |piece| reader.feed(piece)).await?;
    let told = reader.finish().packages.remove(id);
    let version = told.as_ref().map(|told| (told.about.version_code, told.version.to_string())).unwrap_or_default();
    let installer = told.and_then(|told| told.about.installer);
    Ok(ToCopy { id: id.clone(), files, version, installer, placed: Vec::new() })
}

/// The folder for the copies of a run, below that of all copies.
pub(crate) fn folder_of(device: &DeviceId, run: RunId, id: &PackageId) -> String {
    format!("{}/run-{run}/{id}", plain_name(device))
}

/// A device's id as the name of a folder.
pub(super) fn plain_name(device: &DeviceId) -> String {
    let plain = |c: char| match c {
        c if c.is_ascii_alphanumeric() || c == '-' => c.to_string(),
        c => format!("_{:x}", u32::from(c)),
    };
    device.as_str().chars().map(plain).collect()
}

/// Copies a package's files into a folder. `progress` hears how many bytes of it are there.
///
/// # Errors
/// When the device cannot be asked, the disk does not take it, or what came is not what the device has.
pub(crate) async fn copy_files<D: Device>(
    device: &D,
    what: &ToCopy,
    folder: &Path,
    progress: &(dyn Fn(u64) + Send + Sync),
) -> Result<Vec<CopiedFile>, CopyError> {
    private_folder(folder).map_err(disk(folder))?;
    let mut done = 0;
    let mut copied = Vec::with_capacity(what.files.len());
    for (n, (path, size)) in what.files.iter().enumerate() {
        let name = path.as_str().rsplit('/').next().unwrap_or_default();
        // Whatever a device calls it, it is a plain name here, of its own, and none that anything else in the folder has.
        let taken = |name: &str| copied.iter().any(|file: &CopiedFile| file.name.eq_ignore_ascii_case(name));
        let name = match CopiedFile::is_name(name) && name.ends_with(".apk") && !taken(name) {
            true => name.to_owned(),
            false if name.ends_with(".apk") => format!("part-{n}.apk"),
            false => format!("file-{n}"),
        };
        let file = folder.join(&name);
        fetch(device, path, *size, &file, &|bytes| progress(done + bytes)).await?;
        done += size;
        let sha256 = sum_of(&file)?;
        copied.push(CopiedFile { name, size: *size, sha256, from: Some(path.clone()) });
    }
    if let Some(odd) = differing(device, &copied).await? {
        // It is fetched from the beginning the next time.
        let _ = std::fs::remove_file(folder.join(&odd.name));
        let path = odd.from.as_ref().map_or_else(String::new, ToString::to_string);
        return Err(CopyError::Differs { path, why: "its SHA-256 is another one".into() });
    }
    Ok(copied)
}

/// The first file that is another one on the device now, by its own sum. Devices without the tool for it tell of none.
///
/// # Errors
/// When the device cannot be asked.
pub(crate) async fn differing<'a, D: Device>(
    device: &D,
    files: &'a [CopiedFile],
) -> Result<Option<&'a CopiedFile>, CopyError> {
    let paths: Vec<DevicePath> = files.iter().filter_map(|file| file.from.clone()).collect();
    let sums = match device.ask(&sums_request(&paths), &mut |_| {}).await {
        Ok(said) => read_sums(&said),
        Err(AskError::Refused(_) | AskError::Broken(_) | AskError::Silent(_)) => Vec::new(),
        Err(error) => return Err(error.into()),
    };
    let is_other = |file: &&CopiedFile| {
        let told = sums.iter().find(|(path, _)| file.from.as_ref() == Some(path));
        told.is_some_and(|(_, sum)| *sum != file.sha256)
    };
    Ok(files.iter().find(is_other))
}

/// Fetches a file, or what is missing of it: whole under its name or not there.
pub(super) async fn fetch<D: Device>(
    device: &D,
    path: &DevicePath,
    size: u64,
    to: &Path,
    progress: &(dyn Fn(u64) + Send + Sync),
) -> Result<(), CopyError> {
    if to.metadata().is_ok_and(|there| there.len() == size) {
        progress(size);
        return Ok(());
    }
    let mut part = to.as_os_str().to_owned();
    part.push(".part");
    let part = PathBuf::from(part);
    match part.symlink_metadata() {
        Ok(there) if there.is_file() => {}
        // Nothing that leads elsewhere is written through.
        Ok(_) => return Err(disk(&part)(std::io::Error::other("it is no file"))),
        Err(_) => drop(new_private_file(&part).map_err(disk(&part))?),
    }
    let mut file = OpenOptions::new().append(true).open(&part).map_err(disk(&part))?;
    let mut there = file.metadata().map_err(disk(&part))?.len();
    if there > size {
        file.set_len(0).map_err(disk(&part))?;
        there = 0;
    }
    let mut trouble = None;
    let mut at = there;
    let came = device
        .fetch_from(path, there, size, &mut |piece| {
            if trouble.is_some() {
                return;
            }
            match file.write_all(piece) {
                Ok(()) => at += piece.len() as u64,
                Err(error) => trouble = Some(error),
            }
            progress(at.min(size));
        })
        .await;
    if let Some(error) = trouble {
        return Err(disk(&part)(error));
    }
    came?;
    if at != size {
        drop(std::fs::remove_file(&part));
        let why = format!("{at} bytes came, and the device told {size}");
        return Err(CopyError::Differs { path: path.to_string(), why });
    }
    // On the disk before anything goes that it stands for.
    file.sync_all().map_err(disk(&part))?;
    std::fs::rename(&part, to).map_err(disk(to))
}

/// A sum in hexadecimal digits, as devices print it.
pub(super) fn hex(sum: Sha256) -> String {
    sum.finalize().iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The SHA-256 of a file of this computer, in hexadecimal digits.
///
/// # Errors
/// When it cannot be read.
pub fn sum_of(path: &Path) -> Result<String, CopyError> {
    let mut file = File::open(path).map_err(disk(path))?;
    let mut sum = Sha256::new();
    let mut piece = vec![0; 256 * 1024];
    loop {
        let read = file.read(&mut piece).map_err(disk(path))?;
        if read == 0 {
            return Ok(hex(sum));
        }
        sum.update(&piece[..read]);
    }
}

/// The files of a copy, checked against what was written down of them.
///
/// # Errors
/// When one is missing or is not what it was.
pub(crate) fn checked(folder: &Path, copy: &KeptCopy) -> Result<Vec<PathBuf>, CopyError> {
    let mut paths = Vec::with_capacity(copy.files.len());
    for file in &copy.files {
        let path = folder.join(COPIES).join(&copy.folder).join(&file.name);
        let damaged = |why: String| CopyError::Damaged { path: path.display().to_string(), why };
        let length = path.metadata().map_err(|error| damaged(error.to_string()))?.len();
        if length != file.size {
            return Err(damaged(format!("it has {length} bytes, and had {}", file.size)));
        }
        if sum_of(&path)? != file.sha256 {
            return Err(damaged("its SHA-256 is another one".into()));
        }
        paths.push(path);
    }
    Ok(paths)
}

/// What there is of a file, a piece at a time, from its beginning.
pub(crate) fn pieces_of(path: &Path) -> std::io::Result<impl FnMut() -> std::io::Result<Vec<u8>> + Send + use<>> {
    let mut file = File::open(path)?;
    file.seek(SeekFrom::Start(0))?;
    Ok(move || {
        let mut piece = vec![0; 64 * 1024];
        let read = file.read(&mut piece)?;
        piece.truncate(read);
        Ok(piece)
    })
}

/// Writes beside the files what they are, for whoever finds them.
///
/// # Errors
/// When the disk does not take it.
pub(crate) fn describe(folder: &Path, copy: &KeptCopy, given: &[String]) -> Result<(), CopyError> {
    let path = folder.join("copy.txt");
    let mut text = format!("package {}\nversion {}\ndevice {}\n", copy.id, copy.version, copy.device);
    if let Some(code) = copy.version_code {
        text.push_str(&format!("version code {code}\n"));
    }
    if let Some(installer) = &copy.installer {
        text.push_str(&format!("installed by {installer}\n"));
    }
    for file in &copy.files {
        let from = file.from.as_ref().map_or("a file of this computer", DevicePath::as_str);
        text.push_str(&format!("file {} bytes {} sha256 {} from {from}\n", file.name, file.size, file.sha256));
    }
    for given in given {
        text.push_str(&format!("had {given}\n"));
    }
    for placed in &copy.placed {
        text.push_str(&format!("lay there {placed}\n"));
    }
    private_file(&path).and_then(|()| std::fs::write(&path, text)).map_err(disk(&path))
}

/// How many bytes are free where a folder is; `None` where the system does not tell.
pub(crate) fn free_bytes(folder: &Path) -> Option<u64> {
    #[cfg(unix)]
    {
        let found = folder.ancestors().find(|path| path.exists())?;
        let room = rustix::fs::statvfs(found).ok()?;
        Some(room.f_bavail.saturating_mul(room.f_frsize))
    }
    #[cfg(not(unix))]
    {
        let _ = folder;
        None
    }
}
