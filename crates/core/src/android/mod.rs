//! Android itself, whatever the device.

mod knowledge;
mod versions;

pub(crate) use knowledge::{EssentialName, named_essential, says_nothing};
pub use knowledge::{partitions, permission_words};
pub use versions::{Capabilities, DaemonFeatures};
pub(crate) use versions::{Program, has_system_settings, runs_apps_in_a_sandbox};
