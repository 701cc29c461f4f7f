//! Writing binary manifests.

/// An attribute's value.
#[derive(Debug, Clone)]
pub(crate) enum Given {
    Text(String),
    Reference(u32),
    Number(u32),
    Bool(bool),
}

struct Element {
    name: &'static str,
    attributes: Vec<(u32, &'static str, Given)>,
}

enum Part {
    Start(Element),
    End(&'static str),
}

/// A document that is being written.
#[derive(Default)]
pub(crate) struct Document {
    parts: Vec<Part>,
}

impl Document {
    pub(crate) fn start(&mut self, name: &'static str, attributes: Vec<(u32, &'static str, Given)>) {
        self.parts.push(Part::Start(Element { name, attributes }));
    }

    pub(crate) fn end(&mut self, name: &'static str) {
        self.parts.push(Part::End(name));
    }

    pub(crate) fn one(&mut self, name: &'static str, attributes: Vec<(u32, &'static str, Given)>) {
        self.start(name, attributes);
        self.end(name);
    }

    /// The document as bytes: string pool, map of ids, elements.
    pub(crate) fn bytes(mut self, wide: bool) -> Vec<u8> {
        const SPACE: &str = "http://schemas.android.com/apk/res/android";
        // Names with ids come first, in the order of their ids, as the map of ids needs it.
        let mut named: Vec<(u32, &str)> = Vec::new();
        for part in &mut self.parts {
            if let Part::Start(element) = part {
                element.attributes.sort_by_key(|a| (a.0 == 0, a.0));
                named.extend(element.attributes.iter().filter(|a| a.0 != 0).map(|a| (a.0, a.1)));
            }
        }
        named.sort_unstable();
        named.dedup();
        let mut strings: Vec<String> = named.iter().map(|n| n.1.to_owned()).collect();
        let first_plain = strings.len();
        let plain = |text: &str, strings: &mut Vec<String>| -> u32 {
            let known = strings.iter().skip(first_plain).position(|s| s == text).map(|n| n + first_plain);
            let n = known.unwrap_or_else(|| {
                strings.push(text.to_owned());
                strings.len() - 1
            });
            n as u32
        };
        let (prefix, space) = (plain("android", &mut strings), plain(SPACE, &mut strings));
        let mut body = Vec::new();
        chunk(&mut body, 0x0100, &[1, u32::MAX], &[prefix, space]);
        for part in &self.parts {
            match part {
                Part::Start(element) => {
                    let name = plain(element.name, &mut strings);
                    let count = element.attributes.len() as u32;
                    let mut words = vec![u32::MAX, name, 20 << 16 | 20, count, 0];
                    for (id, attribute, value) in &element.attributes {
                        let own = match named.iter().position(|n| *n == (*id, *attribute)) {
                            Some(n) if *id != 0 => n as u32,
                            _ => plain(attribute, &mut strings),
                        };
                        let (raw, kind, data) = match value {
                            Given::Text(text) => {
                                let n = plain(text, &mut strings);
                                (n, 3u32, n)
                            }
                            Given::Reference(id) => (u32::MAX, 1, *id),
                            Given::Number(n) => (u32::MAX, 0x10, *n),
                            Given::Bool(yes) => (u32::MAX, 0x12, if *yes { u32::MAX } else { 0 }),
                        };
                        words.extend([if *id == 0 { u32::MAX } else { space }, own, raw, kind << 24 | 8, data]);
                    }
                    chunk(&mut body, 0x0102, &[1, u32::MAX], &words);
                }
                Part::End(name) => {
                    let name = plain(name, &mut strings);
                    chunk(&mut body, 0x0103, &[1, u32::MAX], &[u32::MAX, name]);
                }
            }
        }
        chunk(&mut body, 0x0101, &[1, u32::MAX], &[prefix, space]);
        let texts: Vec<&str> = strings.iter().map(String::as_str).collect();
        let pool = pool(&texts, wide);
        let mut ids = Vec::new();
        let map: Vec<u32> = named.iter().map(|n| n.0).collect();
        chunk(&mut ids, 0x0180, &[], &map);
        let mut out = vec![3, 0, 8, 0];
        out.extend(((8 + pool.len() + ids.len() + body.len()) as u32).to_le_bytes());
        out.extend(pool);
        out.extend(ids);
        out.extend(body);
        out
    }
}

fn chunk(out: &mut Vec<u8>, kind: u16, head: &[u32], body: &[u32]) {
    let head_size = 8 + 4 * head.len();
    out.extend(kind.to_le_bytes());
    out.extend((head_size as u16).to_le_bytes());
    out.extend(((head_size + 4 * body.len()) as u32).to_le_bytes());
    head.iter().chain(body).for_each(|n| out.extend(n.to_le_bytes()));
}

/// A string as a pool holds it.
pub(crate) fn pool_string(text: &str, wide: bool) -> Vec<u8> {
    let mut out = Vec::new();
    let units: Vec<u16> = text.encode_utf16().collect();
    if wide {
        out.extend((units.len() as u16).to_le_bytes());
        units.iter().for_each(|unit| out.extend(unit.to_le_bytes()));
        out.extend([0, 0]);
        return out;
    }
    for length in [units.len(), text.len()] {
        if length > 0x7f {
            out.push(0x80 | (length >> 8) as u8);
        }
        out.push((length & 0xff) as u8);
    }
    out.extend(text.bytes());
    out.push(0);
    out
}

/// A pool of strings.
pub(crate) fn pool(strings: &[&str], wide: bool) -> Vec<u8> {
    let mut offsets = Vec::new();
    let mut data = Vec::new();
    for text in strings {
        offsets.extend((data.len() as u32).to_le_bytes());
        data.extend(pool_string(text, wide));
    }
    while data.len() % 4 != 0 {
        data.push(0);
    }
    let start = 28 + offsets.len();
    let mut out = vec![1, 0, 28, 0];
    let flags = if wide { 0 } else { 0x100 };
    for n in [(start + data.len()) as u32, strings.len() as u32, 0, flags, start as u32, 0] {
        out.extend(n.to_le_bytes());
    }
    out.extend(offsets);
    out.extend(data);
    out
}
