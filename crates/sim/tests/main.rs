//! Tests of the simulated devices. One program, with a file for each subject.
#![allow(clippy::unwrap_used, reason = "tests")]

mod link;
mod package_service;
mod support;
mod tools;
mod truths;
mod ways;
