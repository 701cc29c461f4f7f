//! The short form of the dump: what it costs, and when it is not believed. And what is read beside the dump.

use crate::support::{device, id, patience, workplace};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{read_metrics, survey};
use wibbet_bench::run::{Control, Runner, begin_run};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::{Condition, Inventory};
use wibbet_core::plan::{Change, TrayItem, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind};
use wibbet_sim::{Fault, Scenario, SimDevice};
use wibbet_types::UserId;

const OWNER: UserId = UserId::OWNER;
const CREW: &str = include_str!("../../sim/scenarios/crew-phone.toml");

async fn linked(sim: &SimDevice, place: &tempfile::TempDir) -> (Workplace, AdbDevice, Inventory) {
    let workplace = workplace(place.path(), patience(1));
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    (workplace, device, inventory)
}

async fn take_out(workplace: &Workplace, device: &AdbDevice, inventory: &Inventory, ids: &[&str]) -> Run {
    let item = |text: &&str| TrayItem { id: id(text), user: OWNER, way: Change::Uninstall };
    let tray: Vec<TrayItem> = ids.iter().map(item).collect();
    let plan = plan_take_out(inventory, &device.capabilities(), &tray, false);
    let of = device.facts().unwrap().id;
    let number = begin_run(workplace, &of, RunKind::TakeOut, &plan, &device.capabilities()).await.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    Runner::carry_out(device, &workplace.book, patience(1), number, stopped, &|_| {}).await.unwrap()
}

fn asked(sim: &SimDevice, what: &str) -> usize {
    sim.transcript().iter().filter(|line| line.contains(what)).count()
}

/// A run looks at everything before and after, and at each package behind its change: all in short.
#[tokio::test]
async fn a_run_looks_in_short() {
    let place = tempfile::tempdir().unwrap();
    let sim = device(Scenario::crew_phone(), 1).await;
    let (workplace, device, inventory) = linked(&sim, &place).await;
    let whole = |sim: &SimDevice| asked(sim, "package packages") + asked(sim, "dumpsys -t 60 package com.");
    let surveyed = whole(&sim);
    let run = take_out(&workplace, &device, &inventory, &["com.android.egg", "com.corvane.tips"]).await;
    assert_eq!(run.count(Outcome::Done), 2, "{run:#?}");
    assert_eq!((whole(&sim), asked(&sim, "--checkin packages")), (surveyed, 3));
    assert_eq!(asked(&sim, "--checkin com."), 2);
}

/// Another word in it than in the whole form, and it is not used at all; what it leaves out is asked for in full.
#[tokio::test]
async fn a_device_whose_forms_differ_is_asked_in_full() {
    let place = tempfile::tempdir().unwrap();
    let sim = device(Scenario::crew_phone(), 1).await;
    let lie =
        "vers,1\npkg,com.android.egg,10001,1,1,?,0\npkg-splt,base,0\npkg-usr,0,ibsusL,0,?\npkg-usr,10,ibsusL,0,?\n";
    for says in [lie, "vers,1\n", "Error: no such option\n", ""] {
        sim.set_fault(Fault::Says("dumpsys package --checkin packages".into(), says.into()));
        let (workplace, device, inventory) = linked(&sim, &place).await;
        assert!(device.short_form().is_none(), "{says}");
        let before = asked(&sim, "package packages");
        if says == lie {
            let run = take_out(&workplace, &device, &inventory, &["com.android.egg"]).await;
            assert_eq!(run.count(Outcome::Done), 1, "{run:#?}");
            assert_eq!(asked(&sim, "package packages"), before + 2);
        }
    }
}

/// After a survey has shown that it can be relied on, a build that stops telling is asked in full.
#[tokio::test]
async fn a_short_form_that_falls_silent_is_not_missed() {
    let place = tempfile::tempdir().unwrap();
    let sim = device(Scenario::crew_phone(), 1).await;
    let (workplace, device, inventory) = linked(&sim, &place).await;
    for of in ["packages", "com.android.egg"] {
        sim.set_fault(Fault::Says(format!("dumpsys package --checkin {of}"), "vers,1\n".into()));
    }
    let run = take_out(&workplace, &device, &inventory, &["com.android.egg"]).await;
    assert_eq!(run.count(Outcome::Done), 1, "{run:#?}");
    assert_eq!(asked(&sim, "dumpsys -t 60 package com.android.egg"), 1);
}

/// The device refuses, and its short form has a flaw: nothing is called done, and what it does not tell is asked in full.
#[tokio::test]
async fn what_is_told_badly_in_short_is_asked_in_full() {
    use Outcome::{Refused, Unsettled};
    let egg = "com.android.egg";
    for (from, to, outcome) in [
        ("pkg-usr,0,I", "pkg-usr,0,X", Refused),
        ("pkg-usr,0,I", "pkg-usr,77,I", Refused),
        ("pkg-usr,0,", "pkg-usr,0,ibsusL,0,?\npkg-usr,0,", Refused),
        ("pkg-splt,", "pkg-odd,", Refused),
        ("pkg,com.android.egg", "pkg,com.decoy", Refused),
        ("pkg-usr,0,I", "pkg-usr,0,i", Unsettled),
    ] {
        let place = tempfile::tempdir().unwrap();
        let sim = device(Scenario::crew_phone(), 1).await;
        sim.set_fault(Fault::Refuse(id(egg), "-1000".into()));
        let (workplace, device, inventory) = linked(&sim, &place).await;
        let request = wibbet_core::read::short_dump_request(&device.capabilities(), Some(&id(egg)));
        let said = device.ask(&request, &mut |_| {}).await.unwrap().out;
        assert!(said.contains(from), "{said}");
        sim.set_fault(Fault::Says(format!("dumpsys package --checkin {egg}"), said.replacen(from, to, 1)));
        let run = take_out(&workplace, &device, &inventory, &[egg]).await;
        assert_eq!(run.steps[0].outcome, Some(outcome), "{to}: {:?}", run.steps[0]);
    }
}

/// What the packages' own part of the dump does not say: permissions by a shared user, what is off by its manifest, who
/// archived what; and whose processes run.
#[tokio::test]
async fn what_is_told_beside_the_dump() {
    let place = tempfile::tempdir().unwrap();
    let scenario = Scenario::read(
        &CREW
            .replace("{ id = \"com.corvane.radio\", ", "{ id = \"com.corvane.radio\", off_by_manifest = true, ")
            .replace(
                "{ id = \"com.corvane.notes\", ",
                "{ id = \"com.corvane.notes\", archived = true, gone_for = [0], ",
            )
            .replace("sdk = 34", "sdk = 35"),
    )
    .unwrap();
    let sim = device(scenario, 1).await;
    let (_workplace, device, inventory) = linked(&sim, &place).await;
    let about = |text: &str| &inventory.packages[&id(text)].about;
    assert!(!about("com.android.phone").granted.is_empty());
    let condition = |text: &str, user: u32| inventory.condition(&id(text), UserId::new(user));
    assert_eq!([0, 10].map(|user| condition("com.corvane.radio", user)), [Condition::Dormant, Condition::Uninstalled]);
    assert_eq!(condition("com.corvane.notes", 0), Condition::Archived);
    assert_eq!(condition("com.corvane.lockmagazine", 0), Condition::Disabled);
    let metrics = read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
    let runs = |text: &str| metrics.running.contains(&(id(text), OWNER));
    assert!(runs("com.corvane.security") && runs("com.android.phone") && runs("android"));
    assert!(metrics.memory[&id("com.corvane.security")] > 1_000_000);
    // Two look after the same process: which of them runs there cannot be told.
    let may = &metrics.may_run[&id("com.corvane.themes.engine")][&OWNER];
    assert_eq!((may.as_ref(), runs("com.corvane.themes.engine")), ("com.corvane.look", false));
}
