//! All actions by name.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;

use super::form::{ALL, Flow, Form, framed, move_over};
use crate::tui::app::App;
use crate::tui::keys::{Action, Binding, Layer, by_name, hint};
use crate::tui::message::Effect;
use crate::tui::rooms::is_enabled;
use crate::tui::widgets::{Field, Theme, draw_list, fit, wrapped};

/// A part of a name that is being typed, and the action that the cursor is on.
#[derive(Debug, Clone)]
pub(crate) struct Palette {
    input: Input,
    /// What can be found, from its opening on: what happens on a device moves no line away from under a finger.
    offered: Vec<&'static Binding>,
    at: usize,
}

impl Palette {
    /// The actions whose name holds every word that was typed: name and action.
    fn found(&self) -> Vec<(&'static str, Action)> {
        let named = self.offered.iter().map(|b| (b.name, b.action));
        named.filter(|(name, _)| self.is_meant(name)).collect()
    }

    /// Whether a name holds every word that was typed.
    fn is_meant(&self, name: &str) -> bool {
        let name = name.to_lowercase();
        self.input.value().split_whitespace().all(|word| name.contains(&word.to_lowercase()))
    }
}

impl Form for Palette {
    const OPENED_BY: Action = Action::Palette;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        // A finger scrolls over nothing that cannot be had, and has moving and paging without them.
        let is_offered = |action| {
            let moves = Layer::Everywhere.bindings().any(|b| b.action == action && b.hint.is_empty());
            !app.has_large_words()
                || (is_enabled(app, action) && (!moves || matches!(action, Action::Quit | Action::UndoRun)))
        };
        let mut offered = by_name(app.view);
        offered.retain(|b| is_offered(b.action));
        Some(Self { input: Input::default(), offered, at: 0 })
    }

    fn layer(&self) -> Layer {
        Layer::Palette
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let found = self.found();
        match action {
            Action::Leave => Flow::Close,
            Action::Accept => match found.get(self.at) {
                Some((_, action)) if is_enabled(app, *action) => Flow::Do(*action),
                Some(_) => {
                    app.tell("That does nothing here and now.");
                    Flow::Close
                }
                None => Flow::Close,
            },
            _ => {
                move_over(&mut self.at, found.len(), app, action);
                Flow::Stay
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let lines = frame.area().height.saturating_sub(8).min(22);
        let room = framed(" All actions · type a part of a name ", (76, lines), (Layer::Palette, ALL), theme, frame);
        let cells = usize::from(room.width);
        let field = Field { name: "", name_cells: 0, input: &self.input, here: true };
        frame.render_widget(field.line(theme, cells), Rect { height: 1.min(room.height), ..room });
        let list = Rect { y: room.y + 1.min(room.height), height: room.height.saturating_sub(1), ..room };
        let found = self.found();
        if found.is_empty() {
            let is_known = by_name(app.view).iter().any(|b| self.is_meant(b.name));
            let words =
                if is_known { "Nothing of that name can be done here and now." } else { "No action has such a name." };
            frame.render_widget(Paragraph::new(wrapped(words, cells, theme.dim)), list);
        }
        let row = |(name, action): &(&str, Action), _| {
            let enabled = is_enabled(app, *action);
            let (style, aside) = if enabled { (theme.plain, "") } else { (theme.dim, "not here and now") };
            if app.has_large_words() {
                return Line::styled(format!(" {}", fit(name, cells.saturating_sub(1))), style);
            }
            Line::from(vec![
                Span::styled(format!(" {} ", fit(&hint(app.view, *action), 9)), theme.accent),
                Span::styled(fit(name, cells.saturating_sub(29)), style),
                Span::styled(aside, theme.dim),
            ])
        };
        draw_list(&found, self.at, row, theme, frame, list);
        field.put_cursor(frame, room, 0);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }

    fn edited(&mut self) {
        self.at = 0;
    }
}
