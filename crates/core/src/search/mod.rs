//! Finding packages as one types.
//!
//! Words parted by blanks; a package is found when all of them fit. A plain word is looked for in label, id and notes, best
//! first; letters may be left out of a longer one. `"Two words"` stand as they are. A word that begins with a colon is a
//! fact (`:disabled`) or compares one (`:size>50M`). `|` is "or", `!` is "not", and parentheses group.
//!
//! ```text
//! line  = all { "|" all }
//! all   = part { part }
//! part  = [ "!" ] ( "(" line ")" | ":" name [ op value ] | word | '"' text '"' )
//! op    = ">" | "<" | ">=" | "<=" | "="
//! value = number [ unit ] | word | '"' text '"'
//! ```
//!
//! A comparison with something that the device did not tell is neither true nor false: the package is not found, also
//! not by its negation.

mod fields;
mod parse;

use std::cmp::Reverse;

use nucleo_matcher::pattern::{Atom, AtomKind, CaseMatching, Normalization};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use wibbet_types::{PackageId, PlainText, UserId};

pub use fields::{FACTS, FIELDS, Field, FieldKind};
use parse::{Compare, Expr};
pub use parse::{Completion, Spot};

use crate::label::AppFacts;
use crate::sheet::{Chosen, Sheet, Sight};

/// A search line, taken apart.
#[derive(Debug, Clone, Default)]
pub struct Search {
    expr: Option<Expr>,
    /// Where and why a part could not be read. It is left out of the search.
    pub trouble: Option<Spot>,
}

/// Looks for words. Kept between searches, since it holds memory that can be used again.
#[derive(Debug, Default)]
pub struct Finder {
    matcher: Option<Box<Matcher>>,
    letters: Vec<char>,
}

/// Letters of a label count for more than those of an id.
const LABEL_BONUS: u32 = 24;

impl Search {
    /// Reads a search line. Any text is one; an empty one finds everything.
    pub fn read(line: &str) -> Self {
        let (expr, trouble) = parse::parse(line);
        Self { expr, trouble }
    }

    /// What the word under the cursor (in bytes) can become.
    pub fn complete(line: &str, cursor: usize) -> Vec<Completion> {
        parse::complete(line, cursor)
    }

    /// Whether it finds everything.
    pub fn is_empty(&self) -> bool {
        self.expr.is_none()
    }

    /// Whether packages are found better or worse, so that the best come first.
    pub fn ranks(&self) -> bool {
        self.expr.as_ref().is_some_and(Expr::has_words)
    }

    /// The packages that are found for a user: best first where words are looked for, else by id.
    pub fn run(&self, sheet: &Sheet, user: UserId, chosen: &Chosen, finder: &mut Finder) -> Vec<PackageId> {
        let Some(expr) = &self.expr else { return sheet.inventory.packages.keys().cloned().collect() };
        let mut found: Vec<(Reverse<u32>, &PackageId)> = Vec::new();
        for sight in sheet.sights(user) {
            let (mut score, id) = (0, &sight.package.id);
            if finder.holds(expr, &sight, !chosen.is_empty() && chosen.contains(id), &mut score) == Some(true) {
                found.push((Reverse(score), id));
            }
        }
        if self.ranks() {
            found.sort();
        }
        found.into_iter().map(|(_, id)| id.clone()).collect()
    }

    /// The letters of a text that the words of the search are found by, as numbers of characters.
    pub fn letters(&self, text: &str, finder: &mut Finder) -> Vec<usize> {
        let mut places: Vec<usize> = Vec::new();
        if let Some(expr) = &self.expr {
            expr.words(&mut |word| {
                let mut found = Vec::new();
                let has = Finder::as_it_stands(word, text, Some(&mut found));
                if has.or_else(|| finder.by_letters(word, text, Some(&mut found))).is_some() {
                    places.extend(found.into_iter().map(|n| n as usize));
                }
            });
        }
        places.sort_unstable();
        places.dedup();
        places
    }
}

/// A word that is looked for.
#[derive(Debug, Clone)]
pub(crate) struct Word {
    /// As it stands, in lower case.
    text: String,
    letters: u32,
    /// With letters left out, where it is long enough for that.
    fuzzy: Option<Atom>,
}

impl Word {
    pub(crate) fn new(text: &str, whole: bool) -> Self {
        let letters = u32::try_from(text.chars().count()).unwrap_or(u32::MAX);
        let fuzzy = (!whole && letters >= 3)
            .then(|| Atom::new(text, CaseMatching::Ignore, Normalization::Smart, AtomKind::Fuzzy, false));
        Self { text: text.to_lowercase(), letters, fuzzy }
    }
}

impl Finder {
    /// How well a text has the word as it stands, in capital letters or not: best as a whole, then at the beginning of
    /// a word.
    fn as_it_stands(word: &Word, text: &str, places: Option<&mut Vec<u32>>) -> Option<u32> {
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
    fn by_letters(&mut self, word: &Word, text: &str, places: Option<&mut Vec<u32>>) -> Option<u32> {
        let atom = word.fuzzy.as_ref()?;
        let matcher = self.matcher.get_or_insert_with(|| Box::new(Matcher::new(Config::DEFAULT)));
        let text = Utf32Str::new(text, &mut self.letters);
        let score = match places {
            Some(places) => atom.indices(text, matcher, places),
            None => atom.score(text, matcher),
        };
        score.map(u32::from).filter(|score| *score >= word.letters.saturating_mul(16))
    }

    fn word(&mut self, word: &Word, sight: &Sight<'_>) -> Option<u32> {
        let labels = |app| {
            let app: &AppFacts = app;
            app.label.iter().chain(app.home.iter().filter_map(|h| h.label.as_ref())).map(PlainText::as_str)
        };
        let mut best = Self::as_it_stands(word, sight.package.id.as_str(), None);
        for label in sight.app.into_iter().flat_map(labels) {
            best = best.max(Self::as_it_stands(word, label, None).map(|s| s + LABEL_BONUS));
        }
        for note in sight.notes {
            best = best.max(Self::as_it_stands(word, &note.text, None));
        }
        if best.is_some() || word.fuzzy.is_none() {
            return best;
        }
        let mut best = self.by_letters(word, sight.package.id.as_str(), None);
        for label in sight.app.into_iter().flat_map(labels) {
            best = best.max(self.by_letters(word, label, None).map(|s| s + LABEL_BONUS));
        }
        best
    }

    fn holds(&mut self, expr: &Expr, sight: &Sight<'_>, chosen: bool, score: &mut u32) -> Option<bool> {
        match expr {
            Expr::Word(word) => Some(match self.word(word, sight) {
                Some(own) => {
                    *score = score.saturating_add(own);
                    true
                }
                None => false,
            }),
            Expr::Fact(fact) => fact.holds(sight, chosen),
            Expr::Compare(compare) => compare.holds(sight),
            Expr::Not(inner) => self.holds(inner, sight, chosen, &mut 0).map(|holds| !holds),
            Expr::All(parts) => {
                let mut all = Some(true);
                for part in parts {
                    match self.holds(part, sight, chosen, score) {
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
                    match self.holds(part, sight, chosen, score) {
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

impl Compare {
    fn holds(&self, sight: &Sight<'_>) -> Option<bool> {
        self.field.compare(self, sight)
    }
}

#[cfg(test)]
mod tests;
