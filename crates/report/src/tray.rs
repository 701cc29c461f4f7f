//! What a tray does: what goes together on the left, and what stops without it on the right.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_core::plan::{Change, StartOutlook, Upshot};
use wibbet_types::{PackageId, bytes_words};

use crate::document::Document;
use crate::font::{shown_as, wrapped};
use crate::layout::{Heading, INSIDE, pages};
use crate::picture::{LEADING, Picture, Tone};

/// Packages that are named together.
const MOST_NAMED: usize = 14;

/// Lines of a sentence.
const MOST_LINES: usize = 12;

const SIDE: f32 = 350.0;
const ROOM: f32 = SIDE - 16.0;
const NAME: f32 = 9.5;
const SMALL: f32 = 7.5;

/// A drawing of what a tray does for one user. `label` gives the names that people know.
pub fn tray(
    heading: &Heading,
    items: &[(PackageId, Change)],
    upshot: &Upshot,
    label: &dyn Fn(&PackageId) -> Option<String>,
) -> Document {
    let mut blocks = vec![start(items.len(), upshot)];
    let mut told: BTreeSet<&PackageId> = BTreeSet::new();
    for (stops, with) in &upshot.lost {
        told.extend(with);
        blocks.push(row(with, &format!("stops: {stops}"), &[], label));
    }
    // Who loses the same from the same stands together.
    let mut needs: BTreeMap<&BTreeSet<PackageId>, Vec<&PackageId>> = BTreeMap::new();
    upshot.needs_lost.iter().for_each(|(id, from)| needs.entry(from).or_default().push(id));
    for (from, losing) in needs {
        told.extend(from);
        let words = if losing.len() == 1 { "loses what it needs:" } else { "lose what they need:" };
        let words = format!("{} {words}", losing.len());
        blocks.push(row(from, &words, &losing, label));
    }
    for (id, accounts) in &upshot.accounts_lost {
        told.insert(id);
        let words = if *accounts == 1 { "1 account goes".to_owned() } else { format!("{accounts} accounts go") };
        blocks.push(row(&BTreeSet::from([id.clone()]), &words, &[], label));
    }
    let quiet: BTreeSet<PackageId> = items.iter().map(|(id, _)| id).filter(|id| !told.contains(id)).cloned().collect();
    if !quiet.is_empty() {
        blocks.push(heading_of("Nothing was found that would be missed of:"));
        blocks.push(card(quiet.iter(), None, label));
    }
    let name = |id: &PackageId| shown_as(label(id).as_deref(), id).to_owned();
    for way in &upshot.instead {
        blocks.push(aside(&format!("Another way: {}", way.words_with(name))));
    }
    let foot = "An arrow leads from what goes to what stops without it.";
    pages(&Heading { foot: foot.to_owned(), ..heading.clone() }, &blocks)
}

/// What goes in all, and whether a start is expected.
fn start(count: usize, upshot: &Upshot) -> Picture {
    let start = match upshot.start {
        StartOutlook::Expected => "The device is expected to start afterwards.",
        StartOutlook::NotKnown => "Whether the device starts afterwards is not known: not all was read.",
        StartOutlook::Unusable => "The device would start and could not be used.",
        StartOutlook::NotExpected => "The device is not expected to start afterwards.",
    };
    let freed: Vec<String> = [
        ("data that go", upshot.data_bytes),
        ("code that is freed", upshot.code_bytes),
        ("memory that is freed", upshot.memory_bytes),
    ]
    .into_iter()
    .filter_map(|(what, bytes)| Some(format!("{what}: {}", bytes_words(bytes?))))
    .collect();
    let mut block = Picture::of(INSIDE, 30.0);
    block.bold((0.0, 10.0), start, 11.0, Tone::Lead);
    let packages = if count == 1 { "1 package goes".to_owned() } else { format!("{count} packages go") };
    let line = std::iter::once(packages).chain(freed).collect::<Vec<_>>().join(" · ");
    block.text((0.0, 24.0), &line, 9.0, Tone::Ink);
    block
}

/// A line over what follows.
fn heading_of(words: &str) -> Picture {
    let mut block = Picture::of(INSIDE, NAME);
    block.bold((0.0, NAME), words, NAME, Tone::Ink);
    block
}

/// What goes, and what stops with it.
fn row(
    gone: &BTreeSet<PackageId>,
    stops: &str,
    losing: &[&PackageId],
    label: &dyn Fn(&PackageId) -> Option<String>,
) -> Picture {
    let left = card(gone.iter(), None, label);
    let right = card(losing.iter().copied(), Some(stops), label);
    let mut block = Picture::of(INSIDE, left.height.max(right.height));
    block.place(&left, (0.0, 0.0));
    block.place(&right, (INSIDE - SIDE, 0.0));
    let y = left.height.min(right.height).min(40.0) / 2.0;
    block.arrow((SIDE, y), (INSIDE - SIDE, y), false);
    block
}

/// Packages in a box, below what is said of them.
fn card<'a>(
    ids: impl Iterator<Item = &'a PackageId>,
    words: Option<&str>,
    label: &dyn Fn(&PackageId) -> Option<String>,
) -> Picture {
    let mut lines: Vec<(String, f32, Tone, bool)> = Vec::new();
    if let Some(words) = words {
        lines.extend(wrapped(words, NAME, true, ROOM).into_iter().take(4).map(|line| (line, NAME, Tone::Ink, true)));
    }
    let ids: Vec<&PackageId> = ids.collect();
    for id in ids.iter().take(MOST_NAMED) {
        let label = label(id);
        let shown = shown_as(label.as_deref(), id);
        lines.push((shown.to_owned(), NAME, Tone::Ink, false));
        if shown != id.as_str() {
            lines.push((id.to_string(), SMALL, Tone::Aside, false));
        }
    }
    if ids.len() > MOST_NAMED {
        lines.push((format!("and {} more", ids.len() - MOST_NAMED), SMALL, Tone::Aside, false));
    }
    let height = lines.iter().map(|(_, size, ..)| size * LEADING).sum::<f32>() + 10.0;
    let mut card = Picture::of(SIDE, height);
    let ground = if words.is_some() { Tone::Ground } else { Tone::Paper };
    card.frame((0.0, 0.0), (SIDE, height), ground, Tone::Line);
    let mut y = 5.0;
    for (line, size, tone, bold) in lines {
        y += size * LEADING;
        card.fitted((8.0, y - size * 0.25), &line, size, tone, bold, ROOM);
    }
    card
}

/// A sentence below it all.
fn aside(words: &str) -> Picture {
    let mut lines = wrapped(words, 9.0, false, INSIDE);
    if lines.len() > MOST_LINES {
        lines.truncate(MOST_LINES);
        lines.push("…".to_owned());
    }
    let mut block = Picture::of(INSIDE, lines.len() as f32 * 9.0 * LEADING);
    for (n, line) in lines.iter().enumerate() {
        block.text((0.0, 9.0 + n as f32 * 9.0 * LEADING), line, 9.0, Tone::Ink);
    }
    block
}
