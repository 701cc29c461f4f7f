//! What a package is called: labels made fit to be shown, and names guessed from ids.

use wibbet_types::{PackageId, PlainText};

use crate::android::says_nothing;

/// The part of an id that says what the package is, in a readable form: `com.ostrel.cloud.photos` is "Cloud photos". A
/// guess, to be marked as one.
pub fn guessed_name(id: &PackageId) -> String {
    let words: Vec<&str> = id.as_str().split('.').collect();
    let telling: Vec<&str> = match words.as_slice() {
        [_, _, rest @ ..] if !rest.is_empty() => rest.to_vec(),
        all => all.iter().rev().take(1).copied().collect(),
    };
    let telling: Vec<&str> = telling.iter().copied().filter(|w| !says_nothing(w)).collect();
    let from = telling.len().saturating_sub(2);
    let mut text = String::new();
    for word in &telling[from..] {
        let mut former_small = false;
        text.push(' ');
        for c in word.chars() {
            if c == '_' || (c.is_ascii_uppercase() && former_small) {
                text.push(' ');
            }
            former_small = c.is_ascii_lowercase();
            if c != '_' {
                text.push(c.to_ascii_lowercase());
            }
        }
    }
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    let mut letters = text.chars();
    match letters.next() {
        None if id.as_str() == "android" => "Android".to_owned(),
        Some(first) => first.to_ascii_uppercase().to_string() + letters.as_str(),
        None => id.to_string(),
    }
}

/// A label as an APK has it, fit to be shown: on one line, and what steers the reading order made visible.
pub fn label_text(text: &str) -> PlainText {
    const MOST: usize = 200;
    // Neither is seen, and neither steers anything.
    let plain: String = text.chars().filter(|c| !['\u{ad}', '\u{feff}'].contains(c)).take(MOST).collect();
    PlainText::new(&plain.split_whitespace().collect::<Vec<_>>().join(" "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_are_made_fit() {
        for (text, shown) in [
            (" Two\n lines ", "Two lines"),
            ("\u{200f}מערכת", "‹U+200F›מערכת"),
            ("می\u{200c}خواهم", "می\u{200c}خواهم"),
            ("a\u{202e}b", "a‹U+202E›b"),
        ] {
            assert_eq!(label_text(text).as_str(), shown);
        }
        assert_eq!(label_text(&"x".repeat(1000)).as_str().len(), 200);
    }

    #[test]
    fn names_are_guessed_from_ids() {
        for (id, name) in [
            ("com.ostrel.cloud.photos", "Cloud photos"),
            ("com.android.providers.downloads.ui", "Downloads ui"),
            ("com.corvane.appAdvisor_tv", "App advisor tv"),
            ("com.android.systemui", "Systemui"),
            ("android", "Android"),
            ("com.ostrel", "Ostrel"),
            ("com.x.android", "com.x.android"),
        ] {
            assert_eq!(guessed_name(&id.parse().unwrap()), name);
        }
    }
}
