//! Taking APKs of this computer in as a copy, to be installed on a device: files, folders of them, and archives with the parts of one
//! app.

use std::fs::File;
use std::io::{Read, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};

use sha2::{Digest as _, Sha256};
use wibbet_apk::{ApkReader, Manifest, Question, Step, Stride};
use wibbet_core::package::{CopiedFile, Declared, KeptCopy};
use wibbet_logbook::LogbookError;
use wibbet_types::{CopyId, DeviceId, PackageId, new_private_file, private_folder};

use super::copies::{COPIES, CopyError, MOST_PARTS, checked, disk, hex, plain_name};
use crate::logbook::{SharedLogbook, now};

/// The most that is taken in at once, in bytes: what an archive says of its parts is not believed beyond that.
const MOST: u64 = 8 << 30;

/// An APK that is taken in: where it lies, and what it says of itself.
struct Part {
    path: PathBuf,
    size: u64,
    sha256: String,
    manifest: std::sync::Arc<Manifest>,
}

/// What was taken in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TakenIn {
    /// The copy.
    pub copy: KeptCopy,
    /// What its manifest declares.
    pub declared: Declared,
}

/// Takes APKs in as a copy that is meant for a device. All of them are parts of one app: one base, and its splits.
///
/// # Errors
/// When one cannot be read, is no APK, or they do not belong together; and those of the disk.
pub async fn import_copy(book: &SharedLogbook, device: &DeviceId, from: &[PathBuf]) -> Result<TakenIn, CopyError> {
    let at = now();
    // Nobody else's, whoever takes something in at the same moment.
    static TAKEN_IN: AtomicU32 = AtomicU32::new(0);
    let own = (std::process::id(), TAKEN_IN.fetch_add(1, Ordering::Relaxed));
    let folder = format!("{}/given-{}-{}-{}", plain_name(device), at.0, own.0, own.1);
    let to = book.folder().join(COPIES).join(&folder);
    private_folder(&to).map_err(disk(&to))?;
    let taken = take_in(from, &to);
    let copy = taken.and_then(|parts| {
        let (id, version_code, version) = belongs_together(&parts)?;
        let base = parts.iter().find(|part| part.manifest.split.is_empty());
        let declared = base.map_or_else(Declared::default, |base| Declared::of(&base.manifest));
        let mut files = Vec::with_capacity(parts.len());
        for part in parts {
            let name = match part.manifest.split.as_ref() {
                "" => "base.apk".to_owned(),
                split if CopiedFile::is_name(&format!("split_{split}.apk")) => format!("split_{split}.apk"),
                _ => format!("split-{}.apk", files.len()),
            };
            let there = to.join(&name);
            std::fs::rename(&part.path, &there).map_err(disk(&there))?;
            files.push(CopiedFile { name, size: part.size, sha256: part.sha256, from: None });
        }
        files.sort_by_key(|file| file.name != "base.apk");
        let copy = KeptCopy {
            number: CopyId::new(0),
            device: device.clone(),
            run: None,
            id,
            version_code: Some(version_code),
            version: version.as_str().into(),
            installer: None,
            made: at,
            folder,
            files,
            placed: Vec::new(),
            offered: false,
        };
        Ok(TakenIn { copy, declared })
    });
    let taken = match copy {
        Ok(taken) => taken,
        Err(error) => {
            // What is of no use is not left lying about.
            let _ = std::fs::remove_dir_all(&to);
            return Err(error);
        }
    };
    let noted = taken.copy.clone();
    let number = book
        .with(move |book| book.add_copy(&noted))
        .await
        .map_err(|error| CopyError::Disk { path: to.display().to_string(), why: error.to_string() })?;
    Ok(TakenIn { copy: KeptCopy { number, ..taken.copy }, ..taken })
}

/// Takes a copy that is kept of one device in for another, as files of its own.
///
/// # Errors
/// When its files are not what they were, and as [`import_copy`].
pub async fn import_kept(book: &SharedLogbook, device: &DeviceId, copy: &KeptCopy) -> Result<TakenIn, CopyError> {
    let files = checked(book.folder(), copy)?;
    import_copy(book, device, &files).await
}

/// Drops a copy that was taken in and that nothing was done with.
///
/// # Errors
/// Those of the logbook. Files that cannot be removed stay.
pub async fn drop_copy(book: &SharedLogbook, copy: &KeptCopy) -> Result<(), LogbookError> {
    let number = copy.number;
    if book.with(move |book| book.forget_copy(number)).await? {
        let _ = std::fs::remove_dir_all(book.folder().join(COPIES).join(&copy.folder));
    }
    Ok(())
}

fn unusable(path: &Path, why: impl std::fmt::Display) -> CopyError {
    CopyError::Unusable { path: path.display().to_string(), why: why.to_string() }
}

/// Brings all parts into a folder, under names of their own.
fn take_in(from: &[PathBuf], to: &Path) -> Result<Vec<Part>, CopyError> {
    let mut parts = Vec::new();
    let mut left = MOST;
    let mut take = |name: &Path, mut source: &mut dyn Read, parts: &mut Vec<Part>| -> Result<(), CopyError> {
        if parts.len() == MOST_PARTS {
            return Err(unusable(name, "there are too many parts"));
        }
        let path = to.join(format!("part-{}", parts.len()));
        let mut file = new_private_file(&path).map_err(disk(&path))?;
        let (mut sum, mut size) = (Sha256::new(), 0u64);
        let mut piece = vec![0; 256 * 1024];
        loop {
            let read = Read::read(&mut source, &mut piece).map_err(|error| unusable(name, error))?;
            if read == 0 {
                break;
            }
            left = left.checked_sub(read as u64).ok_or_else(|| unusable(name, "it is too long"))?;
            sum.update(&piece[..read]);
            file.write_all(&piece[..read]).map_err(disk(&path))?;
            size += read as u64;
        }
        file.sync_all().map_err(disk(&path))?;
        let manifest = manifest_of(&path).map_err(|why| unusable(name, why))?;
        parts.push(Part { path, size, sha256: hex(sum), manifest });
        Ok(())
    };
    let is_apk = |path: &Path| path.extension().is_some_and(|end| end.eq_ignore_ascii_case("apk"));
    for path in from {
        if path.is_dir() {
            let entries = std::fs::read_dir(path).map_err(|error| unusable(path, error))?;
            let mut files: Vec<PathBuf> =
                entries.filter_map(|entry| Some(entry.ok()?.path())).filter(|p| is_apk(p)).collect();
            files.sort();
            if files.is_empty() {
                return Err(unusable(path, "no APK is in this folder"));
            }
            for file in files {
                take(&file, &mut File::open(&file).map_err(|error| unusable(&file, error))?, &mut parts)?;
            }
        } else if !path.is_file() {
            // Whoever opens a pipe waits for somebody who may never come.
            return Err(unusable(path, "there is no such file"));
        } else if is_apk(path) {
            take(path, &mut File::open(path).map_err(|error| unusable(path, error))?, &mut parts)?;
        } else {
            let file = File::open(path).map_err(|error| unusable(path, error))?;
            let mut archive = zip::ZipArchive::new(file)
                .map_err(|error| unusable(path, format!("it is neither an APK nor an archive of them: {error}")))?;
            let names: Vec<String> =
                archive.file_names().filter(|name| is_apk(Path::new(name))).map(str::to_owned).collect();
            if names.is_empty() {
                return Err(unusable(path, "no APK is in this archive"));
            }
            for name in names {
                let mut entry = archive.by_name(&name).map_err(|error| unusable(path, error))?;
                take(&path.join(Path::new(&name).file_name().unwrap_or_default()), &mut entry, &mut parts)?;
            }
        }
    }
    Ok(parts)
}

/// What an APK says of itself.
fn manifest_of(path: &Path) -> Result<std::sync::Arc<Manifest>, String> {
    let mut file = File::open(path).map_err(|error| error.to_string())?;
    let size = file.metadata().map_err(|error| error.to_string())?.len();
    let mut reader = ApkReader::new(size, Question::Label, Vec::new(), Stride::SHORT);
    loop {
        match reader.step() {
            Step::Done(Ok(facts)) => return Ok(facts.manifest),
            Step::Done(Err(error)) => return Err(error.to_string()),
            Step::Wants(wants) => {
                for want in wants {
                    let mut bytes = vec![0; want.len];
                    let read = file.seek(SeekFrom::Start(want.start)).and_then(|_| file.read_exact(&mut bytes));
                    read.map_err(|error| error.to_string())?;
                    reader.feed(want.start, &bytes);
                }
            }
        }
    }
}

/// The one app that all parts are of.
fn belongs_together(parts: &[Part]) -> Result<(PackageId, u64, String), CopyError> {
    let wrong = |why: String| CopyError::Unusable { path: "these files".into(), why };
    let bases: Vec<&Part> = parts.iter().filter(|part| part.manifest.split.is_empty()).collect();
    let [base] = bases.as_slice() else {
        return Err(wrong(match bases.len() {
            0 => "the base is not among them, only parts of an app".to_owned(),
            n => format!("{n} apps are among them; they are installed one after the other"),
        }));
    };
    let (id, code) = (&base.manifest.package, base.manifest.version_code);
    if let Some(odd) = parts.iter().find(|part| part.manifest.package != *id || part.manifest.version_code != code) {
        let (other, version) = (&odd.manifest.package, odd.manifest.version_code);
        return Err(wrong(format!("one is of {other} version {version}, and the base is {id} version {code}")));
    }
    let version = match &base.manifest.version_name {
        Some(wibbet_apk::Value::Text(text)) => text.to_string(),
        _ => String::new(),
    };
    let id = id.parse().map_err(|error: wibbet_types::BadId| wrong(error.to_string()))?;
    Ok((id, code, version))
}
