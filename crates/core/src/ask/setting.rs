//! Settings of the device itself that are changed when a link is kept up or closed.

use super::request::{Call, Output, Request};
use crate::android::Capabilities;

/// A change to the device itself rather than to its packages, made when a link is kept up or closed. Each is a setting of
/// the table `global` of Android's settings service.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DeviceSetting {
    /// Whether the screen stays on while the device is charging: a sum of 1 (mains), 2 (USB), 4 (wireless) and 8 (dock).
    StayAwake(u32),
    /// USB debugging off. A link by cable goes with it.
    UsbDebuggingOff,
    /// Wireless debugging off. A link by air goes with it.
    WirelessDebuggingOff,
    /// Wireless debugging on, told over another link. On a network that it does not know the device asks on its screen first.
    WirelessDebuggingOn,
}

impl DeviceSetting {
    /// While it is charging, however that is: docks count for themselves from Android 13 on. Source: `BatteryManager`.
    pub fn awake_always(capabilities: &Capabilities) -> u32 {
        if capabilities.charges_in_docks() { 15 } else { 7 }
    }

    /// What it does, for people.
    pub fn label(self) -> &'static str {
        match self {
            Self::StayAwake(_) => "screen on while it is charging",
            Self::UsbDebuggingOff => "USB debugging off",
            Self::WirelessDebuggingOff => "wireless debugging off",
            Self::WirelessDebuggingOn => "wireless debugging on",
        }
    }

    fn name(self) -> &'static str {
        match self {
            Self::StayAwake(_) => "stay_on_while_plugged_in",
            Self::UsbDebuggingOff => "adb_enabled",
            Self::WirelessDebuggingOff | Self::WirelessDebuggingOn => "adb_wifi_enabled",
        }
    }

    fn value(self) -> u32 {
        match self {
            Self::StayAwake(when) => when,
            Self::UsbDebuggingOff | Self::WirelessDebuggingOff => 0,
            Self::WirelessDebuggingOn => 1,
        }
    }

    /// What is asked.
    pub fn request(self) -> Request {
        let command = format!("settings put global {} {}", self.name(), self.value());
        Request { call: Call::Shell(command), changes: true, root: false }
    }

    /// What is asked to read it back. Where the link goes with the change, that shows it.
    pub fn read_back(self) -> Request {
        Request::shell(format!("settings get global {}", self.name()))
    }

    /// Whether what was read back is what it was set to; `null` is read where it was never set, and stands for 0.
    pub fn is_set(self, answer: &Output) -> bool {
        match answer.out.trim() {
            "null" => self.value() == 0,
            text => text.parse() == Ok(self.value()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_read_back_where_it_was_set() {
        for (setting, sent, read, values) in [
            (
                DeviceSetting::StayAwake(7),
                "settings put global stay_on_while_plugged_in 7",
                "settings get global stay_on_while_plugged_in",
                [("7\n", true), ("0\n", false), ("null\n", false)],
            ),
            (
                DeviceSetting::UsbDebuggingOff,
                "settings put global adb_enabled 0",
                "settings get global adb_enabled",
                [("0", true), ("1", false), ("Error: x", false)],
            ),
            (
                DeviceSetting::WirelessDebuggingOff,
                "settings put global adb_wifi_enabled 0",
                "settings get global adb_wifi_enabled",
                [("null\r\n", true), ("1", false), ("", false)],
            ),
            (
                DeviceSetting::WirelessDebuggingOn,
                "settings put global adb_wifi_enabled 1",
                "settings get global adb_wifi_enabled",
                [("1\n", true), ("0", false), ("null", false)],
            ),
        ] {
            assert_eq!((setting.request().command().as_str(), setting.read_back().command().as_str()), (sent, read));
            assert!(setting.request().changes && !setting.read_back().changes);
            for (out, set) in values {
                assert_eq!(setting.is_set(&Output { out: out.into(), ..Output::default() }), set, "{setting:?} {out}");
            }
        }
    }
}
