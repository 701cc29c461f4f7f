//! What can be drawn on a page: boxes, lines, arrows, texts. In ink and its shades, so that it can be read in black and white and by
//! whoever sees no colours; one tone of blue leads the eye and says nothing by itself.

use svg::Node as _;
use svg::node::element::{Circle, Group, Path, Rectangle, Text};

use crate::font::{called, fit, parts, width};

/// What something is drawn in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tone {
    /// Black.
    Ink,
    /// What is said aside.
    Aside,
    /// What frames and parts.
    Line,
    /// The ground of what is set off.
    Ground,
    /// What leads the eye.
    Lead,
    /// White.
    Paper,
}

impl Tone {
    pub(crate) fn colour(self) -> &'static str {
        match self {
            Self::Ink => "#111111",
            Self::Aside => "#555555",
            Self::Line => "#8a8a8a",
            Self::Ground => "#eeeeee",
            Self::Lead => "#1d5c93",
            Self::Paper => "#ffffff",
        }
    }
}

/// A small sign. Each is told from the others without its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Shape {
    Square,
    Diamond,
    Triangle,
    Ring,
    Dot,
    /// Lies across.
    Dash,
    /// Lies across, twice.
    Bar,
}

/// The height of a line of text, as a multiple of its size.
pub(crate) const LEADING: f32 = 1.35;

/// A page, or a part of one: lengths are points, from its upper left corner.
#[derive(Debug, Clone)]
pub struct Picture {
    pub(crate) width: f32,
    pub(crate) height: f32,
    /// Everything but its texts, which lie over the rest.
    pub(crate) shapes: Group,
    pub(crate) texts: Vec<Words>,
}

/// A text on a page: where its base line begins, and what it is written in.
#[derive(Debug, Clone)]
pub(crate) struct Words {
    pub(crate) at: (f32, f32),
    pub(crate) size: f32,
    /// Which font.
    pub(crate) font: usize,
    pub(crate) bold: bool,
    pub(crate) tone: Tone,
    pub(crate) text: String,
}

impl Words {
    /// As a text of SVG.
    pub(crate) fn element(&self) -> Text {
        let (family, bold) = called(self.font);
        Text::new(self.text.as_str())
            .set("x", points(self.at.0))
            .set("y", points(self.at.1))
            .set("font-family", family)
            .set("font-size", points(self.size))
            .set("font-weight", if bold { "bold" } else { "normal" })
            .set("fill", self.tone.colour())
    }

    /// As a text that nobody sees and anybody can find and copy, as wide as the one that is seen.
    pub(crate) fn unseen(&self) -> Text {
        Text::new(self.text.as_str())
            .set("x", points(self.at.0))
            .set("y", points(self.at.1))
            .set("font-size", points(self.size))
            .set("textLength", points(width(&self.text, self.size, self.bold).max(0.1)))
            .set("lengthAdjust", "spacingAndGlyphs")
    }
}

/// A number of points as it is written: to the hundredth.
pub(crate) fn points(length: f32) -> String {
    let text = format!("{length:.2}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

impl Picture {
    /// An empty one.
    pub fn of(width: f32, height: f32) -> Self {
        Self { width, height, shapes: Group::new(), texts: Vec::new() }
    }

    /// A text in one line; `at` is where its base line begins.
    pub fn text(&mut self, at: (f32, f32), text: &str, size: f32, tone: Tone) {
        self.write(at, text, size, tone, false);
    }

    /// A bold text in one line.
    pub fn bold(&mut self, at: (f32, f32), text: &str, size: f32, tone: Tone) {
        self.write(at, text, size, tone, true);
    }

    /// A text in one line that is cut where it has no room.
    pub(crate) fn fitted(&mut self, at: (f32, f32), text: &str, size: f32, tone: Tone, bold: bool, room: f32) {
        self.write(at, &fit(text, size, bold, room), size, tone, bold);
    }

    fn write(&mut self, at: (f32, f32), text: &str, size: f32, tone: Tone, bold: bool) {
        let text = fit_for_xml(text);
        if text.trim().is_empty() {
            return;
        }
        let mut x = at.0;
        for (font, range) in parts(&text, bold) {
            let part = text.get(range).unwrap_or_default();
            self.texts.push(Words { at: (x, at.1), size, font, bold, tone, text: part.to_owned() });
            x += width(part, size, bold);
        }
    }

    /// A box with round corners.
    pub fn frame(&mut self, at: (f32, f32), size: (f32, f32), ground: Tone, line: Tone) {
        let element = Rectangle::new()
            .set("x", points(at.0))
            .set("y", points(at.1))
            .set("width", points(size.0))
            .set("height", points(size.1))
            .set("rx", "3")
            .set("fill", ground.colour())
            .set("stroke", line.colour())
            .set("stroke-width", if line == Tone::Ink { "1.4" } else { "0.8" });
        self.shapes.append(element);
    }

    /// A straight line.
    pub fn line(&mut self, from: (f32, f32), to: (f32, f32), tone: Tone) {
        let data = format!("M {} {} L {} {}", points(from.0), points(from.1), points(to.0), points(to.1));
        self.shapes.append(stroke(data, tone, false));
    }

    /// A sign with its middle at `at`, which reaches so far from there.
    pub(crate) fn mark(&mut self, at: (f32, f32), reach: f32, shape: Shape) {
        let corners = |all: &[(f32, f32)]| {
            let places = all.iter().map(|(x, y)| format!("{} {}", points(at.0 + x * reach), points(at.1 + y * reach)));
            format!("M {} Z", places.collect::<Vec<_>>().join(" L "))
        };
        let filled = |data: String| Path::new().set("d", data).set("fill", Tone::Ink.colour());
        let round = |reach: f32, fill: Tone| {
            let circle = Circle::new().set("cx", points(at.0)).set("cy", points(at.1)).set("r", points(reach));
            circle.set("fill", fill.colour()).set("stroke", Tone::Ink.colour()).set("stroke-width", "1.2")
        };
        match shape {
            Shape::Square => self.shapes.append(filled(corners(&[(-0.8, -0.8), (0.8, -0.8), (0.8, 0.8), (-0.8, 0.8)]))),
            Shape::Diamond => self.shapes.append(filled(corners(&[(0.0, -1.1), (1.1, 0.0), (0.0, 1.1), (-1.1, 0.0)]))),
            Shape::Triangle => {
                let data = corners(&[(0.0, -1.0), (1.1, 0.9), (-1.1, 0.9)]);
                let sign = Path::new().set("d", data).set("fill", Tone::Paper.colour());
                self.shapes.append(sign.set("stroke", Tone::Ink.colour()).set("stroke-width", "1.6"));
            }
            Shape::Ring => self.shapes.append(round(reach * 0.85, Tone::Paper)),
            Shape::Dot => self.shapes.append(round(reach * 0.45, Tone::Ink)),
            Shape::Dash => {
                self.shapes.append(filled(corners(&[(-1.0, -0.15), (1.0, -0.15), (1.0, 0.15), (-1.0, 0.15)])))
            }
            Shape::Bar => {
                for y in [-0.4, 0.4] {
                    let edges = [(-1.1, y - 0.15), (1.1, y - 0.15), (1.1, y + 0.15), (-1.1, y + 0.15)];
                    self.shapes.append(filled(corners(&edges)));
                }
            }
        }
    }

    /// A grey ground without a frame.
    pub(crate) fn ground(&mut self, at: (f32, f32), size: (f32, f32)) {
        let element = Rectangle::new()
            .set("x", points(at.0))
            .set("y", points(at.1))
            .set("width", points(size.0))
            .set("height", points(size.1))
            .set("fill", Tone::Ground.colour());
        self.shapes.append(element);
    }

    /// An arrow that leads from left to right; dashed where what it leads to is not the only one.
    pub fn arrow(&mut self, from: (f32, f32), to: (f32, f32), dashed: bool) {
        let tip = to.0 - 5.0;
        let middle = f32::midpoint(from.0, tip);
        let [x0, y0, x1, y1, mid] = [from.0, from.1, tip, to.1, middle].map(points);
        self.shapes.append(stroke(format!("M {x0} {y0} C {mid} {y0} {mid} {y1} {x1} {y1}"), Tone::Ink, dashed));
        let [x, y, top, bottom] = [to.0, to.1, to.1 - 3.0, to.1 + 3.0].map(points);
        let head = Path::new().set("d", format!("M {x1} {top} L {x} {y} L {x1} {bottom} Z"));
        self.shapes.append(head.set("fill", Tone::Ink.colour()));
    }

    /// Puts another one on it, so far from its upper left corner.
    pub(crate) fn place(&mut self, other: &Self, at: (f32, f32)) {
        let moved = format!("translate({} {})", points(at.0), points(at.1));
        self.shapes.append(other.shapes.clone().set("transform", moved));
        let texts = other.texts.iter().cloned();
        self.texts.extend(texts.map(|words| Words { at: (words.at.0 + at.0, words.at.1 + at.1), ..words }));
    }
}

fn stroke(data: String, tone: Tone, dashed: bool) -> Path {
    let path = Path::new().set("d", data).set("fill", "none").set("stroke", tone.colour()).set("stroke-width", "0.9");
    if dashed { path.set("stroke-dasharray", "3 2.5") } else { path }
}

/// A text with nothing in it that XML cannot hold.
pub(crate) fn fit_for_xml(text: &str) -> String {
    text.chars().map(|c| if is_char_of_xml(c) { c } else { '\u{fffd}' }).collect()
}

/// Source: XML 1.0, production 2. Line breaks have no place in a line.
fn is_char_of_xml(c: char) -> bool {
    matches!(c, '\u{20}'..='\u{7e}' | '\u{a0}'..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..='\u{10ffff}')
}
