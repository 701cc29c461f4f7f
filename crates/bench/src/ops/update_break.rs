//! Update breaks on a device.

use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{BreakItem, UpdateBreak};
use wibbet_core::package::Inventory;
use wibbet_logbook::LogbookError;
use wibbet_types::{BreakId, DeviceId};

use crate::logbook::{SharedLogbook, now};

/// Writes down that a break begins, and what was out. Putting that back is a run like any other.
///
/// # Errors
/// When the device is on one already, or the record cannot be kept.
pub async fn begin_break(
    book: &SharedLogbook,
    facts: &DeviceFacts,
    inventory: &Inventory,
    items: Vec<BreakItem>,
) -> Result<UpdateBreak, LogbookError> {
    let begun = UpdateBreak {
        number: BreakId::new(0),
        device: facts.id.clone(),
        begun: now(),
        build: facts.build.clone(),
        items,
        packages: UpdateBreak::of_the_system(inventory).cloned().collect(),
        ended: None,
    };
    let written = begun.clone();
    let number = book.with(move |book| book.begin_break(&written)).await?;
    Ok(UpdateBreak { number, ..begun })
}

/// The break that a device is on.
///
/// # Errors
/// When the logbook cannot be read.
pub async fn open_break(book: &SharedLogbook, device: &DeviceId) -> Result<Option<UpdateBreak>, LogbookError> {
    let of = device.clone();
    let all = book.with(move |book| book.breaks(&of)).await?;
    Ok(all.into_iter().rev().find(|one| one.ended.is_none()))
}

/// A break has ended. Taking out again what was out is a run like any other.
///
/// # Errors
/// When the record cannot be kept.
pub async fn end_break(book: &SharedLogbook, number: BreakId) -> Result<(), LogbookError> {
    book.with(move |book| book.end_break(number, now())).await
}
