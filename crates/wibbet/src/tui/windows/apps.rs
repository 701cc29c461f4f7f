//! Installing an app of this computer's: chosen among its files, to be there before anything goes.

use std::path::{Path, PathBuf};

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::session::SessionCommand;
use wibbet_core::package::KeptCopy;
use wibbet_types::{PlainText, bytes_words};

use super::form::{ALL, Flow, Form, framed, line_count, move_over};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{AppFile, Effect, to_session};
use crate::tui::widgets::{Field, Theme, draw_list, truncate, wrapped};

/// A folder or file by its path, and what is in the folder.
#[derive(Debug, Clone)]
pub(crate) struct Apps {
    input: Input,
    /// What the folder of the path holds; `None` while it is being read.
    inside: Option<Result<Vec<AppFile>, String>>,
    /// The folder that it is of.
    folder: PathBuf,
    at: usize,
}

/// The folder that a path is in, and the beginning of a name there.
fn taken_apart(text: &str) -> (PathBuf, &str) {
    let end = text.rfind(std::path::is_separator).map_or(0, |at| at + 1);
    let folder = if end == 0 { "." } else { &text[..end] };
    (PathBuf::from(folder), &text[end..])
}

/// What can be chosen.
#[derive(Debug, Clone)]
enum Row {
    /// A copy of another device of the model, offered to its like.
    Kept(KeptCopy),
    File(AppFile),
}

impl Apps {
    /// What there is to choose from: what is kept and was offered comes first, until somebody types.
    fn rows(&self, app: &App) -> Vec<Row> {
        let (_, begins) = taken_apart(self.input.value());
        let kept = app.device().filter(|_| begins.is_empty()).into_iter().flat_map(|device| device.offered.iter());
        let files = self.matching().into_iter().cloned().map(Row::File);
        kept.cloned().map(Row::Kept).chain(files).collect()
    }

    /// What is in the folder and begins like what is typed.
    fn matching(&self) -> Vec<&AppFile> {
        let (_, begins) = taken_apart(self.input.value());
        let begins = begins.to_lowercase();
        let all = self.inside.iter().flatten().flatten();
        all.filter(|file| file.name.to_lowercase().starts_with(&begins)).collect()
    }

    /// The folder's contents as they were read.
    pub(crate) fn take(&mut self, folder: &Path, inside: Result<Vec<AppFile>, String>) {
        if folder == self.folder {
            self.inside = Some(inside);
            self.at = 0;
        }
    }

    /// The path has changed: another folder is read.
    pub(crate) fn read(&mut self) -> Option<Effect> {
        let (folder, _) = taken_apart(self.input.value());
        self.at = 0;
        if folder == self.folder && self.inside.is_some() {
            return None;
        }
        self.folder.clone_from(&folder);
        self.inside = None;
        Some(Effect::ListApps(folder))
    }

    fn go_into(&mut self, name: &str, out: &mut Vec<Effect>) {
        let path = self.folder.join(name).join("");
        self.input = Input::new(path.display().to_string());
        out.extend(self.read());
    }
}

impl Form for Apps {
    const OPENED_BY: Action = Action::InstallApp;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        let folder = app.apps_folder.join("");
        let mut form =
            Self { input: Input::new(folder.display().to_string()), inside: None, folder: PathBuf::new(), at: 0 };
        out.extend(form.read());
        Some(form)
    }

    fn layer(&self) -> Layer {
        Layer::Apps
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let mut rows = self.rows(app);
        let len = rows.len();
        let under = match (self.at < len).then(|| rows.swap_remove(self.at)) {
            Some(Row::Kept(copy)) if action == Action::Accept => return take_kept_in(app, &copy, out),
            Some(Row::File(file)) => Some(file),
            Some(Row::Kept(_)) | None => None,
        };
        match (action, under) {
            (Action::Accept, Some(file)) if file.is_folder && !self.input.value().ends_with(&file.name) => {
                self.go_into(&file.name, out);
            }
            (Action::Complete, Some(file)) if file.is_folder => self.go_into(&file.name, out),
            (Action::Complete, Some(file)) => {
                self.input = Input::new(self.folder.join(&file.name).display().to_string());
            }
            (Action::Complete, None) => {}
            (Action::Accept, under) => {
                let path = match under {
                    Some(file) => self.folder.join(file.name),
                    None => PathBuf::from(self.input.value()),
                };
                return take_in(app, path, &self.folder, out);
            }
            // All parts of an app that lie in one folder.
            (Action::WholeFolder, _) => return take_in(app, self.folder.clone(), &self.folder, out),
            (Action::Leave, _) => return Flow::Close,
            _ => move_over(&mut self.at, len, app, action),
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let most = frame.area().height.saturating_sub(8).min(18);
        let title = format!(" Install an app on {} ", device.name());
        let room = framed(&title, (100, most), (Layer::Apps, ALL), theme, frame);
        let cells = usize::from(room.width);
        let user = device.user_words(device.user());
        let words = format!("An APK, a folder or a ZIP with its parts. For {user}; it is there before anything goes.");
        let mut lines = wrapped(&words, cells, theme.dim);
        let at = line_count(&lines);
        let field = Field { name: "file ", name_cells: 5, input: &self.input, here: true };
        lines.extend([field.line(theme, cells), Line::raw("")]);
        let above = line_count(&lines);
        frame.render_widget(Paragraph::new(lines), room);
        field.put_cursor(frame, room, at);
        if room.height <= above {
            return;
        }
        let list = Rect { y: room.y + above, height: room.height - above, ..room };
        let say = |words: &str, style, frame: &mut Frame<'_>| {
            frame.render_widget(Paragraph::new(wrapped(words, cells, style)), list);
        };
        let rows = self.rows(app);
        match &self.inside {
            None if rows.is_empty() => say("Reading the folder.", theme.dim, frame),
            Some(Err(why)) if rows.is_empty() => say(&PlainText::new(why).into_string(), theme.alert, frame),
            Some(Ok(_)) if rows.is_empty() => {
                say("No APK, no ZIP and no folder here begins like that.", theme.dim, frame);
            }
            _ => {
                let row = |row: &Row, _| Line::raw(truncate(&row_words(row), cells));
                draw_list(&rows, self.at, row, theme, frame, list);
            }
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }
}

fn row_words(row: &Row) -> String {
    match row {
        Row::Kept(copy) => {
            let (size, version) = (bytes_words(copy.size()), &copy.version);
            format!(" copy {} of {}: {} {version}  {size}", copy.number, copy.device, copy.id)
        }
        Row::File(file) if file.is_folder => format!(" {}/", PlainText::new(&file.name)),
        Row::File(file) => format!(" {}  {}", PlainText::new(&file.name), bytes_words(file.bytes)),
    }
}

/// Has what is kept of another device of the model taken in.
fn take_kept_in(app: &mut App, copy: &KeptCopy, out: &mut Vec<Effect>) -> Flow {
    let Some(device) = app.device() else { return Flow::Close };
    out.push(to_session(device.card, SessionCommand::TakeInKept(device.user(), copy.number)));
    app.tell("Reading the app.");
    Flow::Close
}

/// Has the files read, and looks at the tray that they are going to be in.
fn take_in(app: &mut App, path: PathBuf, folder: &Path, out: &mut Vec<Effect>) -> Flow {
    if path.as_os_str().is_empty() {
        return Flow::Stay;
    }
    app.apps_folder = folder.to_owned();
    let Some(device) = app.device() else { return Flow::Close };
    out.push(to_session(device.card, SessionCommand::TakeIn(device.user(), path)));
    app.tell("Reading the app.");
    Flow::Close
}
