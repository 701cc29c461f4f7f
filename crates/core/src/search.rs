//! Finding packages as one types.
//!
//! Words parted by blanks; a package is found when every word is. A word is looked for anywhere in
//! the id, capital letters or not. A word that begins with a colon stands for a fact instead:
//!
//! | word | finds packages that |
//! |---|---|
//! | `:in-use` `:disabled` `:uninstalled` `:hidden` `:suspended` `:off` | are so for the user at work |
//! | `:system` `:updated` `:user` | come from there |
//! | `:product` `:vendor` `:data` … | are on that partition |
//! | `:tray` | are in the tray |
//!
//! A facts word may be cut short, like `:dis`.

use wibbet_types::UserId;

use crate::model::{Package, PackageKind};
use crate::state::Condition;

/// A search line, taken apart.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Search {
    terms: Vec<Term>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Term {
    Text(String),
    Fact(String),
}

impl Search {
    /// The facts that can be searched for, without the colon; partitions are beside these.
    pub const FACTS: [&'static str; 10] =
        ["in-use", "disabled", "uninstalled", "hidden", "suspended", "off", "system", "updated", "user", "tray"];

    /// Reads a search line. Any text is one; an empty one finds everything.
    pub fn read(line: &str) -> Self {
        let term = |word: &str| match word.strip_prefix(':') {
            Some(fact) => Term::Fact(fact.to_lowercase()),
            None => Term::Text(word.to_lowercase()),
        };
        Self { terms: line.split_whitespace().map(term).collect() }
    }

    /// Whether it finds everything.
    pub fn is_empty(&self) -> bool {
        self.terms.is_empty()
    }

    /// Whether it finds this package for the user at work.
    pub fn finds(&self, package: &Package, user: UserId, in_tray: bool) -> bool {
        self.terms.iter().all(|term| match term {
            Term::Text(text) => contains_ignoring_case(package.id.as_str(), text),
            Term::Fact(fact) => has_fact(package, user, in_tray, fact),
        })
    }
}

/// `needle` is in lower case; ids are ASCII, so nothing has to be copied.
fn contains_ignoring_case(id: &str, needle: &str) -> bool {
    needle.is_empty() || id.as_bytes().windows(needle.len()).any(|part| part.eq_ignore_ascii_case(needle.as_bytes()))
}

fn has_fact(package: &Package, user: UserId, in_tray: bool, fact: &str) -> bool {
    // A bare colon is the beginning of a fact: nothing is ruled out yet.
    if fact.is_empty() {
        return true;
    }
    let condition = package.state(user).condition();
    let kind = match package.kind {
        PackageKind::System => "system",
        PackageKind::UpdatedSystem => "updated",
        PackageKind::User => "user",
    };
    let off = condition.is_off();
    condition.name().starts_with(fact)
        || kind.starts_with(fact)
        || (fact == "system" && package.kind == PackageKind::UpdatedSystem)
        || (off && "off".starts_with(fact))
        || (in_tray && "tray".starts_with(fact))
        || (condition != Condition::Absent && package.partition().starts_with(fact))
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use crate::state::{Enabled, PackageState};

    fn package(id: &str, kind: PackageKind, path: &str, enabled: Enabled) -> Package {
        Package {
            id: id.parse().unwrap(),
            kind,
            path: path.parse().ok(),
            version: Default::default(),
            states: BTreeMap::from([(UserId::OWNER, PackageState { enabled, ..PackageState::IN_USE })]),
        }
    }

    #[test]
    fn words_and_facts() {
        let notes =
            package("com.ostrel.Notes", PackageKind::UpdatedSystem, "/product/app/N.apk", Enabled::DisabledUser);
        for (line, found) in [
            ("", true),
            ("notes", true),
            ("NOTES com", true),
            ("notes xyz", false),
            (":disabled", true),
            (":dis ost", true),
            (":off", true),
            (":in-use", false),
            (":updated", true),
            (":system", true),
            (":user", false),
            (":product", true),
            (":vendor", false),
            (":tray", false),
            (":", true),
            ("ä", false),
        ] {
            assert_eq!(Search::read(line).finds(&notes, UserId::OWNER, false), found, "{line}");
        }
        assert!(Search::read(":tray").finds(&notes, UserId::OWNER, true));
        assert!(Search::read("  ").is_empty());
    }
}
