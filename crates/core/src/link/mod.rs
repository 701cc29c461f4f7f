//! How far the link to a device has got, and what to do about what is missing.

mod advice;
mod closing;
mod first_steps;
mod ladder;

pub use advice::Advice;
pub use closing::CloseStep;
pub use first_steps::first_steps;
pub use ladder::{Ladder, LinkTrouble, Rung, RungState, RungStatus};
