//! A package among those that it is tied to: what a drawing shows, and where one can go from it.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::PackageId;

use super::leans::{Lean, Leans};

/// One end of what ties two packages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tie {
    /// The package at the other end.
    pub other: PackageId,
    /// The names by which the one finds the other: actions, authorities, ids.
    pub by: Vec<String>,
    /// How many more have such a name, at the least: none where the one depends on the other.
    pub others: usize,
}

/// A package, and those around it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Around {
    /// The package.
    pub id: PackageId,
    /// Who leans on it, those that have nobody else first.
    pub leaning: Vec<Tie>,
    /// Whom it leans on, those whose place nobody else can take first.
    pub leans: Vec<Tie>,
}

impl Around {
    /// What stands around a package, of all that packages lean on.
    pub fn of(leans: &Leans, id: &PackageId) -> Self {
        let mut whom: BTreeMap<&PackageId, (BTreeSet<&str>, usize)> = BTreeMap::new();
        let mut leaning: BTreeMap<&PackageId, (BTreeSet<&str>, usize)> = BTreeMap::new();
        for Lean { who, name, on } in leans.iter() {
            if who == id {
                on.iter().for_each(|other| add(&mut whom, other, name, on.len() - 1));
            } else if on.contains(id) {
                add(&mut leaning, who, name, on.len() - 1);
            }
        }
        Self { id: id.clone(), leaning: ties(leaning), leans: ties(whom) }
    }

    /// Whether nothing is tied to it.
    pub fn is_alone(&self) -> bool {
        self.leaning.is_empty() && self.leans.is_empty()
    }
}

fn add<'a>(
    all: &mut BTreeMap<&'a PackageId, (BTreeSet<&'a str>, usize)>,
    other: &'a PackageId,
    name: &'a str,
    others: usize,
) {
    let (names, least) = all.entry(other).or_insert_with(|| (BTreeSet::new(), others));
    names.insert(name);
    *least = others.min(*least);
}

fn ties(all: BTreeMap<&PackageId, (BTreeSet<&str>, usize)>) -> Vec<Tie> {
    let tie = |(other, (names, others)): (&PackageId, (BTreeSet<&str>, usize))| Tie {
        other: other.clone(),
        by: names.into_iter().map(str::to_owned).collect(),
        others,
    };
    let mut ties: Vec<Tie> = all.into_iter().map(tie).collect();
    ties.sort_by(|a, b| (a.others, &a.other).cmp(&(b.others, &b.other)));
    ties
}
