//! What happens to a step, and the one rule of what that makes of it: for the record, for whoever carries the run out,
//! and for the screen.

use wibbet_types::{CopyId, PlainText, StepIndex, Timestamp};

use super::record::{Outcome, Run, Step, StepState};
use crate::package::{PackageState, Returned};

/// Something that happens to a step of a run. It is in the record before anything is done because of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepEvent {
    /// The state of the package turned out to be another before the step was first sent.
    BeforeWas(PackageState),
    /// A copy of the package is kept, and has been checked.
    Secured {
        /// Which.
        copy: CopyId,
    },
    /// The step is about to be sent. What an earlier sending brought is forgotten.
    Sent {
        /// When.
        at: Timestamp,
        /// Its place in the order of all that was sent; the logbook gives it.
        order: i64,
    },
    /// The device has answered, word for word.
    Answered {
        /// The words.
        text: PlainText,
        /// When.
        at: Timestamp,
    },
    /// The outcome is known, or is known not to be.
    Settled {
        /// The outcome.
        outcome: Outcome,
        /// The state read back, where one could be.
        after: Option<PackageState>,
        /// What is worth knowing beyond the outcome.
        remark: String,
        /// When.
        at: Timestamp,
    },
    /// What the package had been given has been given to it again, or not.
    Returned {
        /// What became of each.
        what: Vec<Returned>,
        /// When.
        at: Timestamp,
    },
    /// An interruption left it open, and it is known not to have been done: it waits again.
    WaitsAgain {
        /// What was found.
        remark: String,
    },
}

impl StepEvent {
    /// When it happened, where that is part of it.
    pub fn at(&self) -> Option<Timestamp> {
        match self {
            Self::Sent { at, .. }
            | Self::Answered { at, .. }
            | Self::Settled { at, .. }
            | Self::Returned { at, .. } => Some(*at),
            Self::BeforeWas(_) | Self::Secured { .. } | Self::WaitsAgain { .. } => None,
        }
    }
}

impl Step {
    /// What an event makes of it.
    pub fn apply(&mut self, event: &StepEvent) {
        match event {
            StepEvent::BeforeWas(state) => self.before = *state,
            StepEvent::Secured { copy } => self.copy = Some(*copy),
            StepEvent::Sent { order, .. } => {
                self.state = StepState::Sent;
                self.order = *order;
                (self.answer, self.after, self.outcome, self.settled) = (None, None, None, None);
                self.returned = None;
                self.remark.clear();
            }
            StepEvent::Answered { text, .. } => {
                self.state = StepState::Answered;
                self.answer = Some(text.clone());
            }
            StepEvent::Settled { outcome, after, remark, at } => {
                self.state = StepState::Settled;
                self.outcome = Some(*outcome);
                self.after = after.or(self.after);
                self.remark.clone_from(remark);
                self.settled = Some(*at);
            }
            StepEvent::Returned { what, .. } => self.returned = Some(what.clone()),
            StepEvent::WaitsAgain { remark } => {
                self.state = StepState::Waiting;
                (self.outcome, self.settled) = (None, None);
                self.remark.clone_from(remark);
            }
        }
    }
}

impl Run {
    /// What an event makes of the run: the only way in which its steps change. An index that the run does not have
    /// changes nothing.
    pub fn apply(&mut self, index: StepIndex, event: &StepEvent) {
        if let Some(step) = self.steps.get_mut(index.get()) {
            step.apply(event);
        }
        self.touched = self.touched.max(event.at().unwrap_or(self.touched));
    }
}
