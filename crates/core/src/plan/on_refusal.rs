//! What is tried where a way of taking out is refused, chosen before the run so that nobody is asked in the middle.

use std::fmt;
use std::str::FromStr;

use wibbet_types::BadId;

use super::change::Change;
use crate::android::Capabilities;

/// What is tried in place of a way that was refused, in this order. Only ways that keep an app's data are among them: a refusal
/// never leads to more than was planned.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct OnRefusal {
    /// Disable.
    pub disable: bool,
    /// Suspend.
    pub suspend: bool,
}

impl OnRefusal {
    /// All that can be chosen, the most careful first.
    pub const ALL: [Self; 4] = [
        Self { disable: false, suspend: false },
        Self { disable: true, suspend: false },
        Self { disable: false, suspend: true },
        Self { disable: true, suspend: true },
    ];

    /// What is tried next for a package that was refused these ways, the last one last.
    pub fn next(self, refused: &[Change], capabilities: &Capabilities) -> Option<Change> {
        let wanted = [
            (self.disable && capabilities.disables, Change::Disable),
            (self.suspend && capabilities.suspends(), Change::Suspend),
        ];
        wanted.into_iter().find(|(wanted, way)| *wanted && !refused.contains(way)).map(|(_, way)| way)
    }

    /// In words: "if refused: disable, else suspend, else leave it".
    pub fn words(self) -> &'static str {
        match (self.disable, self.suspend) {
            (false, false) => "if refused: leave it as it is",
            (true, false) => "if refused: disable, else leave it",
            (false, true) => "if refused: suspend, else leave it",
            (true, true) => "if refused: disable, else suspend, else leave it",
        }
    }
}

/// The form of the record and of the command line: `disable,suspend`; `leave` for nothing.
impl fmt::Display for OnRefusal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match (self.disable, self.suspend) {
            (false, false) => "leave",
            (true, false) => "disable",
            (false, true) => "suspend",
            (true, true) => "disable,suspend",
        })
    }
}

impl FromStr for OnRefusal {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        Self::ALL.into_iter().find(|known| known.to_string() == s).ok_or_else(|| BadId {
            kind: "policy",
            given: s.chars().take(40).collect(),
            rule: "it is one of leave, disable, suspend, and disable,suspend",
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn what_is_tried_next() {
        use Change::{Disable, Suspend, Uninstall};
        let both: OnRefusal = "disable,suspend".parse().unwrap();
        for (sdk, refused, next) in [
            (34, &[Uninstall][..], Some(Disable)),
            (34, &[Uninstall, Disable], Some(Suspend)),
            (34, &[Disable], Some(Suspend)),
            (34, &[Uninstall, Disable, Suspend], None),
            (26, &[Uninstall, Disable], None),
        ] {
            assert_eq!(both.next(refused, &testing::capabilities(sdk)), next, "{sdk} {refused:?}");
        }
        let cannot = Capabilities { disables: false, ..testing::capabilities(34) };
        assert_eq!(both.next(&[Uninstall], &cannot), Some(Suspend));
        assert_eq!(OnRefusal::default().next(&[Uninstall], &testing::capabilities(34)), None);
        for known in OnRefusal::ALL {
            assert_eq!(known.to_string().parse(), Ok(known));
        }
        assert!("uninstall".parse::<OnRefusal>().is_err());
    }
}
