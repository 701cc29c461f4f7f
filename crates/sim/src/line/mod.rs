//! How bytes travel, and how that goes wrong.

mod cutter;
mod fault;
mod network;
mod traffic;

pub(crate) use cutter::{Cutter, Passage};
pub use fault::{BadFault, CutAt, Direction, Fault, Line, Window, Work};
pub(crate) use network::MemoryListener;
pub use network::SimNetwork;
pub(crate) use traffic::Traffic;
