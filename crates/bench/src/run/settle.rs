//! What an interruption left open, settled by asking the device.

use wibbet_core::read::write_request;
use wibbet_core::run::{
    Finding, Outcome, Run, RunState, Since, Step, StepEvent, StepState, came_back, is_fresh, settle_open,
};
use wibbet_types::DeviceId;

use super::error::RunError;
use crate::device::Device;
use crate::logbook::{SharedLogbook, now};
use crate::ops::{SurveyError, look_at_all};

/// Settles what interrupted runs of a device left open, by looking at the device now. What was found
/// out, in words; nothing is sent but questions, and that the device writes down what has been changed. The device has to be claimed by the caller, which
/// shows that no run is being carried out, and before it is looked at: what is settled must not be
/// older than what the last program did.
///
/// # Errors
/// When the device cannot be asked, or the record cannot be kept. What was settled before stays so.
pub async fn settle_interrupted<D: Device>(
    book: &SharedLogbook,
    device: &D,
    id: &DeviceId,
) -> Result<Vec<String>, RunError> {
    let of = id.clone();
    let mut runs = book.with(move |book| book.runs(Some(&of))).await?;
    runs.retain(|run| run.state == RunState::Open || run.steps.iter().any(Step::is_open_question));
    // Its own version settles it, and its own bench.
    runs.retain(|run| run.not_understood.is_empty() && run.taken_in.is_none());
    if runs.is_empty() {
        return Ok(Vec::new());
    }
    let mut told = Vec::new();
    for run in &runs {
        told.extend(settle_run(book, device, run).await?);
    }
    Ok(told)
}

/// What a look at the device shows of the packages of some steps now.
async fn look<'a, D: Device>(device: &D, steps: impl Iterator<Item = &'a Step>) -> Result<Vec<Finding>, RunError> {
    let of: Vec<_> = steps.map(|step| (step.id.clone(), step.user)).collect();
    if of.is_empty() {
        return Ok(Vec::new());
    }
    let seen = look_at_all(device, &of, false).await.map_err(|error| match error {
        SurveyError::Ask(ask) => RunError::Ask(ask),
        other => RunError::Device(other.to_string()),
    })?;
    Ok(seen.into_iter().map(|sight| sight.found).collect())
}

async fn settle_run<D: Device>(book: &SharedLogbook, device: &D, run: &Run) -> Result<Option<String>, RunError> {
    let (number, was) = (run.number, run);
    let mut run = run.clone();
    let (mut done, mut undone) = (0, 0);
    let open_steps: Vec<Step> = run.steps.iter().filter(|step| step.is_open_question()).cloned().collect();
    let found = look(device, open_steps.iter()).await?;
    for (step, found) in open_steps.iter().zip(found) {
        let event = settle_open(step, found, false, now());
        match &event {
            Some(StepEvent::Settled { .. }) => done += 1,
            Some(_) => undone += 1,
            None => {}
        }
        if let Some(event) = event {
            let index = step.index;
            let event = book.with(move |book| book.append(number, index, &event)).await?;
            run.apply(index, &event);
        }
    }
    let waiting = was.steps.iter().filter(|s| s.state == StepState::Waiting).count();
    // What was to be tried in the place of a refused step may not have been written down yet.
    let to_replace = run.to_replace(&device.capabilities()).len();
    // What has just turned out to be back may be owed what people had given it.
    let unfinished = run.has_open_steps() || to_replace > 0;
    if !unfinished {
        // Nobody carries this run on, and a device that goes down before it has written loses what was done.
        if run.steps.iter().any(|step| step.outcome == Some(Outcome::Done)) {
            let _ = device.ask(&write_request(), &mut |_| {}).await;
        }
        // The last look at all of them, which the interruption may have kept from being taken.
        let at = now();
        let fresh: Vec<&Step> = run.reached().filter(|step| is_fresh(step, at)).collect();
        let found = look(device, fresh.iter().copied()).await?;
        for (step, found) in fresh.into_iter().zip(found) {
            if let Some(event) = came_back(step, found, Since::Unknown, now()) {
                let index = step.index;
                book.with(move |book| book.append(number, index, &event)).await?;
            }
        }
    }
    let state = if unfinished { RunState::Stopped } else { RunState::Finished };
    book.with(move |book| book.set_run_state(number, state, now())).await?;
    let worth_telling = was.state == RunState::Open || done > 0;
    Ok(worth_telling.then(|| {
        format!(
            "run {number} was interrupted: of the steps then on their way {done} turned out done, {undone} not; {} are left to do",
            waiting + undone + to_replace
        )
    }))
}
