//! Reading labels out of APKs that stay on the device.
//!
//! All APKs are read side by side: in each round the ranges that any of them needs next travel in one command, or in a few
//! where a command would become too long. Chains of chunks are followed on the device, several at a time.

use std::collections::{BTreeMap, HashMap};

use futures_util::future::join_all;
use wibbet_apk::{ApkFacts, ApkReader, ComponentKind, Question, Step, Text, Walk, WalkedChunk, Want};
use wibbet_core::package::{ApkFingerprint, AppFacts, AppNames, HomeEntry, Inventory, label_text};
use wibbet_core::read::{ChunkHead, RangeJob, RangeReader, RangeTools, language_request, read_languages};
use wibbet_types::{DevicePath, Locale, PackageId, PlainText};

use crate::device::{AdbDevice, AskError, Device as _};
use crate::logbook::SharedLogbook;

/// Where the framework's own texts are.
const FRAMEWORK: &str = "/system/framework/framework-res.apk";

/// Ranges are read and chains followed in so many commands at once: devices have several cores, and starting `dd` and
/// `od` is what takes time there.
const AT_ONCE: usize = 4;

/// For fewer jobs than these another command is not worth its while.
const WORTH_WHILE: usize = 24;

/// Where no range can be read, files up to this long are fetched whole, in bytes.
const SMALL: u32 = 1 << 20;

/// A file that has not told its label after so many rounds is left alone.
const MOST_ROUNDS: usize = 400;

/// A device that is asked for more than this by one file is being led astray, in bytes.
const MOST_OF_A_FILE: u64 = 64 << 20;

/// What reading labels has cost.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct LabelCost {
    /// Times that an answer was waited for before anything else could be asked.
    pub rounds: usize,
    /// Commands that were sent.
    pub commands: usize,
    /// Bytes of files that came, and what commands said beside them.
    pub bytes: u64,
    /// APKs whose facts were known already.
    pub known: usize,
    /// APKs that were read.
    pub read: usize,
    /// APKs that could not be.
    pub failed: usize,
}

/// How far the reading of labels has got.
#[derive(Debug)]
pub struct LabelNews {
    /// What has become known since the last time.
    pub fresh: BTreeMap<PackageId, AppFacts>,
    /// How many packages are done, of how many.
    pub done: (usize, usize),
}

/// A file that is being read, and for whom.
struct Work {
    id: PackageId,
    mark: ApkFingerprint,
    path: DevicePath,
    size: u64,
    reader: ApkReader,
    aim: Aim,
    rounds: usize,
    asked: u64,
    /// What was wanted last: whoever wants the same again gets no further.
    former: Vec<Want>,
}

/// What a file is read for.
enum Aim {
    /// The package's own facts.
    Base,
    /// The label in a language that the base does not have.
    Split(Box<AppFacts>),
    /// A text of the framework.
    Framework(Box<AppFacts>),
}

/// Asks a device for the languages that its owner chose; English where it does not tell.
pub async fn device_languages(device: &AdbDevice) -> Result<Vec<Locale>, AskError> {
    let said = device.ask(&language_request(), &mut |_| {}).await?;
    let mut languages = read_languages(&said.out);
    if languages.is_empty() {
        languages.push(Locale::new("en", "", "US"));
    }
    Ok(languages)
}

/// Reads what the APKs of a device tell, in some languages, telling it as it becomes known. What was read before, on
/// this device or another of the same build, comes from the logbook.
///
/// # Errors
/// When the link goes. What cannot be read of single files is told in their facts.
pub async fn read_labels(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: &Inventory,
    wanted: &[Locale],
    news: &mut (dyn FnMut(LabelNews) + Send),
) -> Result<(AppNames, LabelCost), AskError> {
    let mut reading = Reading {
        device,
        wanted,
        cost: LabelCost::default(),
        names: AppNames { wanted: wanted.to_vec(), ..AppNames::default() },
        fresh: BTreeMap::new(),
        to_note: Vec::new(),
        splits: HashMap::new(),
        framework: None,
        total: inventory.packages.len(),
    };
    let build = device.facts().map_or_else(String::new, |f| format!("{} {} {}", f.maker, f.model, f.build));
    let languages = wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let known = {
        let (build, languages) = (build.clone(), languages.clone());
        // Without the logbook all of them are read: it is but a memory here.
        book.with(move |book| book.apps(&build, &languages)).await.unwrap_or_default()
    };
    let work = reading.begin(inventory, &known).await?;
    reading.tell(news);
    let done = reading.read_all(work, news).await;
    reading.tell(news);
    let note = std::mem::take(&mut reading.to_note);
    if !note.is_empty() {
        // What cannot be remembered is read again the next time.
        let _ = book.with(move |book| book.note_apps(&build, &languages, &note)).await;
    }
    done?;
    Ok((reading.names, reading.cost))
}

struct Reading<'a> {
    device: &'a AdbDevice,
    wanted: &'a [Locale],
    cost: LabelCost,
    names: AppNames,
    fresh: BTreeMap<PackageId, AppFacts>,
    to_note: Vec<(ApkFingerprint, String, AppFacts)>,
    /// Parts with languages that are wanted: path and length, by package.
    splits: HashMap<PackageId, (DevicePath, u64)>,
    framework: Option<u64>,
    total: usize,
}

impl Reading<'_> {
    fn tell(&mut self, news: &mut (dyn FnMut(LabelNews) + Send)) {
        let fresh = std::mem::take(&mut self.fresh);
        self.names.apps.extend(fresh.clone());
        news(LabelNews { fresh, done: (self.names.apps.len(), self.total) });
    }

    /// Looks at all files, takes what is known of them, and begins with the others.
    async fn begin(
        &mut self,
        inventory: &Inventory,
        known: &HashMap<ApkFingerprint, AppFacts>,
    ) -> Result<Vec<Work>, AskError> {
        let mut bases = Vec::new();
        let mut paths = Vec::new();
        for package in inventory.packages.values() {
            let Some(path) = &package.apk else { continue };
            bases.push((package, path.clone()));
            paths.push(path.clone());
        }
        let mut parts = Vec::new();
        let language = self.wanted.first().map_or("", Locale::language);
        for (package, _) in &bases {
            for split in &package.about.splits {
                if let Some(path) = package.split_path(split) {
                    // A part with a language is named by it.
                    parts.push((package.id.clone(), split.rsplit('.').next() == Some(language)));
                    paths.push(path);
                }
            }
        }
        paths.extend(FRAMEWORK.parse::<DevicePath>());
        self.cost.rounds += 1;
        self.cost.commands += 1;
        let looked = self.device.stat(&paths).await?;
        for (path, there) in paths.iter().zip(&looked) {
            if let Some((size, _)) = there {
                self.names.files.insert(path.to_string(), u64::from(*size));
            }
        }
        for (((id, is_wanted), path), there) in parts.into_iter().zip(&paths[bases.len()..]).zip(&looked[bases.len()..])
        {
            if let Some((size, _)) = there.filter(|_| is_wanted) {
                self.splits.insert(id, (path.clone(), u64::from(size)));
            }
        }
        self.framework = looked.last().copied().flatten().map(|(size, _)| u64::from(size));
        let mut work = Vec::new();
        for ((package, path), there) in bases.into_iter().zip(&looked) {
            let Some((size, time)) = *there else {
                let trouble = Some(PlainText::new("the device does not let its file be looked at"));
                self.fresh.insert(package.id.clone(), AppFacts { trouble, ..AppFacts::default() });
                continue;
            };
            let version = package.about.version_code.unwrap_or(0);
            let mark = ApkFingerprint { path: path.to_string(), size, time, version };
            match known.get(&mark) {
                Some(facts) => {
                    self.cost.known += 1;
                    self.fresh.insert(package.id.clone(), facts.clone());
                }
                None => {
                    work.push(Work::new(
                        &package.id,
                        mark,
                        path,
                        u64::from(size),
                        Question::Label,
                        self.wanted,
                        Aim::Base,
                    ));
                }
            }
        }
        Ok(work)
    }

    async fn read_all(
        &mut self,
        mut work: Vec<Work>,
        news: &mut (dyn FnMut(LabelNews) + Send),
    ) -> Result<(), AskError> {
        let Some(first) = work.iter().find(|w| w.size >= 64) else { return Ok(()) };
        self.cost.rounds += 1;
        self.cost.commands += 1;
        let tools = self.device.range_tools(&first.path, first.size).await?;
        let Some(tools) = tools else { return self.read_whole(work, news).await };
        let longest = self.device.longest_command().await?;
        while !work.is_empty() {
            let mut going = Vec::new();
            let mut wants: Vec<(usize, Want)> = Vec::new();
            for mut one in work {
                // What one file leads to is begun in the same round.
                loop {
                    match one.reader.step() {
                        Step::Done(answer) => match self.finish(one, answer) {
                            Some(next) => one = next,
                            None => break,
                        },
                        Step::Wants(more) => {
                            one.rounds += 1;
                            one.asked += more.iter().map(|w| w.len as u64).sum::<u64>();
                            if more == one.former || one.rounds > MOST_ROUNDS || one.asked > MOST_OF_A_FILE {
                                self.give_up(one, "the device did not give what was asked for, or too much was needed");
                                break;
                            }
                            wants.extend(more.iter().map(|w| (going.len(), w.clone())));
                            one.former = more;
                            going.push(one);
                            break;
                        }
                    }
                }
            }
            if !wants.is_empty() {
                self.fetch(&mut going, wants, tools, longest).await?;
            }
            work = going;
            self.tell(news);
        }
        Ok(())
    }

    /// Has a round of ranges and walks brought, and fed to whom they are for.
    async fn fetch(
        &mut self,
        work: &mut [Work],
        wants: Vec<(usize, Want)>,
        tools: RangeTools,
        longest: usize,
    ) -> Result<(), AskError> {
        let (chains, ranges): (Vec<_>, Vec<_>) = wants.into_iter().partition(|(_, w)| w.walk.is_some() && tools.walks);
        let job = |(n, want): &(usize, Want)| {
            let path = work[*n].path.clone();
            match want.walk.filter(|_| tools.walks) {
                Some(walk) => RangeJob::Chain(path, walk.start, walk.end, walk.type_id),
                None => RangeJob::Range(path, work[*n].size, want.start, want.len as u64),
            }
        };
        let range_jobs: Vec<RangeJob> = ranges.iter().map(job).collect();
        let chain_jobs: Vec<RangeJob> = chains.iter().map(job).collect();
        let share = |jobs: &[RangeJob]| jobs.len().div_ceil(AT_ONCE).max(WORTH_WHILE);
        let device = self.device;
        let (some_ranges, some_chains) = (share(&range_jobs), share(&chain_jobs));
        let parts = range_jobs.chunks(some_ranges).chain(chain_jobs.chunks(some_chains));
        let all: Vec<_> = parts.map(|some| run(device, some, tools, longest)).collect();
        let came = join_all(all).await;
        self.cost.rounds += 1;
        let mut answers = Vec::new();
        for part in came {
            let part = part?;
            self.cost.commands += part.commands;
            self.cost.bytes += part.bytes;
            answers.extend(part.answers);
        }
        for ((n, want), (bytes, heads)) in ranges.into_iter().chain(chains).zip(answers) {
            match want.walk.filter(|_| tools.walks) {
                Some(walk) => {
                    let chunk = |head: ChunkHead| WalkedChunk { at: head.at, head: head.head };
                    work[n].reader.feed_walk(&Walk { ..walk }, heads.into_iter().map(chunk).collect());
                }
                None => {
                    if let Some(bytes) = bytes {
                        work[n].reader.feed(want.start, &bytes);
                    }
                }
            }
        }
        Ok(())
    }

    /// Without any tool for ranges: small files are fetched whole, and the others are left.
    async fn read_whole(&mut self, work: Vec<Work>, news: &mut (dyn FnMut(LabelNews) + Send)) -> Result<(), AskError> {
        for mut one in work {
            if one.mark.size > SMALL {
                self.give_up(one, "the device has no tool for reading a part of a file, and this one is long");
                continue;
            }
            self.cost.rounds += 1;
            self.cost.commands += 1;
            match self.device.fetch(&one.path, SMALL as usize).await {
                Ok(bytes) => {
                    self.cost.bytes += bytes.len() as u64;
                    one.reader.feed(0, &bytes);
                    match one.reader.step() {
                        Step::Done(answer) => drop(self.finish(one, answer)),
                        Step::Wants(_) => self.give_up(one, "its file changed while it was read"),
                    }
                }
                Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error),
                Err(error) => self.give_up(one, &error.to_string()),
            }
            self.tell(news);
        }
        Ok(())
    }

    fn give_up(&mut self, work: Work, why: &str) {
        let mut facts = match work.aim {
            Aim::Base => AppFacts::default(),
            Aim::Split(facts) | Aim::Framework(facts) => *facts,
        };
        if facts.label.is_none() {
            facts.trouble = Some(PlainText::new(why));
            self.cost.failed += 1;
        }
        // Not remembered: the next time it may go better.
        self.fresh.insert(work.id, facts);
    }

    /// Takes what a file told. Another one is read for the same package where the label is in that.
    fn finish(&mut self, work: Work, answer: Result<Box<ApkFacts>, wibbet_apk::ApkError>) -> Option<Work> {
        let Work { id, mark, aim, .. } = work;
        let facts = match (aim, answer) {
            (Aim::Base, Ok(found)) => {
                let facts = facts_of(&found);
                if let (Some(resource), Some(size)) = (found.framework, self.framework)
                    && let Ok(path) = FRAMEWORK.parse::<DevicePath>()
                {
                    let question = Question::Resource(resource);
                    let aim = Aim::Framework(Box::new(facts));
                    return Some(Work::new(&id, mark, path, size, question, self.wanted, aim));
                }
                // The part with the owner's language is asked where the base has no text in it.
                let fits = |text: &Text| self.wanted.first().is_some_and(|w| text.locale.serves(w) >= 3);
                if let Some(text) = found.label.as_ref().filter(|t| !fits(t))
                    && let (Some(resource), Some((path, size))) = (text.resource, self.splits.get(&id))
                {
                    let question = Question::Resource(resource);
                    let aim = Aim::Split(Box::new(facts));
                    return Some(Work::new(&id, mark, path.clone(), *size, question, self.wanted, aim));
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
            true => self.cost.read += 1,
            false => self.cost.failed += 1,
        }
        self.to_note.push((mark, id.to_string(), facts.clone()));
        self.fresh.insert(id, facts);
        None
    }
}

impl Work {
    fn new(
        id: &PackageId,
        mark: ApkFingerprint,
        path: DevicePath,
        size: u64,
        question: Question,
        wanted: &[Locale],
        aim: Aim,
    ) -> Self {
        let reader = ApkReader::new(size, question, wanted.to_vec());
        Self { id: id.clone(), mark, path, size, reader, aim, rounds: 0, asked: 0, former: Vec::new() }
    }
}

fn facts_of(found: &ApkFacts) -> AppFacts {
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
    AppFacts {
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

/// What came for some jobs, in their order.
struct Came {
    answers: Vec<(Option<Vec<u8>>, Vec<ChunkHead>)>,
    commands: usize,
    bytes: u64,
}

/// Does jobs in as many commands as they take, all at once: waiting for them is one round.
async fn run(device: &AdbDevice, jobs: &[RangeJob], tools: RangeTools, longest: usize) -> Result<Came, AskError> {
    let mut commands = Vec::new();
    let mut at = 0;
    while at < jobs.len() {
        let (command, reader, taken) = RangeReader::begin(&jobs[at..], tools, longest);
        at += taken.max(1);
        commands.push(one(device, command, reader, taken));
    }
    let mut all = Came { answers: Vec::with_capacity(jobs.len()), commands: 0, bytes: 0 };
    for came in join_all(commands).await {
        let came = came?;
        all.answers.extend(came.answers);
        all.commands += 1;
        all.bytes += came.bytes;
    }
    Ok(all)
}

async fn one(device: &AdbDevice, command: String, mut reader: RangeReader, jobs: usize) -> Result<Came, AskError> {
    let mut came = Came { answers: vec![(None, Vec::new()); jobs], commands: 1, bytes: 0 };
    {
        let Came { answers, bytes, .. } = &mut came;
        let mut each = |n: usize, range: Option<Vec<u8>>, heads: Vec<ChunkHead>| answers[n] = (range, heads);
        let mut take = |piece: &[u8]| {
            *bytes += piece.len() as u64;
            reader.feed(piece, &mut each);
        };
        match device.raw(&command, &mut take).await {
            Ok(()) => {}
            // A command that failed or fell silent leaves its files without an answer; the others go on.
            Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => {}
            Err(error) => return Err(error),
        }
        reader.finish(&mut each);
    }
    Ok(came)
}
