//! The JSON that is promised in `docs/json.md`, a file for each kind of object. Fields are only ever added.

mod change;
mod config;
mod copy;
mod device;
mod error;
mod fault;
mod file;
mod life;
mod link;
mod logbook;
mod order;
mod packages;
mod run;
mod setting;
mod sheet;
mod shelf;
mod state;
mod why;

pub(crate) use change::{Changes, JsonBreak, Looks};
pub(crate) use config::Configured;
pub(crate) use copy::{Copies, JsonCopy};
pub(crate) use device::{Bench, Device};
pub(crate) use error::{print, print_failure};
pub(crate) use fault::FaultSearch;
pub(crate) use file::{Brought, Picture, SwitchedPart};
pub(crate) use life::DeviceLife;
pub(crate) use link::{Closed, Here, JsonLadder, Paired, Restarted};
pub(crate) use logbook::{Checked, ErasedDevice, Exported, MergedLogbook, Tidied, handed_on_as};
pub(crate) use order::{JsonOrder, OrderNames, OrderedDevice, RecordOfOrder};
pub(crate) use packages::Packages;
pub(crate) use run::{Runs, Steps, time};
pub(crate) use setting::DeviceSettings;
pub(crate) use sheet::JobSheet;
pub(crate) use shelf::JsonShelf;
pub(crate) use why::{JsonUpshot, Upshots, Why};
