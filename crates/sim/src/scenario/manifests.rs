//! What a text says of manifests; `scenarios/manifests.txt` tells in its head how it is written.

use std::ops::RangeInclusive;

/// What an element of a manifest may say here.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Element {
    /// `app`, `asks`, or the kind of a component.
    pub(crate) kind: &'static str,
    /// The class of a component.
    pub(crate) class: String,
    /// Its words of the form `name=value`, in order.
    values: Vec<(&'static str, String)>,
    /// Its other words.
    flags: Vec<&'static str>,
}

impl Element {
    /// All values of a name.
    pub(crate) fn all<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a str> {
        self.values.iter().filter(move |(own, _)| *own == name).map(|(_, value)| value.as_str())
    }

    /// The value of a name that is given once.
    pub(crate) fn one(&self, name: &str) -> Option<&str> {
        self.values.iter().find(|(own, _)| *own == name).map(|(_, value)| value.as_str())
    }

    pub(crate) fn is(&self, flag: &str) -> bool {
        self.flags.contains(&flag)
    }
}

/// What some packages declare on some levels.
#[derive(Debug)]
pub(crate) struct Block {
    ids: Vec<&'static str>,
    levels: RangeInclusive<u32>,
    elements: Vec<Element>,
}

#[cfg(test)]
impl Block {
    pub(crate) fn ids(&self) -> &[&'static str] {
        &self.ids
    }
}

/// What a package declares on an API level, application first.
pub(crate) fn of(blocks: &'static [Block], id: &str, sdk: u32) -> Vec<&'static Element> {
    blocks.iter().filter(|b| b.ids.contains(&id) && b.levels.contains(&sdk)).flat_map(|b| &b.elements).collect()
}

const KINDS: [&str; 6] = ["app", "asks", "activity", "service", "receiver", "provider"];
const NAMES: [&str; 8] = ["action", "category", "priority", "authority", "guard", "process", "meta", "package"];
const FLAGS: [&str; 3] = ["core", "boot", "hidden"];

/// The first thing that is not as the head of the file says, in words.
pub(crate) fn trouble(blocks: &[Block]) -> Option<String> {
    for block in blocks {
        let of = block.ids.join(" ");
        if block.elements.is_empty() {
            return Some(format!("{of} declares nothing"));
        }
        for Element { kind, class, values, flags } in &block.elements {
            let component = !matches!(*kind, "app" | "asks");
            let value = values.iter().find(|(name, value)| !NAMES.contains(name) || value.is_empty());
            let flag = flags.iter().find(|flag| !FLAGS.contains(flag));
            match (KINDS.contains(kind), value, flag) {
                (false, ..) => return Some(format!("{of}: “{kind}” is no part of a manifest")),
                (_, Some((name, value)), _) => return Some(format!("{of}: {kind} {class}: “{name}={value}”")),
                (.., Some(flag)) => return Some(format!("{of}: {kind} {class}: “{flag}”")),
                _ if component == class.is_empty() => return Some(format!("{of}: {kind} without a class")),
                _ => {}
            }
        }
    }
    None
}

/// Reads the file; what is not as it should be [`trouble`] finds.
pub(crate) fn read(text: &'static str) -> Vec<Block> {
    let mut blocks: Vec<Block> = Vec::new();
    for line in text.lines().filter(|line| !line.trim().is_empty() && !line.starts_with('#')) {
        if !line.starts_with(' ') {
            let (ranges, ids): (Vec<&str>, Vec<&str>) = line.split_whitespace().partition(|w| w.contains(".."));
            let levels = ranges.first().and_then(|range| range.split_once("..")).unwrap_or_default();
            let levels = levels.0.parse().unwrap_or(0)..=levels.1.parse().unwrap_or(u32::MAX);
            blocks.push(Block { ids, levels, elements: Vec::new() });
            continue;
        }
        let mut words = line.split_whitespace();
        let kind = words.next().unwrap_or("");
        let class = if matches!(kind, "app" | "asks") { "" } else { words.next().unwrap_or("") };
        let mut element = Element { kind, class: class.into(), values: Vec::new(), flags: Vec::new() };
        for word in words {
            match word.split_once('=') {
                Some((name, value)) => element.values.push((name, value.into())),
                None => element.flags.push(word),
            }
        }
        if let Some(block) = blocks.last_mut() {
            block.elements.push(element);
        }
    }
    blocks
}
