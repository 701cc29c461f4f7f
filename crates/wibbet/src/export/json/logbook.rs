//! The record itself.

use std::collections::BTreeMap;
use std::path::Path;

use serde::Serialize;
use wibbet_core::device::DeviceFacts;
use wibbet_core::run::Run;
use wibbet_logbook::{Erased, Merged};
use wibbet_types::DeviceId;

use super::run::{Steps, time};

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

/// What a merge took in.
#[derive(Serialize)]
pub(crate) struct MergedLogbook {
    devices: usize,
    runs: usize,
    runs_further: usize,
    notes: usize,
    breaks: usize,
    already: usize,
    gone: usize,
}

impl MergedLogbook {
    pub(crate) fn of(merged: &Merged) -> Self {
        let Merged { devices, runs, runs_further, notes, breaks, already, gone } = *merged;
        Self { devices, runs, runs_further, notes, breaks, already, gone }
    }
}

/// What is kept of devices, to be handed on.
#[derive(Serialize)]
pub(crate) struct Exported {
    devices: Vec<ExportedDevice>,
}

#[derive(Serialize)]
struct ExportedDevice {
    /// Its id; `device-1` and so on where serials are left out.
    device: String,
    serial: Option<String>,
    maker: String,
    model: String,
    android: String,
    build: String,
    /// The first one first.
    runs: Vec<Steps>,
}

/// What a device is called where serials may be told, or may not.
pub(crate) fn handed_on_as(facts: &DeviceFacts, n: usize, serials: bool) -> String {
    if serials { facts.id.to_string() } else { format!("device-{}", n + 1) }
}

impl Exported {
    pub(crate) fn of(all: &[(DeviceFacts, Vec<Run>)], serials: bool, usage: bool) -> Self {
        let devices = all.iter().enumerate().map(|(n, (facts, runs))| {
            let device = handed_on_as(facts, n, serials);
            ExportedDevice {
                serial: serials.then(|| facts.serial.to_string()),
                maker: facts.maker.to_string(),
                model: facts.model.to_string(),
                android: facts.android.to_string(),
                build: facts.build.to_string(),
                runs: runs.iter().map(|run| Steps::handed_on(run, &device, usage)).collect(),
                device,
            }
        });
        Self { devices: devices.collect() }
    }
}

/// What was due by the rule for keeping records.
#[derive(Serialize)]
pub(crate) struct Tidied {
    /// The devices that were due.
    pub(crate) due: Vec<String>,
    /// Those of them that were erased.
    pub(crate) erased: Vec<String>,
    /// What lies on this computer still, and why.
    pub(crate) left: Vec<String>,
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
