//! Words that can be read across the room.

use font8x8::UnicodeFonts as _;

/// A word in letters of eight cells by four lines, of half blocks; what the font does not have is left out.
pub(crate) fn large_lines(word: &str) -> [String; 4] {
    let mut lines: [String; 4] = Default::default();
    for glyph in word.chars().filter_map(|letter| font8x8::BASIC_FONTS.get(letter)) {
        for (line, rows) in lines.iter_mut().zip(glyph.chunks(2)) {
            for bit in 0..8 {
                let is_on = |row: usize| rows.get(row).is_some_and(|bits| bits & (1 << bit) != 0);
                line.push(match (is_on(0), is_on(1)) {
                    (true, true) => '█',
                    (true, false) => '▀',
                    (false, true) => '▄',
                    (false, false) => ' ',
                });
            }
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_stand_side_by_side() {
        let lines = large_lines("IL");
        assert!(lines.iter().all(|line| line.chars().count() == 16), "{lines:?}");
        assert!(lines[0].starts_with(" ▀██▀"), "{lines:?}");
        assert_eq!(large_lines("\u{1}").concat().trim(), "");
    }
}
