//! Carrying out runs.

mod begin;
mod control;
mod entry;
mod error;
mod heard;
mod runner;
mod secure;
mod settings;
mod settle;
mod step;
mod try_changes;
mod unasked;

pub use begin::begin_run;
pub use control::Control;
pub(crate) use control::stopped;
pub(crate) use entry::carry_on;
pub use entry::{RunEnded, RunStart, run_plan};
pub use error::{RunError, RunNews};
pub use runner::Runner;
pub use settings::{
    SettingBack, SettingFate, SettingHeld, hold_settings, put_settings_back, set_settings, settings_of,
};
pub use settle::settle_interrupted;
pub use try_changes::try_changes;
