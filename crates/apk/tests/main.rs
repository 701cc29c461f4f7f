//! Tests of reading APKs. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod by_hand;
mod hostile;
mod independent;
mod labels;
mod support;
