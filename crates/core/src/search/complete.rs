//! Completing what is being typed.

use std::ops::Range;

use super::facts::facts;
use super::parse::ends_word;
use crate::catalog::Attribute;

/// What a word can become.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Completion {
    /// The bytes of the line that are replaced.
    pub at: Range<usize>,
    /// By what.
    pub text: String,
    /// What that finds.
    pub doc: &'static str,
}

pub(crate) fn complete(line: &str, cursor: usize) -> Vec<Completion> {
    let cursor = (0..=cursor.min(line.len())).rev().find(|n| line.is_char_boundary(*n)).unwrap_or(0);
    let before = &line[..cursor];
    let from = before
        .rfind(|c: char| ends_word(c) || c == '!')
        .map_or(0, |n| n + before[n..].chars().next().map_or(1, char::len_utf8));
    let Some(begun) = before[from..].strip_prefix(':') else { return Vec::new() };
    let begun = begun.to_lowercase();
    let end =
        line[cursor..].find(|c: char| ends_word(c) || matches!(c, '<' | '>' | '=')).map_or(line.len(), |n| cursor + n);
    let facts = facts().filter(|f| f.name.starts_with(&begun)).map(|f| (format!(":{} ", f.name), f.doc));
    let comparisons = Attribute::comparisons().filter(|(_, c)| c.name.starts_with(&begun)).map(|(_, c)| {
        let op = &c.kind.example()[..1];
        (format!(":{}{op}", c.name), c.doc)
    });
    facts.chain(comparisons).map(|(text, doc)| Completion { at: from..end, text, doc }).collect()
}
