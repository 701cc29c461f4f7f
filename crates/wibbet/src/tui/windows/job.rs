//! For whom and by whom: technician, ticket, customer and a note for them, of the run that is shown or of what is done to the device now.

use ratatui::Frame;
use ratatui::layout::Rect;
use tui_input::Input;
use wibbet_bench::session::SessionCommand;
use wibbet_core::plan::Job;
use wibbet_types::{PlainText, RunId};

use super::form::{ALL, Flow, Form, cells_inside, framed, line_count, say_all};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, wrapped};

const FIELDS: [&str; 4] = ["technician", "ticket", "customer", "note for the customer"];

/// What is written in each field, and which one the cursor is in.
#[derive(Debug, Clone)]
pub(crate) struct JobForm {
    /// The run that it is of; `None` for what is begun on the device from now on.
    run: Option<RunId>,
    inputs: [Input; 4],
    at: usize,
}

impl Form for JobForm {
    const OPENED_BY: Action = Action::Job;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let run = device.shown_run().filter(|_| app.view == View::Run && !device.running);
        let (run, job) = match run {
            Some(run) => (Some(run.number), &run.job),
            None => (None, &device.job),
        };
        let inputs = job.texts().map(|text| Input::new(text.to_owned()));
        Some(Self { run, inputs, at: 0 })
    }

    fn layer(&self) -> Layer {
        Layer::Job
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            Action::NextField => self.at = (self.at + 1) % FIELDS.len(),
            Action::PreviousField => self.at = (self.at + FIELDS.len() - 1) % FIELDS.len(),
            Action::Accept => {
                let Some(device) = app.device() else { return Flow::Close };
                let text = |n: usize| PlainText::new(self.inputs[n].value().trim()).into_string();
                let job = Job { technician: text(0), ticket: text(1), customer: text(2), note: text(3) };
                out.push(to_session(device.card, SessionCommand::Job(self.run, job)));
                return Flow::Close;
            }
            _ => return Flow::Close,
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let (title, goes) = match self.run {
            Some(run) => (format!(" Job of run {run} "), "Kept with the run."),
            None => (
                format!(" Job on {} ", device.name()),
                "Kept with every run on this device from now on; empty ends that.",
            ),
        };
        let columns = 90;
        let goes = wrapped(goes, cells_inside(columns, frame), theme.dim);
        let room = framed(&title, (columns, 5 + line_count(&goes)), (Layer::Job, ALL), theme, frame);
        for (n, name) in FIELDS.into_iter().enumerate() {
            let y = room.y + u16::try_from(n).unwrap_or(0);
            if y >= room.bottom() {
                continue;
            }
            let line = Rect { y, height: 1, ..room };
            let field = Field {
                name,
                name_cells: 23.min(usize::from(line.width) / 2 + 2),
                input: &self.inputs[n],
                here: n == self.at,
            };
            field.draw((n + FIELDS.len() - self.at) % FIELDS.len(), theme, frame, line);
        }
        let last = Rect { y: (room.y + 5).min(room.bottom()), height: room.height.saturating_sub(5), ..room };
        say_all(goes, theme, frame, last);
    }

    fn field(&mut self) -> Option<&mut Input> {
        self.inputs.get_mut(self.at)
    }
}
