//! What is sent to a device, as a value.

mod delivery;
mod named_setting;
mod opening;
mod part;
mod request;
mod restart;
mod setting;

pub use delivery::Delivery;
pub use named_setting::{BadSetting, NamedSetting, SettingsTable};
pub use opening::{Opening, developer_options_request};
pub use part::{PartName, PartSwitch};
pub use request::{Call, Output, Request, says_not_ready};
pub use restart::{RestartTo, hard_restart_request, knows_no_restart, restart_request};
pub use setting::DeviceSetting;
