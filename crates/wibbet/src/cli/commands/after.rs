//! What is looked at behind a run: figures, a restart, apps that fail.

use std::time::Duration;

use wibbet_bench::device::AdbDevice;
use wibbet_bench::logbook::now;
use wibbet_bench::ops::{
    RestartError, Watch, before_restart, claim, details, look_at_all, measure, restart_device, survey,
};
use wibbet_core::ask::RestartTo;
use wibbet_core::device::{AppFailure, Figures};
use wibbet_core::run::{Outcome, Run, Since, Suspects, came_back};
use wibbet_types::{PackageId, PlainText};

use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::Failure;
use crate::out::tell;
use wibbet_bench::ops::comes_back;

/// How often it is looked whether something has failed.
const LOOKED_EVERY: Duration = Duration::from_secs(10);

/// What a device was before a run.
#[derive(Debug, Default)]
pub(super) struct Before {
    figures: Option<Figures>,
    watch: Option<Watch>,
}

impl Before {
    /// Measures what is wanted of it.
    pub(super) async fn of(device: &AdbDevice, how: How) -> Result<Self, Failure> {
        let figures = match how.figures {
            true => figures(device).await?,
            false => None,
        };
        let watch = match how.watch {
            Some(_) => Watch::begin(device).await,
            None => None,
        };
        if how.watch.is_some() && watch.is_none() {
            tell("beware: what fails on the device cannot be watched: it does not tell its time, or its log");
        }
        Ok(Self { figures, watch })
    }
}

async fn figures(device: &AdbDevice) -> Result<Option<Figures>, Failure> {
    let inventory = survey(device, &mut |_| {}).await?;
    Ok(measure(device, &inventory).await)
}

/// What is to be known of a restart before anything is sent.
pub(super) async fn warn_of_restart(device: &AdbDevice, how: How) {
    if how.restart {
        let told = details(device).await;
        tell("when all is done the device is restarted, and looked at again:");
        before_restart(&device.routes(), told.as_ref().map(|told| &told.vitals), RestartTo::System)
            .iter()
            .for_each(tell);
    }
}

/// Looks at a device behind a run, as far as that is wanted, and writes down what there is.
pub(super) async fn look(
    finder: &Finder<'_>,
    device: &AdbDevice,
    run: &Run,
    before: Before,
    suspects: &Suspects,
    how: How,
) -> Result<(), Failure> {
    if run.count(Outcome::Done) == 0 {
        return Ok(());
    }
    let book = &finder.workplace.book;
    if how.restart {
        restart(finder, device, run).await?;
    }
    if how.figures {
        let (number, after) = (run.number, figures(device).await?);
        book.with(move |book| {
            before.figures.iter().try_for_each(|before| book.set_figures(number, false, before))?;
            after.iter().try_for_each(|after| book.set_figures(number, true, after))
        })
        .await?;
    }
    let (Some(minutes), Some(watch)) = (how.watch, before.watch) else { return Ok(()) };
    let until = tokio::time::Instant::now() + Duration::from_secs(60 * u64::from(minutes));
    tell(format_args!(
        "watching for {minutes} min what fails on the device, as far as its log tells; Ctrl-C ends that"
    ));
    let mut known: Vec<AppFailure> = Vec::new();
    loop {
        for failure in watch.look(device).await.unwrap_or_default() {
            if known.iter().any(|known| known.is_like(&failure)) {
                continue;
            }
            known.push(failure.clone());
            let words = PlainText::new(&suspects.sight(failure, &watch.before).words(PackageId::to_string));
            tell(&words);
            let number = run.number;
            book.with(move |book| book.add_seen(number, &words, now())).await?;
        }
        let left = until.saturating_duration_since(tokio::time::Instant::now());
        if left.is_zero() {
            return Ok(());
        }
        tokio::select! {
            () = tokio::time::sleep(left.min(LOOKED_EVERY)) => {}
            _ = tokio::signal::ctrl_c() => return Ok(()),
        }
    }
}

/// Restarts the device in order, and looks again at what was done.
async fn restart(finder: &Finder<'_>, device: &AdbDevice, run: &Run) -> Result<(), Failure> {
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let _claims = claim(finder.workplace, device)?;
    tell("restarting the device");
    restart_device(device, RestartTo::System).await.map_err(|error| match error {
        RestartError::Ask(error) => Failure::from(error),
        other => Failure::trouble(other),
    })?;
    if !comes_back(device, &facts).await {
        return Err(Failure::trouble(
            "the device has not been seen to start up again within five minutes; the run is done and in the logbook",
        ));
    }
    let reached: Vec<_> = run.reached().cloned().collect();
    let of: Vec<_> = reached.iter().map(|step| (step.id.clone(), step.user)).collect();
    let mut back = 0;
    for (step, sight) in reached.iter().zip(look_at_all(device, &of, false).await?) {
        if let Some(event) = came_back(step, sight.found, Since::Start, now()) {
            back += 1;
            let (number, index) = (run.number, step.index);
            finder.workplace.book.with(move |book| book.append(number, index, &event)).await?;
        }
    }
    match back {
        0 => tell("it has started up, and all that was done is so still"),
        n => tell(format_args!("it has started up, and {n} of what was done is not so any more")),
    }
    Ok(())
}
