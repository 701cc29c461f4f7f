//! Restarting a device.

use super::request::{Call, Output, Request};

/// Has the device shut down in order and start again: its services are told, and write what they hold. `svc` is a program of
/// Android's own.
pub fn restart_request() -> Request {
    Request { call: Call::Shell("svc power reboot".into()), changes: true }
}

/// Whether the answer to that is that there is no such command: how the program is used, or that there is none.
pub fn knows_no_restart(answer: &Output) -> bool {
    let text = answer.text().to_lowercase();
    text.contains("usage:") || text.contains("not found")
}

/// The same where `svc` does not know how: the kernel is told at once, so that what has not been written is lost.
pub fn hard_restart_request() -> Request {
    Request { call: Call::Shell("reboot".into()), changes: true }
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
