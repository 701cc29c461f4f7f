//! What is known of Android whatever the device: `data/android.toml`, read once into typed tables.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Deserialize;

use super::essential::Essential;
use super::need::{AndroidNeed, NamedText};

const SOURCE: &str = include_str!("../../data/android.toml");

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Knowledge {
    permissions: BTreeMap<String, String>,
    partitions: BTreeMap<String, String>,
    essential: BTreeMap<String, Essential>,
    users: BTreeMap<String, u32>,
    roles: BTreeMap<String, String>,
    names: Names,
    pages: BTreeMap<String, String>,
    needs: Vec<AndroidNeed>,
    named: Vec<NamedText>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct Names {
    empty: Vec<String>,
}

/// The file is part of the program, and a test reads it: what stands there can be read.
static KNOWLEDGE: LazyLock<Knowledge> = LazyLock::new(|| toml::from_str(SOURCE).unwrap_or_default());

/// What a permission lets an app do, in words, for those that are worth noting; `None` for the many others.
pub fn permission_words(permission: &str) -> Option<&'static str> {
    let name = permission.strip_prefix("android.permission.")?;
    KNOWLEDGE.permissions.get(name).map(String::as_str)
}

/// Partitions that code can be on, and what a search for each finds.
pub fn partitions() -> impl Iterator<Item = (&'static str, &'static str)> {
    KNOWLEDGE.partitions.iter().map(|(name, doc)| (name.as_str(), doc.as_str()))
}

/// What an id is to every Android that does not do without it.
pub(crate) fn named_essential(id: &str) -> Option<Essential> {
    KNOWLEDGE.essential.get(id).copied()
}

/// What a role is of, in words; its own name for those that are not known.
pub fn role_words(role: &str) -> &str {
    let name = role.strip_prefix("android.app.role.").unwrap_or(role);
    KNOWLEDGE.roles.get(name).map_or(name, String::as_str)
}

/// The number of a user of the system that packages may share, by the name that programs give it.
pub(crate) fn uid_named(name: &str) -> Option<u32> {
    KNOWLEDGE.users.get(name).copied()
}

/// What Android needs of its packages, by name.
pub(crate) fn needs() -> &'static [AndroidNeed] {
    &KNOWLEDGE.needs
}

/// The page of the device's settings on which somebody else is chosen for something, as an action.
pub(crate) fn settings_page(what: &str) -> Option<&'static str> {
    KNOWLEDGE.pages.get(what).map(String::as_str)
}

/// Texts of the framework that name who does something.
pub(crate) fn framework_texts() -> &'static [NamedText] {
    &KNOWLEDGE.named
}

/// Their names, as they are asked for.
pub(crate) fn named_texts() -> &'static [&'static str] {
    static NAMES: LazyLock<Vec<&'static str>> =
        LazyLock::new(|| KNOWLEDGE.named.iter().map(|text| text.name.as_str()).collect());
    &NAMES
}

/// Whether a part of an id says who made a package, or nothing.
pub(crate) fn says_nothing(part: &str) -> bool {
    KNOWLEDGE.names.empty.iter().any(|empty| empty == part)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_can_be_used() {
        let known: Knowledge = toml::from_str(SOURCE).unwrap();
        for (name, words) in &known.permissions {
            assert!(name.bytes().all(|b| b.is_ascii_uppercase() || b == b'_'), "{name}");
            assert!(
                !words.is_empty() && !words.ends_with('.') && words.starts_with(char::is_lowercase),
                "{name}: {words}"
            );
        }
        assert_eq!(permission_words("android.permission.CAMERA"), Some("take pictures"));
        for (name, doc) in &known.partitions {
            assert!(name.bytes().all(|b| b.is_ascii_lowercase() || b == b'_') && !doc.is_empty(), "{name}");
        }
        assert_eq!(known.essential.len(), 3);
        assert!(known.roles.values().all(|words| words.starts_with(char::is_lowercase)));
        assert_eq!((role_words("android.app.role.SMS"), role_words("com.x.role.Y")), ("messages", "com.x.role.Y"));
        assert!(known.users.values().all(|number| (1000..10_000).contains(number)));
        let names: Vec<&str> = known.named.iter().map(|text| text.name.as_str()).collect();
        assert!(names.is_sorted() && !names.is_empty());
        known.named.iter().for_each(NamedText::check);
        for need in &known.needs {
            need.check();
        }
        let is_action = |c: u8| c.is_ascii_alphanumeric() || matches!(c, b'.' | b'_');
        assert!(known.pages.values().all(|page| page.bytes().all(is_action)));
        assert!(known.names.empty.iter().all(|part| part.to_lowercase() == *part && !part.contains('.')));
    }

    /// What two people add does not stand in two places.
    #[test]
    fn tables_are_sorted() {
        let mut heading = "";
        let mut former = "";
        for line in SOURCE.lines().filter(|l| !l.starts_with('#')) {
            match line.split_once(" = ") {
                _ if line.starts_with('[') => (heading, former) = (line, ""),
                Some((name, _))
                    if ["[permissions]", "[pages]", "[partitions]", "[essential]", "[users]", "[roles]"]
                        .contains(&heading) =>
                {
                    let name = name.trim_matches('"');
                    assert!(former < name, "{name} stands behind {former}");
                    former = name;
                }
                _ => {}
            }
        }
    }
}
