//! Having the package service write down what it holds: `dumpsys package write`.
//!
//! It writes the states of users' packages 10 s after a change; a device that goes down before loses it. Source:
//! `PackageManagerService.scheduleWritePackageRestrictions` and its `dump`.

use crate::ask::{Call, Output, Request};

/// What is asked when changes have been made. It changes no package.
pub fn write_request() -> Request {
    Request { call: Call::Shell("dumpsys package write".into()), changes: true, root: false }
}

/// Whether the answer says that all is written.
pub fn says_written(said: &Output) -> bool {
    said.out.lines().any(|line| line.trim() == "Settings written.")
}
