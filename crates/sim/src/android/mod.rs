//! The system inside: its state, and what its programs print. No bytes on a wire.

mod account;
mod acts;
mod bindings;
mod breaking;
mod choosing;
mod clock;
mod disk;
mod dump_package;
mod dump_system;
mod failing;
mod files;
mod foreground;
mod install;
mod installed;
mod metrics;
mod output;
mod package_service;
mod picture;
mod properties;
mod queries;
mod selections;
mod sessions;
mod settings;
mod shell;
mod short_dumps;
mod state;
mod tools;
mod words;
mod work;

pub(crate) use files::{Contents, FOLDER, File, REGULAR};
pub(crate) use output::Output;
pub(crate) use package_service::Via;
pub(crate) use shell::Effect;
pub use state::PairingDialog;
pub(crate) use state::State;
