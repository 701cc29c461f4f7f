//! Everything known of a device's packages, put together. Each source is a value of its own that is replaced as a whole.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use super::entry::CatalogEntry;
use crate::device::DeviceKind;
use crate::holds::{Judged, Known, judge};
use crate::package::{AppNames, Elsewhere, Given, Inventory, Metrics, Note, Package, PackageState, Source, Ties};

/// The sources of what a table shows, each immutable and replaced as a whole.
#[derive(Debug, Clone)]
pub struct Catalog {
    /// States, from the package service.
    pub inventory: Arc<Inventory>,
    /// Labels, from the APKs.
    pub names: Arc<AppNames>,
    /// Sizes, memory, use.
    pub metrics: Arc<Metrics>,
    /// Who is engaged in what.
    pub ties: Arc<Ties>,
    /// API level of the device.
    pub sdk: u32,
    /// The kind of device.
    pub kind: DeviceKind,
    /// What became of packages on other devices like this one, from the logbook.
    pub elsewhere: Arc<BTreeMap<PackageId, Elsewhere>>,
    /// What ties packages, by user; nothing of a user as long as it has not been worked out.
    pub judged: Arc<BTreeMap<UserId, Judged>>,
    /// Notes, from the logbook, narrow ones first.
    pub notes: Arc<BTreeMap<PackageId, Vec<Note>>>,
}

impl Catalog {
    /// A catalog of which only the states are known yet.
    pub fn new(inventory: Arc<Inventory>) -> Self {
        Self {
            inventory,
            names: Arc::default(),
            metrics: Arc::default(),
            ties: Arc::default(),
            sdk: 0,
            kind: DeviceKind::Phone,
            elsewhere: Arc::default(),
            judged: Arc::default(),
            notes: Arc::default(),
        }
    }

    /// What rules look at, for a user.
    pub fn known(&self, user: UserId) -> Known<'_> {
        Known {
            inventory: &self.inventory,
            names: &self.names,
            metrics: &self.metrics,
            ties: &self.ties,
            elsewhere: &self.elsewhere,
            sdk: self.sdk,
            kind: self.kind,
            user,
        }
    }

    /// Works out what ties the packages for some users, of all that is in it now.
    pub fn judge(&mut self, users: impl IntoIterator<Item = UserId>) {
        let judged = users.into_iter().map(|user| (user, judge(&self.known(user)))).collect();
        self.judged = Arc::new(judged);
    }

    /// What would be known if these were as they are not: for each package the user, the state, and what people have given it by then.
    /// What ties the packages of those users is worked out anew.
    pub fn as_if<'a>(
        &self,
        those: impl IntoIterator<Item = (&'a PackageId, UserId, PackageState, &'a [Given])>,
    ) -> Self {
        let mut inventory = (*self.inventory).clone();
        let mut users = BTreeSet::new();
        for (id, user, state, given) in those {
            let states = inventory.packages.get(id).map(|package| package.states.clone()).unwrap_or_default();
            let was = |other: UserId| {
                let others = states.get(&other).copied().unwrap_or(PackageState::UNREADABLE);
                if other == user { state } else { others }
            };
            inventory.set_states(id, was);
            if let Some(package) = inventory.packages.get_mut(id).map(Arc::make_mut) {
                let chosen = given.iter().filter(|given| !matches!(given, Given::Permission(_))).cloned();
                package.about.chosen.entry(user).or_default().extend(chosen);
            }
            users.insert(user);
        }
        let mut other = self.clone();
        other.inventory = Arc::new(inventory);
        other.judge(users);
        other
    }

    /// What is to be seen of one package by a user.
    pub fn entry(&self, id: &PackageId, user: UserId) -> Option<CatalogEntry<'_>> {
        self.inventory.packages.get(id).map(|package| self.entry_of(package, user))
    }

    fn entry_of<'a>(&'a self, package: &'a Package, user: UserId) -> CatalogEntry<'a> {
        let (id, metrics) = (&package.id, &self.metrics);
        CatalogEntry {
            package,
            user,
            app: self.names.apps.get(id),
            metrics,
            sizes: metrics.sizes.get(id),
            memory: metrics.memory.get(id).copied(),
            usage: metrics.usage.get(&user).and_then(|used| used.get(id)).copied(),
            judgement: self.judged.get(&user).and_then(|judged| judged.packages.get(id)),
            is_judged: self.judged.contains_key(&user),
            notes: self.notes.get(id).map_or(&[], Vec::as_slice),
        }
    }

    /// What is to be seen of every package by a user, by id.
    pub fn entries(&self, user: UserId) -> impl Iterator<Item = CatalogEntry<'_>> {
        // All sources are sorted by id: they are gone through side by side, without looking each package up in each.
        let mut apps = self.names.apps.iter().peekable();
        let mut sizes = self.metrics.sizes.iter().peekable();
        let mut memory = self.metrics.memory.iter().peekable();
        let used = self.metrics.usage.get(&user).into_iter().flatten();
        let mut used = used.peekable();
        let judged = self.judged.get(&user).map(|judged| &judged.packages);
        let mut judged = judged.into_iter().flatten().peekable();
        let mut notes = self.notes.iter().peekable();
        self.inventory.packages.values().map(move |package| {
            let id = &package.id;
            CatalogEntry {
                package,
                user,
                app: at(&mut apps, id),
                metrics: &self.metrics,
                sizes: at(&mut sizes, id),
                memory: at(&mut memory, id).copied(),
                usage: at(&mut used, id).copied(),
                judgement: at(&mut judged, id),
                is_judged: self.judged.contains_key(&user),
                notes: at(&mut notes, id).map_or(&[], Vec::as_slice),
            }
        })
    }

    /// Why a source tells nothing; `None` where it does.
    pub fn why_not(&self, source: Source) -> Option<String> {
        match (self.metrics.gaps.get(&source), self.metrics.asked.contains(&source)) {
            (Some(why), _) => Some(why.clone()),
            (None, true) => None,
            (None, false) => Some("not read yet".to_owned()),
        }
    }
}

/// The value of an id in a sorted source that has been gone through as far as the ids before it.
fn at<'a, V>(source: &mut std::iter::Peekable<impl Iterator<Item = (&'a PackageId, V)>>, id: &PackageId) -> Option<V> {
    while source.next_if(|(other, _)| *other < id).is_some() {}
    source.next_if(|(other, _)| *other == id).map(|(_, value)| value)
}

/// The packages that are chosen for a user.
pub type Chosen = BTreeSet<PackageId>;
