//! Android itself, whatever the device.

mod essential;
mod knowledge;
mod need;
mod versions;

pub use essential::Essential;
pub(crate) use knowledge::{
    framework_texts, named_essential, named_texts, needs, says_nothing, settings_page, uid_named,
};
pub use knowledge::{partitions, permission_words, role_words};
pub(crate) use need::{AndroidNeed, NamedText, NeedKind, NeedPart};
pub use versions::{Capabilities, DaemonFeatures, RootWay};
pub(crate) use versions::{Program, has_system_settings};
