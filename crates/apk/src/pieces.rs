//! A file of which only pieces are known.

use std::cell::{Cell, RefCell};
use std::collections::BTreeMap;

use thiserror::Error;

use crate::bytes::u32_at;

/// Why an APK cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{part}: {rule}")]
pub struct ApkError {
    /// The part that was being read, e.g. "end record".
    pub part: &'static str,
    /// The rule it breaks.
    pub rule: &'static str,
}

/// A range of a file that is needed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Want {
    /// The first byte.
    pub start: u64,
    /// How many.
    pub len: usize,
}

/// Why reading stopped.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Halt {
    /// More is needed first.
    Missing(Vec<Want>),
    /// It cannot be read.
    Broken(ApkError),
}

pub(crate) fn broken(part: &'static str, rule: &'static str) -> Halt {
    Halt::Broken(ApkError { part, rule })
}

impl Halt {
    /// Several things are looked for at once: what is missing for any of them is asked for together.
    pub(crate) fn gather<T>(results: Vec<Result<T, Halt>>) -> Result<Vec<Result<T, ApkError>>, Halt> {
        let mut wants: Vec<Want> = Vec::new();
        let mut done = Vec::new();
        for result in results {
            match result {
                Ok(value) => done.push(Ok(value)),
                Err(Self::Broken(error)) => done.push(Err(error)),
                Err(Self::Missing(more)) => more.into_iter().for_each(|w| {
                    if !wants.contains(&w) {
                        wants.push(w);
                    }
                }),
            }
        }
        if wants.is_empty() { Ok(done) } else { Err(Self::Missing(wants)) }
    }
}

/// Bytes at places.
pub(crate) trait Source {
    /// The bytes of a range.
    fn get(&self, at: u64, len: usize) -> Result<&[u8], Halt>;

    /// How many bytes there are.
    fn size(&self) -> u64;

    /// As many of the `wish` bytes as there are before `end`, at least `need`.
    fn get_some(&self, at: u64, need: usize, wish: usize, end: u64) -> Result<&[u8], Halt> {
        let end = end.min(self.size());
        let room = usize::try_from(end.saturating_sub(at)).unwrap_or(usize::MAX);
        if room < need {
            return Err(broken("chunk", "it runs past its end"));
        }
        self.get(at, wish.clamp(need, room))
    }

    fn u32(&self, at: u64) -> Result<u32, Halt> {
        self.get(at, 4).map(|b| u32_at(b, 0))
    }

    /// A chain of chunks from a place to another one has been followed up to one that is not known yet: what of it was not looked at
    /// is not needed.
    fn passed(&self, _from: u64, _to: u64, _up_to: u64) {}

    /// Where a chain that begins at a place is to be followed from for something, if that was found out before.
    fn place(&self, _chain: u64, _what: u8) -> Option<u64> {
        None
    }

    /// Remembers that.
    fn set_place(&self, _chain: u64, _what: u8, _place: u64) {}

    /// How far to look ahead while a chain of chunks is followed, in bytes.
    fn window(&self) -> usize {
        0
    }

    /// What is not longer than this is wanted whole, in bytes.
    fn whole(&self) -> u64 {
        0
    }
}

/// What has been unpacked: all of it is there.
pub(crate) struct Unpacked(pub(crate) Vec<u8>);

impl Source for Unpacked {
    fn get(&self, at: u64, len: usize) -> Result<&[u8], Halt> {
        Source::get(self.0.as_slice(), at, len)
    }

    fn size(&self) -> u64 {
        self.0.len() as u64
    }
}

/// A slice is a source that has everything.
impl Source for [u8] {
    fn get(&self, at: u64, len: usize) -> Result<&[u8], Halt> {
        let at = usize::try_from(at).unwrap_or(usize::MAX);
        at.checked_add(len).and_then(|end| self.get(at..end)).ok_or_else(|| broken("chunk", "it runs past its end"))
    }

    fn size(&self) -> u64 {
        self.len() as u64
    }
}

/// What is known of a file.
#[derive(Debug, Default)]
pub(crate) struct Pieces {
    size: u64,
    parts: BTreeMap<u64, Vec<u8>>,
    pub(crate) window: usize,
    pub(crate) whole: u64,
    /// What has been looked at since it was last asked for more, and what a chain has passed by.
    looked_at: RefCell<Vec<(u64, u64)>>,
    passed: Cell<Option<(u64, u64)>>,
    places: RefCell<BTreeMap<(u64, u8), u64>>,
}

impl Pieces {
    /// Lets go of what a chain has passed by. What was looked at stays: it is looked at again on the way to the next place.
    pub(crate) fn forget_what_was_passed(&mut self) {
        let mut looked_at = std::mem::take(self.looked_at.get_mut());
        let Some((from, to)) = self.passed.take() else { return };
        looked_at.retain(|(at, len)| at + len > from && *at < to);
        looked_at.sort_unstable();
        let mut at = from;
        for (start, len) in looked_at {
            self.forget(at, start.saturating_sub(at));
            at = at.max(start + len);
        }
        self.forget(at, to.saturating_sub(at));
    }

    pub(crate) fn new(size: u64) -> Self {
        Self { size, ..Self::default() }
    }

    /// How many bytes are held.
    pub(crate) fn held(&self) -> usize {
        self.parts.values().map(Vec::len).sum()
    }

    /// Takes bytes; what is known already stays as it is, and what cannot be in the file is dropped.
    pub(crate) fn feed(&mut self, at: u64, bytes: &[u8]) {
        let room = usize::try_from(self.size.saturating_sub(at)).unwrap_or(usize::MAX);
        let (mut at, mut bytes) = (at, &bytes[..bytes.len().min(room)]);
        if let Some((start, part)) = self.parts.range_mut(..=at).next_back() {
            let end = start + part.len() as u64;
            if at <= end {
                let known = usize::try_from(end - at).unwrap_or(usize::MAX).min(bytes.len());
                part.extend_from_slice(&bytes[known..]);
                (at, bytes) = (*start, &[]);
            }
        }
        if !bytes.is_empty() {
            self.parts.insert(at, bytes.to_vec());
        }
        // What stands behind may touch now.
        while let Some(end) = self.parts.get(&at).map(|p| at + p.len() as u64)
            && let Some((next, _)) = self.parts.range(at + 1..=end).next()
        {
            let next = *next;
            if let Some(tail) = self.parts.remove(&next)
                && let Some(part) = self.parts.get_mut(&at)
            {
                let known = usize::try_from(end - next).unwrap_or(usize::MAX).min(tail.len());
                part.extend_from_slice(&tail[known..]);
            }
        }
    }

    /// Lets go of the bytes of a long range: what was in it is known by now. Asked for again, they are missing again.
    pub(crate) fn forget(&mut self, at: u64, len: u64) {
        /// Shorter ones are not worth the pieces that are left.
        const SHORT: u64 = 2048;
        let end = at.saturating_add(len);
        if len < SHORT {
            return;
        }
        let first = self.parts.range(..=at).next_back().map_or(at, |(start, _)| *start);
        let starts: Vec<u64> = self.parts.range(first..end).map(|(start, _)| *start).collect();
        for start in starts {
            let Some(part) = self.parts.remove(&start) else { continue };
            let place = |at: u64| usize::try_from(at.saturating_sub(start)).unwrap_or(usize::MAX).min(part.len());
            let (before, behind) = (part[..place(at)].to_vec(), part[place(end)..].to_vec());
            let rest = start + place(end) as u64;
            for (start, part) in [(start, before), (rest, behind)] {
                if !part.is_empty() {
                    self.parts.insert(start, part);
                }
            }
        }
    }

    /// Lets go of all but some ranges.
    pub(crate) fn keep_only(&mut self, mut ranges: Vec<(u64, u64)>) {
        ranges.sort_unstable();
        let mut from = 0;
        for (at, len) in ranges {
            self.forget(from, at.saturating_sub(from));
            from = from.max(at.saturating_add(len));
        }
        self.forget(from, self.size.saturating_sub(from));
    }
}

impl Source for Pieces {
    fn get(&self, at: u64, len: usize) -> Result<&[u8], Halt> {
        if at.checked_add(len as u64).is_none_or(|end| end > self.size) {
            return Err(broken("file", "it ends before something that it names"));
        }
        let before = self.parts.range(..=at).next_back();
        let known = before.map_or(&[][..], |(start, part)| {
            usize::try_from(at - start).ok().and_then(|skip| part.get(skip..)).unwrap_or(&[])
        });
        match known.get(..len) {
            Some(bytes) => {
                self.looked_at.borrow_mut().push((at, len as u64));
                Ok(bytes)
            }
            None => {
                let want = Want { start: at + known.len() as u64, len: len - known.len() };
                Err(Halt::Missing(vec![want]))
            }
        }
    }

    fn size(&self) -> u64 {
        self.size
    }

    fn passed(&self, from: u64, to: u64, up_to: u64) {
        /// The head of the next chunk may lie half before the end of what is known.
        const HEAD: u64 = 256;
        self.looked_at.borrow_mut().push((up_to, HEAD));
        self.passed.set(Some((from, to)));
    }

    fn place(&self, chain: u64, what: u8) -> Option<u64> {
        self.places.borrow().get(&(chain, what)).copied()
    }

    fn set_place(&self, chain: u64, what: u8, place: u64) {
        self.places.borrow_mut().insert((chain, what), place);
    }

    fn window(&self) -> usize {
        self.window
    }

    fn whole(&self) -> u64 {
        self.whole
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn only_what_is_missing_is_asked_for() {
        let mut pieces = Pieces::new(10);
        pieces.feed(2, b"cde");
        assert_eq!(pieces.get(2, 3), Ok(&b"cde"[..]));
        let missing = |start, len| Err(Halt::Missing(vec![Want { start, len }]));
        assert_eq!(pieces.get(3, 5), missing(5, 3));
        assert_eq!(pieces.get(0, 3), missing(0, 3));
        assert!(matches!(pieces.get(8, 3), Err(Halt::Broken(_))));
        assert!(matches!(pieces.get(u64::MAX, 3), Err(Halt::Broken(_))));
        pieces.feed(5, b"fgh");
        assert_eq!(pieces.get(2, 6), Ok(&b"cdefgh"[..]));
    }

    #[test]
    fn what_cannot_be_in_the_file_is_dropped() {
        let mut pieces = Pieces::new(10);
        for at in [10, 11, u64::MAX - 2, u64::MAX] {
            pieces.feed(at, b"xyz");
        }
        assert!(pieces.parts.is_empty());
        pieces.feed(8, b"xyz");
        assert_eq!(pieces.parts[&8], b"xy");
    }

    #[test]
    fn what_is_kept_is_what_is_of_use() {
        let file: Vec<u8> = (0..20_000u32).map(|n| (n % 251) as u8).collect();
        let mut pieces = Pieces::new(20_000);
        pieces.feed(0, &file);
        pieces.keep_only(vec![(15_000, 1000), (3000, 2000), (4000, 500)]);
        assert_eq!(pieces.get(3000, 2000), Ok(&file[3000..5000]));
        assert_eq!(pieces.get(15_000, 1000), Ok(&file[15_000..16_000]));
        assert!([0, 5000, 16_000].iter().all(|at| pieces.get(*at, 100).is_err()));
        assert_eq!(pieces.held(), 3000);
    }

    #[test]
    fn what_is_forgotten_is_missing_again_and_what_lies_around_it_stays() {
        let file: Vec<u8> = (0..10_000u32).map(|n| (n % 251) as u8).collect();
        for (at, len) in [(0, 3000), (100, 5000), (7000, 3000), (0, 10_000), (9000, 5000), (100, 10)] {
            let mut pieces = Pieces::new(10_000);
            pieces.feed(0, &file[..6000]);
            pieces.feed(6500, &file[6500..]);
            pieces.forget(at, len);
            let forgotten = len >= 2048;
            for probe in (0..9_900u64).step_by(50) {
                let known = probe + 50 <= 6000 || probe >= 6500;
                let within = forgotten && probe + 50 > at && probe < at + len;
                let got = pieces.get(probe, 50);
                assert_eq!(got.is_ok(), known && !within, "{at} {len} {probe}");
                if let Ok(bytes) = got {
                    assert_eq!(bytes, &file[probe as usize..probe as usize + 50]);
                }
            }
            pieces.feed(0, &file);
            assert_eq!(pieces.get(0, 10_000), Ok(&file[..]));
        }
    }

    proptest! {
        #[test]
        fn pieces_in_any_order_make_the_file(cuts in proptest::collection::vec((0usize..64, 1usize..20), 0..40)) {
            let file: Vec<u8> = (0..80).collect();
            let mut pieces = Pieces::new(80);
            let mut known = [false; 80];
            for (at, len) in cuts {
                let end = (at + len).min(80);
                pieces.feed(at as u64, &file[at..end]);
                known[at..end].fill(true);
            }
            for at in 0..80usize {
                for len in 1..=80 - at {
                    let all = known[at..at + len].iter().all(|k| *k);
                    let got = pieces.get(at as u64, len);
                    prop_assert_eq!(got.is_ok(), all);
                    if let Ok(bytes) = got {
                        prop_assert_eq!(bytes, &file[at..at + len]);
                    }
                }
            }
        }
    }
}
