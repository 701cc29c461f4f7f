//! Writing the table to a file.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use wibbet_core::catalog::Column;
use wibbet_types::counted;

use super::form::{ALL, Flow, Form, cells_inside, framed, line_count, move_over, say_all};
use crate::export::csv::{self, Form as FileForm};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, draw_list, fit, wrapped};

/// What can be written.
struct Choice {
    words: &'static str,
    form: FileForm,
    /// All packages, or those that are found.
    all: bool,
}

const CHOICES: [Choice; 4] = [
    Choice { words: "what is found, as CSV", form: FileForm::Csv, all: false },
    Choice { words: "what is found, as JSON", form: FileForm::Json, all: false },
    Choice { words: "all packages, as CSV", form: FileForm::Csv, all: true },
    Choice { words: "all packages, as JSON", form: FileForm::Json, all: true },
];

/// The choice that the cursor is on.
#[derive(Debug, Clone, Default)]
pub(crate) struct Export(usize);

fn write(app: &App, choice: &Choice) -> Option<Effect> {
    let device = app.device()?;
    let catalog = device.catalog.as_ref()?;
    let ids: Vec<_> =
        if choice.all { catalog.inventory.packages.keys().cloned().collect() } else { device.found.clone() };
    // A table for machines has every column; what was chosen for the screen comes first.
    let columns: Vec<Column> = app.all_columns().into_iter().map(|(column, _)| column).collect();
    let text = csv::write(catalog, &ids, &columns, device.user(), choice.form);
    let id = device.facts.as_ref().map_or_else(|| "device".to_owned(), |f| f.id.to_string());
    let safe: String =
        id.chars().map(|c| if c.is_ascii_alphanumeric() || "-._".contains(c) { c } else { '-' }).collect();
    let end = if choice.form == FileForm::Csv { ".csv" } else { ".json" };
    Some(Effect::Write(format!("packages-{safe}"), end, text.into_bytes()))
}

impl Form for Export {
    const OPENED_BY: Action = Action::Export;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Export
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            Action::Accept => out.extend(CHOICES.get(self.0).and_then(|choice| write(app, choice))),
            Action::Leave => {}
            _ => {
                move_over(&mut self.0, CHOICES.len(), app, action);
                return Flow::Stay;
            }
        }
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let count = CHOICES.len() as u16;
        let columns = 72;
        let words = "Written into the folder that Wibbet was started in, under a name that is not taken.";
        let mut lines = vec![Line::raw("")];
        lines.extend(wrapped(words, cells_inside(columns, frame), theme.dim));
        let room =
            framed(" Export the table ", (columns, count + line_count(&lines)), (Layer::Export, ALL), theme, frame);
        let all = device.catalog.as_ref().map_or(0, |s| s.inventory.packages.len());
        let row = |choice: &Choice, _| {
            let packages = if choice.all { all } else { device.found.len() };
            Line::raw(format!(" {} {}", fit(choice.words, 24), counted(packages, "package", "packages")))
        };
        let list = Rect { height: count.min(room.height), ..room };
        draw_list(&CHOICES, self.0, row, theme, frame, list);
        let below = Rect { y: list.bottom(), height: room.height - list.height, ..room };
        say_all(lines, theme, frame, below);
    }
}
