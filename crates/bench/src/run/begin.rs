//! Writing a run down before any of it is sent.

use std::sync::Arc;

use wibbet_core::android::Capabilities;
use wibbet_core::plan::{Plan, Reversal};
use wibbet_core::run::RunKind;
use wibbet_logbook::{LogbookError, NewStep};
use wibbet_types::{DeviceId, RunId};

use crate::logbook::now;
use crate::workplace::Workplace;

/// Writes a plan down as a run. Its number.
pub async fn begin_run(
    workplace: &Workplace,
    id: &DeviceId,
    kind: RunKind,
    plan: &Plan,
    capabilities: &Capabilities,
) -> Result<RunId, LogbookError> {
    let steps: Vec<NewStep> = plan
        .steps
        .iter()
        .map(|step| NewStep {
            id: step.id.clone(),
            user: step.user,
            way: step.way,
            words: step.command(capabilities),
            before: step.before,
            target: step.target,
            apk: step.apk.clone(),
            copy: step.copy.as_ref().map(|copy| copy.number),
            given: step.given.clone(),
            start: step.start.as_ref().map(|loss| loss.class),
            for_good: step.skip.is_none() && matches!(step.back, Reversal::Impossible(_)),
            skip: step.skip.map(|skip| skip.to_string()),
        })
        .collect();
    let device = id.clone();
    let mut terms = plan.terms.clone();
    let technician = Arc::clone(&workplace.technician);
    let written = workplace.book.with(move |book| {
        if !technician.is_empty() {
            let mut job = terms.job.take().map_or_else(|| book.job_at_hand(&device), Ok)?;
            if job.technician.is_empty() {
                job.technician = technician.to_string();
            }
            terms.job = Some(job);
        }
        book.begin_run(&device, (kind, &terms), &steps, now())
    });
    written.await
}
