//! What avoids a part of what a tray does.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::PackageId;

use super::change::Change;
use super::plan::StartLoss;
use crate::android::settings_page;
use crate::holds::{HoldKind, Judged, What};

/// What avoids a part of it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Instead {
    /// Leaving these out, and why.
    LeaveOut(BTreeSet<PackageId>, String),
    /// Leaving out all that is missed: so many packages go then, and nothing was found that would be missed of them.
    Smaller(BTreeSet<PackageId>, usize),
    /// Having something else do what these do, first: in words, and the page of the device's settings where that is chosen, as an
    /// action.
    First(BTreeSet<PackageId>, String, Option<&'static str>),
    /// Disabling these keeps what they have stored.
    Disable(BTreeSet<PackageId>),
}

impl Instead {
    /// The packages that it is about.
    pub fn ids(&self) -> &BTreeSet<PackageId> {
        match self {
            Self::LeaveOut(ids, _) | Self::Smaller(ids, _) | Self::First(ids, ..) | Self::Disable(ids) => ids,
        }
    }

    /// In words, with packages by the names that `name` gives them.
    pub fn words_with(&self, name: impl Fn(&PackageId) -> String) -> String {
        let ids = self.ids().iter().map(name).collect::<Vec<_>>().join(", ");
        match self {
            Self::LeaveOut(_, why) => format!("leave out {ids}: {why}"),
            Self::Smaller(_, rest) => {
                let rest = if *rest == 1 { "the other one goes".to_owned() } else { format!("the other {rest} go") };
                format!("leave out {ids}: {rest}, and nothing was found that would be missed")
            }
            Self::First(_, lift, _) => format!("{lift}: then {ids} can go"),
            Self::Disable(_) => format!("disable {ids} in place of uninstalling: data and accounts stay"),
        }
    }

    /// In words, with packages by their ids.
    pub fn words(&self) -> String {
        self.words_with(ToString::to_string)
    }
}

/// What a tray does, as far as that can be avoided.
pub(super) struct Does<'a> {
    /// Packages with which the start loses something.
    pub(super) starts: &'a BTreeMap<PackageId, StartLoss>,
    /// Whose accounts go.
    pub(super) accounts: &'a BTreeMap<PackageId, u32>,
    /// All of which anything is missed.
    pub(super) missed: BTreeSet<PackageId>,
    /// What was away already.
    pub(super) away: &'a BTreeSet<PackageId>,
}

/// All of a tray that has to be left out so that nothing of the rest is missed: what stays may lean on more of it.
fn all_missed(judged: &Judged, ways: &BTreeMap<&PackageId, Change>, does: &Does<'_>) -> BTreeSet<PackageId> {
    let mut missed: BTreeSet<PackageId> = does.missed.iter().filter(|id| ways.contains_key(*id)).cloned().collect();
    let leans = judged.leans.by_who();
    let mut kept: Vec<PackageId> = missed.iter().cloned().collect();
    while let Some(id) = kept.pop() {
        for lean in leans.get(&id).into_iter().flatten() {
            let here: Vec<&PackageId> = lean.on.iter().filter(|one| !does.away.contains(*one)).collect();
            if here.iter().all(|one| ways.contains_key(*one) && !missed.contains(*one)) {
                kept.extend(here.iter().map(|one| (*one).clone()));
                missed.extend(here.into_iter().cloned());
            }
        }
    }
    missed
}

/// What avoids parts of what a tray does, what avoids most first.
pub(super) fn instead(judged: &Judged, ways: &BTreeMap<&PackageId, Change>, does: &Does<'_>) -> Vec<Instead> {
    let mut all = Vec::new();
    for (id, loss) in does.starts {
        let why = format!("the device {}", if loss.class == 3 { "can be used" } else { "starts" });
        all.push(Instead::LeaveOut(BTreeSet::from([id.clone()]), why));
    }
    // Of several that do one thing one is enough: one that is used, if any is.
    for What { name, who, .. } in &judged.done {
        let who: Vec<&PackageId> = who.iter().filter(|id| !does.away.contains(*id)).collect();
        if who.len() > 1 && who.iter().all(|id| ways.contains_key(*id)) {
            let used = |id: &&&PackageId| {
                judged.packages.get(**id).is_some_and(|one| one.has(HoldKind::Habit) || one.has(HoldKind::Role))
            };
            let keep = who.iter().find(used).or(who.first()).map(|id| (*id).clone());
            // What the start needs is left out by itself already.
            let keep = keep.filter(|id| !does.starts.contains_key(id));
            all.extend(keep.map(|id| Instead::LeaveOut(BTreeSet::from([id]), format!("{name} stays"))));
        }
    }
    for id in ways.keys() {
        let holds = judged.packages.get(*id).into_iter().flat_map(|one| &one.holds);
        for hold in holds.filter(|hold| matches!(hold.kind, HoldKind::Start | HoldKind::Role)) {
            if let Some(lift) = &hold.lifted_by {
                all.push(Instead::First(BTreeSet::from([(*id).clone()]), lift.clone(), settings_page(&hold.what)));
            }
        }
    }
    let missed = all_missed(judged, ways, does);
    // Where that is one that is told above it is told.
    let told = all.iter().any(|way| matches!(way, Instead::LeaveOut(ids, _) if *ids == missed));
    if !missed.is_empty() && missed.len() < ways.len() && !told {
        let rest = ways.len() - missed.len();
        all.push(Instead::Smaller(missed, rest));
    }
    let uninstalled = |id: &&PackageId| ways.get(*id).is_some_and(|way| matches!(way, Change::Uninstall));
    let with_something: BTreeSet<PackageId> = does.accounts.keys().filter(uninstalled).cloned().collect();
    if !with_something.is_empty() {
        all.push(Instead::Disable(with_something));
    }
    all.sort();
    all.dedup();
    all
}
