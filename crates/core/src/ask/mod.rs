//! What is sent to a device, as a value.

mod delivery;
mod opening;
mod request;
mod setting;

pub use delivery::Delivery;
pub use opening::{Opening, developer_options_request};
pub use request::{Call, Output, Request, says_not_ready};
pub use setting::DeviceSetting;
