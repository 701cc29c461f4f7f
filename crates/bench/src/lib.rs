//! Sessions with devices: making and keeping a link, reading what is installed, carrying out runs
//! with every result read back, and settling what an interruption left open.
//!
//! The command line calls the parts one after the other ([`AdbDevice`], [`survey`],
//! [`Runner`]); the screen has a [`Bench`], which watches cables and networks, keeps a [`Session`] for
//! each device, and exchanges commands and events with it.

mod adb_device;
mod begin;
mod bench;
mod book;
mod details;
mod device;
mod labels;
mod look;
mod pairing;
mod route;
mod runner;
mod session;
mod settle;
mod survey;
mod trouble;

pub use adb_device::{AdbDevice, LinkStep};
pub use begin::{begin_run, claim};
pub use bench::{Bench, BenchCommand, BenchEvent, CardId};
pub use book::{Book, now};
pub use details::{Details, details};
pub use device::{AskError, Device};
pub use labels::{LabelCost, LabelNews, device_languages, read_labels};
pub use look::{Opening, in_front, open_on_device, read_measures};
pub use pairing::{PairNews, pair_by_code, pair_by_qr};
pub use route::{Route, Sighting, Surroundings};
pub use runner::{Patience, RunError, RunNews, Runner};
pub use session::{CloseStep, Session, SessionCommand, SessionEvent, Workplace};
pub use settle::settle_interrupted;
pub use survey::{SurveyError, SurveyPart, states, survey};
pub use trouble::trouble_of;
