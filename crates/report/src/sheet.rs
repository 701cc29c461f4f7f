//! The job sheet on paper: upright pages that can be read at arm's length, in black and white too.

use wibbet_core::sheet::{Bar, Sheet, SheetPart, SheetRow};

use crate::document::Document;
use crate::font::{is_covered, wrapped};
use crate::layout::{Heading, MARGIN, Paper, pages_on};
use crate::picture::{LEADING, Picture, Tone};

const TEXT: f32 = 9.5;
const SMALL: f32 = 7.5;
const BETWEEN: f32 = 7.0;

/// Lines of a sentence.
const MOST_LINES: usize = 12;

/// A job sheet as pages. `below` stands under the title, `foot` at the end of each page.
pub fn job_sheet(sheet: &Sheet, paper: Paper, foot: &str) -> Document {
    let size = paper.upright();
    let inside = size.0 - 2.0 * MARGIN;
    let mut blocks = Vec::new();
    for part in &sheet.parts {
        match part {
            SheetPart::Facts(facts) => blocks.extend(facts.iter().map(|(name, value)| fact(name, value, inside))),
            SheetPart::Rows(title, rows) => {
                blocks.extend(below(title, rows.iter().map(|one| row(one, inside)), inside))
            }
            SheetPart::Lines(title, lines) => {
                blocks.extend(below(title, lines.iter().map(|line| sentence(line, inside)), inside));
            }
            SheetPart::Bars(title, bars) => {
                blocks.extend(below(title, bars.iter().map(|bar| figure(bar, inside)), inside));
            }
            SheetPart::Sign(whose) => blocks.push(sign(whose, inside)),
        }
    }
    let (title, below) = (sheet.title.clone(), sheet.workshop.clone());
    pages_on(size, &Heading { title, below, foot: foot.to_owned() }, &blocks, BETWEEN)
}

/// Blocks below their heading, which is on the page of the first one.
fn below(title: &str, blocks: impl Iterator<Item = Picture>, inside: f32) -> Vec<Picture> {
    let mut all: Vec<Picture> = blocks.collect();
    if let Some(first) = all.first_mut() {
        let over = heading(title, inside);
        let mut both = Picture::of(inside, over.height + BETWEEN + first.height);
        both.place(&over, (0.0, 0.0));
        both.place(first, (0.0, over.height + BETWEEN));
        *first = both;
    }
    all
}

/// Over what follows; it stands off from what was before.
fn heading(title: &str, inside: f32) -> Picture {
    let mut block = Picture::of(inside, 26.0);
    block.fitted((0.0, 20.0), title, 11.0, Tone::Lead, true, inside);
    block.line((0.0, 25.0), (inside, 25.0), Tone::Line);
    block
}

/// A name and its value.
fn fact(name: &str, value: &str, inside: f32) -> Picture {
    let left = 100.0;
    let lines = lines_of(value, TEXT, inside - left);
    let mut block = Picture::of(inside, lines.len() as f32 * TEXT * LEADING);
    block.fitted((0.0, TEXT), name, TEXT, Tone::Aside, false, left - 8.0);
    for (n, line) in lines.iter().enumerate() {
        block.text((left, TEXT + n as f32 * TEXT * LEADING), line, TEXT, Tone::Ink);
    }
    block
}

/// What became of a package: its name, its id, what was done, and why.
fn row(row: &SheetRow, inside: f32) -> Picture {
    let right = inside * 0.3;
    let left = inside - right - 10.0;
    // What the fonts lack is told by its id.
    let named = is_covered(&row.name);
    let name = if named { &row.name } else { &row.id };
    let why = lines_of(&row.why, SMALL, left);
    let under = usize::from(named && !row.id.is_empty()) + if row.why.is_empty() { 0 } else { why.len() };
    let mut block = Picture::of(inside, TEXT * LEADING + under as f32 * SMALL * LEADING);
    block.fitted((0.0, TEXT), name, TEXT, Tone::Ink, true, left);
    block.fitted((inside - right, TEXT), &row.what, TEXT, Tone::Ink, false, right);
    let mut y = TEXT * LEADING;
    if named && !row.id.is_empty() {
        block.fitted((0.0, y + SMALL), &row.id, SMALL, Tone::Aside, false, left);
        y += SMALL * LEADING;
    }
    if !row.why.is_empty() {
        for line in why {
            block.text((0.0, y + SMALL), &line, SMALL, Tone::Ink);
            y += SMALL * LEADING;
        }
    }
    block
}

fn sentence(words: &str, inside: f32) -> Picture {
    let lines = lines_of(words, TEXT, inside - 10.0);
    let mut block = Picture::of(inside, lines.len() as f32 * TEXT * LEADING);
    block.text((0.0, TEXT), "–", TEXT, Tone::Aside);
    for (n, line) in lines.iter().enumerate() {
        block.text((10.0, TEXT + n as f32 * TEXT * LEADING), line, TEXT, Tone::Ink);
    }
    block
}

/// A text in lines, as many as a page can bear.
fn lines_of(text: &str, size: f32, room: f32) -> Vec<String> {
    let mut lines = wrapped(text, size, false, room);
    if lines.len() > MOST_LINES {
        lines.truncate(MOST_LINES);
        lines.push("…".to_owned());
    }
    lines
}

/// A figure: two bars, of which the longer one takes all the room; framed before, filled after.
fn figure(bar: &Bar, inside: f32) -> Picture {
    let left = inside * 0.32;
    let room = inside - left - 80.0;
    let most = bar.before.max(bar.after).max(1);
    let mut block = Picture::of(inside, 24.0);
    block.fitted((0.0, 14.0), &bar.name, TEXT, Tone::Ink, false, left - 8.0);
    for (value, words, y, ground) in
        [(bar.before, &bar.words.0, 1.0, Tone::Paper), (bar.after, &bar.words.1, 12.0, Tone::Lead)]
    {
        let long = (room * (value as f64 / most as f64) as f32).max(1.0);
        block.frame((left, y), (long, 9.0), ground, Tone::Ink);
        block.text((left + long + 6.0, y + 7.5), words, SMALL, Tone::Ink);
    }
    block
}

/// Lines to sign on, side by side.
fn sign(whose: &[String], inside: f32) -> Picture {
    let mut block = Picture::of(inside, 64.0);
    let each = inside / whose.len().max(1) as f32;
    for (n, who) in whose.iter().enumerate() {
        let x = n as f32 * each;
        block.line((x, 48.0), (x + each - 24.0, 48.0), Tone::Ink);
        block.fitted((x, 59.0), who, SMALL, Tone::Aside, false, each - 24.0);
    }
    block
}
