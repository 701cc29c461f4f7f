//! Asking a device what it does not start without.

use wibbet_core::package::{Essentials, PackageKind};
use wibbet_core::read::{essential_request, read_essential};
use wibbet_types::PackageId;

use crate::device::{AskError, Device};

/// Which packages Android does not start without, of some packages of the device. Whatever the device does not tell is judged by
/// ids alone.
///
/// # Errors
/// When the link goes, or the device is another one.
pub(crate) async fn essentials<'a, D: Device>(
    device: &D,
    packages: impl IntoIterator<Item = (&'a PackageId, PackageKind)>,
) -> Result<Essentials, AskError> {
    let capabilities = device.capabilities();
    let answers = match essential_request(&capabilities) {
        None => Vec::new(),
        Some(request) => match device.ask(&request, &mut |_| {}).await {
            Ok(said) => read_essential(&said),
            Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => Vec::new(),
            Err(error) => return Err(error),
        },
    };
    Ok(Essentials::of(packages, &capabilities, &answers))
}
