//! Restarting a device.

use wibbet_types::named;

use super::request::{Call, Output, Request};

/// Into what a device starts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum RestartTo {
    /// Android.
    #[default]
    System,
    /// The recovery system: there is no shell, and it comes back by hand.
    Recovery,
    /// The bootloader: nothing of Android runs, and it comes back by hand.
    Bootloader,
}

named!(RestartTo { System => "system", Recovery => "recovery", Bootloader => "bootloader" });

impl RestartTo {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::System, Self::Recovery, Self::Bootloader];

    /// The word that Android takes for it. Source: `PowerManager.reboot`.
    fn reason(self) -> Option<&'static str> {
        (self != Self::System).then(|| self.name())
    }

    /// What it is, for people.
    pub fn words(self) -> &'static str {
        match self {
            Self::System => "Android",
            Self::Recovery => "the recovery system",
            Self::Bootloader => "the bootloader",
        }
    }
}

/// Has the device shut down in order and start again: its services are told, and write what they hold. `svc` is a program of
/// Android's own.
pub fn restart_request(to: RestartTo) -> Request {
    let into = to.reason().map_or_else(String::new, |reason| format!(" {reason}"));
    Request { call: Call::Shell(format!("svc power reboot{into}")), changes: true, root: false }
}

/// Whether the answer to that is that there is no such command: how the program is used, or that there is none.
pub fn knows_no_restart(answer: &Output) -> bool {
    let text = answer.text().to_lowercase();
    text.contains("usage:") || text.contains("not found")
}

/// The same where `svc` does not know how: the kernel is told at once, so that what has not been written is lost.
pub fn hard_restart_request(to: RestartTo) -> Request {
    let into = to.reason().map_or_else(String::new, |reason| format!(" {reason}"));
    Request { call: Call::Shell(format!("reboot{into}")), changes: true, root: false }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_device_that_does_not_know_the_command_says_so() {
        for (text, unknown) in [
            ("Control the power manager\n\nusage: svc power stayon [true|false|usb|ac|wireless]\n", true),
            ("/system/bin/sh: svc: not found\n", true),
            ("", false),
            ("Rebooting…\n", false),
        ] {
            assert_eq!(knows_no_restart(&Output { out: text.into(), ..Output::default() }), unknown, "{text}");
        }
    }
}
