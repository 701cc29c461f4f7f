//! Ways to the device: ports, and programs that hand their words over.

#[cfg(unix)]
mod listener;
mod programs;
mod serve;

#[cfg(unix)]
pub use programs::{Asked, Ran, SimAndroid};
pub(crate) use serve::{listen, open_dialog};
