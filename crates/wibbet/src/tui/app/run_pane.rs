//! The plan or run that is shown.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;

use wibbet_core::diagnosis::{CatchView, Cause, FaultFinder, Next};
use wibbet_core::package::PackageState;
use wibbet_core::plan::{Consequence, OnRefusal, Plan, PlannedStep, TrayItem, Upshot};
use wibbet_core::run::{Run, RunKind};
use wibbet_types::{PackageId, UserId};

/// What is being prepared, or is going on, on the run view of a device.
#[derive(Debug, Clone, Default)]
pub(crate) enum RunPane {
    #[default]
    Nothing,
    /// A plan that has not been sent.
    Review(Review),
    /// It has been sent, and the first word of it is waited for.
    Starting(Review),
    /// A run that is going on, or one from the logbook.
    Shown(Arc<Run>),
}

/// A catch that is going on, or has ended.
#[derive(Debug, Clone, Default)]
pub(crate) struct CatchPane {
    /// What is seen, and when that was since it began.
    pub(crate) seen: Option<(Box<CatchView>, Duration)>,
    /// Why there is no link, in words.
    pub(crate) waits: Option<String>,
    /// The device stands: all of it is looked at.
    pub(crate) stands: bool,
    /// It has ended, and why if not by itself.
    pub(crate) ended: Option<Option<String>>,
}

/// A use of the fault finder that goes on, with what comes next.
#[derive(Debug, Clone)]
pub(crate) struct FinderPane {
    pub(crate) finder: Arc<FaultFinder>,
    pub(crate) next: Next,
}

impl FinderPane {
    /// Which suspects are to be back now.
    pub(crate) fn wanted(&self) -> Option<Vec<bool>> {
        match &self.next {
            Next::Try(back) => Some(back.clone()),
            Next::Found(cause) => Some(self.finder.in_the_end(*cause)),
            Next::Blurred(_) => None,
        }
    }

    /// What was found.
    pub(crate) fn found(&self) -> Option<Cause> {
        match self.next {
            Next::Found(cause) => Some(cause),
            _ => None,
        }
    }
}

/// A plan, with what it was made from, so that it can be made again another way.
#[derive(Debug, Clone)]
pub(crate) struct Review {
    pub(crate) kind: RunKind,
    pub(crate) plan: Plan,
    pub(super) items: Vec<TrayItem>,
    pub(super) wanted: Vec<(PackageId, UserId, PackageState)>,
    pub(super) allowed: Allowed,
    /// What the steps that are sent do to each user, as far as that has been worked out.
    pub(crate) does: Vec<(UserId, Upshot)>,
}

impl Review {
    /// The steps in the order in which they are shown: by what comes of them, each with the heading of its group where it is the
    /// first of one. What all have in common needs no heading.
    pub(crate) fn shown(&self) -> Vec<(Option<(Consequence, usize)>, usize)> {
        let groups = self.plan.by_consequence(&self.does);
        let several = groups.len() > 1;
        let group = |(consequence, places): (Consequence, Vec<usize>)| {
            let heading = several.then_some((consequence, places.len()));
            let heads = std::iter::once(heading).chain(std::iter::repeat(None));
            heads.zip(places).collect::<Vec<_>>()
        };
        groups.into_iter().flat_map(group).collect()
    }

    /// The step on a line of what is shown.
    pub(crate) fn step_at(&self, line: usize) -> Option<&PlannedStep> {
        let (_, place) = *self.shown().get(line)?;
        self.plan.steps.get(place)
    }
}

/// What was asked for by a step of its own.
#[derive(Debug, Clone, Default)]
pub(super) struct Allowed {
    /// What could not be put back from here goes too.
    pub(super) no_way_back: bool,
    /// These go whatever it does to the start of the device.
    pub(super) despite_start: BTreeSet<PackageId>,
    /// It is sent before it is known what the start needs.
    pub(super) unknown_start: bool,
    /// What is tried where a step is refused.
    pub(super) on_refusal: OnRefusal,
}
