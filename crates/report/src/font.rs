//! The fonts that come with the program, and how much room texts take in them.

use std::sync::{Arc, LazyLock};

use svg2pdf::usvg::fontdb::{Database, Source};
use ttf_parser::Face;
use wibbet_types::PackageId;

/// Their family.
pub(crate) const FAMILY: &str = "DejaVu Sans";

/// What stands where a text was cut.
const CUT: char = '…';

static REGULAR: LazyLock<Option<Face<'static>>> = LazyLock::new(|| Face::parse(dejavu::sans::regular(), 0).ok());
static BOLD: LazyLock<Option<Face<'static>>> = LazyLock::new(|| Face::parse(dejavu::sans::bold(), 0).ok());

fn face(bold: bool) -> Option<&'static Face<'static>> {
    if bold { BOLD.as_ref() } else { REGULAR.as_ref() }
}

/// The fonts for whoever draws texts; none of the computer's own.
pub(crate) fn database() -> Arc<Database> {
    static ALL: LazyLock<Arc<Database>> = LazyLock::new(|| {
        let mut all = Database::new();
        for font in [dejavu::sans::regular(), dejavu::sans::bold()] {
            all.load_font_source(Source::Binary(Arc::new(font)));
        }
        all.set_sans_serif_family(FAMILY);
        Arc::new(all)
    });
    Arc::clone(&ALL)
}

/// Whether every character of a text can be drawn.
pub fn is_covered(text: &str) -> bool {
    // What joins or directs others is not drawn.
    let unseen =
        |c: char| matches!(c, '\u{200b}'..='\u{200f}' | '\u{2060}'..='\u{2064}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}');
    [false, true]
        .iter()
        .all(|bold| face(*bold).is_some_and(|face| text.chars().all(|c| unseen(c) || face.glyph_index(c).is_some())))
}

/// What a package is shown as: its label, where that can be drawn, else its id. A row of boxes would tell nobody anything.
pub fn shown_as<'a>(label: Option<&'a str>, id: &'a PackageId) -> &'a str {
    label.filter(|label| is_covered(label) && !label.trim().is_empty()).unwrap_or(id.as_str())
}

/// The width of a text, in points. Letters that change their forms beside each other may be a little narrower or wider.
pub(crate) fn width(text: &str, size: f32, bold: bool) -> f32 {
    let Some(face) = face(bold) else { return 0.0 };
    let units = f32::from(face.units_per_em());
    let advance = |c: char| face.glyph_index(c).and_then(|glyph| face.glyph_hor_advance(glyph)).unwrap_or(0);
    text.chars().map(|c| f32::from(advance(c))).sum::<f32>() * size / units
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
