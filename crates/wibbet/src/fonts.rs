//! Fonts of this computer, for labels in scripts that the fonts of the program lack.

use std::path::{Path, PathBuf};

use ttf_parser::{Face, fonts_in_collection};
use wibbet_report::FontFile;

use crate::config::Config;
use crate::place::Folders;

/// A letter of each script, or of what is drawn by other fonts than its neighbours: kanji, kana, hangul, and scripts of South and Southeast
/// Asia and Africa.
const LETTERS: &str = "潮あア달पপਪપଅதపಅപකปປမអአ";

/// More files than this nobody has, and a larger one is no font.
const MOST_FILES: usize = 4000;
const LARGEST: u64 = 64 << 20;

/// The fonts that are configured, or else those of this computer that have what is lacking: for each script the first one by preference.
pub(crate) fn further() -> Vec<FontFile> {
    let config = Folders::find().ok().and_then(|folders| Config::read(&folders.configuration).ok()).unwrap_or_default();
    let named = config.fonts();
    if !named.is_empty() {
        return named.iter().flat_map(|path| read(path)).collect();
    }
    let mut found: Vec<Candidate> = Vec::new();
    let mut files = Vec::new();
    folders().iter().for_each(|folder| files_below(folder, 0, &mut files));
    files.sort();
    for path in files {
        found.extend(candidates(&path));
    }
    let file = |(path, index): (PathBuf, u32)| Some(FontFile { data: kept(&path)?, index });
    chosen(found).into_iter().filter_map(file).collect()
}

/// A font that has some of the letters.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Candidate {
    path: PathBuf,
    index: u32,
    /// Upright, of usual weight, of letters as wide as they are: in that it is like those of the program.
    fits: bool,
    /// Which letters.
    has: Vec<char>,
}

/// Of all fonts as few as have what any of them has: for each letter one that fits, else any; those with many letters first.
fn chosen(mut found: Vec<Candidate>) -> Vec<(PathBuf, u32)> {
    found.sort_by(|a, b| {
        b.fits
            .cmp(&a.fits)
            .then(b.has.len().cmp(&a.has.len()))
            .then_with(|| (&a.path, a.index).cmp(&(&b.path, b.index)))
    });
    let mut left: Vec<char> = LETTERS.chars().collect();
    let mut chosen = Vec::new();
    for one in found {
        let before = left.len();
        left.retain(|c| !one.has.contains(c));
        if left.len() < before {
            chosen.push((one.path, one.index));
        }
    }
    chosen
}

fn candidates(path: &Path) -> Vec<Candidate> {
    let Some(data) = bytes(path) else { return Vec::new() };
    let count = fonts_in_collection(&data).unwrap_or(1).min(64);
    let candidate = |index: u32| {
        let face = Face::parse(&data, index).ok()?;
        let has: Vec<char> = LETTERS.chars().filter(|c| face.glyph_index(*c).is_some()).collect();
        let usual = face.is_regular() && !face.is_italic() && !face.is_monospaced() && !face.is_bold();
        (!has.is_empty()).then(|| Candidate { path: path.to_owned(), index, fits: usual, has })
    };
    (0..count).filter_map(candidate).collect()
}

/// All fonts of a file.
fn read(path: &Path) -> Vec<FontFile> {
    let Some(data) = kept(path) else { return Vec::new() };
    let count = fonts_in_collection(data).unwrap_or(1).min(64);
    (0..count).map(|index| FontFile { data, index }).collect()
}

/// The bytes of a file that is written with, which are there until the program ends.
fn kept(path: &Path) -> Option<&'static [u8]> {
    bytes(path).map(|data| &*Vec::leak(data))
}

fn bytes(path: &Path) -> Option<Vec<u8>> {
    let about = path.metadata().ok().filter(|about| about.is_file() && about.len() <= LARGEST)?;
    (about.len() > 0).then(|| std::fs::read(path).ok()).flatten()
}

/// Where systems have their fonts.
fn folders() -> Vec<PathBuf> {
    let home = etcetera::home_dir().ok();
    let own = [".fonts", ".local/share/fonts", "Library/Fonts"];
    let mut all: Vec<PathBuf> =
        ["/usr/share/fonts", "/usr/local/share/fonts", "/system/fonts", "/System/Library/Fonts", "/Library/Fonts"]
            .map(PathBuf::from)
            .to_vec();
    all.extend(own.iter().filter_map(|name| Some(home.as_ref()?.join(name))));
    all.extend(std::env::var_os("WINDIR").map(|folder| Path::new(&folder).join("Fonts")));
    all
}

fn files_below(folder: &Path, depth: usize, files: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let path = entry.path();
        let is_font =
            |end: &std::ffi::OsStr| ["ttf", "otf", "ttc", "otc"].iter().any(|one| end.eq_ignore_ascii_case(one));
        match entry.file_type() {
            _ if files.len() >= MOST_FILES => return,
            Ok(kind) if kind.is_dir() && depth < 6 => files_below(&path, depth + 1, files),
            Ok(kind) if !kind.is_dir() && path.extension().is_some_and(is_font) => files.push(path),
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn as_few_as_have_it_all_and_those_that_fit_first() {
        let one =
            |name: &str, fits, has: &str| Candidate { path: name.into(), index: 0, fits, has: has.chars().collect() };
        let all = vec![
            one("bold", false, "潮あア달"),
            one("hangul", true, "달"),
            one("wide", true, "潮あア"),
            one("wide-too", true, "潮あア"),
            one("thai-slanted", false, "ป"),
        ];
        let names: Vec<String> = chosen(all).into_iter().map(|(path, _)| path.display().to_string()).collect();
        assert_eq!(names, ["wide", "hangul", "thai-slanted"]);
    }

    #[test]
    fn what_is_no_font_is_passed_by() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("x.ttf");
        for bytes in [&b""[..], b"no font", &[0; 5000]] {
            std::fs::write(&file, bytes).unwrap();
            assert_eq!(candidates(&file), []);
        }
        assert_eq!(candidates(folder.path()), [], "a folder is none");
        let mut found = Vec::new();
        files_below(folder.path(), 0, &mut found);
        assert_eq!(found, [file]);
    }
}
