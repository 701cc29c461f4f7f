//! One device that can be asked.

mod adb;
mod connect;
mod device;
mod files;
mod trouble;

pub use adb::{AdbDevice, LinkStep};
pub use device::{AskError, Device};
pub(crate) use trouble::advised;
pub use trouble::{trouble_of, trouble_of_asking};
