//! From any state and back to it, on every simulated device: whatever can go goes for each of its users, in every way, and all of it is
//! put back. Then the device itself accounts for the same as before, or the plan had named what would not be so.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::{in_memory, patience};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::survey;
use wibbet_bench::run::{Control, RunStart, run_plan};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::{Inventory, PackageKind};
use wibbet_core::plan::{Change, Plan, Reversal, TrayItem, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Origin, Outcome, Run, RunKind, Shelf, recorded_gifts};
use wibbet_sim::{ReachedBy, Scenario, SimDevice};
use wibbet_types::{PackageId, UserId};

type Place = (String, u32);

/// Every third package that is in use, in each way in turn; those that are updated, given something or in parts, all of them.
fn tray(inventory: &Inventory, sim: &SimDevice, turn: usize) -> Vec<TrayItem> {
    let account = sim.account();
    let mut chosen = Vec::new();
    for (n, package) in inventory.packages.values().enumerate() {
        for user in inventory.users.iter().map(|user| user.id) {
            let line = account.get(&(package.id.to_string(), user.number()));
            let plain = line.is_none_or(|line| line.ends_with("parts off [] on [] chosen {}"));
            let own = package.kind == PackageKind::User;
            let in_use = inventory.state(&package.id, user).condition() == wibbet_core::package::Condition::InUse;
            let odd = !plain || package.kind == PackageKind::UpdatedSystem || own;
            if in_use && (odd || n % 3 == turn % 3) {
                let way = Change::TAKE_OUT[(n + turn + user.number() as usize) % Change::TAKE_OUT.len()];
                chosen.push(TrayItem { id: package.id.clone(), user, way });
            }
        }
    }
    chosen
}

async fn carry_out(workplace: &Workplace, device: &AdbDevice, kind: RunKind, plan: Plan) -> Run {
    let (_stop, stopped) = watch::channel(Control::Go);
    run_plan(workplace, device, RunStart::New(kind, plan), stopped, &|_| {}).await.result.unwrap()
}

async fn there_and_back(name: &str, scenario: Scenario, turn: usize) {
    let reinstalls = scenario.android.sdk >= 26;
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(scenario, 1, folder.path(), patience(3)).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let before = sim.account();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let tray = tray(&inventory, &sim, turn);
    let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false);
    assert!(plan.to_send() > 40, "{name}: {} of {}", plan.to_send(), tray.len());
    let said: BTreeMap<Place, (Reversal, Option<String>)> = plan
        .steps
        .iter()
        .map(|step| {
            let words = step.given_words(&device.capabilities());
            ((step.id.to_string(), step.user.number()), (step.back, words))
        })
        .collect();
    let run = carry_out(&workplace, &device, RunKind::TakeOut, plan).await;
    let open: Vec<_> = run.steps.iter().filter(|step| step.outcome.is_none_or(|o| o == Outcome::Unsettled)).collect();
    assert!(open.is_empty(), "{name}: {open:#?}");
    // What was not done changed nothing.
    let now = sim.account();
    let done: BTreeSet<Place> = run
        .steps
        .iter()
        .filter(|step| step.outcome == Some(Outcome::Done))
        .map(|step| (step.id.to_string(), step.user.number()))
        .collect();
    for (place, line) in before.iter().filter(|(place, _)| !done.contains(*place)) {
        // Roles and selections go from one package to another by themselves.
        let state = |line: &str| line.split(" chosen ").next().map(str::to_owned);
        let is = now.get(place).and_then(|line| state(line));
        // An app that nobody has any more is nothing to those either who had it not.
        let is_nothing = is.is_none() && line.starts_with("installed false");
        assert!(is_nothing || is == state(line), "{name}: {place:?} was not to change: {line} {is:?}");
    }
    let changed = before.iter().filter(|(place, line)| now.get(*place) != Some(line)).count();
    assert!(changed > 40 && done.len() > 40, "{name}: {changed}");

    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let (runs, copies) = workplace.book.with(|book| Ok((book.runs(None)?, book.copies(None)?))).await.unwrap();
    let shelf = Shelf::with_copies(&inventory, &runs, &copies);
    let by_run = shelf.entries.iter().filter(|entry| matches!(entry.origin, Origin::Run { .. }));
    let wanted: Vec<_> = by_run.map(|entry| (entry.id.clone(), entry.user, entry.target)).collect();
    let plan = plan_put_back_with(&inventory, &device.capabilities(), &wanted, &copies)
        .giving_back(|id: &PackageId, user: UserId| recorded_gifts(&runs, id, user));
    let back = carry_out(&workplace, &device, RunKind::PutBack, plan).await;
    let failed: Vec<_> = back.steps.iter().filter(|step| step.outcome != Some(Outcome::Done)).collect();
    assert!(failed.is_empty(), "{name}: {failed:#?}");

    let after = sim.account();
    let mut nearly = 0;
    for (place, was) in &before {
        let is = after.get(place);
        if is == Some(was) {
            continue;
        }
        let named = match said.get(place) {
            Some((Reversal::Exact, by_hand)) => by_hand.as_ref().is_some_and(|words| words.contains("by hand")),
            Some(_) => true,
            None => false,
        };
        assert!(
            named,
            "{name}: {place:?} is not as it was, and the plan had not said so:\n{was}\n{is:?}\n{:?}",
            said.get(place)
        );
        // Whether it is there, and in which version, is so in any case.
        let core = |line: &str| -> Vec<String> {
            let words: Vec<&str> = line.split(' ').collect();
            let after = |name: &str| words.iter().position(|w| *w == name).and_then(|n| words.get(n + 1));
            ["installed", "hidden", "suspended", "version"]
                .iter()
                .filter_map(|n| after(n))
                .map(ToString::to_string)
                .collect()
        };
        let steps = || {
            let all = run.steps.iter().chain(&back.steps);
            let of = all.filter(|step| step.id.as_str() == place.0);
            of.map(|step| {
                format!(
                    "\n{} {} {} {} {:?} {:?}",
                    step.way, step.user, step.before, step.remark, step.outcome, step.copy
                )
            })
            .collect::<String>()
        };
        assert_eq!(is.map(|line| core(line)), Some(core(was)), "{name}: {place:?} {:?}{}", said.get(place), steps());
        nearly += 1;
    }
    // Before Android 8 what is put back is an update of itself.
    assert!(
        !reinstalls || nearly * 4 < done.len(),
        "{name}: {nearly} of {} are only nearly what they were",
        done.len()
    );
}

#[tokio::test(start_paused = true)]
async fn every_device_is_what_it_was_or_what_was_named() {
    for (turn, (name, scenario)) in Scenario::all().into_iter().enumerate() {
        // What its owner has to switch on first is on, and nothing has to be paired.
        let scenario = Scenario { second_switch_off: false, reached_by: ReachedBy::default(), ..scenario };
        there_and_back(name, scenario, turn).await;
    }
}
