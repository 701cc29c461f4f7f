//! Android itself, whatever the device.

mod essential;
mod knowledge;
mod need;
mod versions;

pub use essential::Essential;
pub(crate) use knowledge::{named_essential, needs, says_nothing, uid_named};
pub use knowledge::{partitions, permission_words, role_words};
pub(crate) use need::{AndroidNeed, NeedKind, NeedPart};
pub use versions::{Capabilities, DaemonFeatures};
pub(crate) use versions::{Program, has_system_settings};
