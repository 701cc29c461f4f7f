//! What is chosen on one device.

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
    fn what_nothing_ties_is_uninstalled() {
        let capabilities = testing::capabilities(34);
        assert_eq!(first_way(None, &capabilities), Change::Uninstall);
        assert_eq!(first_way(Some(&Judgement::default()), &capabilities), Change::Uninstall);
    }
}
