//! What a device is like before a run and after it: in figures, and by what fails on it.

use wibbet_core::device::{AppFailure, Figures};
use wibbet_core::package::Inventory;
use wibbet_core::read::{
    failures_request, figures_request, log_time_request, read_failures, read_figures, read_log_time,
};

use crate::device::{AskError, Device};

/// A device in figures, beside what its inventory counted when it was last read. `None` where it cannot be asked.
pub async fn measure<D: Device>(device: &D, inventory: &Inventory) -> Option<Figures> {
    let said = device.ask(&figures_request(), &mut |_| {}).await.ok()?;
    Some(read_figures(&said.out, inventory))
}

/// What fails on a device is watched from a moment on.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Watch {
    /// The moment, by the clock of the device.
    since: Option<String>,
    /// What had failed before, as far back as its log goes.
    pub before: Vec<AppFailure>,
}

impl Watch {
    /// Watches from now on. `None` where the device does not tell its time in a form that its log goes by, or cannot be asked.
    pub async fn begin<D: Device>(device: &D) -> Option<Self> {
        let said = device.ask(&log_time_request(), &mut |_| {}).await.ok()?;
        let since = read_log_time(&said.out)?;
        let said = device.ask(&failures_request(None), &mut |_| {}).await.ok()?;
        Some(Self { since: Some(since), before: read_failures(&said.out) })
    }

    /// What has failed since, each app once for each way.
    ///
    /// # Errors
    /// When the device cannot be asked.
    pub async fn look<D: Device>(&self, device: &D) -> Result<Vec<AppFailure>, AskError> {
        let said = device.ask(&failures_request(self.since.as_deref()), &mut |_| {}).await?;
        let mut found: Vec<AppFailure> = Vec::new();
        for failure in read_failures(&said.out) {
            if !found.iter().any(|known| known.is_like(&failure)) {
                found.push(failure);
            }
        }
        Ok(found)
    }
}
