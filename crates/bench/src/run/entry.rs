//! The one entry to carrying a run out: claim the device, settle what was left open, write the run down, carry it out.

use tokio::sync::watch;
use wibbet_core::plan::Plan;
use wibbet_core::run::{Run, RunKind};

use super::begin::begin_run;
use super::control::{Control, stopped};
use super::error::{RunError, RunNews};
use super::runner::Runner;
use super::settle::settle_interrupted;
use wibbet_types::RunId;

use crate::device::{AdbDevice, Device as _};
use crate::ops::{claim, note_met};
use crate::workplace::Workplace;

/// What is to be carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RunStart {
    /// A plan, as a new run.
    New(RunKind, Plan),
    /// A run of the logbook that was stopped or interrupted.
    Resume(RunId),
}

/// How carrying out ended.
#[derive(Debug)]
pub struct RunEnded {
    /// The run's number, once it has been written down.
    pub number: Option<RunId>,
    /// The run as it stands, or why it could not go on.
    pub result: Result<Run, RunError>,
}

/// Carries out a run on a device. Setting `stop` ends it after the steps that are on their way; `news` hears what becomes
/// of it, and first what was found out of runs that had been interrupted.
pub async fn run_plan(
    workplace: &Workplace,
    device: &AdbDevice,
    start: RunStart,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(RunNews) + Send + Sync),
) -> RunEnded {
    let mut number = None;
    let result = carry_out(workplace, device, start, stop, news, &mut number).await;
    RunEnded { number, result }
}

/// Carries on with a run of a device that is claimed.
pub(crate) async fn carry_on(
    workplace: &Workplace,
    device: &AdbDevice,
    run: RunId,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(RunNews) + Send + Sync),
) -> Result<Run, RunError> {
    Runner::carry_out(device, &workplace.book, workplace.patience, run, stop, news).await
}

async fn carry_out(
    workplace: &Workplace,
    device: &AdbDevice,
    start: RunStart,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(RunNews) + Send + Sync),
    number: &mut Option<RunId>,
) -> Result<Run, RunError> {
    let book = &workplace.book;
    let facts = match device.facts().filter(|_| device.is_noted()) {
        Some(facts) => facts,
        None => note_met(book, device).await?,
    };
    let _claimed = claim(workplace, device)?;
    // Whatever is not settled for a stop stays an open question.
    let settled = tokio::select! {
        biased;
        settled = settle_interrupted(book, device, &facts.id) => settled?,
        () = stopped(stop.clone()) => return Err(RunError::Stopped),
    };
    settled.into_iter().for_each(|found| news(RunNews::Found(found)));
    let run = match start {
        RunStart::New(kind, plan) => begin_run(workplace, &facts.id, kind, &plan, &device.capabilities()).await?,
        RunStart::Resume(number) => {
            let run = book.with(move |book| book.run(number)).await?.ok_or(RunError::NoSuchRun(number))?;
            if run.device != facts.id {
                return Err(RunError::OtherDevice { run: number, of: run.device, here: facts.id });
            }
            number
        }
    };
    *number = Some(run);
    Runner::carry_out(device, book, workplace.patience, run, stop, news).await
}
