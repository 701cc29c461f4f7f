//! The fault finder on a device: which suspects there are, what a round takes, and what was seen of it.

use std::collections::BTreeSet;
use std::time::Duration;

use tokio::sync::watch;
use tokio::time::Instant;
use wibbet_core::ask::RestartTo;
use wibbet_core::catalog::Catalog;
use wibbet_core::diagnosis::{Cause, Check, Evaluation, FaultFinder, Next, Round, Suspect, suspects_of};
use wibbet_core::package::{Inventory, Note, Scope};
use wibbet_core::plan::{Plan, StartLoss, plan_put_back_with, plan_take_out};
use wibbet_core::run::{OfRuns, Run, RunKind, recorded_gifts, recorded_start};
use wibbet_types::{DeviceId, PackageId, PlainText, UserId};

use crate::device::{AdbDevice, Device as _};
use crate::logbook::{SharedLogbook, now};
use crate::ops::{RestartError, Watch, claim, comes_back, restart_device};
use crate::run::{Control, RunEnded, RunError, RunNews, RunStart, run_plan, stopped};
use crate::workplace::Workplace;

/// What is wanted of the fault finder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FindFault {
    /// Begin with these suspects; what is broken, in somebody's words, and what tells that by itself.
    Begin(Vec<Suspect>, PlainText, Option<Check>),
    /// Have these back and the others off.
    Try(Vec<bool>),
    /// That was seen with what is back now.
    Seen(Evaluation),
    /// The last answer was wrong.
    TakeBack,
    /// End it; what was found is remembered.
    End(Option<Cause>),
}

/// What a round takes: two runs, of which either may be empty. What comes back comes first.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RoundPlan {
    /// What comes back.
    pub put_back: Plan,
    /// What goes again.
    pub take_out: Plan,
}

impl RoundPlan {
    /// How many steps are sent.
    pub fn to_send(&self) -> usize {
        self.put_back.to_send() + self.take_out.to_send()
    }
}

/// Whom there is to suspect on a device of which everything has been read: what runs took out and is off.
///
/// # Errors
/// Where nothing is off that could be it, or the record cannot be read.
pub async fn suspects(
    workplace: &Workplace,
    device: &AdbDevice,
    catalog: &Catalog,
    of: OfRuns,
) -> Result<Vec<Suspect>, RunError> {
    let facts = device.facts().ok_or_else(|| RunError::NotBegun("the device did not say what it is".into()))?;
    let id = facts.id;
    let runs = workplace.book.with(move |book| book.runs(Some(&id))).await?;
    let (_, out) = of.taken_out(&runs);
    let suspects = suspects_of(&out, &runs, catalog);
    if suspects.is_empty() {
        let words = match of {
            OfRuns::Run(run) => format!("nothing that run {run} took out is off on the device: there are no suspects"),
            _ => "nothing that a run took out is off on the device: there are no suspects".into(),
        };
        return Err(RunError::NotBegun(words));
    }
    Ok(suspects)
}

/// Begins it with some suspects.
///
/// # Errors
/// When one goes on on the device already, or the record cannot be kept.
pub async fn begin_finder(
    workplace: &Workplace,
    device: DeviceId,
    suspects: Vec<Suspect>,
    what: PlainText,
    check: Option<Check>,
) -> Result<FaultFinder, RunError> {
    let begun = now();
    let (id, noted, kept, told_by) = (device.clone(), what.clone(), suspects.clone(), check.clone());
    let number =
        workplace.book.with(move |book| book.begin_finder(&id, (&noted, told_by.as_ref()), &kept, begun)).await?;
    Ok(FaultFinder { number, device, begun, what, check, suspects, rounds: Vec::new(), ended: None })
}

/// For so long it is watched whether an app fails, and so often it is looked.
const WATCHED_FOR: Duration = Duration::from_secs(45);
const LOOKED_EVERY: Duration = Duration::from_secs(3);

/// Whether a check can be relied on: it has to see that something is broken before anything is begun by it. That a device does not start is
/// somebody's word: it is not restarted to see that.
///
/// # Errors
/// When it sees nothing broken, or cannot see.
pub async fn rely_on(
    workplace: &Workplace,
    device: &AdbDevice,
    user: UserId,
    check: &Check,
    stop: watch::Receiver<Control>,
) -> Result<(), RunError> {
    if *check == Check::Starts {
        return Ok(());
    }
    match look_whether_broken(workplace, device, user, check, stop).await? {
        Evaluation::Still => Ok(()),
        Evaluation::Gone => Err(RunError::NotBegun(format!("by that it is not broken now: {check} does not tell it"))),
        Evaluation::CannotTell => Err(RunError::NotBegun(format!("this device does not tell that by itself: {check}"))),
    }
}

/// Looks whether something is broken still for a user: at who answers, for a while at what fails, or by a restart at whether it starts. Where
/// somebody stops it, it cannot be told.
///
/// # Errors
/// When the device cannot be asked, or another program is at work on it.
pub async fn look_whether_broken(
    workplace: &Workplace,
    device: &AdbDevice,
    user: UserId,
    check: &Check,
    stop: watch::Receiver<Control>,
) -> Result<Evaluation, RunError> {
    tokio::select! {
        seen = look(workplace, device, user, check) => seen,
        () = stopped(stop) => Ok(Evaluation::CannotTell),
    }
}

async fn look(workplace: &Workplace, device: &AdbDevice, user: UserId, check: &Check) -> Result<Evaluation, RunError> {
    if *check == Check::Starts {
        return starts_up(workplace, device).await;
    }
    if let Check::Answered(_) = check {
        let Some(request) = check.request(user, &device.capabilities()) else { return Ok(Evaluation::CannotTell) };
        let said = device.ask(&request, &mut |_| {}).await.map_err(RunError::NotSeen)?;
        return Ok(check.read(&said.out));
    }
    // The log is asked for by the second: what failed in this one, before the round was done, is of the one before.
    tokio::time::sleep(Duration::from_secs(1)).await;
    let Some(watch) = Watch::begin(device).await else { return Ok(Evaluation::CannotTell) };
    let until = Instant::now() + WATCHED_FOR;
    while Instant::now() < until {
        tokio::time::sleep(LOOKED_EVERY).await;
        if check.is_seen_in(&watch.look(device).await.map_err(RunError::NotSeen)?) {
            return Ok(Evaluation::Still);
        }
    }
    Ok(Evaluation::Gone)
}

/// Restarts the device, and sees whether it starts up.
async fn starts_up(workplace: &Workplace, device: &AdbDevice) -> Result<Evaluation, RunError> {
    let before = device.facts().ok_or_else(|| RunError::NotBegun("the device did not say what it is".into()))?;
    {
        let _claims = claim(workplace, device)?;
        match restart_device(device, RestartTo::System).await {
            Ok(()) => {}
            Err(RestartError::Ask(error)) => return Err(RunError::NotSeen(error)),
            // It was not restarted: nothing was seen.
            Err(RestartError::NotWritten | RestartError::StillThere) => return Ok(Evaluation::CannotTell),
        }
    }
    Ok(if comes_back(device, &before).await { Evaluation::Gone } else { Evaluation::Still })
}

/// The one that goes on on a device.
///
/// # Errors
/// When the logbook cannot be read.
pub async fn open_finder(book: &SharedLogbook, device: &DeviceId) -> Result<Option<FaultFinder>, RunError> {
    let of = device.clone();
    let all = book.with(move |book| book.finders(&of)).await?;
    Ok(all.into_iter().rev().find(|finder| finder.ended.is_none()))
}

/// What it takes on a device so that these suspects are back and the others off. What the start of the device loses does not go again,
/// once it is back, but for these packages.
///
/// # Errors
/// When the logbook cannot be read.
pub async fn plan_round(
    workplace: &Workplace,
    device: &AdbDevice,
    finder: &FaultFinder,
    back: &[bool],
    inventory: &Inventory,
    despite: &BTreeSet<PackageId>,
) -> Result<RoundPlan, RunError> {
    let of = finder.device.clone();
    let (runs, copies) = workplace.book.with(move |book| Ok((book.runs(Some(&of))?, book.copies(Some(&of))?))).await?;
    let wanted = finder.to_try(back, inventory);
    let capabilities = device.capabilities();
    let put_back = plan_put_back_with(inventory, &capabilities, &wanted.put_back, &copies)
        .giving_back(|id, user| recorded_gifts(&runs, id, user));
    let loss = |id: &PackageId, user| {
        let class = recorded_start(&runs, id, user)?;
        Some(StartLoss { class, stops: "starting".into() })
    };
    let take_out = plan_take_out(inventory, &capabilities, &wanted.take_out, false).minding_the_start(loss, despite);
    Ok(RoundPlan { put_back, take_out })
}

/// Carries a round out: the runs that were begun, and why it stopped if it did.
pub async fn carry_out_round(
    workplace: &Workplace,
    device: &AdbDevice,
    plan: RoundPlan,
    stop: &watch::Receiver<Control>,
    news: &(dyn Fn(RunNews) + Send + Sync),
) -> (Vec<Run>, Option<RunError>) {
    let mut runs = Vec::new();
    for (kind, plan) in [(RunKind::PutBack, plan.put_back), (RunKind::TakeOut, plan.take_out)] {
        if plan.to_send() == 0 {
            continue;
        }
        let RunEnded { result, .. } = run_plan(workplace, device, RunStart::New(kind, plan), stop.clone(), news).await;
        match result {
            Ok(run) => runs.push(run),
            Err(error) => return (runs, Some(error)),
        }
    }
    (runs, None)
}

/// Writes down what was seen with the suspects as they are on the device now: what a round wanted and did not reach does not count. Where the
/// round that is to be tried cannot be had, that is written down too, so that it is not wanted again.
///
/// # Errors
/// When the record cannot be kept.
pub async fn mark_round(
    workplace: &Workplace,
    device: &AdbDevice,
    finder: &mut FaultFinder,
    seen: Evaluation,
    inventory: &Inventory,
) -> Result<(), RunError> {
    let mut rounds = vec![Round { back: finder.back_now(inventory), seen }];
    if let Next::Try(wanted) = finder.next()
        && wanted != rounds[0].back
        && plan_round(workplace, device, finder, &wanted, inventory, &BTreeSet::new()).await?.to_send() == 0
    {
        rounds.insert(0, Round { back: wanted, seen: Evaluation::CannotTell });
    }
    let (number, kept) = (finder.number, rounds.clone());
    workplace.book.with(move |book| kept.iter().try_for_each(|round| book.mark_round(number, round))).await?;
    finder.rounds.extend(rounds);
    Ok(())
}

/// Takes the last answer back.
///
/// # Errors
/// When the record cannot be kept.
pub async fn take_answer_back(workplace: &Workplace, finder: &mut FaultFinder) -> Result<(), RunError> {
    let number = finder.number;
    workplace.book.with(move |book| book.take_round_back(number)).await?;
    finder.rounds.pop();
    Ok(())
}

/// Ends it. What was found is remembered for devices of the model.
///
/// # Errors
/// When the record cannot be kept.
pub async fn end_finder(
    workplace: &Workplace,
    device: &AdbDevice,
    finder: &FaultFinder,
    cause: Option<Cause>,
) -> Result<(), RunError> {
    let facts = device.facts().ok_or_else(|| RunError::NotBegun("the device did not say what it is".into()))?;
    let culprits = cause.map_or_else(Vec::new, |cause| finder.culprits(cause));
    let notes: Vec<Note> = culprits
        .into_iter()
        .filter_map(|place| finder.suspects.get(place))
        .map(|suspect| Note { id: suspect.id.clone(), scope: Scope::Model, text: finder.story(), star: false })
        .collect();
    let (number, at) = (finder.number, now());
    workplace
        .book
        .with(move |book| {
            let known = book.notes(&facts)?;
            for note in &notes {
                // What somebody wrote of it before stays.
                let before = known.iter().find(|other| other.id == note.id && other.scope == note.scope);
                let text = match before.map(|other| other.text.as_str()).filter(|text| !text.is_empty()) {
                    Some(text) if text.contains(&note.text) => text.to_owned(),
                    Some(text) => format!("{text}\n{}", note.text),
                    None => note.text.clone(),
                };
                let star = before.is_some_and(|other| other.star);
                book.write_note(&facts, &Note { text, star, ..note.clone() }, at)?;
            }
            book.end_finder(number, at)
        })
        .await?;
    Ok(())
}
