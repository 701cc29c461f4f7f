//! Opening something on the device.

use wibbet_core::ask::Opening;
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
