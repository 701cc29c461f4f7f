//! Everything that is known of a device's packages, from all sources together.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use crate::label::{AppFacts, AppNames, guessed_name};
use crate::measure::{Measures, Sizes, Source, Usage};
use crate::model::{Inventory, Package};
use crate::note::Note;
use wibbet_types::Stamp;

/// The sources of what a table shows, each immutable and replaced as a whole.
#[derive(Debug, Clone)]
pub struct Sheet {
    /// States, from the package service.
    pub inventory: Arc<Inventory>,
    /// Labels, from the APKs.
    pub names: Arc<AppNames>,
    /// Sizes, memory, use.
    pub measures: Arc<Measures>,
    /// Notes, from the logbook, narrow ones first.
    pub notes: Arc<BTreeMap<PackageId, Vec<Note>>>,
}

impl Sheet {
    /// A sheet of which only the states are known yet.
    pub fn new(inventory: Arc<Inventory>) -> Self {
        Self { inventory, names: Arc::default(), measures: Arc::default(), notes: Arc::default() }
    }

    /// What is to be seen of one package by a user.
    pub fn sight(&self, id: &PackageId, user: UserId) -> Option<Sight<'_>> {
        self.inventory.packages.get(id).map(|package| self.sight_of(package, user))
    }

    fn sight_of<'a>(&'a self, package: &'a Package, user: UserId) -> Sight<'a> {
        let (id, measures) = (&package.id, &self.measures);
        Sight {
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
    pub fn sights(&self, user: UserId) -> impl Iterator<Item = Sight<'_>> {
        // All sources are sorted by id: they are gone through side by side, without looking each package up in each.
        let mut apps = self.names.apps.iter().peekable();
        let mut sizes = self.measures.sizes.iter().peekable();
        let mut memory = self.measures.memory.iter().peekable();
        let used = self.measures.usage.get(&user).into_iter().flatten();
        let mut used = used.peekable();
        let mut notes = self.notes.iter().peekable();
        self.inventory.packages.values().map(move |package| {
            let id = &package.id;
            Sight {
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

/// One package as a user of the device has it.
#[derive(Debug, Clone, Copy)]
pub struct Sight<'a> {
    /// What the package service tells.
    pub package: &'a Package,
    /// For whom.
    pub user: UserId,
    /// What its APK tells.
    pub app: Option<&'a AppFacts>,
    /// The measures of the device.
    pub measures: &'a Measures,
    sizes: Option<&'a Sizes>,
    memory: Option<u64>,
    usage: Option<Usage>,
    /// The notes on it, narrow ones first.
    pub notes: &'a [Note],
}

impl Sight<'_> {
    /// The name under which people know it, where one was read.
    pub fn label(&self) -> Option<&str> {
        self.app.and_then(AppFacts::name).map(|name| without_leading_marks(name.as_str()))
    }

    /// The label, or else a guess; whether it is one.
    pub fn name(&self) -> (String, bool) {
        match self.label() {
            Some(label) if !label.trim().is_empty() => (label.to_owned(), false),
            _ => (guessed_name(&self.package.id), true),
        }
    }

    /// Whether any note has a star.
    pub fn star(&self) -> bool {
        self.notes.iter().any(|n| n.star)
    }

    /// All that was noted, narrow notes first.
    pub fn note(&self) -> String {
        let texts: Vec<&str> = self.notes.iter().map(|n| n.text.as_str()).filter(|t| !t.is_empty()).collect();
        texts.join(" · ")
    }

    /// Whether it has a process; `None` where that is not told.
    pub fn running(&self) -> Option<bool> {
        let told = self.measures.tells(Source::Running);
        told.then(|| self.measures.running.contains(&(self.package.id.clone(), self.user)))
    }

    /// Bytes: of a kind, or all.
    pub fn size(&self, pick: fn(&Sizes) -> u64) -> Option<u64> {
        self.sizes.map(pick)
    }

    /// Bytes of memory; none for what has no process, `None` where that is not told.
    pub fn memory(&self) -> Option<u64> {
        let told = self.measures.tells(Source::Memory);
        told.then(|| self.memory.unwrap_or(0))
    }

    /// Days since it was last in front, `Some(None)` for never. Of what the user does not have that says nothing.
    pub fn idle_days(&self) -> Option<Option<i64>> {
        if !self.package.state(self.user).installed {
            return None;
        }
        let now = self.measures.now?;
        self.measures.usage.get(&self.user)?;
        Some(self.last_use().map(|last| last.days_until(now)))
    }

    /// When it was last in front.
    pub fn last_use(&self) -> Option<Stamp> {
        self.usage.and_then(|u| u.last)
    }

    /// Seconds in front.
    pub fn used_seconds(&self) -> Option<u64> {
        self.measures.usage.get(&self.user)?;
        Some(self.usage.map_or(0, |u| u.seconds))
    }
}

/// A label without the marks of direction that many Arabic and Hebrew ones begin with: made visible, they are there for
/// programs and would be in the way of reading.
fn without_leading_marks(mut label: &str) -> &str {
    const MARKS: [&str; 3] = ["‹U+200E›", "‹U+200F›", "‹U+061C›"];
    while let Some(rest) = MARKS.iter().find_map(|mark| label.strip_prefix(mark)) {
        label = rest;
    }
    label
}

/// The notes of a device by package.
pub fn notes_by_package(notes: Vec<Note>) -> BTreeMap<PackageId, Vec<Note>> {
    let mut all: BTreeMap<PackageId, Vec<Note>> = BTreeMap::new();
    for note in notes {
        all.entry(note.id.clone()).or_default().push(note);
    }
    all.values_mut().for_each(|notes| notes.sort_by_key(|n| n.scope));
    all
}

/// The packages that are chosen for a user.
pub type Chosen = BTreeSet<PackageId>;
