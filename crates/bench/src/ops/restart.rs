//! Restarting a device so that nothing is lost by it.

use std::time::Duration;

use tokio::time::timeout;
use wibbet_core::ask::{RestartTo, hard_restart_request, knows_no_restart, restart_request};
use wibbet_core::device::{DeviceFacts, Vitals};
use wibbet_core::read::{says_written, write_request};

use super::vitals::details;
use crate::around::Route;
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

/// What is to be known before a restart, in words: what becomes of the link first, by the ways that lead to the device.
pub fn before_restart(routes: &[Route], vitals: Option<&Vitals>, to: RestartTo) -> Vec<String> {
    let away = match to {
        RestartTo::System => None,
        RestartTo::Recovery => Some(
            "It starts into its recovery system and stays there: no link leads to it. Choose “reboot system now” on it, or hold its power button.",
        ),
        RestartTo::Bootloader => Some(
            "It starts into its bootloader and stays there: no link leads to it. Choose a start on it, or hold its power button for ten seconds.",
        ),
    };
    if let Some(away) = away {
        return vec![away.to_owned()];
    }
    let cable = routes.iter().any(|route| matches!(route, Route::Cable(_) | Route::Server(_)));
    let air = routes.iter().any(|route| matches!(route, Route::Air { .. }));
    let link = match (cable, air) {
        (true, true) => {
            "It comes back by itself on its cable, in one to three minutes. Wireless debugging is mostly off then."
        }
        (true, false) => "It comes back by itself on its cable, in one to three minutes.",
        (false, true) => {
            "It is linked by air only. Most devices switch wireless debugging off when they start: somebody has to unlock it and \
             switch that on again. With a cable in, it would come back by itself."
        }
        (false, false) => {
            "It comes back by itself in one to three minutes, where its network debugging stays on over a start. If it does not: \
             switch it on again, or use a cable."
        }
    };
    let told = |test: fn(&Vitals) -> bool| vitals.is_some_and(test);
    let more = [
        (true, "A screen lock keeps its apps and their data from being read until somebody has unlocked it."),
        (
            told(|vitals| vitals.staged),
            "An update waits for this start: it may take ten minutes, and bring packages back.",
        ),
        (
            told(|vitals| vitals.key_is_stored == Some(false)),
            "This computer was allowed once only: the device asks again after the start.",
        ),
        (
            told(|vitals| vitals.battery.is_some_and(|battery| battery.percent < 20 && !battery.powered)),
            "Its battery is low, and it is not charging.",
        ),
    ];
    let more = more.into_iter().filter(|(so, _)| *so).map(|(_, words)| words);
    std::iter::once(link).chain(more).map(str::to_owned).collect()
}

/// Whether a device that was told to restart is linked again in another start than `before` tells of, and says that it has started up, before
/// it is given up. Where a device tells no start apart, that its link ended and came back has to do.
pub async fn comes_back(device: &AdbDevice, before: &DeviceFacts) -> bool {
    let anew = |now: &DeviceFacts| now.boot_id.is_none() || before.boot_id.is_none() || now.started_apart(before);
    let back = async {
        loop {
            if device.connect(&mut |_| {}).await.is_ok()
                && device.facts().is_some_and(|now| anew(&now))
                && details(device).await.is_some_and(|told| told.vitals.started == Some(true))
            {
                return;
            }
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    };
    timeout(COMES_BACK, back).await.is_ok()
}

/// Has the device write down what it holds, restarts it in order, and sees its link go.
///
/// # Errors
/// When nothing was restarted, or that is not to be seen.
pub async fn restart_device(device: &AdbDevice, to: RestartTo) -> Result<(), RestartError> {
    let said = device.ask(&write_request(), &mut |_| {}).await?;
    if !says_written(&said) {
        return Err(RestartError::NotWritten);
    }
    // This very link is watched: something else may make another one meanwhile.
    let Some(link) = device.current().await else { return Ok(()) };
    // The answer seldom comes: the link goes before it. Only a device that does not know the command is told otherwise: one
    // that is shutting down would lose by it what it still writes.
    let answer = device.ask(&restart_request(to), &mut |_| {}).await;
    if answer.is_ok_and(|said| knows_no_restart(&said)) {
        let _ = device.ask(&hard_restart_request(to), &mut |_| {}).await;
    }
    timeout(GOING, link.ended()).await.map(drop).map_err(|_| RestartError::StillThere)
}
