//! The languages of labels.

use ratatui::Frame;
use ratatui::text::Line;
use tui_input::Input;
use wibbet_bench::session::SessionCommand;
use wibbet_types::Locale;

use super::form::{ALL, Flow, Form, cells_inside, framed, line_count, say_all};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, wrapped};

/// Languages that are being typed.
#[derive(Debug, Clone)]
pub(crate) struct Languages {
    input: Input,
    trouble: Option<String>,
}

impl Form for Languages {
    const OPENED_BY: Action = Action::Languages;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let wanted = app.device()?.catalog.as_ref().map_or(&[][..], |s| &s.names.wanted);
        let line = wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
        Some(Self { input: Input::new(line), trouble: None })
    }

    fn layer(&self) -> Layer {
        Layer::Languages
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        if action != Action::Accept {
            return Flow::Close;
        }
        let words = self.input.value().split([' ', ',']).filter(|w| !w.is_empty());
        let read: Result<Vec<Locale>, _> = words.map(str::parse).collect();
        match read {
            Ok(languages) => {
                let languages = (!languages.is_empty()).then_some(languages);
                out.extend(app.device().map(|d| to_session(d.card, SessionCommand::Languages(languages))));
                Flow::Close
            }
            Err(error) => {
                self.trouble = Some(error.to_string());
                Flow::Stay
            }
        }
    }

    fn draw(&self, _app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let columns = 84;
        let cells = cells_inside(columns, frame);
        let words = "Languages, most wanted first, such as “de en-GB”. Empty: the device's own.";
        let trouble = self.trouble.as_deref().unwrap_or("");
        let field = Field { name: "", name_cells: 0, input: &self.input, here: true };
        let mut lines = wrapped(words, cells, theme.plain);
        let at = line_count(&lines);
        lines.extend([field.line(theme, cells), Line::raw("")]);
        lines.extend(wrapped(trouble, cells, theme.alert));
        let room = framed(" Language of labels ", (columns, line_count(&lines)), (Layer::Languages, ALL), theme, frame);
        say_all(lines, theme, frame, room);
        field.put_cursor(frame, room, at);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }

    fn edited(&mut self) {
        self.trouble = None;
    }
}
