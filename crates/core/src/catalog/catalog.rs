//! Everything known of a device's packages, put together. Each source is a value of its own that is replaced as a whole.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use super::entry::CatalogEntry;
use crate::package::{AppNames, Inventory, Metrics, Note, Package, Source};

/// The sources of what a table shows, each immutable and replaced as a whole.
#[derive(Debug, Clone)]
pub struct Catalog {
    /// States, from the package service.
    pub inventory: Arc<Inventory>,
    /// Labels, from the APKs.
    pub names: Arc<AppNames>,
    /// Sizes, memory, use.
    pub measures: Arc<Metrics>,
    /// Notes, from the logbook, narrow ones first.
    pub notes: Arc<BTreeMap<PackageId, Vec<Note>>>,
}

impl Catalog {
    /// A sheet of which only the states are known yet.
    pub fn new(inventory: Arc<Inventory>) -> Self {
        Self { inventory, names: Arc::default(), measures: Arc::default(), notes: Arc::default() }
    }

    /// What is to be seen of one package by a user.
    pub fn sight(&self, id: &PackageId, user: UserId) -> Option<CatalogEntry<'_>> {
        self.inventory.packages.get(id).map(|package| self.sight_of(package, user))
    }

    fn sight_of<'a>(&'a self, package: &'a Package, user: UserId) -> CatalogEntry<'a> {
        let (id, measures) = (&package.id, &self.measures);
        CatalogEntry {
            package,
            user,
            app: self.names.apps.get(id),
            measures,
            sizes: measures.sizes.get(id),
            memory: measures.memory.get(id).copied(),
            usage: measures.usage.get(&user).and_then(|used| used.get(id)).copied(),
            notes: self.notes.get(id).map_or(&[], Vec::as_slice),
        }
    }

    /// What is to be seen of every package by a user, by id.
    pub fn sights(&self, user: UserId) -> impl Iterator<Item = CatalogEntry<'_>> {
        // All sources are sorted by id: they are gone through side by side, without looking each package up in each.
        let mut apps = self.names.apps.iter().peekable();
        let mut sizes = self.measures.sizes.iter().peekable();
        let mut memory = self.measures.memory.iter().peekable();
        let used = self.measures.usage.get(&user).into_iter().flatten();
        let mut used = used.peekable();
        let mut notes = self.notes.iter().peekable();
        self.inventory.packages.values().map(move |package| {
            let id = &package.id;
            CatalogEntry {
                package,
                user,
                app: at(&mut apps, id),
                measures: &self.measures,
                sizes: at(&mut sizes, id),
                memory: at(&mut memory, id).copied(),
                usage: at(&mut used, id).copied(),
                notes: at(&mut notes, id).map_or(&[], Vec::as_slice),
            }
        })
    }

    /// Why a source tells nothing; `None` where it does.
    pub fn why_not(&self, source: Source) -> Option<String> {
        match (self.measures.gaps.get(&source), self.measures.asked.contains(&source)) {
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
