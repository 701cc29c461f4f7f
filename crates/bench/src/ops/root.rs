//! Asking a device for root, which is done only where somebody wants that.

use wibbet_core::android::RootWay;
use wibbet_core::ask::Request;
use wibbet_types::PlainText;

use crate::device::{AdbDevice, AskError, Device as _};

/// Asks for root by each way in turn; the one by which it was given, or what the device said to the last one. On its screen it may ask
/// whether to allow it, for as long as a change may take to be answered. Nothing is changed on the device by that.
///
/// # Errors
/// When the device cannot be asked.
pub async fn ask_for_root(device: &AdbDevice) -> Result<Result<RootWay, PlainText>, AskError> {
    let mut said_last = PlainText::new("");
    for way in RootWay::ALL {
        // It may wait for somebody: the patience is that of a change.
        let request = Request::change_by_shell(way.command("id"));
        let said = match device.ask(&request, &mut |_| {}).await {
            Ok(said) => said,
            // A program that waits for words of its own says nothing.
            Err(AskError::Silent(_)) => continue,
            Err(error) => return Err(error),
        };
        if said.out.trim_start().starts_with("uid=0(") {
            device.has_root(Some(way));
            return Ok(Ok(way));
        }
        if way != RootWay::Daemon {
            said_last = PlainText::new(said.text().lines().next().unwrap_or_default());
        }
    }
    device.has_root(None);
    Ok(Err(said_last))
}
