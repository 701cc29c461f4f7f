//! Reading labels out of APKs that stay on the device: sends what [`ApkReading`] wants next, and gives it what comes.
//!
//! In each round the ranges that any file needs next travel in one command, or in a few where a command would become too
//! long. Chains of chunks are followed on the device, several at a time.

use std::collections::BTreeMap;

use futures_util::future::join_all;
use wibbet_core::package::{AppFacts, AppNames, Inventory};
use wibbet_core::read::{
    ApkPaths, ApkReading, ChunkHead, RangeAnswer, RangeJob, RangeReader, RangeTools, language_request, read_languages,
};
use wibbet_types::{Locale, PackageId};

use crate::device::{AdbDevice, AskError, Device as _};
use crate::logbook::SharedLogbook;

/// Ranges are read and chains followed in so many commands at once: devices have several cores, and starting `dd` and
/// `od` is what takes time there.
const AT_ONCE: usize = 4;

/// For fewer jobs than these another command is not worth its while.
const WORTH_WHILE: usize = 24;

/// Where no range can be read, files up to this long are fetched whole, in bytes.
const SMALL: u64 = 1 << 20;

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
    /// How many packages are done.
    pub done: usize,
    /// Of how many.
    pub of: usize,
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

/// Reads what the APKs of a device say, in some languages, giving it on as it becomes known. What was read before, on
/// this device or on two others of the same build, comes from the logbook.
///
/// # Errors
/// When the link goes. What cannot be read of single files stands in their facts.
pub async fn read_labels(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: &Inventory,
    wanted: &[Locale],
    news: &mut (dyn FnMut(LabelNews) + Send),
) -> Result<(AppNames, LabelCost), AskError> {
    let facts = device.facts().ok_or_else(|| AskError::Broken("the device did not say what it is".into()))?;
    let build = format!("{} {} {}", facts.maker, facts.model, facts.build);
    let languages = wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let known = {
        let (build, languages, id) = (build.clone(), languages.clone(), facts.id.clone());
        // Without the logbook all of them are read: it is but a memory here.
        book.with(move |book| book.apps(&build, &languages, &id)).await.unwrap_or_default()
    };
    let paths = ApkPaths::of(inventory, wanted);
    let looked = device.stat(&paths.all).await?;
    let mut driver = Driver {
        device,
        reading: ApkReading::begin(&paths, &looked, &known, wanted),
        cost: LabelCost { rounds: 1, commands: 1, ..LabelCost::default() },
        names: AppNames { wanted: wanted.to_vec(), ..AppNames::default() },
        total: inventory.packages.len(),
    };
    drop((paths, known));
    driver.names.files = std::mem::take(&mut driver.reading.files);
    driver.report(news);
    let done = driver.read_all(news).await;
    driver.report(news);
    let note = std::mem::take(&mut driver.reading.to_note);
    if !note.is_empty() {
        // What cannot be remembered is read again the next time.
        let _ = book.with(move |book| book.note_apps(&build, &languages, &facts.id, &note)).await;
    }
    done?;
    let counts = driver.reading.counts;
    let cost = LabelCost { known: counts.known, read: counts.read, failed: counts.failed, ..driver.cost };
    Ok((driver.names, cost))
}

struct Driver<'a> {
    device: &'a AdbDevice,
    reading: ApkReading,
    cost: LabelCost,
    names: AppNames,
    total: usize,
}

impl Driver<'_> {
    fn report(&mut self, news: &mut (dyn FnMut(LabelNews) + Send)) {
        let fresh = std::mem::take(&mut self.reading.fresh);
        self.names.apps.extend(fresh.clone());
        news(LabelNews { fresh, done: self.names.apps.len(), of: self.total });
    }

    async fn read_all(&mut self, news: &mut (dyn FnMut(LabelNews) + Send)) -> Result<(), AskError> {
        let Some(sample) = self.reading.sample() else { return Ok(()) };
        self.cost.rounds += 1;
        self.cost.commands += 1;
        let tools = self.device.range_tools(sample.path(), sample.size()).await?;
        let Some(tools) = tools else { return self.read_whole(news).await };
        let longest = self.device.longest_command().await?;
        loop {
            let (ranges, chains) = self.beside(move |reading| reading.next_round(tools.walks)).await;
            if !ranges.is_empty() || !chains.is_empty() {
                let answers = self.fetch(&ranges, &chains, tools, longest).await?;
                self.reading.feed(answers);
            }
            self.report(news);
            if ranges.is_empty() && chains.is_empty() {
                return Ok(());
            }
        }
    }

    /// Computes something on a thread of its own: long manifests take their time, and other devices wait for this one.
    async fn beside<T, F>(&mut self, work: F) -> T
    where
        T: Send + 'static,
        F: FnOnce(&mut ApkReading) -> T + Send + 'static,
    {
        let mut reading = std::mem::take(&mut self.reading);
        let done = tokio::task::spawn_blocking(move || {
            let value = work(&mut reading);
            (reading, value)
        });
        match done.await.map_err(tokio::task::JoinError::try_into_panic) {
            Ok((reading, value)) => {
                self.reading = reading;
                value
            }
            Err(Ok(panic)) => std::panic::resume_unwind(panic),
            // The program is ending.
            Err(Err(_)) => std::future::pending().await,
        }
    }

    /// Fetches one round of ranges and chains.
    async fn fetch(
        &mut self,
        ranges: &[RangeJob],
        chains: &[RangeJob],
        tools: RangeTools,
        longest: usize,
    ) -> Result<Vec<RangeAnswer>, AskError> {
        let share = |jobs: &[RangeJob]| jobs.len().div_ceil(AT_ONCE).max(WORTH_WHILE);
        let device = self.device;
        let parts = ranges.chunks(share(ranges)).chain(chains.chunks(share(chains)));
        let all: Vec<_> = parts.map(|some| run(device, some, tools, longest)).collect();
        self.cost.rounds += 1;
        let mut answers = Vec::with_capacity(ranges.len() + chains.len());
        for part in join_all(all).await {
            let part = part?;
            self.cost.commands += part.commands;
            self.cost.bytes += part.bytes;
            answers.extend(part.answers);
        }
        Ok(answers)
    }

    /// Without any tool for ranges: small files are fetched whole, and the others are left.
    async fn read_whole(&mut self, news: &mut (dyn FnMut(LabelNews) + Send)) -> Result<(), AskError> {
        while let Some(work) = self.reading.next_whole() {
            if work.size() > SMALL {
                self.reading.give_up(work, "the device has no tool for reading a part of a file, and this one is long");
                continue;
            }
            self.cost.rounds += 1;
            self.cost.commands += 1;
            match self.device.fetch(work.path(), SMALL as usize).await {
                Ok(bytes) => {
                    self.cost.bytes += bytes.len() as u64;
                    self.beside(move |reading| reading.whole(work, &bytes)).await;
                }
                Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error),
                Err(error) => self.reading.give_up(work, &error.to_string()),
            }
            self.report(news);
        }
        Ok(())
    }
}

/// What came for some jobs, in their order.
struct Came {
    answers: Vec<RangeAnswer>,
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
