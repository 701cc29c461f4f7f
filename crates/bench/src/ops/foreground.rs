//! What is on the device's screen.

use wibbet_core::read::{front_request, read_front};
use wibbet_types::{PackageId, UserId};

use crate::device::{AdbDevice, AskError, Device as _};

/// What is on the device's screen; `None` where it does not tell, or shows no app.
///
/// # Errors
/// When it cannot be asked.
pub async fn in_front(device: &AdbDevice) -> Result<Option<(PackageId, UserId)>, AskError> {
    let said = device.ask(&front_request(), &mut |_| {}).await?;
    Ok(read_front(&said.out))
}
