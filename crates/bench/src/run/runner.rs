//! Carrying out a run: each step written down, sent, answered, read back.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use futures_util::future::{BoxFuture, Shared, join};
use futures_util::stream::FuturesUnordered;
use futures_util::{FutureExt as _, StreamExt as _};
use tokio::sync::watch;
use tokio::time::{Instant, sleep_until, timeout};
use wibbet_core::package::{Essentials, PackageState};
use wibbet_core::plan::{Change, SkipReason, TrayItem, without_way_back};
use wibbet_core::read::{ReadBack, says_written, write_request};
use wibbet_core::run::{
    Outcome, Run, RunKind, RunState, Schedule, Since, Step, StepEvent, StepState, before_sending, came_back, is_fresh,
    not_as_recorded, settle_open,
};
use wibbet_logbook::LogbookError;
use wibbet_types::{PackageId, RunId, StepIndex, UserId};

use super::control::{Control, goes_on, stopped};
use super::error::{RunError, RunNews};
use super::heard::{About, Heard, Led, about};
use crate::device::{AskError, Device};
use crate::logbook::{SharedLogbook, now};
use crate::ops::{Answers, Sight, SurveyError, essential_answers, look_at_all};
use crate::policy::RunPolicy;

/// Carries runs out on one device.
pub struct Runner<'a, D> {
    pub(super) device: &'a D,
    pub(super) book: &'a SharedLogbook,
    pub(super) patience: RunPolicy,
    pub(super) news: &'a (dyn Fn(RunNews) + Send + Sync),
    stop: watch::Receiver<Control>,
    /// Ends when somebody asks to stop. One for all who wait for that: whoever waits at a `watch` is woken in an order that
    /// chance decides.
    stopping: Shared<BoxFuture<'static, ()>>,
    /// Ends [`LAST_LOOK`] after that: one time for all that is still read, so that a stop is not longer the more there is of it.
    enough: Shared<BoxFuture<'static, ()>>,
    run: Mutex<Run>,
    /// The steps that were settled in this go, and in which start of the device.
    pub(super) settled: Mutex<HashMap<StepIndex, Option<String>>>,
    /// How often steps were sent in this go.
    pub(super) tries: Mutex<HashMap<StepIndex, u32>>,
    /// What packages were for all users when they were looked at last.
    pub(super) seen: Mutex<HashMap<PackageId, BTreeMap<UserId, PackageState>>>,
}

/// How long a look that has begun may go on when somebody asks to stop: it mostly ends much sooner, and then nothing stays
/// open.
const LAST_LOOK: Duration = Duration::from_secs(2);

/// How long the device may then take to say that it has written down what was changed.
const LAST_WORD: Duration = Duration::from_secs(1);

/// What has been answered is read back after this time at the latest, or when so many steps have been: each reading has the
/// device tell of all its packages.
const READ_BACK_AFTER: Duration = Duration::from_secs(5);
const READ_BACK_AT_ONCE: usize = 32;

/// What has been sent when somebody stops is to be answered within about this time: so much may be on its way to a quick device
/// over a long line, more than a few steps at which the device would have nothing to do while answers travel.
const ANSWERED_WITHIN: Duration = Duration::from_millis(400);
const WIDEST_WINDOW: usize = 8;

/// How many steps may be on their way, where one of so many together was answered after this time: at least `least` of them.
fn room_for(least: usize, together: usize, took: Duration) -> usize {
    let each = took.as_micros() / together.max(1) as u128;
    let room = ANSWERED_WITHIN.as_micros() / each.max(1);
    usize::try_from(room).unwrap_or(usize::MAX).min(WIDEST_WINDOW).max(least)
}

/// Why a step was left where it is.
pub(crate) enum Left {
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
        book: &'a SharedLogbook,
        patience: RunPolicy,
        number: RunId,
        stop: watch::Receiver<Control>,
        news: &'a (dyn Fn(RunNews) + Send + Sync),
    ) -> Result<Run, RunError> {
        let run = book.with(move |book| book.run(number)).await?.ok_or(RunError::NoSuchRun(number))?;
        if let Some(why) = run.not_understood.first() {
            return Err(RunError::NotUnderstood { run: number, why: why.clone() });
        }
        if let Some((bench, _)) = run.taken_in {
            return Err(RunError::OfAnotherBench { run: number, bench });
        }
        let stopping = stopped(stop.clone()).boxed().shared();
        let until = stopping.clone();
        let enough = async move {
            until.await;
            tokio::time::sleep(LAST_LOOK).await;
        };
        let enough = enough.boxed().shared();
        let run = Mutex::new(run);
        let runner = Self {
            device,
            book,
            patience,
            news,
            stop,
            stopping,
            enough,
            run,
            settled: Mutex::default(),
            tries: Mutex::default(),
            seen: Mutex::default(),
        };
        let ended = runner.all().await;
        let state = match &ended {
            Ok(()) if !runner.run().has_open_steps() => RunState::Finished,
            _ => RunState::Stopped,
        };
        let noted = runner.state(state).await;
        match ended {
            Err(Left::Failed(error)) => Err(error),
            _ => noted.map(|()| runner.run().clone()).map_err(RunError::Logbook),
        }
    }

    pub(super) fn run(&self) -> MutexGuard<'_, Run> {
        self.run.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The run as a whole has got so far: on disk, in memory, for whoever watches.
    async fn state(&self, state: RunState) -> Result<(), LogbookError> {
        let (number, at) = (self.run().number, now());
        let noted = self.book.with(move |book| book.set_run_state(number, state, at)).await;
        let stands = {
            let mut run = self.run();
            (run.state, run.touched) = (state, at);
            Arc::new(run.clone())
        };
        (self.news)(RunNews::Stands(stands));
        noted
    }

    /// Something happens to a step: on disk first, then by the same rule in memory, and for whoever watches.
    pub(super) async fn record(&self, index: StepIndex, event: StepEvent) -> Result<(), Left> {
        let number = self.run().number;
        let event = self.book.with(move |book| book.append(number, index, &event)).await?;
        self.run().apply(index, &event);
        if matches!(event, StepEvent::Settled { .. }) {
            let start = self.device.start();
            self.settled.lock().unwrap_or_else(PoisonError::into_inner).insert(index, start);
        }
        (self.news)(RunNews::Step(index, event));
        Ok(())
    }

    async fn all(&self) -> Result<(), Left> {
        self.state(RunState::Open).await?;
        if self.run().has_open_steps() {
            self.look_first().await?;
        }
        // What an interruption kept from being written down.
        self.replace_refused().await?;
        self.ask_again_for_replacements().await?;
        let waiting: Vec<(StepIndex, About)> = {
            let run = self.run();
            run.steps.iter().filter(|s| s.state == StepState::Waiting).map(|s| (s.index, about(run.kind, s))).collect()
        };
        // What an interruption left owing.
        let owing: Vec<StepIndex> = {
            let run = self.run();
            let stands = run.steps.iter().any(|step| step.state == StepState::Waiting);
            let owes = |step: &&Step| step.owes() || (stands && step.took_over_nothing());
            run.steps.iter().filter(owes).map(|step| step.index).collect()
        };
        for index in owing {
            self.give_back(index).await?;
        }
        // What is to take the place of something is there before that goes.
        let kind = self.run().kind;
        let (first, waiting): (Vec<_>, Vec<_>) = match kind {
            RunKind::TakeOut => waiting.into_iter().partition(|(index, _)| self.is_replacement(*index)),
            _ => (Vec::new(), waiting),
        };
        let mut left = self.all_that_waits(first).await;
        if left.is_none() && !waiting.is_empty() {
            left = self.without_its_replacement();
        }
        if left.is_none() {
            left = self.all_that_waits(waiting).await;
        }
        match left {
            // Nothing can be written down here, which is no reason that the device should not.
            Some(left @ (Left::Stopped | Left::Failed(RunError::Logbook(_)))) => {
                self.have_it_written().await;
                Err(left)
            }
            Some(left) => Err(left),
            None => join(self.have_it_written(), self.look_last()).await.1,
        }
    }

    /// Sends what waits, in order and some of it at the same time, so that no step is waited for over the line while the device
    /// could be at the next one. What has been answered is read back meanwhile, many steps at once.
    async fn all_that_waits(&self, waiting: Vec<(StepIndex, About)>) -> Option<Left> {
        // Before Android 7 each command is a runtime of its own, and several of them at a time are more than such devices have room for.
        let runtimes = self.device.capabilities().starts_a_runtime_for_each_command();
        // One must not close the partition of the system behind itself while another one writes there.
        let writes = self.run().steps.iter().any(|step| step.way.is_about_the_system() && step.outcome.is_none());
        let window = if runtimes || writes { 1 } else { self.patience.window };
        let mut schedule = Schedule::new(waiting, window);
        let mut on_the_way = FuturesUnordered::new();
        let mut reading = FuturesUnordered::new();
        let mut unread: Vec<Heard> = Vec::new();
        let (mut pace, mut reads_what_is_odd) = (READ_BACK_AFTER, false);
        let (begun, mut answered) = (Instant::now(), 0u32);
        let mut left: Option<Left> = None;
        loop {
            let control = *self.stop.borrow();
            if control == Control::Stop {
                schedule.stop();
                left.get_or_insert(Left::Stopped);
            }
            // Nobody who has gone pauses anything.
            let somebody = self.stop.has_changed().is_ok();
            let pauses = control == Control::Pause && somebody && left.is_none() && schedule.waiting() > 0;
            // What went wrong shows what the device is now before anything else is done to it.
            let is_odd = unread.iter().any(Heard::is_odd);
            schedule.hold(is_odd || reads_what_is_odd || pauses);
            while let Some(index) = schedule.next_ready() {
                on_the_way.push(async move {
                    let begun = Instant::now();
                    (index, self.send(index).await, begun.elapsed())
                });
            }
            // Where the rest is done soon, all is read back in one go then.
            let rest = u32::try_from(schedule.waiting()).unwrap_or(u32::MAX);
            let rest_takes = begun.elapsed().saturating_mul(rest) / answered.max(1);
            let wait = if rest_takes < pace { pace * 2 } else { pace };
            let oldest = unread.first().map(|heard| heard.at + wait);
            if reading.is_empty() && !unread.is_empty() {
                let enough = is_odd || on_the_way.is_empty() || unread.len() >= READ_BACK_AT_ONCE;
                if enough || oldest.is_some_and(|oldest| oldest <= Instant::now()) {
                    reads_what_is_odd = is_odd;
                    let heard = std::mem::take(&mut unread);
                    reading.push(async move {
                        let begun = Instant::now();
                        (self.read_back(heard).await, begun.elapsed())
                    });
                }
            }
            let ended = tokio::select! {
                biased;
                Some((read, took)) = reading.next() => {
                    reads_what_is_odd = false;
                    // A device that takes long to tell is asked the more seldom.
                    pace = READ_BACK_AFTER.max(took.saturating_mul(8));
                    read.map(|led| for led in led {
                        match led {
                            Led::Again(index) if left.is_none() => schedule.again(index),
                            Led::Settled(index) | Led::Again(index) => schedule.finish(index),
                            Led::Instead(index, about) if left.is_none() => schedule.first(index, about),
                            // It waits, and is sent when the run is carried on.
                            Led::Instead(..) => {}
                        }
                    })
                }
                Some((index, sent, took)) = on_the_way.next() => sent.map(|heard| match heard {
                    Some(heard) => {
                        // One at a time stays so.
                        if window > 1 {
                            schedule.widen(room_for(window, on_the_way.len() + 1, took));
                        }
                        schedule.answered(index);
                        answered += 1;
                        unread.push(heard);
                    }
                    None => schedule.finish(index),
                }),
                () = sleep_until(oldest.unwrap_or_else(Instant::now)), if oldest.is_some() && reading.is_empty() => Ok(()),
                // Whatever was asked for meanwhile is done then.
                () = goes_on(self.stop.clone()), if pauses => Ok(()),
                else => return left,
            };
            if let Err(why) = ended {
                schedule.stop();
                // A failure says more than a stop.
                if !matches!(left, Some(Left::Failed(_))) {
                    left = Some(why);
                }
            }
        }
    }

    /// Whoever carries on with a run that stands still for a replacement that was not installed wants that tried again.
    async fn ask_again_for_replacements(&self) -> Result<(), Left> {
        let again: Vec<StepIndex> = {
            let run = self.run();
            let stands = run.kind == RunKind::TakeOut && run.steps.iter().any(|step| step.state == StepState::Waiting);
            let failed = |step: &&Step| {
                // What the plan left out stays so.
                let left_out = step.outcome == Some(Outcome::Skipped) && step.settled.is_none();
                let failed = matches!(step.outcome, Some(Outcome::Refused | Outcome::NoEffect | Outcome::Skipped));
                let not_done = failed && !left_out;
                step.way == Change::InstallCopy && not_done && !step.way.is_met_by(step.after.unwrap_or(step.before))
            };
            run.steps.iter().filter(|_| stands).filter(failed).map(|step| step.index).collect()
        };
        for index in again {
            self.record(index, StepEvent::WaitsAgain { remark: String::new() }).await?;
        }
        Ok(())
    }

    fn is_replacement(&self, index: StepIndex) -> bool {
        self.run().steps.get(index.get()).is_some_and(|step| step.way == Change::InstallCopy)
    }

    /// Why the rest of the run is left alone: something that was to be there first is not.
    fn without_its_replacement(&self) -> Option<Left> {
        let run = self.run();
        let done =
            |step: &Step| step.outcome == Some(Outcome::Done) || step.way.is_met_by(step.after.unwrap_or(step.before));
        let mut first = run.steps.iter().filter(|step| step.way == Change::InstallCopy);
        let words = match first.clone().find(|step| !done(step)) {
            Some(missing) => format!("{} was not installed, so nothing was taken out: {}", missing.id, missing.remark),
            None => {
                let missing = first.find(|step| step.took_over_nothing())?;
                let said = missing.returned_words().unwrap_or_default();
                format!("{} was installed and did not take over, so nothing was taken out: {said}", missing.id)
            }
        };
        (run.kind == RunKind::TakeOut).then_some(Left::Failed(RunError::Device(words)))
    }

    /// Has the device write down what was changed, which it would do some seconds later by itself: one that goes down before
    /// loses it.
    async fn have_it_written(&self) {
        // Also what an interrupted go has done, and what may have been done of which nobody has written down that it was.
        if !self.run().steps.iter().any(|step| step.outcome == Some(Outcome::Done) || step.is_open_question()) {
            return;
        }
        let write = async {
            for _ in 0..self.patience.tries {
                match self.device.ask(&write_request(), &mut |_| {}).await {
                    Ok(said) if says_written(&said) => return true,
                    // The link has gone, and is made anew by the next try.
                    Err(AskError::NoLink(_) | AskError::Lost(_)) => tokio::time::sleep(self.patience.pause).await,
                    _ => return false,
                }
            }
            false
        };
        let no_longer = async {
            self.stopping.clone().await;
            tokio::time::sleep(LAST_WORD).await;
        };
        // It changes no package, so a stop need not wait for it.
        let written = tokio::select! {
            biased;
            written = write => written,
            () = no_longer => false,
        };
        if written {
            return;
        }
        let words = "the device did not say that it has written the changes down: it does so by itself within 15 seconds, \
                     and must not be restarted before";
        (self.news)(RunNews::Found(words.into()));
    }

    /// Looks at all packages once before anything is sent: settles what an interruption left open,
    /// and takes down the states as they really are.
    async fn look_first(&self) -> Result<(), Left> {
        let steps = self.run().steps.clone();
        let takes_out = steps.iter().any(|step| step.way.takes_out());
        let (seen, answers) = join(self.look_at_all(&steps, false), self.essential_answers(takes_out)).await;
        let (seen, answers) = (seen?, answers?);
        for (step, sight) in steps.iter().zip(&seen) {
            self.remember(&step.id, sight);
            let index = step.index;
            if step.is_open_question()
                && let Some(event) = settle_open(step, sight.found, true, now())
            {
                self.record(index, event).await?;
            }
            // One that waits again has the state of now to go back to, not that of days ago. Where it cannot be told now,
            // the step itself will find out.
            let step = self.run().steps[index.get()].clone();
            if let Some(event) = before_sending(&step, sight.found, now()) {
                self.record(index, event).await?;
            }
        }
        // Others may have lost it since this was planned: whoever has the last copy now is not told to give it up.
        let waiting: Vec<Step> = self.run().steps.iter().filter(|s| s.state == StepState::Waiting).cloned().collect();
        let taking_out = waiting.iter().filter(|step| step.way.takes_out()).map(|step| {
            let item = TrayItem { id: step.id.clone(), user: step.user, way: step.way };
            (item, &seen[step.index.get()].told)
        });
        let (to_secure, mut stuck) = without_way_back(taking_out, &self.device.capabilities());
        // What has a copy comes back from it, whatever becomes of the device.
        stuck.retain(|(id, user)| !waiting.iter().any(|s| s.copy.is_some() && s.id == *id && s.user == *user));
        let kinds = waiting.iter().filter_map(|step| match &seen[step.index.get()].told {
            ReadBack::States(kind, _) => Some((&step.id, *kind)),
            _ => None,
        });
        // However old the plan is.
        let essentials = Essentials::of(kinds, &self.device.capabilities(), &answers).standing_on(self.device.ground());
        for step in waiting.iter().filter(|step| step.way.takes_out()) {
            let reason = match essentials.why(&step.id, step.user) {
                Some(what) => Some(SkipReason::Essential(what)),
                None => {
                    (!step.for_good && stuck.contains(&(step.id.clone(), step.user))).then_some(SkipReason::NoWayBack)
                }
            };
            if let Some(reason) = reason {
                let remark = reason.to_string();
                let event = StepEvent::Settled { outcome: Outcome::Skipped, after: None, remark, at: now() };
                self.record(step.index, event).await?;
            }
        }
        self.secure(&to_secure).await
    }

    /// Who does what the device does not start without, where that matters.
    async fn essential_answers(&self, matters: bool) -> Result<Answers, Left> {
        if !matters {
            return Ok(Answers::new());
        }
        let mut troubled = None;
        loop {
            let why = match self.until_stopped(essential_answers(self.device)).await? {
                Ok(found) => return Ok(found),
                Err(error) => self.or_final(error)?,
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    /// Looks at all packages once more when all is done: packages that reinstall
    /// themselves show up a moment later, and so do changes that nobody has confirmed.
    async fn look_last(&self) -> Result<(), Left> {
        let steps: Vec<Step> = {
            let run = self.run();
            let open = run.steps.iter().filter(|step| step.is_open_question());
            run.reached().chain(open).cloned().collect()
        };
        if steps.is_empty() {
            return Ok(());
        }
        let gone = steps.iter().any(|step| step.way.uninstalls());
        for (step, sight) in steps.iter().zip(self.look_at_all(&steps, gone).await?) {
            let event = match step.is_open_question() {
                true => settle_open(step, sight.found, false, now()),
                false => {
                    let own = self.settled.lock().unwrap_or_else(PoisonError::into_inner).get(&step.index).cloned();
                    let since = match &own {
                        Some(start) if *start == self.device.start() => Since::Running,
                        Some(_) => Since::Start,
                        None => Since::Unknown,
                    };
                    let event = came_back(step, sight.found, since, now());
                    let event = event.filter(|_| own.is_some() || is_fresh(step, now()));
                    event.or_else(|| not_as_recorded(&self.run(), step, sight.found, now()))
                }
            };
            if sight.found.state().is_some() {
                (self.news)(RunNews::States(step.id.clone(), sight.told));
            }
            if let Some(event) = event {
                self.record(step.index, event).await?;
            }
        }
        Ok(())
    }

    async fn look_at_all(&self, steps: &[Step], likely_gone: bool) -> Result<Vec<Sight>, Left> {
        let of: Vec<_> = steps.iter().map(|step| (step.id.clone(), step.user)).collect();
        let mut troubled = None;
        loop {
            let why = match self.until_stopped(look_at_all(self.device, &of, likely_gone)).await? {
                Ok(seen) => return Ok(seen),
                Err(SurveyError::Ask(error)) => self.or_final(error)?,
                Err(other) => RunError::Device(other.to_string()),
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    /// A trouble that may pass is given back; one that cannot ends the run.
    pub(super) fn or_final(&self, error: AskError) -> Result<RunError, Left> {
        match error {
            AskError::OtherDevice(_) | AskError::Taken(_) | AskError::NotAndroid(_) => {
                Err(Left::Failed(RunError::Ask(error)))
            }
            other => Ok(RunError::Ask(other)),
        }
    }

    /// Waits a little before the next try, unless the trouble, whose beginning is kept in `since`, has lasted long enough or
    /// somebody stops.
    pub(super) async fn wait(&self, since: &mut Option<Instant>, why: RunError) -> Result<(), Left> {
        if since.get_or_insert_with(Instant::now).elapsed() >= self.patience.link {
            (self.news)(RunNews::Waiting(None));
            return Err(Left::Failed(why));
        }
        let words = match &why {
            RunError::Ask(error) => error.to_string(),
            RunError::Device(words) => words.clone(),
            other => other.to_string(),
        };
        (self.news)(RunNews::Waiting(Some(words)));
        match timeout(self.patience.pause, self.stopping.clone()).await {
            Ok(()) => Err(Left::Stopped),
            Err(_) => Ok(()),
        }
    }

    /// Reads something, unless somebody stops and it does not end soon then. What is not known for that stays an open
    /// question. Never around what changes the device.
    pub(super) async fn until_stopped<T>(&self, reading: impl Future<Output = T>) -> Result<T, Left> {
        tokio::select! {
            biased;
            read = reading => Ok(read),
            () = self.enough.clone() => Err(Left::Stopped),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn more_is_on_its_way_only_to_devices_that_answer_soon() {
        let room = |least, together, millis| room_for(least, together, Duration::from_millis(millis));
        // 20 ms each over a line of 50 ms, then what comes of that; 80 ms each; slow ones.
        assert_eq!([room(3, 3, 110), room(3, 8, 210), room(3, 3, 290), room(3, 4, 370)], [8, 8, 4, 4]);
        assert_eq!([room(3, 3, 900), room(3, 1, 60_000), room(1, 1, 2_000)], [3, 3, 1]);
        assert_eq!([room(3, 0, 0), room(9, 3, 900)], [8, 9]);
    }
}
