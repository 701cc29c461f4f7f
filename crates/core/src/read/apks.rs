//! Reading the APKs of a device side by side: which ranges of which files come next, and what they say in the end.
//!
//! A machine without input or output. It says which [`RangeJob`]s it wants next, is given what came for them, and so on until
//! it wants nothing more. A file with its label in a part of its own, or in the framework, leads to another file. So many
//! files are being read at a time that a round is worth its while, and so much is asked for that what is held of all of
//! them stays small: of large apps the list of entries alone may have a megabyte.

use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::sync::Arc;

use wibbet_apk::{ApkError, ApkFacts, ApkReader, Question, Step, Text, Want};
use wibbet_types::{DevicePath, Locale, PackageId, PlainText};

use super::pace::{FRAMEWORK, Pace};
use super::ranges::{RangeAnswer, RangeJob, RangeTools};
use super::round::{Asked, Round};
use crate::android::named_texts;
use crate::package::{ApkFingerprint, AppFacts, Inventory, label_text};

/// The package that is.
const ANDROID: &str = "android";

/// Why such a label is not told.
const NO_FRAMEWORK: &str = "its label is a text of the framework that is not there";

/// Files that are being read at a time in a lane.
const MOST_AT_ONCE: usize = 32;

/// However much is held of others, something is asked for of so many.
const LEAST_AT_ONCE: usize = 2;

/// What is held of all files of a lane together is kept below this, in bytes, or little above it.
const MOST_HELD: usize = 3 << 20;

/// So much is asked for in a round that somebody waits for, in bytes, or little more.
const MOST_IN_A_HURRY: usize = 1 << 20;

/// A file that has not led to its label after so many rounds is left alone.
const MOST_ROUNDS: usize = 400;

/// A device that is asked for more than this by one file is being led astray, in bytes.
const MOST_OF_A_FILE: u64 = 64 << 20;

/// Length in bytes (modulo 2³²) and time of a file; `None` where it could not be looked at.
pub type Looked = Option<(u32, u32)>;

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
    /// What was wanted last: a reader that asks for the same three times is stuck.
    former: Vec<Want>,
    /// What was read of it together with other files did not come.
    alone: bool,
}

impl ApkWork {
    /// Whether it is read for any of these packages.
    fn is_for_any_of(&self, ids: &HashSet<PackageId>) -> bool {
        match &self.aim {
            Aim::Base | Aim::Split(_) => ids.contains(&self.id),
            Aim::Named(..) => false,
            Aim::Framework(all) => all.iter().any(|one| ids.contains(&one.id)),
        }
    }

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
    /// Whom it names for parts of Android; the label is the framework's text of a number, or known.
    Named(Box<AppFacts>, Option<u32>),
    /// The label in a language that the base does not have.
    Split(Box<AppFacts>),
    /// Texts of the framework, for all of these.
    Framework(Vec<OfFramework>),
}

/// A package whose label is a text of the framework.
#[derive(Debug)]
struct OfFramework {
    id: PackageId,
    mark: ApkFingerprint,
    facts: Box<AppFacts>,
    resource: u32,
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

/// A file and what it wants next.
type Wanting = (ApkWork, Vec<Want>);

/// Reads the APKs of a device side by side.
#[derive(Debug, Default)]
pub struct ApkReading {
    wanted: Vec<Locale>,
    pace: Pace,
    /// Parts with languages that are wanted: path and length, by package.
    splits: Arc<HashMap<PackageId, (DevicePath, u64)>>,
    framework: Option<u64>,
    /// Packages that wait for texts of the framework. Its file is long: it is read for all of them together, once.
    of_framework: Vec<OfFramework>,
    /// Whoever has read in it, with what is known of it since.
    framework_reader: Option<ApkReader>,
    /// Those that are asked whom they name when nothing else is left to do.
    naming: Vec<ApkWork>,
    waiting: VecDeque<ApkWork>,
    /// Those that want something, and what, which has not been asked for yet.
    wanting: Vec<Wanting>,
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
        let mut reading = Self::empty(wanted.to_vec(), Pace::default());
        let mut splits = HashMap::new();
        let at = |n: usize| looked.get(n).copied().flatten();
        for (n, path) in paths.all.iter().enumerate() {
            if let Some((size, _)) = at(n) {
                reading.files.insert(path.to_string(), u64::from(size));
            }
        }
        for (n, (id, is_wanted)) in paths.parts.iter().enumerate() {
            let n = paths.bases.len() + n;
            if let (true, Some((size, _)), Some(path)) = (*is_wanted, at(n), paths.all.get(n)) {
                splits.insert(id.clone(), (path.clone(), u64::from(size)));
            }
        }
        reading.splits = Arc::new(splits);
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
        // Long files mostly have long tables, which take many rounds: begun last they would be waited for alone.
        reading.waiting.make_contiguous().sort_by_key(|work| std::cmp::Reverse(work.size));
        reading
    }

    fn empty(wanted: Vec<Locale>, pace: Pace) -> Self {
        Self { wanted, pace, ..Self::default() }
    }

    /// Sets how much is read at a time, before anything is.
    pub fn set_pace(&mut self, pace: Pace) {
        self.pace = pace;
        let wanted = self.wanted.clone();
        for work in &mut self.waiting {
            work.reader = ApkReader::new(work.size, Question::Label, wanted.clone(), pace.stride);
        }
    }

    /// One more reading that goes on beside this one, with nothing to read yet.
    pub fn lane(&self) -> Self {
        Self {
            splits: Arc::clone(&self.splits),
            framework: self.framework,
            ..Self::empty(self.wanted.clone(), self.pace)
        }
    }

    /// The lane that reads in the framework's file: for the package that it is the file of, and for all that have a text of it
    /// for their label.
    pub fn framework_lane(&mut self) -> Self {
        let mut lane = self.lane();
        if let Some(at) = self.waiting.iter().position(|work| work.path.as_str() == FRAMEWORK) {
            lane.waiting.extend(self.waiting.remove(at));
        }
        lane
    }

    /// Gives back what there is no room for in the next round, for others to ask for.
    pub fn give_back(&mut self, pool: &mut Self, first: &HashSet<PackageId>) {
        pool.wanting.extend(self.split_off_what_is_too_much(first, MOST_HELD));
    }

    /// Takes over some of the files that wait in another one, to be read here: so many that `sharers` take all of them. Of those
    /// that somebody waits for (`first`) each has its share before anything else is taken, and nothing else is as long as they
    /// are being read here.
    pub fn take_from(&mut self, pool: &mut Self, sharers: usize, first: &HashSet<PackageId>) {
        // What has been begun goes on first, and of that what somebody waits for.
        pool.wanting.sort_by_key(|(work, _)| !work.is_for_any_of(first));
        let begun = pool.wanting.len().div_ceil(sharers.max(1));
        self.wanting.extend(pool.wanting.drain(..begun));
        self.give_back(pool, first);
        let urgent = pool.waiting.iter().take_while(|work| work.is_for_any_of(first)).count();
        let (share, most) = match urgent {
            0 if self.has_any_of(first) => return,
            0 => (pool.waiting.len().div_ceil(sharers.max(1)), MOST_AT_ONCE),
            _ => (urgent.div_ceil(sharers.max(1)), MOST_AT_ONCE.min(urgent)),
        };
        let here = self.waiting.len() + self.wanting.len() + self.going.len();
        let count = share.min(most.saturating_sub(here)).min(pool.waiting.len());
        // Those that stand together are about as long, and one program reads their ends.
        self.waiting.extend(pool.waiting.drain(..count));
    }

    /// The packages of these come before others.
    pub fn prefer(&mut self, ids: &HashSet<PackageId>) {
        if ids.is_empty() {
            return;
        }
        let (mut first, then): (VecDeque<_>, VecDeque<_>) =
            self.waiting.drain(..).partition(|work| ids.contains(&work.id));
        // Nothing of them has been read yet. The fewer the rounds the sooner they are done.
        for work in first.iter_mut().filter(|work| work.rounds == 0 && matches!(work.aim, Aim::Base)) {
            work.reader = ApkReader::new(work.size, Question::Label, self.wanted.clone(), self.pace.hurried);
        }
        self.waiting = first;
        self.waiting.extend(then);
    }

    /// Whether there is nothing to read here.
    pub fn is_idle(&self) -> bool {
        self.waiting.is_empty() && self.wanting.is_empty() && self.going.is_empty()
    }

    /// Whether any of these packages waits for a text of the framework.
    pub fn has_framework_for(&self, ids: &HashSet<PackageId>) -> bool {
        self.of_framework.iter().any(|one| ids.contains(&one.id))
    }

    /// Whether any file of these packages waits or is being read.
    pub fn has_any_of(&self, ids: &HashSet<PackageId>) -> bool {
        let wanting = self.wanting.iter().map(|(work, _)| work);
        self.waiting.iter().chain(wanting).chain(&self.going).any(|work| work.is_for_any_of(ids))
    }

    /// Begins to look up what packages wait for in the framework's file; false where none does. For one reading of all that go
    /// on side by side, which has done what else it has to: `others` is the one that they were [absorbed](Self::absorb) by.
    pub fn turn_to_framework(&mut self, others: &mut Self) -> bool {
        self.of_framework.append(&mut others.of_framework);
        self.turn_to_own_framework()
    }

    /// The same for one that goes on alone.
    pub fn turn_to_own_framework(&mut self) -> bool {
        let waiting = std::mem::take(&mut self.of_framework);
        let (Some(size), Ok(path)) = (self.framework, FRAMEWORK.parse::<DevicePath>()) else {
            for one in waiting {
                self.leave(one.id, *one.facts, NO_FRAMEWORK);
            }
            return false;
        };
        let Some(first) = waiting.first() else { return false };
        let question = Question::Resources(waiting.iter().map(|one| one.resource).collect());
        let (id, mark) = (first.id.clone(), first.mark.clone());
        // In few rounds: whoever waits for it waits for each of them.
        let mut work = self.work(&id, mark, path, size, Question::Label, Aim::Framework(waiting));
        let fresh = || ApkReader::new(size, Question::Label, self.wanted.clone(), self.pace.hurried);
        work.reader = self.framework_reader.take().unwrap_or_else(fresh);
        work.reader.ask(question);
        self.waiting.push_back(work);
        true
    }

    /// Begins to look up whom the framework, and what is laid over it, names for parts of Android; false where that is done. For the
    /// reading that has read in the framework's file, when nobody waits for anything.
    pub fn turn_to_names(&mut self, others: &mut Self) -> bool {
        self.naming.append(&mut others.naming);
        self.turn_to_own_names()
    }

    /// The same for one that goes on alone.
    pub fn turn_to_own_names(&mut self) -> bool {
        for mut work in std::mem::take(&mut self.naming) {
            if work.path.as_str() == FRAMEWORK
                && let Some(reader) = self.framework_reader.take()
            {
                work.reader = reader;
            }
            work.reader.ask(Question::Named(named_texts()));
            self.waiting.push_back(work);
        }
        !self.waiting.is_empty()
    }

    /// Takes in what has become of other files.
    pub fn absorb(&mut self, lane: &mut Self) {
        self.fresh.append(&mut lane.fresh);
        self.to_note.append(&mut lane.to_note);
        self.of_framework.append(&mut lane.of_framework);
        self.naming.append(&mut lane.naming);
        let counts = std::mem::take(&mut lane.counts);
        self.counts.known += counts.known;
        self.counts.read += counts.read;
        self.counts.failed += counts.failed;
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
        let reader = ApkReader::new(size, question, self.wanted.clone(), self.pace.stride);
        ApkWork { id: id.clone(), mark, path, size, reader, aim, rounds: 0, asked: 0, former: Vec::new(), alone: false }
    }

    /// A file that is going to be read, to try tools on; `None` where there is none, or none that is long enough.
    pub fn sample(&self) -> Option<&ApkWork> {
        self.waiting.iter().find(|work| work.size >= 64)
    }

    /// What is wanted next, about `most` bytes; nothing when all is known. Where somebody waits for some packages (`first`),
    /// nothing else is begun before they are done.
    pub fn next_round(&mut self, tools: RangeTools, first: &HashSet<PackageId>, most: usize) -> Vec<RangeJob> {
        let mut held: usize = self.wanting.iter().map(|(work, _)| work.reader.held()).sum();
        while self.wanting.len() < MOST_AT_ONCE && held < MOST_HELD.min(most) {
            let urgent = self.wanting.iter().filter(|(work, _)| work.is_for_any_of(first)).count();
            let is_first = self.waiting.front().is_some_and(|work| work.is_for_any_of(first));
            if urgent > 0 && !is_first {
                break;
            }
            let Some(work) = self.waiting.pop_front() else { break };
            held = held
                .saturating_add(usize::try_from(self.pace.tail_of(&work.path, work.size).min(work.size)).unwrap_or(0));
            let wanting = self.step(work);
            self.wanting.extend(wanting);
        }
        let mut round = Round::new(self.pace, tools);
        let later = self.split_off_what_is_too_much(first, most);
        for (work, wants) in std::mem::replace(&mut self.wanting, later) {
            round.take(self.going.len(), (&work.path, work.size), work.alone, &wants);
            self.going.push(work);
        }
        let (jobs, asked) = round.jobs().into_iter().unzip();
        self.asked = asked;
        jobs
    }

    /// Takes away what there is no room for in a round of about `most` bytes.
    fn split_off_what_is_too_much(&mut self, first: &HashSet<PackageId>, most: usize) -> Vec<Wanting> {
        self.wanting.sort_by_key(|(work, _)| !work.is_for_any_of(first));
        let somebody_waits = self.wanting.first().is_some_and(|(work, _)| work.is_for_any_of(first));
        let mut held: usize = self.wanting.iter().map(|(work, _)| work.reader.held()).sum();
        let (mut now, mut later, mut asked) = (Vec::new(), Vec::new(), 0usize);
        for (work, wants) in std::mem::take(&mut self.wanting) {
            let size: usize = wants.iter().map(|want| want.len).sum();
            // What somebody waits for comes back sooner without the rest.
            let can_wait = somebody_waits && !work.is_for_any_of(first);
            // One program after the other reads what a command asks for: others can have a part of it read meanwhile.
            let most = if somebody_waits { MOST_IN_A_HURRY } else { most };
            let too_much = asked > 0 && asked.saturating_add(size) > most;
            let full = held.saturating_add(size) > MOST_HELD && now.len() >= LEAST_AT_ONCE;
            if can_wait || too_much || full {
                later.push((work, wants));
                continue;
            }
            (held, asked) = (held.saturating_add(size), asked.saturating_add(size));
            now.push((work, wants));
        }
        self.wanting = now;
        later
    }

    /// What a file wants next. What it leads to is begun in the same round; `None` when its package is done.
    fn step(&mut self, mut one: ApkWork) -> Option<Wanting> {
        loop {
            match one.reader.step() {
                Step::Done(answer) => one = self.finish(one, answer)?,
                Step::Wants(wants) => {
                    one.rounds += 1;
                    one.asked += wants.iter().map(|w| w.len as u64).sum::<u64>();
                    let stuck = wants == one.former;
                    if (stuck && one.alone) || one.rounds > MOST_ROUNDS || one.asked > MOST_OF_A_FILE {
                        self.give_up(one, "the device did not give what was asked for, or too much was needed");
                        return None;
                    }
                    one.alone = stuck;
                    one.former.clone_from(&wants);
                    return Some((one, wants));
                }
            }
        }
    }

    /// Takes what came for the last round, in its order, and goes on as far as it leads.
    pub fn feed(&mut self, answers: impl IntoIterator<Item = RangeAnswer>) {
        for (asked, came) in std::mem::take(&mut self.asked).into_iter().zip(answers) {
            for ((file, start), bytes) in asked.into_iter().zip(came) {
                if let (Some(work), Some(bytes)) = (self.going.get_mut(file), bytes) {
                    work.reader.feed(start, &bytes);
                }
            }
        }
        for work in std::mem::take(&mut self.going) {
            let wanting = self.step(work);
            self.wanting.extend(wanting);
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
            // Another one that is read for the same package is fetched like any other.
            Step::Done(answer) => {
                let next = self.finish(work, answer);
                self.waiting.extend(next);
            }
            Step::Wants(_) => self.give_up(work, "its file changed while it was read"),
        }
    }

    /// A file cannot be read, for this reason.
    pub fn give_up(&mut self, work: ApkWork, why: &str) {
        match work.aim {
            Aim::Base => self.leave(work.id, AppFacts::default(), why),
            Aim::Named(facts, _) | Aim::Split(facts) => self.leave(work.id, *facts, why),
            Aim::Framework(all) => all.into_iter().for_each(|one| self.leave(one.id, *one.facts, why)),
        }
    }

    /// No more is found out about a package. Not remembered: the next time it may go better.
    fn leave(&mut self, id: PackageId, mut facts: AppFacts, why: &str) {
        if facts.label.is_none() {
            facts.trouble = Some(PlainText::new(why));
            self.counts.failed += 1;
        }
        self.fresh.insert(id, facts);
    }

    /// Takes what a file told. Another one is read for the same package where the label is in that.
    fn finish(&mut self, work: ApkWork, answer: Result<Box<ApkFacts>, ApkError>) -> Option<ApkWork> {
        let ApkWork { id, mark, aim, reader, path, size, .. } = work;
        let is_framework = path.as_str() == FRAMEWORK;
        let facts = match (aim, answer) {
            (Aim::Base, Ok(found)) => {
                let facts = AppFacts::of(&found);
                // Whoever names parts of Android: the framework, and what is laid over it. Nobody waits for that as for labels.
                if is_framework || facts.overlay_of.as_ref().is_some_and(|of| of.as_str() == ANDROID) {
                    self.fresh.insert(id.clone(), facts.clone());
                    let aim = Aim::Named(Box::new(facts), found.framework);
                    let mut later = self.work(&id, mark, path, size, Question::Label, aim);
                    match is_framework {
                        true => self.framework_reader = Some(reader),
                        false => later.reader = reader,
                    }
                    self.naming.push(later);
                    return None;
                }
                if let Some(resource) = found.framework {
                    self.of_framework.push(OfFramework { id, mark, facts: Box::new(facts), resource });
                    return None;
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
            (Aim::Named(mut facts, resource), answer) => {
                if let Ok(found) = answer {
                    Arc::make_mut(&mut facts.declared).name(&found.named);
                }
                if is_framework {
                    self.framework_reader = Some(reader);
                }
                if let Some(resource) = resource {
                    self.of_framework.push(OfFramework { id, mark, facts, resource });
                    return None;
                }
                *facts
            }
            (Aim::Split(facts), answer) => with_text(*facts, answer.ok().and_then(|f| f.label)),
            (Aim::Framework(all), answer) => {
                self.framework_reader = Some(reader);
                let texts = answer.map(|found| found.texts).unwrap_or_default();
                let texts = texts.into_iter().chain(std::iter::repeat(None));
                all.into_iter().zip(texts).for_each(|(one, text)| self.have_text(one, text));
                return None;
            }
        };
        self.done(id, mark, facts);
        None
    }

    /// A package has its text of the framework, or there is none.
    fn have_text(&mut self, one: OfFramework, text: Option<Text>) {
        let mut facts = with_text(*one.facts, text);
        if facts.label.is_none() {
            facts.trouble = Some(PlainText::new(NO_FRAMEWORK));
        }
        self.done(one.id, one.mark, facts);
    }

    /// All is known of a package.
    fn done(&mut self, id: PackageId, mark: ApkFingerprint, facts: AppFacts) {
        match facts.label.is_some() {
            true => self.counts.read += 1,
            false => self.counts.failed += 1,
        }
        self.to_note.push((mark, id.to_string(), facts.clone()));
        self.fresh.insert(id, facts);
    }
}

/// Facts with the label that another file has.
fn with_text(mut facts: AppFacts, text: Option<Text>) -> AppFacts {
    if let Some(text) = text {
        let former = facts.label.take();
        let own = label_text(&text.text);
        // Home screen entries that had the same text have it in this language too.
        facts.home.iter_mut().filter(|h| h.label == former).for_each(|h| h.label = Some(own.clone()));
        facts.label = Some(own);
        facts.locale = text.locale;
    }
    facts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::{Package, PackageKind};
    use crate::read::ranges::RangeTool;
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

    const ONE_BY_ONE: RangeTools = RangeTools { tool: RangeTool::Bytes, packs: false, several: false };
    const TOGETHER: RangeTools = RangeTools { several: true, ..ONE_BY_ONE };

    fn next(reading: &mut ApkReading, tools: RangeTools) -> Vec<RangeJob> {
        reading.next_round(tools, &HashSet::new(), usize::MAX)
    }

    fn nothing(jobs: &[RangeJob]) -> Vec<RangeAnswer> {
        jobs.iter().map(|job| vec![None; job.files()]).collect()
    }

    #[test]
    fn a_device_that_gives_nothing_is_not_asked_for_ever() {
        for tools in [ONE_BY_ONE, TOGETHER] {
            let mut reading = begin(3, &HashMap::new());
            let mut rounds = 0;
            loop {
                let jobs = next(&mut reading, tools);
                if jobs.is_empty() {
                    break;
                }
                // The second time each file is asked for by itself.
                let one_by_one = jobs.iter().all(|job| matches!(job, RangeJob::Range(..)));
                assert_eq!(one_by_one, tools == ONE_BY_ONE || rounds == 1, "{jobs:?}");
                rounds += 1;
                reading.feed(nothing(&jobs));
            }
            assert_eq!((rounds, reading.counts.failed, reading.fresh.len()), (2, 3, 3));
            assert!(reading.to_note.is_empty(), "the next time it may go better");
        }
    }

    #[test]
    fn what_is_no_apk_says_so_and_nothing_is_read_twice() {
        let mut reading = begin(2, &HashMap::new());
        let jobs = next(&mut reading, TOGETHER);
        // The ends of the files, by one program: they are as short as that.
        let [RangeJob::Tails(files, 8192)] = &jobs[..] else { panic!("{jobs:?}") };
        assert_eq!(files.iter().map(|(_, size)| *size).collect::<Vec<_>>(), [5_000; 2]);
        reading.feed([vec![Some(vec![7; 5_000]); 2]]);
        assert!(next(&mut reading, TOGETHER).is_empty());
        let trouble = reading.fresh.values().map(|facts| facts.trouble.as_ref().unwrap().as_str());
        assert!(trouble.into_iter().all(|why| why.contains("it is no ZIP file")));
    }

    #[test]
    fn so_many_at_a_time_and_in_the_end_all() {
        let mut reading = begin(MOST_AT_ONCE + 10, &HashMap::new());
        let jobs = next(&mut reading, ONE_BY_ONE);
        assert_eq!(jobs.len(), MOST_AT_ONCE);
        for left in [MOST_AT_ONCE, 10, 10] {
            let jobs = reading.asked.iter().map(|asked| vec![None; asked.len()]).collect::<Vec<_>>();
            reading.feed(jobs);
            assert_eq!(next(&mut reading, ONE_BY_ONE).len(), left);
        }
        reading.feed(vec![vec![None]; 10]);
        assert!(next(&mut reading, ONE_BY_ONE).is_empty());
        assert_eq!(reading.fresh.len(), MOST_AT_ONCE + 10);
    }

    /// What somebody waits for comes first, and nothing else before it is done; all files are shared out, evenly to the last.
    #[test]
    fn what_is_waited_for_comes_first() {
        let mut pool = begin(40, &HashMap::new());
        let first: HashSet<PackageId> = [17, 33].map(|n| testing::id(&format!("com.ostrel.part{n:04}"))).into();
        pool.prefer(&first);
        let mut lanes = [pool.lane(), pool.lane()];
        for (n, lane) in lanes.iter_mut().enumerate() {
            lane.take_from(&mut pool, 2 - n, &first);
            assert!(lane.has_any_of(&first));
            // As long as they are read here, nothing else is.
            lane.take_from(&mut pool, 1, &first);
            assert_eq!(lane.waiting.len(), 1);
        }
        for (lane, share) in lanes.iter_mut().zip([19, 10]) {
            let files = lane.next_round(TOGETHER, &first, usize::MAX).iter().map(RangeJob::files).sum::<usize>();
            assert_eq!((files, first.contains(&lane.going[0].id)), (1, true));
            lane.feed([vec![Some(vec![7; 5_000])]]);
            assert!(lane.next_round(TOGETHER, &first, usize::MAX).is_empty() && !lane.has_any_of(&first));
            lane.take_from(&mut pool, 2, &first);
            assert_eq!(lane.next_round(TOGETHER, &first, usize::MAX).iter().map(RangeJob::files).sum::<usize>(), share);
            pool.absorb(lane);
        }
        assert_eq!((pool.fresh.len(), pool.counts.failed), (2, 2));
        assert!(first.iter().all(|id| pool.fresh.contains_key(id)));
    }

    /// Ranges of a file that lie close to each other are read as one; beginnings of several files by one program.
    #[test]
    fn ranges_are_put_together() {
        let mut reading = begin_with(4, 1 << 20, &HashMap::new());
        let mut waiting = std::mem::take(&mut reading.waiting);
        let mut round = Round::new(Pace::cable(false), TOGETHER);
        let want = |start: u64, len: usize| Want { start, len };
        let mut take = |round: &mut Round, wants: &[Want]| {
            let work = waiting.pop_front().unwrap();
            round.take(waiting.len(), (&work.path, work.size), work.alone, wants);
        };
        take(&mut round, &[want(0, 5_000), want(500_000, 100)]);
        take(&mut round, &[want(100, 6_000), want(1_048_000, 100)]);
        take(&mut round, &[want(0, 40_000)]);
        take(&mut round, &[want(300_000, 100), want(310_000, 50_000)]);
        let jobs: Vec<String> = round
            .jobs()
            .iter()
            .map(|(job, asked)| match job {
                RangeJob::Tails(files, len) => format!("ends of {} by {len} at {}", files.len(), asked[0].1),
                RangeJob::Heads(files, len) => format!("beginnings of {} by {len}", files.len()),
                RangeJob::Range(_, _, start, len) => format!("{start} by {len} at {}", asked[0].1),
            })
            .collect();
        assert_eq!(
            jobs,
            [
                "ends of 1 by 81920 at 966656",
                "beginnings of 2 by 6100",
                "beginnings of 1 by 40000",
                "500000 by 4096 at 500000",
                "300000 by 60000 at 300000"
            ]
        );
    }

    #[test]
    fn what_is_held_of_all_files_together_stays_below_a_limit() {
        let (count, megabyte) = (30usize, 1u32 << 20);
        let mut reading = begin_with(count, 3 * megabyte, &HashMap::new());
        let jobs = next(&mut reading, ONE_BY_ONE);
        assert_eq!(jobs.len(), count, "their ends come in one round");
        // Each says that its list of entries takes a megabyte, right before the end record.
        let start = 3 * megabyte - 22 - megabyte;
        let end = [&b"PK\x05\x06\0\0\0\0\x01\0\x01\0"[..], &megabyte.to_le_bytes(), &start.to_le_bytes(), &[0, 0]];
        reading.feed(jobs.iter().map(|_| vec![Some(end.concat())]));
        let mut seen = 0;
        loop {
            let jobs = next(&mut reading, ONE_BY_ONE);
            if jobs.is_empty() {
                break;
            }
            let lengths = jobs.iter().map(|job| match job {
                RangeJob::Range(_, _, _, len) => *len as usize,
                other => panic!("{other:?}"),
            });
            let held = lengths.clone().sum::<usize>();
            assert!(held <= MOST_HELD || jobs.len() <= LEAST_AT_ONCE, "{jobs:?}");
            seen += jobs.len();
            let answers: Vec<RangeAnswer> = lengths.map(|len| vec![Some(vec![0; len])]).collect();
            reading.feed(answers);
        }
        assert_eq!((seen, reading.fresh.len()), (count, count), "none was forgotten, none asked for twice");
    }
}
