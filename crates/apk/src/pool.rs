//! String pools. Source: `ResStringPool_header` in `ResourceTypes.h`.

use crate::bytes::{u16_at, u32_at};
use crate::pieces::{Halt, Source, broken};

/// The most bytes of a string that are read: labels are short.
const MOST: usize = 16 * 1024;
/// The longest pool that is looked through, in bytes. The names of the framework's resources take some two million.
const MOST_OF_A_POOL: u64 = 6 << 20;
/// How many bytes of a string are asked for before its length is known.
const FIRST: usize = 48;

/// A pool within a source.
pub(crate) struct Pool<'a, S: ?Sized> {
    source: &'a S,
    at: u64,
    head_size: u64,
    end: u64,
    count: u32,
    utf8: bool,
    strings: u64,
}

impl<'a, S: Source + ?Sized> Pool<'a, S> {
    /// The pool at a place.
    pub(crate) fn read(source: &'a S, at: u64) -> Result<Self, Halt> {
        let head = source.get(at, 28)?;
        if u16_at(head, 0) != 1 {
            return Err(broken("string pool", "there is none where one should be"));
        }
        let (head_size, size) = (u64::from(u16_at(head, 2)), u64::from(u32_at(head, 4)));
        let (count, flags) = (u32_at(head, 8), u32_at(head, 16));
        let strings = u64::from(u32_at(head, 20));
        if head_size < 28 || strings > size || size > source.size().saturating_sub(at) {
            return Err(broken("string pool", "its numbers do not fit together"));
        }
        Ok(Self { source, at, head_size, end: at + size, count, utf8: flags & 0x100 != 0, strings })
    }

    /// A string by its number.
    pub(crate) fn get(&self, n: u32) -> Result<String, Halt> {
        if n >= self.count {
            return Err(broken("string pool", "it has fewer strings than that"));
        }
        let offset = u64::from(self.source.u32(self.at + self.head_size + 4 * u64::from(n))?);
        let at = self.at + self.strings + offset;
        if at >= self.end {
            return Err(broken("string pool", "a string lies beyond its end"));
        }
        let head = self.source.get_some(at, 1, FIRST, self.end)?;
        if self.utf8 { self.utf8(at, head) } else { self.utf16(at, head) }
    }

    /// Where some strings stand: for each that is found its place among `wanted`, and its number here. All of the pool is read.
    pub(crate) fn places_of(&self, wanted: &[&str]) -> Result<Vec<(usize, u32)>, Halt> {
        let size = self.end - self.at;
        let whole = usize::try_from(size).ok().filter(|_| size <= MOST_OF_A_POOL);
        let whole = whole.ok_or_else(|| broken("string pool", "it is too long to be looked through"))?;
        let own = Pool::read(self.source.get(self.at, whole)?, 0)?;
        let place = |n: u32| {
            let text = own.get(n).ok()?;
            wanted.iter().position(|wanted| *wanted == text).map(|place| (place, n))
        };
        Ok((0..own.count).filter_map(place).take(wanted.len()).collect())
    }

    /// Two lengths, characters and bytes, each in one byte or two; then the bytes.
    fn utf8(&self, at: u64, head: &[u8]) -> Result<String, Halt> {
        let length = |from: usize| match head.get(from) {
            Some(first) if first & 0x80 != 0 => {
                head.get(from + 1).map(|second| (usize::from(first & 0x7f) << 8 | usize::from(*second), from + 2))
            }
            Some(first) => Some((usize::from(*first), from + 1)),
            None => None,
        };
        let cut = || broken("string pool", "a string runs past its end");
        let (_, next) = length(0).ok_or_else(cut)?;
        let (bytes, next) = length(next).ok_or_else(cut)?;
        let text = self.text(at, next, bytes)?;
        Ok(String::from_utf8_lossy(text).into_owned())
    }

    /// The length in two bytes or four, then as many pairs of bytes.
    fn utf16(&self, at: u64, head: &[u8]) -> Result<String, Halt> {
        let first = u16_at(head, 0);
        let (units, next) = match first & 0x8000 {
            0 => (usize::from(first), 2),
            _ => ((usize::from(first & 0x7fff) << 16) | usize::from(u16_at(head, 2)), 4),
        };
        let text = self.text(at, next, units.saturating_mul(2))?;
        let units: Vec<u16> = text.chunks_exact(2).map(|b| u16::from_le_bytes([b[0], b[1]])).collect();
        Ok(String::from_utf16_lossy(&units))
    }

    fn text(&self, at: u64, skip: usize, len: usize) -> Result<&'a [u8], Halt> {
        if len > MOST {
            return Err(broken("string pool", "a string is longer than 16 KiB"));
        }
        if at + (skip + len) as u64 > self.end {
            return Err(broken("string pool", "a string runs past its end"));
        }
        self.source.get(at, skip + len).map(|b| &b[skip..])
    }
}
