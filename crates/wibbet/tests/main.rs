//! Tests of the built program. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

#[cfg(target_os = "linux")]
mod campaign;
mod command_line;
#[cfg(target_os = "linux")]
mod daemon;
mod guide;
mod json_shapes;
mod keeping;
mod qr;
mod screen;
mod support;
