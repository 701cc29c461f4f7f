//! What became of an order, by the runs that carried it out: packages by devices.

use std::collections::BTreeMap;

use wibbet_types::{DeviceId, PackageId, PlainText, RunId, Timestamp, UserId};

use crate::run::{Outcome, Run, Step};

/// What became of a package on a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Became {
    /// It is as it was to be: done, or so already.
    So,
    /// It was not sent.
    NotSent,
    /// It is not known.
    Unsettled,
    /// It was refused, or without effect.
    Refused,
}

impl Became {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::So, Self::NotSent, Self::Refused, Self::Unsettled];

    /// Its shape, three cells wide, and its word.
    pub fn sign(self) -> (&'static str, &'static str) {
        match self {
            Self::So => ("▰▰▰", "done"),
            Self::NotSent => ("╌╌╌", "not sent"),
            Self::Unsettled => (" ? ", "unsettled"),
            Self::Refused => (" ▲ ", "refused"),
        }
    }

    fn of(step: &Step) -> Self {
        match step.outcome {
            _ if step.is_so() => Self::So,
            Some(Outcome::Refused | Outcome::NoEffect) => Self::Refused,
            Some(Outcome::Skipped) => Self::NotSent,
            _ => Self::Unsettled,
        }
    }
}

/// A device that an order was carried out on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecordedDevice {
    /// Which.
    pub id: DeviceId,
    /// The latest of the runs.
    pub run: RunId,
    /// When that was begun.
    pub at: Timestamp,
}

/// What became of an order.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OrderRecord {
    /// The devices, the first one first.
    pub devices: Vec<RecordedDevice>,
    /// The packages with the names that people know, by name.
    pub packages: Vec<(PackageId, Option<PlainText>)>,
    /// What became of each, where anything did.
    cells: BTreeMap<(PackageId, DeviceId), Became>,
}

impl OrderRecord {
    /// Of the order of a name, out of all runs, the latest first.
    pub fn of(name: &str, runs: &[Run]) -> Self {
        let mut devices: Vec<RecordedDevice> = Vec::new();
        let mut names: BTreeMap<PackageId, Option<PlainText>> = BTreeMap::new();
        let mut last: BTreeMap<(PackageId, DeviceId, UserId), Became> = BTreeMap::new();
        for run in runs.iter().rev().filter(|run| !name.is_empty() && run.order == name) {
            let one = RecordedDevice { id: run.device.clone(), run: run.number, at: run.begun };
            match devices.iter_mut().find(|device| device.id == run.device) {
                Some(device) => *device = one,
                None => devices.push(one),
            }
            for step in run.counting() {
                let known = names.entry(step.id.clone()).or_default();
                if let Some(name) = run.names.get(&step.id) {
                    *known = Some(name.clone());
                }
                last.insert((step.id.clone(), run.device.clone(), step.user), Became::of(step));
            }
        }
        // Of several users what somebody has to look at counts.
        let mut cells: BTreeMap<(PackageId, DeviceId), Became> = BTreeMap::new();
        for ((id, device, _), became) in last {
            let cell = cells.entry((id, device)).or_insert(became);
            *cell = became.max(*cell);
        }
        let mut packages: Vec<_> = names.into_iter().collect();
        packages.sort_by_key(|(id, name)| {
            (name.as_ref().map_or_else(|| id.to_string(), ToString::to_string).to_lowercase(), id.clone())
        });
        Self { devices, packages, cells }
    }

    /// What became of a package on a device; `None` where no run had it.
    pub fn cell(&self, id: &PackageId, device: &DeviceId) -> Option<Became> {
        self.cells.get(&(id.clone(), device.clone())).copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn the_last_run_on_each_device_counts() {
        let run = |number, device: &str, outcomes: &[(&str, Outcome)]| {
            let mut run = testing::run(number, &[]);
            run.device = device.parse().unwrap();
            run.order = "Crew phones".into();
            run.steps =
                outcomes.iter().enumerate().map(|(n, (id, outcome))| testing::settled(n, id, *outcome)).collect();
            run
        };
        let mut runs = vec![
            run(4, "B", &[("com.corvane.tips", Outcome::Refused)]),
            run(3, "A", &[("com.corvane.tips", Outcome::Done)]),
            run(2, "A", &[("com.corvane.tips", Outcome::Refused), ("com.corvane.fota", Outcome::Unsettled)]),
            run(1, "C", &[("com.corvane.fota", Outcome::Done)]),
        ];
        runs[3].order = "another".into();
        runs[1].names = [(testing::id("com.corvane.tips"), PlainText::new("Tips"))].into();
        let record = OrderRecord::of("Crew phones", &runs);
        let devices: Vec<(&str, i64)> = record.devices.iter().map(|one| (one.id.as_str(), one.run.number())).collect();
        assert_eq!(devices, [("A", 3), ("B", 4)]);
        let cell = |id: &str, device: &str| record.cell(&testing::id(id), &device.parse().unwrap());
        assert_eq!(cell("com.corvane.tips", "A"), Some(Became::So));
        assert_eq!(cell("com.corvane.tips", "B"), Some(Became::Refused));
        assert_eq!(cell("com.corvane.fota", "A"), Some(Became::Unsettled));
        assert_eq!(cell("com.corvane.fota", "B"), None);
        assert_eq!(
            record.packages.iter().map(|(id, _)| id.as_str()).collect::<Vec<_>>(),
            ["com.corvane.fota", "com.corvane.tips"]
        );
        assert_eq!(OrderRecord::of("", &runs), OrderRecord::default(), "runs of no order are no order's");
    }
}
