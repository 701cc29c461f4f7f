//! Reading everything that shows what ties packages, and working that out.

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_core::catalog::Catalog;
use wibbet_core::device::{DeviceFacts, DeviceKind};
use wibbet_core::package::{AppNames, Elsewhere, Inventory, Metrics, Ties};
use wibbet_core::run::remembered;
use wibbet_logbook::LogbookError;
use wibbet_types::{Locale, PackageId, UserId};

use super::evidence::{fill_in_answers, read_ties};
use super::labels::{LabelNews, read_labels};
use crate::device::{AdbDevice, AskError, Device as _};
use crate::logbook::SharedLogbook;

/// What became of packages on other devices of a device's model and build, as far as the logbook remembers.
///
/// # Errors
/// When the logbook cannot be read.
pub async fn remembered_elsewhere(
    book: &SharedLogbook,
    facts: DeviceFacts,
) -> Result<BTreeMap<PackageId, Elsewhere>, LogbookError> {
    let runs = book.with(move |book| book.runs_of_its_like(&facts)).await?;
    Ok(remembered(&runs))
}

/// A catalog with labels and manifests, who is engaged in what, and what ties the packages for some users; metrics as they were
/// read before, giving on how far the manifests have got. Beside it why manifests could not be read, where they could not: labels are missing then, and nothing is free.
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
    news: &mut (dyn FnMut(LabelNews) + Send),
) -> Result<(Catalog, Option<AskError>), AskError> {
    let (names, trouble) = match read_labels(device, book, &inventory, languages, news).await {
        Ok((names, _)) => (names, None),
        Err(error @ (AskError::NoLink(_) | AskError::Lost(_) | AskError::OtherDevice(_))) => return Err(error),
        Err(error) => (AppNames { wanted: languages.to_vec(), ..AppNames::default() }, Some(error)),
    };
    let ties = read_ties(device, users).await?;
    let inventory = Arc::new(inventory);
    let mut catalog = put_together(device, book, inventory, names, metrics, ties, users).await?;
    catalog.judge(users.iter().copied());
    Ok((catalog, trouble))
}

/// A catalog of what was read, with what the device says where manifests are silent, and what the logbook remembers. What ties the
/// packages is not worked out yet.
///
/// # Errors
/// When the link goes, or the device is another one.
pub(crate) async fn put_together(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: Arc<Inventory>,
    names: AppNames,
    metrics: Metrics,
    mut ties: Ties,
    users: &[UserId],
) -> Result<Catalog, AskError> {
    fill_in_answers(device, &mut ties, &inventory, &names, users).await?;
    let facts = device.facts();
    let kind = facts.as_ref().map_or(DeviceKind::Phone, |facts| facts.kind);
    let elsewhere = match facts {
        // It is but a memory: nothing hangs on it.
        Some(facts) => remembered_elsewhere(book, facts).await.unwrap_or_default(),
        None => BTreeMap::new(),
    };
    Ok(Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        ties: Arc::new(ties),
        elsewhere: Arc::new(elsewhere),
        sdk: device.capabilities().sdk,
        kind,
        ..Catalog::new(inventory)
    })
}
