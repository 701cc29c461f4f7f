//! A search line that has been read.

use std::cmp::Reverse;
use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::ast::Expr;
use super::complete::Completion;
use super::error::SearchError;
use super::matcher::Matcher;
use crate::catalog::{Catalog, Chosen};
use crate::package::Source;

/// A search line, taken apart.
#[derive(Debug, Clone, Default)]
pub struct Search {
    expr: Option<Expr>,
    /// Where and why a part could not be read. It is left out of the search.
    pub trouble: Option<SearchError>,
}

impl Search {
    /// Reads a search line. Any text is one; an empty one finds everything.
    pub fn read(line: &str) -> Self {
        let (expr, trouble) = super::parse::parse(line, false);
        Self { expr, trouble }
    }

    /// Reads a search line that is kept and used without anybody looking at what it finds: facts have their whole names, and of a word
    /// no letters are left out.
    pub fn read_strict(line: &str) -> Self {
        let (expr, trouble) = super::parse::parse(line, true);
        Self { expr, trouble }
    }

    /// What the word under the cursor (in bytes) can become.
    pub fn complete(line: &str, cursor: usize) -> Vec<Completion> {
        super::complete::complete(line, cursor)
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
    pub fn run(&self, catalog: &Catalog, user: UserId, chosen: &Chosen, finder: &mut Matcher) -> Vec<PackageId> {
        let Some(expr) = &self.expr else { return catalog.inventory.packages.keys().cloned().collect() };
        let mut found: Vec<(Reverse<u32>, &PackageId)> = Vec::new();
        for entry in catalog.entries(user) {
            let (mut score, id) = (0, &entry.package.id);
            if finder.holds(expr, &entry, !chosen.is_empty() && chosen.contains(id), &mut score) == Some(true) {
                found.push((Reverse(score), id));
            }
        }
        if self.ranks() {
            found.sort();
        }
        found.into_iter().map(|(_, id)| id.clone()).collect()
    }

    /// Whether one package of a user is found; `None` where that takes what the device does not tell, or there is no such package.
    pub fn finds(&self, catalog: &Catalog, id: &PackageId, user: UserId, finder: &mut Matcher) -> Option<bool> {
        let entry = catalog.entry(id, user)?;
        match &self.expr {
            Some(expr) => finder.holds(expr, &entry, false, &mut 0),
            None => Some(true),
        }
    }

    /// Whether what it finds hangs on what ties packages.
    pub fn asks_for_holds(&self) -> bool {
        self.expr.as_ref().is_some_and(Expr::asks_for_holds)
    }

    /// The sources beside package service and APKs that have to be read for it.
    pub fn sources(&self) -> BTreeSet<Source> {
        let mut sources = BTreeSet::new();
        if let Some(expr) = &self.expr {
            expr.sources(&mut sources);
        }
        sources
    }

    /// The letters of a text that the words of the search are found by, as numbers of characters.
    pub fn letters(&self, text: &str, finder: &mut Matcher) -> Vec<usize> {
        let mut places: Vec<usize> = Vec::new();
        if let Some(expr) = &self.expr {
            expr.words(&mut |word| {
                let mut found = Vec::new();
                let has = Matcher::as_it_stands(word, text, Some(&mut found));
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
