//! The logbook as it is shown: its runs, which of them a search finds, and in what order.

use std::collections::{BTreeMap, HashMap};

use tui_input::Input;
use wibbet_core::run::Run;
use wibbet_types::DeviceId;

/// What is read of the logbook.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct LogRead {
    /// The runs, the latest first.
    pub(crate) runs: Vec<Run>,
    /// What its devices are called.
    pub(crate) names: BTreeMap<DeviceId, String>,
}

/// The logbook.
#[derive(Debug, Default)]
pub(crate) struct Log {
    pub(crate) read: LogRead,
    /// Those that the search finds, as places in what was read, in the order in which they are shown.
    found: Vec<usize>,
    /// The cursor, over what is found.
    pub(crate) at: usize,
    pub(crate) search: Input,
    /// Somebody types into the search line.
    pub(crate) searching: bool,
    /// By device, in place of by day.
    by_device: bool,
}

impl Log {
    /// Takes in what was read; the cursor stays on its run.
    pub(crate) fn take(&mut self, read: LogRead) {
        let here = self.here().map(|run| run.number);
        self.read = read;
        self.refresh();
        self.go_to(|run| Some(run.number) == here);
    }

    /// The runs that are shown, in their order.
    pub(crate) fn shown(&self) -> Vec<&Run> {
        self.found.iter().filter_map(|n| self.read.runs.get(*n)).collect()
    }

    pub(crate) fn len(&self) -> usize {
        self.found.len()
    }

    /// The run under the cursor.
    pub(crate) fn here(&self) -> Option<&Run> {
        self.found.get(self.at).and_then(|n| self.read.runs.get(*n))
    }

    /// What a device is called; `None` where the logbook does not know it any more.
    pub(crate) fn name_of(&self, device: &DeviceId) -> Option<&str> {
        self.read.names.get(device).map(String::as_str)
    }

    pub(crate) fn is_by_device(&self) -> bool {
        self.by_device
    }

    /// By device, or by day; the cursor stays on its run.
    pub(crate) fn turn(&mut self) {
        let here = self.here().map(|run| run.number);
        self.by_device = !self.by_device;
        self.refresh();
        self.go_to(|run| Some(run.number) == here);
    }

    /// Searches anew; the cursor goes to the first that is found.
    pub(crate) fn search_again(&mut self) {
        self.refresh();
        self.at = 0;
    }

    fn go_to(&mut self, is: impl Fn(&Run) -> bool) {
        let place = self.shown().iter().position(|run| is(run));
        self.at = place.unwrap_or(self.at).min(self.found.len().saturating_sub(1));
    }

    fn refresh(&mut self) {
        let words = self.search.value();
        let is_found = |run: &Run| {
            let name = self.name_of(&run.device).unwrap_or_default().to_lowercase();
            // Each word is of the device's name, or of what the run is about.
            words.split_whitespace().all(|word| name.contains(&word.to_lowercase()) || run.is_about(word))
        };
        let mut found: Vec<usize> = (0..self.read.runs.len()).filter(|n| is_found(&self.read.runs[*n])).collect();
        if self.by_device {
            // The device that was worked on last comes first.
            let mut first: HashMap<&DeviceId, usize> = HashMap::new();
            for n in &found {
                first.entry(&self.read.runs[*n].device).or_insert(*n);
            }
            found.sort_by_key(|n| (first.get(&self.read.runs[*n].device).copied(), *n));
        }
        self.found = found;
    }
}
