//! Trying whether changes are permitted, when somebody wants to know before the first one.

use wibbet_core::package::{Enabled, Inventory, PackageState};
use wibbet_core::plan::{Change, Terms};
use wibbet_core::run::{Finding, Outcome, Reply, Run, RunKind, RunState, StepEvent, read_reply};
use wibbet_logbook::NewStep;
use wibbet_types::{PackageId, PlainText, StepIndex, UserId};

use super::error::RunError;
use crate::device::{AdbDevice, Device as _};
use crate::logbook::now;
use crate::ops::{claim, look_at};
use crate::workplace::Workplace;

/// Parts of Android that are there on every device and that nobody takes out, the likeliest first.
const LASTING: [&str; 3] = ["com.android.providers.settings", "com.android.settings", "com.android.providers.media"];

/// Sets one of Android's own parts to the enabled state that it has, under the claim, looked at before and after, and written
/// down as a run of its own. Source: `PackageManagerService.setEnabledSetting` looks for the package, then for the permission,
/// then whether there is anything to change.
///
/// # Errors
/// Where no part fits, or another program is at work; and those of a run.
pub async fn try_changes(workplace: &Workplace, device: &AdbDevice, inventory: &Inventory) -> Result<Run, RunError> {
    let unfit = |why: &str| RunError::NotBegun(why.to_owned());
    let Some(_claimed) = claim(workplace, device)? else {
        return Err(unfit("the device could not be written down in the logbook"));
    };
    let facts = device.facts().ok_or_else(|| unfit("the device is not known yet"))?;
    let user = UserId::OWNER;
    let capabilities = device.capabilities();
    let way = |state: PackageState| match state {
        PackageState { enabled: Enabled::Default, .. } if capabilities.default_state => Some(Change::DefaultState),
        PackageState { enabled: Enabled::Enabled, .. } => Some(Change::Enable),
        _ => None,
    };
    let candidates = LASTING.iter().filter_map(|id| id.parse::<PackageId>().ok());
    let fitting = candidates.map(|id| (inventory.state(&id, user), id)).find_map(|(state, id)| {
        let in_use = state.installed && !state.hidden && !state.suspended;
        way(state).filter(|_| in_use).map(|way| (id, way))
    });
    let (id, way) = fitting.ok_or_else(|| unfit("it has no part of Android to which nothing would change"))?;
    let looked = |found: Finding| match found {
        Finding::State(state) if way.is_met_by(state) => Some(state),
        _ => None,
    };
    let before = looked(look_at(device, &id, user).await.map_err(RunError::Ask)?.found);
    let before = before.ok_or_else(|| unfit("the part of Android to try it on is not as it was a moment ago"))?;
    let request = way.request(&id, user, None);
    let step = NewStep::new(id.clone(), user, way, request.command(), before);
    let step = NewStep { target: Some(before), ..step };
    let book = &workplace.book;
    let index = StepIndex::new(0);
    let of = facts.id.clone();
    let number = book.with(move |book| book.begin_run(&of, (RunKind::Try, &Terms::default()), &[step], now())).await?;
    let record = async |event: StepEvent| book.with(move |book| book.append(number, index, &event)).await;
    record(StepEvent::Sent { at: now(), order: 0 }).await?;
    // Without an answer it stays an open question, which the next look settles.
    let answer = device.ask(&request, &mut |_| {}).await.map_err(RunError::Ask)?;
    record(StepEvent::Answered { text: PlainText::short(&answer.text()), at: now() }).await?;
    let after = look_at(device, &id, user).await.map_err(RunError::Ask)?.found.state();
    let (outcome, remark) = match read_reply(way, before, &answer) {
        Reply::Refused(why) => (Outcome::Refused, why.meaning()),
        // It was so before: that it is so now says nothing without a yes.
        Reply::Unclear => (Outcome::NoEffect, "the answer said neither yes nor no"),
        Reply::Success => match after {
            Some(after) if after == before => (Outcome::Done, "a try, which changed nothing"),
            Some(_) => (Outcome::NoEffect, "it is not as it was: somebody else has changed it meanwhile"),
            None => (Outcome::Unsettled, "it could not be read back"),
        },
    };
    let remark = remark.to_owned();
    record(StepEvent::Settled { outcome, after, remark, at: now() }).await?;
    book.with(move |book| book.set_run_state(number, RunState::Finished, now())).await?;
    book.with(move |book| book.run(number)).await?.ok_or(RunError::NoSuchRun(number))
}
