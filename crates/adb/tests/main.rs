//! Tests of the protocol on bytes: scripts made by hand, the encrypted link. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod script;
mod wireless;
