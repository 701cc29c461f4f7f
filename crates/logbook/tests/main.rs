//! Tests of the record. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod keeping;
mod logbook;
mod looks;
mod merging;
mod notes;
