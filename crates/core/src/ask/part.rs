//! Switching a part of a package off and on for a user, which takes root: `pm disable PACKAGE/CLASS`. Source:
//! `PackageManagerShellCommand`; the shell itself gets “Shell cannot change component state”.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, PackageId, UserId, named};

use super::request::Request;
use crate::package::SwitchedParts;

/// The class of a part, in full.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PartName(Box<str>);

impl PartName {
    /// A class as somebody types it: one that begins with a dot is of the package.
    ///
    /// # Errors
    /// When it can be none.
    pub fn of(id: &PackageId, text: &str) -> Result<Self, BadId> {
        if text.starts_with('.') { format!("{id}{text}").parse() } else { text.parse() }
    }

    /// As text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for PartName {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let fits = |c: char| c.is_ascii_alphanumeric() || "._$".contains(c);
        let good =
            (1..=200).contains(&s.len()) && s.chars().all(fits) && s.starts_with(|c: char| c.is_ascii_alphabetic());
        match good {
            true => Ok(Self(s.into())),
            false => Err(BadId {
                kind: "part",
                given: s.chars().take(80).collect(),
                rule: "it is a class: letters, digits, dots, “_” and “$”",
            }),
        }
    }
}

impl fmt::Display for PartName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// How a part is switched.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum PartSwitch {
    /// Off, whatever its manifest says.
    Off,
    /// On, whatever its manifest says.
    On,
    /// As its manifest says.
    AsDeclared,
}

named!(PartSwitch { Off => "off", On => "on", AsDeclared => "as-declared" });

impl PartSwitch {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::On => "on",
            Self::AsDeclared => "as its manifest says",
        }
    }

    /// The request that switches a part of a package for a user so.
    pub fn request(self, id: &PackageId, part: &PartName, user: UserId) -> Request {
        let command = match self {
            Self::Off => "disable",
            Self::On => "enable",
            Self::AsDeclared => "default-state",
        };
        let words = [command.to_owned(), "--user".to_owned(), user.to_string(), format!("{id}/{part}")];
        Request::change(words.to_vec()).by_root()
    }

    /// How a part is switched, by what the device tells of those that are not as the manifest says; `None` for nothing of that kind.
    pub fn of(parts: Option<&SwitchedParts>, part: &str) -> Self {
        match parts {
            Some(parts) if parts.off.iter().any(|class| **class == *part) => Self::Off,
            Some(parts) if parts.on.iter().any(|class| **class == *part) => Self::On,
            _ => Self::AsDeclared,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_words_that_go_to_the_device() {
        let id: PackageId = "com.ostrel.notes".parse().unwrap();
        let words = |switch: PartSwitch, class: &str| {
            switch.request(&id, &PartName::of(&id, class).unwrap(), UserId::new(10)).command()
        };
        assert_eq!(words(PartSwitch::Off, ".Offers"), "disable --user 10 com.ostrel.notes/com.ostrel.notes.Offers");
        assert_eq!(words(PartSwitch::On, "com.other.A$B"), "enable --user 10 com.ostrel.notes/com.other.A$B");
        assert_eq!(
            words(PartSwitch::AsDeclared, ".Offers"),
            "default-state --user 10 com.ostrel.notes/com.ostrel.notes.Offers"
        );
        for bad in ["", ".", "a b", "a;reboot", "$(x)", "1a", "a/b", "ä"] {
            assert!(PartName::of(&id, bad).is_err() || bad == ".", "{bad}");
        }
    }

    #[test]
    fn how_a_part_is_switched() {
        let parts = SwitchedParts { off: vec!["a.Off".into()], on: vec!["a.On".into()] };
        let of = |part| PartSwitch::of(Some(&parts), part);
        assert_eq!([of("a.Off"), of("a.On"), of("a.Other")], [PartSwitch::Off, PartSwitch::On, PartSwitch::AsDeclared]);
        assert_eq!(PartSwitch::of(None, "a.Off"), PartSwitch::AsDeclared);
    }
}
