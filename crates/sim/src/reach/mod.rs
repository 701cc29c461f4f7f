//! Ways to the device: ports, and programs that hand their words over.

#[cfg(unix)]
mod programs;
mod tcp;

#[cfg(unix)]
pub use programs::{Asked, Ran, SimAndroid};
pub(crate) use tcp::{listen, open_dialog};
