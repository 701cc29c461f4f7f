//! What an interruption left open, settled by asking the device.

use wibbet_core::package::PackageState;
use wibbet_core::run::{Run, RunState, Step, StepEvent, StepState, came_back, settle_open};
use wibbet_types::DeviceId;

use super::error::RunError;
use crate::device::Device;
use crate::logbook::{SharedLogbook, now};
use crate::ops::{AllStates, SurveyError, read_one, states};

/// Settles what interrupted runs of a device left open, by looking at the device now. What was found
/// out, in words; nothing is sent but questions. The device has to be claimed by the caller, which
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
    if runs.is_empty() {
        return Ok(Vec::new());
    }
    let seen = states(device).await.map_err(|error| match error {
        SurveyError::Ask(ask) => RunError::Ask(ask),
        other => RunError::Device(other.to_string()),
    })?;
    let mut told = Vec::new();
    for run in &runs {
        told.extend(settle_run(book, device, run, &seen).await?);
    }
    Ok(told)
}

/// A step's state now; `None` where the device cannot be brought to tell.
async fn state_of<D: Device>(device: &D, seen: &AllStates, step: &Step) -> Option<PackageState> {
    match seen.get(&step.id) {
        Some(states) => Some(states.get(&step.user).copied().unwrap_or(PackageState::ABSENT)),
        None => read_one(device, &step.id).await.ok()?.state(step.user),
    }
}

async fn settle_run<D: Device>(
    book: &SharedLogbook,
    device: &D,
    run: &Run,
    seen: &AllStates,
) -> Result<Option<String>, RunError> {
    let number = run.number;
    let (mut done, mut undone, mut open) = (0, 0, 0);
    for step in run.steps.iter().filter(|step| step.is_open_question()) {
        let event = settle_open(step, state_of(device, seen, step).await, false, now());
        match &event {
            Some(StepEvent::Settled { .. }) => done += 1,
            Some(_) => undone += 1,
            None => open += 1,
        }
        if let Some(event) = event {
            let index = step.index;
            book.with(move |book| book.append(number, index, &event)).await?;
        }
    }
    let waiting = run.steps.iter().filter(|s| s.state == StepState::Waiting).count();
    let unfinished = undone + open + waiting > 0;
    if !unfinished {
        // The last look at all of them, which the interruption may have kept from being taken.
        for step in run.reached() {
            let state = state_of(device, seen, step).await;
            if let Some(event) = state.and_then(|state| came_back(step, state, now())) {
                let index = step.index;
                book.with(move |book| book.append(number, index, &event)).await?;
            }
        }
    }
    let state = if unfinished { RunState::Stopped } else { RunState::Finished };
    book.with(move |book| book.set_run_state(number, state, now())).await?;
    let worth_telling = run.state == RunState::Open || done > 0;
    Ok(worth_telling.then(|| {
        format!(
            "run {number} was interrupted: of the steps then on their way {done} turned out done, {undone} not; {} are left to do",
            waiting + undone
        )
    }))
}
