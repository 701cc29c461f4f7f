//! All devices at hand.

mod cards;
mod event;
mod handle;
mod pairing;
mod task;

pub use event::{BenchCommand, BenchEvent, CardId};
pub use handle::Bench;
