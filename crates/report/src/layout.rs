//! Pages out of blocks: a heading on each, a foot with its number.

use crate::document::Document;
use crate::picture::{LEADING, Picture, Tone};

/// A4 across, in points.
const PAGE: (f32, f32) = (842.0, 595.0);

/// The paper of a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Paper {
    /// 210 by 297 mm.
    #[default]
    A4,
    /// 8.5 by 11 inches.
    Letter,
}

impl Paper {
    /// Its width and height upright, in points.
    pub(crate) fn upright(self) -> (f32, f32) {
        match self {
            Self::A4 => (595.0, 842.0),
            Self::Letter => (612.0, 792.0),
        }
    }
}

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
    pages_on(PAGE, heading, blocks, BETWEEN)
}

/// Pages of a size in points, with these blocks one below the other, so far apart.
pub(crate) fn pages_on(page_size: (f32, f32), heading: &Heading, blocks: &[Picture], between: f32) -> Document {
    let inside = page_size.0 - 2.0 * MARGIN;
    let bottom = page_size.1 - MARGIN - FOOT;
    let mut pages: Vec<Picture> = Vec::new();
    let mut y = f32::INFINITY;
    for block in blocks {
        if y + block.height > bottom {
            pages.push(Picture::of(page_size.0, page_size.1));
            y = MARGIN + HEAD;
        }
        if let Some(page) = pages.last_mut() {
            page.place(block, (MARGIN, y));
        }
        y += block.height + between;
    }
    if pages.is_empty() {
        pages.push(Picture::of(page_size.0, page_size.1));
    }
    let count = pages.len();
    for (n, page) in pages.iter_mut().enumerate() {
        page.fitted((MARGIN, MARGIN + 13.0), &heading.title, 15.0, Tone::Ink, true, inside);
        page.fitted((MARGIN, MARGIN + 13.0 + 10.0 * LEADING), &heading.below, 9.0, Tone::Aside, false, inside);
        let line = MARGIN + HEAD - 12.0;
        page.line((MARGIN, line), (page_size.0 - MARGIN, line), Tone::Line);
        let number = format!("{} / {count}", n + 1);
        let right = page_size.0 - MARGIN - crate::font::width(&number, 8.0, false);
        page.text((right, page_size.1 - MARGIN), &number, 8.0, Tone::Aside);
        page.fitted((MARGIN, page_size.1 - MARGIN), &heading.foot, 8.0, Tone::Aside, false, inside - 60.0);
    }
    Document { title: heading.title.clone(), pages }
}
