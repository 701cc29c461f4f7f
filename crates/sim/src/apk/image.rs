//! A large file of which only the recipe is kept: forty megabytes are made where somebody reads them, from some twenty
//! kilobytes. A bench of devices has a thousand of these.

use std::sync::OnceLock;

use crc32fast::Hasher;

/// Bytes that follow a rule, all records being of one length.
#[derive(Debug, Clone)]
pub(crate) enum Rule {
    /// `first + n * step`, as a little-endian number of four bytes.
    Counting { first: u32, step: u32 },
    /// Always the same.
    Same(Vec<u8>),
    /// A template in which four digits at a place are the number of the record.
    Numbered { template: Vec<u8>, place: usize },
    /// A template in which four bytes at some places count: where, the first number, the step.
    Patched { template: Vec<u8>, patches: Vec<(usize, u32, u32)>, digits: Option<usize> },
}

/// Characters in a string made of words.
pub(crate) const WORDS: usize = 24;

/// Different strings made of words.
const PHRASES: usize = 256;

/// Different pages of each kind: more would not look different to anybody.
const PAGES: usize = 16;

/// A page that is there over and over, shared by all files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Page {
    Noise(u8),
    Phrases { seed: u8, wide: bool },
}

impl Page {
    fn bytes(self) -> &'static [u8] {
        const NOISE: usize = 4096;
        static NOISES: [OnceLock<Vec<u8>>; PAGES] = [const { OnceLock::new() }; PAGES];
        static NARROW: [OnceLock<Vec<u8>>; PAGES] = [const { OnceLock::new() }; PAGES];
        static WIDE: [OnceLock<Vec<u8>>; PAGES] = [const { OnceLock::new() }; PAGES];
        let phrases = |seed: u8, wide| (0..PHRASES as u64).flat_map(|n| words(u64::from(seed) + n, wide)).collect();
        match self {
            Self::Noise(n) => NOISES[usize::from(n)].get_or_init(|| {
                let mut page = vec![0; NOISE];
                fastrand::Rng::with_seed(u64::from(n)).fill(&mut page);
                page
            }),
            Self::Phrases { seed, wide: true } => WIDE[usize::from(seed)].get_or_init(|| phrases(seed, true)),
            Self::Phrases { seed, wide: false } => NARROW[usize::from(seed)].get_or_init(|| phrases(seed, false)),
        }
    }
}

/// A rule as it is kept: what is longer than a few bytes lies in the image's bytes.
#[derive(Debug, Clone, Copy)]
enum Kept {
    /// Bytes as they lie there.
    Bytes {
        at: u32,
    },
    /// Bytes of which most are zero: pairs of a number of zeros and of bytes behind them, and those bytes.
    Sparse {
        at: u32,
        size: u32,
    },
    Counting {
        first: u32,
        step: u32,
    },
    Same {
        at: u32,
        size: u32,
    },
    Numbered {
        at: u32,
        size: u32,
        place: u32,
    },
    /// With the patches of a number.
    Patched {
        at: u32,
        size: u32,
        patches: u32,
    },
    Repeat(Page),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Patches {
    /// Where, the first number, the step; `at` is `u32::MAX` for none.
    counting: [(u32, u32, u32); 2],
    digits: Option<u32>,
}

/// A file, or a part of one. Invariant: parts stand in the order of the file, each begins where the one before it ends, and
/// none is empty.
#[derive(Debug, Clone, Default)]
pub(crate) struct Image {
    /// Where each part begins.
    parts: Vec<(u32, Kept)>,
    bytes: Vec<u8>,
    patches: Vec<Patches>,
    len: u64,
}

impl Image {
    pub(crate) fn len(&self) -> u64 {
        self.len
    }

    fn push(&mut self, kept: Kept, len: u64) {
        if len > 0 {
            // Made-up files end far below four gigabytes.
            self.parts.push((self.len as u32, kept));
            self.len += len;
        }
    }

    /// A template is kept once where the same was used a few parts ago, as it is in tables.
    fn template(&mut self, bytes: &[u8]) -> u32 {
        let used = self.parts.iter().rev().take(24).find_map(|(_, kept)| match kept {
            Kept::Same { at, size } | Kept::Numbered { at, size, .. } | Kept::Patched { at, size, .. } => {
                let known = self.bytes.get(*at as usize..(*at + *size) as usize);
                (known == Some(bytes)).then_some(*at)
            }
            _ => None,
        });
        used.unwrap_or_else(|| self.keep(bytes))
    }

    fn keep(&mut self, bytes: &[u8]) -> u32 {
        let at = self.bytes.len() as u32;
        self.bytes.extend_from_slice(bytes);
        at
    }

    pub(crate) fn bytes(&mut self, bytes: impl AsRef<[u8]>) {
        let bytes = bytes.as_ref();
        if bytes.len() >= 32 && bytes.iter().filter(|b| **b == 0).count() > bytes.len() / 2 {
            let at = self.bytes.len() as u32;
            put_sparse(bytes, &mut self.bytes);
            return self.push(Kept::Sparse { at, size: bytes.len() as u32 }, bytes.len() as u64);
        }
        // What follows bytes that lie at the end is one part with them.
        let joins = match self.parts.last() {
            Some((start, Kept::Bytes { at })) => {
                u64::from(*at) + self.len - u64::from(*start) == self.bytes.len() as u64
            }
            _ => false,
        };
        let at = self.keep(bytes);
        match joins {
            true => self.len += bytes.len() as u64,
            false => self.push(Kept::Bytes { at }, bytes.len() as u64),
        }
    }

    pub(crate) fn records(&mut self, rule: Rule, size: usize, count: usize) {
        let size32 = size as u32;
        let kept = match rule {
            Rule::Counting { first, step } => Kept::Counting { first, step },
            Rule::Same(bytes) => Kept::Same { at: self.template(&bytes), size: size32 },
            Rule::Numbered { template, place } => {
                Kept::Numbered { at: self.template(&template), size: size32, place: place as u32 }
            }
            Rule::Patched { template, patches, digits } => {
                let mut all = Patches { counting: [(u32::MAX, 0, 0); 2], digits: digits.map(|d| d as u32) };
                for (slot, (at, first, step)) in all.counting.iter_mut().zip(patches) {
                    *slot = (at as u32, first, step);
                }
                let known = self.patches.iter().rposition(|known| *known == all);
                let patches = known.unwrap_or_else(|| {
                    self.patches.push(all);
                    self.patches.len() - 1
                });
                Kept::Patched { at: self.template(&template), size: size32, patches: patches as u32 }
            }
        };
        self.push(kept, (size * count) as u64);
    }

    /// What compiled code and pictures look like to who does not decode them.
    pub(crate) fn noise(&mut self, seed: u64, len: u64) {
        self.push(Kept::Repeat(Page::Noise((seed % PAGES as u64) as u8)), len);
    }

    /// Strings of a pool, each with its lengths and its end.
    pub(crate) fn phrases(&mut self, seed: u64, wide: bool, size: usize, count: usize) {
        let page = Page::Phrases { seed: (seed % PAGES as u64) as u8, wide };
        self.push(Kept::Repeat(page), (size * count) as u64);
    }

    pub(crate) fn append(&mut self, other: &Self) {
        let (bytes, patches) = (self.bytes.len() as u32, self.patches.len() as u32);
        self.bytes.extend_from_slice(&other.bytes);
        self.patches.extend_from_slice(&other.patches);
        for (n, (start, kept)) in other.parts.iter().enumerate() {
            let kept = match *kept {
                Kept::Bytes { at } => Kept::Bytes { at: at + bytes },
                Kept::Sparse { at, size } => Kept::Sparse { at: at + bytes, size },
                Kept::Same { at, size } => Kept::Same { at: at + bytes, size },
                Kept::Numbered { at, size, place } => Kept::Numbered { at: at + bytes, size, place },
                Kept::Patched { at, size, patches: own } => {
                    Kept::Patched { at: at + bytes, size, patches: own + patches }
                }
                other @ (Kept::Counting { .. } | Kept::Repeat(_)) => other,
            };
            self.push(kept, other.end(n) - u64::from(*start));
        }
    }

    /// Cuts the file off.
    pub(crate) fn truncate(&mut self, len: u64) {
        self.parts.retain(|(start, _)| u64::from(*start) < len);
        self.len = self.len.min(len);
    }

    /// Nothing is going to be added any more.
    pub(crate) fn shrink(&mut self) {
        self.parts.shrink_to_fit();
        self.bytes.shrink_to_fit();
        self.patches.shrink_to_fit();
    }

    /// Where a part ends.
    fn end(&self, part: usize) -> u64 {
        self.parts.get(part + 1).map_or(self.len, |(start, _)| u64::from(*start))
    }

    /// A range, as far as there is one.
    pub(crate) fn read(&self, at: u64, len: usize) -> Vec<u8> {
        let end = at.saturating_add(len as u64).min(self.len);
        let mut out = Vec::with_capacity(usize::try_from(end.saturating_sub(at)).unwrap_or(0));
        let first = self.parts.partition_point(|(start, _)| u64::from(*start) <= at).saturating_sub(1);
        for (n, (start, kept)) in self.parts.iter().enumerate().skip(first) {
            let start = u64::from(*start);
            if start >= end {
                break;
            }
            let (from, to) = (at.max(start) - start, end.min(self.end(n)) - start);
            if from < to {
                self.write(*kept, from, to, &mut out);
            }
        }
        out
    }

    /// The checksum that ZIP files have.
    pub(crate) fn crc(&self) -> u32 {
        let mut sum = Hasher::new();
        for (n, (start, kept)) in self.parts.iter().enumerate() {
            let len = self.end(n) - u64::from(*start);
            if let Kept::Repeat(page) = kept {
                sum.combine(&repeated_sum(page.bytes(), len));
                continue;
            }
            let mut at = 0;
            while at < len {
                let to = (at + 64 * 1024).min(len);
                let mut bytes = Vec::new();
                self.write(*kept, at, to, &mut bytes);
                sum.update(&bytes);
                at = to;
            }
        }
        sum.finalize()
    }

    fn write(&self, kept: Kept, from: u64, to: u64, out: &mut Vec<u8>) {
        let over_and_over = |page: &[u8], out: &mut Vec<u8>| {
            let mut at = from;
            while at < to {
                let within = (at % page.len() as u64) as usize;
                let take = (page.len() - within).min((to - at) as usize);
                out.extend_from_slice(&page[within..within + take]);
                at += take as u64;
            }
        };
        let template = |at: u32, size: u32| &self.bytes[at as usize..(at + size) as usize];
        let (size, record): (u32, &Record<'_>) = match kept {
            Kept::Bytes { at } => {
                let at = u64::from(at);
                return out.extend_from_slice(&self.bytes[(at + from) as usize..(at + to) as usize]);
            }
            Kept::Sparse { at, size } => (size, &move |_, to| take_sparse(&self.bytes[at as usize..], size, to)),
            Kept::Repeat(page) => return over_and_over(page.bytes(), out),
            Kept::Same { at, size } => return over_and_over(template(at, size), out),
            Kept::Counting { first, step } => {
                (4, &move |n, to| to.extend(first.wrapping_add(step.wrapping_mul(n as u32)).to_le_bytes()))
            }
            Kept::Numbered { at, size, place } => (size, &move |n, to| {
                to.extend_from_slice(template(at, size));
                put_digits(to, place, n);
            }),
            Kept::Patched { at, size, patches } => (size, &move |n, to| {
                to.extend_from_slice(template(at, size));
                let patches = &self.patches[patches as usize];
                for (at, first, step) in patches.counting.iter().filter(|(at, ..)| *at != u32::MAX) {
                    let number = first.wrapping_add(step.wrapping_mul(n as u32));
                    to[*at as usize..*at as usize + 4].copy_from_slice(&number.to_le_bytes());
                }
                if let Some(place) = patches.digits {
                    put_digits(to, place, n);
                }
            }),
        };
        let size = u64::from(size);
        let mut at = from;
        let mut one = Vec::with_capacity(size as usize);
        while at < to {
            one.clear();
            record(at / size, &mut one);
            let within = (at % size) as usize;
            let take = (one.len() - within).min((to - at) as usize);
            out.extend_from_slice(&one[within..within + take]);
            at += take as u64;
        }
    }
}

fn put_sparse(mut bytes: &[u8], out: &mut Vec<u8>) {
    while !bytes.is_empty() {
        let zeros = bytes.iter().take_while(|b| **b == 0).count().min(255);
        bytes = &bytes[zeros..];
        let others = bytes.iter().take_while(|b| **b != 0).count().min(255);
        out.extend([zeros as u8, others as u8]);
        out.extend_from_slice(&bytes[..others]);
        bytes = &bytes[others..];
    }
}

fn take_sparse(mut from: &[u8], size: u32, out: &mut Vec<u8>) {
    while out.len() < size as usize {
        let [zeros, others, rest @ ..] = from else { return };
        out.resize(out.len() + usize::from(*zeros), 0);
        out.extend_from_slice(&rest[..usize::from(*others)]);
        from = &rest[usize::from(*others)..];
    }
}

/// Writes the record of a number.
type Record<'a> = dyn Fn(u64, &mut Vec<u8>) + 'a;

/// The number of a record, in four digits.
fn put_digits(bytes: &mut [u8], at: u32, n: u64) {
    let mut rest = n % 10_000;
    for place in (0..4).rev() {
        bytes[at as usize + place] = b'0' + (rest % 10) as u8;
        rest /= 10;
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
        image.records(Rule::Numbered { template: b"file0000x".to_vec(), place: 4 }, 9, 12);
        let mut more = Image::default();
        more.bytes(*b"more");
        let patches = vec![(0, 5, 1), (4, 100, 7)];
        more.records(Rule::Patched { template: vec![0xee; 12], patches, digits: Some(8) }, 12, 9);
        more.records(Rule::Same(vec![0xff; 4]), 4, 3);
        let mut sparse = [0; 700];
        sparse[7..12].fill(9);
        sparse[690] = 3;
        more.bytes(sparse);
        more.bytes(*b"end");
        let mut both = Image::default();
        both.append(&more);
        assert_eq!(both.read(0, 500), more.read(0, 500));
        image.append(&both);
        let last = image.read(image.len() - 727, 12);
        assert_eq!(last, [&13u32.to_le_bytes()[..], &156u32.to_le_bytes(), b"0008"].concat());
        let whole = image.read(0, usize::MAX);
        assert_eq!(whole.len() as u64, image.len());
        assert!(whole.ends_with(b"end"));
        for cut in [0, 3, 5, 700, whole.len() as u64 - 20, whole.len() as u64 + 5] {
            let mut part = image.clone();
            part.truncate(cut);
            assert_eq!(part.read(0, usize::MAX), whole[..whole.len().min(cut as usize)], "{cut}");
        }
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
