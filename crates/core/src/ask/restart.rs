//! Restarting a device.

use super::request::{Call, Request};

/// Has the device shut down in order and start again: its services are told, and write what they hold. `svc` is a program of
/// Android's own.
pub fn restart_request() -> Request {
    Request { call: Call::Shell("svc power reboot".into()), changes: true }
}

/// The same where `svc` does not know how: the kernel is told at once, so that what has not been written is lost.
pub fn hard_restart_request() -> Request {
    Request { call: Call::Shell("reboot".into()), changes: true }
}
