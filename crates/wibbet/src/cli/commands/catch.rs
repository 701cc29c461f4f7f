//! `wibbet catch`: waits for a device that does not start any more.

use std::collections::BTreeSet;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use wibbet_bench::catch::{CatchNews, catch_device};
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::run::RunNews;
use wibbet_core::diagnosis::CatchView;
use wibbet_core::run::{OfRuns, Run, TakenOut};
use wibbet_types::{DeviceId, RunId};

use super::asking::{asked, may_ask};
use super::change::show;
use super::interrupt::Interrupt;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::tell;

/// How often it is looked around for a device.
const LOOK_AROUND: Duration = Duration::from_millis(300);

/// What is to be caught, and how.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Wanted {
    pub(crate) run: Option<RunId>,
    pub(crate) all: bool,
    pub(crate) yes: bool,
    pub(crate) json: bool,
}

impl Wanted {
    fn what(self) -> OfRuns {
        match (self.run, self.all) {
            (Some(run), _) => OfRuns::Run(run),
            (None, true) => OfRuns::All,
            (None, false) => OfRuns::Last,
        }
    }
}

/// Catches the device of this name, or the next one that is met and has something out.
pub(crate) async fn catch(finder: &Finder<'_>, name: Option<&str>, wanted: Wanted) -> Result<Exit, Failure> {
    may_ask(wanted.yes, "add --yes to put back what was taken out as soon as the device can be asked")?;
    let device = match name {
        Some(name) => {
            let (device, facts) = finder.one_that_was_met(name).await?;
            let (number, out) = what_is_out(finder, &facts.id, wanted.what()).await?;
            if !wanted.yes {
                tell(format_args!("{} ({}): what {number} took out and is not back:", facts.name(), facts.serial));
                out.iter().for_each(|one| tell(format_args!("  {} for user {}", one.id, one.user)));
                if !asked("Put that back, as soon as the device can be asked?") {
                    return Err(Failure::new(Exit::Nothing, "nothing was sent"));
                }
            }
            device
        }
        None => {
            let question = "Put back what the last run took out of the next device that is met, and has something out?";
            if !wanted.yes && !asked(question) {
                return Err(Failure::new(Exit::Nothing, "nothing was sent"));
            }
            next_one(finder, wanted.what()).await?
        }
    };
    caught(finder, &device, wanted).await
}

/// What there is to be put back, and in words which run took it out.
async fn what_is_out(finder: &Finder<'_>, id: &DeviceId, wanted: OfRuns) -> Result<(String, Vec<TakenOut>), Failure> {
    let of = id.clone();
    let runs = finder.workplace.book.with(move |book| book.runs(Some(&of))).await?;
    let (of, out) = wanted.taken_out(&runs);
    let words = of.map_or_else(
        || if wanted == OfRuns::All { "all runs" } else { "a run" }.to_owned(),
        |number| format!("run {number}"),
    );
    match out.is_empty() {
        true => Err(Failure::new(
            Exit::Nothing,
            format!(
                "the logbook has nothing that {words} took out of {id} and that is not back; `wibbet runs` lists the runs"
            ),
        )),
        false => Ok((words, out)),
    }
}

/// Waits for a device that is met and has something out.
async fn next_one(finder: &Finder<'_>, wanted: OfRuns) -> Result<AdbDevice, Failure> {
    tell("waiting for a device on every cable, on the network and at every address that is named");
    // One that starts over and over has another number on the bus each time, and one that was away is met anew; whoever has been asked where
    // they are is not asked over and over, nor is a dialog opened on them again.
    let mut passed: BTreeSet<String> = BTreeSet::new();
    loop {
        let all = finder.all_around().await?;
        let here: BTreeSet<String> = all.iter().map(AdbDevice::address).collect();
        passed.retain(|at| here.contains(at));
        for device in all {
            let at = device.address();
            if passed.contains(&at) {
                continue;
            }
            let facts = match finder.meet(&device, None).await {
                Ok(facts) => facts,
                Err(failure) => {
                    if failure.exit == Exit::NotAuthorised {
                        tell(&failure.message);
                        passed.insert(at);
                    }
                    continue;
                }
            };
            match what_is_out(finder, &facts.id, wanted).await {
                Ok((words, out)) => {
                    tell(format_args!("{} ({}) at {at}: {words} took out {}", facts.name(), facts.serial, out.len()));
                    return Ok(device);
                }
                Err(_) => {
                    tell(format_args!("{} ({}) has nothing out; waiting for another one", facts.name(), facts.serial));
                    passed.insert(at);
                }
            }
        }
        tokio::time::sleep(LOOK_AROUND).await;
    }
}

async fn caught(finder: &Finder<'_>, device: &AdbDevice, wanted: Wanted) -> Result<Exit, Failure> {
    let (interrupt, stopped) = Interrupt::listen("stopping after what is on its way; the same command goes on with it");
    let told = Mutex::new((CatchView::default(), Vec::<String>::new()));
    let news = |news| match news {
        CatchNews::Waiting(words) | CatchNews::Run(RunNews::Found(words)) => tell(words),
        CatchNews::Begun(run) => begun(&run),
        CatchNews::Seen(view, at) => {
            let mut told = told.lock().unwrap_or_else(PoisonError::into_inner);
            // Seconds that pass are no news.
            if !view.is_news_after(&told.0) {
                return;
            }
            let words = view.words(&device.capabilities(), at);
            words.iter().filter(|one| !told.1.contains(one)).for_each(tell);
            *told = (*view, words);
        }
        CatchNews::Stands => tell("it stands; looking what became of all of it"),
        CatchNews::Run(_) => {}
    };
    let ended = catch_device(finder.workplace, device, wanted.what(), stopped, &news).await;
    drop(interrupt);
    match ended.result {
        Ok(run) => Ok(show(&run, wanted.json)),
        Err(error) => {
            let failure = Failure::from(error);
            let Some(number) = ended.number else { return Err(failure) };
            let run = finder.workplace.book.with(move |book| book.run(number)).await?;
            match run.filter(|_| wanted.json) {
                Some(run) => {
                    tell(&failure.message);
                    json::print(&json::Steps::failed(&run, &failure));
                    Ok(failure.exit)
                }
                None => Err(failure),
            }
        }
    }
}

fn begun(run: &Run) {
    tell(format_args!("run {} puts back, in this order:", run.number));
    for step in &run.steps {
        let note = match (&step.outcome, step.remark.as_str()) {
            (Some(_), why) if !why.is_empty() => format!(" (not sent: {why})"),
            _ => String::new(),
        };
        tell(format_args!("  {}{note}", step.words));
    }
}
