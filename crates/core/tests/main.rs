//! Tests of what is decided, and of the order of the rooms. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod arrows;
mod catalog;
mod holds;
mod promises;
mod ranges;
