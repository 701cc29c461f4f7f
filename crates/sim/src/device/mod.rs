//! A device as its owner holds it.

mod cable;
mod handle;
mod options;
mod screen;

pub use cable::SimBus;
pub use handle::SimDevice;
pub use options::Options;
pub use screen::{OwnerAction, OwnersScreen};
