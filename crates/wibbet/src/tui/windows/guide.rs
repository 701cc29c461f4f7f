//! How to get from nothing on the bench to a linked device.

use ratatui::Frame;
use ratatui::text::Line;

use super::form::{Flow, Form};
use super::page::Page;
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer, View, hint};
use crate::tui::message::Effect;
use crate::tui::widgets::{Scroll, Theme, wrap};

/// The first steps.
#[derive(Debug, Clone, Default)]
pub(crate) struct Guide(Scroll);

const PAGE: Page<'static> = Page { title: " First steps ", columns: 96, layer: Layer::Reading, lines: &lines };

fn lines(theme: &Theme, cells: usize) -> Vec<Line<'static>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    for (head, steps) in wibbet_core::link::first_steps() {
        lines.push(Line::styled(head, theme.accent));
        for step in steps {
            let wrapped = wrap(step, cells.saturating_sub(5)).into_iter().enumerate();
            lines.extend(wrapped.map(|(n, l)| Line::raw(format!("   {} {l}", if n == 0 { "·" } else { " " }))));
        }
        lines.push(Line::raw(""));
    }
    let key = |action| hint(View::Bench, action);
    let keys = format!("On the bench: {} pairs, {} adds an address.", key(Action::Pair), key(Action::AddDevice));
    lines.extend(wrap(&keys, cells).into_iter().map(Line::raw));
    let end = "The bench shows how far each device has got, and what is missing. It tries again by itself: nothing that worked has to be done twice.";
    lines.extend(wrap(end, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
    lines
}

impl Form for Guide {
    const OPENED_BY: Action = Action::Guide;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Reading
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        PAGE.act(&mut self.0, app, action)
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        PAGE.draw(self.0, app, theme, frame);
    }
}
