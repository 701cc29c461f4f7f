//! What a device is and holds, as data.

mod built_in;
mod format;
mod grown;

pub use format::{BadScenario, Flaw, ReachedBy, Scenario, SimUser, TakenApart};
pub(crate) use format::{SimKind, SimPackage};
