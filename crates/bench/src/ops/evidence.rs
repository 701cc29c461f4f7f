//! Asking a device who is engaged in what, as far as that shows what ties its packages.

use wibbet_core::package::Ties;
use wibbet_core::read;
use wibbet_types::UserId;

use crate::device::{AskError, Device};

/// Who is engaged in what, for some users: one command. What the device does not tell is missing in it.
///
/// # Errors
/// When the link goes, or the device is another one.
pub async fn read_ties<D: Device>(device: &D, users: &[UserId]) -> Result<Ties, AskError> {
    let capabilities = device.capabilities();
    let said = match device.ask(&read::ties_request(&capabilities, users), &mut |_| {}).await {
        Ok(said) => said.out,
        Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => String::new(),
        Err(error) => return Err(error),
    };
    Ok(read::read_ties(&said, &capabilities, users))
}
