//! What has been heard of steps that were sent, and what reading them back leads to.

use tokio::time::Instant;
use wibbet_core::run::{Response, RunKind, Step};
use wibbet_types::{PackageId, StepIndex, UserId};

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

/// What a step is about, of which only one is on its way at a time: a package for a user in a run that takes out, else the whole
/// package, since what comes for one user may come by what has come for another.
pub(super) type About = (PackageId, Option<UserId>);

pub(super) fn about(kind: RunKind, step: &Step) -> About {
    (step.id.clone(), (kind == RunKind::TakeOut).then_some(step.user))
}

/// What reading a step back has led to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Led {
    /// Another way is to be taken in the place of one that was refused: a step of its own.
    Instead(StepIndex, About),
    /// It has its outcome.
    Settled(StepIndex),
    /// It is to be sent again.
    Again(StepIndex),
}
