//! What is chosen on one device.

use std::collections::BTreeMap;
use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, PackageId, UserId};

use super::change::Change;
use crate::android::Capabilities;
use crate::holds::{HoldKind, Judgement};

/// A package that is chosen, with the way and the user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrayItem {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The way.
    pub way: Change,
}

/// The record's form: `WAY USER ID`.
impl fmt::Display for TrayItem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {} {}", self.way, self.user, self.id)
    }
}

impl FromStr for TrayItem {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad =
            || BadId { kind: "tray item", given: s.chars().take(80).collect(), rule: "it has a way, a user and an id" };
        let mut parts = s.splitn(3, ' ');
        let mut next = || parts.next().ok_or_else(bad);
        let way: Change = next()?.parse()?;
        let (user, id) = (next()?.parse()?, next()?.parse()?);
        if way.is_a_way() { Ok(Self { id, user, way }) } else { Err(bad()) }
    }
}

/// A tray as a file has it: an item a line in the record's form, `WAY USER ID`, blanks as one likes; what stands behind `#` is a
/// remark.
///
/// # Errors
/// The first line that is no item, or that names what another line has named already.
pub fn read_tray(text: &str) -> Result<Vec<TrayItem>, BadTray> {
    let mut lines: BTreeMap<(PackageId, UserId), usize> = BTreeMap::new();
    let mut tray = Vec::new();
    for (line, words) in text.lines().enumerate().map(|(n, line)| (n + 1, line)) {
        let words: Vec<&str> = words.split('#').next().unwrap_or_default().split_whitespace().collect();
        if words.is_empty() {
            continue;
        }
        let item: TrayItem = words.join(" ").parse().map_err(|why| BadTray::NoItem { line, why })?;
        if let Some(first) = lines.insert((item.id.clone(), item.user), line) {
            return Err(BadTray::Twice { line, first, id: item.id, user: item.user });
        }
        tray.push(item);
    }
    Ok(tray)
}

/// Why a text is no tray. Lines are counted from 1.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadTray {
    /// A line is no item.
    #[error("line {line}: {why}. A line is a way, a user and an id, as in: disable 0 com.ostrel.notes")]
    NoItem {
        /// Which.
        line: usize,
        /// What is wrong with it.
        why: BadId,
    },
    /// A package is named twice for a user.
    #[error("line {line} names {id} for user {user}, as line {first} does: one way is all that can be done with it")]
    Twice {
        /// The second one.
        line: usize,
        /// The first one.
        first: usize,
        /// The package.
        id: PackageId,
        /// The user.
        user: UserId,
    },
}

/// The way that a package is marked with at first: where something here needs it, or its user does, the one that can be taken back
/// with all its data; else it is uninstalled. What ties it may not be known: then nothing speaks against that.
pub fn first_way(judgement: Option<&Judgement>, capabilities: &Capabilities) -> Change {
    let weighs = |kind: HoldKind| matches!(kind, HoldKind::Role | HoldKind::Need | HoldKind::Habit);
    let held = judgement.is_some_and(|one| one.holds.iter().any(|hold| weighs(hold.kind)));
    if held && capabilities.disables { Change::Disable } else { Change::Uninstall }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    #[test]
    fn items_are_written_down_and_read_again() {
        let item: TrayItem = "disable 10 com.ostrel.notes".parse().unwrap();
        assert_eq!((item.way, item.user, item.id.as_str()), (Change::Disable, UserId::new(10), "com.ostrel.notes"));
        assert_eq!(item.to_string().parse(), Ok(item));
        for bad in ["", "disable", "disable 10", "disable x a.b", "unhide 0 a.b", "fly 0 a.b", "disable 0 a b"] {
            assert!(bad.parse::<TrayItem>().is_err(), "{bad}");
        }
    }

    #[test]
    fn a_file_has_an_item_a_line() {
        let text = "# for the piers\n\ndisable 10 com.ostrel.notes # the old one\r\n  uninstall\t0  com.ostrel.notes\nclear-data 0 com.ostrel.radio";
        let tray: Vec<String> = read_tray(text).unwrap().iter().map(ToString::to_string).collect();
        assert_eq!(
            tray,
            ["disable 10 com.ostrel.notes", "uninstall 0 com.ostrel.notes", "clear-data 0 com.ostrel.radio"]
        );
        assert_eq!(read_tray("# nothing\n"), Ok(vec![]));
        for (text, line) in [
            ("disable 0 com.a\n\nfly 0 com.b", 3),
            ("disable com.a", 1),
            ("disable 0 com.a; reboot", 1),
            ("disable 0 com.a\nenable 0 com.b", 2),
            ("disable 0 com.a\nuninstall 1 com.a\nuninstall 0 com.a", 3),
        ] {
            let (BadTray::NoItem { line: at, .. } | BadTray::Twice { line: at, .. }) = read_tray(text).unwrap_err();
            assert_eq!(at, line, "{text}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_a_tray_or_says_which_line(text in any::<String>()) {
            if let Ok(tray) = read_tray(&text) {
                let again: Vec<String> = tray.iter().map(ToString::to_string).collect();
                prop_assert_eq!(read_tray(&again.join("\n")), Ok(tray));
            }
        }
    }

    #[test]
    fn what_nothing_ties_is_uninstalled() {
        let capabilities = testing::capabilities(34);
        assert_eq!(first_way(None, &capabilities), Change::Uninstall);
        assert_eq!(first_way(Some(&Judgement::default()), &capabilities), Change::Uninstall);
    }
}
