//! Restarting a device so that nothing is lost by it.

use std::time::Duration;

use tokio::time::timeout;
use wibbet_core::ask::{hard_restart_request, knows_no_restart, restart_request};
use wibbet_core::read::{says_written, write_request};

use crate::device::{AdbDevice, AskError, Device as _};

/// How long the link may take to go after the device was told to restart: shutting down in order takes its time.
const GOING: Duration = Duration::from_secs(90);

/// Whoever tells a device to restart does not give it up before: phones take up to 90 s, cheap tablets and TVs up to 180 s.
pub const COMES_BACK: Duration = Duration::from_secs(300);

/// Why a device was not restarted.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RestartError {
    /// It could not be asked.
    #[error("{0}")]
    Ask(#[from] AskError),
    /// What was changed last may not be on its disk yet.
    #[error(
        "the device did not say that it has written the changes down; a restart within 15 seconds of them would lose them. It was not restarted"
    )]
    NotWritten,
    /// It was told to, and is still there.
    #[error("the device was told to restart, and its link is still there: restart it by hand")]
    StillThere,
}

/// Has the device write down what it holds, restarts it in order, and sees its link go.
///
/// # Errors
/// When nothing was restarted, or that is not to be seen.
pub async fn restart_device(device: &AdbDevice) -> Result<(), RestartError> {
    let said = device.ask(&write_request(), &mut |_| {}).await?;
    if !says_written(&said) {
        return Err(RestartError::NotWritten);
    }
    // This very link is watched: something else may make another one meanwhile.
    let Some(link) = device.current().await else { return Ok(()) };
    // The answer seldom comes: the link goes before it. Only a device that does not know the command is told otherwise: one
    // that is shutting down would lose by it what it still writes.
    let answer = device.ask(&restart_request(), &mut |_| {}).await;
    if answer.is_ok_and(|said| knows_no_restart(&said)) {
        let _ = device.ask(&hard_restart_request(), &mut |_| {}).await;
    }
    timeout(GOING, link.ended()).await.map(drop).map_err(|_| RestartError::StillThere)
}
