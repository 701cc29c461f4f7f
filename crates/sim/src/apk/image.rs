//! A large file of which only the recipe is kept: forty megabytes are made where somebody reads them.

use std::sync::Arc;

use crc32fast::Hasher;

/// Bytes that follow a rule, all records being of one length.
#[derive(Debug, Clone)]
pub(crate) enum Rule {
    /// `first + n * step`, as a little-endian number of four bytes.
    Counting { first: u32, step: u32 },
    /// Always the same.
    Same(Vec<u8>),
    /// A template in which four digits at a place are the number of the record.
    Numbered { template: Vec<u8>, places: Vec<usize> },
    /// A template in which four bytes at some places count: where, the first number, the step.
    Patched { template: Vec<u8>, patches: Vec<(usize, u32, u32)>, digits: Option<usize> },
    /// A page over and over.
    Repeat(Arc<[u8]>),
}

/// Characters in a string made of words.
pub(crate) const WORDS: usize = 24;
const NOISE_PAGE: usize = 4096;
/// Different strings made of words.
const PHRASES: usize = 256;

#[derive(Debug, Clone)]
enum Part {
    Bytes(Vec<u8>),
    Records { rule: Rule, size: usize, count: u64 },
}

impl Part {
    fn len(&self) -> u64 {
        match self {
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::Records { size, count, .. } => *size as u64 * count,
        }
    }
}

/// A file, or a part of one.
#[derive(Debug, Clone, Default)]
pub(crate) struct Image {
    parts: Vec<(u64, Part)>,
    len: u64,
}

impl Image {
    pub(crate) fn len(&self) -> u64 {
        self.len
    }

    fn push(&mut self, part: Part) {
        let len = part.len();
        if len > 0 {
            self.parts.push((self.len, part));
            self.len += len;
        }
    }

    pub(crate) fn bytes(&mut self, bytes: impl Into<Vec<u8>>) {
        let bytes = bytes.into();
        if let Some((_, Part::Bytes(last))) = self.parts.last_mut() {
            self.len += bytes.len() as u64;
            last.extend(bytes);
        } else {
            self.push(Part::Bytes(bytes));
        }
    }

    pub(crate) fn records(&mut self, rule: Rule, size: usize, count: usize) {
        self.push(Part::Records { rule, size, count: count as u64 });
    }

    /// What compiled code and pictures look like to who does not decode them.
    pub(crate) fn noise(&mut self, seed: u64, len: u64) {
        let mut page = vec![0; NOISE_PAGE];
        fastrand::Rng::with_seed(seed).fill(&mut page);
        self.push(Part::Records { rule: Rule::Repeat(page.into()), size: 1, count: len });
    }

    /// Strings of a pool, each with its lengths and its end.
    pub(crate) fn phrases(&mut self, seed: u64, wide: bool, size: usize, count: usize) {
        let page: Vec<u8> = (0..PHRASES as u64).flat_map(|n| words(seed.wrapping_add(n), wide)).collect();
        self.push(Part::Records { rule: Rule::Repeat(page.into()), size: 1, count: (size * count) as u64 });
    }

    pub(crate) fn append(&mut self, other: Self) {
        other.parts.into_iter().for_each(|(_, part)| self.push(part));
    }

    /// Cuts the file off.
    pub(crate) fn truncate(&mut self, len: u64) {
        let bytes = self.read(0, usize::try_from(len).unwrap_or(usize::MAX));
        *self = Self::default();
        self.bytes(bytes);
    }

    /// A range, as far as there is one.
    pub(crate) fn read(&self, at: u64, len: usize) -> Vec<u8> {
        let end = at.saturating_add(len as u64).min(self.len);
        let mut out = Vec::with_capacity(usize::try_from(end.saturating_sub(at)).unwrap_or(0));
        let first = self.parts.partition_point(|(start, part)| start + part.len() <= at);
        for (start, part) in &self.parts[first..] {
            if *start >= end {
                break;
            }
            let (from, to) = (at.max(*start) - start, end.min(start + part.len()) - start);
            part.write(from, to, &mut out);
        }
        out
    }

    /// The checksum that ZIP files have.
    pub(crate) fn crc(&self) -> u32 {
        let mut sum = Hasher::new();
        for (_, part) in &self.parts {
            match part {
                Part::Records { rule: Rule::Repeat(page), count, .. } => sum.combine(&repeated_sum(page, *count)),
                part => {
                    let mut at = 0;
                    while at < part.len() {
                        let to = (at + 64 * 1024).min(part.len());
                        let mut bytes = Vec::new();
                        part.write(at, to, &mut bytes);
                        sum.update(&bytes);
                        at = to;
                    }
                }
            }
        }
        sum.finalize()
    }
}

impl Part {
    fn write(&self, from: u64, to: u64, out: &mut Vec<u8>) {
        match self {
            Self::Bytes(bytes) => out.extend_from_slice(&bytes[from as usize..to as usize]),
            Self::Records { rule: Rule::Repeat(page), .. } => {
                let mut at = from;
                while at < to {
                    let within = (at % page.len() as u64) as usize;
                    let take = (page.len() - within).min((to - at) as usize);
                    out.extend_from_slice(&page[within..within + take]);
                    at += take as u64;
                }
            }
            Self::Records { rule, size, .. } => {
                let size = *size as u64;
                let mut at = from;
                while at < to {
                    let n = at / size;
                    let record = rule.record(n);
                    let within = (at % size) as usize;
                    let take = (record.len() - within).min((to - at) as usize);
                    out.extend_from_slice(&record[within..within + take]);
                    at += take as u64;
                }
            }
        }
    }
}

impl Rule {
    fn record(&self, n: u64) -> Vec<u8> {
        let n32 = n as u32;
        let digits = |bytes: &mut [u8], at: usize| {
            for (place, digit) in format!("{:04}", n % 10_000).bytes().enumerate() {
                bytes[at + place] = digit;
            }
        };
        match self {
            Self::Counting { first, step } => first.wrapping_add(step.wrapping_mul(n32)).to_le_bytes().to_vec(),
            Self::Same(bytes) => bytes.clone(),
            Self::Numbered { template, places } => {
                let mut bytes = template.clone();
                places.iter().for_each(|at| digits(&mut bytes, *at));
                bytes
            }
            Self::Patched { template, patches, digits: place } => {
                let mut bytes = template.clone();
                for (at, first, step) in patches {
                    let number = first.wrapping_add(step.wrapping_mul(n32));
                    bytes[*at..at + 4].copy_from_slice(&number.to_le_bytes());
                }
                if let Some(at) = place {
                    digits(&mut bytes, *at);
                }
                bytes
            }
            Self::Repeat(page) => page.to_vec(),
        }
    }
}

/// A string of a pool with its lengths and its end, always as long.
fn words(seed: u64, wide: bool) -> Vec<u8> {
    const SYLLABLES: [&str; 16] =
        ["sel", "tor", "ma", "ren", "ki", "bo", "lan", "dis", "pa", "ver", "to", "nim", "ca", "sho", "fe", "gul"];
    let mut random = fastrand::Rng::with_seed(seed);
    let mut text = String::new();
    while text.len() < WORDS {
        text.push_str(SYLLABLES[random.usize(..16)]);
        if random.u8(..) < 70 {
            text.push(' ');
        }
    }
    text.truncate(WORDS);
    if wide {
        let mut out = (WORDS as u16).to_le_bytes().to_vec();
        text.encode_utf16().for_each(|unit| out.extend(unit.to_le_bytes()));
        out.extend([0, 0]);
        return out;
    }
    let mut out = vec![WORDS as u8, WORDS as u8];
    out.extend(text.bytes());
    out.push(0);
    out
}

/// The checksum of a page over and over, from that of one page doubled and doubled again.
fn repeated_sum(page: &[u8], len: u64) -> Hasher {
    let mut all = Hasher::new();
    let mut doubled = Hasher::new();
    doubled.update(page);
    let mut pages = len / page.len() as u64;
    while pages > 0 {
        if pages & 1 == 1 {
            all.combine(&doubled);
        }
        let same = doubled.clone();
        doubled.combine(&same);
        pages >>= 1;
    }
    let mut rest = Hasher::new();
    rest.update(&page[..(len % page.len() as u64) as usize]);
    all.combine(&rest);
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_range_is_what_the_whole_has_there() {
        let mut image = Image::default();
        image.bytes(*b"begin");
        image.records(Rule::Counting { first: 7, step: 3 }, 4, 20);
        image.noise(9, 10_000);
        image.phrases(1, false, WORDS + 3, 300);
        image.records(Rule::Numbered { template: b"file0000x".to_vec(), places: vec![4] }, 9, 12);
        let whole = image.read(0, usize::MAX);
        assert_eq!(whole.len() as u64, image.len());
        assert!(whole.ends_with(b"file0011x"));
        for at in (0..whole.len()).step_by(37) {
            for len in [0, 1, 50, 5000] {
                let end = (at + len).min(whole.len());
                assert_eq!(image.read(at as u64, len), whole[at..end], "{at} {len}");
            }
        }
        let mut sum = Hasher::new();
        sum.update(&whole);
        assert_eq!(image.crc(), sum.finalize());
    }
}
