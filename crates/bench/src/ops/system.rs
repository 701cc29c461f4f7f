//! A package's folder on a partition of the system, as root: what lies there, taking it away, and having it there again.

use std::path::PathBuf;

use wibbet_core::ask::Output;
use wibbet_core::package::{KeptCopy, PlacedKind, system_folder};
use wibbet_core::read::{
    UnknownPlace, clear_up_request, folder_request, is_as_kept, is_part_of, place_requests, read_folder, says_placed,
};
use wibbet_core::run::Proof;
use wibbet_types::{DevicePath, PackageId, UserId};

use super::copies::{CopyError, ToCopy, differing, pieces_of, what_to_copy};
use crate::device::{AskError, Device};

/// Finds out what there is to be copied of a package that is going to be removed from the system: all that lies in its folder.
///
/// # Errors
/// When the device cannot be asked, or does not tell; and when it has no folder of its own.
pub(crate) async fn what_to_copy_of_the_system<D: Device>(
    device: &D,
    id: &PackageId,
    user: UserId,
) -> Result<ToCopy, CopyError> {
    let unreadable = |why: String| CopyError::Unreadable(format!("{id}: {why}"));
    let what = what_to_copy(device, id, user).await?;
    let folder = what.files.first().and_then(|(base, _)| system_folder(base));
    let folder = folder.ok_or_else(|| unreadable("it has no folder of its own on a partition of the system".into()))?;
    let said = device.ask(&folder_request(&folder), &mut |_| {}).await?;
    let found = read_folder(&folder, &said).map_err(|why| unreadable(format!("{folder}: {why}")))?;
    let is_file = |kind: &PlacedKind| matches!(kind, PlacedKind::File(_));
    let mut files: Vec<(DevicePath, u64)> = found
        .iter()
        .filter(|found| is_file(&found.placed.kind))
        .map(|found| (found.placed.path.clone(), found.size))
        .collect();
    // What a copy begins with is the base.
    files.sort_by_key(|(path, _)| what.files.first().is_none_or(|(base, _)| base != path));
    Ok(ToCopy { files, placed: found.into_iter().map(|found| found.placed).collect(), ..what })
}

/// Has everything of a copy where it was. What the device says in the end, or at the request that it refused.
///
/// # Errors
/// When the device cannot be asked. Whether it is there again is not known then.
pub(crate) async fn place<D: Device>(device: &D, copy: &KeptCopy, files: &[PathBuf]) -> Result<Output, AskError> {
    let mut last = Output::default();
    for (request, file) in place_requests(copy) {
        let path = file.and_then(|name| {
            let at = copy.files.iter().position(|own| own.name == name)?;
            files.get(at)
        });
        last = match path {
            None => device.ask(&request, &mut |_| {}).await?,
            Some(path) => match pieces_of(path) {
                Ok(mut next) => device.ask_with(&request, &mut next).await?,
                Err(error) => return Err(AskError::Broken(format!("{}: {error}", path.display()))),
            },
        };
        if !says_placed(&last) {
            // What went wrong is what there is to tell.
            let _ = device.ask(&clear_up_request(copy), &mut |_| {}).await;
            break;
        }
    }
    Ok(last)
}

/// What lies where a copy is of.
///
/// # Errors
/// When the device cannot be asked.
pub(crate) async fn lies_there<D: Device>(device: &D, copy: &KeptCopy) -> Result<Lies, AskError> {
    let Some(folder) = copy.placed.first().map(|placed| &placed.path) else { return Ok(Lies::Untold) };
    let said = device.ask(&folder_request(folder), &mut |_| {}).await?;
    match read_folder(folder, &said) {
        Err(UnknownPlace::Gone) => Ok(Lies::Gone),
        Err(_) => Ok(Lies::Untold),
        Ok(found) if !is_as_kept(&found, copy) => match is_part_of(&found, copy) {
            true => Ok(Lies::Part),
            false => Ok(Lies::Other),
        },
        Ok(_) => match differing(device, &copy.files).await {
            Ok(None) => Ok(Lies::AsKept),
            // Of the same length, with other bytes.
            Ok(Some(_)) => Ok(Lies::Other),
            Err(CopyError::Ask(error)) => Err(error),
            Err(_) => Ok(Lies::Untold),
        },
    }
}

/// What lies where a package was.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Lies {
    /// Nothing.
    Gone,
    /// Just what is kept.
    AsKept,
    /// A part of it, as an interrupted try leaves it.
    Part,
    /// Something else.
    Other,
    /// The device does not tell.
    Untold,
}

impl Lies {
    /// Whether it shows that a package was removed.
    pub(crate) fn removed(self) -> Proof {
        match self {
            Self::Gone => Proof::So,
            Self::AsKept | Self::Part | Self::Other => Proof::NotSo,
            Self::Untold => Proof::Untold,
        }
    }

    /// Whether it shows that it is there again.
    pub(crate) fn restored(self) -> Proof {
        match self {
            Self::AsKept => Proof::So,
            Self::Gone | Self::Part | Self::Other => Proof::NotSo,
            Self::Untold => Proof::Untold,
        }
    }
}
