//! The record itself.

use std::collections::BTreeMap;
use std::path::Path;

use serde::Serialize;
use wibbet_logbook::Erased;
use wibbet_types::DeviceId;

use super::run::time;

/// What a look at the logbook has shown.
#[derive(Serialize)]
pub(crate) struct Checked<'a> {
    file: String,
    devices: usize,
    runs: usize,
    /// What is wrong, in words.
    wrong: &'a [String],
}

impl<'a> Checked<'a> {
    pub(crate) fn of(file: &Path, (devices, runs): (usize, usize), wrong: &'a [String]) -> Self {
        Self { file: file.display().to_string(), devices, runs, wrong }
    }
}

/// The receipt for what was erased of a device.
#[derive(Serialize)]
pub(crate) struct ErasedDevice<'a> {
    erased: &'a str,
    at: String,
    /// How many of what.
    rows: BTreeMap<&'a str, usize>,
    /// What lies on this computer still, and why.
    left: &'a [String],
}

impl<'a> ErasedDevice<'a> {
    pub(crate) fn of(device: &'a DeviceId, erased: &'a Erased, left: &'a [String]) -> Self {
        let rows = erased.rows.iter().copied().collect();
        Self { erased: device.as_str(), at: time(wibbet_bench::logbook::now()), rows, left }
    }
}
