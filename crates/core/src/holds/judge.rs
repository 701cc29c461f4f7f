//! What ties each package of a device.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::PackageId;

use super::graph::Graph;
use super::hold::{Found, Judgement};
use super::known::{HoldSource, Known, UsedBy};
use super::leans::Leans;
use super::rules::{RULES, What};

/// What ties the packages of a device, for one user.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Judged {
    /// Every package that is in use.
    pub packages: BTreeMap<PackageId, Judgement>,
    /// Sources that are missing for all of them.
    pub unread: Vec<HoldSource>,
    /// What they lean on.
    pub leans: Leans,
    /// What Android needs, and who does it.
    pub done: Vec<What>,
}

/// Works out what ties each package that is in use for a user.
pub fn judge(known: &Known<'_>) -> Judged {
    let graph = Graph::of(known);
    let mut found = Found::new();
    for rule in RULES {
        (rule.find)(known, &graph, &mut found);
    }
    let mut leans = graph.leans();
    leans.take_in(&found);
    let mut used_by: BTreeMap<&PackageId, BTreeSet<UsedBy>> = BTreeMap::new();
    for (id, _, by) in known.bindings() {
        used_by.entry(id).or_default().insert(by);
    }
    let unread = known.unread();
    let used = known.inventory.packages.values().filter(|package| known.in_use(&package.id));
    let judgement = |package: &std::sync::Arc<crate::package::Package>| {
        let mut holds = found.remove(&package.id).unwrap_or_default();
        // Rules come in the order of their weight; of equal holds of two sources the surer one stays.
        holds.sort_by(|a, b| (a.kind, &a.what, a.sure).cmp(&(b.kind, &b.what, b.sure)));
        holds.dedup_by(|b, a| (a.kind, &a.what) == (b.kind, &b.what));
        holds.sort_by_key(|hold| (hold.kind, hold.class.unwrap_or(u8::MAX), hold.sure));
        let own = package.apk.is_some() && known.declared(&package.id).is_none();
        let judgement = Judgement {
            holds,
            used_by: used_by.remove(&package.id).unwrap_or_default(),
            unread: own.then_some(HoldSource::Manifest).into_iter().collect(),
            all_unread: !unread.is_empty(),
        };
        (package.id.clone(), judgement)
    };
    let packages = used.map(judgement).collect();
    Judged { packages, unread: unread.clone(), leans, done: known.what_is_done(&graph) }
}
