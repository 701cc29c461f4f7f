//! Ways to the device: ports, a bus in memory, programs that hand their words over.

mod cable;
#[cfg(unix)]
mod programs;
mod tcp;

pub use cable::SimBus;
#[cfg(unix)]
pub use programs::{Asked, Ran, SimAndroid};
pub(crate) use tcp::{listen, open_dialog};
