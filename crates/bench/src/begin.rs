//! Before a run: who may change the device, and what is written down.

use std::path::PathBuf;

use wibbet_core::android::Abilities;
use wibbet_core::plan::Plan;
use wibbet_core::run::RunKind;
use wibbet_logbook::{Claim, ClaimError, LogbookError, NewStep};
use wibbet_types::Serial;

use crate::book::{Book, now};

/// Claims a device: by its serial for this logbook, and by its address for all others of this
/// computer's user.
pub fn claim(book: &Book, serial: &Serial, address: &str) -> Result<Vec<Claim>, ClaimError> {
    let mut claims = vec![Claim::take(&book.folder().join("claims"), serial.as_str())?];
    // A program with another logbook is kept out too, as far as there is a place to meet: without
    // one, reading back still keeps both honest.
    if let Some(folder) = meeting_place() {
        match Claim::take(&folder, address) {
            Ok(claim) => claims.push(claim),
            Err(held @ ClaimError::Held { .. }) => return Err(held),
            Err(ClaimError::File { .. }) => {}
        }
    }
    Ok(claims)
}

fn meeting_place() -> Option<PathBuf> {
    std::env::var_os("XDG_RUNTIME_DIR").map(PathBuf::from).filter(|p| p.is_dir()).map(|p| p.join("wibbet"))
}

/// Writes a plan down as a run. Its number.
pub async fn begin_run(
    book: &Book,
    serial: &Serial,
    kind: RunKind,
    plan: &Plan,
    abilities: &Abilities,
) -> Result<i64, LogbookError> {
    let steps: Vec<NewStep> = plan
        .steps
        .iter()
        .map(|step| NewStep {
            id: step.id.clone(),
            user: step.user,
            way: step.way,
            words: step.words(abilities),
            before: step.before,
            skip: step.skip.map(|skip| skip.to_string()),
        })
        .collect();
    let serial = serial.clone();
    book.with(move |book| book.begin_run(&serial, kind, &steps, now())).await
}
