//! What an interruption left open, settled by asking the device.

use wibbet_core::{Inventory, Outcome, PackageState, RunState, Step, StepState};
use wibbet_logbook::LogbookError;
use wibbet_types::Serial;

use crate::book::{Book, now};

pub(crate) const SETTLED_LATER: &str = "settled afterwards by asking the device";

pub(crate) fn not_done_words(state: PackageState) -> String {
    format!("interrupted before it was done; it is {} still", state.condition().word())
}

pub(crate) fn came_back_words(state: PackageState) -> String {
    format!("it was done, and a moment later it was {} again by itself", state.condition().word())
}

/// Settles what interrupted runs of a device left open, by its states as just read. What was found
/// out, in words; nothing is sent. The device has to be claimed by the caller, which shows that
/// no run is being carried out.
pub async fn settle_interrupted(
    book: &Book,
    serial: &Serial,
    inventory: &Inventory,
) -> Result<Vec<String>, LogbookError> {
    let serial = serial.clone();
    let runs = book.with(move |book| book.runs(Some(&serial))).await?;
    let mut told = Vec::new();
    for run in runs.iter().filter(|run| run.state == RunState::Open || run.steps.iter().any(Step::is_open_question)) {
        let number = run.number;
        let (mut done, mut undone, mut open) = (0, 0, 0);
        for step in run.steps.iter().filter(|step| step.is_open_question()) {
            let (place, state) = (step.place, inventory.state(&step.id, step.user));
            if step.way.is_met_by(state) {
                done += 1;
                book.with(move |book| {
                    book.step_settled(number, place, Outcome::Done, Some(state), SETTLED_LATER, now())
                })
                .await?;
            } else if step.outcome.is_none() {
                undone += 1;
                book.with(move |book| book.step_waits_again(number, place, &not_done_words(state))).await?;
            } else {
                open += 1;
            }
        }
        let unfinished = undone + open > 0 || run.steps.iter().any(|s| s.state == StepState::Waiting);
        let state = if unfinished { RunState::Stopped } else { RunState::Finished };
        if !unfinished {
            // The last look at all of them, which the interruption may have kept from being taken.
            for step in run.reached() {
                let (place, state) = (step.place, inventory.state(&step.id, step.user));
                if !step.way.is_met_by(state) {
                    let words = came_back_words(state);
                    book.with(move |book| {
                        book.step_settled(number, place, Outcome::NoEffect, Some(state), &words, now())
                    })
                    .await?;
                }
            }
        }
        book.with(move |book| book.set_run_state(number, state, now())).await?;
        if run.state == RunState::Open || done > 0 {
            let left = run.steps.iter().filter(|s| s.state == StepState::Waiting).count() + undone;
            told.push(format!(
                "run {number} was interrupted: of the steps then on their way {done} turned out done, {undone} not; {left} are left to do"
            ));
        }
    }
    Ok(told)
}
