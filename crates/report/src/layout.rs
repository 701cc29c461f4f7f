//! Pages out of blocks: a heading on each, a foot with its number.

use crate::document::Document;
use crate::picture::{LEADING, Picture, Tone};

/// A4 across, in points.
const PAGE: (f32, f32) = (842.0, 595.0);

/// White around what is on a page.
pub(crate) const MARGIN: f32 = 36.0;

/// What there is between the margins.
pub(crate) const INSIDE: f32 = PAGE.0 - 2.0 * MARGIN;

/// Between blocks.
const BETWEEN: f32 = 16.0;

const HEAD: f32 = 46.0;
const FOOT: f32 = 22.0;

/// The highest block that has room on a page.
pub(crate) const HIGHEST: f32 = PAGE.1 - 2.0 * MARGIN - HEAD - FOOT;

/// What stands over every page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heading {
    /// What the drawing is about.
    pub title: String,
    /// The device, its version, the user, the day.
    pub below: String,
    /// What lines and signs mean, at the foot.
    pub foot: String,
}

/// Pages with these blocks, one below the other.
pub(crate) fn pages(heading: &Heading, blocks: &[Picture]) -> Document {
    let bottom = PAGE.1 - MARGIN - FOOT;
    let mut pages: Vec<Picture> = Vec::new();
    let mut y = f32::INFINITY;
    for block in blocks {
        if y + block.height > bottom {
            pages.push(Picture::of(PAGE.0, PAGE.1));
            y = MARGIN + HEAD;
        }
        if let Some(page) = pages.last_mut() {
            page.place(block, (MARGIN, y));
        }
        y += block.height + BETWEEN;
    }
    if pages.is_empty() {
        pages.push(Picture::of(PAGE.0, PAGE.1));
    }
    let count = pages.len();
    for (n, page) in pages.iter_mut().enumerate() {
        page.fitted((MARGIN, MARGIN + 13.0), &heading.title, 15.0, Tone::Ink, true, INSIDE);
        page.fitted((MARGIN, MARGIN + 13.0 + 10.0 * LEADING), &heading.below, 9.0, Tone::Aside, false, INSIDE);
        let line = MARGIN + HEAD - 12.0;
        page.line((MARGIN, line), (PAGE.0 - MARGIN, line), Tone::Line);
        let number = format!("{} / {count}", n + 1);
        let right = PAGE.0 - MARGIN - crate::font::width(&number, 8.0, false);
        page.text((right, PAGE.1 - MARGIN), &number, 8.0, Tone::Aside);
        page.fitted((MARGIN, PAGE.1 - MARGIN), &heading.foot, 8.0, Tone::Aside, false, INSIDE - 60.0);
    }
    Document { title: heading.title.clone(), pages }
}
