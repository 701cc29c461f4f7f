//! State of the screen, nothing else.

#[allow(clippy::module_inception, reason = "the state of the whole, beside its parts")]
mod app;
mod catching;
mod device;
mod finding;
mod log;
mod looking_back;
mod orders;
mod planning;
mod run_pane;

pub(crate) use app::{App, Notice};
pub(crate) use device::DeviceModel;
pub(crate) use log::LogRead;
pub(crate) use orders::{Cell, Mark, Marked, OnDevice, OrderFile, OrderWork, Row, Stage, StopsOn, marked};
pub(crate) use run_pane::{CatchPane, FinderPane, Review, RunPane};
