//! Languages with their scripts and regions.

use std::fmt;
use std::str::FromStr;

use crate::ids::BadId;

/// A language, and where told its script and region: `de`, `en-GB`, `zh-Hant-TW`.
///
/// Old codes are taken for the new ones: `iw` is `he`, `in` is `id`, `ji` is `yi`, `tl` is `fil`. The empty locale
/// ([`Locale::default`]) stands for "no language in particular".
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct Locale {
    language: String,
    script: String,
    region: String,
}

impl Locale {
    /// From parts, each maybe empty. What is not letters and digits is left out.
    pub fn new(language: &str, script: &str, region: &str) -> Self {
        let clean = |text: &str| text.chars().filter(char::is_ascii_alphanumeric).take(8).collect::<String>();
        let language = match clean(language).to_ascii_lowercase().as_str() {
            "iw" => "he".to_owned(),
            "in" => "id".to_owned(),
            "ji" => "yi".to_owned(),
            "tl" => "fil".to_owned(),
            other => other.to_owned(),
        };
        let script = clean(script).to_ascii_lowercase();
        let script = script.get(..1).map_or(String::new(), |first| first.to_ascii_uppercase() + &script[1..]);
        Self { language, script, region: clean(region).to_ascii_uppercase() }
    }

    /// The language: two or three small letters, or nothing.
    pub fn language(&self) -> &str {
        &self.language
    }

    /// The region: two capital letters, three digits, or nothing.
    pub fn region(&self) -> &str {
        &self.region
    }

    /// The script as told, or as it goes without saying for languages that are written in two.
    pub fn script(&self) -> &str {
        if !self.script.is_empty() {
            return &self.script;
        }
        match (self.language.as_str(), self.region.as_str()) {
            ("zh", "TW" | "HK" | "MO") => "Hant",
            ("zh", _) => "Hans",
            ("sr", "ME") => "Latn",
            ("sr", _) => "Cyrl",
            _ => "",
        }
    }

    /// Whether it is no language but a test of translations, which nobody reads: `en-XA` (accents), `ar-XB` (right to
    /// left), and others in the regions XA and XB, which ISO 3166 leaves to users.
    pub fn is_pseudo(&self) -> bool {
        matches!(self.region.as_str(), "XA" | "XB")
    }

    /// Whether it names no language.
    pub fn is_empty(&self) -> bool {
        self.language.is_empty()
    }

    /// How well something in this locale serves somebody who wants `wanted`: 0 not at all, 1 something in no
    /// language in particular, up to 5 exactly that. Source: the order of `ResTable_config::isLocaleBetterThan`, and
    /// the parents that CLDR gives to regional forms of English, Spanish and Portuguese.
    pub fn serves(&self, wanted: &Self) -> u8 {
        if self.is_empty() {
            return 1;
        }
        if self.language != wanted.language || self.script() != wanted.script() || self.is_pseudo() {
            return 0;
        }
        let parent = match wanted.language.as_str() {
            "en" if wanted.region != "US" => "001",
            "es" if wanted.region != "ES" => "419",
            "pt" if wanted.region != "BR" => "PT",
            _ => "",
        };
        match self.region.as_str() {
            region if region == wanted.region => 5,
            region if !region.is_empty() && region == parent => 4,
            "" => 3,
            // What is in no language in particular is taken for American English.
            _ if wanted.language == "en" && matches!(wanted.region.as_str(), "US" | "") => 0,
            _ => 2,
        }
    }
}

impl FromStr for Locale {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = |rule| Err(BadId::new("locale", s, rule));
        let mut parts = s.split(['-', '_']);
        let language = parts.next().unwrap_or("");
        if !(2..=3).contains(&language.len()) || !language.chars().all(|c| c.is_ascii_alphabetic()) {
            return bad("it begins with a language of two or three letters, such as de or en-GB");
        }
        let (mut script, mut region) = ("", "");
        for part in parts {
            match part.len() {
                4 if script.is_empty() && part.chars().all(|c| c.is_ascii_alphabetic()) => script = part,
                2 if part.chars().all(|c| c.is_ascii_alphabetic()) => region = part,
                3 if part.chars().all(|c| c.is_ascii_digit()) => region = part,
                _ if part.starts_with('#') => script = &part[1..],
                5.. | 1 => break,
                _ => return bad("behind the language come a script of four letters and a region"),
            }
        }
        Ok(Self::new(language, script, region))
    }
}

impl fmt::Display for Locale {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts = [&self.language, &self.script, &self.region];
        let text: Vec<&str> = parts.into_iter().filter(|p| !p.is_empty()).map(String::as_str).collect();
        f.pad(&text.join("-"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn locales_read_and_print() {
        for (given, shown) in [
            ("de", "de"),
            ("en-GB", "en-GB"),
            ("en_gb", "en-GB"),
            ("iw-IL", "he-IL"),
            ("in", "id"),
            ("zh-hant-TW", "zh-Hant-TW"),
            ("es-419", "es-419"),
            ("sr_RS_#Latn", "sr-Latn-RS"),
            ("en-US-u-nu-latn", "en-US"),
        ] {
            assert_eq!(given.parse::<Locale>().unwrap().to_string(), shown);
        }
        for bad in ["", "d", "german", "de-D3", "1e"] {
            assert!(bad.parse::<Locale>().is_err(), "{bad}");
        }
    }

    #[test]
    fn how_well_one_serves_another() {
        let serves = |have: &str, want: &str| {
            let have = if have.is_empty() { Locale::default() } else { have.parse().unwrap() };
            have.serves(&want.parse().unwrap())
        };
        for (want, order) in [
            ("en-GB", vec!["en-GB", "en-001", "en", "en-US", "", "de"]),
            ("de-AT", vec!["de-AT", "de", "de-DE", "", "fr"]),
            ("en-US", vec!["en-US", "en", "", "en-CA"]),
            ("zh-TW", vec!["zh-TW", "zh-Hant", "zh-HK", "", "zh-CN"]),
            ("pt-AO", vec!["pt-AO", "pt-PT", "pt", "pt-BR", "", "es"]),
            ("en-GB", vec!["en-GB", "", "en-XA"]),
            ("ar-EG", vec!["ar", "", "ar-XB"]),
            ("en-XA", vec!["en", "", "en-XA"]),
        ] {
            let scores: Vec<u8> = order.iter().map(|have| serves(have, want)).collect();
            assert!(scores.is_sorted_by(|a, b| a > b), "{want}: {scores:?}");
            assert_eq!(scores.last(), Some(&0), "{want}");
        }
        assert_eq!(serves("zh", "zh-CN"), 3);
        assert_eq!(serves("sr-Latn", "sr-RS"), 0);
    }
}
