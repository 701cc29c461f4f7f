//! The whole job on every version of Android: survey, labels, taking out by every way that the version has, and putting back
//! to exactly the state before, or what was said beforehand.

use crate::support::{device, id, patience, workplace};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{details, read_labels, survey};
use wibbet_bench::run::{Control, Runner, begin_run};
use wibbet_bench::workplace::Workplace;
use wibbet_core::plan::{Change, Plan, Reversal, SkipReason, TrayItem, plan_put_back, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, recorded_state};
use wibbet_sim::Scenario;
use wibbet_types::UserId;

const OWNER: UserId = UserId::OWNER;

async fn carry_out(device: &AdbDevice, workplace: &Workplace, kind: RunKind, plan: &Plan) -> Run {
    let of = device.facts().unwrap().id;
    let number = begin_run(workplace, &of, kind, plan, &device.capabilities()).await.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    Runner::carry_out(device, &workplace.book, patience(1), number, stopped, &|_| {}).await.unwrap()
}

#[tokio::test]
async fn every_version_does_the_whole_job() {
    for (sdk, _) in Scenario::LEVELS {
        let scenario = Scenario::of_level(sdk).unwrap();
        let whole = scenario.inventory.packages.len();
        let place = tempfile::tempdir().unwrap();
        let workplace = workplace(place.path(), patience(1));
        let book = &workplace.book;
        let sim = device(scenario, 1).await;
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let inventory = survey(&device, &mut |_| {}).await.unwrap();
        assert_eq!((inventory.packages.len(), &inventory.gaps[..]), (whole, &[][..]), "{sdk}");
        assert!(device.short_form().is_some_and(|form| form.len() * 10 > whole * 9), "{sdk}");
        let told = details(&device).await.unwrap();
        assert_eq!((told.vitals.started, inventory.users.is_empty()), (Some(true), false), "{sdk}");
        let (names, _) = read_labels(&device, book, &inventory, &[], &mut |_| {}).await.unwrap();
        let labels = names.apps.values().filter(|app| app.label.is_some()).count();
        assert!(labels * 10 > whole * 8, "{sdk}: {labels} labels of {whole}");

        let capabilities = device.capabilities();
        let chosen = ["com.android.htmlviewer", "com.android.certinstaller", "com.android.vpndialogs"];
        let ways = Change::TAKE_OUT;
        let tray: Vec<TrayItem> =
            chosen.iter().zip(ways).map(|(text, way)| TrayItem { id: id(text), user: OWNER, way }).collect();
        let held = |text: &str| sim.holds(text, 0).unwrap();
        let before = chosen.map(held);
        let plan = plan_take_out(&inventory, &capabilities, &tray, false);
        // Debugging may disable apps from Android 7 on, which is known before.
        let disables = sdk >= 24;
        let skips = plan.steps.iter().map(|step| step.skip).collect::<Vec<_>>();
        let expected = if disables { None } else { Some(SkipReason::MayNotDisable) };
        assert_eq!(skips, [None, None, expected], "{sdk}");
        // Data are never said to come back of what was uninstalled.
        let sure = plan.steps.iter().filter(|step| step.skip.is_none() && step.back == Reversal::Exact);
        assert!(sure.clone().all(|step| step.way == Change::Disable) && sure.count() == usize::from(disables), "{sdk}");
        let run = carry_out(&device, &workplace, RunKind::TakeOut, &plan).await;
        let outcomes: Vec<Outcome> = run.steps.iter().map(|step| step.outcome.unwrap()).collect();
        let last = if disables { Outcome::Done } else { Outcome::Skipped };
        assert_eq!(outcomes, [Outcome::Done, Outcome::Done, last], "{sdk}: {run:#?}");
        assert!(!held(chosen[0]).0 && !held(chosen[1]).0 && (held(chosen[2]).1 == 3) == disables, "{sdk}");

        let inventory = survey(&device, &mut |_| {}).await.unwrap();
        let of = device.facts().unwrap().id;
        let runs = book.with(move |book| book.runs(Some(&of))).await.unwrap();
        let wanted: Vec<_> = chosen.iter().map(|t| (id(t), OWNER, recorded_state(&runs, &id(t), OWNER))).collect();
        let plan = plan_put_back(&inventory, &capabilities, &wanted);
        // Before Android 8 there is no command for it, and the APK that is on the device is installed over itself.
        let way = if sdk >= 26 { Change::Reinstall } else { Change::InstallFactory };
        assert_eq!(plan.steps[0].way, way, "{sdk}");
        let words = plan.steps[0].command(&capabilities);
        assert!(sdk >= 26 || words == "pm install -r --user 0 /system/app/HTMLViewer/HTMLViewer.apk", "{sdk}: {words}");
        let back = carry_out(&device, &workplace, RunKind::PutBack, &plan).await;
        let done = |step: &&wibbet_core::run::Step| step.outcome == Some(Outcome::Done);
        assert_eq!(back.steps.iter().filter(done).count(), if disables { 3 } else { 2 }, "{sdk}: {back:#?}");
        assert_eq!(chosen.map(held), before, "{sdk}");
    }
}
