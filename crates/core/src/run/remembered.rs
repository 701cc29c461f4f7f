//! What the logbook remembers of packages on other devices.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{DeviceId, PackageId, RunId};

use super::record::{Outcome, Run, RunKind};
use crate::package::Elsewhere;

/// What became of packages on other devices, out of their runs in any order. Only what was read back counts.
pub fn remembered<'a>(runs: impl IntoIterator<Item = &'a Run>) -> BTreeMap<PackageId, Elsewhere> {
    let mut runs: Vec<&Run> = runs.into_iter().collect();
    runs.sort_by_key(|run| run.number);
    /// A package on a device.
    type Place<'a> = (&'a PackageId, &'a DeviceId);
    // By the run that took it out last.
    let mut out: BTreeMap<Place<'_>, RunId> = BTreeMap::new();
    let mut back: BTreeSet<Place<'_>> = BTreeSet::new();
    for run in runs {
        for step in run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done)) {
            let place = (&step.id, &run.device);
            match run.kind {
                RunKind::TakeOut if step.way.takes_out() => drop((out.insert(place, run.number), back.remove(&place))),
                RunKind::PutBack if out.contains_key(&place) => drop(back.insert(place)),
                _ => {}
            }
        }
    }
    // How many each run took out, and how many of those are back.
    let mut runs: BTreeMap<RunId, (usize, usize)> = BTreeMap::new();
    for (place, run) in &out {
        let counts = runs.entry(*run).or_default();
        *counts = (counts.0 + 1, counts.1 + usize::from(back.contains(place)));
    }
    let mut found: BTreeMap<PackageId, Elsewhere> = BTreeMap::new();
    for (place, run) in &out {
        let one = found.entry(place.0.clone()).or_default();
        one.taken_out += 1;
        if back.contains(place) {
            one.put_back += 1;
            // Where all that went together came back together nothing speaks against this one.
            one.missed += usize::from(runs.get(run).is_some_and(|(all, back)| *all == 1 || back < all));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn what_was_put_back_elsewhere_is_remembered() {
        let run = |number: i64, device: &str, kind: RunKind, ids: &[&str]| {
            let steps = ids.iter().enumerate();
            let steps = steps.map(|(n, id)| {
                testing::settled(n, id, if *id == "com.refused" { Outcome::Refused } else { Outcome::Done })
            });
            Run { kind, device: device.parse().unwrap(), steps: steps.collect(), ..testing::run(number, &[]) }
        };
        let runs = [
            run(4, "two", RunKind::PutBack, &["com.missed"]),
            run(1, "one", RunKind::TakeOut, &["com.missed", "com.gone", "com.refused"]),
            run(2, "one", RunKind::PutBack, &["com.missed", "com.never"]),
            run(3, "two", RunKind::TakeOut, &["com.missed", "com.gone"]),
            run(5, "three", RunKind::TakeOut, &["com.missed"]),
        ];
        let found = remembered(&runs);
        let of = |id: &str| found.get(id).map(|one| (one.taken_out, one.put_back, one.missed));
        assert_eq!(
            [of("com.missed"), of("com.gone"), of("com.refused"), of("com.never")],
            [Some((3, 2, 2)), Some((2, 0, 0)), None, None]
        );
        // A whole run that was put back says nothing of each of its packages.
        let undone = [
            run(1, "one", RunKind::TakeOut, &["com.missed", "com.gone"]),
            run(2, "one", RunKind::PutBack, &["com.missed", "com.gone"]),
        ];
        let found = remembered(&undone)[&"com.missed".parse::<PackageId>().unwrap()];
        assert_eq!((found.put_back, found.missed, found.is_missed()), (1, 0, false));
        let words = |taken_out, put_back| Elsewhere { taken_out, put_back, missed: put_back }.words();
        assert!(words(3, 2).starts_with(
            "On 3 other devices of this model and build it was taken out, and was put back on 2 of them later."
        ));
        assert!(
            words(1, 1).ends_with("and was put back there later.")
                && words(2, 0).ends_with("has not been put back there.")
        );
    }
}
