//! Reading labels out of APKs that stay on the device: sends what [`ApkReading`] wants next, and gives it what comes.
//!
//! The files are dealt out to some lanes that go on side by side, each with one command at a time in which all travels that its
//! files need next: while the device starts programs for one lane, the line brings what another one asked for. What somebody waits
//! for comes first.

use std::collections::{BTreeMap, HashSet};
use std::io::Write as _;
use std::sync::Arc;
use std::time::Duration;

use futures_util::StreamExt as _;
use futures_util::stream::FuturesUnordered;
use tokio::sync::watch;
use wibbet_core::package::{AppFacts, AppNames, Inventory};
use wibbet_core::read::{
    ApkPaths, ApkReading, Pace, RangeAnswer, RangeJob, RangeReader, RangeTools, language_request, read_languages,
};
use wibbet_types::{Locale, PackageId, UserId};

use crate::device::{AdbDevice, AskError, Device as _};
use crate::logbook::SharedLogbook;

/// Lanes: devices have four cores or more that are quick, and while the answer to one command travels those of others run.
const LANES: usize = 8;

/// For so long others wait for their turn at most.
const LONGEST_TURN: Duration = Duration::from_secs(60);

/// So many of them go on with what nobody waits for as long as somebody waits for something: half of a device's cores stay free.
const MOST_BESIDE: usize = 2;

/// Each of these then asks for so much at a time, in bytes, or for one file: a command keeps a core until it is done.
const LITTLE: usize = 256 << 10;

/// Where no range can be read, files up to this long are fetched whole, in bytes.
const SMALL: u64 = 1 << 20;

/// Packages that somebody waits for, such as those on the screen: they come first.
pub type Awaited = watch::Receiver<Arc<HashSet<PackageId>>>;

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

/// Asks a device for the languages that a user chose; English where it does not tell.
///
/// # Errors
/// When the device cannot be asked.
pub async fn device_languages(device: &AdbDevice, user: UserId) -> Result<Vec<Locale>, AskError> {
    let said = device.ask(&language_request(user), &mut |_| {}).await?;
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
    let (_nobody, waits) = watch::channel(Arc::default());
    read_labels_for(device, book, inventory, wanted, &waits, news).await
}

/// As [`read_labels`], those of awaited packages first.
///
/// # Errors
/// As [`read_labels`].
pub async fn read_labels_for(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: &Inventory,
    wanted: &[Locale],
    awaited: &Awaited,
    news: &mut (dyn FnMut(LabelNews) + Send),
) -> Result<(AppNames, LabelCost), AskError> {
    let facts = device.facts().ok_or_else(|| AskError::Broken("the device did not say what it is".into()))?;
    let build = format!("{} {} {}", facts.maker, facts.model, facts.build);
    let languages = wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let paths = ApkPaths::of(inventory, wanted);
    let looked = device.stat(&paths.all).await?;
    let begin = async || {
        let (build, languages, id) = (build.clone(), languages.clone(), facts.id.clone());
        // Without the logbook all of them are read: it is but a memory here.
        let known = book.with(move |book| book.apps(&build, &languages, &id)).await.unwrap_or_default();
        ApkReading::begin(&paths, &looked, &known, wanted)
    };
    let mut reading = begin().await;
    let reads = reading.sample().is_some();
    let mut turn = if reads { book.reads_at_once() } else { None };
    if reads && turn.is_none() {
        turn = book.turn_to_read().await;
        // What devices of its like have told meanwhile need not be read.
        reading = begin().await;
    }
    let mut driver = Driver {
        device,
        reading,
        awaited,
        cost: LabelCost { rounds: 1, commands: 1, ..LabelCost::default() },
        names: AppNames { wanted: wanted.to_vec(), ..AppNames::default() },
        total: inventory.packages.len(),
    };
    driver.names.files = std::mem::take(&mut driver.reading.files);
    driver.report(news);
    let done = {
        let read = driver.read_all(news);
        tokio::pin!(read);
        tokio::select! {
            biased;
            done = &mut read => done,
            // Whoever takes that long goes on beside the others.
            () = tokio::time::sleep(LONGEST_TURN), if turn.is_some() => {
                turn = None;
                read.await
            }
        }
    };
    driver.report(news);
    let note = std::mem::take(&mut driver.reading.to_note);
    if !note.is_empty() {
        // What cannot be remembered is read again the next time.
        let _ = book.with(move |book| book.note_apps(&build, &languages, &facts.id, &note)).await;
    }
    drop(turn);
    done?;
    let counts = driver.reading.counts;
    let cost = LabelCost { known: counts.known, read: counts.read, failed: counts.failed, ..driver.cost };
    Ok((driver.names, cost))
}

struct Driver<'a> {
    device: &'a AdbDevice,
    reading: ApkReading,
    awaited: &'a Awaited,
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
        let pace = self.device.pace(tools);
        self.reading.set_pace(pace);
        let how = How { tools, pace, longest, most: usize::MAX };
        let mut rounds = [0; LANES + 1];
        let mut lanes = FuturesUnordered::new();
        // One more reads in the framework's file, for whoever has a text of that for its label.
        let mut framework = Some(self.reading.framework_lane());
        let mut idle: Vec<(usize, ApkReading)> = (0..LANES).map(|n| (n, self.reading.lane())).collect();
        // Of those that are on their way: which of them are for somebody who waits.
        let mut on_the_way = [None; LANES + 1];
        loop {
            let first = Arc::clone(&self.awaited.borrow());
            self.reading.prefer(&first);
            let nobody_waits = !on_the_way.contains(&Some(true)) && !self.reading.has_any_of(&first);
            if let Some(mut lane) = framework
                .take_if(|lane| nobody_waits || lane.has_any_of(&first) || self.reading.has_framework_for(&first))
            {
                lane.prefer(&first);
                let wants = !lane.is_idle()
                    || lane.turn_to_framework(&mut self.reading)
                    || (nobody_waits && lane.turn_to_names(&mut self.reading));
                match wants {
                    true => {
                        on_the_way[LANES] = Some(lane.has_any_of(&first));
                        lanes.push(round(LANES, self.device, lane, how, Arc::clone(&first)));
                    }
                    false => framework = Some(lane),
                }
            }
            let beginning = idle.len() == LANES;
            for (served, (n, mut lane)) in std::mem::take(&mut idle).into_iter().enumerate() {
                lane.prefer(&first);
                // In the beginning each gets as much as every other one; later the less the less there is.
                let sharers = if beginning { LANES - served } else { LANES };
                lane.take_from(&mut self.reading, sharers, &first);
                if lane.is_idle() {
                    idle.push((n, lane));
                    continue;
                }
                let urgent = lane.has_any_of(&first);
                // What somebody waits for is not kept waiting by what nobody does.
                let others = on_the_way.iter().filter(|urgent| **urgent == Some(false)).count();
                if !urgent && others >= MOST_BESIDE && on_the_way.contains(&Some(true)) {
                    idle.push((n, lane));
                    continue;
                }
                let most = if !urgent && on_the_way.contains(&Some(true)) { LITTLE } else { usize::MAX };
                on_the_way[n] = Some(urgent);
                lanes.push(round(n, self.device, lane, How { most, ..how }, Arc::clone(&first)));
            }
            let Some(done) = lanes.next().await else { break };
            let Lane { n, mut reading, commands, bytes, goes_on } = done?;
            on_the_way[n] = None;
            self.cost.commands += commands;
            self.cost.bytes += bytes;
            self.reading.absorb(&mut reading);
            self.report(news);
            rounds[n] += usize::from(goes_on);
            match (n, goes_on) {
                (LANES, true) => {
                    on_the_way[n] = Some(reading.has_any_of(&first));
                    lanes.push(round(n, self.device, reading, how, first));
                }
                (LANES, false) => framework = Some(reading),
                _ => {
                    reading.give_back(&mut self.reading, &first);
                    idle.push((n, reading));
                }
            }
        }
        // They go on side by side: the one that takes most of them is waited for.
        self.cost.rounds += rounds.into_iter().max().unwrap_or(0);
        Ok(())
    }

    /// Without any tool for ranges: small files are fetched whole, and the others are left.
    async fn read_whole(&mut self, news: &mut (dyn FnMut(LabelNews) + Send)) -> Result<(), AskError> {
        loop {
            let Some(work) = self.reading.next_whole() else {
                match self.reading.turn_to_own_framework() || self.reading.turn_to_own_names() {
                    true => continue,
                    false => return Ok(()),
                }
            };
            if work.size() > SMALL {
                self.reading.give_up(work, "the device has no tool for reading a part of a file, and this one is long");
                continue;
            }
            self.cost.rounds += 1;
            self.cost.commands += 1;
            match self.device.fetch(work.path(), SMALL as usize).await {
                Ok(bytes) => {
                    self.cost.bytes += bytes.len() as u64;
                    let lane = std::mem::take(&mut self.reading);
                    self.reading = beside(lane, move |reading| reading.whole(work, &bytes)).await.0;
                }
                Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error),
                Err(error) => self.reading.give_up(work, &error.to_string()),
            }
            self.report(news);
        }
    }
}

/// How ranges are read.
#[derive(Debug, Clone, Copy)]
struct How {
    tools: RangeTools,
    pace: Pace,
    /// The longest command, in bytes.
    longest: usize,
    /// So much is asked for in a round, in bytes, or little more.
    most: usize,
}

/// What a lane has done in a round.
struct Lane {
    n: usize,
    reading: ApkReading,
    commands: usize,
    bytes: u64,
    /// It wanted something, and may want more.
    goes_on: bool,
}

/// One round of a lane: what its files want next is asked for in as few commands as it fits into, and given to them.
async fn round(
    n: usize,
    device: &AdbDevice,
    reading: ApkReading,
    how: How,
    first: Arc<HashSet<PackageId>>,
) -> Result<Lane, AskError> {
    let How { tools, pace, longest, most } = how;
    let (reading, jobs) = beside(reading, move |reading| reading.next_round(tools, &first, most)).await;
    let mut lane = Lane { n, reading, commands: 0, bytes: 0, goes_on: !jobs.is_empty() };
    let mut answers = Vec::with_capacity(jobs.len());
    while answers.len() < jobs.len() {
        let rest = &jobs[answers.len()..];
        let (mut command, mut reader, mut taken) = RangeReader::begin(rest, tools, longest);
        let packed = tools.packs && pace.packs(reader.expected());
        if tools.packs && !packed {
            (command, reader, taken) = RangeReader::begin(rest, RangeTools { packs: false, ..tools }, longest);
        }
        let some = &rest[..taken.clamp(1, rest.len())];
        answers.extend(one(device, some, &command, reader, packed, &mut lane.bytes).await?);
        lane.commands += 1;
    }
    (lane.reading, ()) = beside(lane.reading, move |reading| reading.feed(answers)).await;
    Ok(lane)
}

/// Computes something on a thread of its own: long manifests take their time, and other devices wait for this one.
async fn beside<T, F>(mut reading: ApkReading, work: F) -> (ApkReading, T)
where
    T: Send + 'static,
    F: FnOnce(&mut ApkReading) -> T + Send + 'static,
{
    let done = tokio::task::spawn_blocking(move || {
        let value = work(&mut reading);
        (reading, value)
    });
    match done.await.map_err(tokio::task::JoinError::try_into_panic) {
        Ok(done) => done,
        Err(Ok(panic)) => std::panic::resume_unwind(panic),
        // The program is ending.
        Err(Err(_)) => std::future::pending().await,
    }
}

async fn one(
    device: &AdbDevice,
    jobs: &[RangeJob],
    command: &str,
    mut reader: RangeReader,
    packed: bool,
    bytes: &mut u64,
) -> Result<Vec<RangeAnswer>, AskError> {
    let mut answers: Vec<RangeAnswer> = jobs.iter().map(|job| vec![None; job.files()]).collect();
    let mut each = |n: usize, answer: RangeAnswer| answers[n] = answer;
    let mut unpacker = packed.then(|| Unpacker::new(reader.most()));
    let mut take = |piece: &[u8]| {
        *bytes += piece.len() as u64;
        match &mut unpacker {
            Some(unpacker) => reader.feed(unpacker.unpack(piece), &mut each),
            None => reader.feed(piece, &mut each),
        }
    };
    match device.raw(command, &mut take).await {
        Ok(()) => {}
        // A command that failed or fell silent leaves its files without an answer; the others go on.
        Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => {}
        Err(error) => return Err(error),
    }
    reader.finish(&mut each);
    Ok(answers)
}

/// Unpacks what comes in pieces: never more than can be of use, whatever the device packs.
struct Unpacker {
    decoder: flate2::write::GzDecoder<Vec<u8>>,
    unpacked: Vec<u8>,
    room: u64,
}

impl Unpacker {
    fn new(room: u64) -> Self {
        Self { decoder: flate2::write::GzDecoder::new(Vec::new()), unpacked: Vec::new(), room }
    }

    /// What a piece adds; nothing more behind what cannot be unpacked.
    fn unpack(&mut self, mut piece: &[u8]) -> &[u8] {
        self.unpacked.clear();
        while !piece.is_empty() && self.room > 0 {
            // A little at a time: a few bytes may stand for many.
            let part = &piece[..piece.len().min(1024)];
            match self.decoder.write(part).and_then(|taken| self.decoder.flush().map(|()| taken)) {
                Ok(taken @ 1..) => piece = &piece[taken..],
                _ => self.room = 0,
            }
            let out = self.decoder.get_mut();
            self.room = self.room.saturating_sub(out.len() as u64);
            self.unpacked.append(out);
        }
        &self.unpacked
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::Unpacker;

    fn packed(bytes: &[u8]) -> Vec<u8> {
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        encoder.write_all(bytes).unwrap();
        encoder.finish().unwrap()
    }

    #[test]
    fn what_comes_in_pieces_is_unpacked_and_a_bomb_is_not() {
        let bytes: Vec<u8> = (0..200_000u32).flat_map(u32::to_le_bytes).collect();
        let sent = packed(&bytes);
        for size in [1, 7, 1000, sent.len()] {
            let mut unpacker = Unpacker::new(bytes.len() as u64 + 1);
            let mut all: Vec<u8> = Vec::new();
            sent.chunks(size).for_each(|piece| all.extend(unpacker.unpack(piece)));
            assert!(all == bytes, "{size}");
        }
        let bomb = packed(&vec![0; 50 << 20]);
        let mut unpacker = Unpacker::new(1000);
        let unpacked = unpacker.unpack(&bomb).len();
        assert!(unpacked < 4 << 20, "{unpacked}");
        assert!(unpacker.unpack(&bomb).is_empty());
        assert!(Unpacker::new(1000).unpack(b"gzip: not found").is_empty());
    }
}
