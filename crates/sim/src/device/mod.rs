//! A device as its owner holds it.

mod handle;
mod options;
mod screen;

pub use handle::SimDevice;
pub use options::Options;
pub use screen::{OwnersAct, OwnersScreen};
