//! The outlines of letters, each kept once.

use std::collections::HashSet;
use std::fmt::Write as _;

use svg::Node as _;
use svg::node::element::{Definitions, Group, Path, Use};
use svg2pdf::usvg::{self, Node, Tree, fontdb};
use ttf_parser::{Face, GlyphId, OutlineBuilder};

use crate::font::number_of;

/// Outlines that are kept, and for which letters.
#[derive(Debug, Default)]
pub(crate) struct Outlines {
    /// What the letters on the sheet refer to.
    pub(crate) kept: Definitions,
    names: HashSet<String>,
}

impl Outlines {
    /// The letters of a tree's texts, as they were shaped: right-to-left, joined, composed.
    pub(crate) fn of(&mut self, tree: &Tree) -> Group {
        let mut all = Group::new();
        self.add(tree.root(), tree, &mut all);
        all
    }

    fn add(&mut self, group: &usvg::Group, tree: &Tree, all: &mut Group) {
        for node in group.children() {
            match node {
                Node::Group(inside) => self.add(inside, tree, all),
                Node::Text(text) => {
                    for glyph in text.layouted().iter().flat_map(|span| &span.positioned_glyphs) {
                        let Some(name) = self.name_of(glyph.font, glyph.id.0, tree.fontdb()) else { continue };
                        let to = text.abs_transform().pre_concat(glyph.outline_transform());
                        let matrix = format!(
                            "matrix({:.5} {:.5} {:.5} {:.5} {:.2} {:.2})",
                            to.sx, to.ky, to.kx, to.sy, to.tx, to.ty
                        );
                        all.append(Use::new().set("xlink:href", format!("#{name}")).set("transform", matrix));
                    }
                }
                _ => {}
            }
        }
    }

    /// The name of an outline, which is kept when it is first asked for; `None` for what has none, as a space.
    fn name_of(&mut self, font: fontdb::ID, glyph: u16, fonts: &fontdb::Database) -> Option<String> {
        let name = match number_of(font)? {
            0 => format!("r{glyph}"),
            1 => format!("b{glyph}"),
            further => format!("f{further}-{glyph}"),
        };
        if self.names.contains(&name) {
            return Some(name);
        }
        let data = fonts.with_face_data(font, |data, index| {
            let face = Face::parse(data, index).ok()?;
            let mut outline = Outline::default();
            face.outline_glyph(GlyphId(glyph), &mut outline)?;
            Some(outline.0)
        });
        let path = Path::new().set("id", name.as_str()).set("d", data.flatten()?);
        self.kept.append(path);
        self.names.insert(name.clone());
        Some(name)
    }
}

/// An outline as the data of a path, in units of the font.
#[derive(Debug, Default)]
struct Outline(String);

impl OutlineBuilder for Outline {
    fn move_to(&mut self, x: f32, y: f32) {
        let _ = write!(self.0, "M{x} {y}");
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let _ = write!(self.0, "L{x} {y}");
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let _ = write!(self.0, "Q{x1} {y1} {x} {y}");
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let _ = write!(self.0, "C{x1} {y1} {x2} {y2} {x} {y}");
    }

    fn close(&mut self) {
        self.0.push('Z');
    }
}
