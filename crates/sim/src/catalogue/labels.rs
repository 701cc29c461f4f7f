//! What apps of bench devices are called, in several languages and scripts.

use std::collections::HashMap;
use std::sync::OnceLock;

/// The languages that an app may be translated to.
pub(crate) const LANGUAGES: [&str; 85] = [
    "af", "am", "ar", "as", "az", "be", "bg", "bn", "bs", "ca", "cs", "da", "de", "el", "en-AU", "en-CA", "en-GB",
    "en-IN", "es", "es-US", "et", "eu", "fa", "fi", "fr", "fr-CA", "gl", "gu", "hi", "hr", "hu", "hy", "in", "is",
    "it", "iw", "ja", "ka", "kk", "km", "kn", "ko", "ky", "lo", "lt", "lv", "mk", "ml", "mn", "mr", "ms", "my", "nb",
    "ne", "nl", "or", "pa", "pl", "pt-BR", "pt-PT", "ro", "ru", "si", "sk", "sl", "sq", "sr", "sv", "sw", "ta", "te",
    "th", "tr", "uk", "ur", "uz", "vi", "zh-CN", "zh-HK", "zh-TW", "zu", "fil", "mni", "sat", "yue",
];

/// The columns of the file behind the first.
const COLUMNS: [&str; 7] = ["de", "es", "fr", "ja", "uk", "ar", "zh-CN"];

type Row = Vec<&'static str>;

fn rows() -> &'static HashMap<&'static str, Row> {
    static ROWS: OnceLock<HashMap<&'static str, Row>> = OnceLock::new();
    ROWS.get_or_init(|| {
        let lines = include_str!("../../scenarios/labels.txt").lines().filter(|l| !l.starts_with('#'));
        lines.filter_map(|l| l.split_once(": ")).map(|(k, v)| (k, v.split(" | ").map(str::trim).collect())).collect()
    })
}

/// The row for an id: its own, or that of its last words.
fn row(id: &str) -> Option<&'static Row> {
    let rows = rows();
    let id = id.split(".twin").next().unwrap_or(id);
    let words: Vec<&str> = id.split('.').collect();
    rows.get(id).or_else(|| match words.as_slice() {
        [.., before, last] if !id.starts_with("com.android") => {
            rows.get(format!("{before}.{last}").as_str()).or_else(|| rows.get(*last))
        }
        _ => None,
    })
}

/// The label in a language, where there is one.
pub(crate) fn translation(id: &str, language: &str) -> Option<&'static str> {
    row(id)?.get(COLUMNS.iter().position(|c| *c == language)? + 1).copied()
}

/// The label in no language in particular: its own, or the name of its folder, as programmers name what nobody sees.
pub(crate) fn title(id: &str, path: &str) -> String {
    if let Some(first) = row(id).and_then(|row| row.first()) {
        return (*first).to_owned();
    }
    let name = path.rsplit('/').next().unwrap_or(id).trim_end_matches(".apk");
    let mut text = String::new();
    let letters: Vec<char> = name.chars().collect();
    for (n, c) in letters.iter().enumerate() {
        let begins = c.is_uppercase() && n > 0 && letters.get(n - 1).is_some_and(|b| b.is_lowercase());
        if begins {
            text.push(' ');
        }
        text.push(*c);
    }
    text
}

/// The label in a language, or in no language in particular.
pub(crate) fn label<'a>(id: &'a str, language: &str) -> &'a str {
    let column = COLUMNS.iter().position(|c| *c == language).map_or(0, |n| n + 1);
    match row(id) {
        Some(row) => row.get(column).or_else(|| row.first()).copied().unwrap_or(""),
        // As programmers name what nobody sees.
        None => id.rsplit('.').next().unwrap_or(id),
    }
}

/// Whether an app has an icon: most that have a name for people do.
pub(crate) fn has_icon(id: &str) -> bool {
    const HIDDEN: [&str; 22] = [
        "telemetry",
        "fota",
        "hotword",
        "partner",
        "overlay",
        "diagnostics",
        "faceunlock",
        "setup",
        "setupwizard",
        "sidebar",
        "share",
        "screenshot",
        "keyboard",
        "account",
        "lockmagazine",
        "services",
        "guardian",
        "webview",
        "egg",
        "systemui",
        "telecom",
        "voicemail",
    ];
    let hidden = id.split('.').any(|word| HIDDEN.contains(&word));
    let inner = id == "android" || id.contains(".providers.") || id == "com.android.phone" || id == "com.android.shell";
    row(id).is_some() && !hidden && !inner
}

/// What stands on the home screen, where it is something else than the label of the app.
pub(crate) fn home_name(id: &str) -> Option<&'static str> {
    match id {
        "com.android.stk" => Some("SIM services"),
        "com.android.documentsui" => Some("Downloads"),
        "io.tidewrack.services" => Some("Tidewrack Settings"),
        _ => None,
    }
}

/// The first languages of those that people use most, as an app with so many translations has.
pub(crate) fn spread(count: usize) -> Vec<&'static str> {
    const FIRST: [&str; 12] = ["ar", "de", "en-GB", "es", "fr", "it", "ja", "pt-BR", "ru", "tr", "uk", "zh-CN"];
    if count <= FIRST.len() {
        return FIRST[..count].to_vec();
    }
    LANGUAGES
        .iter()
        .enumerate()
        .filter(|(n, l)| FIRST.contains(l) || n * count / LANGUAGES.len() != (n + 1) * count / LANGUAGES.len())
        .map(|(_, l)| *l)
        .collect()
}

/// A language as tables hold it: two letters, or three packed; then the region.
pub(crate) fn packed(code: &str) -> [u8; 4] {
    let (language, region) = code.split_once('-').unwrap_or((code, ""));
    let mut out = [0; 4];
    match language.as_bytes() {
        [a, b] => out[..2].copy_from_slice(&[*a, *b]),
        [a, b, c] => {
            let (a, b, c) = (a - b'a', b - b'a', c - b'a');
            out[..2].copy_from_slice(&[0x80 | c << 2 | b >> 3, b << 5 | a]);
        }
        _ => {}
    }
    if let [a, b] = region.as_bytes() {
        out[2..].copy_from_slice(&[*a, *b]);
    }
    out
}
