//! Binary XML. Source: `ResXMLTree_*` in `ResourceTypes.h`.

use std::collections::HashMap;
use std::sync::Arc;

use crate::bytes::{u16_at, u32_at};
use crate::pieces::{ApkError, Halt};
use crate::pool::Pool;

/// The most bytes of strings that are read of a document. No honest one has more: its strings are in it, once each.
const MOST_TEXT: usize = 8 << 20;

/// The value of an attribute.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// A text. The same one everywhere where the document has the same string.
    Text(Arc<str>),
    /// The id of a resource.
    Reference(u32),
    /// A whole number.
    Number(u32),
    /// Yes or no.
    Bool(bool),
    /// Something else.
    Other,
}

impl Value {
    /// The text, if it is one.
    pub fn text(&self) -> Option<&str> {
        match self {
            Self::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The number, if it is one; some tools write numbers as text.
    pub fn number(&self) -> Option<u32> {
        match self {
            Self::Number(n) => Some(*n),
            Self::Text(text) => text.trim().parse().ok(),
            _ => None,
        }
    }

    /// The truth, if it is one.
    pub fn truth(&self) -> Option<bool> {
        match self {
            Self::Bool(yes) => Some(*yes),
            Self::Text(text) => text.trim().parse().ok(),
            Self::Number(n) => Some(*n != 0),
            _ => None,
        }
    }

    /// A value of a table or an attribute by its type. `text` looks up a string.
    pub(crate) fn of(kind: u8, data: u32, text: impl FnOnce(u32) -> Result<Arc<str>, Halt>) -> Result<Self, Halt> {
        Ok(match kind {
            0x01 | 0x07 => Self::Reference(data),
            0x03 => Self::Text(text(data)?),
            0x10 | 0x11 => Self::Number(data),
            0x12 => Self::Bool(data != 0),
            _ => Self::Other,
        })
    }
}

/// An attribute.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attribute {
    /// The resource id of the name, 0 for a name that has none.
    pub id: u32,
    /// The name; some tools leave those with an id empty.
    pub name: Arc<str>,
    /// The value.
    pub value: Value,
}

/// A part of a document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// An element begins.
    Start {
        /// Its name, without a namespace.
        name: Arc<str>,
        /// Its attributes.
        attributes: Vec<Attribute>,
    },
    /// The element that began last ends.
    End,
}

/// Reads a document from end to end.
pub struct XmlReader<'a> {
    bytes: &'a [u8],
    pool: Option<Pool<'a, [u8]>>,
    ids: Vec<u32>,
    at: usize,
    /// Strings that were read, by their number: an element of a few bytes may name a string of many.
    texts: HashMap<u32, Arc<str>>,
    /// How many bytes of strings may still be read.
    room: usize,
}

impl std::fmt::Debug for XmlReader<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("XmlReader").field("at", &self.at).finish_non_exhaustive()
    }
}

fn error(rule: &'static str) -> ApkError {
    ApkError { part: "binary XML", rule }
}

impl<'a> XmlReader<'a> {
    /// Begins with the bytes of a document.
    ///
    /// # Errors
    /// When they are none.
    pub fn new(bytes: &'a [u8]) -> Result<Self, ApkError> {
        let head_size = usize::from(u16_at(bytes, 2));
        // Android looks at the type only from version 9 on, and some writers put another there.
        if bytes.len() < 8 || head_size < 8 || head_size > bytes.len() {
            return Err(error("it has no head"));
        }
        Ok(Self { bytes, pool: None, ids: Vec::new(), at: head_size, texts: HashMap::new(), room: MOST_TEXT })
    }

    /// The next part; `None` at the end.
    ///
    /// # Errors
    /// When it breaks a rule. Nothing can be read behind that.
    pub fn next_event(&mut self) -> Result<Option<Event>, ApkError> {
        while self.at + 8 <= self.bytes.len() {
            let at = self.at;
            let (kind, head, size) =
                (u16_at(self.bytes, at), usize::from(u16_at(self.bytes, at + 2)), u32_at(self.bytes, at + 4) as usize);
            let end = at.checked_add(size).filter(|end| *end <= self.bytes.len());
            let end = end.ok_or_else(|| error("a chunk runs past its end"))?;
            if size < 8 || head < 8 || head > size {
                return Err(error("a chunk is shorter than its head"));
            }
            self.at = end;
            match kind {
                0x0001 if self.pool.is_none() => {
                    self.pool = Some(Pool::read(self.bytes, at as u64).map_err(plain)?);
                }
                0x0180 => self.ids = self.bytes[at + head..end].chunks_exact(4).map(|b| u32_at(b, 0)).collect(),
                0x0102 => return self.start(at + head, end).map(Some),
                0x0103 => return Ok(Some(Event::End)),
                _ => {}
            }
        }
        Ok(None)
    }

    fn start(&mut self, at: usize, end: usize) -> Result<Event, ApkError> {
        let bytes = self.bytes;
        let body = &bytes[at..end];
        if body.len() < 20 {
            return Err(error("an element is cut"));
        }
        let name = self.text(u32_at(body, 4))?;
        let (first, size, count) = (usize::from(u16_at(body, 8)), usize::from(u16_at(body, 10)), u16_at(body, 12));
        if count > 0 && size < 20 {
            return Err(error("an attribute is too short"));
        }
        let mut attributes = Vec::new();
        for n in 0..usize::from(count) {
            let from = first + n * size;
            let attribute = body.get(from..from + 20).ok_or_else(|| error("an attribute runs past its element"))?;
            let name = u32_at(attribute, 4);
            let id = self.ids.get(name as usize).copied().unwrap_or(0);
            let data = u32_at(attribute, 16);
            let value = Value::of(attribute[15], data, |n| self.text(n).map_err(Halt::Broken)).map_err(plain)?;
            attributes.push(Attribute { id, name: self.text(name).unwrap_or_else(|_| Arc::from("")), value });
        }
        Ok(Event::Start { name, attributes })
    }

    fn text(&mut self, n: u32) -> Result<Arc<str>, ApkError> {
        if let Some(text) = self.texts.get(&n) {
            return Ok(text.clone());
        }
        let pool = self.pool.as_ref().ok_or_else(|| error("a name comes before the string pool"))?;
        let text: Arc<str> = pool.get(n).map_err(plain)?.into();
        self.room = self.room.checked_sub(text.len()).ok_or_else(|| error("its strings are longer than 8 MiB"))?;
        self.texts.insert(n, text.clone());
        Ok(text)
    }
}

/// A slice has everything: nothing can be missing.
fn plain(halt: Halt) -> ApkError {
    match halt {
        Halt::Broken(error) => error,
        Halt::Missing(_) => error("it is cut"),
    }
}
