//! Android itself, whatever the device.

mod knowledge;
mod versions;

pub use knowledge::permission_words;
pub(crate) use versions::Program;
pub use versions::{Capabilities, DaemonFeatures};
