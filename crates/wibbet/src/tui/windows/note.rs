//! Writing a note on a package.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use tui_input::Input;
use wibbet_bench::session::SessionCommand;
use wibbet_core::package::{Note, Scope};
use wibbet_types::PackageId;

use super::form::{ALL, Flow, Form, framed};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme};

/// A note for each scope.
#[derive(Debug, Clone)]
pub(crate) struct NoteForm {
    id: PackageId,
    scope: Scope,
    /// What is written in each scope.
    inputs: [Input; 3],
    stars: [bool; 3],
}

fn notes_on(device: &DeviceModel, id: &PackageId) -> Vec<Note> {
    device.catalog.as_ref().and_then(|s| s.notes.get(id)).cloned().unwrap_or_default()
}

impl Form for NoteForm {
    const OPENED_BY: Action = Action::Note;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let id = device.under_cursor()?.clone();
        let all = notes_on(device, &id);
        let of = |scope: Scope| all.iter().find(|n| n.scope == scope);
        let inputs = Scope::ALL.map(|s| Input::new(of(s).map_or_else(String::new, |n| n.text.clone())));
        let stars = Scope::ALL.map(|s| of(s).is_some_and(|n| n.star));
        let written = Scope::ALL.into_iter().find(|s| of(*s).is_some_and(|n| !n.text.is_empty()));
        Some(Self { id, scope: written.unwrap_or(Scope::Device), inputs, stars })
    }

    fn layer(&self) -> Layer {
        Layer::Note
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let n = self.scope as usize;
        match action {
            Action::NextField => self.scope = Scope::ALL[(n + 1) % 3],
            Action::PreviousField => self.scope = Scope::ALL[(n + 2) % 3],
            Action::Toggle => self.stars[n] = !self.stars[n],
            Action::Accept => {
                let Some(device) = app.device() else { return Flow::Close };
                let known = notes_on(device, &self.id);
                for scope in Scope::ALL {
                    let n = scope as usize;
                    let text = self.inputs[n].value().trim().to_owned();
                    let note = Note { id: self.id.clone(), scope, text, star: self.stars[n] };
                    let nothing = note.text.is_empty() && !note.star;
                    let before = known.iter().find(|k| k.scope == scope);
                    // Only what has changed is written.
                    if before.map_or(!nothing, |before| *before != note) {
                        out.push(to_session(device.card, SessionCommand::Note(note)));
                    }
                }
                return Flow::Close;
            }
            _ => return Flow::Close,
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let title = format!(" Note on {} ", device.name_of(&self.id));
        let room = framed(&title, (96, 5), (Layer::Note, ALL), theme, frame);
        for scope in Scope::ALL {
            let n = scope as usize;
            let name = match scope {
                Scope::Device if room.width >= 60 => format!("this device ({})", device.name()),
                other => other.word().to_owned(),
            };
            let line = Rect { y: room.y + scope as u16, height: 1, width: room.width.saturating_sub(2), ..room };
            let field = Field {
                name: &name,
                name_cells: 30.min(usize::from(line.width) / 3),
                input: &self.inputs[n],
                here: scope == self.scope,
            };
            if line.y >= room.bottom() {
                continue;
            }
            field.draw((n + 3 - self.scope as usize) % 3, theme, frame, line);
            let star = if self.stars[n] { " ★" } else { "  " };
            frame.render_widget(Span::styled(star, theme.accent), Rect { x: line.right(), width: 2, ..line });
        }
        let last = Rect { y: (room.y + 4).min(room.bottom()), height: room.height.saturating_sub(4).min(1), ..room };
        frame.render_widget(Line::styled("A note that is left empty is taken out.", theme.dim), last);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.inputs[self.scope as usize])
    }
}
