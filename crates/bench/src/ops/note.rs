//! Noting that a device was met.

use thiserror::Error;
use wibbet_core::device::{DeviceFacts, Likeness};
use wibbet_logbook::LogbookError;

use crate::around::Route;
use crate::device::{AdbDevice, AskError, not_proven};
use crate::logbook::{SharedLogbook, now};

/// Why a device that answers has no name in the logbook.
#[derive(Debug, Error)]
pub enum NoteError {
    /// It says that it is one that is known, and does not show it.
    #[error(transparent)]
    Ask(#[from] AskError),
    /// The record cannot be kept.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
}

/// Notes in the logbook that a linked device was met, and where; it goes by the name that it has there from now on. What
/// it is, as it is known then.
///
/// # Errors
/// [`AskError::NotProven`] by a way that nobody has chosen, where it tells less of itself than is known.
pub async fn note_met(book: &SharedLogbook, device: &AdbDevice) -> Result<DeviceFacts, NoteError> {
    let nobody = || AskError::Broken("the device did not say what it is".into());
    let facts = device.facts().ok_or_else(nobody)?;
    let (address, known_as) = (device.lasting_address(), device.known_as());
    let route = device.route();
    let least = route.as_ref().map_or(Likeness::Alike, |route| route.least_likeness());
    let noted = facts.clone();
    let id = book.with(move |book| book.note_device(&noted, least, &address, known_as.as_deref(), now())).await?;
    match (id, route) {
        (Some(id), _) => device.set_id(id),
        (None, Some(route)) => return Err(not_proven(&route, &facts).into()),
        (None, None) => return Err(nobody().into()),
    }
    Ok(device.facts().ok_or_else(nobody)?)
}

/// Forgets where a device was met, if another one answers there now: it is not tried there again by itself. Whether that is
/// so. One that does not show what it is may yet be starting.
///
/// # Errors
/// When the record cannot be kept.
pub async fn forget_place(book: &SharedLogbook, device: &AdbDevice, why: &AskError) -> Result<bool, LogbookError> {
    let (AskError::OtherDevice(_), Some(Route::Remembered(at))) = (why, device.route()) else {
        return Ok(false);
    };
    book.with(move |book| book.forget_address(&at.to_string())).await?;
    Ok(true)
}
