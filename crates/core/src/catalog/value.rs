//! What an attribute says of one package, and how that is shown, written, sorted and compared.

use std::borrow::Cow;
use std::cmp::Ordering;

use wibbet_types::{DeviceTime, UserId, bytes_words};

use crate::android::permission_words;
use crate::package::Condition;

/// What people call a package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DisplayName<'a> {
    /// The label, or a guess from the id.
    pub text: Cow<'a, str>,
    /// Whether it is a guess.
    pub guessed: bool,
}

/// When a package was last used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LastUse {
    /// None that the device remembers; so many days back it does, where that is told.
    NoneSince(Option<i64>),
    /// Some time ago.
    Ago {
        /// Calendar days on the device's clock.
        days: i64,
        /// Seconds.
        seconds: i64,
    },
}

/// What an attribute says of a package.
#[derive(Debug, Clone, PartialEq)]
pub enum Value<'a> {
    /// A name, or a guess.
    Name(DisplayName<'a>),
    /// Any text.
    Text(Cow<'a, str>),
    /// There is none, and that is known.
    Nothing,
    /// A state.
    State(Condition),
    /// Bytes.
    Bytes(u64),
    /// A number.
    Count(u64),
    /// A time in seconds.
    Seconds(u64),
    /// When it was last used.
    LastUse(LastUse),
    /// A date on the device's clock, and how many seconds ago that is, where the clock is known.
    Date(DeviceTime, Option<i64>),
    /// Whether something is so.
    YesNo(bool),
    /// Several names.
    Names(Vec<&'a str>),
    /// Permissions, by name.
    Permissions(Vec<&'a str>),
    /// Users.
    Users(Vec<UserId>),
}

impl Value<'_> {
    /// As people read it; empty where there is nothing worth saying.
    pub fn words(&self) -> String {
        match self {
            Self::Name(name) => name.text.to_string(),
            Self::Text(text) => text.to_string(),
            Self::Nothing | Self::Bytes(0) | Self::YesNo(false) | Self::Seconds(0..60) => String::new(),
            Self::State(condition) => condition.word().to_owned(),
            Self::Bytes(bytes) => bytes_words(*bytes),
            Self::Count(count) => count.to_string(),
            Self::Seconds(seconds @ ..3600) => format!("{} min", seconds / 60),
            Self::Seconds(seconds) => format!("{} h", seconds / 3600),
            Self::LastUse(LastUse::NoneSince(Some(days))) => format!(">{days} days"),
            Self::LastUse(LastUse::NoneSince(None)) => "none seen".to_owned(),
            Self::LastUse(LastUse::Ago { days: 0, .. }) => "today".to_owned(),
            Self::LastUse(LastUse::Ago { days: 1, .. }) => "yesterday".to_owned(),
            Self::LastUse(LastUse::Ago { days: days @ ..=99, .. }) => format!("{days} days"),
            Self::LastUse(LastUse::Ago { days, .. }) => format!("{} months", days / 30),
            Self::Date(date, _) => date.date(),
            Self::YesNo(true) => "yes".to_owned(),
            Self::Names(names) if names.is_empty() => String::new(),
            Self::Names(names) => names.len().to_string(),
            // Of the many only those worth noting are counted.
            Self::Permissions(names) => names.iter().filter(|p| permission_words(p).is_some()).count().to_string(),
            Self::Users(users) => users.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "),
        }
    }

    /// As machines want it: bytes, seconds, whole days, dates; `None` for what is not there.
    pub fn text(&self) -> Option<String> {
        Some(match self {
            Self::Name(name) if name.guessed => return None,
            Self::Nothing => return None,
            Self::State(condition) => condition.name().to_owned(),
            Self::Bytes(number) | Self::Count(number) | Self::Seconds(number) => number.to_string(),
            Self::LastUse(LastUse::Ago { days, .. }) => days.to_string(),
            Self::LastUse(LastUse::NoneSince(_)) => "none".to_owned(),
            Self::YesNo(yes) => yes.to_string(),
            Self::Names(names) | Self::Permissions(names) => names.join(" "),
            other => other.words(),
        })
    }

    /// Bytes, seconds or a number, for formats that have numbers.
    pub fn number(&self) -> Option<u64> {
        match self {
            Self::Bytes(number) | Self::Count(number) | Self::Seconds(number) => Some(*number),
            _ => None,
        }
    }

    /// What is compared with a number: bytes, seconds or itself. What no use is remembered of is longer ago than anything.
    pub(crate) fn measure(&self) -> Option<f64> {
        match self {
            Self::LastUse(LastUse::NoneSince(_)) => Some(f64::INFINITY),
            Self::LastUse(LastUse::Ago { seconds, .. }) => Some((*seconds).max(0) as f64),
            Self::Date(_, seconds) => seconds.map(|s| s.max(0) as f64),
            other => other.number().map(|n| n as f64),
        }
    }

    /// Whether any of its texts holds one that is in lower case.
    pub(crate) fn contains(&self, wanted: &str) -> Option<bool> {
        match self {
            Self::Name(name) => (!name.guessed).then(|| contains_ignoring_case(&name.text, wanted)),
            Self::Text(text) => Some(contains_ignoring_case(text, wanted)),
            Self::Nothing => Some(false),
            Self::Names(all) | Self::Permissions(all) => Some(all.iter().any(|t| contains_ignoring_case(t, wanted))),
            _ => None,
        }
    }

    /// The number by which it is sorted, the largest first; `None` for words, which go from A to Z.
    fn rank(&self) -> Option<i64> {
        Some(match self {
            Self::State(condition) => -(*condition as i64),
            // The latest use first.
            Self::LastUse(LastUse::NoneSince(_)) => i64::MIN / 2,
            Self::LastUse(LastUse::Ago { seconds, .. }) => seconds.saturating_neg(),
            Self::Date(DeviceTime(at), _) => *at,
            Self::YesNo(yes) => i64::from(*yes),
            Self::Names(all) | Self::Permissions(all) => i64::try_from(all.len()).unwrap_or(i64::MAX),
            other => i64::try_from(other.number()?).unwrap_or(i64::MAX),
        })
    }

    /// How two stand to each other: numbers from large to small, words from A to Z, or the other way round; what is not
    /// known, and what is empty, last in any case.
    pub(super) fn order(a: Option<&Self>, b: Option<&Self>, reversed: bool) -> Ordering {
        let turned = |order: Ordering| if reversed { order.reverse() } else { order };
        let is_word = |v: &Self| v.rank().is_none();
        if a.is_some_and(is_word) || b.is_some_and(is_word) {
            let words = |v: Option<&Self>| v.map(|v| v.words().to_lowercase()).unwrap_or_default();
            let (a, b) = (words(a), words(b));
            return a.is_empty().cmp(&b.is_empty()).then_with(|| turned(a.cmp(&b)));
        }
        let (a, b) = (a.and_then(Self::rank), b.and_then(Self::rank));
        a.is_none().cmp(&b.is_none()).then_with(|| turned(b.cmp(&a)))
    }
}

/// `needle` is in lower case.
fn contains_ignoring_case(text: &str, needle: &str) -> bool {
    if text.is_ascii() && needle.is_ascii() {
        return needle.is_empty()
            || text.as_bytes().windows(needle.len()).any(|part| part.eq_ignore_ascii_case(needle.as_bytes()));
    }
    text.to_lowercase().contains(needle)
}
