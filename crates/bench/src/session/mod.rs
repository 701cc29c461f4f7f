//! One device as the screen sees it.

mod actor;
mod apps;
mod background;
mod catching;
mod command;
mod event;
mod finding;
mod hand;
mod handle;
mod link;
mod looking_back;
mod notes;
mod ordering;
mod reading;
mod runs;
mod settings;
mod survey;

pub use command::{Closing, SessionCommand};
pub use event::{Evidence, OrderOver, SessionEvent};
pub use handle::Session;
