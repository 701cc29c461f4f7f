//! What has changed on a device since: an update of its system, its store, a factory reset; and update breaks.

use std::sync::Arc;

use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{
    LookedBack, begin_break, end_break, last_look, look_back, note_met, open_break, read_catalog, survey,
};
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::run::{Control, RunStart, run_plan};
use wibbet_bench::workplace::Workplace;
use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{BreakNeed, DriftBy, DriftKind, Look, Since, UpdateBreak, drift};
use wibbet_core::package::{Condition, Inventory, Metrics, PackageKind};
use wibbet_core::plan::{Change, Plan, TrayItem, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, Shelf, recorded_gifts};
use wibbet_sim::{OwnerAction, Scenario, SimDevice};
use wibbet_types::{DeviceId, PackageId, PlainText, RunId, Timestamp, UserId};

use crate::support::{id, in_memory};

async fn meet(workplace: &Workplace, sim: &SimDevice) -> (AdbDevice, DeviceFacts) {
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let facts = note_met(&workplace.book, &device).await.unwrap();
    (device, facts)
}

async fn inventory(device: &AdbDevice) -> Inventory {
    survey(device, &mut |_| {}).await.unwrap()
}

async fn carry_out(workplace: &Workplace, device: &AdbDevice, kind: RunKind, plan: Plan) -> Run {
    let (_stop, stopped) = watch::channel(Control::Go);
    run_plan(workplace, device, RunStart::New(kind, plan), stopped, &|_| {}).await.result.unwrap()
}

async fn take_out(workplace: &Workplace, device: &AdbDevice, items: &[TrayItem]) -> Run {
    let plan = plan_take_out(&inventory(device).await, &device.capabilities(), items, false);
    let run = carry_out(workplace, device, RunKind::TakeOut, plan).await;
    assert_eq!(run.count(Outcome::Done), items.len(), "{:#?}", run.steps);
    run
}

fn item(text: &str, way: Change) -> TrayItem {
    TrayItem { id: id(text), user: UserId::OWNER, way }
}

async fn changes(workplace: &Workplace, device: &AdbDevice, since: Since) -> LookedBack {
    let there = Arc::new(inventory(device).await);
    look_back(&workplace.book, &device.facts().unwrap(), there, since, true).await.unwrap()
}

async fn runs(workplace: &Workplace, device: &DeviceId) -> Vec<Run> {
    let of = device.clone();
    workplace.book.with(move |book| book.runs(Some(&of))).await.unwrap()
}

/// Its owner does something that restarts it; the link is made anew.
async fn owner_does(workplace: &Workplace, sim: &SimDevice, what: OwnerAction) -> (AdbDevice, DeviceFacts) {
    let resets = what == OwnerAction::FactoryReset;
    sim.act(what).await.unwrap();
    tokio::time::sleep(std::time::Duration::from_secs(10)).await;
    if resets {
        sim.act(OwnerAction::UsbDebugging(true)).await.unwrap();
    }
    let met = meet(workplace, sim).await;
    // Its package service takes a while.
    while survey(&met.0, &mut |_| {}).await.is_err() {
        tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    }
    met
}

fn told(all: &LookedBack, kind: DriftKind) -> Vec<(&str, DriftBy)> {
    let of_kind = all.drift.iter().filter(|one| one.kind == kind);
    of_kind.map(|one| (one.id.as_str(), one.by)).collect()
}

/// What an update of the system brought back, renamed and added is told from what a run and the store did.
#[tokio::test(start_paused = true)]
async fn what_an_update_and_a_store_did_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let (device, facts) = meet(&workplace, &sim).await;
    let first = changes(&workplace, &device, Since::LastLook).await;
    assert!(first.before.is_none() && first.drift.is_empty());
    let again = changes(&workplace, &device, Since::LastLook).await;
    assert!(again.before.is_some() && again.drift.is_empty(), "{:?}", again.drift);

    let out = [
        item("com.corvane.tips", Change::Uninstall),
        item("com.corvane.browser", Change::Uninstall),
        item("com.corvane.compass", Change::Disable),
    ];
    let run = take_out(&workplace, &device, &out).await;
    let by_run = changes(&workplace, &device, Since::LastLook).await;
    let mut off: Vec<&str> = told(&by_run, DriftKind::Off).into_iter().map(|(id, _)| id).collect();
    off.sort_unstable();
    assert_eq!(off, ["com.corvane.browser", "com.corvane.compass", "com.corvane.tips"]);
    assert!(by_run.drift.iter().filter(|one| one.kind == DriftKind::Off).all(|one| one.by == DriftBy::Run(run.number)));

    sim.act(OwnerAction::UpdateApps).await.unwrap();
    let by_store = changes(&workplace, &device, Since::LastLook).await;
    assert_eq!(told(&by_store, DriftKind::CameBack), [("com.corvane.browser", DriftBy::Other)]);
    assert_eq!(by_store.again, [item("com.corvane.browser", Change::Uninstall)]);

    let (device, after) = owner_does(&workplace, &sim, OwnerAction::UpdateSystem).await;
    assert_eq!((&after.id, after.build.as_str()), (&facts.id, "CTN5.14.1103"));
    let by_update = changes(&workplace, &device, Since::LastLook).await;
    let came_back = told(&by_update, DriftKind::CameBack);
    assert_eq!(came_back, [("com.corvane.tips", DriftBy::SystemUpdate)], "the compass stays disabled");
    let new: Vec<&str> = told(&by_update, DriftKind::New).into_iter().map(|(id, _)| id).collect();
    let wanted = ["com.corvane.glance", "com.corvane.guidebook", "com.corvane.offerwall", "com.corvane.satellite"];
    assert_eq!(new, wanted);
    assert_eq!(told(&by_update, DriftKind::Gone), [("com.corvane.lockmagazine", DriftBy::SystemUpdate)]);
    assert!(told(&by_update, DriftKind::Version).len() > 200, "its parts are of another version");
    // Since the run all of it is told.
    let since_run = changes(&workplace, &device, Since::Run(run.number)).await;
    assert_eq!(told(&since_run, DriftKind::CameBack).len(), 2, "{:?}", since_run.before);
    let nothing = changes(&workplace, &device, Since::Run(RunId::new(99))).await;
    assert!(nothing.before.is_none());
}

/// Before an update everything comes back, behind it all goes again but for what is tied otherwise; what was off by its people stays.
#[tokio::test(start_paused = true)]
async fn an_update_break_from_end_to_end() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let (device, facts) = meet(&workplace, &sim).await;
    let out = [
        item("com.corvane.tips", Change::UninstallKeepData),
        item("com.corvane.compass", Change::Disable),
        item("com.corvane.fota", Change::Disable),
        // It has a role, which it gets back with its put-back: that is nothing new.
        item("com.corvane.browser", Change::Disable),
    ];
    take_out(&workplace, &device, &out).await;
    let users = [UserId::OWNER, UserId::new(10)];
    let read = async |device: &AdbDevice| -> Catalog {
        let there = inventory(device).await;
        let languages = ["en-GB".parse().unwrap()];
        let (book, metrics) = (&workplace.book, Metrics::default());
        read_catalog(device, book, there, metrics, &languages, &users, &mut |_| {}).await.unwrap().0
    };
    let catalog = read(&device).await;
    let known = runs(&workplace, &facts.id).await;
    let shelf = Shelf::of(&catalog.inventory, &known);
    let (items, left) = UpdateBreak::items_of(&shelf, &known, &catalog, false);
    assert_eq!((items.len(), left), (4, 0), "{items:?}");
    let need = UpdateBreak::need(&items, &catalog);
    assert_eq!(need, BreakNeed::Updater(vec![id("com.corvane.fota")]));
    let (all, _) = UpdateBreak::items_of(&shelf, &known, &catalog, true);
    assert!(all.iter().any(|one| one.id == id("com.corvane.cleaner")), "off before Wibbet");

    begin_break(&workplace.book, &facts, &catalog.inventory, items).await.unwrap();
    let open = open_break(&workplace.book, &facts.id).await.unwrap().unwrap();
    let view = open.view(&catalog, &facts.build);
    assert_eq!((view.updated, view.still_out.len(), view.again.len()), (false, 4, 0));
    let plan = plan_put_back_with(&catalog.inventory, &device.capabilities(), &view.still_out, &[])
        .giving_back(|id, user| recorded_gifts(&known, id, user));
    carry_out(&workplace, &device, RunKind::PutBack, plan).await;
    let back = open.view(&read(&device).await, &facts.build);
    assert_eq!((back.still_out.len(), back.again.len(), back.held.len()), (0, 4, 0), "{back:#?}");

    // The program ends; the break waits in the logbook.
    let (device, after) = owner_does(&workplace, &sim, OwnerAction::UpdateSystem).await;
    let open = open_break(&workplace.book, &after.id).await.unwrap().unwrap();
    let catalog = read(&device).await;
    let view = open.view(&catalog, &after.build);
    assert!(view.updated && view.still_out.is_empty() && view.unjudged.is_empty(), "{view:#?}");
    assert!(view.new.contains(&id("com.corvane.guidebook")), "{:?}", view.new);
    let again = take_out(&workplace, &device, &view.again).await;
    end_break(&workplace.book, open.number).await.unwrap();
    assert_eq!(open_break(&workplace.book, &after.id).await.unwrap(), None);
    let ways: Vec<(String, Change)> = again.steps.iter().map(|step| (step.id.to_string(), step.way)).collect();
    assert!(ways.contains(&("com.corvane.tips".into(), Change::UninstallKeepData)), "{ways:?}");
    assert_eq!(sim.holds("com.corvane.compass", 0), Some((true, 3)));
    assert_eq!(sim.holds("com.corvane.tips", 0).map(|(installed, _)| installed), Some(false));
    assert_eq!(sim.holds("com.corvane.cleaner", 0), Some((true, 3)), "nobody has asked for that one");
}

/// On three devices, for all their users: behind the break everything is as it was before it, but for what the update changed, and that is named.
#[tokio::test(start_paused = true)]
async fn behind_a_break_all_is_as_before_but_for_what_the_update_changed() {
    for scenario in [Scenario::crew_phone(), Scenario::desk_tablet(), Scenario::waiting_room_tv()] {
        let name = scenario.serial.clone();
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = in_memory(scenario, 1, folder.path(), RunPolicy::default()).await;
        let (device, facts) = meet(&workplace, &sim).await;
        let vital: Vec<PackageId> = Scenario::VITAL.iter().map(|text| id(text)).collect();
        let there = inventory(&device).await;
        let users: Vec<UserId> = there.users.iter().map(|user| user.id).collect();
        // A good dozen for each user, the ones that the update is about among them, by turns by either way.
        let mut items = Vec::new();
        for user in &users {
            let fit = there.packages.values().filter(|package| {
                let text = package.id.as_str();
                package.kind == PackageKind::System
                    && package.condition(*user) == Condition::InUse
                    && (text.starts_with("com.corvane.")
                        || text.starts_with("com.ostrel.")
                        || text.starts_with("tv.tarnbek."))
                    && !vital.contains(&package.id)
                    && !["guardian", "fota", "launcher", "keyboard", "setup", "coupons"]
                        .iter()
                        .any(|part| text.contains(part))
            });
            let ids: Vec<PackageId> = fit.map(|package| package.id.clone()).step_by(3).take(14).collect();
            items.extend(ids.into_iter().enumerate().map(|(n, id)| {
                let way = if n % 2 == 0 { Change::Uninstall } else { Change::Disable };
                TrayItem { id, user: *user, way }
            }));
        }
        let run = carry_out(
            &workplace,
            &device,
            RunKind::TakeOut,
            plan_take_out(&there, &device.capabilities(), &items, false),
        )
        .await;
        assert!(run.count(Outcome::Done) >= 10 * users.len(), "{name}: {:#?}", run.steps);
        let before = inventory(&device).await;

        let catalog = Catalog::new(Arc::new(before.clone()));
        let known = runs(&workplace, &facts.id).await;
        let (out, _) = UpdateBreak::items_of(&Shelf::of(&before, &known), &known, &catalog, false);
        begin_break(&workplace.book, &facts, &before, out).await.unwrap();
        let open = open_break(&workplace.book, &facts.id).await.unwrap().unwrap();
        let wanted = open.view(&catalog, &facts.build).still_out;
        let plan = plan_put_back_with(&before, &device.capabilities(), &wanted, &[]);
        carry_out(&workplace, &device, RunKind::PutBack, plan).await;

        let (device, facts) = owner_does(&workplace, &sim, OwnerAction::UpdateSystem).await;
        let updated = inventory(&device).await;
        let view = open.view(&Catalog::new(Arc::new(updated.clone())), &facts.build);
        assert!(view.updated && view.still_out.is_empty() && view.held.is_empty(), "{name}: {view:#?}");
        let again = plan_take_out(&updated, &device.capabilities(), &view.again, false);
        carry_out(&workplace, &device, RunKind::TakeOut, again).await;

        let after = inventory(&device).await;
        let look = |inventory: &Inventory, build: &str| {
            let facts = DeviceFacts { build: PlainText::new(build), ..facts.clone() };
            Look::of(inventory, &facts, Timestamp(0))
        };
        let differ = drift(&look(&before, "then"), &look(&after, "now"), &[]);
        let new: Vec<&PackageId> = view.new.iter().collect();
        for one in differ.iter().filter(|one| one.kind != DriftKind::Version && one.kind != DriftKind::RoleMoved) {
            let named = match one.kind {
                DriftKind::New => new.contains(&&one.id),
                DriftKind::Gone => {
                    view.gone.iter().any(|(id, _)| *id == one.id) || !open.items.iter().any(|item| item.id == one.id)
                }
                // What the maker's updater brought back for somebody for whom no run had taken it out.
                _ => {
                    one.by == DriftBy::SystemUpdate
                        && !open.items.iter().any(|item| item.id == one.id && Some(item.user) == one.user)
                }
            };
            assert!(named, "{name}: {one:?}");
        }
        assert!(new.len() >= 4, "{name}: {new:?}");
    }
}

/// A factory reset makes another device of it as far as its Android id goes: what was out of the one before is offered, and nothing is taken
/// for proven.
#[tokio::test(start_paused = true)]
async fn behind_a_factory_reset_what_was_out_is_offered_again() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let (device, facts) = meet(&workplace, &sim).await;
    let out = [item("com.corvane.tips", Change::Uninstall), item("com.corvane.compass", Change::Disable)];
    take_out(&workplace, &device, &out).await;
    changes(&workplace, &device, Since::LastLook).await;
    let (device, after) = owner_does(&workplace, &sim, OwnerAction::FactoryReset).await;
    assert_ne!(after.id, facts.id);
    let first = changes(&workplace, &device, Since::LastLook).await;
    let (was, offered) = first.was.clone().unwrap();
    let mut offered = offered;
    offered.sort_by(|a, b| a.id.cmp(&b.id));
    assert_eq!((was, offered.len()), (facts.id.clone(), 2), "{first:#?}");
    assert_eq!(offered[0], item("com.corvane.compass", Change::Disable));
    // Once it has a run of its own it is known for what it is.
    take_out(&workplace, &device, &offered).await;
    let later = changes(&workplace, &device, Since::LastLook).await;
    assert!(later.was.is_none() && later.again.is_empty());
    let (_, look) = last_look(&workplace.book, facts.id).await.unwrap().unwrap();
    assert!(!look.packages[&id("com.corvane.tips")].states[&UserId::OWNER].installed);
}
