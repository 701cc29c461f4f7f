//! Installing a kept copy.

use std::path::PathBuf;

use wibbet_core::ask::Output;
use wibbet_core::package::KeptCopy;
use wibbet_core::read::{abandon_request, commit_request, create_request, read_created, write_file_request};
use wibbet_types::UserId;

use super::copies::pieces_of;
use crate::device::{AskError, Device};

/// Installs the files of a copy for a user: all of them, or nothing. What the device says in the end, or at the step that it
/// refused.
///
/// # Errors
/// When the device cannot be asked. Where that is during the last step, whether it is installed is not known.
pub(crate) async fn install<D: Device>(
    device: &D,
    copy: &KeptCopy,
    files: &[PathBuf],
    user: UserId,
) -> Result<Output, AskError> {
    let capabilities = device.capabilities();
    let said = device.ask(&create_request(&capabilities, copy, user), &mut |_| {}).await?;
    let Some(session) = read_created(&said) else { return Ok(said) };
    for (file, path) in copy.files.iter().zip(files) {
        let written = match pieces_of(path) {
            Ok(mut next) => device.ask_with(&write_file_request(session, file), &mut next).await,
            Err(error) => Err(AskError::Broken(format!("{}: {error}", path.display()))),
        };
        let trouble = match written {
            Ok(said) if said.text().contains("Success") => continue,
            trouble => trouble,
        };
        // What is not committed changes nothing; a link that has gone takes the session with it in the end.
        if !matches!(trouble, Err(AskError::Lost(_) | AskError::NoLink(_))) {
            let _ = device.ask(&abandon_request(session), &mut |_| {}).await;
        }
        return trouble;
    }
    device.ask(&commit_request(session), &mut |_| {}).await
}
