//! Catch: waits for a device that does not start any more, and puts back what a run took out in the moments in which it can be asked.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use futures_util::FutureExt as _;
use tokio::sync::watch;
use tokio::time::Instant;
use wibbet_adb::LinkError;
use wibbet_core::ask::Request;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{Catch, CatchAnswer, CatchNext, CatchView, RoundAnswers, read_round, round_requests};
use wibbet_core::package::PackageState;
use wibbet_core::plan::{Change, Plan, plan_by_record};
use wibbet_core::read::{
    read_signs, read_system_crash, says_found, service_request, signs_request, system_crash_request,
};
use wibbet_core::run::{OfRuns, Run, RunKind, RunState, StepEvent, StepState, TakenOut};
use wibbet_types::{DeviceId, PackageId, RunId, StepIndex, UserId};

use crate::device::{AdbDevice, AskError, Device as _, LinkStep};
use crate::logbook::{SharedLogbook, now};
use crate::ops::{NoteError, claim, note_met};
use crate::run::{Control, RunEnded, RunError, RunNews, begin_run, carry_on, stopped};
use crate::workplace::Workplace;

/// How often it is looked whether the package service has come up. The question takes the device some 10 ms.
const POLL: Duration = Duration::from_millis(100);

/// How often all signs are looked at while nothing is to be sent.
const LOOK: Duration = Duration::from_secs(2);

/// How long a line with a window of a second or two may keep silent: a device that dies takes the answer with it.
const SILENT: Duration = Duration::from_secs(20);

/// So many bytes of the answer to a line are looked at: some hundred for each step.
const MOST_ANSWERED: usize = 1 << 20;

/// What becomes of a catch.
#[derive(Debug, Clone, PartialEq)]
pub enum CatchNews {
    /// The device is waited for, and why, in words.
    Waiting(String),
    /// It was met, and what is put back is written down as this run.
    Begun(Arc<Run>),
    /// What is seen, so long after the beginning.
    Seen(Box<CatchView>, Duration),
    /// It stands: what became of all of it is looked at, as in any run.
    Stands,
    /// What becomes of that.
    Run(RunNews),
}

/// Why there is nothing to be caught.
const NOTHING_OUT: &str = "the logbook has nothing that a run took out of this device and that is not back";

/// Waits for a device and puts back what a run took out of it, over as many of its starts as that takes; then looks what became of it, as
/// in any run. Until it stands nothing but that is sent. Setting `stop` ends it after what is on its way; it can be begun again.
pub async fn catch_device(
    workplace: &Workplace,
    device: &AdbDevice,
    wanted: OfRuns,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(CatchNews) + Send + Sync),
) -> RunEnded {
    let mut number = None;
    let result = caught(workplace, device, wanted, stop, news, &mut number).await;
    RunEnded { number, result }
}

async fn caught(
    workplace: &Workplace,
    device: &AdbDevice,
    wanted: OfRuns,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(CatchNews) + Send + Sync),
    number: &mut Option<RunId>,
) -> Result<Run, RunError> {
    let book = &workplace.book;
    let begun = Instant::now();
    let facts = tokio::select! {
        biased;
        () = stopped(stop.clone()) => return Err(RunError::Stopped),
        facts = met(workplace, device, news) => facts?,
    };
    let _claimed = claim(workplace, device)?;
    // It starts anew all the time, which is no sign of another device in its place.
    let _restarts = device.restarts_are_expected();
    let run = to_be_put_back(workplace, device, &facts.id, wanted).await?;
    *number = Some(run.number);
    news(CatchNews::Begun(Arc::new(run.clone())));
    // What is not sent in a line is left to the end: a copy is installed by several requests.
    let in_a_line = run.steps.iter().filter(|step| step.outcome.is_none() && step.way != Change::InstallCopy);
    let machine = Catch::new(in_a_line.map(|step| (step.index, step.way == Change::Reinstall)));
    let catching = Catching {
        book,
        device,
        run: Mutex::new(run),
        machine: Mutex::new(machine),
        begun,
        news,
        crash_asked_in: Mutex::new(0),
    };
    if let Err(error) = catching.until_it_stands(&stop).await {
        let number = catching.run().number;
        // Whoever stops it, or finds the disk full, leaves a run that can be carried on.
        let _ = book.with(move |book| book.set_run_state(number, RunState::Stopped, now())).await;
        return Err(error);
    }
    news(CatchNews::Stands);
    let run_news = |what| news(CatchNews::Run(what));
    let number = catching.run().number;
    carry_on(workplace, device, number, stop, &run_news).await
}

/// Waits until the device answers, and notes that it was met.
async fn met(
    workplace: &Workplace,
    device: &AdbDevice,
    news: &(dyn Fn(CatchNews) + Send + Sync),
) -> Result<DeviceFacts, RunError> {
    let mut told = String::new();
    loop {
        let why = match linked(device, news).await {
            Ok(()) => match device.facts().filter(|_| device.is_noted()) {
                Some(facts) => return Ok(facts),
                None => match note_met(&workplace.book, device).await {
                    Ok(facts) => return Ok(facts),
                    Err(NoteError::Ask(error)) => error,
                    Err(NoteError::Logbook(error)) => return Err(error.into()),
                },
            },
            Err(error) => error,
        };
        tell_waiting(&why, &mut told, news)?;
        tokio::time::sleep(POLL).await;
    }
}

/// Makes the link where there is none, telling what stands in the way.
async fn linked(device: &AdbDevice, news: &(dyn Fn(CatchNews) + Send + Sync)) -> Result<(), AskError> {
    let mut watch = |step: LinkStep| {
        if let LinkStep::AwaitingTap { .. } = step {
            news(CatchNews::Waiting(
                "the device asks whether to allow this computer: its key is not stored there. Tap “Allow”, with “always”, where its screen can be used; \
                 where it cannot, only a computer that it knows gets in"
                    .into(),
            ));
        }
    };
    device.connect(&mut watch).await.map(drop)
}

/// What is told while there is no link; an error where waiting does not help.
fn tell_waiting(why: &AskError, told: &mut String, news: &(dyn Fn(CatchNews) + Send + Sync)) -> Result<(), RunError> {
    let words = match why {
        AskError::OtherDevice(_) | AskError::Taken(_) => return Err(RunError::Ask(why.clone())),
        // The dialog was there as long as that takes: it is not opened over and over.
        AskError::NoLink(LinkError::NotAuthorised { .. }) => {
            return Err(RunError::NotBegun(format!("{why}. Begin again once it is")));
        }
        AskError::NotAndroid(mode) => format!(
            "{mode}: nothing can be put back from there. Choose “Try again” or “Reboot system now” on it, not “Factory data reset”: that erases everything"
        ),
        other => format!("waiting for the device: {other}"),
    };
    if *told != words {
        told.clone_from(&words);
        news(CatchNews::Waiting(words));
    }
    Ok(())
}

/// The run in which it is put back: one that was begun for the same and is not done, or a new one, written down.
async fn to_be_put_back(
    workplace: &Workplace,
    device: &AdbDevice,
    id: &DeviceId,
    wanted: OfRuns,
) -> Result<Run, RunError> {
    let book = &workplace.book;
    let of = id.clone();
    let runs = book.with(move |book| book.runs(Some(&of))).await?;
    if let OfRuns::Run(number) = wanted
        && !runs.iter().any(|run| run.number == number)
    {
        return Err(RunError::NoSuchRun(number));
    }
    let (_, out) = wanted.taken_out(&runs);
    if out.is_empty() {
        return Err(RunError::NotBegun(NOTHING_OUT.into()));
    }
    if let Some(open) = runs.iter().filter(|run| is_begun_for(run, &out)).max_by_key(|run| run.number) {
        return Ok(open.clone());
    }
    let capabilities = device.capabilities();
    let places: Vec<(PackageId, UserId, PackageState, PackageState)> =
        out.iter().map(|one| (one.id.clone(), one.user, one.now, one.target)).collect();
    let plan: Plan = plan_by_record(&capabilities, &places).giving_back(|id, user| {
        out.iter().find(|one| one.id == *id && one.user == user).map(|one| one.given.clone()).unwrap_or_default()
    });
    if plan.to_send() == 0 {
        let why = plan.steps.iter().find_map(|step| step.skip).map_or_else(String::new, |skip| format!(": {skip}"));
        return Err(RunError::NotBegun(format!("nothing of it can be put back by a command of this Android{why}")));
    }
    let number = begin_run(workplace, id, RunKind::PutBack, &plan, &capabilities).await?;
    book.with(move |book| book.run(number)).await?.ok_or(RunError::NoSuchRun(number))
}

/// Whether a run was begun to put all of this back, and is not done.
fn is_begun_for(run: &Run, out: &[TakenOut]) -> bool {
    let of = |one: &TakenOut| run.steps.iter().any(|step| step.id == one.id && step.user == one.user);
    run.kind == RunKind::PutBack
        && run.is_unfinished()
        && run.steps.iter().any(|step| step.state != StepState::Settled)
        && out.iter().all(of)
}

struct Catching<'a> {
    book: &'a SharedLogbook,
    device: &'a AdbDevice,
    run: Mutex<Run>,
    machine: Mutex<Catch>,
    begun: Instant,
    news: &'a (dyn Fn(CatchNews) + Send + Sync),
    /// The round in which the log was last asked what the system died of.
    crash_asked_in: Mutex<u32>,
}

impl Catching<'_> {
    fn run(&self) -> std::sync::MutexGuard<'_, Run> {
        self.run.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn machine(&self) -> std::sync::MutexGuard<'_, Catch> {
        self.machine.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn at(&self) -> Duration {
        self.begun.elapsed()
    }

    fn tell(&self) {
        let view = self.machine().view().clone();
        (self.news)(CatchNews::Seen(Box::new(view), self.at()));
    }

    /// Sends whatever can be sent until the device has stood long enough.
    async fn until_it_stands(&self, stop: &watch::Receiver<Control>) -> Result<(), RunError> {
        let mut told = String::new();
        let mut looked: Option<Instant> = None;
        loop {
            if stopped(stop.clone()).now_or_never().is_some() {
                return Err(RunError::Stopped);
            }
            let next = self.machine().next(self.at());
            match next {
                CatchNext::Over => return Ok(()),
                CatchNext::Send(steps) => {
                    let back = self.machine().view().back;
                    self.send(&steps).await?;
                    self.tell();
                    // A service that is said to be there and does nothing is not asked as fast as the line allows.
                    if self.machine().view().back == back {
                        tokio::time::sleep(POLL).await;
                    }
                    continue;
                }
                CatchNext::Look => {}
            }
            // What only reads need not be waited for when somebody stops.
            let seen = tokio::select! {
                biased;
                () = stopped(stop.clone()) => return Err(RunError::Stopped),
                seen = self.look(&mut looked) => seen,
            };
            match seen {
                Ok(()) => told.clear(),
                Err(why) => {
                    looked = None;
                    self.machine().lost();
                    tell_waiting(&why, &mut told, self.news)?;
                }
            }
            let waits = matches!(self.machine().next(self.at()), CatchNext::Look);
            if waits {
                tokio::time::sleep(POLL).await;
            }
        }
    }

    /// Looks whether the package service is there, and now and then at all signs.
    async fn look(&self, looked: &mut Option<Instant>) -> Result<(), AskError> {
        linked(self.device, self.news).await?;
        let whole = looked.is_none_or(|at| at.elapsed() >= LOOK);
        let (rounds, up) = {
            let machine = self.machine();
            (machine.view().rounds, machine.view().windows)
        };
        if !whole {
            let said = self.device.ask(&service_request(), &mut |_| {}).await?;
            self.machine().service(says_found(&said), self.at());
        } else {
            let said = self.device.ask(&signs_request(), &mut |_| {}).await?;
            let signs = read_signs(&said.out);
            self.machine().saw(&signs, self.at());
            *looked = Some(Instant::now());
            if !signs.service {
                self.ask_what_it_died_of().await?;
            }
            self.tell();
            return Ok(());
        }
        let view = self.machine().view().clone();
        if (view.rounds, view.windows) != (rounds, up) {
            self.tell();
        }
        Ok(())
    }

    /// Once a round, while there is nothing else to be done: what the log says of the crash before.
    async fn ask_what_it_died_of(&self) -> Result<(), AskError> {
        let round = self.machine().view().rounds;
        {
            let mut asked = self.crash_asked_in.lock().unwrap_or_else(PoisonError::into_inner);
            if *asked == round || self.machine().view().crash.is_some() {
                return Ok(());
            }
            *asked = round;
        }
        let said = self.device.ask(&system_crash_request(), &mut |_| {}).await?;
        if let Some(reason) = read_system_crash(&said.out) {
            self.machine().heard_of_crash(reason);
        }
        Ok(())
    }

    /// Writes steps down as sent, sends them, and writes down what was answered, whatever became of the device meanwhile.
    async fn send(&self, steps: &[StepIndex]) -> Result<(), RunError> {
        let longest = match self.device.longest_command().await {
            Ok(longest) => longest,
            Err(error) => {
                self.machine().lost();
                return tell_waiting(&error, &mut String::new(), self.news);
            }
        };
        let lines = round_requests(&self.run(), steps, &self.device.capabilities(), longest);
        let sent: Vec<StepIndex> = lines.iter().flat_map(|(_, of)| of.iter().copied()).collect();
        // What has no command here is left to the end.
        for left in steps.iter().filter(|step| !sent.contains(step)) {
            self.machine().answered(*left, CatchAnswer::No);
        }
        for (line, of) in lines {
            let at = now();
            self.record(of.iter().map(|index| (*index, StepEvent::Sent { at, order: 0 })).collect()).await?;
            self.machine().sent(&of);
            let mut came = Vec::new();
            let asked = self.ask_for_a_while(&line, &mut came).await;
            let answers = read_round(&self.run(), &of, &String::from_utf8_lossy(&came), asked.is_ok());
            self.hear(answers).await?;
            if let Err(why) = asked {
                self.machine().lost();
                return tell_waiting(&why, &mut String::new(), self.news);
            }
            self.machine().went_unanswered();
        }
        Ok(())
    }

    /// Asks, and gives up where nothing comes any more: the device may be dead without its link having noticed.
    async fn ask_for_a_while(&self, line: &Request, came: &mut Vec<u8>) -> Result<(), AskError> {
        let last = Mutex::new(Instant::now());
        let silent = async {
            loop {
                let until = *last.lock().unwrap_or_else(PoisonError::into_inner) + SILENT;
                if until <= Instant::now() {
                    return;
                }
                tokio::time::sleep_until(until).await;
            }
        };
        let mut take = |piece: &[u8]| {
            *last.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
            let room = MOST_ANSWERED.saturating_sub(came.len()).min(piece.len());
            came.extend_from_slice(&piece[..room]);
        };
        let answered = tokio::select! {
            biased;
            said = self.device.ask(line, &mut take) => said.map(drop),
            () = silent => Err(AskError::Silent("the device has stopped answering".into())),
        };
        if matches!(answered, Err(AskError::Silent(_))) {
            self.device.hang_up().await;
        }
        answered
    }

    async fn hear(&self, answers: RoundAnswers) -> Result<(), RunError> {
        let at = now();
        let events =
            answers.steps.iter().map(|(index, text, _)| (*index, StepEvent::Answered { text: text.clone(), at }));
        self.record(events.collect()).await?;
        let mut machine = self.machine();
        answers.steps.iter().for_each(|(index, _, answer)| machine.answered(*index, *answer));
        if answers.written {
            machine.written();
        }
        Ok(())
    }

    /// On disk first, then by the same rule in memory, and told.
    async fn record(&self, events: Vec<(StepIndex, StepEvent)>) -> Result<(), RunError> {
        if events.is_empty() {
            return Ok(());
        }
        let number = self.run().number;
        let given = events.clone();
        let kept = self.book.with(move |book| book.append_all(number, &given)).await?;
        for ((index, _), event) in events.iter().zip(kept) {
            self.run().apply(*index, &event);
            (self.news)(CatchNews::Run(RunNews::Step(*index, event)));
        }
        Ok(())
    }
}
