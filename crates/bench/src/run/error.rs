//! Why a run cannot go on, and what becomes of one meanwhile.

use std::sync::Arc;

use thiserror::Error;
use wibbet_core::read::ReadBack;
use wibbet_core::run::{Run, StepEvent};
use wibbet_logbook::LogbookError;
use wibbet_types::{DeviceId, PackageId, RunId, StepIndex};

use crate::device::AskError;
use crate::ops::{CopyError, NoteError};

/// Why a run cannot go on. What it has done so far is in the logbook.
#[derive(Debug, Error)]
pub enum RunError {
    /// The record cannot be kept, so nothing more is sent.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
    /// The device cannot be asked any more, for a reason that is known.
    #[error("{0}. The run stands where it was and can be carried on")]
    Ask(AskError),
    /// The device cannot be asked any more.
    #[error("{0}. The run stands where it was and can be carried on")]
    Device(String),
    /// Whether something is broken still could not be looked at.
    #[error("whether it is broken still could not be looked at: {0}. What was done so far stands in the logbook")]
    NotSeen(AskError),
    /// Nothing was begun, for this reason.
    #[error("{0}. Nothing was sent")]
    NotBegun(String),
    /// Another program is at work on the device.
    #[error(transparent)]
    Claim(#[from] wibbet_logbook::ClaimError),
    /// No copies can be kept.
    #[error("{0}. Nothing was sent, and the run can be carried on")]
    Copy(CopyError),
    /// Somebody asked to stop before the run was begun.
    #[error("stopped before anything was sent")]
    Stopped,
    /// There is no such run.
    #[error("the logbook has no run {0}")]
    NoSuchRun(RunId),
    /// Another version of Wibbet wrote the run.
    #[error("run {run} was written by another version of Wibbet ({why}): carry it on with that one. Nothing was sent")]
    NotUnderstood {
        /// The run.
        run: RunId,
        /// What is not understood of it.
        why: String,
    },
    /// The run was taken in from the logbook of another bench.
    #[error("run {run} is of another bench, {bench}, and is carried on there. Nothing was sent")]
    OfAnotherBench {
        /// The run.
        run: RunId,
        /// The bench.
        bench: String,
    },
    /// The run was carried out on another device.
    #[error("run {run} is of the device {of}, and this is {here}. Nothing was sent")]
    OtherDevice {
        /// The run.
        run: RunId,
        /// Its device.
        of: DeviceId,
        /// The one at hand.
        here: DeviceId,
    },
}

impl From<NoteError> for RunError {
    fn from(error: NoteError) -> Self {
        match error {
            NoteError::Ask(error) => Self::Ask(error),
            NoteError::Logbook(error) => Self::Logbook(error),
        }
    }
}

/// What becomes of a run while it is carried out.
#[derive(Debug, Clone, PartialEq)]
pub enum RunNews {
    /// How the run stands: when it begins, and when it has ended or stopped.
    Stands(Arc<Run>),
    /// What was found out of a run that had been interrupted, in words.
    Found(String),
    /// Something has happened to a step, by its index. It is in the record.
    Step(StepIndex, StepEvent),
    /// A copy is being kept for a step, by its index: so many bytes of so many.
    Securing(StepIndex, u64, u64),
    /// Something is waited for, in words; `None` when no longer.
    Waiting(Option<String>),
    /// A package was read back.
    States(PackageId, ReadBack),
}
