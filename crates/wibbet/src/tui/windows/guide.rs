//! How to get from nothing on the bench to a linked device.

use ratatui::text::Line;

use super::page::{Reading, Text};
use crate::tui::keys::{Action, View, called};
use crate::tui::widgets::{Theme, wrap};

/// The first steps.
pub(crate) type Guide = Reading<FirstSteps>;

#[derive(Debug, Clone)]
pub(crate) enum FirstSteps {}

impl Text for FirstSteps {
    const OPENED_BY: Action = Action::Guide;
    const TITLE: &'static str = " First steps ";
    const COLUMNS: u16 = 96;

    fn lines(_here: View, theme: &Theme, cells: usize) -> Vec<Line<'static>> {
        let mut lines: Vec<Line<'_>> = Vec::new();
        for (head, steps) in wibbet_core::link::first_steps() {
            lines.extend(wrap(head, cells).into_iter().map(|line| Line::styled(line, theme.accent)));
            for step in steps {
                let wrapped = wrap(step, cells.saturating_sub(5)).into_iter().enumerate();
                lines.extend(wrapped.map(|(n, l)| Line::raw(format!("   {} {l}", if n == 0 { "·" } else { " " }))));
            }
            lines.push(Line::raw(""));
        }
        let key = |action| called(View::Bench, action, theme.taps.large());
        let keys = format!("On the bench: {} pairs, {} adds an address.", key(Action::Pair), key(Action::AddDevice));
        lines.extend(wrap(&keys, cells).into_iter().map(Line::raw));
        let end = "The bench shows how far each device has got, and what is missing. It tries again by itself: nothing that worked has to be done twice.";
        lines.extend(wrap(end, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
        lines
    }
}
