//! The languages that a device's owner chose.

use wibbet_types::Locale;

use crate::ask::Request;

/// What is asked for the languages of the device.
pub fn language_request() -> Request {
    Request::shell(
        "settings get system system_locales; getprop persist.sys.locale; getprop ro.product.locale; \
         getprop persist.sys.language; getprop persist.sys.country; getprop ro.product.locale.language; \
         getprop ro.product.locale.region",
    )
}

/// Reads the answer to [`language_request`]: the languages that the owner chose, first the first; none where the device
/// does not tell.
pub fn read_languages(text: &str) -> Vec<Locale> {
    let lines: Vec<&str> = text.lines().map(str::trim).collect();
    let line = |n: usize| lines.get(n).copied().unwrap_or("");
    let pair = |n: usize| format!("{}-{}", line(n), line(n + 1)).trim_end_matches('-').to_owned();
    let told = [line(0).to_owned(), line(1).to_owned(), pair(3), line(2).to_owned(), pair(5)];
    let mut found: Vec<Locale> = Vec::new();
    for text in told {
        let these: Vec<Locale> = text.split(',').filter_map(|l| l.trim().parse().ok()).take(16).collect();
        if !these.is_empty() && text != "null" {
            found = these;
            break;
        }
    }
    found
}
