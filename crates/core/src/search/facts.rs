//! The facts that can be asked for.

use crate::android::partitions;
use crate::catalog::{CatalogEntry, LastUse};
use crate::holds::{HoldKind, Judgement, Verdict};
use crate::package::{Condition, PackageKind};

/// A fact that holds or does not.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fact {
    /// A state for the user at work.
    Is(Condition),
    /// Off in any way.
    Off,
    /// On the system partition, updated or not.
    System,
    /// On the system partition, with an update.
    Updated,
    /// Installed by somebody.
    User,
    /// Chosen.
    Tray,
    /// With a star.
    Star,
    /// With a note.
    Noted,
    /// With a process.
    Running,
    /// With an entry on the home screen.
    Home,
    /// No use of it is remembered.
    Unused,
    /// Without a label that could be read.
    Unnamed,
    /// Changes the look of another package.
    Overlay,
    /// Tied by a kind of hold.
    Tied(HoldKind),
    /// The last one that does something which people need.
    Last,
    /// Held, free, or not all read.
    Verdict(Verdict),
    /// On a partition.
    Partition(&'static str),
}

/// A fact by name.
#[derive(Debug, Clone, Copy)]
pub struct FactRow {
    /// Its name behind the colon.
    pub name: &'static str,
    /// The fact.
    pub fact: Fact,
    /// What it finds.
    pub doc: &'static str,
}

const fn row(name: &'static str, fact: Fact, doc: &'static str) -> FactRow {
    FactRow { name, fact, doc }
}

/// The facts, with what each finds. Another one is a row, and what it holds of.
const ROWS: &[FactRow] = &[
    row("in-use", Fact::Is(Condition::InUse), "installed for the user, and on"),
    row("dormant", Fact::Is(Condition::Dormant), "installed, and off by its own manifest"),
    row("disabled", Fact::Is(Condition::Disabled), "installed, but disabled"),
    row("uninstalled", Fact::Is(Condition::Uninstalled), "uninstalled for the user, still on the device"),
    row("archived", Fact::Is(Condition::Archived), "its code went, its icon and data stayed"),
    row("hidden", Fact::Is(Condition::Hidden), "hidden by an administrator or root"),
    row("suspended", Fact::Is(Condition::Suspended), "greyed out and not started"),
    row("unreadable", Fact::Is(Condition::Unreadable), "its state could not be read"),
    row("off", Fact::Off, "disabled, uninstalled, hidden or suspended"),
    row("system", Fact::System, "came with the system, updated or not"),
    row("updated", Fact::Updated, "came with the system and was updated since"),
    row("user", Fact::User, "installed by somebody"),
    row("tray", Fact::Tray, "in the tray"),
    row("star", Fact::Star, "with a star"),
    row("noted", Fact::Noted, "with a note"),
    row("running", Fact::Running, "with a process now"),
    row("home", Fact::Home, "with an entry on the home screen"),
    row("unused", Fact::Unused, "not used as far back as the device remembers"),
    row("unnamed", Fact::Unnamed, "without a label that could be read"),
    row("overlay", Fact::Overlay, "changes the look of another package"),
    row("start", Fact::Tied(HoldKind::Start), "the device does not start without it, or cannot be used"),
    row("role", Fact::Tied(HoldKind::Role), "the active or the last one that gives what people need"),
    row("last", Fact::Last, "nobody else in use gives what people need of it"),
    row("need", Fact::Tied(HoldKind::Need), "another package in use leans on it"),
    row("habit", Fact::Tied(HoldKind::Habit), "the person uses it"),
    row("held", Fact::Verdict(Verdict::Held), "tied by anything"),
    row("free", Fact::Verdict(Verdict::Free), "all that could tie it was read, and nothing does"),
    row("unread", Fact::Verdict(Verdict::Unread), "nothing was found that ties it, and not all was read"),
];

/// The facts by name, partitions included.
pub fn facts() -> impl Iterator<Item = FactRow> {
    ROWS.iter().copied().chain(partitions().map(|(name, doc)| row(name, Fact::Partition(name), doc)))
}

impl Fact {
    pub(crate) fn holds(self, entry: &CatalogEntry<'_>, chosen: bool) -> Option<bool> {
        let package = entry.package;
        let condition = package.condition(entry.user);
        Some(match self {
            Self::Is(wanted) => condition == wanted,
            Self::Off => condition.is_off(),
            Self::System => package.kind != PackageKind::User,
            Self::Updated => package.kind == PackageKind::UpdatedSystem,
            Self::User => package.kind == PackageKind::User,
            Self::Tray => chosen,
            Self::Star => entry.star(),
            Self::Noted => entry.notes.iter().any(|n| !n.text.is_empty()),
            Self::Running => entry.running()?,
            Self::Home => !entry.app?.home.is_empty(),
            Self::Unused => matches!(entry.last_use()?, LastUse::NoneSince(_)),
            Self::Unnamed => entry.label().is_none(),
            Self::Overlay => entry.app?.overlay_of.is_some(),
            Self::Tied(kind) => entry.tied()?.is_some_and(|one| one.has(kind)),
            Self::Last => entry.tied()?.is_some_and(Judgement::is_the_last),
            Self::Verdict(wanted) => entry.tied()?.is_some_and(|one| one.verdict() == wanted),
            Self::Partition(name) => package.partition() == name,
        })
    }
}
