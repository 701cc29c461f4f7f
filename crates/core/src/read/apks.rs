//! Reading the APKs of a device side by side: which ranges of which files come next, and what they say in the end.
//!
//! A machine without input or output. It says which [`RangeJob`]s it wants next, is given what came for them, and so on until
//! it wants nothing more. A file with its label in a part of its own, or in the framework, leads to another file. So many
//! files are being read at a time that a round is worth its while, and so much is asked for that what is held of all of
//! them stays small: of large apps the list of entries alone may have a megabyte.

use std::collections::{BTreeMap, HashMap, VecDeque};

use wibbet_apk::{ApkError, ApkFacts, ApkReader, ComponentKind, Question, Step, Text, WalkedChunk, Want};
use wibbet_types::{DevicePath, Locale, PackageId, PlainText};

use super::ranges::{ChunkHead, RangeJob};
use crate::package::{ApkFingerprint, AppFacts, HomeEntry, Inventory, label_text};

/// Where the framework's own texts are.
const FRAMEWORK: &str = "/system/framework/framework-res.apk";

/// Files that are being read at a time. A round with more of them takes several commands anyway.
const MOST_AT_ONCE: usize = 128;

/// What is held of all files together is kept below this, in bytes; a single one may take more.
const MOST_HELD: usize = 2 << 20;

/// A file that has not led to its label after so many rounds is left alone.
const MOST_ROUNDS: usize = 400;

/// A device that is asked for more than this by one file is being led astray, in bytes.
const MOST_OF_A_FILE: u64 = 64 << 20;

/// Length in bytes (modulo 2³²) and time of a file; `None` where it could not be looked at.
pub type Looked = Option<(u32, u32)>;

/// What came for a job: bytes of a range, or the heads of a chain.
pub type RangeAnswer = (Option<Vec<u8>>, Vec<ChunkHead>);

/// A file that is being read, and for whom.
#[derive(Debug)]
pub struct ApkWork {
    id: PackageId,
    mark: ApkFingerprint,
    path: DevicePath,
    size: u64,
    reader: ApkReader,
    aim: Aim,
    rounds: usize,
    asked: u64,
    /// What was wanted last: a reader that asks for the same twice is stuck.
    former: Vec<Want>,
}

impl ApkWork {
    /// The file.
    pub fn path(&self) -> &DevicePath {
        &self.path
    }

    /// Its length in bytes, modulo 2³².
    pub fn size(&self) -> u64 {
        self.size
    }
}

/// What a file is read for.
#[derive(Debug)]
enum Aim {
    /// The package's own facts.
    Base,
    /// The label in a language that the base does not have.
    Split(Box<AppFacts>),
    /// A text of the framework.
    Framework(Box<AppFacts>),
}

/// What has become of the files.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ApkCounts {
    /// Those whose facts were known already.
    pub known: usize,
    /// Those that were read.
    pub read: usize,
    /// Those that could not be.
    pub failed: usize,
}

/// A job that is on its way, and for which file.
#[derive(Debug)]
struct Asked {
    file: usize,
    want: Want,
    /// It is followed on the device.
    chain: bool,
}

/// Reads the APKs of a device side by side.
#[derive(Debug, Default)]
pub struct ApkReading {
    wanted: Vec<Locale>,
    /// Parts with languages that are wanted: path and length, by package.
    splits: HashMap<PackageId, (DevicePath, u64)>,
    framework: Option<u64>,
    waiting: VecDeque<ApkWork>,
    /// Those that want something, and what, which has not been asked for yet.
    wanting: Vec<(ApkWork, Vec<Want>)>,
    /// Those that something was asked for.
    going: Vec<ApkWork>,
    asked: Vec<Asked>,
    /// What has become of the files so far.
    pub counts: ApkCounts,
    /// What has become known since it was last taken.
    pub fresh: BTreeMap<PackageId, AppFacts>,
    /// What is worth remembering: the file, the package, the facts.
    pub to_note: Vec<(ApkFingerprint, String, AppFacts)>,
    /// Lengths of the files that could be looked at, by path, parts included.
    pub files: BTreeMap<String, u64>,
}

/// The files that matter, in the order in which they are to be looked at.
#[derive(Debug)]
pub struct ApkPaths<'a> {
    inventory: &'a Inventory,
    bases: Vec<(PackageId, DevicePath)>,
    /// Parts: of which package, and whether it has the language that is wanted most.
    parts: Vec<(PackageId, bool)>,
    /// All of them, the framework's file last.
    pub all: Vec<DevicePath>,
}

impl<'a> ApkPaths<'a> {
    /// The files of all packages, for some languages.
    pub fn of(inventory: &'a Inventory, wanted: &[Locale]) -> Self {
        let mut paths = Self { inventory, bases: Vec::new(), parts: Vec::new(), all: Vec::new() };
        for package in inventory.packages.values() {
            if let Some(path) = &package.apk {
                paths.bases.push((package.id.clone(), path.clone()));
                paths.all.push(path.clone());
            }
        }
        let language = wanted.first().map_or("", Locale::language);
        for package in inventory.packages.values().filter(|p| p.apk.is_some()) {
            for split in &package.about.splits {
                if let Some(path) = package.split_path(split) {
                    // A part with a language is named by it.
                    paths.parts.push((package.id.clone(), split.rsplit('.').next() == Some(language)));
                    paths.all.push(path);
                }
            }
        }
        paths.all.extend(FRAMEWORK.parse::<DevicePath>());
        paths
    }
}

impl ApkReading {
    /// Begins with what looking at the files gave, in their order. What is known of a file as it lies there is taken.
    pub fn begin(
        paths: &ApkPaths<'_>,
        looked: &[Looked],
        known: &HashMap<ApkFingerprint, AppFacts>,
        wanted: &[Locale],
    ) -> Self {
        let mut reading = Self { wanted: wanted.to_vec(), ..Self::default() };
        let at = |n: usize| looked.get(n).copied().flatten();
        for (n, path) in paths.all.iter().enumerate() {
            if let Some((size, _)) = at(n) {
                reading.files.insert(path.to_string(), u64::from(size));
            }
        }
        for (n, (id, is_wanted)) in paths.parts.iter().enumerate() {
            let n = paths.bases.len() + n;
            if let (true, Some((size, _)), Some(path)) = (*is_wanted, at(n), paths.all.get(n)) {
                reading.splits.insert(id.clone(), (path.clone(), u64::from(size)));
            }
        }
        reading.framework = at(paths.all.len().saturating_sub(1)).map(|(size, _)| u64::from(size));
        for (n, (id, path)) in paths.bases.iter().enumerate() {
            let Some((size, time)) = at(n) else {
                let trouble = Some(PlainText::new("the device does not let its file be looked at"));
                reading.fresh.insert(id.clone(), AppFacts { trouble, ..AppFacts::default() });
                continue;
            };
            let version = paths.inventory.packages.get(id).and_then(|p| p.about.version_code).unwrap_or(0);
            let mark = ApkFingerprint { path: path.to_string(), size, time, version };
            match known.get(&mark) {
                Some(facts) => {
                    reading.counts.known += 1;
                    reading.fresh.insert(id.clone(), facts.clone());
                }
                None => {
                    let work = reading.work(id, mark, path.clone(), u64::from(size), Question::Label, Aim::Base);
                    reading.waiting.push_back(work);
                }
            }
        }
        reading
    }

    fn work(
        &self,
        id: &PackageId,
        mark: ApkFingerprint,
        path: DevicePath,
        size: u64,
        question: Question,
        aim: Aim,
    ) -> ApkWork {
        let reader = ApkReader::new(size, question, self.wanted.clone());
        ApkWork { id: id.clone(), mark, path, size, reader, aim, rounds: 0, asked: 0, former: Vec::new() }
    }

    /// A file that is going to be read, to try tools on; `None` where there is none, or none that is long enough.
    pub fn sample(&self) -> Option<&ApkWork> {
        self.waiting.iter().find(|work| work.size >= 64)
    }

    /// What is wanted next: ranges, and chains where those can be followed on the device (`walks`), which then stand behind
    /// the ranges. Nothing when all is known.
    pub fn next_round(&mut self, walks: bool) -> (Vec<RangeJob>, Vec<RangeJob>) {
        for work in std::mem::take(&mut self.going) {
            let wanting = self.step(work);
            self.wanting.extend(wanting);
        }
        let mut held: usize = self.wanting.iter().map(|(work, _)| work.reader.held()).sum();
        while self.wanting.len() < MOST_AT_ONCE
            && held < MOST_HELD
            && let Some(work) = self.waiting.pop_front()
        {
            let wanting = self.step(work);
            self.wanting.extend(wanting);
        }
        let (mut ranges, mut chains) = (Vec::new(), Vec::new());
        for (work, wants) in std::mem::take(&mut self.wanting) {
            let size: usize = wants.iter().map(|want| want.len).sum();
            if held.saturating_add(size) > MOST_HELD && !self.going.is_empty() {
                self.wanting.push((work, wants));
                continue;
            }
            held = held.saturating_add(size);
            let file = self.going.len();
            for want in wants {
                let path = work.path.clone();
                match want.walk.filter(|_| walks) {
                    Some(walk) => {
                        let job = RangeJob::Chain(path, walk.start, walk.end, walk.type_id);
                        chains.push((Asked { file, want, chain: true }, job));
                    }
                    None => {
                        let job = RangeJob::Range(path, work.size, want.start, want.len as u64);
                        ranges.push((Asked { file, want, chain: false }, job));
                    }
                }
            }
            self.going.push(work);
        }
        let (asked, ranges): (Vec<_>, Vec<_>) = ranges.into_iter().unzip();
        let (more, chains): (Vec<_>, Vec<_>) = chains.into_iter().unzip();
        self.asked = asked.into_iter().chain(more).collect();
        (ranges, chains)
    }

    /// What a file wants next. What it leads to is begun in the same round; `None` when its package is done.
    fn step(&mut self, mut one: ApkWork) -> Option<(ApkWork, Vec<Want>)> {
        loop {
            match one.reader.step() {
                Step::Done(answer) => one = self.finish(one, answer)?,
                Step::Wants(wants) => {
                    one.rounds += 1;
                    one.asked += wants.iter().map(|w| w.len as u64).sum::<u64>();
                    if wants == one.former || one.rounds > MOST_ROUNDS || one.asked > MOST_OF_A_FILE {
                        self.give_up(one, "the device did not give what was asked for, or too much was needed");
                        return None;
                    }
                    one.former.clone_from(&wants);
                    return Some((one, wants));
                }
            }
        }
    }

    /// Takes what came for the last round, ranges first, in their order.
    pub fn feed(&mut self, answers: impl IntoIterator<Item = RangeAnswer>) {
        for (asked, (bytes, heads)) in std::mem::take(&mut self.asked).into_iter().zip(answers) {
            let Some(work) = self.going.get_mut(asked.file) else { continue };
            match (asked.want.walk.filter(|_| asked.chain), bytes) {
                (Some(walk), _) => {
                    let chunk = |head: ChunkHead| WalkedChunk { at: head.at, head: head.head };
                    work.reader.feed_walk(&walk, heads.into_iter().map(chunk).collect());
                }
                (None, Some(bytes)) => work.reader.feed(asked.want.start, &bytes),
                (None, None) => {}
            }
        }
    }

    /// The next file, where files can be read only whole. What came of it goes to [`ApkReading::whole`] or
    /// [`ApkReading::give_up`].
    pub fn next_whole(&mut self) -> Option<ApkWork> {
        self.waiting.pop_front()
    }

    /// A file came whole.
    pub fn whole(&mut self, mut work: ApkWork, bytes: &[u8]) {
        work.reader.feed(0, bytes);
        match work.reader.step() {
            Step::Done(answer) => drop(self.finish(work, answer)),
            Step::Wants(_) => self.give_up(work, "its file changed while it was read"),
        }
    }

    /// A file cannot be read, for this reason.
    pub fn give_up(&mut self, work: ApkWork, why: &str) {
        let mut facts = match work.aim {
            Aim::Base => AppFacts::default(),
            Aim::Split(facts) | Aim::Framework(facts) => *facts,
        };
        if facts.label.is_none() {
            facts.trouble = Some(PlainText::new(why));
            self.counts.failed += 1;
        }
        // Not remembered: the next time it may go better.
        self.fresh.insert(work.id, facts);
    }

    /// Takes what a file told. Another one is read for the same package where the label is in that.
    fn finish(&mut self, work: ApkWork, answer: Result<Box<ApkFacts>, ApkError>) -> Option<ApkWork> {
        let ApkWork { id, mark, aim, .. } = work;
        let facts = match (aim, answer) {
            (Aim::Base, Ok(found)) => {
                let facts = AppFacts::of(&found);
                if let (Some(resource), Some(size)) = (found.framework, self.framework)
                    && let Ok(path) = FRAMEWORK.parse::<DevicePath>()
                {
                    let question = Question::Resource(resource);
                    let aim = Aim::Framework(Box::new(facts));
                    return Some(self.work(&id, mark, path, size, question, aim));
                }
                // The part with the owner's language is asked where the base has no text in it.
                let fits = |text: &Text| self.wanted.first().is_some_and(|w| text.locale.serves(w) >= 3);
                if let Some(text) = found.label.as_ref().filter(|t| !fits(t))
                    && let (Some(resource), Some((path, size))) = (text.resource, self.splits.get(&id))
                {
                    let question = Question::Resource(resource);
                    let aim = Aim::Split(Box::new(facts));
                    return Some(self.work(&id, mark, path.clone(), *size, question, aim));
                }
                facts
            }
            (Aim::Base, Err(error)) => {
                let trouble = Some(PlainText::new(&error.to_string()));
                AppFacts { trouble, ..AppFacts::default() }
            }
            (Aim::Split(facts) | Aim::Framework(facts), answer) => {
                let mut facts = *facts;
                match answer.ok().and_then(|f| f.label) {
                    Some(text) => {
                        let former = facts.label.take();
                        let own = label_text(&text.text);
                        // Home screen entries that had the same text have it in this language too.
                        facts.home.iter_mut().filter(|h| h.label == former).for_each(|h| h.label = Some(own.clone()));
                        facts.label = Some(own);
                        facts.locale = text.locale;
                    }
                    None if facts.label.is_none() => {
                        facts.trouble = Some(PlainText::new("its label is a text of the framework that is not there"));
                    }
                    None => {}
                }
                facts
            }
        };
        match facts.label.is_some() {
            true => self.counts.read += 1,
            false => self.counts.failed += 1,
        }
        self.to_note.push((mark, id.to_string(), facts.clone()));
        self.fresh.insert(id, facts);
        None
    }
}

impl AppFacts {
    /// What an APK says, fit to be shown.
    pub fn of(found: &ApkFacts) -> Self {
        let manifest = &found.manifest;
        let mut parts = [0; 4];
        for component in &manifest.components {
            let n = match component.kind {
                ComponentKind::Activity | ComponentKind::Alias => 0,
                ComponentKind::Service => 1,
                ComponentKind::Receiver => 2,
                ComponentKind::Provider => 3,
            };
            parts[n] += 1;
        }
        Self {
            label: found.label.as_ref().map(|t| label_text(&t.text)).filter(|t| !t.as_str().is_empty()),
            locale: found.label.as_ref().map(|t| t.locale.clone()).unwrap_or_default(),
            home: found
                .launchers
                .iter()
                .map(|l| HomeEntry {
                    class: PlainText::new(&l.name),
                    label: l.label.as_ref().map(|t| label_text(&t.text)).filter(|t| !t.as_str().is_empty()),
                })
                .collect(),
            parts,
            overlay_of: manifest.overlay_target.as_ref().and_then(|t| t.parse().ok()),
            libraries: {
                let needed = manifest.libraries.iter().filter(|l| l.required && !l.offered);
                needed.map(|l| PlainText::new(&l.name)).collect()
            },
            trouble: match (&found.trouble, &found.label, &manifest.label) {
                (Some(error), ..) => Some(PlainText::new(&error.to_string())),
                (None, None, None) => Some(PlainText::new("its manifest names no label")),
                _ => None,
            },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::{Package, PackageKind};
    use crate::testing;

    /// A device with so many packages, each in a file of its own.
    fn inventory(count: usize) -> Inventory {
        let package = |n: usize| {
            let bare =
                testing::package(&format!("com.ostrel.part{n:04}"), PackageKind::System, "", &[(0, testing::IN_USE)]);
            Package { apk: format!("/product/app/Part{n}/Part{n}.apk").parse().ok(), ..bare }
        };
        testing::inventory(&[], (0..count).map(package))
    }

    fn english() -> Vec<Locale> {
        vec![Locale::new("en", "", "US")]
    }

    /// Begins to read, every file being 5,000 bytes long.
    fn begin(count: usize, known: &HashMap<ApkFingerprint, AppFacts>) -> ApkReading {
        begin_with(count, 5_000, known)
    }

    fn begin_with(count: usize, size: u32, known: &HashMap<ApkFingerprint, AppFacts>) -> ApkReading {
        let inventory = inventory(count);
        let paths = ApkPaths::of(&inventory, &english());
        assert_eq!(paths.all.len(), count + 1, "and the framework's file");
        let looked: Vec<Looked> = (0..=count).map(|n| Some((size, n as u32))).collect();
        ApkReading::begin(&paths, &looked, known, &english())
    }

    #[test]
    fn files_that_cannot_be_looked_at_and_those_that_are_known_are_done_at_once() {
        let path = "/product/app/Part1/Part1.apk".to_owned();
        let known = ApkFingerprint { path, size: 5_000, time: 1, version: 0 };
        let facts = AppFacts { label: Some("One".into()), ..AppFacts::default() };
        let memory = HashMap::from([(known.clone(), facts.clone()), (ApkFingerprint { time: 9, ..known }, facts)]);
        let inventory = inventory(3);
        let paths = ApkPaths::of(&inventory, &english());
        let reading = ApkReading::begin(&paths, &[None, Some((5_000, 1)), Some((5_000, 2))], &memory, &english());
        let done: Vec<&str> = reading.fresh.keys().map(|id| id.as_str()).collect();
        assert_eq!(done, ["com.ostrel.part0000", "com.ostrel.part0001"], "the third has another time");
        assert!(reading.fresh.values().next().unwrap().trouble.is_some());
        assert_eq!((reading.counts.known, reading.waiting.len(), reading.files.len()), (1, 1, 2));
        // A list that is too short is no more than that.
        let reading = ApkReading::begin(&paths, &[], &memory, &english());
        assert_eq!(reading.fresh.len(), 3);
    }

    #[test]
    fn a_device_that_gives_nothing_is_not_asked_for_ever() {
        let mut reading = begin(3, &HashMap::new());
        let mut rounds = 0;
        loop {
            let (ranges, chains) = reading.next_round(true);
            if ranges.is_empty() && chains.is_empty() {
                break;
            }
            rounds += 1;
            reading.feed(ranges.iter().chain(&chains).map(|_| (None, Vec::new())));
        }
        assert_eq!((rounds, reading.counts.failed, reading.fresh.len()), (1, 3, 3));
        assert!(reading.to_note.is_empty(), "the next time it may go better");
    }

    #[test]
    fn what_is_no_apk_says_so_and_nothing_is_read_twice() {
        let mut reading = begin(2, &HashMap::new());
        let (ranges, _) = reading.next_round(true);
        // The end of the file, which is not one.
        assert!(matches!(&ranges[..], [RangeJob::Range(_, 5_000, 4_978, 22), RangeJob::Range(..)]), "{ranges:?}");
        reading.feed(ranges.iter().map(|_| (Some(vec![7; 22]), Vec::new())));
        let mut seen = 0;
        loop {
            let (ranges, chains) = reading.next_round(true);
            seen += ranges.len();
            if ranges.is_empty() && chains.is_empty() {
                break;
            }
            let bytes = |job: &RangeJob| match job {
                RangeJob::Range(_, _, _, len) => Some(vec![7; *len as usize]),
                RangeJob::Chain(..) => None,
            };
            reading.feed(ranges.iter().map(|job| (bytes(job), Vec::new())));
        }
        assert!(seen <= 4, "{seen}");
        let trouble = reading.fresh.values().map(|facts| facts.trouble.as_ref().unwrap().as_str());
        assert!(trouble.into_iter().all(|why| why.contains("it is no ZIP file")));
    }

    #[test]
    fn so_many_at_a_time_and_in_the_end_all() {
        let mut reading = begin(MOST_AT_ONCE + 40, &HashMap::new());
        let (ranges, _) = reading.next_round(false);
        assert_eq!(ranges.len(), MOST_AT_ONCE);
        reading.feed(ranges.iter().map(|_| (None, Vec::new())));
        // Those are given up, and the others begun in their place.
        assert_eq!(reading.next_round(false).0.len(), 40);
        reading.feed((0..40).map(|_| (None, Vec::new())));
        assert!(reading.next_round(false).0.is_empty());
        assert_eq!(reading.fresh.len(), MOST_AT_ONCE + 40);
    }

    #[test]
    fn what_is_held_of_all_files_together_stays_below_a_limit() {
        let (count, megabyte) = (40usize, 1u32 << 20);
        let mut reading = begin_with(count, 3 * megabyte, &HashMap::new());
        let (ranges, _) = reading.next_round(false);
        assert_eq!(ranges.len(), count, "their ends come in one round");
        // Each says that its list of entries takes a megabyte, right before the end record.
        let start = 3 * megabyte - 22 - megabyte;
        let end = [&b"PK\x05\x06\0\0\0\0\x01\0\x01\0"[..], &megabyte.to_le_bytes(), &start.to_le_bytes(), &[0, 0]];
        reading.feed(ranges.iter().map(|_| (Some(end.concat()), Vec::new())));
        let mut seen = 0;
        loop {
            let (ranges, _) = reading.next_round(false);
            if ranges.is_empty() {
                break;
            }
            let lengths = ranges.iter().map(|job| match job {
                RangeJob::Range(_, _, _, len) => *len as usize,
                RangeJob::Chain(..) => 0,
            });
            assert!(lengths.clone().sum::<usize>() <= MOST_HELD, "{ranges:?}");
            seen += ranges.len();
            let answers: Vec<RangeAnswer> = lengths.map(|len| (Some(vec![0; len]), Vec::new())).collect();
            reading.feed(answers);
        }
        assert_eq!((seen, reading.fresh.len()), (count, count), "none was forgotten, none asked for twice");
    }
}
