//! A plain list of ids, as people paste it.

use wibbet_types::PackageId;

/// What was made of a text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct IdList {
    /// The ids, each once, in the order in which they stand.
    pub ids: Vec<PackageId>,
    /// Words that can be no ids, cut to a readable length.
    pub others: Vec<String>,
}

impl IdList {
    /// The most ids that are taken from one text.
    pub const MOST: usize = 10_000;

    /// Reads ids separated by line breaks, blanks, commas or semicolons. `package:` in front, quotes and list marks around
    /// an id are skipped; what stands behind `#` or `//` is a remark.
    pub fn read(text: &str) -> Self {
        let mut list = Self::default();
        let mut seen = std::collections::HashSet::new();
        for line in text.lines() {
            let line = line.split('#').next().unwrap_or("").split("//").next().unwrap_or("");
            for word in line.split(|c: char| c.is_whitespace() || c == ',' || c == ';') {
                let word = word.trim_matches(|c: char| !c.is_ascii_alphanumeric() && c != '_');
                // Lists that a package service printed have the path in front.
                let word = word.strip_prefix("package:").unwrap_or(word);
                let word = word.rsplit('=').next().unwrap_or(word);
                if word.is_empty() || list.ids.len() + list.others.len() >= Self::MOST {
                    continue;
                }
                // Every id has a dot, but for the system's own; a lone word is a word.
                match word.parse::<PackageId>() {
                    Ok(id) if word.contains('.') || word == "android" => {
                        if seen.insert(id.clone()) {
                            list.ids.push(id);
                        }
                    }
                    _ => list.others.push(word.chars().take(60).collect()),
                }
            }
        }
        list
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lists_as_people_have_them() {
        let text = "# to go\ncom.a, com.b;com.a\n- \"com.c\"\n  package:/system/app/D/D.apk=com.d // why\nandroid\nnonsense com..e com/f\r\n";
        let list = IdList::read(text);
        let ids: Vec<&str> = list.ids.iter().map(PackageId::as_str).collect();
        assert_eq!(ids, ["com.a", "com.b", "com.c", "com.d", "android", "com..e"]);
        assert_eq!(list.others, ["nonsense", "com/f"]);
    }

    proptest! {
        #[test]
        fn any_text_is_a_list(text in any::<String>()) {
            let list = IdList::read(&text);
            prop_assert!(list.ids.len() + list.others.len() <= IdList::MOST);
        }
    }
}
