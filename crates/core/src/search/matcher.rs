//! Which packages a search finds, the best first.

use nucleo_matcher::{Config, Utf32Str};
use wibbet_types::PlainText;

use super::ast::{Expr, Word};
use crate::catalog::CatalogEntry;
use crate::package::AppFacts;

/// Looks for words. Kept between searches, since it holds memory that can be used again.
#[derive(Debug, Default)]
pub struct Matcher {
    matcher: Option<Box<nucleo_matcher::Matcher>>,
    letters: Vec<char>,
}

/// Letters of a label count for more than those of an id.
const LABEL_BONUS: u32 = 24;

impl Matcher {
    /// How well a text has the word as it stands, in capital letters or not: best as a whole, then at the beginning of
    /// a word.
    pub(super) fn as_it_stands(word: &Word, text: &str, places: Option<&mut Vec<u32>>) -> Option<u32> {
        let lower;
        // No letter beyond ASCII is within it, so its bytes can be looked for in any text.
        let (found, before) = if word.text.is_ascii() {
            let bytes = text.as_bytes();
            let wanted = word.text.as_bytes();
            let first = wanted.first().copied().unwrap_or(0);
            let found = bytes
                .windows(wanted.len().max(1))
                .position(|w| w[0].to_ascii_lowercase() == first && w.eq_ignore_ascii_case(wanted));
            (found?, text)
        } else {
            lower = text.to_lowercase();
            (lower.find(&word.text)?, lower.as_str())
        };
        if let Some(places) = places {
            let first = u32::try_from(before.get(..found)?.chars().count()).unwrap_or(u32::MAX);
            places.extend(first..first.saturating_add(word.letters));
        }
        let begins = before.get(..found)?.chars().next_back().is_none_or(|c| !c.is_alphanumeric());
        let whole = before.len() == word.text.len();
        Some(1000 + 8 * u32::from(begins) + 32 * u32::from(whole))
    }

    /// How well a text has the letters of the word. A letter is worth 16, gaps cost and beginnings of words gain: more
    /// gaps than beginnings is chance.
    pub(super) fn by_letters(&mut self, word: &Word, text: &str, places: Option<&mut Vec<u32>>) -> Option<u32> {
        let atom = word.fuzzy.as_ref()?;
        let matcher = self.matcher.get_or_insert_with(|| Box::new(nucleo_matcher::Matcher::new(Config::DEFAULT)));
        let text = Utf32Str::new(text, &mut self.letters);
        let score = match places {
            Some(places) => atom.indices(text, matcher, places),
            None => atom.score(text, matcher),
        };
        score.map(u32::from).filter(|score| *score >= word.letters.saturating_mul(16))
    }

    fn word(&mut self, word: &Word, entry: &CatalogEntry<'_>) -> Option<u32> {
        let labels = |app| {
            let app: &AppFacts = app;
            app.label.iter().chain(app.home.iter().filter_map(|h| h.label.as_ref())).map(PlainText::as_str)
        };
        let mut best = Self::as_it_stands(word, entry.package.id.as_str(), None);
        for label in entry.app.into_iter().flat_map(labels) {
            best = best.max(Self::as_it_stands(word, label, None).map(|s| s + LABEL_BONUS));
        }
        for note in entry.notes {
            best = best.max(Self::as_it_stands(word, &note.text, None));
        }
        if best.is_some() || word.fuzzy.is_none() {
            return best;
        }
        let mut best = self.by_letters(word, entry.package.id.as_str(), None);
        for label in entry.app.into_iter().flat_map(labels) {
            best = best.max(self.by_letters(word, label, None).map(|s| s + LABEL_BONUS));
        }
        best
    }

    pub(super) fn holds(
        &mut self,
        expr: &Expr,
        entry: &CatalogEntry<'_>,
        chosen: bool,
        score: &mut u32,
    ) -> Option<bool> {
        match expr {
            Expr::Word(word) => Some(match self.word(word, entry) {
                Some(own) => {
                    *score = score.saturating_add(own);
                    true
                }
                None => false,
            }),
            Expr::Fact(fact) => fact.holds(entry, chosen),
            Expr::Compare(compare) => compare.holds(entry),
            Expr::Not(inner) => self.holds(inner, entry, chosen, &mut 0).map(|holds| !holds),
            Expr::All(parts) => {
                let mut all = Some(true);
                for part in parts {
                    match self.holds(part, entry, chosen, score) {
                        Some(false) => return Some(false),
                        None => all = None,
                        Some(true) => {}
                    }
                }
                all
            }
            Expr::Any(parts) => {
                let mut any = Some(false);
                for part in parts {
                    match self.holds(part, entry, chosen, score) {
                        Some(true) => any = Some(true),
                        None if any == Some(false) => any = None,
                        _ => {}
                    }
                }
                any
            }
        }
    }
}
