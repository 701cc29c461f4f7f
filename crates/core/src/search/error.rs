//! What is wrong with a search line, and where.

use std::fmt;
use std::ops::Range;

use crate::catalog::CompareKind;

/// A place in a search line and what is wrong there. The rest of the line is searched for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SearchError {
    /// The bytes of the line.
    pub span: Range<usize>,
    /// What is wrong.
    pub kind: SearchErrorKind,
}

/// What is wrong with a part of a search line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SearchErrorKind {
    /// A `)` that no `(` begins.
    NotOpened,
    /// A `(` that no `)` ends.
    NotClosed,
    /// More parts than are looked at, or parentheses too deep.
    TooLong {
        /// The most parts.
        most: usize,
    },
    /// No sign of comparison.
    NoComparison,
    /// Nothing of that name can be compared.
    NotComparable(String),
    /// Nothing stands behind the sign of comparison.
    NoValue(CompareKind),
    /// Text that is compared by something other than `=`.
    TextOnlyEqual,
    /// What stands behind the sign of comparison is of another kind.
    BadValue(CompareKind),
    /// Something that is compared stands there like a fact.
    NotCompared {
        /// Its name.
        name: &'static str,
        /// What it is compared with.
        kind: CompareKind,
    },
    /// There is no fact of that name.
    UnknownFact(String),
}

/// In words, with what would do. Where names of facts and comparisons are to be had is for the one who shows it to say.
impl fmt::Display for SearchErrorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = match self {
            Self::NotOpened => "there is no “(” for this",
            Self::NotClosed => "“)” is missing for this",
            Self::TooLong { most } => return write!(f, "too long: {most} parts at most"),
            Self::NoComparison => "this is no comparison; there are > < >= <= =",
            Self::NotComparable(name) => return write!(f, "nothing called “{name}” can be compared"),
            Self::NoValue(CompareKind::Bytes) => "a size belongs here, such as 50M",
            Self::NoValue(CompareKind::Duration) => "a time belongs here, such as 90d",
            Self::NoValue(CompareKind::Number) => "a number belongs here",
            Self::NoValue(CompareKind::Text) => "a word belongs here",
            Self::TextOnlyEqual => "only = goes with text",
            Self::BadValue(CompareKind::Bytes) => "this is no size; write 300k, 50M or 1.5G",
            Self::BadValue(CompareKind::Duration) => "this is no time; write 20min, 3h, 90d, 2w, 6mo or 1y",
            Self::BadValue(_) => "this is no number",
            Self::NotCompared { name, kind } => {
                return write!(f, "“{name}” is compared, as in :{name}{}", kind.example());
            }
            Self::UnknownFact(name) => return write!(f, "there is no fact “{name}”"),
        };
        f.write_str(text)
    }
}
