//! What several rooms draw and do.

use wibbet_core::package::{Condition, PackageState};
use wibbet_core::plan::{Change, Plan};
use wibbet_core::run::{Outcome, Run};
use wibbet_types::{PackageId, UserId};

use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::View;
use crate::tui::widgets::width;

/// How the steps of a run ended, counted in words.
pub(crate) fn outcome_counts(run: &Run) -> String {
    let words = [
        (Outcome::Done, "done"),
        (Outcome::Refused, "refused"),
        (Outcome::NoEffect, "no effect"),
        (Outcome::Answered, "answered yes"),
        (Outcome::Unsettled, "unsettled"),
        (Outcome::Skipped, "not sent"),
    ];
    let counted = words.map(|(outcome, word)| (run.count(outcome), word));
    let told: Vec<String> = counted.iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}")).collect();
    told.join(", ")
}

/// How much data a plan gives up for good, in words; `several` says that sizes are those of all users together.
pub(crate) fn data_words(device: &DeviceModel, plan: &Plan, several: bool) -> Option<String> {
    plan.data_words(several, |id| device.entry(id).and_then(|entry| entry.size(|sizes| sizes.data)))
}

/// What a package becomes, and the shortest words for it.
pub(crate) fn becoming(way: Change) -> (Condition, &'static str) {
    match way {
        Change::Disable => (Condition::Disabled, "disable"),
        Change::DisableByRoot => (Condition::Disabled, "root off"),
        Change::Hide => (Condition::Hidden, "hide"),
        Change::Suspend => (Condition::Suspended, "suspend"),
        Change::UninstallKeepData => (Condition::Uninstalled, "keep data"),
        Change::Quieten => (Condition::InUse, "quieten"),
        Change::ForceStop => (Condition::InUse, "stop"),
        Change::ClearCache => (Condition::InUse, "cache"),
        Change::ClearData => (Condition::InUse, "data"),
        _ => (Condition::Uninstalled, "uninstall"),
    }
}

/// A package by its label and id, of which the end is kept where both have no room; by its id where no label was read.
pub(crate) fn named(device: &DeviceModel, id: &PackageId, cells: usize) -> String {
    /// Less of an id says nothing.
    const LEAST: usize = 10;
    let Some(label) = device.label_of(id) else { return id.to_string() };
    let id = id.as_str();
    let room = cells.saturating_sub(width(&label) + 2);
    match room {
        _ if id.len() <= room => format!("{label}  {id}"),
        LEAST.. => format!("{label}  …{}", &id[id.len() + 1 - room..]),
        _ => label,
    }
}

/// Shows the plan that puts packages back.
pub(crate) fn review_put_back(app: &mut App, wanted: Vec<(PackageId, UserId, PackageState)>) {
    if let Some(device) = app.device_mut() {
        device.review_put_back(wanted);
        app.view = View::Run;
        app.notice = None;
    }
}
