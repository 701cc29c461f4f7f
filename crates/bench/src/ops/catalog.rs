//! Reading everything that shows what ties packages, and working that out.

use std::sync::Arc;

use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceKind;
use wibbet_core::package::{AppNames, Inventory, Metrics};
use wibbet_types::{Locale, UserId};

use super::evidence::read_ties;
use super::labels::read_labels;
use crate::device::{AdbDevice, AskError, Device as _};
use crate::logbook::SharedLogbook;

/// A catalog with labels and manifests, who is engaged in what, and what ties the packages for some users; metrics as they were
/// read before. Beside it why manifests could not be read, where they could not: labels are missing then, and nothing is free.
///
/// # Errors
/// When the link goes, or the device is another one.
pub async fn read_catalog(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: Inventory,
    metrics: Metrics,
    languages: &[Locale],
    users: &[UserId],
) -> Result<(Catalog, Option<AskError>), AskError> {
    let (names, trouble) = match read_labels(device, book, &inventory, languages, &mut |_| {}).await {
        Ok((names, _)) => (names, None),
        Err(error @ (AskError::NoLink(_) | AskError::Lost(_) | AskError::OtherDevice(_))) => return Err(error),
        Err(error) => (AppNames { wanted: languages.to_vec(), ..AppNames::default() }, Some(error)),
    };
    let ties = read_ties(device, users).await?;
    let mut catalog = Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        ties: Arc::new(ties),
        sdk: device.capabilities().sdk,
        kind: device.facts().map_or(DeviceKind::Phone, |facts| facts.kind),
        ..Catalog::new(Arc::new(inventory))
    };
    catalog.judge(users.iter().copied());
    Ok((catalog, trouble))
}
