//! Looking up a text in a resource table. Source: `ResTable_*` in `ResourceTypes.h`.

use wibbet_types::Locale;

use crate::bytes::{u16_at, u32_at};
use crate::config::Config;
use crate::pieces::{Halt, Source, broken};
use crate::pool::Pool;
use crate::xml::Value;

/// References to references are followed so far.
const LONGEST_CHAIN: usize = 10;
/// How much of a chunk's head is needed, in bytes: up to the end of the configuration's variant.
const CHUNK_HEAD: usize = 68;
/// Chunks that are followed; a table has hundreds.
const MOST_CHUNKS: usize = 20_000;
/// Packages of a table whose names are looked through. There is one, or a few of the same id.
const MOST_PACKAGES: usize = 4;
/// The longest chunk of values that is looked through, in bytes. The framework's has some hundred thousand.
const MOST_OF_A_CHUNK: usize = 2 << 20;
/// Candidates whose entries are asked for at once.
const AT_ONCE: usize = 2;

/// A text and where it was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Text {
    /// The text as it is in the file: it may hold anything.
    pub text: String,
    /// The language that it is for; empty for none in particular.
    pub locale: Locale,
    /// The resource it came from, the last one where references were followed; `None` for a text in the manifest.
    pub resource: Option<u32>,
}

/// What a reference leads to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Found {
    Text(Text),
    /// A resource of the framework, to be looked up in its own APK.
    Framework(u32),
}

/// A table within a file.
pub(crate) struct Table<'a, S: ?Sized> {
    pub(crate) source: &'a S,
    pub(crate) at: u64,
    pub(crate) size: u64,
}

/// What is looked for among the chunks of a type.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wanted {
    /// Whatever may have the best value of an entry.
    Entry(u16),
    /// What is for all devices and languages.
    Plain,
}

/// A chunk with values of a type for a configuration.
#[derive(Clone)]
struct Values {
    at: u64,
    size: u64,
    head_size: u64,
    flags: u8,
    count: u32,
    entries: u64,
    config: Config,
}

impl<S: Source + ?Sized> Table<'_, S> {
    fn end(&self) -> u64 {
        self.at + self.size
    }

    /// The text of a resource in the best configuration for some languages, first the most wanted.
    pub(crate) fn text(&self, id: u32, wanted: &[Locale]) -> Result<Found, Halt> {
        let mut id = id;
        for _ in 0..LONGEST_CHAIN {
            if id >> 24 == 1 && self.packages()?.iter().all(|(_, package)| *package != 1) {
                return Ok(Found::Framework(id));
            }
            let (value, locale) = self.value(id, wanted)?;
            match value {
                Value::Text(text) => {
                    return Ok(Found::Text(Text { text: text.to_string(), locale, resource: Some(id) }));
                }
                Value::Reference(0) => return Err(broken("resource table", "the label is a reference to nothing")),
                Value::Reference(next) => id = next,
                Value::Number(n) => {
                    return Ok(Found::Text(Text { text: n.to_string(), locale, resource: Some(id) }));
                }
                Value::Bool(_) | Value::Other => return Err(broken("resource table", "the label is no text")),
            }
        }
        Err(broken("resource table", "references go round in circles"))
    }

    /// The texts that have some names, for no language or device in particular; what the table does not have is left out. The names
    /// of all resources of the table have to be looked through for it.
    pub(crate) fn named(&self, names: &[&str]) -> Result<Vec<(String, String)>, Halt> {
        let (pool, packages) = self.parts()?;
        let mut found = Vec::new();
        for (at, _) in packages.into_iter().take(MOST_PACKAGES) {
            let head = self.source.get_some(at, 288, 288, self.end()).or_else(|halt| match halt {
                // Older tools write a shorter one.
                Halt::Broken(_) => self.source.get_some(at, 284, 284, self.end()),
                halt => Err(halt),
            })?;
            let size = u64::from(u32_at(head, 4));
            let (types, keys) = (u64::from(u32_at(head, 268)), u64::from(u32_at(head, 276)));
            let shift = if u16_at(head, 2) >= 288 { u32_at(head, 284) } else { 0 };
            if types == 0 || keys == 0 || types >= size || keys >= size || size > self.end() - at {
                continue;
            }
            let Some(place) = Pool::read(self.source, at + types)?.places_of(&["string"])?.first().copied() else {
                continue;
            };
            let type_id = place.1.wrapping_add(shift).wrapping_add(1) as u8;
            let wanted = Pool::read(self.source, at + keys)?.places_of(names)?;
            if wanted.is_empty() {
                continue;
            }
            let plain = |values: &Values| values.config.locale.is_empty() && values.config.conditions == 0;
            for values in self.values_of(at, type_id, Wanted::Plain)?.iter().filter(|values| plain(values)) {
                found.extend(self.named_in(values, &wanted, names, pool)?);
            }
        }
        Ok(found)
    }

    /// The texts of a chunk whose names stand at some places.
    fn named_in(
        &self,
        values: &Values,
        wanted: &[(usize, u32)],
        names: &[&str],
        pool: u64,
    ) -> Result<Vec<(String, String)>, Halt> {
        // All of it: which entry has which name is told by the entry itself.
        let size = usize::try_from(values.size).ok().filter(|size| *size <= MOST_OF_A_CHUNK);
        let size = size.ok_or_else(|| broken("resource table", "a chunk of values is too long"))?;
        let end = values.at + values.size;
        let bytes = self.source.get(values.at, size)?;
        let (table, here) = (Table { source: bytes, at: 0, size: values.size }, Values { at: 0, ..values.clone() });
        let mut found = Vec::new();
        let count = u16::try_from(values.count.min(0xffff)).unwrap_or(u16::MAX);
        for entry in 0..count {
            let Ok(Some(at)) = table.entry_place(&here, entry) else { continue };
            let head = usize::try_from(at).ok().and_then(|at| bytes.get(at..at.checked_add(8)?));
            let Some(head) = head else { continue };
            let key = if u16_at(head, 2) & 8 != 0 { u32::from(u16_at(head, 0)) } else { u32_at(head, 4) };
            let Some(name) = wanted.iter().find(|(_, own)| *own == key).and_then(|(n, _)| names.get(*n)) else {
                continue;
            };
            match self.entry(values.at + at, end, pool) {
                Ok(Value::Text(text)) => found.push(((*name).to_owned(), text.to_string())),
                Err(Halt::Missing(wants)) => return Err(Halt::Missing(wants)),
                _ => {}
            }
        }
        Ok(found)
    }

    /// The string pool and the packages, by place and id.
    fn packages(&self) -> Result<Vec<(u64, u8)>, Halt> {
        Ok(self.parts()?.1)
    }

    fn parts(&self) -> Result<(u64, Vec<(u64, u8)>), Halt> {
        let rule = |rule| broken("resource table", rule);
        // The head, and behind it mostly that of the string pool.
        let head = self.source.get_some(self.at, 12, 40, self.end())?;
        if u16_at(head, 0) != 2 {
            return Err(rule("there is none"));
        }
        let (head_size, count) = (u64::from(u16_at(head, 2)), u32_at(head, 8));
        let mut pool = None;
        let mut packages = Vec::new();
        let mut at = self.at + head_size.max(12);
        for _ in 0..64 {
            if at + 8 > self.end() {
                break;
            }
            let head = self.source.get_some(at, 8, 28, self.end())?;
            let (kind, size) = (u16_at(head, 0), u64::from(u32_at(head, 4)));
            if size < 8 || at + size > self.end() {
                return Err(rule("a part runs past its end"));
            }
            match kind {
                0x0001 => drop(pool.get_or_insert(at)),
                0x0200 => packages.push((at, (u32_at(head, 8) & 0xff) as u8)),
                _ => {}
            }
            if packages.len() as u64 >= u64::from(count.max(1)) && pool.is_some() {
                break;
            }
            at += size;
        }
        Ok((pool.ok_or_else(|| rule("it has no strings"))?, packages))
    }

    fn value(&self, id: u32, wanted: &[Locale]) -> Result<(Value, Locale), Halt> {
        let (pool, packages) = self.parts()?;
        let (package, type_id, entry) = ((id >> 24) as u8, (id >> 16 & 0xff) as u8, (id & 0xffff) as u16);
        // References that are written for a library name no package of their own.
        let package = if package == 0 { 0x7f } else { package };
        let mut all = Vec::new();
        let mut found_package = false;
        for (at, own) in packages {
            if own == package || (own == 0 && package == 0x7f) {
                found_package = true;
                all.extend(self.values_of(at, type_id, Wanted::Entry(entry))?);
            }
        }
        if !found_package {
            return Err(broken("resource table", "it has no such package"));
        }
        all.retain(|values| !values.config.locale.is_pseudo());
        let best = |values: &Values| {
            let serves = wanted.iter().enumerate().map(|(n, want)| (values.config.locale.serves(want), n));
            let (serves, n) =
                serves.filter(|(s, _)| *s > 1).min_by_key(|(s, n)| (*n, 9 - s)).unwrap_or((1, usize::MAX));
            let none = values.config.locale.is_empty();
            // What suits a wanted language, the first wanted one first; then what is for none in particular; then
            // anything. Within these, the one with the fewest conditions.
            (n, 9 - serves, !none, values.config.conditions)
        };
        all.sort_by_key(best);
        let mut rest = &all[..];
        while !rest.is_empty() {
            let (now, later) = rest.split_at(rest.len().min(AT_ONCE));
            for place in Halt::gather(now.iter().map(|v| self.entry_place(v, entry)).collect())?.into_iter().zip(now) {
                if let (Ok(Some(at)), values) = place {
                    let value = self.entry(at, values.at + values.size, pool)?;
                    return Ok((value, values.config.locale.clone()));
                }
            }
            rest = later;
        }
        Err(broken("resource table", "it has no such entry"))
    }

    /// The chunks of a type in a package that may have the best value.
    fn values_of(&self, package: u64, type_id: u8, wanted: Wanted) -> Result<Vec<Values>, Halt> {
        let rule = |rule| broken("resource table", rule);
        let head = self.source.get_some(package, 12, 288, self.end())?;
        let (head_size, size) = (u64::from(u16_at(head, 2)), u64::from(u32_at(head, 4)));
        let end = package + size;
        if head_size < 12 || head_size > size || end > self.end() {
            return Err(rule("a package runs past its end"));
        }
        // In parts of a package that was split the types are counted from elsewhere.
        let shift = if head_size >= 288 { u32_at(head, 284) } else { 0 };
        let type_id = u8::try_from(u32::from(type_id).wrapping_sub(shift)).unwrap_or(type_id);
        let (types, keys) = (u64::from(u32_at(head, 268)), u64::from(u32_at(head, 276)));
        let start = if head_size >= 284 && keys > types && keys < size { package + keys } else { package + head_size };
        let mut values = Vec::new();
        let mut localised = true;
        let mut take = |at: u64, head: &[u8]| -> Result<bool, Halt> {
            match u16_at(head, 0) {
                0x0202 => {
                    let count = u32_at(head, 12);
                    if let Wanted::Entry(entry) = wanted
                        && u32::from(entry) < count
                    {
                        let flags = u64::from(u16_at(head, 2)) + 4 * u64::from(entry);
                        localised = self.source.u32(at + flags)? & 0x4 != 0;
                    }
                    Ok(true)
                }
                _ => {
                    let chunk = Values::read(at, head)?;
                    let plain = chunk.config.locale.is_empty() && chunk.config.conditions == 0;
                    values.push(chunk);
                    // Without translations the first that is for all devices is as good as any. With them all have to be
                    // seen: they are sorted by the last letter of their region first.
                    Ok(!plain || (localised && wanted != Wanted::Plain))
                }
            }
        };
        let (mut at, mut seen) = (self.seek(start, end, type_id)?, false);
        let mut former = 0;
        for _ in 0..MOST_CHUNKS {
            if at + 8 > end {
                break;
            }
            let known = self.source.get_some(at, 8, CHUNK_HEAD, end);
            let head = known.or_else(|halt| match halt {
                Halt::Missing(_) if end - at <= self.source.whole() => {
                    self.source.get_some(at, 8, usize::try_from(end - at).unwrap_or(usize::MAX), end)
                }
                // Those behind it are wanted next, if they are not far.
                Halt::Missing(_) if former < self.source.window() as u64 / 2 => {
                    self.source.get_some(at, 8, self.source.window().max(CHUNK_HEAD), end)
                }
                halt => Err(halt),
            });
            let head = head.inspect_err(|_| self.source.passed(start, end, at))?;
            let (kind, size) = (u16_at(head, 0), u64::from(u32_at(head, 4)));
            if size < 8 || at + size > end {
                return Err(rule("a chunk runs past its end"));
            }
            if matches!(kind, 0x0201 | 0x0202) {
                let same = head.get(8) == Some(&type_id);
                if !same && seen {
                    break;
                }
                seen |= same;
                if same && !take(at, head)? {
                    break;
                }
            }
            (at, former) = (at + size, size);
        }
        Ok(values)
    }

    /// A chunk that stands before those of a type, and not far before them: chunks stand in the order of their types, so the place
    /// is halved in again and again. Where a chunk begins is told by the one before it only; in the middle of a long list it is
    /// where a head leads to another one. `start` where that is quick to follow, or nothing certain is found.
    fn seek(&self, start: u64, end: u64, type_id: u8) -> Result<u64, Halt> {
        /// What is looked at of a place. Of longer chunks two heads do not stand within it.
        const LOOK: usize = 24 << 10;
        if let Some(place) = self.source.place(start, type_id) {
            return Ok(place);
        }
        let (mut low, mut high) = (start, end);
        while high - low > (4 * LOOK as u64).max(self.source.whole()) {
            let middle = low + (high - low) / 8 * 4;
            let mut chunk = first_chunk(self.source.get_some(middle, 24, LOOK, end)?);
            if chunk.is_none() {
                chunk = first_chunk(self.source.get_some(middle, 24, 3 * LOOK, end)?);
            }
            match chunk {
                Some((at, id)) if id < type_id => low = middle + at as u64,
                Some(_) => high = middle,
                None => break,
            }
        }
        self.source.set_place(start, type_id, low);
        Ok(low)
    }

    /// Where an entry is within a chunk; `None` where the chunk does not have it.
    fn entry_place(&self, values: &Values, entry: u16) -> Result<Option<u64>, Halt> {
        let (sparse, short) = (values.flags & 1 != 0, values.flags & 2 != 0);
        let offsets = values.at + values.head_size;
        let end = values.at + values.size;
        if values.entries > values.size {
            return Err(broken("resource table", "entries lie beyond their chunk"));
        }
        // The place and what is there lie in one chunk.
        let all = usize::try_from(values.size).ok().filter(|_| values.size <= self.source.whole() / 2);
        if let Some(size) = all {
            self.source.get_some(values.at, 0, size, end)?;
        }
        let offset = if sparse {
            let count = usize::try_from(values.count).unwrap_or(usize::MAX).min(0x1_0000);
            let all = self.source.get_some(offsets, count * 4, count * 4, end)?;
            match all.chunks_exact(4).find(|pair| u16_at(pair, 0) == entry) {
                Some(pair) => u64::from(u16_at(pair, 2)) * 4,
                None => return Ok(None),
            }
        } else if u32::from(entry) >= values.count {
            return Ok(None);
        } else if short {
            match u16_at(self.source.get_some(offsets + 2 * u64::from(entry), 2, 2, end)?, 0) {
                0xffff => return Ok(None),
                n => u64::from(n) * 4,
            }
        } else {
            match u32_at(self.source.get_some(offsets + 4 * u64::from(entry), 4, 4, end)?, 0) {
                0xffff_ffff => return Ok(None),
                n => u64::from(n),
            }
        };
        Ok(Some(values.at + values.entries + offset))
    }

    fn entry(&self, at: u64, end: u64, pool: u64) -> Result<Value, Halt> {
        let bytes = self.source.get_some(at, 8, 16, end)?;
        let (size, flags) = (u16_at(bytes, 0), u16_at(bytes, 2));
        let (kind, data) = if flags & 8 != 0 {
            ((flags >> 8) as u8, u32_at(bytes, 4))
        } else if flags & 1 != 0 {
            return Err(broken("resource table", "the label is no single value"));
        } else {
            let value_at = usize::from(size.max(8));
            let bytes = self.source.get_some(at, value_at + 8, value_at + 8, end)?;
            (bytes[value_at + 3], u32_at(bytes, value_at + 4))
        };
        Value::of(kind, data, |n| Ok(Pool::read(self.source, pool)?.get(n)?.into()))
    }
}

/// The first chunk that certainly begins within some bytes, and its type: two heads in a row, the second where the first says that
/// it ends, of types that do not fall, each with entries where a list of so many ends.
fn first_chunk(bytes: &[u8]) -> Option<(usize, u8)> {
    const IN_A_ROW: usize = 2;
    let head = |at: usize| {
        let head = bytes.get(at..at + 20)?;
        let (kind, own, size, id) = (u16_at(head, 0), u16_at(head, 2), u32_at(head, 4), head[8]);
        let (count, entries) = (u64::from(u32_at(head, 12)), u64::from(u32_at(head, 16)));
        let list = if head[9] & 2 == 0 { count * 4 } else { (count * 2).next_multiple_of(4) };
        let fits = match kind {
            0x0201 => (0x20..=0x80).contains(&own) && head[9] <= 3 && entries == u64::from(own) + list,
            0x0202 => own == 16 && u64::from(size) == 16 + count * 4,
            _ => false,
        };
        let fits = fits && u16_at(head, 10) == 0;
        let size = usize::try_from(size).ok()?;
        (fits && own % 4 == 0 && size % 4 == 0 && size >= usize::from(own) && id > 0).then_some((size, id))
    };
    (0..bytes.len()).step_by(4).find_map(|at| {
        let (_, first) = head(at)?;
        let (mut next, mut former) = (at, first);
        for _ in 0..IN_A_ROW {
            let (size, id) = head(next)?;
            if id < former {
                return None;
            }
            (next, former) = (next.checked_add(size)?, id);
        }
        Some((at, first))
    })
}

impl Values {
    fn read(at: u64, head: &[u8]) -> Result<Self, Halt> {
        let head_size = u64::from(u16_at(head, 2));
        let size = u64::from(u32_at(head, 4));
        if head_size < 24 || head_size > size {
            return Err(broken("resource table", "a chunk of values has no head"));
        }
        Ok(Self {
            at,
            size,
            head_size,
            flags: head.get(9).copied().unwrap_or(0),
            count: u32_at(head, 12),
            entries: u64::from(u32_at(head, 16)),
            config: Config::read(head.get(20..).unwrap_or(&[])),
        })
    }
}
