//! What to do on a device about a rung that is missing.

use crate::android::{Capabilities, DaemonFeatures, has_system_settings};
use crate::device::DeviceKind;

/// What is to be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Advice {
    /// Plug it in again: the cable was pulled.
    CheckCable,
    /// Look at the network: the link was there and went.
    CheckNetwork,
    /// Nothing answers at the address: switch network debugging on, check the address.
    CheckAddress,
    /// Something else answers at the address.
    CheckPort,
    /// The device is on the cable and offers no debugging.
    SwitchOnDebugging,
    /// This user may not open the device.
    Permission,
    /// Another program holds it.
    EndTheOther,
    /// The device asks its owner; wait for the tap.
    Allow,
    /// The dialog was not answered with yes.
    AllowAfterAll,
    /// Pair first.
    Pair,
    /// Another device has taken over the address.
    WrongDevice,
    /// The device is in recovery or the like.
    StartAndroid,
    /// The device on the cable is in its bootloader.
    LeaveBootloader,
    /// It was told to restart.
    Restarting,
    /// Android is still starting.
    WaitForStart,
    /// The daemon or a service behaves oddly.
    Restart,
    /// The maker's second switch.
    SecondSwitch,
    /// It announces itself without encryption; somebody has to want the link.
    Offered,
    /// It says that it is a device that is known, and does not show it.
    NotProven,
}

impl Advice {
    /// Every advice.
    pub const ALL: [Self; 19] = [
        Self::CheckCable,
        Self::CheckNetwork,
        Self::CheckAddress,
        Self::CheckPort,
        Self::SwitchOnDebugging,
        Self::Permission,
        Self::EndTheOther,
        Self::Allow,
        Self::AllowAfterAll,
        Self::Pair,
        Self::WrongDevice,
        Self::StartAndroid,
        Self::LeaveBootloader,
        Self::Restarting,
        Self::WaitForStart,
        Self::Restart,
        Self::SecondSwitch,
        Self::Offered,
        Self::NotProven,
    ];

    /// The word for machines, a promise of `docs/json.md`.
    pub fn name(self) -> &'static str {
        match self {
            Self::CheckCable => "unplugged",
            Self::CheckNetwork => "lost",
            Self::CheckAddress => "no-answer",
            Self::CheckPort => "not-a-daemon",
            Self::SwitchOnDebugging => "debugging-off",
            Self::Permission => "no-permission",
            Self::EndTheOther => "taken",
            Self::Allow => "awaiting-tap",
            Self::AllowAfterAll => "not-authorised",
            Self::Pair => "not-paired",
            Self::WrongDevice => "wrong-device",
            Self::StartAndroid => "not-android",
            Self::LeaveBootloader => "bootloader",
            Self::Restarting => "restarting",
            Self::WaitForStart => "not-ready",
            Self::Restart => "broken",
            Self::SecondSwitch => "second-switch",
            Self::Offered => "offered",
            Self::NotProven => "not-proven",
        }
    }

    /// The trouble in the fewest words.
    pub fn short(self) -> &'static str {
        match self {
            Self::CheckCable => "unplugged",
            Self::CheckNetwork => "link lost",
            Self::CheckAddress => "no answer",
            Self::CheckPort => "not a device",
            Self::SwitchOnDebugging => "debugging is off",
            Self::Permission => "may not be opened",
            Self::EndTheOther => "held by another program",
            Self::Allow => "tap “Allow”",
            Self::AllowAfterAll => "not allowed",
            Self::Pair => "not paired",
            Self::WrongDevice => "another device",
            Self::StartAndroid => "not in Android",
            Self::LeaveBootloader => "in the bootloader",
            Self::Restarting => "restarting",
            Self::WaitForStart => "starting",
            Self::Restart => "in trouble",
            Self::SecondSwitch => "changes not permitted",
            Self::Offered => "offered: not linked",
            Self::NotProven => "identity not shown",
        }
    }

    /// Whether Wibbet notices by itself when it has been done.
    pub fn mends_itself(self) -> bool {
        !matches!(self, Self::WrongDevice | Self::AllowAfterAll | Self::Offered)
    }

    /// What to do, in words.
    pub fn words(self, kind: DeviceKind, sdk: Option<u32>) -> String {
        let options = developer_options(kind, sdk);
        match self {
            Self::CheckCable => {
                "Plug the cable in again; some only charge. A device that restarts leaves the bus for a moment: it is found by itself.".into()
            }
            Self::CheckNetwork if has_wireless_debugging(sdk) => {
                "Wake the device and check that it is on the same network; it is tried again. Wireless debugging goes off by itself when the device restarts or changes its network: switch it on again.".into()
            }
            Self::CheckNetwork => "Wake the device and check that it is on the same network; it is tried again.".into(),
            Self::CheckAddress if kind == DeviceKind::Tv => format!(
                "On the TV: {options}, switch “USB debugging” or “Network debugging” on. Its address is under Settings, Network. Newer ones have “Wireless debugging” instead: pair with that."
            ),
            Self::CheckAddress => format!(
                "On the device: {options}, switch debugging over the network on. Check the address and that both are on one network."
            ),
            Self::CheckPort => "Check the port; the older kind of network debugging is mostly on 5555.".into(),
            Self::SwitchOnDebugging => format!(
                "On the device: {options}, switch “USB debugging” on. If it is on: unlock the screen and plug it in again, since some give no data while locked; another cable; or file transfer in place of charging only."
            ),
            Self::Permission => {
                "Run `wibbet usb-rule` and do what it prints, then plug the device in again.".into()
            }
            Self::EndTheOther => {
                "End the program that uses the device: a development environment or a debugging server, mostly.".into()
            }
            Self::Allow => "Unlock the device, as its main user, tick “Always allow” and tap “Allow”.".into(),
            Self::AllowAfterAll => {
                "Wake and unlock the device; at “Allow USB debugging?” tick “Always allow” and tap “Allow”. If nothing is asked: switch debugging off and on; newer ones forget a computer after seven days without a link. Then try again here: it is not asked twice by itself.".into()
            }
            Self::Pair => format!(
                "On the device: {options}, Wireless debugging, “Pair device with pairing code” or “with QR code”."
            ),
            Self::WrongDevice => "Check which device is at this address.".into(),
            Self::StartAndroid => "Start the device into Android; in this mode it has no packages to show.".into(),
            Self::LeaveBootloader => {
                "Hold the power button until the device restarts, or choose “Start” on it with the volume keys: its bootloader has no packages to show. It is found by itself.".into()
            }
            Self::Restarting if has_wireless_debugging(sdk) => {
                "It was told to restart, which takes one to three minutes. On a cable it is found by itself; most switch wireless debugging off when they start: unlock it and switch that on again.".into()
            }
            Self::Restarting => "It was told to restart, which takes one to three minutes. It is found by itself.".into(),
            Self::WaitForStart => "The device is still starting; it is tried again.".into(),
            Self::Restart => "It is tried again; switching debugging off and on, or restarting the device, may help.".into(),
            Self::Offered => {
                "Something announces this address without encryption, and anybody on the network can. If it is your device, link it: only then is anything sent to it.".into()
            }
            Self::NotProven => {
                "It says that it is a device that you know, and anybody on the network can say that. If it is yours: unlock it and wait until it has started; else use its cable, or add its address by hand.".into()
            }
            Self::SecondSwitch => format!(
                "On the device: {options}. Some makers put a second switch under “USB debugging” that permits changes; it may ask for an account or a SIM. Switch it on: it is noticed."
            ),
        }
    }
}

/// Whether a device of this version may be linked by wireless debugging.
fn has_wireless_debugging(sdk: Option<u32>) -> bool {
    sdk.is_some_and(|sdk| Capabilities::new(sdk, DaemonFeatures::default()).has_wireless_debugging())
}

/// The way to the developer options.
fn developer_options(kind: DeviceKind, sdk: Option<u32>) -> &'static str {
    match (kind, sdk) {
        (DeviceKind::Tv, _) => "Settings, Device preferences, Developer options",
        (_, Some(sdk)) if !has_system_settings(sdk) => "Settings, Developer options",
        _ => "Settings, System, Developer options",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_advice_says_something_for_every_kind_of_device() {
        let mut names = Vec::new();
        for advice in Advice::ALL {
            assert!(!names.contains(&advice.name()), "{}", advice.name());
            names.push(advice.name());
            for kind in [DeviceKind::Unknown, DeviceKind::Phone, DeviceKind::Tablet, DeviceKind::Tv] {
                for sdk in [None, Some(23), Some(34)] {
                    assert!(advice.words(kind, sdk).len() > 20, "{advice:?}");
                }
            }
        }
        let tv = Advice::CheckAddress.words(DeviceKind::Tv, Some(30));
        assert!(tv.contains("Device preferences") && tv.contains("TV"));
        assert_ne!(tv, Advice::CheckAddress.words(DeviceKind::Phone, Some(30)));
        assert!(!Advice::SwitchOnDebugging.words(DeviceKind::Phone, Some(23)).contains("System,"));
    }
}
