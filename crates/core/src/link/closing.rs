//! What became of closing a link.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, PlainText};

/// One thing that closing a link took.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CloseStep {
    /// What it is.
    pub what: String,
    /// Whether it was done.
    pub done: bool,
    /// How that is known, or why it was not done.
    pub known: String,
}

/// The record's form: `done WHAT<tab>HOW THAT IS KNOWN`, or `not …`.
impl fmt::Display for CloseStep {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let one_line = |text: &str| text.replace(['\n', '\t', '\r'], " ");
        write!(f, "{} {}\t{}", if self.done { "done" } else { "not" }, one_line(&self.what), one_line(&self.known))
    }
}

impl FromStr for CloseStep {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = || BadId {
            kind: "what became of closing a link",
            given: s.chars().take(80).collect(),
            rule: "it is done or not, what, and how that is known",
        };
        let (word, rest) = s.split_once(' ').ok_or_else(bad)?;
        let (what, known) = rest.split_once('\t').ok_or_else(bad)?;
        let done = match word {
            "done" => true,
            "not" => false,
            _ => return Err(bad()),
        };
        let shown = |text: &str| PlainText::new(text).into_string();
        Ok(Self { what: shown(what), done, known: shown(known) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_read_as_it_is_kept() {
        for (done, kept) in [
            (true, "done switch debugging off\tread\u{20}back: off"),
            (false, "not switch debugging off\tread back: off"),
        ] {
            let step = CloseStep { what: "switch debugging off".into(), done, known: "read\nback: off".into() };
            assert_eq!(step.to_string(), kept);
            assert_eq!(kept.parse::<CloseStep>().unwrap().done, done);
        }
        for bad in ["", "done", "done x", "maybe x\ty"] {
            assert!(bad.parse::<CloseStep>().is_err(), "{bad}");
        }
        assert!(!"done \u{1b}[2J\tx".parse::<CloseStep>().unwrap().what.contains('\u{1b}'));
    }
}
