//! What has been heard of steps that were sent, and what reading them back leads to.

use tokio::time::Instant;
use wibbet_core::run::Response;
use wibbet_types::{PackageId, StepIndex};

/// A step that has been sent, with what was heard of it.
#[derive(Debug, Clone)]
pub(super) struct Heard {
    pub(super) index: StepIndex,
    pub(super) response: Response,
    /// In which start of the device it was sent.
    pub(super) start: Option<String>,
    pub(super) at: Instant,
}

impl Heard {
    /// Whether no answer came.
    pub(super) fn is_odd(&self) -> bool {
        !matches!(self.response, Response::Replied(_))
    }
}

/// What reading a step back has led to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Led {
    /// Another way is to be taken in the place of one that was refused: a step of its own.
    Instead(StepIndex, PackageId),
    /// It has its outcome.
    Settled(StepIndex),
    /// It is to be sent again.
    Again(StepIndex),
}
