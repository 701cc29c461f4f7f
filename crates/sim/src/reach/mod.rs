//! Ways to the device: ports, and programs that hand their words over.

mod listener;
#[cfg(unix)]
mod programs;
mod serve;

#[cfg(unix)]
pub use programs::{Asked, Ran, SimAndroid};
pub(crate) use serve::{listen, open_dialog};
