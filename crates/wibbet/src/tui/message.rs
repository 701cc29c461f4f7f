//! What happens to the screen, and what it asks for.

use std::path::PathBuf;

use crossterm::event::Event;
use wibbet_bench::fleet::{BenchCommand, BenchEvent, CardId};
use wibbet_bench::session::SessionCommand;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::Life;
use wibbet_core::sheet::{Sheet, SheetWords};
use wibbet_types::{DeviceId, RunId};

use super::app::{LogRead, OrderFile};
use crate::config::PaperName;
use crate::demo::{DemoAct, DemoScreen};
use crate::export::sheet::SheetJob;

pub(crate) fn to_session(card: CardId, command: SessionCommand) -> Effect {
    Effect::Bench(BenchCommand::Session(card, command))
}

/// Something that has happened.
#[derive(Debug)]
pub(crate) enum Message {
    /// A key, the mouse, a paste, a new size.
    Terminal(Event),
    /// The bench tells something.
    Bench(BenchEvent),
    /// In the demo: what the devices themselves show.
    DeviceScreens(Vec<DemoScreen>),
    /// Something could not be done.
    Trouble(String),
    /// Something was done that is worth telling.
    Done(String),
    /// How the program was set up: columns and searches.
    Choices(Option<String>, Option<String>),
    /// The runs of the logbook, or why they could not be read.
    Log(Result<LogRead, String>),
    /// What is in a folder of this computer, of what may be an app.
    Apps(PathBuf, Result<Vec<AppFile>, String>),
    /// The orders at hand, and where they are kept, or why they cannot be read; and which of them has just been made.
    Orders { folder: PathBuf, files: Result<Vec<OrderFile>, String>, made: Option<String> },
    /// What a job sheet is made of, with its words; or why it cannot be read.
    Sheet(Result<Box<(SheetJob, SheetWords)>, String>),
    /// The life of a device; or why it cannot be read.
    Life(Result<Box<(DeviceFacts, Life)>, String>),
    /// Time passes.
    Tick,
}

/// What can be put on paper.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum OnPaper {
    /// A job sheet, and what stands at its foot.
    Sheet(Box<Sheet>, String),
    /// The life of a device.
    Life(Box<(DeviceFacts, Life)>),
}

/// Something to be done outside of the model.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Effect {
    Bench(BenchCommand),
    /// In the demo: somebody does something with a device, by its serial.
    Demo(String, DemoAct),
    ReadLog,
    /// Look what of a folder may be an app.
    ListApps(PathBuf),
    /// Look what orders are at hand.
    ListOrders,
    /// Keep an order, under a name that is not taken.
    KeepOrder(String, String),
    /// Read what the sheet of a run's job is made of.
    ReadSheet(RunId),
    /// Read the life of a device.
    ReadLife(DeviceId),
    /// Draw something on paper, and write it: as PDF or SVG, and the beginning of its name.
    WritePaper {
        of: OnPaper,
        paper: PaperName,
        pdf: bool,
        name: String,
    },
    /// Make a sound, or whatever the terminal makes of that.
    Ring,
    /// Remember how something was chosen: its name, and how.
    Choose(&'static str, String),
    /// Put a text into the clipboard of whoever sits at the terminal.
    Copy(String),
    /// Write a file: the beginning of its name, the end of it, and what is in it.
    Write(String, &'static str, Vec<u8>),
    Quit,
}

/// Something in a folder of this computer that may be an app, or lead to one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct AppFile {
    pub(crate) name: String,
    pub(crate) is_folder: bool,
    pub(crate) bytes: u64,
}
