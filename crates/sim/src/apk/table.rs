//! Writing resource tables of the size and shape that real ones have.

use super::image::{Image, Rule, WORDS};
use super::xml::{pool, pool_string};

/// How entries are laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layout {
    /// As always.
    Plain,
    /// Languages with few texts list those that they have.
    Sparse,
    /// Offsets of two bytes and entries of eight, as newer tools write them.
    Compact,
}

/// What a table is to hold.
#[derive(Debug, Clone)]
pub(crate) struct TableShape {
    pub(crate) package: String,
    /// 0x7f for apps, 1 for the framework.
    pub(crate) package_id: u8,
    pub(crate) wide: bool,
    pub(crate) layout: Layout,
    /// Texts of each language.
    pub(crate) strings: usize,
    /// Languages beside the default, in order: what they are sorted by, and the labels in them.
    pub(crate) languages: Vec<([u8; 4], Vec<Option<String>>)>,
    /// The texts of the first entries in no language in particular. An entry that begins with `@` refers to the
    /// entry of that number.
    pub(crate) labels: Vec<String>,
    /// Names of the last of these, as many as there are.
    pub(crate) names: Vec<String>,
    pub(crate) seed: u64,
}

/// The types of an app, as their names are sorted; the framework's order is fixed by what others refer to.
const APP_TYPES: [&str; 17] = [
    "anim", "array", "attr", "bool", "color", "dimen", "drawable", "id", "integer", "layout", "menu", "mipmap",
    "plurals", "raw", "string", "style", "xml",
];
const FRAMEWORK_TYPES: [&str; 8] = ["attr", "id", "style", "string", "dimen", "color", "array", "drawable"];

impl TableShape {
    fn types(&self) -> &'static [&'static str] {
        if self.package_id == 1 { &FRAMEWORK_TYPES } else { &APP_TYPES }
    }

    /// The id of the text of a number.
    pub(crate) fn string_id(&self, n: usize) -> u32 {
        let place = self.types().iter().position(|t| *t == "string").unwrap_or(0) as u32 + 1;
        u32::from(self.package_id) << 24 | place << 16 | n as u32
    }

    pub(crate) fn write(&self) -> Image {
        let (strings, places) = self.strings_pool();
        let package = self.package_part(&places);
        let mut out = Image::default();
        let mut head = vec![2, 0, 12, 0];
        head.extend(((12 + strings.len() + package.len()) as u32).to_le_bytes());
        head.extend(1u32.to_le_bytes());
        out.bytes(head);
        out.append(&strings);
        out.append(&package);
        out
    }

    /// The pool of all texts: labels first, then those of every language. Also the number of each label.
    fn strings_pool(&self) -> (Image, Vec<Vec<Option<u32>>>) {
        let size = if self.wide { 2 * WORDS + 4 } else { WORDS + 3 };
        let mut texts: Vec<&str> = Vec::new();
        let mut places = vec![Vec::new()];
        for label in &self.labels {
            places[0].push(Some(texts.len() as u32));
            texts.push(label);
        }
        for (_, labels) in &self.languages {
            let mut own = Vec::new();
            for label in labels {
                own.push(label.as_ref().map(|_| texts.len() as u32));
                texts.extend(label.as_deref());
            }
            places.push(own);
        }
        let mut data = Vec::new();
        let mut offsets = Vec::new();
        for text in &texts {
            offsets.extend((data.len() as u32).to_le_bytes());
            data.extend(pool_string(text, self.wide));
        }
        let rest = self.strings * (1 + self.languages.len());
        let count = texts.len() + rest;
        let start = 28 + 4 * count;
        let padding = (4 - (data.len() + rest * size) % 4) % 4;
        let total = start + data.len() + rest * size + padding;
        let mut out = Image::default();
        let mut head = vec![1, 0, 28, 0];
        let flags = if self.wide { 0 } else { 0x100 };
        for n in [total as u32, count as u32, 0, flags, start as u32, 0] {
            head.extend(n.to_le_bytes());
        }
        head.extend(&offsets);
        out.bytes(head);
        out.records(Rule::Counting { first: data.len() as u32, step: size as u32 }, 4, rest);
        out.bytes(data);
        out.phrases(self.seed, self.wide, size, rest);
        out.bytes(vec![0; padding]);
        (out, places)
    }

    fn package_part(&self, places: &[Vec<Option<u32>>]) -> Image {
        let keys = self.strings + self.labels.len() + 1;
        let type_names = pool(self.types(), true);
        let mut body = Image::default();
        body.bytes(&type_names);
        let key = *b"\x08\x08key_0000\0";
        // The first have no names of their own, then come those that have, then the rest.
        let before = self.labels.len().saturating_sub(self.names.len());
        let (mut own_data, mut own_offsets) = (Vec::new(), Vec::new());
        for n in 0..before {
            own_offsets.extend((own_data.len() as u32).to_le_bytes());
            own_data.extend(pool_string(&format!("own_{n}"), false));
        }
        for name in &self.names {
            own_offsets.extend((own_data.len() as u32).to_le_bytes());
            own_data.extend(pool_string(name, false));
        }
        let rest = keys - before - self.names.len();
        let (key_offsets, key_data) = (keys * 4, own_data.len() + rest * key.len());
        let padding = (4 - key_data % 4) % 4;
        let mut head = vec![1, 0, 28, 0];
        for n in [(28 + key_offsets + key_data + padding) as u32, keys as u32, 0, 0x100, (28 + key_offsets) as u32, 0] {
            head.extend(n.to_le_bytes());
        }
        body.bytes(head);
        body.bytes(own_offsets);
        body.records(Rule::Counting { first: own_data.len() as u32, step: key.len() as u32 }, 4, rest);
        body.bytes(own_data);
        body.records(Rule::Numbered { template: key.to_vec(), place: 6 }, key.len(), rest);
        body.bytes(vec![0; padding]);
        for (n, name) in self.types().iter().enumerate() {
            self.write_type(&mut body, n as u8 + 1, name, places);
        }
        let mut out = Image::default();
        let mut head = vec![0, 2, 0x20, 1];
        head.extend(((288 + body.len()) as u32).to_le_bytes());
        head.extend(u32::from(self.package_id).to_le_bytes());
        let mut name: Vec<u8> = self.package.encode_utf16().take(127).flat_map(u16::to_le_bytes).collect();
        name.resize(256, 0);
        head.extend(name);
        for n in [288, self.types().len() as u32, 288 + type_names.len() as u32, keys as u32, 0] {
            head.extend(n.to_le_bytes());
        }
        out.bytes(head);
        out.append(&body);
        out
    }

    fn write_type(&self, out: &mut Image, id: u8, name: &str, places: &[Vec<Option<u32>>]) {
        let s = self.strings;
        // Densities and screens, as (density, version, screen width in dp).
        let densities = [(0, 0, 0), (160, 4, 0), (240, 4, 0), (320, 4, 0), (480, 4, 0), (640, 4, 0)];
        let sizes = [(0, 0, 0), (0, 13, 320), (0, 13, 600), (0, 13, 720)];
        let (entries, configs): (usize, &[(u16, u16, u16)]) = match name {
            "string" => return self.write_strings(out, id, places),
            "plurals" => (s / 16 + 1, &densities[..1]),
            "drawable" | "mipmap" => (s / 5 + 2, &densities),
            "dimen" | "bool" | "layout" => (s / 3 + 2, &sizes),
            "color" | "style" | "integer" => (s / 4 + 2, &sizes[..2]),
            "attr" | "id" => (s / 2 + 4, &sizes[..1]),
            _ => (s / 20 + 1, &sizes[..1]),
        };
        spec(out, id, entries, if name == "plurals" { 4 } else { 0x100 });
        if name == "plurals" {
            let mut template = vec![16, 0, 1, 0];
            for n in [0u32, 0, 2, 0x0100_0004, 0x0300_0008, 0, 0x0100_0007, 0x0300_0008, 0] {
                template.extend(n.to_le_bytes());
            }
            for language in std::iter::once([0; 4]).chain(self.languages.iter().map(|l| l.0)) {
                values_head(out, id, 0, entries, template.len() * entries, 4, language, (0, 0, 0));
                out.records(Rule::Counting { first: 0, step: template.len() as u32 }, 4, entries);
                let rule = Rule::Patched { template: template.clone(), patches: vec![(4, 0, 1)], digits: None };
                out.records(rule, template.len(), entries);
            }
            return;
        }
        for config in configs {
            // Other screens change only some.
            let own = if config == &(0, 0, 0) { entries } else { entries / 3 + 1 };
            values_head(out, id, 0, entries, 16 * own, 4, [0; 4], *config);
            out.records(Rule::Counting { first: 0, step: 16 }, 4, own);
            out.records(Rule::Same(vec![0xff; 4]), 4, entries - own);
            let template = [8, 0, 0, 0, 0, 0, 0, 0, 8, 0, 0, 0x10, 0, 0, 0, 0].to_vec();
            out.records(Rule::Patched { template, patches: vec![(4, 0, 1), (12, 100, 7)], digits: None }, 16, own);
        }
    }

    fn write_strings(&self, out: &mut Image, id: u8, places: &[Vec<Option<u32>>]) {
        let labels = self.labels.len();
        let entries = labels + self.strings;
        let texts: u32 = places.iter().flatten().flatten().count() as u32;
        spec(out, id, entries, 4);
        let languages = std::iter::once([0; 4]).chain(self.languages.iter().map(|l| l.0));
        for (n, (language, own)) in languages.zip(places).enumerate() {
            let first = texts + (n * self.strings) as u32;
            // Every third language has but few texts, and the labels are among them.
            let few = n > 0 && n % 3 == 0;
            let compact = self.layout == Layout::Compact;
            let entry = |n: usize, place: u32| -> Vec<u8> {
                let refers = self.labels[n].strip_prefix('@').and_then(|to| to.parse().ok());
                let (kind, data) = match refers {
                    Some(to) => (1u8, self.string_id(to)),
                    None => (3, place),
                };
                let mut bytes = Vec::new();
                if compact {
                    bytes.extend((n as u16).to_le_bytes());
                    bytes.extend([8, kind]);
                } else {
                    bytes.extend([8, 0, 0, 0]);
                    bytes.extend((n as u32).to_le_bytes());
                    bytes.extend([8, 0, 0, kind]);
                }
                bytes.extend(data.to_le_bytes());
                bytes
            };
            let size = if compact { 8 } else { 16 };
            let had: Vec<usize> = (0..labels).filter(|l| own.get(*l).is_some_and(Option::is_some)).collect();
            if few && had.is_empty() {
                continue;
            }
            let rest = if few { 0 } else { self.strings };
            let data = size * (had.len() + rest);
            let special: Vec<u8> =
                had.iter().flat_map(|l| entry(*l, own.get(*l).copied().flatten().unwrap_or(0))).collect();
            if few && self.layout == Layout::Sparse {
                values_head(out, id, 1, had.len(), data, 4, language, (0, 0, 0));
                let pairs = had.iter().enumerate().flat_map(|(n, l)| {
                    let mut pair = (*l as u16).to_le_bytes().to_vec();
                    pair.extend(((n * size / 4) as u16).to_le_bytes());
                    pair
                });
                out.bytes(pairs.collect::<Vec<u8>>());
                out.bytes(special);
                continue;
            }
            // Offsets of two bytes reach no further.
            let short = compact && (had.len() + rest) * size / 4 < 0xffff;
            let offset_size = if short { 2 } else { 4 };
            let padding = (4 - entries * offset_size % 4) % 4;
            let flags = if short { 2 } else { 0 };
            values_head(out, id, flags, entries, data + padding, offset_size, language, (0, 0, 0));
            let mut offsets = Vec::new();
            for l in 0..labels {
                let place = had.iter().position(|h| *h == l).map(|n| n * size);
                match (short, place) {
                    (true, p) => offsets.extend(p.map_or(0xffff, |p| (p / 4) as u16).to_le_bytes()),
                    (false, p) => offsets.extend(p.map_or(u32::MAX, |p| p as u32).to_le_bytes()),
                }
            }
            let behind = had.len() * size;
            if short {
                for n in 0..self.strings {
                    let offset = if few { 0xffff } else { ((behind + n * size) / 4) as u16 };
                    offsets.extend(offset.to_le_bytes());
                }
                offsets.extend(vec![0; padding]);
                out.bytes(offsets);
            } else {
                out.bytes(offsets);
                match few {
                    true => out.records(Rule::Same(vec![0xff; 4]), 4, self.strings),
                    false => {
                        out.records(Rule::Counting { first: behind as u32, step: size as u32 }, 4, self.strings);
                    }
                }
            }
            out.bytes(special);
            let template = if compact {
                vec![0, 0, 8, 3, 0, 0, 0, 0]
            } else {
                vec![8, 0, 0, 0, 0, 0, 0, 0, 8, 0, 0, 3, 0, 0, 0, 0]
            };
            let patches = if compact { vec![(4, first, 1)] } else { vec![(4, labels as u32, 1), (12, first, 1)] };
            out.records(Rule::Patched { template, patches, digits: None }, size, rest);
        }
    }
}

fn spec(out: &mut Image, id: u8, entries: usize, flags: u32) {
    let mut head = vec![2, 2, 16, 0];
    head.extend(((16 + 4 * entries) as u32).to_le_bytes());
    head.extend([id, 0, 0, 0]);
    head.extend((entries as u32).to_le_bytes());
    out.bytes(head);
    out.records(Rule::Same(flags.to_le_bytes().to_vec()), 4, entries);
}

#[expect(clippy::too_many_arguments, reason = "one for each field of the head")]
fn values_head(
    out: &mut Image,
    id: u8,
    flags: u8,
    entries: usize,
    data: usize,
    offset_size: usize,
    language: [u8; 4],
    (density, version, width): (u16, u16, u16),
) {
    const HEAD: usize = 84;
    // Data may begin with the padding behind offsets of two bytes.
    let padding = if offset_size == 2 { (4 - entries * 2 % 4) % 4 } else { 0 };
    let start = HEAD + entries * offset_size + padding;
    let mut head = vec![1, 2, HEAD as u8, 0];
    head.extend(((start + data - padding) as u32).to_le_bytes());
    head.extend([id, flags, 0, 0]);
    head.extend((entries as u32).to_le_bytes());
    head.extend((start as u32).to_le_bytes());
    let mut config = vec![0u8; 64];
    config[0] = 64;
    config[8..12].copy_from_slice(&language);
    config[14..16].copy_from_slice(&density.to_le_bytes());
    config[24..26].copy_from_slice(&version.to_le_bytes());
    config[30..32].copy_from_slice(&width.to_le_bytes());
    head.extend(config);
    out.bytes(head);
}
