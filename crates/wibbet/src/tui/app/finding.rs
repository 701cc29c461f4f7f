//! The fault finder as the screen knows it.

use std::sync::Arc;

use wibbet_core::diagnosis::{FaultFinder, Suspect, ToTry, suspects_of};

use super::device::DeviceModel;
use super::run_pane::FinderPane;

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
