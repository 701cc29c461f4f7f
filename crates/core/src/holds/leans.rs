//! What packages lean on, by name, with all who have it: what is left of the graph when it has been looked at.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use wibbet_types::PackageId;

use super::hold::{Found, Hold, HoldKind};
use super::known::HoldSource;

/// Something that a package leans on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lean {
    /// Who leans.
    pub who: PackageId,
    /// The name by which it finds the others: an action, an authority, an id.
    pub name: String,
    /// All who have that name.
    pub on: BTreeSet<PackageId>,
}

/// Everything that the packages of a device lean on, for a user, as it was when that was worked out.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Leans {
    all: Vec<Lean>,
}

impl Leans {
    pub(crate) fn of(all: Vec<Lean>) -> Self {
        Self { all }
    }

    /// Takes in what was seen of packages beside what manifests say: who is at somebody's part at the moment.
    pub(crate) fn take_in(&mut self, found: &Found) {
        let seen = |hold: &&Hold| {
            hold.kind == HoldKind::Need && hold.evidence.iter().any(|one| one.source == HoldSource::Bindings)
        };
        let mut more = Vec::new();
        let told = self.by_who();
        for (id, hold) in found.iter().flat_map(|(id, holds)| holds.iter().filter(seen).map(move |hold| (id, hold))) {
            for who in &hold.by {
                if !told.get(who).is_some_and(|leans| leans.iter().any(|lean| lean.on.contains(id))) {
                    more.push(Lean { who: who.clone(), name: hold.what.clone(), on: BTreeSet::from([id.clone()]) });
                }
            }
        }
        self.all.extend(more);
    }

    /// What each package leans on.
    pub(crate) fn by_who(&self) -> HashMap<&PackageId, Vec<&Lean>> {
        let mut all: HashMap<&PackageId, Vec<&Lean>> = HashMap::new();
        self.all.iter().for_each(|lean| all.entry(&lean.who).or_default().push(lean));
        all
    }

    /// Each of them.
    pub fn iter(&self) -> impl Iterator<Item = &Lean> + '_ {
        self.all.iter()
    }

    /// What each package loses when some go: from whom it had it. In turn: who has lost something is as good as gone to whoever leans
    /// on it alone. Nothing is lost from who was `away` already, nor by them.
    pub fn lost_without(
        &self,
        gone: &BTreeSet<PackageId>,
        away: &BTreeSet<PackageId>,
    ) -> BTreeMap<&PackageId, BTreeSet<&PackageId>> {
        // How many of those that have it are left of each, and who waits for whom: each package is looked at once, however long a chain
        // a device tells of.
        let mut left = vec![0_usize; self.all.len()];
        let mut waiting: HashMap<&PackageId, Vec<usize>> = HashMap::new();
        let stays = |who: &PackageId| !gone.contains(who) && !away.contains(who);
        for (n, lean) in self.all.iter().enumerate().filter(|(_, lean)| stays(&lean.who)) {
            for one in lean.on.iter().filter(|one| !away.contains(*one)) {
                waiting.entry(one).or_default().push(n);
                left[n] += 1;
            }
        }
        let mut lost: BTreeMap<&PackageId, BTreeSet<&PackageId>> = BTreeMap::new();
        let mut out: Vec<&PackageId> = gone.iter().filter(|id| !away.contains(*id)).collect();
        while let Some(id) = out.pop() {
            for n in waiting.remove(id).into_iter().flatten() {
                left[n] -= 1;
                if left[n] == 0 {
                    let Lean { who, on, .. } = &self.all[n];
                    if !lost.contains_key(who) {
                        out.push(who);
                    }
                    lost.entry(who).or_default().extend(on.iter().filter(|one| !away.contains(*one)));
                }
            }
        }
        lost
    }

    /// Some packages in an order in which each stands before what it leans on, otherwise in the order that they have. Where some lean
    /// on each other in a circle they stay as they are, behind what does not.
    pub fn leaning_first<'b>(&self, ids: impl IntoIterator<Item = &'b PackageId>) -> Vec<PackageId> {
        let ids: Vec<&PackageId> = ids.into_iter().collect();
        let places: HashMap<&PackageId, usize> = ids.iter().enumerate().map(|(n, id)| (*id, n)).collect();
        // How many of the others each has to wait for, and who waits for each.
        let mut waits = vec![0_usize; ids.len()];
        let mut behind: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); ids.len()];
        for lean in &self.all {
            let Some(who) = places.get(&lean.who).copied() else { continue };
            for on in lean.on.iter().filter_map(|on| places.get(on).copied()).filter(|on| *on != who) {
                if behind[who].insert(on) {
                    waits[on] += 1;
                }
            }
        }
        let mut left: BTreeSet<usize> = (0..ids.len()).collect();
        let mut order = Vec::new();
        while let Some(next) = left.iter().find(|n| waits[**n] == 0).or(left.first()).copied() {
            left.remove(&next);
            for on in std::mem::take(&mut behind[next]) {
                waits[on] = waits[on].saturating_sub(1);
            }
            order.push(ids[next].clone());
        }
        order
    }
}
