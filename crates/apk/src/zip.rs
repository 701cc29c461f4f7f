//! Finding an entry of a ZIP file by ranges. Source: the ZIP application note (APPNOTE 6.3).

use std::io::Read as _;

use crate::bytes::{u16_at, u32_at, u64_at};
use crate::pieces::{Halt, Source, broken};

/// The end record without its comment.
const END: usize = 22;
/// The longest central directory that is read, in bytes.
const MOST_DIRECTORY: u64 = 16 << 20;

/// An entry that is of use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Entry {
    method: u16,
    packed: u64,
    unpacked: u64,
    /// Where its local header is.
    local: u64,
    name_len: u16,
}

/// The entries that lead to a label.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Directory {
    pub(crate) manifest: Option<Entry>,
    pub(crate) table: Option<Entry>,
    /// Where it lies itself, and how long it is.
    pub(crate) at: u64,
    pub(crate) size: u64,
}

/// Finds the end record and reads the central directory.
pub(crate) fn read_directory<S: Source + ?Sized>(file: &S) -> Result<Directory, Halt> {
    let (end_at, end) = find_end(file)?;
    let mut offset = u64::from(u32_at(&end, 16));
    let mut size = u64::from(u32_at(&end, 12));
    let mut count = u64::from(u16_at(&end, 10));
    let mut behind = end_at;
    if (offset == 0xffff_ffff || size == 0xffff_ffff || count == 0xffff) && end_at >= 20 {
        let locator = file.get(end_at - 20, 20)?;
        if u32_at(locator, 0) == 0x0706_4b50 {
            let at = u64_at(locator, 8);
            let big = file.get(at, 56)?;
            if u32_at(big, 0) != 0x0606_4b50 {
                return Err(broken("end record", "the one for large files is missing"));
            }
            (count, size, offset) = (u64_at(big, 32), u64_at(big, 40), u64_at(big, 48));
            behind = at;
        }
    }
    if size > MOST_DIRECTORY {
        return Err(broken("central directory", "it is longer than 32 MiB"));
    }
    if size == 0 {
        return Err(broken("central directory", "it is empty"));
    }
    let shift = place_shift(file, offset, size, behind)?;
    let at = offset.checked_add(shift).ok_or_else(|| broken("central directory", "it lies beyond the end"))?;
    let bytes = file.get(at, usize::try_from(size).unwrap_or(usize::MAX))?;
    Ok(Directory { at, size, ..read_entries(bytes, count, shift)? })
}

/// The end record: mostly the last 22 bytes, else before a comment.
fn find_end<S: Source + ?Sized>(file: &S) -> Result<(u64, [u8; END]), Halt> {
    let size = file.size();
    let last = size.checked_sub(END as u64).ok_or_else(|| broken("file", "it is too short for a ZIP"))?;
    let is_end = |b: &[u8]| u32_at(b, 0) == 0x0605_4b50;
    let own = |b: &[u8]| b.first_chunk::<END>().copied().ok_or_else(|| broken("end record", "it is cut"));
    let bytes = file.get(last, END)?;
    if is_end(bytes) && u16_at(bytes, 20) == 0 {
        return Ok((last, own(bytes)?));
    }
    // Comments are short where there are any; as long as they may be they are looked for last.
    for reach in [1024, END as u64 + 0xffff] {
        let from = size.saturating_sub(reach);
        let tail = file.get(from, usize::try_from(size - from).unwrap_or(usize::MAX))?;
        let found: Vec<usize> =
            (0..tail.len().saturating_sub(END - 1)).rev().filter(|at| is_end(&tail[*at..])).collect();
        let fits = |at: &&usize| **at + END + usize::from(u16_at(&tail[**at..], 20)) == tail.len();
        if let Some(at) = found.iter().find(fits).or_else(|| found.first()) {
            return Ok((from + *at as u64, own(&tail[*at..])?));
        }
    }
    Err(broken("end record", "there is none: it is no ZIP file, or cut"))
}

/// How far everything is moved by something that stands before the ZIP. Some files have something between central
/// directory and end record instead, so both are tried.
fn place_shift<S: Source + ?Sized>(file: &S, offset: u64, size: u64, behind: u64) -> Result<u64, Halt> {
    let ends = offset.checked_add(size).filter(|end| *end <= behind);
    let ends = ends.ok_or_else(|| broken("central directory", "it lies beyond the end record"))?;
    if ends == behind {
        return Ok(0);
    }
    let is_entry = |at: u64| file.u32(at).map(|n| n == 0x0201_4b50);
    if is_entry(offset)? {
        return Ok(0);
    }
    if is_entry(behind - size)? {
        return Ok(behind - size - offset);
    }
    Err(broken("central directory", "it is not where the end record says"))
}

fn read_entries(bytes: &[u8], count: u64, shift: u64) -> Result<Directory, Halt> {
    let mut found = Directory { manifest: None, table: None, at: 0, size: 0 };
    let mut at = 0;
    let mut seen = 0u64;
    while at + 46 <= bytes.len() && u32_at(bytes, at) == 0x0201_4b50 {
        let (name_len, extra_len, comment_len) =
            (u16_at(bytes, at + 28), u16_at(bytes, at + 30), u16_at(bytes, at + 32));
        let name = bytes.get(at + 46..at + 46 + usize::from(name_len));
        let extra_at = at + 46 + usize::from(name_len);
        let extra = bytes.get(extra_at..extra_at + usize::from(extra_len)).unwrap_or(&[]);
        let slot = match name {
            Some(b"AndroidManifest.xml") => Some(&mut found.manifest),
            Some(b"resources.arsc") => Some(&mut found.table),
            Some(_) => None,
            None => return Err(broken("central directory", "an entry runs past its end")),
        };
        // The first one of a name counts.
        if let Some(slot) = slot.filter(|s| s.is_none()) {
            let mut entry = Entry {
                method: u16_at(bytes, at + 10),
                packed: u64::from(u32_at(bytes, at + 20)),
                unpacked: u64::from(u32_at(bytes, at + 24)),
                local: u64::from(u32_at(bytes, at + 42)),
                name_len,
            };
            large_numbers(&mut entry, extra);
            entry.local = entry.local.saturating_add(shift);
            *slot = Some(entry);
        }
        at = extra_at + usize::from(extra_len) + usize::from(comment_len);
        seen += 1;
    }
    if seen == 0 || (count != 0 && seen < count && count < 0xffff && at < bytes.len()) {
        return Err(broken("central directory", "an entry is not one"));
    }
    Ok(found)
}

/// The extra field for numbers that do not fit into 32 bits: those that are all ones, in order.
fn large_numbers(entry: &mut Entry, mut extra: &[u8]) {
    while extra.len() >= 4 {
        let (id, len) = (u16_at(extra, 0), usize::from(u16_at(extra, 2)));
        let Some(field) = extra.get(4..4 + len) else { return };
        if id == 1 {
            let mut at = 0;
            for number in [&mut entry.unpacked, &mut entry.packed, &mut entry.local] {
                if *number == 0xffff_ffff && at + 8 <= field.len() {
                    *number = u64_at(field, at);
                    at += 8;
                }
            }
            return;
        }
        extra = &extra[4 + len..];
    }
}

impl Directory {
    /// The ranges of the file that lead to a label, each with what may stand between header and bytes.
    pub(crate) fn of_use(&self) -> impl Iterator<Item = (u64, u64)> {
        /// Padding in front of what is not packed.
        const PADDING: u64 = 0x1_0000;
        let range = |entry: Entry| (entry.local, entry.packed.saturating_add(PADDING));
        [self.manifest, self.table].into_iter().flatten().map(range)
    }
}

impl Entry {
    /// How many bytes of the file are its own.
    pub(crate) fn packed(&self) -> u64 {
        self.packed
    }

    /// Whether its bytes lie in the file as they are.
    pub(crate) fn is_stored(&self) -> bool {
        // Odd numbers are seen where the writer meant "stored".
        self.method == 0 || (self.method != 8 && self.packed == self.unpacked)
    }

    /// Where its bytes begin, and how many there are. `more` bytes of them are asked for together with the header.
    pub(crate) fn place<S: Source + ?Sized>(&self, file: &S, more: usize) -> Result<(u64, u64), Halt> {
        let wish = 30 + usize::from(self.name_len) + more;
        let head = file.get_some(self.local, 30, wish, file.size())?;
        if u32_at(head, 0) != 0x0403_4b50 {
            return Err(broken("local header", "it is not where the central directory says"));
        }
        let behind = 30 + u64::from(u16_at(head, 26)) + u64::from(u16_at(head, 28));
        let at = self.local + behind;
        if at.checked_add(self.packed).is_none_or(|end| end > file.size()) {
            return Err(broken("entry", "it runs past the end of the file"));
        }
        Ok((at, self.packed))
    }

    /// All of its bytes, inflated if needed, where it has no more of them than `most`.
    pub(crate) fn read<S: Source + ?Sized>(&self, file: &S, most: u64) -> Result<Vec<u8>, Halt> {
        if self.packed > most || self.unpacked > most {
            return Err(broken("entry", "it is longer than anything that an app needs there"));
        }
        let packed = usize::try_from(self.packed).unwrap_or(usize::MAX);
        let (at, _) = self.place(file, packed)?;
        let bytes = file.get(at, packed)?;
        if self.is_stored() {
            return Ok(bytes.to_vec());
        }
        // Never more than was promised: a bomb ends here.
        let mut out = Vec::new();
        let limit = self.unpacked.saturating_add(1);
        flate2::read::DeflateDecoder::new(bytes)
            .take(limit)
            .read_to_end(&mut out)
            .map_err(|_| broken("entry", "it cannot be inflated"))?;
        if out.len() as u64 != self.unpacked {
            return Err(broken("entry", "its length is not the one that the directory gives"));
        }
        Ok(out)
    }
}
