//! What a search line means, as a tree.

use std::collections::BTreeSet;

use nucleo_matcher::pattern::{Atom, AtomKind, CaseMatching, Normalization};

use super::facts::Fact;
use crate::catalog::{CatalogEntry, Column, Value};
use crate::holds::HoldKind;
use crate::package::Source;

/// A word that is looked for.
#[derive(Debug, Clone)]
pub(crate) struct Word {
    /// As it stands, in lower case.
    pub(super) text: String,
    pub(super) letters: u32,
    /// With letters left out, where it is long enough for that.
    pub(super) fuzzy: Option<Atom>,
}

impl Word {
    pub(crate) fn new(text: &str, whole: bool) -> Self {
        let letters = u32::try_from(text.chars().count()).unwrap_or(u32::MAX);
        let fuzzy = (!whole && letters >= 3)
            .then(|| Atom::new(text, CaseMatching::Ignore, Normalization::Smart, AtomKind::Fuzzy, false));
        Self { text: text.to_lowercase(), letters, fuzzy }
    }
}

/// A comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Op {
    More,
    Less,
    AtLeast,
    AtMost,
    Equal,
}

/// What something is compared with.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Given {
    /// Bytes, seconds or a number.
    Number(f64),
    /// Text in lower case.
    Text(String),
}

#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Compare {
    pub(crate) attribute: Column,
    pub(crate) op: Op,
    pub(crate) given: Given,
}

impl Compare {
    /// Whether it holds of a package; `None` where the device did not report what it takes.
    pub(super) fn holds(&self, entry: &CatalogEntry<'_>) -> Option<bool> {
        let value = (self.attribute.get)(entry)?;
        match (&self.given, &value) {
            // Any of the users will do.
            (Given::Number(wanted), Value::Users(users)) => {
                Some(users.iter().any(|user| self.op.holds(f64::from(user.number()), *wanted)))
            }
            (Given::Number(wanted), value) => value.measure().map(|number| self.op.holds(number, *wanted)),
            (Given::Text(wanted), value) => value.contains(wanted),
        }
    }
}

#[derive(Debug, Clone)]
pub(crate) enum Expr {
    Word(Word),
    Fact(Fact),
    Compare(Compare),
    Not(Box<Expr>),
    All(Vec<Expr>),
    Any(Vec<Expr>),
}

impl Expr {
    pub(crate) fn has_words(&self) -> bool {
        let mut any = false;
        self.words(&mut |_| any = true);
        any
    }

    /// What has to be read for it beside package service and APKs.
    pub(crate) fn sources(&self, all: &mut BTreeSet<Source>) {
        match self {
            Self::Compare(compare) => all.extend(compare.attribute.source),
            Self::Fact(Fact::Running) => drop(all.insert(Source::Running)),
            Self::Fact(Fact::Unused) => drop(all.insert(Source::Usage)),
            Self::Fact(Fact::Tied(HoldKind::Habit) | Fact::Verdict(_)) => drop(all.insert(Source::Usage)),
            Self::Not(inner) => inner.sources(all),
            Self::All(parts) | Self::Any(parts) => parts.iter().for_each(|part| part.sources(all)),
            Self::Word(_) | Self::Fact(_) => {}
        }
    }

    /// Whether what it finds hangs on what ties packages.
    pub(crate) fn asks_for_holds(&self) -> bool {
        match self {
            Self::Compare(compare) => ["stops", "leaning", "roles", "holds"].contains(&compare.attribute.name),
            Self::Fact(fact) => matches!(fact, Fact::Tied(_) | Fact::Verdict(_) | Fact::Last),
            Self::Not(inner) => inner.asks_for_holds(),
            Self::All(parts) | Self::Any(parts) => parts.iter().any(Self::asks_for_holds),
            Self::Word(_) => false,
        }
    }

    /// The words that are looked for, not those that must not be there.
    pub(crate) fn words(&self, each: &mut dyn FnMut(&Word)) {
        match self {
            Self::Word(word) => each(word),
            Self::All(parts) | Self::Any(parts) => parts.iter().for_each(|p| p.words(each)),
            Self::Fact(_) | Self::Compare(_) | Self::Not(_) => {}
        }
    }
}

impl Op {
    pub(super) fn holds(self, number: f64, wanted: f64) -> bool {
        match self {
            Self::More => number > wanted,
            Self::Less => number < wanted,
            Self::AtLeast => number >= wanted,
            Self::AtMost => number <= wanted,
            Self::Equal => number == wanted,
        }
    }
}
