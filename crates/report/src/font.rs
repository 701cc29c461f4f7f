//! The fonts that come with the program, those of the computer for what they lack, and how much room texts take in them.

use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::{Arc, LazyLock, OnceLock};

use svg2pdf::usvg::fontdb::{Database, ID, Source};
use ttf_parser::Face;
use wibbet_types::PackageId;

/// The family of those that come with the program.
pub(crate) const FAMILY: &str = "DejaVu Sans";

/// What stands where a text was cut.
const CUT: char = '…';

/// A font file of the computer, and which of its fonts.
#[derive(Debug, Clone)]
pub struct FontFile {
    /// The bytes of the file, which are there until the program ends.
    pub data: &'static [u8],
    /// Which font of a collection; 0 for a file of one.
    pub index: u32,
}

/// Where fonts of the computer come from.
type Finder = fn() -> Vec<FontFile>;

static FINDER: OnceLock<Finder> = OnceLock::new();

/// Says where further fonts come from, for letters that those of the program lack: it is asked when the first such letter is met, and
/// never again. What it gives is looked through in its order. Without it such texts are told in another way.
pub fn further_fonts_from(finder: Finder) {
    let _ = FINDER.set(finder);
}

/// One that can be written with.
struct Font {
    face: Face<'static>,
    /// What it is called in a drawing.
    family: String,
    bold: bool,
}

/// Regular and bold of the program, and then those of the computer.
struct Fonts {
    all: Vec<Font>,
    ids: Vec<ID>,
    database: Arc<Database>,
}

/// The regular one, and the bold one.
pub(crate) const OWN: [usize; 2] = [0, 1];

impl Fonts {
    fn new(further: Vec<FontFile>) -> Self {
        let own = [(dejavu::sans::regular(), false), (dejavu::sans::bold(), true)];
        let own = own.map(|(data, bold)| (data, 0, bold)).into_iter();
        let further = further.into_iter().map(|file| (file.data, file.index, false));
        let (mut all, mut ids, mut database) = (Vec::new(), Vec::new(), Database::new());
        for (data, index, bold) in own.chain(further) {
            let Ok(face) = Face::parse(data, index) else { continue };
            let loaded = database.load_font_source(Source::Binary(Arc::new(data)));
            // Of a collection only this one is written with.
            let (own, others): (Vec<ID>, Vec<ID>) =
                loaded.into_iter().partition(|id| database.face(*id).is_some_and(|face| face.index == index));
            others.into_iter().for_each(|id| database.remove_face(id));
            let Some(id) = own.first().copied() else { continue };
            let family = database.face(id).and_then(|face| Some(face.families.first()?.0.clone())).unwrap_or_default();
            all.push(Font { face, family, bold });
            ids.push(id);
        }
        database.set_sans_serif_family(FAMILY);
        Self { all, ids, database: Arc::new(database) }
    }

    /// Which one has a letter. Signs that only join or direct others are in all.
    fn with(&self, c: char, bold: bool) -> Option<usize> {
        let own = OWN[usize::from(bold)];
        let has = |n: &usize| is_unseen(c) || self.all[*n].face.glyph_index(c).is_some();
        std::iter::once(own).chain(2..self.all.len()).find(|n| *n < self.all.len() && has(n))
    }
}

/// Those of the program.
static FEW: LazyLock<Fonts> = LazyLock::new(|| Fonts::new(Vec::new()));

/// With those of the computer.
static MANY: LazyLock<Fonts> = LazyLock::new(|| Fonts::new(FINDER.get().map_or_else(Vec::new, |finder| finder())));

/// Those that a letter takes.
fn fonts_for(c: char, bold: bool) -> (&'static Fonts, Option<usize>) {
    match FEW.with(c, bold) {
        Some(own) => (&FEW, Some(own)),
        None => (&MANY, MANY.with(c, bold)),
    }
}

/// What joins or directs others is not drawn.
fn is_unseen(c: char) -> bool {
    matches!(c, '\u{200b}'..='\u{200f}' | '\u{2060}'..='\u{2064}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}')
}

/// The fonts for whoever draws texts that are written with these.
pub(crate) fn database(used: &BTreeSet<usize>) -> Arc<Database> {
    let all = if used.iter().all(|font| OWN.contains(font)) { &FEW } else { &MANY };
    Arc::clone(&all.database)
}

/// What a font is called in a drawing, and whether it is bold.
pub(crate) fn called(font: usize) -> (&'static str, bool) {
    let all = if OWN.contains(&font) { &FEW.all } else { &MANY.all };
    all.get(font).map_or((FAMILY, false), |font| (font.family.as_str(), font.bold))
}

/// Which one a drawn letter is of.
pub(crate) fn number_of(id: ID) -> Option<usize> {
    FEW.ids.iter().position(|one| *one == id).or_else(|| MANY.ids.iter().position(|one| *one == id))
}

/// Whether every character of a text can be drawn.
pub fn is_covered(text: &str) -> bool {
    [false, true].iter().all(|bold| text.chars().all(|c| fonts_for(c, *bold).1.is_some()))
}

/// A text in parts of one font each, in the order in which they stand. What belongs to no script stays with what is before it, where the
/// font has it.
pub(crate) fn parts(text: &str, bold: bool) -> Vec<(usize, Range<usize>)> {
    let mut parts: Vec<(usize, Range<usize>)> = Vec::new();
    for (at, c) in text.char_indices() {
        let end = at + c.len_utf8();
        let (_, own) = fonts_for(c, bold);
        let own = own.unwrap_or(OWN[usize::from(bold)]);
        match parts.last_mut() {
            Some((font, range)) if *font == own || !c.is_alphanumeric() && has(*font, c) => range.end = end,
            _ => parts.push((own, at..end)),
        }
    }
    parts
}

fn has(font: usize, c: char) -> bool {
    let all = if OWN.contains(&font) { &FEW.all } else { &MANY.all };
    is_unseen(c) || all.get(font).is_some_and(|font| font.face.glyph_index(c).is_some())
}

/// What a package is shown as: its label, where that can be drawn, else its id. A row of boxes would tell nobody anything.
pub fn shown_as<'a>(label: Option<&'a str>, id: &'a PackageId) -> &'a str {
    label.filter(|label| is_covered(label) && !label.trim().is_empty()).unwrap_or(id.as_str())
}

/// The width of a text, in points. Letters that change their forms beside each other may be a little narrower or wider.
pub(crate) fn width(text: &str, size: f32, bold: bool) -> f32 {
    text.chars().map(|c| advance(c, size, bold)).sum()
}

fn advance(c: char, size: f32, bold: bool) -> f32 {
    let (fonts, Some(font)) = fonts_for(c, bold) else { return 0.0 };
    let face = &fonts.all[font].face;
    let units = f32::from(face.units_per_em().max(1));
    let advance = face.glyph_index(c).and_then(|glyph| face.glyph_hor_advance(glyph)).unwrap_or(0);
    f32::from(advance) * size / units
}

/// A text that is at most so wide, cut at its end where it is longer.
pub(crate) fn fit(text: &str, size: f32, bold: bool, room: f32) -> String {
    if width(text, size, bold) <= room {
        return text.to_owned();
    }
    let mut left = room - width(&CUT.to_string(), size, bold);
    let mut kept = String::new();
    for c in text.chars() {
        left -= width(&c.to_string(), size, bold);
        if left < 0.0 {
            break;
        }
        kept.push(c);
    }
    kept.truncate(kept.trim_end().len());
    kept.push(CUT);
    kept
}

/// A text in lines that are at most so wide, broken at spaces, and within words that are longer.
pub(crate) fn wrapped(text: &str, size: f32, bold: bool, room: f32) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ').filter(|word| !word.is_empty()) {
        let mut word = word.to_owned();
        loop {
            let line = lines.last_mut().map(std::mem::take).unwrap_or_default();
            let longer = if line.is_empty() { word.clone() } else { format!("{line} {word}") };
            if width(&longer, size, bold) <= room {
                replace_last(&mut lines, longer);
                break;
            }
            if !line.is_empty() {
                replace_last(&mut lines, line);
                lines.push(String::new());
                continue;
            }
            let at = head(&word, size, bold, room);
            let rest = word.split_off(at);
            replace_last(&mut lines, word);
            if rest.is_empty() {
                break;
            }
            lines.push(String::new());
            word = rest;
        }
    }
    lines
}

fn replace_last(lines: &mut [String], line: String) {
    if let Some(last) = lines.last_mut() {
        *last = line;
    }
}

/// Where a word is broken: behind as many characters as have room, and one at least.
fn head(word: &str, size: f32, bold: bool, room: f32) -> usize {
    let mut used = 0.0;
    for (at, c) in word.char_indices() {
        used += width(&c.to_string(), size, bold);
        if used > room && at > 0 {
            return at;
        }
    }
    word.len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_can_be_drawn_and_what_is_shown_by_its_id() {
        for text in ["Kalender", "Ναυτικό", "Погода", "مخطط الرحلات", "ספינה", "Ærø · 5 €"]
        {
            assert!(is_covered(text), "{text}");
        }
        for text in ["カレンダー", "日历", "달력", "पंचांग", "ปฏิทิน"] {
            assert!(!is_covered(text), "{text}");
        }
        let id: PackageId = "fer.pellmoor.tides".parse().unwrap();
        let shown = [Some("Tides"), Some("潮汐"), Some("  "), None].map(|label| shown_as(label, &id));
        assert_eq!(shown, ["Tides", "fer.pellmoor.tides", "fer.pellmoor.tides", "fer.pellmoor.tides"]);
    }

    #[test]
    fn texts_are_cut_and_broken() {
        let full = width("com.corvane.weather.provider", 10.0, false);
        assert!((150.0..170.0).contains(&full), "{full}");
        assert_eq!(fit("Weather", 10.0, false, 200.0), "Weather");
        assert_eq!(fit("Weather forecast", 10.0, false, 60.0), "Weather f…");
        assert_eq!(wrapped("one two  three", 10.0, false, 45.0), ["one two", "three"]);
        assert!(wrapped("com.corvane.weather", 10.0, false, 45.0).len() > 1);
    }

    proptest! {
        #[test]
        fn nothing_is_wider_than_its_room(text in any::<String>(), room in 20.0f32..200.0) {
            prop_assert!(width(&fit(&text, 9.0, true, room), 9.0, true) <= room);
            for line in wrapped(&text, 9.0, true, room) {
                prop_assert!(width(&line, 9.0, true) <= room || line.chars().count() == 1, "{line}");
            }
        }
    }
}
