//! What is looked at behind a run: figures, a restart, apps that fail.

use std::future::Future;
use std::time::Duration;

use wibbet_core::ask::RestartTo;
use wibbet_core::device::{AppFailure, Figures};
use wibbet_core::run::{Outcome, Run, Since, Suspects, came_back};
use wibbet_logbook::{ClaimError, LogbookError};
use wibbet_types::{PackageId, PlainText};

use crate::device::{AdbDevice, AskError};
use crate::logbook::now;
use crate::ops::{
    RestartError, SurveyError, Watch, before_restart, claim, comes_back, details, look_at_all, measure, restart_device,
    survey,
};
use crate::workplace::Workplace;

/// How often it is looked whether something has failed.
const LOOKED_EVERY: Duration = Duration::from_secs(10);

/// What is to be looked at behind a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct AfterRun {
    /// The device is measured before and after.
    pub figures: bool,
    /// It is restarted, and looked at again.
    pub restart: bool,
    /// So many minutes it is watched for what fails.
    pub watch: Option<u32>,
}

/// Why a device could not be looked at behind a run. The run stands in the logbook all the same.
#[derive(Debug, thiserror::Error)]
pub enum AfterError {
    /// The link, or what the device says.
    #[error(transparent)]
    Ask(#[from] AskError),
    /// The packages could not be read.
    #[error(transparent)]
    Survey(#[from] SurveyError),
    /// The logbook.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
    /// The restart.
    #[error(transparent)]
    Restart(RestartError),
    /// Somebody else is at work on it.
    #[error(transparent)]
    Claimed(#[from] ClaimError),
    /// It did not come back.
    #[error("the device has not been seen to start up again within five minutes; the run is done and in the logbook")]
    NotBack,
}

/// What a device was before a run.
#[derive(Debug, Default)]
pub struct BeforeRun {
    wanted: AfterRun,
    figures: Option<Figures>,
    watch: Option<Watch>,
}

impl BeforeRun {
    /// Measures what is wanted of it. `say` hears what cannot be.
    ///
    /// # Errors
    /// When the device cannot be asked.
    pub async fn of(
        device: &AdbDevice,
        wanted: AfterRun,
        say: &(dyn Fn(&str) + Send + Sync),
    ) -> Result<Self, AfterError> {
        let figures = match wanted.figures {
            true => figures(device).await?,
            false => None,
        };
        let watch = match wanted.watch {
            Some(_) => Watch::begin(device).await,
            None => None,
        };
        if wanted.watch.is_some() && watch.is_none() {
            say("beware: what fails on the device cannot be watched: it does not tell its time, or its log");
        }
        Ok(Self { wanted, figures, watch })
    }
}

async fn figures(device: &AdbDevice) -> Result<Option<Figures>, AfterError> {
    let inventory = survey(device, &mut |_| {}).await?;
    Ok(measure(device, &inventory).await)
}

/// What is to be known of a restart before anything is sent; nothing where none is wanted.
pub async fn restart_warnings(device: &AdbDevice, wanted: AfterRun) -> Vec<String> {
    if !wanted.restart {
        return Vec::new();
    }
    let told = details(device).await;
    let known = before_restart(&device.routes(), told.as_ref().map(|told| &told.vitals), RestartTo::System);
    let first = "when all is done the device is restarted, and looked at again:".to_owned();
    std::iter::once(first).chain(known).collect()
}

/// Looks at a device behind a run, as far as was wanted before it, and writes down what there is. `say` hears what is seen; the watch for apps
/// that fail ends early when `enough` does.
///
/// # Errors
/// When the device cannot be asked any more, or does not come back from its restart.
pub async fn look_after(
    workplace: &Workplace,
    device: &AdbDevice,
    run: &Run,
    before: BeforeRun,
    suspects: &Suspects,
    say: &(dyn Fn(&str) + Send + Sync),
    enough: impl Future<Output = ()>,
) -> Result<(), AfterError> {
    if run.count(Outcome::Done) == 0 {
        return Ok(());
    }
    let (book, wanted) = (&workplace.book, before.wanted);
    if wanted.restart {
        restart(workplace, device, run, say).await?;
    }
    if wanted.figures {
        let (number, after) = (run.number, figures(device).await?);
        book.with(move |book| {
            before.figures.iter().try_for_each(|before| book.set_figures(number, false, before))?;
            after.iter().try_for_each(|after| book.set_figures(number, true, after))
        })
        .await?;
    }
    let (Some(minutes), Some(watch)) = (wanted.watch, before.watch) else { return Ok(()) };
    let until = tokio::time::Instant::now() + Duration::from_secs(60 * u64::from(minutes));
    say(&format!("watching for {minutes} min what fails on the device, as far as its log tells"));
    let mut known: Vec<AppFailure> = Vec::new();
    let mut enough = std::pin::pin!(enough);
    loop {
        for failure in watch.look(device).await.unwrap_or_default() {
            if known.iter().any(|known| known.is_like(&failure)) {
                continue;
            }
            known.push(failure.clone());
            let words = PlainText::new(&suspects.sight(failure, &watch.before).words(PackageId::to_string));
            say(words.as_str());
            let number = run.number;
            book.with(move |book| book.add_seen(number, &words, now())).await?;
        }
        let left = until.saturating_duration_since(tokio::time::Instant::now());
        if left.is_zero() {
            return Ok(());
        }
        tokio::select! {
            () = tokio::time::sleep(left.min(LOOKED_EVERY)) => {}
            () = &mut enough => return Ok(()),
        }
    }
}

/// Restarts the device in order, and looks again at what was done.
async fn restart(
    workplace: &Workplace,
    device: &AdbDevice,
    run: &Run,
    say: &(dyn Fn(&str) + Send + Sync),
) -> Result<(), AfterError> {
    let facts = device.facts().ok_or(AfterError::NotBack)?;
    let _claims = claim(workplace, device)?;
    say("restarting the device");
    restart_device(device, RestartTo::System).await.map_err(|error| match error {
        RestartError::Ask(error) => AfterError::Ask(error),
        other => AfterError::Restart(other),
    })?;
    if !comes_back(device, &facts).await {
        return Err(AfterError::NotBack);
    }
    let reached: Vec<_> = run.reached().cloned().collect();
    let of: Vec<_> = reached.iter().map(|step| (step.id.clone(), step.user)).collect();
    let mut back = 0;
    for (step, sight) in reached.iter().zip(look_at_all(device, &of, false).await?) {
        if let Some(event) = came_back(step, sight.found, Since::Start, now()) {
            back += 1;
            let (number, index) = (run.number, step.index);
            workplace.book.with(move |book| book.append(number, index, &event)).await?;
        }
    }
    match back {
        0 => say("it has started up, and all that was done is so still"),
        n => say(&format!("it has started up, and {n} of what was done is not so any more")),
    }
    Ok(())
}
