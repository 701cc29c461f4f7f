//! Looks at a device, kept, and held against how it is now.

use std::sync::Arc;

use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{Drift, Look, LookHead, Since, drift, in_use_again};
use wibbet_core::package::Inventory;
use wibbet_core::plan::TrayItem;
use wibbet_core::run::Run;
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_types::DeviceId;

use crate::logbook::{SharedLogbook, now};

/// How a device is, beside how it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookedBack {
    /// How it is.
    pub now: Look,
    /// The looks that were kept before, the first one first.
    pub earlier: Vec<LookHead>,
    /// The one that it is held against.
    pub before: Option<(LookHead, Look)>,
    /// Since when that was asked.
    pub since: Since,
    /// What has changed since, what came back first.
    pub drift: Vec<Drift>,
    /// Whether both could be read whole: else what is new or gone is not told.
    pub whole: bool,
    /// What runs took out, none has put back, and is in use.
    pub again: Vec<TrayItem>,
    /// The device that this one may have been before a factory reset, with what runs had out of that one and is in use here.
    pub was: Option<(DeviceId, Vec<TrayItem>)>,
}

/// How a device is beside how it was at some time; where `keep` says so, how it is is kept.
///
/// # Errors
/// When the logbook cannot be read or written.
pub async fn look_back(
    book: &SharedLogbook,
    facts: &DeviceFacts,
    inventory: Arc<Inventory>,
    since: Since,
    keep: bool,
) -> Result<LookedBack, LogbookError> {
    let facts = facts.clone();
    let at = now();
    book.with(move |book| {
        let look = Look::of(&inventory, &facts, at);
        let (earlier, runs) = (book.looks(&facts.id)?, book.runs(Some(&facts.id))?);
        let head = since.look(&earlier, &runs).and_then(|number| earlier.iter().find(|head| head.number == number));
        let before = match head {
            Some(head) => book.look(head)?.map(|look| (head.clone(), look)),
            None => None,
        };
        let drift = before.as_ref().map_or_else(Vec::new, |(_, before)| drift(before, &look, &runs));
        let whole = look.whole && before.as_ref().is_none_or(|(_, before)| before.whole);
        let again = in_use_again(&runs, &inventory);
        let was = match runs.is_empty() {
            true => was_before_a_reset(book, &facts, &inventory)?,
            false => None,
        };
        if keep {
            book.keep_look(&facts.id, &look)?;
        }
        Ok(LookedBack { now: look, earlier, before, since, drift, whole, again, was })
    })
    .await
}

/// Keeps how a device is.
///
/// # Errors
/// When the logbook cannot be written.
pub async fn keep_look(book: &SharedLogbook, facts: &DeviceFacts, inventory: &Inventory) -> Result<(), LogbookError> {
    let (id, look) = (facts.id.clone(), Look::of(inventory, facts, now()));
    book.with(move |book| book.keep_look(&id, &look)).await.map(drop)
}

/// The device that this one may have been: of the same serial and model, with another Android id, which a factory reset makes anew. The
/// last one of those that runs had something out of which is in use here.
fn was_before_a_reset(
    book: &Logbook,
    facts: &DeviceFacts,
    inventory: &Inventory,
) -> Result<Option<(DeviceId, Vec<TrayItem>)>, LogbookError> {
    let told = |facts: &DeviceFacts| facts.android_id.is_some();
    for known in book.devices()? {
        let other = &known.facts;
        let alike = (&other.serial, &other.maker, &other.model) == (&facts.serial, &facts.maker, &facts.model);
        if other.id == facts.id || !alike || !told(other) || !told(facts) || other.android_id == facts.android_id {
            continue;
        }
        let runs: Vec<Run> = book.runs(Some(&other.id))?;
        let out = in_use_again(&runs, inventory);
        if !out.is_empty() {
            return Ok(Some((other.id.clone(), out)));
        }
    }
    Ok(None)
}

/// The last look that is kept of a device, to hold another one against.
///
/// # Errors
/// When the logbook cannot be read.
pub async fn last_look(book: &SharedLogbook, device: DeviceId) -> Result<Option<(LookHead, Look)>, LogbookError> {
    book.with(move |book| {
        let heads = book.looks(&device)?;
        let Some(head) = heads.last() else { return Ok(None) };
        Ok(book.look(head)?.map(|look| (head.clone(), look)))
    })
    .await
}
