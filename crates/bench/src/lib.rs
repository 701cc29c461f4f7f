//! Sessions with devices: making and keeping a link, reading what is installed, carrying out runs
//! with every result read back, and settling what an interruption left open.
//!
//! The command line calls the parts one after the other ([`AdbDevice`], [`survey`],
//! [`Runner`]); the screen starts a [`Session`] for each device and exchanges commands and events
//! with it.

mod adb_device;
mod begin;
mod book;
mod device;
mod runner;
mod session;
mod settle;
mod survey;
mod trouble;

pub use adb_device::{AdbDevice, LinkStep};
pub use begin::{begin_run, claim};
pub use book::{Book, now};
pub use device::{AskError, Device};
pub use runner::{Patience, RunError, RunNews, Runner};
pub use session::{Session, SessionCommand, SessionEvent, Workplace};
pub use settle::settle_interrupted;
pub use survey::{SurveyError, SurveyPart, states, survey};
pub use trouble::{fallen, trouble_of};
