//! Asking a device what it does not start without.

use std::collections::BTreeSet;

use wibbet_core::android::Essential;
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
    let answers = essential_answers(device).await?;
    Ok(Essentials::of(packages, &device.capabilities(), &answers))
}

/// Who does what Android does not start without; nothing where the device does not tell.
///
/// # Errors
/// When the link goes, or the device is another one.
pub(crate) async fn essential_answers<D: Device>(device: &D) -> Result<Answers, AskError> {
    let Some(request) = essential_request(&device.capabilities()) else { return Ok(Vec::new()) };
    match device.ask(&request, &mut |_| {}).await {
        Ok(said) => Ok(read_essential(&said)),
        Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => Ok(Vec::new()),
        Err(error) => Err(error),
    }
}

/// Who does what of it, where that was told.
pub(crate) type Answers = Vec<(Essential, Option<BTreeSet<PackageId>>)>;
