//! Runs of a session, and what their answers teach.

use std::sync::Arc;
use std::time::Duration;

use futures_util::future::join;
use tokio::time::Instant;
use wibbet_core::device::{AppFailure, Figures};
use wibbet_core::link::{Advice, Rung, RungStatus};
use wibbet_core::run::{Outcome, Refusal, Reply, Run, read_reply};
use wibbet_types::{PlainText, RunId};

use super::actor::Actor;
use super::event::SessionEvent;
use crate::device::AdbDevice;
use crate::logbook::now;
use crate::ops::{Watch, measure};
use crate::run::{Control, RunNews, RunStart, run_plan, try_changes};

impl Actor {
    /// What the answers of a run say of the permission.
    fn learn_from(&mut self, run: &Run) {
        let withheld = run.steps.iter().any(|step| {
            let said = step.answer.as_ref().map(|text| {
                let answer = wibbet_core::ask::Output { out: text.to_string(), ..Default::default() };
                read_reply(step.way, step.before, &answer)
            });
            said == Some(Reply::Refused(Refusal::SecondSwitch))
        });
        if withheld {
            let trouble = self.advise(Rung::Changes, Advice::SecondSwitch, "it refused a change");
            self.ladder.fall(trouble);
        } else if run.count(Outcome::Done) > 0 {
            self.ladder.note(Rung::Changes, RungStatus::Holds, "a change was made and read back");
        }
        self.tell_ladder();
    }

    /// Tries whether changes are permitted, since somebody wants to know.
    pub(super) async fn try_changes(&mut self) {
        let Some(inventory) = self.inventory.clone() else { return };
        match try_changes(&self.workplace, &self.device, &inventory).await {
            Ok(run) => {
                let step = run.steps.first();
                let id = step.map_or_else(String::new, |step| step.id.to_string());
                let ends = match step.and_then(|step| step.outcome) {
                    Some(Outcome::Done) => "they are permitted, and it is as it was",
                    Some(Outcome::Refused) => "it was refused",
                    _ => step.map_or("", |step| &step.remark),
                };
                self.tell(SessionEvent::Note(format!("Tried on {id}: {ends} (run {}).", run.number)));
                self.learn_from(&run);
            }
            Err(error) => {
                self.tell(SessionEvent::Note(format!("Whether changes are permitted was not found out: {error}")))
            }
        }
        self.tell_runs().await;
    }

    /// What the device is in figures before a run, and what its log tells from then on. The run hangs on neither.
    pub(super) async fn measured(&self) -> (Option<Figures>, Option<Watch>) {
        let measured = async {
            let inventory = self.inventory.clone()?;
            measure(&*self.device, &inventory).await
        };
        join(measured, Watch::begin(&*self.device)).await
    }

    /// Carries out a run.
    pub(super) async fn run(&self, start: RunStart) -> RunDone {
        self.stop.send_replace(Control::Go);
        let (before, watch) = self.measured().await;
        let events = &self.events;
        let news = move |news| match news {
            RunNews::Found(words) => events(SessionEvent::Note(words)),
            other => events(SessionEvent::Run(other)),
        };
        let ended = run_plan(&self.workplace, &self.device, start, self.stop.subscribe(), &news).await;
        RunDone { number: ended.number, trouble: ended.result.err().map(|error| error.to_string()), before, watch }
    }

    /// Tells how a run ended, and reads the packages again: paths and kinds may have changed beside
    /// the states that were read back. False when there is no link any more.
    pub(super) async fn after_run(&mut self, done: RunDone) -> bool {
        self.tell_runs().await;
        self.tell(SessionEvent::RunEnded(done.trouble));
        let run = match done.number {
            Some(number) => self.workplace.book.with(move |book| book.run(number)).await.ok().flatten(),
            None => None,
        };
        let up = self.read_packages().await;
        if let Some(run) = run.filter(|_| up) {
            self.learn_from(&run);
            self.note_figures(run.number, done.before).await;
            if let Some(watch) = done.watch.filter(|_| run.count(Outcome::Done) > 0) {
                let (device, events) = (Arc::clone(&self.device), Arc::clone(&self.events));
                self.watching.start(watch_failures(device, events, run.number, watch));
            }
        }
        up
    }

    /// Writes down what the device was in figures before a run, and what it is now.
    async fn note_figures(&self, number: RunId, before: Option<Figures>) {
        let Some(inventory) = self.inventory.clone() else { return };
        let after = measure(&*self.device, &inventory).await;
        let noted = self.workplace.book.with(move |book| {
            before.iter().try_for_each(|before| book.set_figures(number, false, before))?;
            after.iter().try_for_each(|after| book.set_figures(number, true, after))
        });
        if let Err(error) = noted.await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_runs().await;
    }

    /// Writes down what was seen of the device behind a run.
    pub(super) async fn note_seen(&self, number: RunId, words: PlainText) {
        if let Err(error) = self.workplace.book.with(move |book| book.add_seen(number, &words, now())).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_runs().await;
    }
}

/// A run as it ended.
pub(crate) struct RunDone {
    pub(super) number: Option<RunId>,
    /// Why it ended early.
    pub(super) trouble: Option<String>,
    /// The device in figures before it.
    pub(super) before: Option<Figures>,
    pub(super) watch: Option<Watch>,
}

/// For how long it is watched what fails behind a run, and how often it is looked.
const WATCHED_FOR: Duration = Duration::from_secs(300);
const LOOKED_EVERY: Duration = Duration::from_secs(15);

/// Tells what fails on the device behind a run, as it happens.
async fn watch_failures(
    device: Arc<AdbDevice>,
    events: Arc<dyn Fn(SessionEvent) + Send + Sync>,
    run: RunId,
    watch: Watch,
) {
    let until = Instant::now() + WATCHED_FOR;
    let mut known: Vec<AppFailure> = Vec::new();
    loop {
        // What the link is lost for is told elsewhere; the log is there when it is back.
        let found = watch.look(&*device).await.unwrap_or_default();
        let new: Vec<AppFailure> =
            found.into_iter().filter(|one| !known.iter().any(|known| known.is_like(one))).collect();
        if !new.is_empty() {
            known.extend(new.iter().cloned());
            events(SessionEvent::Failures { run, new, before: watch.before.clone() });
        }
        if Instant::now() >= until {
            return;
        }
        tokio::time::sleep(LOOKED_EVERY).await;
    }
}
