//! What a tray as a whole does to the device, for one user.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, named};

use super::change::Change;
use super::instead::{Does, Instead, instead};
use super::plan::StartLoss;
use crate::holds::{HoldKind, HoldSource, Judged, Known, What};
use crate::package::PackageKind;

/// Whether the device is expected to start afterwards.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub enum StartOutlook {
    /// Nothing was found that speaks against it.
    #[default]
    Expected,
    /// What could show that was not read.
    NotKnown,
    /// It starts, and cannot be used.
    Unusable,
    /// It is not expected to.
    NotExpected,
}
named!(StartOutlook {
    Expected => "expected",
    NotKnown => "not-known",
    Unusable => "unusable",
    NotExpected => "not-expected",
});

/// What a tray does to the device, for one user.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Upshot {
    /// Whether a start is expected to work.
    pub start: StartOutlook,
    /// Packages with which the start loses something, by themselves or together with others that go.
    pub starts: BTreeMap<PackageId, StartLoss>,
    /// Roles that nobody is left for.
    pub roles_emptied: BTreeSet<String>,
    /// Packages that stay and lose something they need, directly or in turn, and what they lose it from.
    pub needs_lost: BTreeMap<PackageId, BTreeSet<PackageId>>,
    /// Whose accounts go, and how many.
    pub accounts_lost: BTreeMap<PackageId, u32>,
    /// What stops, in words, and of which packages that go it was.
    pub lost: BTreeMap<String, BTreeSet<PackageId>>,
    /// Bytes of data that go; `None` where that is not told.
    pub data_bytes: Option<u64>,
    /// Bytes of code that are freed. What is part of the system stays on its partition.
    pub code_bytes: Option<u64>,
    /// Bytes of memory that are freed.
    pub memory_bytes: Option<u64>,
    /// What avoids a part of it.
    pub instead: Vec<Instead>,
    /// What goes, in an order in which nothing leans on what has gone before it, as far as there is one.
    pub order: Vec<PackageId>,
}

impl Upshot {
    /// Something stops with what goes.
    fn loses<'a>(&mut self, stops: &str, with: impl IntoIterator<Item = &'a PackageId>) {
        self.lost.entry(stops.to_owned()).or_default().extend(with.into_iter().cloned());
    }

    /// The start loses something with a package; of several things the weightiest, the lowest class, is kept.
    fn loses_for_the_start(&mut self, id: &PackageId, class: u8, stops: &str) {
        let loss = StartLoss { class, stops: stops.to_owned() };
        let kept = self.starts.entry(id.clone()).or_insert_with(|| loss.clone());
        *kept = loss.min(kept.clone());
    }

    /// What would be missed, a line each, with packages by the names that `name` gives them; nothing where nothing was found.
    pub fn missed(&self, name: impl Fn(&PackageId) -> String) -> Vec<String> {
        let mut lines = Vec::new();
        if self.start == StartOutlook::NotKnown {
            lines.push("whether the device starts afterwards is not known: not all was read".to_owned());
        }
        if !self.lost.is_empty() {
            let lost: Vec<&str> = self.lost.keys().map(String::as_str).collect();
            lines.push(format!("stops: {}", lost.join("; ")));
        }
        if !self.needs_lost.is_empty() {
            let losing: Vec<String> = self.needs_lost.keys().map(name).collect();
            lines.push(format!("loses what it needs: {}", losing.join(", ")));
        }
        let accounts: u32 = self.accounts_lost.values().fold(0, |sum, n| sum.saturating_add(*n));
        if accounts > 0 {
            lines.push(format!("accounts that go: {accounts}"));
        }
        lines
    }

    /// What stops with a package, by itself or together with others that go, in a few words each.
    pub fn stops_with(&self, id: &PackageId) -> impl Iterator<Item = &str> {
        self.lost.iter().filter(|(_, with)| with.contains(id)).map(|(stops, _)| stops.as_str())
    }

    /// Whether something that people notice stops with a package, or something that stays loses what it needs.
    pub fn misses(&self, id: &PackageId) -> bool {
        self.starts.contains_key(id) || self.lost.values().chain(self.needs_lost.values()).any(|with| with.contains(id))
    }

    /// Whether nothing was found that would be missed.
    pub fn is_quiet(&self) -> bool {
        self.start == StartOutlook::Expected
            && self.roles_emptied.is_empty()
            && self.needs_lost.is_empty()
            && self.accounts_lost.is_empty()
            && self.lost.is_empty()
    }
}

/// Works out what taking packages out does, all of them together. `judged` is what ties each of them while the others are there.
pub fn upshot(known: &Known<'_>, judged: &Judged, tray: &[(PackageId, Change)]) -> Upshot {
    let here = tray.iter().filter(|(id, way)| judged.packages.contains_key(id) && way.takes_out());
    let ways: BTreeMap<&PackageId, Change> = here.map(|(id, way)| (id, *way)).collect();
    let gone: BTreeSet<PackageId> = ways.keys().map(|id| (*id).clone()).collect();
    // What has gone since that was worked out does nothing for anybody any more.
    let away: BTreeSet<PackageId> = judged.packages.keys().filter(|id| !known.in_use(id)).cloned().collect();
    let uninstalled = |id: &PackageId| ways.get(id).is_some_and(|way| matches!(way, Change::Uninstall));
    let mut all = Upshot::default();
    let unread = judged.unread.iter().any(|source| matches!(source, HoldSource::Packages | HoldSource::Manifests));
    let own_unread = gone.iter().any(|id| judged.packages.get(id).is_some_and(|one| !one.unread.is_empty()));
    if !gone.is_empty() && (unread || own_unread) {
        all.start = StartOutlook::NotKnown;
    }
    let by_class = |class: u8| if class == 3 { StartOutlook::Unusable } else { StartOutlook::NotExpected };
    // What each does by itself.
    for (id, one) in judged.packages.iter().filter(|(id, _)| gone.contains(*id)) {
        for hold in &one.holds {
            match (hold.kind, hold.class) {
                (HoldKind::Start, Some(class)) => {
                    all.start = all.start.max(by_class(class));
                    all.loses_for_the_start(id, class, &hold.stops);
                    all.loses(&hold.stops, [id]);
                }
                // Another one can do it.
                (HoldKind::Role, _) if hold.others > 0 => {}
                (HoldKind::Role, _) => {
                    all.roles_emptied.insert(hold.what.clone());
                    all.loses(&hold.stops, [id]);
                }
                // What was missed elsewhere names nobody.
                (HoldKind::Need, _) if hold.by.is_empty() => all.loses(&hold.stops, [id]),
                _ => {}
            }
        }
    }
    // What none of them does by itself.
    for What { name, stops, class, is_role, who } in &judged.done {
        let mut here = who.iter().filter(|id| !away.contains(*id)).peekable();
        if here.peek().is_none() || !here.clone().all(|id| gone.contains(id)) {
            continue;
        }
        if let Some(class) = *class {
            all.start = all.start.max(by_class(class));
            here.clone().for_each(|id| all.loses_for_the_start(id, class, stops));
        }
        if *is_role {
            all.roles_emptied.insert((*name).to_owned());
        }
        all.loses(stops, here);
    }
    for (id, from) in judged.leans.lost_without(&gone, &away) {
        all.needs_lost.insert(id.clone(), from.into_iter().cloned().collect());
    }
    let accounts = known.ties.accounts.as_ref().and_then(|users| users.get(&known.user)).into_iter().flatten();
    all.accounts_lost =
        accounts.filter(|(id, count)| gone.contains(*id) && **count > 0).map(|(id, n)| (id.clone(), *n)).collect();
    let metrics = known.metrics;
    let sum = |pick: &dyn Fn(&PackageId) -> Option<u64>| {
        gone.iter().filter_map(pick).fold(None, |sum: Option<u64>, one| Some(sum.unwrap_or(0).saturating_add(one)))
    };
    all.data_bytes = sum(&|id| metrics.sizes.get(id).filter(|_| uninstalled(id)).and_then(|sizes| sizes.data));
    all.code_bytes = sum(&|id| {
        let own = known.inventory.packages.get(id).is_some_and(|package| {
            let elsewhere = package.states.iter().any(|(user, state)| *user != known.user && state.installed);
            package.kind == PackageKind::User && !elsewhere
        });
        metrics.sizes.get(id).filter(|_| own && uninstalled(id)).and_then(|sizes| sizes.code)
    });
    all.memory_bytes = sum(&|id| metrics.memory.get(id).copied());
    all.order = judged.leans.leaning_first(tray.iter().map(|(id, _)| id).filter(|id| gone.contains(*id)));
    let missed = all.lost.values().chain(all.needs_lost.values()).flatten();
    let missed = missed.chain(all.accounts_lost.keys()).chain(all.starts.keys()).cloned().collect();
    let does = Does { starts: &all.starts, accounts: &all.accounts_lost, missed, away: &away };
    all.instead = instead(judged, &ways, &does);
    all
}
