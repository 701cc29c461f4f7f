//! One command of the device's shell, typed by hand, with its answer. Both are kept in the logbook.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::session::SessionCommand;

use super::form::{ALL, Flow, Form, framed};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, wrap};

/// What is typed, and how far the answer has been scrolled.
#[derive(Debug, Clone, Default)]
pub(crate) struct Shell {
    input: Input,
    from: usize,
    /// One has been sent and not been answered.
    waits: bool,
}

impl Shell {
    /// An answer has come.
    pub(crate) fn answered(&mut self) {
        (self.waits, self.from) = (false, 0);
    }
}

impl Form for Shell {
    const OPENED_BY: Action = Action::Shell;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        app.device().is_some().then(Self::default)
    }

    fn layer(&self) -> Layer {
        Layer::Shell
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device() else { return Flow::Close };
        match action {
            Action::Accept => {
                let command = self.input.value().trim().to_owned();
                if !command.is_empty() && !self.waits {
                    out.push(to_session(device.card, SessionCommand::Shell(command)));
                    self.waits = true;
                }
            }
            Action::Up => self.from = self.from.saturating_sub(1),
            Action::Down => self.from += 1,
            Action::PageUp => self.from = self.from.saturating_sub(10),
            Action::PageDown => self.from += 10,
            _ => return Flow::Close,
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let high = frame.area().height.saturating_sub(8).min(24);
        let title = format!(" Shell of {} ", device.name());
        let room = framed(&title, (110, high), (Layer::Shell, ALL), theme, frame);
        let cells = usize::from(room.width);
        let field = Field { name: "$ ", name_cells: 2, input: &self.input, here: true };
        frame.render_widget(field.line(theme, cells), Rect { height: 1, ..room });
        field.put_cursor(frame, room, 0);
        let below = Rect { y: room.y + 2, height: room.height.saturating_sub(2), ..room };
        let mut lines: Vec<Line<'_>> = Vec::new();
        match &device.hand {
            _ if self.waits => lines.push(Line::styled("Sent; waiting for the answer.", theme.accent)),
            None => {
                let words =
                    "One command, sent as it is typed once. What it does is not read back, and nothing here undoes it.";
                lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, theme.dim)));
            }
            Some(Err(why)) => {
                lines.extend(wrap(why, cells).into_iter().map(|line| Line::styled(line, theme.alert)));
            }
            Some(Ok(said)) => {
                let code = said.code.map_or_else(String::new, |code| format!(", exit code {code}"));
                lines.push(Line::styled(format!("{}{code}", said.command), theme.accent));
                for line in said.answer.as_str().lines() {
                    lines.extend(wrap(line, cells).into_iter().map(|line| Line::styled(line, theme.plain)));
                }
            }
        }
        let from = self.from.min(lines.len().saturating_sub(1));
        let shown: Vec<Line<'_>> = lines.into_iter().skip(from).take(usize::from(below.height)).collect();
        frame.render_widget(Paragraph::new(shown), below);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }
}
