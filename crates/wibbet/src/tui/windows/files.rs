//! Bringing one file from a device, or to it.

use std::path::PathBuf;

use ratatui::Frame;
use ratatui::layout::Rect;
use tui_input::Input;
use wibbet_bench::session::SessionCommand;
use wibbet_types::DevicePath;

use super::form::{ALL, Flow, Form, cells_inside, framed, line_count, say_all};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, wrapped};

/// Where on the device files are looked for at first.
const THERE: &str = "/sdcard/Download/";

/// Both places, which one the cursor is in, and which way it goes.
#[derive(Debug, Clone)]
pub(crate) struct Files {
    here: Input,
    there: Input,
    in_there: bool,
    to_device: bool,
    trouble: Option<String>,
}

impl Form for Files {
    const OPENED_BY: Action = Action::Files;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        app.device()?;
        let here = Input::new(app.apps_folder.join("").display().to_string());
        Some(Self { here, there: Input::new(THERE.to_owned()), in_there: true, to_device: false, trouble: None })
    }

    fn layer(&self) -> Layer {
        Layer::Files
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            Action::NextField => self.in_there = !self.in_there,
            Action::Toggle => self.to_device = !self.to_device,
            Action::Accept => {
                let here = PathBuf::from(self.here.value().trim());
                let there: DevicePath = match self.there.value().trim().parse() {
                    Ok(there) => there,
                    Err(why) => {
                        self.trouble = Some(format!("{why}"));
                        return Flow::Stay;
                    }
                };
                let Some(device) = app.device() else { return Flow::Close };
                let to_device = self.to_device;
                out.push(to_session(device.card, SessionCommand::Bring { here, there, to_device }));
                return Flow::Close;
            }
            _ => return Flow::Close,
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let way = if self.to_device { "to" } else { "from" };
        let title = format!(" Bring a file {way} {} ", device.name());
        let columns = 96;
        let cells = cells_inside(columns, frame);
        let (words, style) = match &self.trouble {
            Some(trouble) => (trouble.as_str(), theme.alert),
            None => (
                "A folder takes it under its own name; on the device a folder has / at its end. Both sides are held \
                 against each other by their SHA-256.",
                theme.dim,
            ),
        };
        let words = wrapped(words, cells, style);
        let room = framed(&title, (columns, 3 + line_count(&words)), (Layer::Files, ALL), theme, frame);
        for (n, (name, input, here)) in
            [("on the device", &self.there, self.in_there), ("on this computer", &self.here, !self.in_there)]
                .into_iter()
                .enumerate()
        {
            let y = room.y + u16::try_from(n).unwrap_or(0);
            if y >= room.bottom() {
                return;
            }
            let line = Rect { y, height: 1, ..room };
            let field = Field { name, name_cells: 16, input, here };
            field.draw(1, theme, frame, line);
        }
        let below = Rect { y: (room.y + 3).min(room.bottom()), height: room.height.saturating_sub(3), ..room };
        say_all(words, theme, frame, below);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(if self.in_there { &mut self.there } else { &mut self.here })
    }

    fn edited(&mut self) {
        self.trouble = None;
    }
}
