//! Tests of doing: against simulated devices over the real protocol. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod bench;
mod catch;
mod chaos;
mod copies;
mod finder;
mod given;
mod here;
mod holds;
mod labels;
mod round_trip;
mod runs;
mod server;
mod session;
mod settings;
mod short_form;
mod support;
mod system;
mod tools;
mod updating;
mod versions;
