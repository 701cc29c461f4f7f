//! `wibbet catch`: waits for a device that does not start any more.

use std::collections::BTreeSet;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use tokio::sync::watch;
use wibbet_bench::catch::{CatchNews, CatchWanted, catch_device};
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::run::{Control, RunNews};
use wibbet_core::run::{Run, RunKind, TakenOut, taken_out};
use wibbet_types::{DeviceId, RunId};

use super::asking::{asked, may_ask};
use super::change::show;
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
    fn what(self) -> CatchWanted {
        match (self.run, self.all) {
            (Some(run), _) => CatchWanted::Run(run),
            (None, true) => CatchWanted::All,
            (None, false) => CatchWanted::Last,
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
async fn what_is_out(
    finder: &Finder<'_>,
    id: &DeviceId,
    wanted: CatchWanted,
) -> Result<(String, Vec<TakenOut>), Failure> {
    let of = id.clone();
    let runs = finder.workplace.book.with(move |book| book.runs(Some(&of))).await?;
    let last = || {
        let taking =
            runs.iter().filter(|run| run.kind == RunKind::TakeOut && !taken_out(&runs, Some(run.number)).is_empty());
        taking.map(|run| run.number).max()
    };
    let of = match wanted {
        CatchWanted::All => None,
        CatchWanted::Run(number) => Some(number),
        CatchWanted::Last => last(),
    };
    let out = match (wanted, of) {
        (CatchWanted::Last, None) => Vec::new(),
        _ => taken_out(&runs, of),
    };
    let words = of.map_or_else(|| "all runs".to_owned(), |number| format!("run {number}"));
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
async fn next_one(finder: &Finder<'_>, wanted: CatchWanted) -> Result<AdbDevice, Failure> {
    tell("waiting for a device on every cable, on the network and at every address that is named");
    let mut passed: BTreeSet<String> = BTreeSet::new();
    loop {
        for device in finder.all_around().await? {
            let at = device.address();
            // What is linked each time is told once.
            let Ok(facts) = finder.meet(&device, None).await else { continue };
            match what_is_out(finder, &facts.id, wanted).await {
                Ok((words, out)) => {
                    tell(format_args!("{} ({}) at {at}: {words} took out {}", facts.name(), facts.serial, out.len()));
                    return Ok(device);
                }
                Err(_) if passed.insert(facts.id.to_string()) => {
                    tell(format_args!("{} ({}) has nothing out; waiting for another one", facts.name(), facts.serial));
                }
                Err(_) => {}
            }
        }
        tokio::time::sleep(LOOK_AROUND).await;
    }
}

async fn caught(finder: &Finder<'_>, device: &AdbDevice, wanted: Wanted) -> Result<Exit, Failure> {
    let (stop, stopped) = watch::channel(Control::Go);
    let interrupt = tokio::spawn(async move {
        if tokio::signal::ctrl_c().await.is_ok() {
            tell("stopping after what is on its way; the same command goes on with it");
            stop.send_replace(Control::Stop);
        }
        std::future::pending::<()>().await;
    });
    let told = Mutex::new(Vec::<String>::new());
    let news = |news| match news {
        CatchNews::Waiting(words) | CatchNews::Run(RunNews::Found(words)) => tell(words),
        CatchNews::Begun(run) => begun(&run),
        CatchNews::Seen(view, at) => {
            let words = view.words(&device.capabilities(), at);
            let mut told = told.lock().unwrap_or_else(PoisonError::into_inner);
            // Seconds that pass are no news.
            let steady =
                |words: &str| words.split(" s;").next().unwrap_or(words).replace(|c: char| c.is_ascii_digit(), "");
            let known = |one: &String| match one.contains(" has been up for ") {
                true => told.iter().any(|other| steady(other) == steady(one)),
                false => told.contains(one),
            };
            words.iter().filter(|one| !known(one)).for_each(tell);
            *told = words;
        }
        CatchNews::Stands => tell("it stands; looking what became of all of it"),
        CatchNews::Run(_) => {}
    };
    let ended = catch_device(finder.workplace, device, wanted.what(), stopped, &news).await;
    interrupt.abort();
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
