//! Ids of packages, users, devices, runs and steps.

use std::fmt;
use std::str::FromStr;

/// Why a text is not an id of the kind it was taken for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadId {
    /// What it should have been, e.g. "package id".
    pub kind: &'static str,
    /// What was given, made harmless for a terminal and cut to a readable length.
    pub given: String,
    /// The rule it breaks.
    pub rule: &'static str,
}

impl BadId {
    pub(crate) fn new(kind: &'static str, given: &str, rule: &'static str) -> Self {
        let mut shown = crate::PlainText::new(given).into_string();
        if shown.chars().count() > 60 {
            shown = shown.chars().take(59).chain(['…']).collect();
        }
        Self { kind, given: shown, rule }
    }
}

impl fmt::Display for BadId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "“{}” is not a {}: {}", self.given, self.kind, self.rule)
    }
}

impl std::error::Error for BadId {}

/// The id of a package, such as `com.android.calendar`.
///
/// Holds ASCII letters, digits, `_` and `.` only, 1 to 255 of them, and does not begin or end with
/// a dot. That is what Android's own check of names lets through, and it is also what makes the id
/// safe as a word of a shell command.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PackageId(Box<str>);

/// So that a map by packages can be asked for one that is known by its text.
impl std::borrow::Borrow<str> for PackageId {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl PackageId {
    /// The longest id, in bytes: the id is also a folder name, and those end at 255 bytes.
    pub const LONGEST: usize = 255;

    /// The id as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for PackageId {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = |rule| Err(BadId::new("package id", s, rule));
        if s.is_empty() {
            return bad("it is empty");
        }
        if s.len() > Self::LONGEST {
            return bad("it is longer than 255 characters");
        }
        if !s.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_' || b == b'.') {
            return bad("it may hold letters, digits, “_” and “.” only");
        }
        if s.starts_with('.') || s.ends_with('.') {
            return bad("it may not begin or end with a dot");
        }
        Ok(Self(s.into()))
    }
}

impl fmt::Display for PackageId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// The number of a user or profile on a device; 0 is the owner.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct UserId(u32);

impl UserId {
    /// The user that every device has, who was there first.
    pub const OWNER: Self = Self(0);

    /// A user by number. Android's own ids end at 21473 (the uid space divided by 100 000), but a
    /// number beyond that is harmless: the device says that there is no such user.
    pub const fn new(number: u32) -> Self {
        Self(number)
    }

    /// The number.
    pub const fn number(self) -> u32 {
        self.0
    }
}

impl FromStr for UserId {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        match s.parse::<u32>() {
            Ok(n) if !s.starts_with('+') => Ok(Self(n)),
            _ => Err(BadId::new("user", s, "a user is a number, such as 0 or 10")),
        }
    }
}

impl fmt::Display for UserId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

/// A device's serial, as it names itself in `ro.serialno`.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Serial(Box<str>);

impl Serial {
    /// The serial as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for Serial {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = |rule| Err(BadId::new("serial", s, rule));
        if s.is_empty() {
            return bad("it is empty");
        }
        if s.len() > 128 {
            return bad("it is longer than 128 characters");
        }
        if !s.bytes().all(|b| b.is_ascii_graphic()) {
            return bad("it may hold visible ASCII characters only");
        }
        Ok(Self(s.into()))
    }
}

impl fmt::Display for Serial {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// What names a device here and in the record: its serial, or that with a number behind it where another device has the
/// same serial.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DeviceId(Serial);

impl DeviceId {
    /// The id as text.
    pub fn as_str(&self) -> &str {
        self.0.as_str()
    }

    /// The id of the `nth` device with a serial, counted from 1.
    ///
    /// # Errors
    /// When the serial is so long that the number has no room.
    pub fn nth(serial: &Serial, nth: usize) -> Result<Self, BadId> {
        if nth < 2 { Ok(serial.clone().into()) } else { format!("{serial}.{nth}").parse() }
    }
}

impl From<Serial> for DeviceId {
    fn from(serial: Serial) -> Self {
        Self(serial)
    }
}

impl FromStr for DeviceId {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        s.parse().map(Self)
    }
}

impl fmt::Display for DeviceId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// A number of the logbook as a type: its doc, its name, and what it numbers.
macro_rules! numbered {
    ($(#[$doc:meta])* $name:ident, $what:literal, $rule:literal) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub struct $name(i64);

        impl $name {
            /// By number.
            pub const fn new(number: i64) -> Self {
                Self(number)
            }

            /// The number.
            pub const fn number(self) -> i64 {
                self.0
            }
        }

        impl FromStr for $name {
            type Err = BadId;

            fn from_str(s: &str) -> Result<Self, BadId> {
                s.parse().map(Self).map_err(|_| BadId::new($what, s, $rule))
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Display::fmt(&self.0, f)
            }
        }
    };
}

numbered! {
    /// The number of a run in the logbook.
    RunId, "run", "a run is a number"
}

numbered! {
    /// The number of a kept copy in the logbook.
    CopyId, "copy", "a copy is a number"
}

numbered! {
    /// The number of a use of the fault finder in the logbook.
    FinderId, "fault finder", "it is a number"
}

numbered! {
    /// The number of a look at a device in the logbook.
    LookId, "look", "a look is a number"
}

numbered! {
    /// The number of an update break in the logbook.
    BreakId, "update break", "it is a number"
}

/// Where a step stands among those of its run, counted from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct StepIndex(usize);

impl StepIndex {
    /// A place among the steps.
    pub const fn new(index: usize) -> Self {
        Self(index)
    }

    /// The index into the steps.
    pub const fn get(self) -> usize {
        self.0
    }
}

/// As people count, from 1.
impl fmt::Display for StepIndex {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&(self.0 + 1), f)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn package_ids() {
        for good in ["android", "com.android.systemui", "a", "com.a_b.C9", &"x".repeat(255)] {
            assert_eq!(good.parse::<PackageId>().unwrap().as_str(), good);
        }
        for bad in ["", ".", "a.", ".a", "a b", "a;b", "a$b", "a/b", "ä", "a\n", "-k", "a'b", &"x".repeat(256)] {
            assert!(bad.parse::<PackageId>().is_err(), "{bad:?}");
        }
    }

    #[test]
    fn users_and_serials() {
        assert_eq!("10".parse::<UserId>().unwrap(), UserId::new(10));
        for bad in ["", "-1", "+1", "all", "1 ", "99999999999"] {
            assert!(bad.parse::<UserId>().is_err(), "{bad:?}");
        }
        assert!("CT5-0417".parse::<Serial>().is_ok());
        for bad in ["", "a b", "a\u{1b}", "é", &"9".repeat(129)] {
            assert!(bad.parse::<Serial>().is_err(), "{bad:?}");
        }
    }

    #[test]
    fn a_device_is_named_by_its_serial_or_a_number_behind_it() {
        let serial: Serial = "OP-66".parse().unwrap();
        assert_eq!(DeviceId::from(serial.clone()).as_str(), "OP-66");
        assert_eq!(DeviceId::nth(&serial, 1).unwrap(), serial.clone().into());
        assert_eq!(DeviceId::nth(&serial, 2).unwrap().to_string(), "OP-66.2");
        assert!(DeviceId::nth(&"9".repeat(128).parse().unwrap(), 2).is_err());
        assert_eq!("7".parse::<RunId>().unwrap(), RunId::new(7));
        assert!("x".parse::<RunId>().is_err());
        assert_eq!(StepIndex::new(0).to_string(), "1");
    }

    #[test]
    fn the_message_of_a_bad_id_is_harmless_and_short() {
        let error = format!("\u{1b}[2J{}", "z".repeat(500)).parse::<PackageId>().unwrap_err();
        let shown = error.to_string();
        assert!(!shown.contains('\u{1b}') && shown.chars().count() < 140, "{shown}");
    }

    proptest! {
        #[test]
        fn no_id_holds_anything_a_shell_could_read(text in any::<String>()) {
            if let Ok(id) = text.parse::<PackageId>() {
                prop_assert!(id.as_str().chars().all(|c| c.is_ascii_alphanumeric() || "._".contains(c)));
            }
        }
    }
}
