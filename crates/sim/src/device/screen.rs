//! The device's own screen: what it shows, and what its owner can do there.

/// What the owner can do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum OwnerAction {
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
    /// Remove a user of this number, with all that is theirs. The owner cannot be removed.
    RemoveUser(u32),
    /// Restart the device.
    Restart,
    /// Choose “Try again” in its recovery.
    TryAgain,
    /// Install the update of the system that is to be had: the device restarts into it.
    UpdateSystem,
    /// Have the store update apps.
    UpdateApps,
    /// Reset it to how it came out of its box. Debugging is off then.
    FactoryReset,
}

impl OwnerAction {
    /// In words.
    pub fn words(&self) -> String {
        let words = match self {
            Self::Touch(id) => return format!("open “{}”", crate::catalogue::labels::label(id, "")),
            Self::RemoveUser(user) => return format!("remove user {user}"),
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
            Self::TryAgain => "choose “Try again”",
            Self::UpdateSystem => "install the system update",
            Self::UpdateApps => "have the store update apps",
            Self::FactoryReset => "reset it to factory settings",
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
    pub acts: Vec<OwnerAction>,
}
