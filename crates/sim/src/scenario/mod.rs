//! What a device is and holds, as data.

mod breaks;
mod built_in;
mod format;
pub(crate) mod framework;
mod grown;
mod lock;
pub(crate) mod manifests;

pub use breaks::{BreakKind, BreakMoment, BreakRule};
pub use format::{BadScenario, Flaw, ReachedBy, Scenario, SimUser, TakenApart};
pub(crate) use format::{SimKind, SimPackage};
pub use lock::ScreenLock;
pub(crate) use manifests::Element;
