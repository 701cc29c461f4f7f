//! Carrying out a run: each step written down, sent, answered, read back.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use futures_util::StreamExt as _;
use futures_util::stream::FuturesUnordered;
use thiserror::Error;
use tokio::sync::watch;
use tokio::time::{Instant, timeout};
use wibbet_core::package::PackageState;
use wibbet_core::read::ReadBack;
use wibbet_core::run::{Heard, Outcome, Refusal, Run, RunState, Said, Schedule, Step, StepState, judge, read_answer};
use wibbet_logbook::LogbookError;
use wibbet_types::{PackageId, PlainText, UserId};

use crate::book::{Book, now};
use crate::device::{AskError, Device};
use crate::settle::{SETTLED_LATER, came_back_words, not_done_words};
use crate::survey::{SurveyError, read_one, states};

/// How patient to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Patience {
    /// With a change: it may take a slow device long.
    pub change: Duration,
    /// With the next piece of something that is read.
    pub look: Duration,
    /// With a link that has gone, or a device that is still starting.
    pub link: Duration,
    /// Between two tries.
    pub pause: Duration,
    /// How often a change is sent again when the link went before its answer.
    pub tries: u32,
    /// How many steps may be on their way together.
    pub window: usize,
}

impl Default for Patience {
    fn default() -> Self {
        Self {
            change: Duration::from_secs(60),
            look: Duration::from_secs(30),
            link: Duration::from_secs(60),
            pause: Duration::from_millis(500),
            tries: 5,
            window: 1,
        }
    }
}

/// Why a run cannot go on. What it has done so far is in the logbook.
#[derive(Debug, Error)]
pub enum RunError {
    /// The record cannot be kept, so nothing more is sent.
    #[error(transparent)]
    Book(#[from] LogbookError),
    /// The device cannot be asked any more, for a reason that is known.
    #[error("{0}. The run stands where it was and can be carried on")]
    Ask(AskError),
    /// The device cannot be asked any more.
    #[error("{0}. The run stands where it was and can be carried on")]
    Device(String),
    /// There is no such run.
    #[error("the logbook has no run {0}")]
    NoSuchRun(i64),
}

/// What becomes of a run while it is carried out.
#[derive(Debug, Clone, PartialEq)]
pub enum RunNews {
    /// The run has changed; this is how it stands.
    Changed(Arc<Run>),
    /// Something is waited for, in words; `None` when no longer.
    Waiting(Option<String>),
    /// A package's states were read.
    States(PackageId, BTreeMap<UserId, PackageState>),
}

/// Carries runs out on one device.
pub struct Runner<'a, D> {
    device: &'a D,
    book: &'a Book,
    patience: Patience,
    news: &'a (dyn Fn(RunNews) + Send + Sync),
    stop: watch::Receiver<bool>,
    run: Mutex<Run>,
}

/// The states of every package for every user.
pub(crate) type AllStates = BTreeMap<PackageId, BTreeMap<UserId, PackageState>>;

/// Why a step was left where it is.
enum Left {
    /// Somebody asked to stop.
    Stopped,
    Failed(RunError),
}

impl From<LogbookError> for Left {
    fn from(error: LogbookError) -> Self {
        Self::Failed(error.into())
    }
}

impl<'a, D: Device> Runner<'a, D> {
    /// Carries out a run from where it stands: what was left open is settled by asking the device,
    /// then what waits is done. Setting `stop` ends it after the steps that are on their way. The
    /// device has to be claimed by the caller.
    ///
    /// # Errors
    /// When the run cannot go on; it is then "stopped" in the logbook, unless that cannot be
    /// written either.
    pub async fn carry_out(
        device: &'a D,
        book: &'a Book,
        patience: Patience,
        number: i64,
        stop: watch::Receiver<bool>,
        news: &'a (dyn Fn(RunNews) + Send + Sync),
    ) -> Result<Run, RunError> {
        let run = book.with(move |book| book.run(number)).await?.ok_or(RunError::NoSuchRun(number))?;
        let runner = Self { device, book, patience, news, stop, run: Mutex::new(run) };
        let ended = runner.all().await;
        let state = match &ended {
            Ok(()) if !runner.run().has_open_steps() => RunState::Finished,
            _ => RunState::Stopped,
        };
        let noted = book.with(move |book| book.set_run_state(number, state, now())).await;
        runner.change(|run| run.state = state);
        match ended {
            Err(Left::Failed(error)) => Err(error),
            _ => noted.map(|()| runner.run().clone()).map_err(RunError::Book),
        }
    }

    fn run(&self) -> MutexGuard<'_, Run> {
        self.run.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Changes the run as it is shown; the logbook has been written before.
    fn change(&self, change: impl FnOnce(&mut Run)) {
        let changed = {
            let mut run = self.run();
            change(&mut run);
            run.touched = now();
            Arc::new(run.clone())
        };
        (self.news)(RunNews::Changed(changed));
    }

    async fn all(&self) -> Result<(), Left> {
        let number = self.run().number;
        self.book.with(move |book| book.set_run_state(number, RunState::Open, now())).await?;
        self.change(|run| run.state = RunState::Open);
        if self.run().has_open_steps() {
            self.look_first().await?;
        }
        let waiting: Vec<(usize, PackageId)> = {
            let run = self.run();
            run.steps.iter().filter(|s| s.state == StepState::Waiting).map(|s| (s.place, s.id.clone())).collect()
        };
        let mut schedule = Schedule::new(waiting, self.patience.window);
        let mut on_the_way = FuturesUnordered::new();
        let mut left = None;
        loop {
            if *self.stop.borrow() {
                schedule.stop();
                left.get_or_insert(Left::Stopped);
            }
            while let Some(place) = schedule.next_ready() {
                on_the_way.push(async move { (place, self.step(place).await) });
            }
            let Some((place, ended)) = on_the_way.next().await else { break };
            schedule.settle(place);
            if let Err(why) = ended {
                schedule.stop();
                // A failure says more than a stop.
                if !matches!(left, Some(Left::Failed(_))) {
                    left = Some(why);
                }
            }
        }
        if let Some(left) = left {
            return Err(left);
        }
        self.look_last().await
    }

    /// Looks at all packages once before anything is sent: settles what an interruption left open,
    /// and takes down the states as they really are.
    async fn look_first(&self) -> Result<(), Left> {
        let seen = self.all_states().await?;
        let steps = self.run().steps.clone();
        let number = self.run().number;
        for step in steps {
            let Some(states) = self.states_of(&seen, &step.id).await? else {
                // It cannot be told now; the step itself will find out.
                if step.is_open_question() {
                    self.wait_again(step.place, "").await?;
                }
                continue;
            };
            let state = states.get(&step.user).copied().unwrap_or(PackageState::ABSENT);
            if step.is_open_question() {
                if step.way.is_met_by(state) {
                    self.settle(step.place, Outcome::Done, Some(state), SETTLED_LATER).await?;
                } else {
                    self.wait_again(step.place, &not_done_words(state)).await?;
                }
            } else if step.state == StepState::Waiting && step.before != state && step.way.takes_out() {
                let place = step.place;
                if step.way.is_met_by(state) {
                    self.settle(place, Outcome::Skipped, Some(state), "it is so already").await?;
                } else {
                    self.book.with(move |book| book.step_before(number, place, state)).await?;
                    self.change(|run| run.steps[place].before = state);
                }
            }
        }
        Ok(())
    }

    /// An open question that the device answers with "not done": the step waits again.
    async fn wait_again(&self, place: usize, remark: &str) -> Result<(), Left> {
        let number = self.run().number;
        let kept = remark.to_owned();
        self.book.with(move |book| book.step_waits_again(number, place, &kept)).await?;
        self.change(|run| {
            let step = &mut run.steps[place];
            (step.state, step.outcome, step.remark) = (StepState::Waiting, None, remark.to_owned());
        });
        Ok(())
    }

    /// Looks at all packages once more when all is done: what is put right behind one's back shows
    /// a moment later.
    async fn look_last(&self) -> Result<(), Left> {
        let reached: Vec<Step> = self.run().reached().cloned().collect();
        if reached.is_empty() {
            return Ok(());
        }
        let seen = self.all_states().await?;
        for step in &reached {
            let Some(states) = self.states_of(&seen, &step.id).await? else { continue };
            (self.news)(RunNews::States(step.id.clone(), states.clone()));
            let state = states.get(&step.user).copied().unwrap_or(PackageState::ABSENT);
            if !step.way.is_met_by(state) {
                self.settle(step.place, Outcome::NoEffect, Some(state), &came_back_words(state)).await?;
            }
        }
        Ok(())
    }

    /// A package's states among those just read; one that is missing there is asked for by itself.
    async fn states_of(
        &self,
        seen: &AllStates,
        id: &PackageId,
    ) -> Result<Option<BTreeMap<UserId, PackageState>>, Left> {
        if let Some(states) = seen.get(id) {
            return Ok(Some(states.clone()));
        }
        Ok(match self.read_back(id).await? {
            Some(ReadBack::States(states)) => Some(states),
            Some(ReadBack::Gone) => Some(BTreeMap::new()),
            _ => None,
        })
    }

    async fn all_states(&self) -> Result<AllStates, Left> {
        let deadline = Instant::now() + self.patience.link;
        loop {
            let why = match states(self.device).await {
                Ok(states) => return Ok(states),
                Err(SurveyError::Ask(error)) => self.or_final(error)?,
                Err(other) => RunError::Device(other.to_string()),
            };
            self.wait(deadline, why).await?;
        }
    }

    /// A trouble that may pass is given back; one that cannot ends the run.
    fn or_final(&self, error: AskError) -> Result<RunError, Left> {
        match error {
            AskError::OtherDevice(_) | AskError::NotAndroid(_) => Err(Left::Failed(RunError::Ask(error))),
            other => Ok(RunError::Ask(other)),
        }
    }

    /// Waits a little before the next try, unless it has been long enough or somebody stops.
    async fn wait(&self, deadline: Instant, why: RunError) -> Result<(), Left> {
        if Instant::now() >= deadline {
            (self.news)(RunNews::Waiting(None));
            return Err(Left::Failed(why));
        }
        let words = match &why {
            RunError::Ask(error) => error.to_string(),
            RunError::Device(words) => words.clone(),
            other => other.to_string(),
        };
        (self.news)(RunNews::Waiting(Some(words)));
        let mut stop = self.stop.clone();
        let stopped = async move {
            if stop.wait_for(|stop| *stop).await.is_err() {
                // A sender that has gone cannot stop anything any more.
                std::future::pending::<()>().await;
            }
        };
        match timeout(self.patience.pause, stopped).await {
            Ok(()) => Err(Left::Stopped),
            Err(_) => Ok(()),
        }
    }

    async fn step(&self, place: usize) -> Result<(), Left> {
        let (number, step) = {
            let run = self.run();
            (run.number, run.steps[place].clone())
        };
        if self.follows_a_failure(&step) {
            return self
                .settle(place, Outcome::Skipped, None, "the step before it on the same package was not done")
                .await;
        }
        let request = step.way.request(&step.id, step.user);
        let deadline = Instant::now() + self.patience.link;
        let mut tries = 0;
        loop {
            self.book.with(move |book| book.step_sent(number, place, now())).await?;
            self.change(|run| {
                let step = &mut run.steps[place];
                (step.state, step.answer, step.outcome) = (StepState::Sent, None, None);
            });
            let heard = match self.device.ask(&request, &mut |_| {}).await {
                Ok(answer) => {
                    (self.news)(RunNews::Waiting(None));
                    let said = read_answer(step.way, &answer);
                    if said == Said::Refused(Refusal::NotReady) {
                        self.wait(deadline, RunError::Device(Refusal::NotReady.meaning().into())).await?;
                        continue;
                    }
                    self.answered(number, place, &PlainText::new(&answer.text())).await?;
                    Heard::Answer(said)
                }
                // Nothing was sent: it is tried again when there is a link.
                Err(error @ AskError::NoLink(_)) => {
                    self.wait(deadline, RunError::Ask(error)).await?;
                    continue;
                }
                Err(error @ (AskError::OtherDevice(_) | AskError::NotAndroid(_))) => {
                    return Err(Left::Failed(RunError::Ask(error)));
                }
                Err(AskError::Refused(why)) => {
                    self.answered(number, place, &PlainText::new(&why)).await?;
                    Heard::Answer(Said::Refused(Refusal::Other))
                }
                Err(AskError::Lost(why)) => {
                    (self.news)(RunNews::Waiting(Some(why.to_string())));
                    Heard::LinkLost
                }
                Err(AskError::Silent(_)) => Heard::Silence,
                Err(AskError::Broken(_)) => Heard::Broken,
            };
            let after = self.read_back(&step.id).await?;
            match &after {
                Some(ReadBack::States(states)) => (self.news)(RunNews::States(step.id.clone(), states.clone())),
                Some(ReadBack::Gone) => (self.news)(RunNews::States(step.id.clone(), BTreeMap::new())),
                _ => {}
            }
            let after = after.and_then(|back| back.state(step.user));
            let verdict = judge(step.way, heard, after);
            tries += 1;
            // The link went, and the device says that nothing was done: the change is sent again.
            if heard == Heard::LinkLost
                && verdict.outcome == Outcome::Unsettled
                && after.is_some()
                && tries < self.patience.tries
            {
                continue;
            }
            return self.settle(place, verdict.outcome, after, &verdict.remark).await;
        }
    }

    /// Whether an earlier step of the run on the same package, on which this one builds, came to
    /// nothing.
    fn follows_a_failure(&self, step: &Step) -> bool {
        let run = self.run();
        let mut former = run.steps.iter().take(step.place).filter(|s| s.id == step.id && s.user == step.user);
        former.any(|s| s.outcome != Some(Outcome::Done))
    }

    async fn answered(&self, number: i64, place: usize, answer: &PlainText) -> Result<(), Left> {
        let kept = answer.clone();
        self.book.with(move |book| book.step_answered(number, place, &kept, now())).await?;
        self.change(|run| {
            run.steps[place].state = StepState::Answered;
            run.steps[place].answer = Some(answer.clone());
        });
        Ok(())
    }

    /// Reads one package back, waiting for the link where it has gone. `None` when the device
    /// cannot be brought to tell.
    async fn read_back(&self, id: &PackageId) -> Result<Option<ReadBack>, Left> {
        let deadline = Instant::now() + self.patience.link;
        let mut unreadable = 0;
        loop {
            let why = match read_one(self.device, id).await {
                Ok(told) => match told {
                    ReadBack::Unreadable(why) => {
                        unreadable += 1;
                        if unreadable == self.patience.tries {
                            return Ok(None);
                        }
                        RunError::Device(why)
                    }
                    told => {
                        (self.news)(RunNews::Waiting(None));
                        return Ok(Some(told));
                    }
                },
                Err(AskError::Silent(_)) => return Ok(None),
                Err(other) => self.or_final(other)?,
            };
            self.wait(deadline, why).await?;
        }
    }

    async fn settle(
        &self,
        place: usize,
        outcome: Outcome,
        after: Option<PackageState>,
        remark: &str,
    ) -> Result<(), Left> {
        let number = self.run().number;
        let (kept, moment) = (remark.to_owned(), now());
        self.book.with(move |book| book.step_settled(number, place, outcome, after, &kept, moment)).await?;
        self.change(|run| {
            let step = &mut run.steps[place];
            step.state = StepState::Settled;
            step.settled = Some(moment);
            step.outcome = Some(outcome);
            step.after = after.or(step.after);
            step.remark = remark.to_owned();
        });
        Ok(())
    }
}
