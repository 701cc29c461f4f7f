//! Settings of the device itself that are changed when a link is kept up or closed.

use super::request::{Call, Request};

/// A change to the device itself rather than to its packages, made when a link is kept up or closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DeviceSetting {
    /// Whether the screen stays on while the device is charging, as `stay_on_while_plugged_in` has it.
    StayAwake(u32),
    /// USB debugging off. The link goes with it.
    UsbDebuggingOff,
    /// Wireless debugging off. The link goes with it.
    WirelessDebuggingOff,
}

impl DeviceSetting {
    /// On mains, on USB and on a wireless charger.
    pub const AWAKE_ALWAYS: u32 = 7;

    /// What is asked.
    pub fn request(self) -> Request {
        let command = match self {
            Self::StayAwake(when) => format!("settings put global stay_on_while_plugged_in {when}"),
            Self::UsbDebuggingOff => "settings put global adb_enabled 0".to_owned(),
            Self::WirelessDebuggingOff => "settings put global adb_wifi_enabled 0".to_owned(),
        };
        Request { call: Call::Shell(command), changes: true }
    }

    /// The words that go to the device.
    pub fn words(self) -> String {
        match self.request().call {
            Call::Shell(command) => command,
            Call::Package(words) => words.join(" "),
        }
    }

    /// What is asked to read it back; `None` where the link's going is what shows it.
    pub fn read_back(self) -> Option<Request> {
        matches!(self, Self::StayAwake(_)).then(|| Request::shell("settings get global stay_on_while_plugged_in"))
    }
}
