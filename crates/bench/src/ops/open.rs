//! Opening something on the device.

use wibbet_core::ask::{Opening, developer_options_request};
use wibbet_types::PlainText;

use crate::device::{AdbDevice, AskError, Device as _};

/// Opens something on the device. What the device answers, where that is no success.
///
/// # Errors
/// When it cannot be asked.
pub async fn open_on_device(device: &AdbDevice, opening: &Opening) -> Result<Option<PlainText>, AskError> {
    let answer = device.ask(&opening.request(), &mut |_| {}).await?;
    Ok(Opening::trouble(&answer))
}

/// Opens the developer options on the device. What it answers, where that is no success.
///
/// # Errors
/// When it cannot be asked.
pub async fn open_developer_options(device: &AdbDevice) -> Result<Option<PlainText>, AskError> {
    let answer = device.ask(&developer_options_request(), &mut |_| {}).await?;
    Ok(Opening::trouble(&answer))
}
