//! Job sheets out of the logbook.

use jiff::tz::TimeZone;
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::CloseStep;
use wibbet_core::package::KeptCopy;
use wibbet_core::run::{Run, SettingChange};
use wibbet_core::sheet::{Sheet, SheetSource, SheetWords, Without, job_sheet, runs_of_job};
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_types::{DeviceId, RunId, Timestamp};

use crate::out::{day_and_time, day_here};

/// What a job sheet is made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct SheetJob {
    /// The device.
    pub(crate) facts: DeviceFacts,
    /// The runs, the oldest first.
    pub(crate) runs: Vec<Run>,
    /// The copies that are kept of the device.
    pub(crate) copies: Vec<KeptCopy>,
    /// What orders have set on the device.
    pub(crate) settings: Vec<SettingChange>,
    /// What became of closing the link behind the last run.
    pub(crate) closed: Option<Vec<CloseStep>>,
}

impl SheetJob {
    /// Of the job that a run is a part of; `None` where the logbook does not know the run, or not its device.
    pub(crate) fn of_run(book: &Logbook, run: RunId) -> Result<Option<Self>, LogbookError> {
        let Some(of) = book.run(run)? else { return Ok(None) };
        let all = book.runs(Some(&of.device))?;
        Self::with(book, &of.device, runs_of_job(&all, run, day_here))
    }

    /// Of the latest job on a device; `None` where there is none.
    pub(crate) fn latest(book: &Logbook, device: &DeviceId) -> Result<Option<Self>, LogbookError> {
        let all = book.runs(Some(device))?;
        let Some(last) = all.first() else { return Ok(None) };
        Self::with(book, device, runs_of_job(&all, last.number, day_here))
    }

    fn with(book: &Logbook, device: &DeviceId, runs: Vec<Run>) -> Result<Option<Self>, LogbookError> {
        let known = book.devices()?.into_iter().map(|known| known.facts).find(|facts| facts.id == *device);
        let copies = book.copies(Some(device))?;
        let settings = book.settings(device)?;
        let last = runs.last().map_or(Timestamp(i64::MAX), |run| run.begun);
        let closed = book.closing_since(device, last)?;
        Ok(known.map(|facts| Self { facts, runs, copies, settings, closed }))
    }

    /// With this run alone.
    pub(crate) fn only(&self, run: RunId) -> Self {
        Self { runs: self.runs.iter().filter(|one| one.number == run).cloned().collect(), ..self.clone() }
    }

    /// The sheet itself.
    pub(crate) fn sheet(&self, words: &SheetWords, without: Without, zone: &TimeZone) -> Sheet {
        let day = self.runs.last().map_or_else(String::new, |run| day_and_time(run.begun, zone).0);
        let (facts, runs, copies, settings) = (&self.facts, &self.runs, &self.copies, &self.settings);
        let closed = self.closed.as_deref();
        job_sheet(&SheetSource { facts, runs, copies, settings, closed, day: &day, words, without })
    }

    /// When its first run was begun.
    pub(crate) fn begun(&self) -> Option<Timestamp> {
        self.runs.first().map(|run| run.begun)
    }
}
