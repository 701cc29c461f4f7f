//! Text from a device, a file or a network, made harmless for a terminal.

use std::fmt;

/// Text that may be put on a screen: whatever could steer a terminal or turn the reading order
/// round has been replaced by something visible.
///
/// - C0 controls and DEL become the pictures that Unicode has for them (`␛`), line breaks and tabs
///   included: a `PlainText` is one line.
/// - C1 controls, bidirectional controls, invisible joiners and fillers, private use and
///   unassigned "tag" characters become `‹U+202E›`; joiners stay where they are part of the spelling.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PlainText(Box<str>);

impl PlainText {
    /// `text` with everything harmful made visible.
    pub fn new(text: &str) -> Self {
        let mut out = String::with_capacity(text.len());
        let (mut former, mut marks) = (' ', 0);
        for c in text.chars() {
            marks = if is_mark(c) { marks + 1 } else { 0 };
            match c {
                // No spelling heaps them up, and what stands above or below would be covered.
                c if marks > MOST_MARKS => out.push_str(&format!("‹U+{:04X}›", c as u32)),
                // Between letters of scripts that join theirs, a joiner is spelling.
                '\u{200c}' | '\u{200d}' if joins(former) => out.push(c),
                '\0'..='\x1f' => out.push(char::from_u32(0x2400 + c as u32).unwrap_or('\u{fffd}')),
                '\x7f' => out.push('\u{2421}'),
                c if is_harmful(c) => out.push_str(&format!("‹U+{:04X}›", c as u32)),
                c => out.push(c),
            }
            former = c;
        }
        Self(out.into())
    }

    /// The most characters of a text that stands within a sentence.
    const SHORT: usize = 160;

    /// As [`PlainText::new`], cut to what a sentence can hold, in a message for example: whoever sent it decides
    /// neither how long the sentence gets nor how much memory it takes.
    pub fn short(text: &str) -> Self {
        let mut chars = text.chars();
        let mut head: String = chars.by_ref().take(Self::SHORT).collect();
        if chars.next().is_some() {
            head.push('…');
        }
        Self::new(&head)
    }

    /// As [`PlainText::new`], from bytes that may not be UTF-8.
    pub fn from_bytes(bytes: &[u8]) -> Self {
        Self::new(&String::from_utf8_lossy(bytes))
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The text, owned.
    pub fn into_string(self) -> String {
        self.0.into()
    }
}

impl fmt::Display for PlainText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl From<&str> for PlainText {
    fn from(text: &str) -> Self {
        Self::new(text)
    }
}

/// Letters of Arabic, and of the scripts of India and around it.
fn joins(c: char) -> bool {
    matches!(c, '\u{620}'..='\u{64a}' | '\u{66e}'..='\u{6d3}' | '\u{750}'..='\u{77f}' | '\u{900}'..='\u{dff}')
}

/// So many marks on one letter stay as they are.
const MOST_MARKS: u32 = 4;

/// Marks that stand above or below the letter before them, of the general blocks.
fn is_mark(c: char) -> bool {
    matches!(c, '\u{300}'..='\u{36f}' | '\u{1ab0}'..='\u{1aff}' | '\u{1dc0}'..='\u{1dff}' | '\u{20d0}'..='\u{20ff}' | '\u{fe20}'..='\u{fe2f}')
}

fn is_harmful(c: char) -> bool {
    matches!(c,
        '\u{80}'..='\u{9f}'            // C1 controls: some terminals act on them
        | '\u{ad}'                     // soft hyphen: width differs from terminal to terminal
        | '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' // bidi
        | '\u{200b}'..='\u{200d}' | '\u{2060}'..='\u{2064}' | '\u{206a}'..='\u{206f}' | '\u{feff}'
        | '\u{115f}' | '\u{1160}' | '\u{3164}' | '\u{ffa0}' // Hangul fillers: empty, yet two cells
        | '\u{34f}' | '\u{17b4}' | '\u{17b5}' | '\u{180e}' | '\u{2800}' // empty: names that look alike
        | '\u{fe00}'..='\u{fe0d}'      // variants of letters; those of pictures stay
        | '\u{2028}' | '\u{2029}'
        | '\u{fff9}'..='\u{fffb}'
        | '\u{e000}'..='\u{f8ff}' | '\u{e0000}'..='\u{e0fff}' | '\u{f0000}'..='\u{10ffff}')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn harm_is_made_visible_and_the_rest_kept() {
        for (given, shown) in [
            ("Kalender", "Kalender"),
            ("カレンダー", "カレンダー"),
            ("a\u{1b}]0;x\u{7}", "a␛]0;x␇"),
            ("one\r\ntwo\t", "one␍␊two␉"),
            ("exe\u{202e}gpj", "exe‹U+202E›gpj"),
            ("e\u{301}", "e\u{301}"),
            ("می\u{200c}خواهم", "می\u{200c}خواهم"),
            ("क्\u{200d}ष", "क्\u{200d}ष"),
            ("a\u{200d}b\u{200c}", "a‹U+200D›b‹U+200C›"),
            ("\u{9b}31m", "‹U+009B›31m"),
            ("a\u{2800}\u{34f}b", "a‹U+2800›‹U+034F›b"),
            ("❤\u{fe0f}", "❤\u{fe0f}"),
            (
                "e\u{301}\u{302}\u{303}\u{304}\u{305}\u{306}x\u{301}",
                "e\u{301}\u{302}\u{303}\u{304}‹U+0305›‹U+0306›x\u{301}",
            ),
        ] {
            assert_eq!(PlainText::new(given).as_str(), shown);
        }
        assert_eq!(PlainText::from_bytes(b"a\xffb").as_str(), "a\u{fffd}b");
        assert_eq!(PlainText::short("a\u{1b}b").as_str(), "a␛b");
        assert_eq!(PlainText::short(&"é".repeat(160)).as_str(), "é".repeat(160));
        assert_eq!(PlainText::short(&"é".repeat(1 << 20)).as_str(), "é".repeat(160) + "…");
    }

    proptest! {
        #[test]
        fn nothing_harmful_is_left_and_twice_is_once(text in any::<String>()) {
            let once = PlainText::new(&text);
            let joiners = ['\u{200c}', '\u{200d}'];
            let harmless = |c: char| !c.is_control() && (!is_harmful(c) || joiners.contains(&c));
            prop_assert!(once.as_str().chars().all(harmless));
            prop_assert_eq!(PlainText::new(once.as_str()), once);
        }
    }
}
