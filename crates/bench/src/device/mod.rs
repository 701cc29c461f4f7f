//! One device that can be asked.

mod adb;
mod claims;
mod connect;
mod device;
mod files;
mod trouble;

pub use adb::{AdbDevice, Claimed, LinkStep};
pub(crate) use claims::DeviceClaims;
pub(crate) use connect::not_proven;
pub use device::{AskError, Device};
pub(crate) use trouble::advised;
pub use trouble::{trouble_of, trouble_of_asking};
