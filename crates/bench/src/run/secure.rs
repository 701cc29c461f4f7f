//! Keeping copies before the first change of a run.

use std::collections::HashSet;
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

use tokio::time::Instant;
use wibbet_core::package::{CopiedFile, KeptCopy, Placed, PlacedKind};
use wibbet_core::plan::Change;
use wibbet_core::run::{Outcome, Step, StepEvent};
use wibbet_types::{CopyId, DevicePath, PackageId, UserId};

use super::error::{RunError, RunNews};
use super::runner::{Left, Runner};
use crate::device::{AskError, Device};
use crate::logbook::now;
use crate::ops::{
    COPIES, CopyError, ToCopy, checked, copy_files, describe, differing, folder_of, free_bytes, what_to_copy,
    what_to_copy_of_the_system,
};

/// More than what is to be copied has to be free: the logbook goes on being written.
const KEEP_FREE: u64 = 64 << 20;

/// How many bytes lie between two words of how far a copy has got.
const TOLD_EVERY: u64 = 512 << 10;

impl<D: Device> Runner<'_, D> {
    /// Keeps a copy of each package that is to have one before it goes: all of them before anything is changed. One of which none can
    /// be made is not sent. A copy that an earlier go has made counts as long as the device has what it is of.
    pub(super) async fn secure(&self, wanted: &HashSet<(PackageId, UserId)>) -> Result<(), Left> {
        let of: Vec<Step> = {
            let run = self.run();
            let waits = |step: &&Step| step.outcome.is_none() && step.way.takes_out();
            let meant = |step: &&Step| wanted.contains(&(step.id.clone(), step.user));
            run.steps.iter().filter(waits).filter(meant).cloned().collect()
        };
        if of.is_empty() {
            return Ok(());
        }
        let mut plans = Vec::with_capacity(of.len());
        for step in of {
            let mut troubled = None;
            loop {
                let what = async {
                    match step.way {
                        Change::RemoveFromSystem => what_to_copy_of_the_system(self.device, &step.id, step.user).await,
                        _ => what_to_copy(self.device, &step.id, step.user).await,
                    }
                };
                match self.until_stopped(what).await? {
                    Ok(what) => {
                        plans.push((step, what));
                        break;
                    }
                    Err(why) => {
                        if let Some(why) = self.or_own(&mut troubled, why).await? {
                            self.not_secured(&step, &why).await?;
                            break;
                        }
                    }
                }
            }
        }
        let needed = plans.iter().fold(0u64, |sum, (_, what)| sum.saturating_add(what.size()));
        let folder = self.book.folder().join(COPIES);
        if let Some(free) = free_bytes(&folder)
            && free < needed.saturating_add(KEEP_FREE)
        {
            let folder = folder.display().to_string();
            return Err(Left::Failed(RunError::Copy(CopyError::NoRoom { needed, free, folder })));
        }
        for (step, what) in plans {
            match self.keep_copy(&step, &what).await? {
                Ok(copy) if step.copy == Some(copy) => {}
                Ok(copy) => self.record(step.index, StepEvent::Secured { copy }).await?,
                Err(why) => self.not_secured(&step, &why).await?,
            }
        }
        (self.news)(RunNews::Waiting(None));
        Ok(())
    }

    /// Copies a package's files and writes the copy down; one that is there already is used again.
    async fn keep_copy(&self, step: &Step, what: &ToCopy) -> Result<Result<CopyId, CopyError>, Left> {
        let (run, device) = {
            let run = self.run();
            (run.number, run.device.clone())
        };
        let of = device.clone();
        let kept = self.book.with(move |book| book.copies(Some(&of))).await?;
        let alike = kept.iter().find(|copy| is_of(copy, what) && checked(self.book.folder(), copy).is_ok());
        let mut troubled = None;
        while let Some(copy) = alike {
            match self.until_stopped(differing(self.device, &copy.files)).await? {
                Ok(None) => return Ok(Ok(copy.number)),
                // Another build under the same version.
                Ok(Some(_)) => break,
                Err(why) => {
                    if let Some(why) = self.or_own(&mut troubled, why).await? {
                        return Ok(Err(why));
                    }
                }
            }
        }
        let below = folder_of(&device, run, &step.id);
        let folder = self.book.folder().join(COPIES).join(&below);
        // What lies there of a copy that is of no use any more is not gone on with.
        if kept.iter().any(|copy| copy.folder == below) {
            let _ = std::fs::remove_dir_all(&folder);
        }
        let told = AtomicU64::new(0);
        let news = |bytes: u64| {
            let last = told.load(Ordering::Relaxed);
            if bytes == what.size() || bytes.saturating_sub(last) >= TOLD_EVERY {
                told.store(bytes, Ordering::Relaxed);
                (self.news)(RunNews::Securing(step.index, bytes, what.size()));
            }
        };
        let mut troubled = None;
        let files = loop {
            match self.until_stopped(copy_files(self.device, what, &folder, &news)).await? {
                Ok(files) => break files,
                Err(why) => {
                    if let Some(why) = self.or_own(&mut troubled, why).await? {
                        return Ok(Err(why));
                    }
                }
            }
        };
        let copy = KeptCopy {
            number: CopyId::new(0),
            device,
            run: Some(run),
            id: step.id.clone(),
            version_code: what.version.0,
            version: what.version.1.as_str().into(),
            installer: what.installer.clone(),
            made: now(),
            folder: below,
            placed: named(&what.placed, &files),
            files,
            offered: false,
        };
        let given: Vec<String> = step.given.iter().map(ToString::to_string).collect();
        if let Err(why) = describe(&folder, &copy, &given) {
            return Ok(Err(why));
        }
        sync_folder(&folder);
        Ok(Ok(self.book.with(move |book| book.add_copy(&copy)).await?))
    }

    /// No copy could be made: it stays where it is.
    async fn not_secured(&self, step: &Step, why: &CopyError) -> Result<(), Left> {
        // Somebody has allowed that it does not come back.
        if step.for_good {
            return Ok(());
        }
        let remark = format!("no copy could be kept, so it was not sent: {why}");
        let event = StepEvent::Settled { outcome: Outcome::Skipped, after: None, remark, at: now() };
        self.record(step.index, event).await
    }

    /// Waits where a trouble may pass, such as a link that has gone; gives back one that is of this package alone.
    async fn or_own(&self, since: &mut Option<Instant>, why: CopyError) -> Result<Option<CopyError>, Left> {
        match why {
            CopyError::Ask(error @ (AskError::Lost(_) | AskError::NoLink(_) | AskError::NotProven(_))) => {
                self.wait(since, RunError::Ask(error)).await.map(|()| None)
            }
            CopyError::Ask(error) => Ok(Some(CopyError::Unreadable(self.or_final(error)?.to_string()))),
            why => Ok(Some(why)),
        }
    }
}

/// What lay in a folder, its files by their names in the copy.
fn named(placed: &[Placed], files: &[CopiedFile]) -> Vec<Placed> {
    let name =
        |path: &DevicePath| files.iter().find(|file| file.from.as_ref() == Some(path)).map(|file| file.name.clone());
    let named = |placed: &Placed| match &placed.kind {
        PlacedKind::File(_) => {
            Placed { kind: PlacedKind::File(name(&placed.path).unwrap_or_default()), ..placed.clone() }
        }
        _ => placed.clone(),
    };
    placed.iter().map(named).collect()
}

/// Whether a copy is of what is there now: the same version out of the same files.
fn is_of(copy: &KeptCopy, what: &ToCopy) -> bool {
    let same = |(file, (path, size)): (&CopiedFile, &(DevicePath, u64))| {
        file.from.as_ref() == Some(path) && file.size == *size
    };
    copy.id == what.id
        && copy.version_code == what.version.0
        && copy.files.len() == what.files.len()
        && copy.placed.len() == what.placed.len()
        && copy.placed.iter().all(|kept| what.placed.iter().any(|there| there.is_like(kept)))
        && copy.files.iter().zip(&what.files).all(same)
}

/// Has the names in a folder on the disk too, where the system can.
fn sync_folder(folder: &Path) {
    if let Ok(folder) = std::fs::File::open(folder) {
        let _ = folder.sync_all();
    }
}
