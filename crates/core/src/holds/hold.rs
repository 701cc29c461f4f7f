//! A hold, and what holds make of a package.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, PlainText, named};

use super::known::{HoldSource, UsedBy};

/// The kinds of hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum HoldKind {
    /// Without it the device is not expected to start, or to stay usable.
    Start,
    /// It is the active or the last provider of something that people need.
    Role,
    /// Another package in use leans on it.
    Need,
    /// The person uses it.
    Habit,
}
named!(HoldKind { Start => "start", Role => "role", Need => "need", Habit => "habit" });

/// Where a hold comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Sure {
    /// Seen on this device.
    Seen,
    /// Inferred from what was seen on this device.
    Inferred,
    /// Known of Android.
    Known,
    /// Seen on another device of this model.
    Elsewhere,
}
named!(Sure { Seen => "seen", Inferred => "inferred", Known => "known", Elsewhere => "elsewhere" });

/// What shows a hold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Evidence {
    /// From where it is.
    pub source: HoldSource,
    /// What stands there, in words.
    pub text: String,
}

impl Evidence {
    pub(crate) fn new(source: HoldSource, text: impl Into<String>) -> Self {
        Self { source, text: text.into() }
    }
}

/// One thing that ties a package to the device, for a user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hold {
    /// Of what kind.
    pub kind: HoldKind,
    /// What it does: "keyboard", "home", the name of what another package leans on.
    pub what: String,
    /// What stops without it, in a few words.
    pub stops: String,
    /// How sure that is.
    pub sure: Sure,
    /// Of a start: 1 the package service never comes up, 2 the system dies behind it, 3 it starts and cannot be used.
    pub class: Option<u8>,
    /// What shows it.
    pub evidence: Vec<Evidence>,
    /// What would lift it.
    pub lifted_by: Option<String>,
    /// Of a need: who leans on it.
    pub by: BTreeSet<PackageId>,
    /// Of a role: how many more could do it.
    pub others: usize,
    /// Of a role: it is known that nobody else does it.
    pub last: bool,
}

impl Hold {
    pub(crate) fn new(kind: HoldKind, what: impl Into<String>, stops: impl Into<String>, sure: Sure) -> Self {
        Self {
            kind,
            what: what.into(),
            stops: stops.into(),
            sure,
            class: None,
            evidence: Vec::new(),
            lifted_by: None,
            by: BTreeSet::new(),
            others: 0,
            last: false,
        }
    }

    /// Of a start: what its class means, in words.
    pub fn class_words(&self) -> Option<&'static str> {
        self.class.map(|class| match class {
            1 => "nothing brings it back",
            2 => "the system dies without it",
            _ => "it starts and cannot be used",
        })
    }

    pub(crate) fn shown_by(mut self, source: HoldSource, text: impl Into<String>) -> Self {
        self.evidence.push(Evidence::new(source, text));
        self
    }

    pub(crate) fn lifted_by(mut self, what: Option<impl Into<String>>) -> Self {
        self.lifted_by = what.map(Into::into);
        self
    }

    pub(crate) fn of_class(mut self, class: Option<u8>) -> Self {
        self.class = class;
        self
    }
}

/// What rules find: holds by package.
pub(crate) type Found = BTreeMap<PackageId, Vec<Hold>>;

/// What holds make of a package.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Verdict {
    /// Something ties it.
    Held,
    /// All sources that could show a hold were read, and none did.
    Free,
    /// None was found, and not all sources were read.
    Unread,
}
named!(Verdict { Held => "held", Free => "free", Unread => "unread" });

/// What is known of what ties a package, for a user.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Judgement {
    /// The holds, the weightiest kind first.
    pub holds: Vec<Hold>,
    /// Sources of its own that could not be read.
    pub unread: Vec<HoldSource>,
    /// Who uses its services and providers at the moment, as far as that was told.
    pub used_by: BTreeSet<UsedBy>,
    /// Whether sources for all packages are missing.
    pub all_unread: bool,
}

impl Judgement {
    /// What that makes of it.
    pub fn verdict(&self) -> Verdict {
        match (self.holds.is_empty(), self.unread.is_empty() && !self.all_unread) {
            (false, _) => Verdict::Held,
            (true, true) => Verdict::Free,
            (true, false) => Verdict::Unread,
        }
    }

    /// Whether what shows a hold already says who uses it at the moment.
    pub fn says_who_uses_it(&self) -> bool {
        self.holds.iter().flat_map(|hold| &hold.evidence).any(|evidence| evidence.source == HoldSource::Bindings)
    }

    /// Its holds in words by which they are held against those of another time or device, such as `role keyboard`. What people use is
    /// not among them: that differs from each to the next.
    pub fn names(&self) -> BTreeSet<String> {
        let holds = self.holds.iter().filter(|hold| hold.kind != HoldKind::Habit);
        holds
            .map(|hold| PlainText::new(&format!("{} {}", hold.kind, hold.what)).into_string().replace('\t', " "))
            .collect()
    }

    /// Whether it is the last one that does something which people need.
    pub fn is_the_last(&self) -> bool {
        self.holds.iter().any(|hold| hold.kind == HoldKind::Role && hold.last)
    }

    /// Whether there is a hold of a kind.
    pub fn has(&self, kind: HoldKind) -> bool {
        self.holds.iter().any(|hold| hold.kind == kind)
    }

    /// The class of the weightiest start hold: the lowest.
    pub fn start_class(&self) -> Option<u8> {
        self.holds.iter().filter_map(|hold| hold.class).min()
    }

    /// What stops when it goes, in a few words: "calls", "typing", "3 packages", "nothing found".
    pub fn stops(&self) -> String {
        let mut words: Vec<&str> = Vec::new();
        for hold in self.holds.iter().filter(|hold| matches!(hold.kind, HoldKind::Start | HoldKind::Role)) {
            if !words.contains(&hold.stops.as_str()) {
                words.push(&hold.stops);
            }
        }
        // What was missed elsewhere names nobody.
        words.extend(
            self.holds.iter().filter(|h| h.kind == HoldKind::Need && h.by.is_empty()).map(|h| h.stops.as_str()),
        );
        let leaning: BTreeSet<&PackageId> = self.holds.iter().flat_map(|hold| &hold.by).collect();
        let packages = match leaning.len() {
            0 => None,
            1 => Some("1 package".to_owned()),
            count => Some(format!("{count} packages")),
        };
        let all: Vec<&str> = words.into_iter().chain(packages.as_deref()).collect();
        match (all.is_empty(), self.verdict()) {
            (false, _) => all.join(", "),
            (true, Verdict::Held) => "its own use".into(),
            (true, Verdict::Free) => "nothing found".into(),
            (true, Verdict::Unread) => "not known".into(),
        }
    }
}
