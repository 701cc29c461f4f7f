//! The languages that a device speaks.

use wibbet_types::{Locale, UserId};

use super::parts::{marked_request, parts};
use crate::ask::Request;

/// The most languages that are read.
const MOST: usize = 16;

/// Where a device tells its language: what its owner chose, the language that the system was switched to, the one that it
/// came with. Each is marked, since a program may say more than its answer.
const CHOSEN: &str = "chosen";
const SET: &str = "set";
const OLD: &str = "old";
const CAME_WITH: &str = "came-with";
const OLD_CAME_WITH: &str = "old-came-with";

/// What is asked of a device, for a user.
pub fn language_request(user: UserId) -> Request {
    let whose = if user == UserId::OWNER { String::new() } else { format!("--user {user} ") };
    marked_request([
        (CHOSEN, format!("settings {whose}get system system_locales")),
        (SET, "getprop persist.sys.locale".to_owned()),
        (OLD, "getprop persist.sys.language; getprop persist.sys.country".to_owned()),
        (CAME_WITH, "getprop ro.product.locale".to_owned()),
        (OLD_CAME_WITH, "getprop ro.product.locale.language; getprop ro.product.locale.region".to_owned()),
    ])
}

/// Reads the answer to [`language_request`]: the languages that the user chose, first the first; none where the device
/// does not tell.
pub fn read_languages(text: &str) -> Vec<Locale> {
    let body = |name: &str| parts(text).find(|(part, _)| *part == name).map_or("", |(_, body)| body);
    // The value is the last line of its part: in front of it may stand what a program complained of.
    let list = |name: &str| body(name).trim_end().lines().next_back().unwrap_or("").trim().to_owned();
    let pair = |name: &str| {
        let mut lines = body(name).lines().map(str::trim);
        format!("{}-{}", lines.next().unwrap_or(""), lines.next().unwrap_or("")).trim_end_matches('-').to_owned()
    };
    let told = [list(CHOSEN), list(SET), pair(OLD), list(CAME_WITH), pair(OLD_CAME_WITH)];
    let read = |text: String| -> Vec<Locale> {
        let some = text.split(',').filter(|_| text != "null").filter_map(|l| l.trim().parse().ok());
        some.take(MOST).collect()
    };
    told.into_iter().map(read).find(|found| !found.is_empty()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn languages_wherever_they_are_told() {
        let said = |parts: [&str; 5]| {
            let names = [CHOSEN, SET, OLD, CAME_WITH, OLD_CAME_WITH];
            names.iter().zip(parts).map(|(name, body)| format!("wibbet-part:{name}\n{body}")).collect::<String>()
        };
        for (answer, found) in [
            (["en-GB,de-DE\n", "en-GB\n", "", "", ""], "en-GB de-DE"),
            (["null\n", "de-AT\n", "", "en-US\n", ""], "de-AT"),
            (["null\n", "\n", "es\nES\n", "en-US\n", ""], "es-ES"),
            (["\r\n", "\r\n", "\r\n\r\n", "\r\n", "fr\r\nFR\r\n"], "fr-FR"),
            (["null\n", "\n", "\n\n", "ja-JP\n", "\n\n"], "ja-JP"),
            // What a program complains of shifts nothing.
            (["Error: no settings\n\tat com.android.X\n", "pt-BR\n", "", "", ""], "pt-BR"),
            (["WARNING: linker: x\nsv-SE\n", "", "", "", ""], "sv-SE"),
            (["Error: no settings\n", "", "", "", ""], ""),
            ([""; 5], ""),
        ] {
            let languages: Vec<String> = read_languages(&said(answer)).iter().map(ToString::to_string).collect();
            assert_eq!(languages.join(" "), found, "{answer:?}");
        }
        let whose = |user| language_request(UserId::new(user)).command();
        assert!(whose(0).contains("settings get system") && whose(10).contains("settings --user 10 get system"));
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_languages(&text);
            read_languages(&format!("wibbet-part:chosen\n{text}"));
        }
    }
}
