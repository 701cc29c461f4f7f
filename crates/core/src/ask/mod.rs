//! What is sent to a device, as a value.

mod delivery;
mod request;
mod setting;

pub use delivery::Carriage;
pub use request::{Answer, Call, Request, says_not_ready};
pub use setting::Care;
