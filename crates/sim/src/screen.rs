//! The device's own screen: what it shows, and what its owner can do there.

use crate::device::SimDevice;
use crate::scenario::ReachedBy;

/// What the owner can do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum OwnersAct {
    /// Tap "Allow" in the dialog.
    Allow,
    /// Tap "Deny" in the dialog.
    Deny,
    /// Open the dialog that shows a pairing code.
    ShowCode,
    /// Close that dialog.
    CloseDialog,
    /// Scan a QR code; its text.
    Scan(String),
    /// Switch the maker's second switch.
    SecondSwitch(bool),
    /// Switch USB debugging.
    UsbDebugging(bool),
    /// Switch wireless debugging. Switched on again it has another port.
    WirelessDebugging(bool),
    /// Open an app.
    Touch(String),
    /// Restart the device.
    Restart,
}

impl OwnersAct {
    /// In words.
    pub fn words(&self) -> String {
        let words = match self {
            Self::Touch(id) => return format!("open “{}”", crate::apk::label(id, "")),
            Self::Allow => "tap “Allow”",
            Self::Deny => "tap “Deny”",
            Self::ShowCode => "“Pair device with pairing code”",
            Self::CloseDialog => "close the dialog",
            Self::Scan(_) => "“Pair device with QR code”: scan",
            Self::SecondSwitch(true) => "switch the second switch on",
            Self::SecondSwitch(false) => "switch the second switch off",
            Self::UsbDebugging(true) => "switch USB debugging on",
            Self::UsbDebugging(false) => "switch USB debugging off",
            Self::WirelessDebugging(true) => "switch wireless debugging on",
            Self::WirelessDebugging(false) => "switch wireless debugging off",
            Self::Restart => "restart the device",
        };
        words.to_owned()
    }
}

/// A device's screen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnersScreen {
    /// Maker and model.
    pub name: String,
    /// What it shows, line by line.
    pub lines: Vec<String>,
    /// What can be done on it now.
    pub acts: Vec<OwnersAct>,
}

impl SimDevice {
    /// What the device's own screen shows now. `qr` is the text of the code that the computer's screen shows, if it
    /// shows one.
    pub fn screen(&self, qr: Option<&str>) -> OwnersScreen {
        let (lines, acts) = {
            let shared = self.shared();
            let state = shared.state();
            let switch = |on: bool| if on { "on" } else { "off" };
            let mut lines = vec![format!("USB debugging: {}", switch(state.switches.usb_debugging))];
            let mut acts = Vec::new();
            if state.down {
                return OwnersScreen { name: self.model(), lines: vec!["It is restarting.".into()], acts };
            }
            if let Some(fingerprint) = &state.asks {
                lines.push("Allow USB debugging? The computer's key:".into());
                lines.push(fingerprint.clone());
                acts.extend([OwnersAct::Allow, OwnersAct::Deny]);
            }
            if state.scenario.second_switch {
                lines.push(format!("Second switch, for changes: {}", switch(!state.scenario.second_switch_off)));
                acts.push(OwnersAct::SecondSwitch(state.scenario.second_switch_off));
            }
            if state.scenario.reached_by == ReachedBy::Air {
                lines.push(format!("Wireless debugging: {}", switch(state.switches.wireless)));
                if state.switches.wireless {
                    lines.push(format!("IP address and port: {}", self.address()));
                    match &state.pairing {
                        Some(dialog) if !dialog.scanned => {
                            lines.push(format!("Wi-Fi pairing code: {}", dialog.code));
                            lines.push(format!("IP address and port: {}", dialog.address));
                            acts.push(OwnersAct::CloseDialog);
                        }
                        Some(_) => lines.push("Pairing…".into()),
                        None => {
                            acts.push(OwnersAct::ShowCode);
                            if let Some(text) = qr {
                                acts.push(OwnersAct::Scan(text.to_owned()));
                            }
                        }
                    }
                }
                lines.push(format!("Computers it knows: {}", state.trusted.len()));
                acts.push(OwnersAct::WirelessDebugging(!state.switches.wireless));
            } else {
                acts.push(OwnersAct::UsbDebugging(!state.switches.usb_debugging));
            }
            lines.push(format!("On the screen: {}", crate::apk::label(&state.front.0, "")));
            acts.extend(state.touchable().into_iter().map(OwnersAct::Touch));
            acts.push(OwnersAct::Restart);
            (lines, acts)
        };
        OwnersScreen { name: self.model(), lines, acts }
    }
}
