//! What several rooms draw.

use ratatui::text::{Line, Span};
use wibbet_core::package::Condition;
use wibbet_core::plan::Change;
use wibbet_core::run::{Outcome, Run};

use crate::tui::app::DeviceModel;
use crate::tui::widgets::{Theme, width};

/// How the steps of a run ended, counted in words.
pub(crate) fn outcome_counts(run: &Run) -> String {
    let words = [
        (Outcome::Done, "done"),
        (Outcome::Refused, "refused"),
        (Outcome::NoEffect, "no effect"),
        (Outcome::Unsettled, "unsettled"),
        (Outcome::Skipped, "not sent"),
    ];
    let counted = words.map(|(outcome, word)| (run.count(outcome), word));
    let told: Vec<String> = counted.iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{n} {word}")).collect();
    told.join(", ")
}

/// A list of items of one or more lines each: the lines that are shown, as places in `heights`'
/// running sum, so that the item at `at` is in sight.
pub(crate) fn first_line(heights: &[usize], at: usize, lines: usize) -> usize {
    let before: usize = heights.iter().take(at).sum();
    let total: usize = heights.iter().sum();
    crate::tui::widgets::first_shown(before, total, lines)
}

/// The item at a line of such a list.
pub(crate) fn item_at(heights: &[usize], at: usize, lines: usize, line: usize) -> Option<usize> {
    let mut left = first_line(heights, at, lines) + line;
    heights.iter().position(|h| {
        let here = left < *h;
        left = left.saturating_sub(*h);
        here
    })
}

/// One style for the whole line: the shapes and words in it say the rest.
pub(crate) fn under_cursor<'a>(line: Line<'a>, theme: &Theme, cells: usize) -> Line<'a> {
    let fill = " ".repeat(cells.saturating_sub(line.width()));
    let mut spans: Vec<Span<'a>> = line.spans.into_iter().map(|s| Span::styled(s.content, theme.cursor)).collect();
    spans.push(Span::styled(fill, theme.cursor));
    Line::from(spans)
}

/// What a package becomes, and the shortest words for it.
pub(crate) fn becoming(way: Change) -> (Condition, &'static str) {
    match way {
        Change::Disable => (Condition::Disabled, "disable"),
        Change::UninstallKeepData => (Condition::Uninstalled, "keep data"),
        _ => (Condition::Uninstalled, "uninstall"),
    }
}

/// A package by its label and id, of which the end is kept where both have no room; by its id where no label was read.
pub(crate) fn named(device: &DeviceModel, id: &wibbet_types::PackageId, cells: usize) -> String {
    /// Less of an id says nothing.
    const LEAST: usize = 10;
    let Some(label) = device.sight(id).and_then(|s| s.label().map(str::to_owned)) else { return id.to_string() };
    let id = id.as_str();
    let room = cells.saturating_sub(width(&label) + 2);
    match room {
        _ if id.len() <= room => format!("{label}  {id}"),
        LEAST.. => format!("{label}  …{}", &id[id.len() + 1 - room..]),
        _ => label,
    }
}
