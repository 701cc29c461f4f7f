//! The fault finder as the screen knows it.

use std::sync::Arc;

use wibbet_core::diagnosis::{Cause, FaultFinder, Next, Suspect, ToTry, suspects_of};

use super::device::DeviceModel;

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

impl DeviceModel {
    /// Takes in the use of the fault finder that goes on.
    pub(crate) fn take_finder(&mut self, finder: Option<Arc<FaultFinder>>) {
        self.finder = finder.map(|finder| FinderPane { next: finder.next(), finder });
    }

    /// Whom there is to suspect: of the last run that has anything out, or of all.
    pub(crate) fn suspects(&self, all: bool) -> Vec<Suspect> {
        let Some(catalog) = &self.catalog else { return Vec::new() };
        suspects_of(&self.out_by_record(all).1, &self.runs, catalog)
    }

    /// What the next round takes: nothing where all is as it is to be.
    pub(crate) fn round_takes(&self) -> Option<ToTry> {
        let pane = self.finder.as_ref()?;
        Some(pane.finder.to_try(&pane.wanted()?, self.inventory.as_deref()?))
    }

    /// Whether there is anything for it to do.
    pub(crate) fn may_find_fault(&self) -> bool {
        let out = || !self.out_by_record(true).1.is_empty();
        !self.running && self.inventory.is_some() && (self.finder.is_some() || out())
    }
}
