//! What is around: ways to devices, and where they are looked for.

mod route;
mod surroundings;

pub use route::{Route, is_here};
pub use surroundings::{Sighting, Surroundings};
