//! Pages, written as SVG or PDF.

use std::collections::{BTreeSet, HashMap};

use pdf_writer::{Content, Finish as _, Name, Pdf, Rect, Ref, TextStr};
use svg::Node as _;
use svg::node::element::{Group, Rectangle, SVG, Title};
use svg2pdf::usvg::{Options, Tree};
use svg2pdf::{ConversionOptions, to_chunk};
use thiserror::Error;

use crate::font::{FAMILY, OWN, database};
use crate::outlines::Outlines;
use crate::picture::{Picture, fit_for_xml, points};

/// Between the pages of a picture that shows them all.
const BETWEEN: f32 = 12.0;

/// A drawing that cannot be written.
#[derive(Debug, Error)]
pub enum ReportError {
    /// What was drawn is no picture.
    #[error("the drawing of page {page} cannot be read back: {why}")]
    Picture {
        /// Which page, from 1 on.
        page: usize,
        /// What is wrong with it.
        why: String,
    },
    /// It cannot be put into a PDF.
    #[error("page {page} cannot be put into a PDF: {why}")]
    Pdf {
        /// Which page, from 1 on.
        page: usize,
        /// What is wrong with it.
        why: String,
    },
}

/// Pages, and what they are about.
#[derive(Debug, Clone)]
pub struct Document {
    /// What they are about, for whoever lists documents.
    pub title: String,
    /// The pages.
    pub pages: Vec<Picture>,
}

/// An SVG of a page, texts as texts, as it is given to whoever shapes and embeds them.
fn source(picture: &Picture) -> String {
    let all = picture.texts.iter().fold(Group::new(), |group, words| group.add(words.element()));
    bare(picture).add(picture.shapes.clone()).add(all).to_string()
}

/// A sheet of a page's size.
fn bare(picture: &Picture) -> SVG {
    let (width, height) = (points(picture.width), points(picture.height));
    let view = format!("0 0 {width} {height}");
    SVG::new().set("width", width).set("height", height).set("viewBox", view)
}

/// A white one.
fn sheet(picture: &Picture) -> SVG {
    let (width, height) = (points(picture.width), points(picture.height));
    bare(picture).add(Rectangle::new().set("width", width).set("height", height).set("fill", "#ffffff"))
}

/// A page in layers with one font each at most: in what order several fonts of a drawing are written differs from time to time, and the
/// same page is to be the same bytes.
fn layers(picture: &Picture) -> impl Iterator<Item = Picture> {
    let used: BTreeSet<usize> = picture.texts.iter().map(|words| words.font).chain([OWN[0]]).collect();
    used.into_iter().map(|font| {
        let shapes = if font == OWN[0] { picture.shapes.clone() } else { Group::new() };
        let texts = picture.texts.iter().filter(|words| words.font == font).cloned().collect();
        Picture { shapes, texts, ..Picture::of(picture.width, picture.height) }
    })
}

fn tree(picture: &Picture, page: usize) -> Result<Tree, ReportError> {
    let used = picture.texts.iter().map(|words| words.font).collect();
    let options = Options { font_family: FAMILY.to_owned(), fontdb: database(&used), ..Options::default() };
    Tree::from_str(&source(picture), &options).map_err(|error| ReportError::Picture { page, why: error.to_string() })
}

impl Document {
    /// All pages below each other as one SVG. What is seen of letters are their outlines, each kept once, so that it looks the same
    /// whatever fonts a computer has; over them lie the texts themselves, unseen, to be found and copied.
    ///
    /// # Errors
    /// When a page cannot be drawn.
    pub fn svg(&self) -> Result<String, ReportError> {
        let mut all = Picture::of(0.0, 0.0);
        for page in &self.pages {
            let top = if all.height > 0.0 { all.height + BETWEEN } else { 0.0 };
            all.place(page, (0.0, top));
            (all.width, all.height) = (all.width.max(page.width), top + page.height);
        }
        let mut outlines = Outlines::default();
        let mut seen = Group::new();
        for words in &all.texts {
            // Shaped by itself, so that a glyph is known to be of it.
            let alone = Picture { texts: vec![words.clone()], ..Picture::of(all.width, all.height) };
            seen.append(outlines.of(&tree(&alone, 1)?).set("fill", words.tone.colour()));
        }
        let unseen = Group::new().set("fill-opacity", "0").set("font-family", "sans-serif");
        let unseen = all.texts.iter().fold(unseen, |group, words| group.add(words.unseen()));
        let sheet = sheet(&all).set("xmlns:xlink", "http://www.w3.org/1999/xlink");
        let sheet = sheet.add(Title::new(fit_for_xml(&self.title))).add(outlines.kept);
        Ok(sheet.add(all.shapes).add(seen).add(unseen).to_string())
    }

    /// A page each as PDF, with the fonts in it; texts can be selected and searched.
    ///
    /// # Errors
    /// When a page cannot be drawn.
    pub fn pdf(&self) -> Result<Vec<u8>, ReportError> {
        let mut next = Ref::new(1);
        let (catalog, tree_of_pages) = (next.bump(), next.bump());
        let pages: Vec<(Ref, Ref)> = self.pages.iter().map(|_| (next.bump(), next.bump())).collect();
        let mut pdf = Pdf::new();
        pdf.catalog(catalog).pages(tree_of_pages);
        let count = i32::try_from(pages.len()).unwrap_or(i32::MAX);
        pdf.pages(tree_of_pages).kids(pages.iter().map(|(page, _)| *page)).count(count);
        for (n, (picture, (page, content))) in self.pages.iter().zip(&pages).enumerate() {
            let mut drawings = Vec::new();
            for layer in layers(picture) {
                let seen = tree(&layer, n + 1)?;
                let (chunk, drawing) = to_chunk(&seen, ConversionOptions::default())
                    .map_err(|error| ReportError::Pdf { page: n + 1, why: error.to_string() })?;
                let mut names: HashMap<Ref, Ref> = HashMap::new();
                let chunk = chunk.renumber(|old| *names.entry(old).or_insert_with(|| next.bump()));
                drawings.push(*names.entry(drawing).or_insert_with(|| next.bump()));
                pdf.extend(&chunk);
            }
            let name = |place: usize| format!("P{place}");
            let mut written = pdf.page(*page);
            written.media_box(Rect::new(0.0, 0.0, picture.width, picture.height));
            written.parent(tree_of_pages).contents(*content);
            let mut resources = written.resources();
            let mut objects = resources.x_objects();
            for (place, drawing) in drawings.iter().enumerate() {
                objects.pair(Name(name(place).as_bytes()), *drawing);
            }
            objects.finish();
            resources.finish();
            written.finish();
            let mut shown = Content::new();
            for place in 0..drawings.len() {
                // A drawing is one point wide and high.
                shown.save_state();
                shown.transform([picture.width, 0.0, 0.0, picture.height, 0.0, 0.0]);
                shown.x_object(Name(name(place).as_bytes()));
                shown.restore_state();
            }
            pdf.stream(*content, &shown.finish());
        }
        pdf.document_info(next.bump()).title(TextStr(&self.title)).creator(TextStr("Wibbet"));
        Ok(pdf.finish())
    }
}
