//! Does what an update asked for, beside everything else; what comes of it is a message.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use tokio::sync::mpsc::UnboundedSender;
use wibbet_bench::fleet::Bench;
use wibbet_bench::logbook::SharedLogbook;
use wibbet_core::order::read_order;

use super::app::{App, LogRead, OrderFile};
use super::message::{AppFile, Effect, Message, OnPaper};
use crate::config::Config;
use crate::demo::Demo;
use crate::export::life::{drawn, life_of};
use crate::export::sheet::SheetJob;

/// What effects work with.
pub(super) struct Effects {
    pub(super) bench: Bench,
    pub(super) logbook: SharedLogbook,
    pub(super) config: Config,
    pub(super) demo: Option<Arc<Demo>>,
    /// Messages for the screen; it is ending when nobody receives them any more.
    pub(super) messages: UnboundedSender<Message>,
}

impl Effects {
    /// Does one; true to end.
    pub(super) fn apply(&self, effect: Effect) -> bool {
        let messages = self.messages.clone();
        match effect {
            Effect::Quit => return true,
            Effect::Bench(command) => self.bench.send(command),
            Effect::Demo(serial, act) => {
                if let Some(demo) = self.demo.clone() {
                    tokio::spawn(async move {
                        if let Err(why) = demo.act(&serial, act).await {
                            let _ = messages.send(Message::Trouble(why));
                        }
                    });
                }
            }
            Effect::Choose(name, value) => {
                let logbook = self.logbook.clone();
                tokio::spawn(async move {
                    if let Err(error) = logbook.with(move |book| book.choose(name, &value)).await {
                        let _ = messages.send(Message::Trouble(error.to_string()));
                    }
                });
            }
            Effect::Copy(text) => copy(&text),
            Effect::Write(name, end, bytes) => {
                tokio::task::spawn_blocking(move || {
                    let message = match write_new(&name, end, &bytes) {
                        Ok(path) => Message::Done(format!("Written to {}.", path.display())),
                        Err(why) => Message::Trouble(format!("{name}{end} could not be written: {why}")),
                    };
                    let _ = messages.send(message);
                });
            }
            Effect::ListApps(folder) => {
                tokio::task::spawn_blocking(move || {
                    let files = list_apps(&folder).map_err(|why| format!("{} cannot be read: {why}", folder.display()));
                    let _ = messages.send(Message::Apps(folder, files));
                });
            }
            Effect::Ring => ring(),
            Effect::ListOrders => {
                let folder = self.logbook.folder().join(ORDERS);
                tokio::task::spawn_blocking(move || drop(messages.send(orders_of(folder, None))));
            }
            Effect::KeepOrder(name, text) => {
                let folder = self.logbook.folder().join(ORDERS);
                tokio::task::spawn_blocking(move || {
                    let base = folder.join(&name).to_string_lossy().into_owned();
                    let written =
                        wibbet_types::private_folder(&folder).and_then(|()| write_new(&base, ".toml", text.as_bytes()));
                    let made = written.as_ref().ok().and_then(|path| path.file_name());
                    // The list comes first: when it is told, it is there.
                    let _ = messages.send(orders_of(folder, made.map(|name| name.to_string_lossy().into_owned())));
                    let _ = messages.send(match &written {
                        Ok(path) => Message::Done(format!("The order stands in {}.", path.display())),
                        Err(why) => Message::Trouble(format!("The order could not be written to {base}.toml: {why}")),
                    });
                });
            }
            Effect::ReadSheet(run) => {
                let (logbook, config) = (self.logbook.clone(), self.config.clone());
                tokio::spawn(async move {
                    let read = match config.sheet_words(None) {
                        Ok(words) => match logbook.with(move |book| SheetJob::of_run(book, run)).await {
                            Ok(Some(job)) => Ok(Box::new((job, words))),
                            Ok(None) => Err(format!("the logbook does not know run {run} any more")),
                            Err(error) => Err(error.to_string()),
                        },
                        Err(failure) => Err(failure.message),
                    };
                    let _ = messages.send(Message::Sheet(read));
                });
            }
            Effect::ReadLife(device) => {
                let logbook = self.logbook.clone();
                tokio::spawn(async move {
                    let read = match logbook.with(move |book| life_of(book, &device)).await {
                        Ok(Some(read)) => Ok(Box::new(read)),
                        Ok(None) => Err("the logbook does not know the device any more".to_owned()),
                        Err(error) => Err(error.to_string()),
                    };
                    let _ = messages.send(Message::Life(read));
                });
            }
            Effect::WritePaper { of, paper, pdf, name } => {
                tokio::task::spawn_blocking(move || {
                    let drawing = match of {
                        OnPaper::Sheet(sheet, foot) => wibbet_report::job_sheet(&sheet, paper.paper(), &foot),
                        OnPaper::Life(read) => drawn(&read.0, &read.1, paper.paper()),
                    };
                    let end = if pdf { ".pdf" } else { ".svg" };
                    let bytes = if pdf { drawing.pdf() } else { drawing.svg().map(String::into_bytes) };
                    let written = bytes
                        .map_err(|why| why.to_string())
                        .and_then(|bytes| write_new(&name, end, &bytes).map_err(|why| why.to_string()));
                    let _ = messages.send(match written {
                        Ok(path) => Message::Done(format!("Written to {}.", path.display())),
                        Err(why) => Message::Trouble(format!("{name}{end} could not be written: {why}")),
                    });
                });
            }
            Effect::ReadLog => {
                let logbook = self.logbook.clone();
                tokio::spawn(async move {
                    let read = logbook.with(|book| {
                        let names =
                            book.devices()?.into_iter().map(|known| (known.facts.id.clone(), known.facts.name()));
                        Ok(LogRead { runs: book.runs(None)?, names: names.collect() })
                    });
                    let _ = messages.send(Message::Log(read.await.map_err(|error| error.to_string())));
                });
            }
        }
        false
    }

    /// Reads how the table was set up the last time.
    pub(super) fn read_choices(&self) {
        let (logbook, messages) = (self.logbook.clone(), self.messages.clone());
        tokio::spawn(async move {
            let read = logbook.with(|book| Ok((book.choice(App::COLUMNS)?, book.choice(App::SEARCHES)?))).await;
            if let Ok((columns, searches)) = read {
                let _ = messages.send(Message::Choices(columns, searches));
            }
        });
    }
}

/// The folder of the orders, beside the logbook.
const ORDERS: &str = "orders";

/// The orders of a folder as a message.
fn orders_of(folder: PathBuf, made: Option<String>) -> Message {
    let files = list_orders(&folder).map_err(|why| format!("{} cannot be read: {why}", folder.display()));
    Message::Orders { folder, files, made }
}

/// The orders of a folder, by name; none where there is no such folder.
fn list_orders(folder: &Path) -> std::io::Result<Vec<OrderFile>> {
    let entries = match std::fs::read_dir(folder) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        other => other?,
    };
    let mut found = Vec::new();
    for entry in entries.take(MOST_FILES) {
        let path = entry?.path();
        let end = path.extension().and_then(|end| end.to_str()).unwrap_or("").to_lowercase();
        let Some(name) = path.file_name().and_then(|name| name.to_str()).map(str::to_owned) else { continue };
        if !["toml", "json"].contains(&end.as_str()) || !path.is_file() {
            continue;
        }
        let read = wibbet_types::read_text(&path, wibbet_core::order::LONGEST as u64).map_err(|why| why.to_string());
        let order = read.and_then(|text| read_order(&text).map(Arc::new).map_err(|why| why.to_string()));
        found.push(OrderFile { name, order });
    }
    found.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(found)
}

/// Rings the terminal's bell.
fn ring() {
    use std::io::Write as _;
    let mut out = std::io::stdout();
    let _ = out.write_all(b"\x07").and_then(|()| out.flush());
}

/// So many files of a folder are offered.
const MOST_FILES: usize = 2000;

/// Folders, and files that may be an app; folders first, by name.
fn list_apps(folder: &Path) -> std::io::Result<Vec<AppFile>> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let entry = entry?;
        let Ok(name) = entry.file_name().into_string() else { continue };
        let Ok(about) = std::fs::metadata(entry.path()) else { continue };
        let end = Path::new(&name).extension().and_then(|end| end.to_str()).unwrap_or("").to_lowercase();
        let may_be = about.is_dir() || (about.is_file() && ["apk", "zip"].contains(&end.as_str()));
        if may_be && !name.starts_with('.') {
            found.push(AppFile { name, is_folder: about.is_dir(), bytes: about.len() });
        }
        if found.len() == MOST_FILES {
            break;
        }
    }
    found.sort_by(|a, b| b.is_folder.cmp(&a.is_folder).then_with(|| a.name.cmp(&b.name)));
    Ok(found)
}

/// Gives a text to the terminal for its clipboard: OSC 52 of xterm.
fn copy(text: &str) {
    use base64::Engine as _;
    use std::io::Write as _;
    let coded = base64::engine::general_purpose::STANDARD.encode(text);
    let mut out = std::io::stdout();
    let _ = write!(out, "\x1b]52;c;{coded}\x07").and_then(|()| out.flush());
}

/// Writes a file into the folder that the program was started in, under a name that is not taken.
fn write_new(name: &str, end: &str, bytes: &[u8]) -> std::io::Result<PathBuf> {
    use std::io::Write as _;
    for n in 1..1000 {
        let path = PathBuf::from(if n == 1 { format!("{name}{end}") } else { format!("{name}-{n}{end}") });
        match std::fs::OpenOptions::new().write(true).create_new(true).open(&path) {
            Ok(mut file) => {
                if let Err(error) = file.write_all(bytes).and_then(|()| file.sync_all()) {
                    // Half a file is none.
                    let _ = std::fs::remove_file(&path);
                    return Err(error);
                }
                return std::path::absolute(path);
            }
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(error),
        }
    }
    Err(std::io::Error::other("a thousand files of that name are there already"))
}
