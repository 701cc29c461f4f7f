//! What leans on what: each package between those that lean on it and those that it leans on, with what ties it.

use wibbet_core::holds::{Around, Judgement, Tie, Verdict};
use wibbet_types::PackageId;

use crate::document::Document;
use crate::font::{shown_as, wrapped};
use crate::layout::{HIGHEST, Heading, INSIDE, pages};
use crate::picture::{LEADING, Picture, Tone};

/// Ends of ties that are drawn on a side; of more it is told how many.
const MOST_ENDS: usize = 12;

/// Holds that are told.
const MOST_HOLDS: usize = 8;

/// Lines of evidence for a hold.
const MOST_LINES: usize = 3;

const CARD: (f32, f32) = (218.0, 26.0);
const GAP: f32 = 5.0;
const MIDDLE: f32 = INSIDE - 2.0 * CARD.0 - 2.0 * 44.0;
const NAME: f32 = 9.5;
const SMALL: f32 = 7.5;
const TITLE: f32 = 8.0;

/// One package with what is known of it.
struct One<'a> {
    id: &'a PackageId,
    judgement: &'a Judgement,
    around: &'a Around,
}

/// A drawing of some packages, each with its judgement and what stands around it. `label` gives the names that people know.
pub fn ties<'a>(
    heading: &Heading,
    packages: impl IntoIterator<Item = (&'a PackageId, &'a Judgement, &'a Around)>,
    label: &dyn Fn(&PackageId) -> Option<String>,
) -> Document {
    let all = packages.into_iter().map(|(id, judgement, around)| One { id, judgement, around });
    let blocks: Vec<Picture> = all.map(|one| block(&one, label)).collect();
    let legend = "An arrow leads from who leans to what it leans on: a full line where nothing else could take the place, a dashed \
                  one where another could.";
    pages(&Heading { foot: legend.to_owned(), ..heading.clone() }, &blocks)
}

fn block(one: &One<'_>, label: &dyn Fn(&PackageId) -> Option<String>) -> Picture {
    let middle = card_of(one, label);
    let rows = |ties: &[Tie]| ties.len().min(MOST_ENDS) + usize::from(ties.len() > MOST_ENDS);
    let sides = rows(&one.around.leaning).max(rows(&one.around.leans));
    let top = TITLE * LEADING + 4.0;
    let high = (sides as f32) * (CARD.1 + GAP) - GAP;
    let mut block = Picture::of(INSIDE, (top + middle.height.max(high)).min(HIGHEST));
    let left = CARD.0 + 44.0;
    block.place(&middle, (left, top));
    let heads = [
        (
            0.0,
            match one.around.leaning.len() {
                0 => "nobody leans on it".to_owned(),
                1 => "1 leans on it".to_owned(),
                n => format!("{n} lean on it"),
            },
        ),
        (
            left + MIDDLE + 44.0,
            match one.around.leans.len() {
                0 => "it leans on nobody".to_owned(),
                n => format!("it leans on {n}"),
            },
        ),
    ];
    for (x, words) in heads {
        block.bold((x, TITLE), &words, TITLE, Tone::Aside);
    }
    let port = |y: f32| y.min(top + middle.height - 8.0).max(top + 8.0);
    for (n, tie) in one.around.leaning.iter().take(MOST_ENDS).enumerate() {
        let y = top + n as f32 * (CARD.1 + GAP);
        end(&mut block, (0.0, y), tie, label);
        let middle = y + CARD.1 / 2.0;
        block.arrow((CARD.0, middle), (left, port(middle)), tie.others > 0);
    }
    for (n, tie) in one.around.leans.iter().take(MOST_ENDS).enumerate() {
        let y = top + n as f32 * (CARD.1 + GAP);
        end(&mut block, (left + MIDDLE + 44.0, y), tie, label);
        let middle = y + CARD.1 / 2.0;
        block.arrow((left + MIDDLE, port(middle)), (left + MIDDLE + 44.0, middle), tie.others > 0);
    }
    for (x, ties) in [(0.0, &one.around.leaning), (left + MIDDLE + 44.0, &one.around.leans)] {
        if ties.len() > MOST_ENDS {
            let y = top + MOST_ENDS as f32 * (CARD.1 + GAP) + NAME;
            block.text((x + 6.0, y), &format!("and {} more", ties.len() - MOST_ENDS), SMALL, Tone::Aside);
        }
    }
    block
}

/// The package at the other end of a tie, and by which name.
fn end(block: &mut Picture, at: (f32, f32), tie: &Tie, label: &dyn Fn(&PackageId) -> Option<String>) {
    block.frame(at, CARD, Tone::Paper, Tone::Line);
    let label = label(&tie.other);
    let (x, room) = (at.0 + 6.0, CARD.0 - 12.0);
    block.fitted((x, at.1 + 11.0), shown_as(label.as_deref(), &tie.other), NAME, Tone::Ink, true, room);
    let by = tie.by.iter().find(|name| name.as_str() != tie.other.as_str());
    let by = by.map_or_else(|| tie.other.to_string(), |name| format!("by {name}"));
    block.fitted((x, at.1 + 21.0), &by, SMALL, Tone::Aside, false, room);
}

/// The package itself, with what ties it.
fn card_of(one: &One<'_>, label: &dyn Fn(&PackageId) -> Option<String>) -> Picture {
    let room = MIDDLE - 16.0;
    let mut lines: Vec<(String, f32, Tone, bool)> = Vec::new();
    let mut say = |text: &str, size: f32, tone: Tone, bold: bool, most: usize| {
        lines.extend(wrapped(text, size, bold, room).into_iter().take(most).map(|line| (line, size, tone, bold)));
    };
    let name = label(one.id);
    say(shown_as(name.as_deref(), one.id), 12.0, Tone::Ink, true, 2);
    say(one.id.as_str(), SMALL, Tone::Aside, false, 2);
    let verdict = match one.judgement.verdict() {
        Verdict::Held => format!("Without it stops: {}", one.judgement.stops()),
        Verdict::Free => "Free: everything that could tie it was read, and nothing does.".to_owned(),
        Verdict::Unread => "Nothing was found that ties it, and not all was read.".to_owned(),
    };
    say(&verdict, 9.0, Tone::Lead, true, 4);
    for hold in one.judgement.holds.iter().take(MOST_HOLDS) {
        let class = hold.class_words().map(|words| format!(", {words}")).unwrap_or_default();
        say("", 3.0, Tone::Ink, false, 1);
        say(&format!("{} · {} ({}{class})", hold.kind, hold.what, hold.sure), 8.5, Tone::Ink, false, 2);
        for evidence in hold.evidence.iter().take(2) {
            say(&evidence.text, SMALL, Tone::Aside, false, MOST_LINES);
        }
    }
    if one.judgement.holds.len() > MOST_HOLDS {
        say(&format!("and {} more", one.judgement.holds.len() - MOST_HOLDS), SMALL, Tone::Aside, false, 1);
    }
    let mut card = Picture::of(MIDDLE, 0.0);
    let mut y = 8.0;
    let mut placed = Vec::new();
    for (line, size, tone, bold) in lines {
        if y + size * LEADING > HIGHEST - 40.0 {
            break;
        }
        y += size * LEADING;
        placed.push((line, size, tone, bold, y - size * 0.25));
    }
    card.height = y + 8.0;
    card.frame((0.0, 0.0), (MIDDLE, card.height), Tone::Ground, Tone::Ink);
    for (line, size, tone, bold, y) in placed {
        card.fitted((8.0, y), &line, size, tone, bold, room);
    }
    card
}
