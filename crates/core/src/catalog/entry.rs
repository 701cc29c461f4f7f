//! One package of the catalog as one user has it.

use std::borrow::Cow;

use wibbet_types::{DeviceTime, UserId};

use super::value::{DisplayName, LastUse};
use crate::holds::Judgement;
use crate::package::{AppFacts, Metrics, Note, Package, Sizes, Source, Usage, guessed_name};

/// One package as a user of the device has it.
#[derive(Debug, Clone, Copy)]
pub struct CatalogEntry<'a> {
    /// What the package service tells.
    pub package: &'a Package,
    /// For whom.
    pub user: UserId,
    /// What its APK tells.
    pub app: Option<&'a AppFacts>,
    /// The metrics of the device.
    pub metrics: &'a Metrics,
    pub(super) sizes: Option<&'a Sizes>,
    pub(super) memory: Option<u64>,
    pub(super) usage: Option<Usage>,
    /// What ties it; nothing where it is not in use.
    pub judgement: Option<&'a Judgement>,
    /// Whether that has been worked out.
    pub(super) is_judged: bool,
    /// The notes on it, narrow ones first.
    pub notes: &'a [Note],
}

impl<'a> CatalogEntry<'a> {
    /// The name under which people know it, where one was read.
    pub fn label(&self) -> Option<&'a str> {
        self.app.and_then(AppFacts::name).map(|name| without_leading_marks(name.as_str()))
    }

    /// The label, or else a guess.
    pub fn name(&self) -> DisplayName<'a> {
        match self.label() {
            Some(label) if !label.trim().is_empty() => DisplayName { text: Cow::Borrowed(label), guessed: false },
            _ => DisplayName { text: Cow::Owned(guessed_name(&self.package.id)), guessed: true },
        }
    }

    /// What ties it: nothing for what is not in use, `None` where that has not been worked out.
    pub(crate) fn tied(&self) -> Option<Option<&'a Judgement>> {
        self.is_judged.then_some(self.judgement)
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
        let told = self.metrics.tells(Source::Running);
        let runs = told.then(|| self.metrics.running.contains(&(self.package.id.clone(), self.user)));
        runs.filter(|runs| *runs || self.may_run_in().is_none())
    }

    /// The process of others in which it may live, where that cannot be told: they share a user.
    pub fn may_run_in(&self) -> Option<&'a str> {
        self.metrics.may_run.get(&self.package.id)?.get(&self.user).map(AsRef::as_ref)
    }

    /// Bytes: of a kind, or all.
    pub fn size(&self, pick: fn(&Sizes) -> Option<u64>) -> Option<u64> {
        self.sizes.and_then(pick)
    }

    /// Bytes of memory; none for what has no process, `None` where that is not told.
    pub fn memory(&self) -> Option<u64> {
        let told = self.metrics.tells(Source::Memory);
        let shares = || self.metrics.may_run.contains_key(&self.package.id);
        self.memory.or_else(|| (!shares()).then_some(0)).filter(|_| told)
    }

    /// When it was last used. `None` when that is not known, or the package is not installed for the user.
    pub fn last_use(&self) -> Option<LastUse> {
        if !self.package.state(self.user).installed {
            return None;
        }
        let now = self.metrics.now?;
        self.metrics.usage.get(&self.user)?;
        if self.usage.is_some_and(|usage| usage.unreadable && usage.last.is_none()) {
            return None;
        }
        Some(match self.usage.and_then(|u| u.last) {
            None => LastUse::NoneSince(self.use_since().map(|since| since.days_until(now))),
            Some(last) => LastUse::Ago { days: last.days_until(now), seconds: now.0 - last.0 },
        })
    }

    /// Since when its use is remembered, where that is told.
    pub fn use_since(&self) -> Option<DeviceTime> {
        self.metrics.usage_since.get(&self.user).copied()
    }

    /// Seconds on the screen.
    pub fn used_seconds(&self) -> Option<u64> {
        self.metrics.usage.get(&self.user)?;
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
