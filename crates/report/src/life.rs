//! The life of a device, from the top down: what happened, and how many packages were in use behind it.

use wibbet_core::diagnosis::{Life, LifePoint, MomentKind};
use wibbet_types::Timestamp;

use crate::document::Document;
use crate::layout::{Heading, MARGIN, Paper, pages_on};
use crate::picture::{Picture, Shape, Tone};

const HEIGHT: f32 = 21.0;
const TEXT: f32 = 9.5;
const SMALL: f32 = 7.5;
/// Where the line of its life is, and what stands to the right of it.
const LINE: f32 = 116.0;
const WORDS: f32 = 134.0;
const BAR: f32 = 330.0;

/// The life of a device on upright pages; `clock` writes day and time.
pub fn life(heading: &Heading, life: &Life, paper: Paper, clock: &dyn Fn(Timestamp) -> (String, String)) -> Document {
    let size = paper.upright();
    let inside = size.0 - 2.0 * MARGIN;
    let last = life.points.len().saturating_sub(1);
    let mut blocks = vec![legend(inside)];
    let mut before = String::new();
    for (n, point) in life.points.iter().enumerate() {
        let (day, time) = clock(point.at);
        // A day is not said again and again.
        let shown = if day == before { "" } else { &day };
        blocks.push(row(point, (shown, &time), (n == 0, n == last), life.most(), inside));
        before = day;
    }
    pages_on(size, heading, &blocks, 0.0)
}

fn shape_of(kind: MomentKind) -> Shape {
    match kind {
        MomentKind::Met => Shape::Ring,
        MomentKind::Update => Shape::Diamond,
        MomentKind::Run => Shape::Square,
        MomentKind::RunInPart => Shape::Triangle,
        MomentKind::Break => Shape::Bar,
        MomentKind::Change => Shape::Dot,
    }
}

/// What the signs mean, and over what the bars stand.
fn legend(inside: f32) -> Picture {
    let mut block = Picture::of(inside, 30.0);
    let mut x = 4.0;
    for kind in MomentKind::ALL {
        let words = kind.sign().1;
        block.mark((x, 6.0), 3.5, shape_of(kind));
        block.text((x + 8.0, 6.0 + SMALL * 0.36), words, SMALL, Tone::Aside);
        x += 22.0 + crate::font::width(words, SMALL, false);
    }
    block.text((BAR, 24.0), "packages in use", SMALL, Tone::Aside);
    block
}

fn row(point: &LifePoint, (day, time): (&str, &str), (first, last): (bool, bool), most: u32, inside: f32) -> Picture {
    let mut block = Picture::of(inside, HEIGHT);
    let middle = HEIGHT / 2.0;
    let base = middle + TEXT * 0.36;
    if point.on_break {
        block.ground((LINE - 9.0, 0.0), (18.0, HEIGHT));
    }
    block.fitted((0.0, base), day, TEXT, Tone::Ink, true, 68.0);
    block.fitted((70.0, base), time, TEXT, Tone::Aside, false, 32.0);
    let (top, bottom) = (if first { middle } else { 0.0 }, if last { middle } else { HEIGHT });
    block.line((LINE, top), (LINE, bottom), Tone::Line);
    block.mark((LINE, middle), 4.5, shape_of(point.what.kind()));
    let (words, room) = (point.what.words(), BAR - WORDS - 8.0);
    let size = if crate::font::width(&words, TEXT, false) > room { SMALL } else { TEXT };
    block.fitted((WORDS, base), &words, size, Tone::Ink, false, room);
    if let Some(count) = point.in_use {
        let room = inside - BAR - 30.0;
        let long = (room * count as f32 / most.max(1) as f32).max(1.0);
        block.frame((BAR, middle - 4.0), (long, 8.0), Tone::Lead, Tone::Ink);
        block.text((BAR + long + 5.0, base), &count.to_string(), SMALL, Tone::Ink);
    }
    block
}
