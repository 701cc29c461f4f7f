//! The small menu of a room's rarer actions, each with its letter.

use ratatui::Frame;
use ratatui::text::{Line, Span};

use super::form::{ALL, Flow, Form, framed, move_over};
use crate::tui::app::App;
use crate::tui::keys::{Action, Binding, Layer, View, menu_of};
use crate::tui::message::Effect;
use crate::tui::rooms::is_enabled;
use crate::tui::widgets::{Theme, draw_list, fit};

/// The menu of a room.
#[derive(Debug, Clone)]
pub(crate) struct Menu {
    view: View,
    /// What it lists, from its opening on: what happens on a device moves no line away from under a finger.
    listed: Vec<&'static Binding>,
    at: usize,
}

impl Form for Menu {
    const OPENED_BY: Action = Action::Menu;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        // A finger scrolls over nothing that cannot be had.
        let listed = menu_of(app.view).filter(|b| !app.has_large_words() || is_enabled(app, b.action));
        let listed: Vec<&Binding> = listed.collect();
        let at = listed.iter().position(|b| is_enabled(app, b.action)).unwrap_or(0);
        Some(Self { view: app.view, listed, at })
    }

    fn layer(&self) -> Layer {
        Layer::Menu(self.view)
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let actions: Vec<Action> = self.listed.iter().map(|b| b.action).collect();
        let chosen = match action {
            Action::Leave => return Flow::Close,
            Action::Accept => actions.get(self.at).copied(),
            other => actions.contains(&other).then_some(other),
        };
        match chosen {
            Some(chosen) if is_enabled(app, chosen) => Flow::Do(chosen),
            Some(_) => Flow::Stay,
            None => {
                move_over(&mut self.at, actions.len(), app, action);
                Flow::Stay
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let lines = u16::try_from(self.listed.len()).unwrap_or(u16::MAX);
        let title = format!(" More on the view {} ", self.view.name());
        let room = framed(&title, (64, lines), (Layer::Menu(self.view), ALL), theme, frame);
        let cells = usize::from(room.width);
        let row = |binding: &&Binding, _| {
            if app.has_large_words() {
                return Line::raw(format!(" {}", fit(binding.name, cells.saturating_sub(1))));
            }
            let enabled = is_enabled(app, binding.action);
            let (style, aside) = if enabled { (theme.plain, "") } else { (theme.dim, "not here and now") };
            let key = binding.keys.first().map_or_else(String::new, |k| k.name());
            Line::from(vec![
                Span::styled(format!(" {} ", fit(&key, 3)), theme.accent),
                Span::styled(fit(binding.name, cells.saturating_sub(22)), style),
                Span::styled(aside, theme.dim),
            ])
        };
        draw_list(&self.listed, self.at, row, theme, frame, room);
    }
}
