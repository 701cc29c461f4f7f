//! What a step changes for users for whom nobody had it change anything.

use std::sync::{Arc, PoisonError};

use wibbet_core::read::ReadBack;
use wibbet_core::run::{Step, unasked};
use wibbet_types::PackageId;

use super::error::RunNews;
use super::runner::{Left, Runner};
use crate::device::{AskError, Device};
use crate::logbook::now;
use crate::ops::{Sight, look_at};

impl<D: Device> Runner<'_, D> {
    /// Keeps what a package is for all users.
    pub(super) fn remember(&self, id: &PackageId, sight: &Sight) {
        if let ReadBack::States(_, states) = &sight.told {
            self.seen.lock().unwrap_or_else(PoisonError::into_inner).insert(id.clone(), states.clone());
        }
    }

    /// What a step has changed beyond what it was to: it becomes a part of the run, and is put back with it.
    pub(super) async fn note_unasked(&self, step: &Step, sight: &Sight) -> Result<(), Left> {
        let before = self.seen.lock().unwrap_or_else(PoisonError::into_inner).get(&step.id).cloned();
        let (Some(before), ReadBack::States(_, states)) = (before, &sight.told) else { return Ok(()) };
        let found = unasked(&self.run(), step, &before, states);
        for unasked in found {
            // What is told of the step's own user has been confirmed; this has not.
            let mut troubled = None;
            let again = loop {
                let why = match self.until_stopped(look_at(self.device, &unasked.id, unasked.user)).await? {
                    Ok(sight) => break sight.found.state(),
                    Err(AskError::Silent(_)) => break None,
                    Err(error) => self.or_final(error)?,
                };
                self.wait(&mut troubled, why).await?;
            };
            if again != Some(unasked.after) {
                continue;
            }
            let (number, at) = (self.run().number, now());
            let joined = self.book.with(move |book| book.join(number, &unasked, at)).await?;
            let start = self.device.start();
            self.settled.lock().unwrap_or_else(PoisonError::into_inner).insert(joined.index, start);
            (self.news)(RunNews::Found(format!("{}: {}", joined.id, joined.remark)));
            let stands = {
                let mut run = self.run();
                run.steps.push(joined);
                Arc::new(run.clone())
            };
            (self.news)(RunNews::Stands(stands));
        }
        self.remember(&step.id, sight);
        Ok(())
    }
}
