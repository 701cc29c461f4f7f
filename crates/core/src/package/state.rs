//! The state of a package for one user.

use std::fmt;
use std::str::FromStr;

use thiserror::Error;

/// Android's enabled setting of a package. Source: `PackageManager.COMPONENT_ENABLED_STATE_*`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub enum Enabled {
    /// 0: as the package's own manifest says. Not the same as [`Enabled::Enabled`].
    #[default]
    Default,
    /// 1: enabled by somebody.
    Enabled,
    /// 2: disabled by the system or with root.
    Disabled,
    /// 3: disabled by the user or over debugging.
    DisabledUser,
    /// 4: disabled until something asks for it.
    DisabledUntilUsed,
}

impl Enabled {
    const ALL: [Self; 5] = [Self::Default, Self::Enabled, Self::Disabled, Self::DisabledUser, Self::DisabledUntilUsed];

    /// The number that Android uses.
    pub fn number(self) -> u8 {
        self as u8
    }

    /// The setting of a number.
    pub fn from_number(number: u8) -> Option<Self> {
        Self::ALL.get(usize::from(number)).copied()
    }

    /// Whether the package is off by this setting.
    pub fn is_off(self) -> bool {
        matches!(self, Self::Disabled | Self::DisabledUser | Self::DisabledUntilUsed)
    }
}

/// What a package is to one user, in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Condition {
    /// Installed and not off in any way.
    InUse,
    /// Installed, and off by its own manifest: nobody has switched it on.
    Dormant,
    /// Installed, but disabled.
    Disabled,
    /// Not installed for this user, but still on the device, so that it can be had again.
    Uninstalled,
    /// Archived: its code went, its icon and its data stay, and whoever opens it has it again from where it came.
    Archived,
    /// Installed, but hidden.
    Hidden,
    /// Installed, but suspended: greyed out and not started.
    Suspended,
    /// Not there for this user, and never was as far as the device tells.
    Absent,
    /// Not known: the device did not tell, or not in a way that can be relied on.
    Unreadable,
}

impl Condition {
    /// The word for people.
    pub fn word(self) -> &'static str {
        match self {
            Self::InUse => "in use",
            Self::Dormant => "dormant",
            Self::Disabled => "disabled",
            Self::Uninstalled => "uninstalled",
            Self::Archived => "archived",
            Self::Hidden => "hidden",
            Self::Suspended => "suspended",
            Self::Absent => "absent",
            Self::Unreadable => "unreadable",
        }
    }

    /// The word for machines, as `docs/json.md` promises it.
    pub fn name(self) -> &'static str {
        match self {
            Self::InUse => "in-use",
            other => other.word(),
        }
    }

    /// Whether the package is off and could be put back.
    pub fn is_off(self) -> bool {
        matches!(self, Self::Disabled | Self::Uninstalled | Self::Hidden | Self::Suspended)
    }
}

/// The state of a package for one user, as the device keeps it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct PackageState {
    /// The device did not tell, or not in a way that can be relied on; nothing else of the state counts then. It is
    /// never the same as absent, which is something that has to be told.
    pub unreadable: bool,
    /// Whether the device knows the package for this user at all.
    pub known: bool,
    /// Installed for the user.
    pub installed: bool,
    /// Hidden by an administrator or with root.
    pub hidden: bool,
    /// Suspended.
    pub suspended: bool,
    /// The enabled setting.
    pub enabled: Enabled,
}

impl PackageState {
    /// A package that is not there.
    pub const ABSENT: Self = Self {
        unreadable: false,
        known: false,
        installed: false,
        hidden: false,
        suspended: false,
        enabled: Enabled::Default,
    };

    /// A package of which the device did not tell.
    pub const UNREADABLE: Self = Self { unreadable: true, ..Self::ABSENT };

    /// A package as it comes from the factory.
    pub const IN_USE: Self = Self { known: true, installed: true, ..Self::ABSENT };

    /// The state, where it is known.
    pub fn told(self) -> Option<Self> {
        (!self.unreadable).then_some(self)
    }

    /// What of it is not as in another, in words.
    pub fn differences(self, wanted: Self) -> String {
        let mut told = Vec::new();
        let mut differs = |is: bool, was: bool, word: &str| match (is, was) {
            (true, false) => told.push(format!("it is {word}")),
            (false, true) => told.push(format!("it is not {word}")),
            _ => {}
        };
        differs(self.installed, wanted.installed, "installed");
        differs(self.hidden, wanted.hidden, "hidden");
        differs(self.suspended, wanted.suspended, "suspended");
        if self.enabled != wanted.enabled {
            let [is, was] = [self, wanted].map(|state| state.enabled.number());
            told.push(format!("its enabled setting is {is} and was {was}"));
        }
        told.join(", ")
    }

    /// The state in a word.
    pub fn condition(self) -> Condition {
        match self {
            Self { unreadable: true, .. } => Condition::Unreadable,
            Self { known: false, .. } => Condition::Absent,
            Self { installed: false, .. } => Condition::Uninstalled,
            Self { hidden: true, .. } => Condition::Hidden,
            Self { enabled, .. } if enabled.is_off() => Condition::Disabled,
            Self { suspended: true, .. } => Condition::Suspended,
            _ => Condition::InUse,
        }
    }
}

/// The record's form: `installed=1 hidden=0 suspended=0 enabled=3`, `absent` or `unreadable`.
impl fmt::Display for PackageState {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.unreadable {
            return f.write_str("unreadable");
        }
        if !self.known {
            return f.write_str("absent");
        }
        let bit = u8::from;
        write!(
            f,
            "installed={} hidden={} suspended={} enabled={}",
            bit(self.installed),
            bit(self.hidden),
            bit(self.suspended),
            self.enabled.number()
        )
    }
}

/// A record that is not a state.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("“{0}” is not the record of a package's state")]
pub struct BadState(String);

impl FromStr for PackageState {
    type Err = BadState;

    fn from_str(s: &str) -> Result<Self, BadState> {
        match s {
            "absent" => return Ok(Self::ABSENT),
            "unreadable" => return Ok(Self::UNREADABLE),
            _ => {}
        }
        let bad = || BadState(s.chars().take(80).collect());
        let mut state = Self { known: true, ..Self::ABSENT };
        let mut seen = 0;
        for word in s.split(' ') {
            let (name, value) = word.split_once('=').ok_or_else(bad)?;
            let number: u8 = value.parse().map_err(|_| bad())?;
            match (name, number) {
                ("installed", 0 | 1) => state.installed = number == 1,
                ("hidden", 0 | 1) => state.hidden = number == 1,
                ("suspended", 0 | 1) => state.suspended = number == 1,
                ("enabled", n) => state.enabled = Enabled::from_number(n).ok_or_else(bad)?,
                _ => return Err(bad()),
            }
            seen += 1;
        }
        if seen == 4 { Ok(state) } else { Err(bad()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn conditions_in_the_order_in_which_they_count() {
        let state = |installed, hidden, suspended, enabled| PackageState {
            installed,
            hidden,
            suspended,
            enabled,
            ..PackageState::IN_USE
        };
        for (given, condition) in [
            (PackageState::ABSENT, Condition::Absent),
            (PackageState::UNREADABLE, Condition::Unreadable),
            (PackageState::IN_USE, Condition::InUse),
            (state(false, true, true, Enabled::Disabled), Condition::Uninstalled),
            (state(true, true, true, Enabled::Disabled), Condition::Hidden),
            (state(true, false, true, Enabled::DisabledUser), Condition::Disabled),
            (state(true, false, false, Enabled::DisabledUntilUsed), Condition::Disabled),
            (state(true, false, true, Enabled::Enabled), Condition::Suspended),
            (state(true, false, false, Enabled::Enabled), Condition::InUse),
        ] {
            assert_eq!(given.condition(), condition, "{given}");
            assert_eq!(given.to_string().parse::<PackageState>().unwrap(), given);
        }
    }

    #[test]
    fn broken_records() {
        for bad in [
            "",
            "installed=1",
            "installed=2 hidden=0 suspended=0 enabled=0",
            "installed=1 hidden=0 suspended=0 enabled=5",
            "x",
        ] {
            assert!(bad.parse::<PackageState>().is_err(), "{bad}");
        }
    }
}
