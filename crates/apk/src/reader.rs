//! Reading an APK as a machine that asks for ranges.

use std::sync::Arc;

use wibbet_types::Locale;

use crate::manifest::{Manifest, read_manifest};
use crate::pieces::{ApkError, Halt, Pieces, Source, Unpacked, Want};
use crate::table::{Found, Table, Text};
use crate::xml::Value;
use crate::zip::{Directory, Entry, read_directory};

/// The table's local header, with what is mostly behind it: padding, the table's head and that of its strings.
const TABLE_BEGIN: usize = 8 + 40;
/// The longest manifest that is read, in bytes as it is before packing. The longest ones known have one or two million.
const MOST_MANIFEST: u64 = 4 << 20;
/// The longest packed table that is inflated. Unpacked ones are read in pieces, and may be of any length.
const MOST_TABLE: u64 = 16 << 20;
/// At most this many launcher labels are looked up.
const MOST_LAUNCHERS: usize = 16;

/// How much is asked for at a time. Each range costs the device a program that it starts, which takes as long as so many bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stride {
    /// A resource table up to this long is read whole, in bytes.
    pub whole: usize,
    /// While a chain of chunks is followed, so much is read at a time, in bytes.
    pub window: usize,
}

impl Stride {
    /// The least.
    pub const SHORT: Self = Self { whole: 0, window: 0 };
}

/// The least of a chain that is looked at at a time, in bytes.
const LEAST_WINDOW: usize = 1024;

/// Rounds behind which a chain is followed in larger and larger strides, so that its length does not count for more than its
/// logarithm; where ranges are to be short, and where each costs more than its bytes.
const MANY_ROUNDS: u32 = 24;
const FEW_ROUNDS: u32 = 4;

/// What is to be found out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Question {
    /// What the manifest says, and the labels.
    Label,
    /// The text of one resource, in a split.
    Resource(u32),
    /// The texts of several, in the framework's APK.
    Resources(Vec<u32>),
    /// The texts that have some names, whatever their ids, for no language in particular: of the framework, or of what is laid over
    /// it.
    Named(&'static [&'static str]),
}

/// An entry of the home screen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Launcher {
    /// The class.
    pub name: Arc<str>,
    /// Its own label.
    pub label: Option<Text>,
}

/// What was found out.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ApkFacts {
    /// The manifest; empty where one resource was asked for.
    pub manifest: Arc<Manifest>,
    /// The application's label, or the text that was asked for.
    pub label: Option<Text>,
    /// The label is a resource of the framework, to be looked up in its APK.
    pub framework: Option<u32>,
    /// The texts of several resources, in the order in which they were asked for.
    pub texts: Vec<Option<Text>>,
    /// Of texts that were asked for by name those that are there, each with its name.
    pub named: Vec<(String, String)>,
    /// The entries of the home screen.
    pub launchers: Vec<Launcher>,
    /// Why there is no label although the manifest names one.
    pub trouble: Option<ApkError>,
}

/// What comes next.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// These ranges are needed.
    Wants(Vec<Want>),
    /// It is known now, or cannot be.
    Done(Result<Box<ApkFacts>, ApkError>),
}

/// Reads one APK.
#[derive(Debug)]
pub struct ApkReader {
    pieces: Pieces,
    question: Question,
    wanted: Vec<Locale>,
    directory: Option<Directory>,
    manifest: Option<Arc<Manifest>>,
    stride: Stride,
    rounds: u32,
}

impl ApkReader {
    /// Begins with a file of `size` bytes. Labels are looked up in the first of `wanted` that the file has.
    pub fn new(size: u64, question: Question, wanted: Vec<Locale>, stride: Stride) -> Self {
        let mut pieces = Pieces::new(size);
        (pieces.whole, pieces.window) = (stride.whole as u64, stride.window.max(LEAST_WINDOW));
        Self { pieces, question, wanted, directory: None, manifest: None, stride, rounds: 0 }
    }

    /// Asks the same file something else. What is known of it still is.
    pub fn ask(&mut self, question: Question) {
        (self.question, self.rounds) = (question, 0);
    }

    /// Takes bytes that were wanted.
    pub fn feed(&mut self, at: u64, bytes: &[u8]) {
        self.pieces.feed(at, bytes);
    }

    /// How many bytes of the file are held.
    pub fn held(&self) -> usize {
        self.pieces.held()
    }

    /// What comes next.
    pub fn step(&mut self) -> Step {
        match self.read() {
            Ok(facts) => Step::Done(Ok(Box::new(facts))),
            Err(Halt::Broken(error)) => Step::Done(Err(error)),
            Err(Halt::Missing(wants)) => {
                self.rounds += 1;
                self.pieces.forget_what_was_passed();
                let few = if self.stride.window > LEAST_WINDOW { FEW_ROUNDS } else { MANY_ROUNDS };
                let doubled = (self.rounds / few).min(12);
                self.pieces.window = (self.stride.window.max(LEAST_WINDOW) << doubled).min(1 << 20);
                Step::Wants(wants)
            }
        }
    }

    fn read(&mut self) -> Result<ApkFacts, Halt> {
        let directory = match self.directory {
            Some(directory) => directory,
            None => {
                let directory = *self.directory.insert(read_directory(&self.pieces)?);
                // Large apps have thousands of entries, of which two are of use.
                self.pieces.keep_only(directory.of_use().collect());
                directory
            }
        };
        if let Question::Resources(ids) = &self.question {
            let found = self.texts(&directory, ids)?.into_iter().map(|found| match found {
                Ok(Found::Text(text)) => Some(text),
                _ => None,
            });
            return Ok(ApkFacts { texts: found.collect(), ..ApkFacts::default() });
        }
        if let Question::Named(names) = self.question {
            let named = self.with_table(&directory, |table| table.named(names))?.map_err(Halt::Broken)?;
            return Ok(ApkFacts { named, ..ApkFacts::default() });
        }
        if let Question::Resource(id) = self.question {
            let found = self.texts(&directory, &[id])?.pop();
            return match found {
                Some(Ok(Found::Text(text))) => Ok(ApkFacts { label: Some(text), ..ApkFacts::default() }),
                Some(Ok(Found::Framework(id))) => Ok(ApkFacts { framework: Some(id), ..ApkFacts::default() }),
                Some(Err(error)) => Err(Halt::Broken(error)),
                None => Err(Halt::Broken(ApkError { part: "resource table", rule: "it has no such entry" })),
            };
        }
        if self.manifest.is_none() {
            let entry = directory.manifest.ok_or(ApkError { part: "file", rule: "it has no manifest: it is no APK" });
            let entry = entry.map_err(Halt::Broken)?;
            // Nearly always the table is needed too: its beginning comes in the same round.
            let table = directory.table.map(|t| t.place(&self.pieces, self.begin(&t))).unwrap_or(Ok((0, 0)));
            let both = vec![entry.read(&self.pieces, MOST_MANIFEST).map(Some), table.map(|_| None)];
            let mut both = Halt::gather(both)?;
            let bytes = both.swap_remove(0).map_err(Halt::Broken)?.unwrap_or_default();
            self.manifest = Some(Arc::new(read_manifest(&bytes).map_err(Halt::Broken)?));
            if let Ok((at, packed)) = entry.place(&self.pieces, 0) {
                self.pieces.forget(at, packed);
            }
        }
        let manifest = self.manifest.clone().unwrap_or_default();
        self.facts(&directory, manifest)
    }

    fn facts(&self, directory: &Directory, manifest: Arc<Manifest>) -> Result<ApkFacts, Halt> {
        let launchers: Vec<(Arc<str>, Option<Value>)> = manifest
            .components
            .iter()
            .filter(|c| c.is_launcher())
            .take(MOST_LAUNCHERS)
            .map(|c| (c.name.clone(), c.label.clone()))
            .collect();
        let mut ids: Vec<u32> = Vec::new();
        for value in launchers.iter().map(|(_, label)| label).chain([&manifest.label]) {
            if let Some(Value::Reference(id)) = value
                && !ids.contains(id)
            {
                ids.push(*id);
            }
        }
        let texts = if ids.is_empty() { Vec::new() } else { self.texts(directory, &ids)? };
        let found: Vec<(u32, Result<Found, ApkError>)> = ids.into_iter().zip(texts).collect();
        let look_up = |value: &Option<Value>| match value {
            Some(Value::Text(text)) => {
                Some(Ok(Found::Text(Text { text: text.to_string(), locale: Locale::default(), resource: None })))
            }
            Some(Value::Reference(id)) => found.iter().find(|(own, _)| own == id).map(|(_, text)| text.clone()),
            _ => None,
        };
        let text = |found: Option<Result<Found, ApkError>>| match found {
            Some(Ok(Found::Text(text))) => Some(text),
            _ => None,
        };
        let mut facts = ApkFacts { launchers: Vec::new(), ..ApkFacts::default() };
        match look_up(&manifest.label) {
            Some(Ok(Found::Framework(id))) => facts.framework = Some(id),
            Some(Err(error)) => facts.trouble = Some(error),
            other => facts.label = text(other),
        }
        facts.launchers = launchers
            .iter()
            .map(|(name, label)| Launcher { name: name.clone(), label: text(look_up(label)) })
            .collect();
        facts.manifest = manifest;
        Ok(facts)
    }

    /// How much of a table comes with its local header: all of a short one.
    fn begin(&self, table: &Entry) -> usize {
        let short = usize::try_from(table.packed()).ok().filter(|len| *len <= self.stride.whole);
        short.unwrap_or(0).saturating_add(8).max(TABLE_BEGIN)
    }

    /// The texts of some resources. What is missing for any of them is asked for together.
    fn texts(&self, directory: &Directory, ids: &[u32]) -> Result<Vec<Result<Found, ApkError>>, Halt> {
        let all = self.with_table(directory, |table| {
            Halt::gather(ids.iter().map(|id| table.text(*id, &self.wanted)).collect())
        })?;
        Ok(all.unwrap_or_else(|error| ids.iter().map(|_| Err(error.clone())).collect()))
    }

    /// Does something with the resource table; the inner error where there is none that can be read.
    fn with_table<T>(
        &self,
        directory: &Directory,
        read: impl FnOnce(&Table<'_, dyn Source>) -> Result<T, Halt>,
    ) -> Result<Result<T, ApkError>, Halt> {
        let none = ApkError { part: "file", rule: "it has no resource table" };
        let Some(entry) = directory.table else { return Ok(Err(none)) };
        if !entry.is_stored() {
            // Compressed: there is no way around all of it.
            let bytes = match entry.read(&self.pieces, MOST_TABLE) {
                Err(Halt::Broken(error)) => return Ok(Err(error)),
                other => other?,
            };
            let bytes = Unpacked(bytes);
            let table = Table { source: &bytes as &dyn Source, at: 0, size: bytes.size() };
            return read(&table).map(Ok);
        }
        let (at, size) = match entry.place(&self.pieces, self.begin(&entry)) {
            Err(Halt::Broken(error)) => return Ok(Err(error)),
            other => other?,
        };
        let size = size.min(self.pieces.size().saturating_sub(at));
        read(&Table { source: &self.pieces as &dyn Source, at, size }).map(Ok)
    }
}
