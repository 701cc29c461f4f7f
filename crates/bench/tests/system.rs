//! What takes root beside the states of packages: removing one from the partition of the system and having it there again, and
//! switching its parts.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use crate::support::{id, linked};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{WantedPart, ask_for_root, survey, switch_part};
use wibbet_bench::run::{Control, RunNews, RunStart, run_plan};
use wibbet_bench::workplace::Workplace;
use wibbet_core::ask::{PartName, PartSwitch};
use wibbet_core::package::{Condition, PackageKind, PlacedKind};
use wibbet_core::plan::{Change, Plan, SkipReason, TrayItem, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, Shelf, StepEvent};
use wibbet_sim::{CutAt, Direction, Fault, Scenario, SimDevice};
use wibbet_types::UserId;

const NOTES: &str = "com.android.music";
const RADIO: &str = "com.android.deskclock";
const OWNER: UserId = UserId::OWNER;

struct Place {
    sim: SimDevice,
    device: AdbDevice,
    book: SharedLogbook,
    workplace: Workplace,
    _folder: tempfile::TempDir,
}

/// The phone that has root, which has been asked for and given.
async fn place() -> Place {
    let (sim, workplace, device, folder) = linked(Scenario::store_phone(), 3).await;
    ask_for_root(&device).await.unwrap().unwrap();
    Place { sim, device, book: workplace.book.clone(), workplace, _folder: folder }
}

impl Place {
    async fn take_out(&self, items: &[(&str, Change)]) -> Plan {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let item = |(text, way): &(&str, Change)| TrayItem { id: id(text), user: OWNER, way: *way };
        let tray: Vec<TrayItem> = items.iter().map(item).collect();
        plan_take_out(&inventory, &self.device.capabilities(), &tray, false)
    }

    /// What the shelf has, and the plan that puts all of it back.
    async fn shelf(&self) -> (Shelf, Plan) {
        // A line that is cut later than it was to be is made anew.
        let inventory = match survey(&self.device, &mut |_| {}).await {
            Ok(inventory) => inventory,
            Err(_) => survey(&self.device, &mut |_| {}).await.unwrap(),
        };
        let (runs, copies) = self.book.with(|book| Ok((book.runs(None)?, book.copies(None)?))).await.unwrap();
        let shelf = Shelf::with_copies(&inventory, &runs, &copies);
        let by_run = shelf.entries.iter().filter(|entry| entry.copy.is_some());
        let wanted: Vec<_> = by_run.map(|entry| (entry.id.clone(), entry.user, entry.target)).collect();
        let plan = plan_put_back_with(&inventory, &self.device.capabilities(), &wanted, &copies);
        (shelf, plan)
    }

    async fn carry_out(&self, kind: RunKind, plan: Plan) -> Run {
        let (_stop, stopped) = watch::channel(Control::Go);
        // Each lets the partition be written by itself: none is sent before the one before it has been answered.
        let on_the_way = AtomicUsize::new(0);
        let news = |news| match news {
            RunNews::Step(_, StepEvent::Sent { .. }) => assert_eq!(on_the_way.fetch_add(1, Ordering::Relaxed), 0),
            RunNews::Step(_, StepEvent::Answered { .. }) => drop(on_the_way.fetch_sub(1, Ordering::Relaxed)),
            _ => {}
        };
        let ended = run_plan(&self.workplace, &self.device, RunStart::New(kind, plan), stopped, &news).await;
        ended.result.unwrap()
    }

    /// The device starts anew, and gives root again.
    async fn start_anew(&self) {
        self.sim.restart();
        loop {
            if self.device.connect(&mut |_| {}).await.is_ok()
                && survey(&self.device, &mut |_| {}).await.is_ok()
                && ask_for_root(&self.device).await.is_ok_and(|given| given.is_ok())
            {
                return;
            }
        }
    }

    /// What the device accounts for, without what a start makes of packages that nobody touched.
    fn account(&self) -> BTreeMap<(String, u32), String> {
        self.sim.account()
    }
}

fn outcomes(run: &Run) -> Vec<Outcome> {
    run.steps.iter().map(|s| s.outcome.unwrap()).collect()
}

/// It goes with all that lies in its folder, of which a copy is kept to the last bit; Android notices at its next start; it comes back
/// to its place, with owner, mode and context as they were, and is there again after another start.
#[tokio::test]
async fn what_is_removed_from_the_system_comes_back_to_its_place() {
    let place = place().await;
    let before = place.account();
    let plan = place.take_out(&[(NOTES, Change::RemoveFromSystem), (RADIO, Change::RemoveFromSystem)]).await;
    let words = plan.steps[0].command(&place.device.capabilities());
    assert!(words.starts_with("su -c 'w=;for m in /system /;do if mount -o rw,remount $m "), "{words}");
    assert!(plan.steps[0].secures && plan.steps[0].skip.is_none(), "{:?}", plan.steps[0]);
    let run = place.carry_out(RunKind::TakeOut, plan).await;
    assert_eq!(outcomes(&run), [Outcome::Done; 2], "{:#?}", run.steps);
    assert!(run.steps[0].remark.contains("starts the next time"), "{}", run.steps[0].remark);
    assert!(place.sim.lies_on_the_partition(NOTES).is_empty());
    // Android has not noticed, and the shelf has it all the same.
    let (shelf, _) = place.shelf().await;
    let entry = shelf.entries.iter().find(|entry| entry.id == id(NOTES)).unwrap();
    assert_eq!((entry.word(), entry.condition), ("removed", Condition::InUse));
    let copies = place.book.with(|book| book.copies(None)).await.unwrap();
    let copy = copies.into_iter().find(|copy| copy.id == id(NOTES)).unwrap();
    assert!(copy.placed.iter().any(|placed| matches!(placed.kind, PlacedKind::File(_))), "{copy:#?}");
    place.start_anew().await;
    assert!(!place.account().keys().any(|(id, _)| id == NOTES));
    let (shelf, plan) = place.shelf().await;
    assert!(shelf.entries.iter().any(|entry| entry.id == id(NOTES) && entry.copy == Some(copy.number)));
    assert_eq!(plan.steps.iter().map(|step| step.way).collect::<Vec<_>>(), [Change::RestoreToSystem; 2]);
    // Without root nobody has it there again.
    let without = wibbet_core::android::Capabilities { root: None, ..place.device.capabilities() };
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let wanted = [(id(NOTES), OWNER, wibbet_core::package::PackageState::IN_USE)];
    let stuck = plan_put_back_with(&inventory, &without, &wanted, std::slice::from_ref(&copy));
    assert_eq!(stuck.steps[0].skip, Some(SkipReason::TakesRoot));
    let back = place.carry_out(RunKind::PutBack, plan).await;
    assert_eq!(outcomes(&back), [Outcome::Done; 2], "{:#?}", back.steps);
    assert_eq!(place.sim.lies_on_the_partition(NOTES).len(), copy.placed.len());
    assert!(place.sim.files_of_the_shell().is_empty(), "{:?}", place.sim.files_of_the_shell());
    place.start_anew().await;
    let (shelf, _) = place.shelf().await;
    assert!(shelf.entries.iter().all(|entry| entry.id != id(NOTES)));
    let after = place.account();
    let states = |account: &BTreeMap<(String, u32), String>| {
        account
            .iter()
            .filter(|((id, _), _)| id == NOTES || id == RADIO)
            .map(|(place, line)| (place.clone(), line.split(" parts off ").next().unwrap().to_owned()))
            .collect::<Vec<_>>()
    };
    assert_eq!(states(&after), states(&before));
}

/// What has no folder of its own there, has an update over it, or is asked for somebody else than the first user, stays; and so does all
/// of it without root.
#[tokio::test]
async fn what_cannot_be_removed_from_the_system_is_not() {
    let place = place().await;
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let skip = |text: &str, user: u32, root: bool| {
        let mut capabilities = place.device.capabilities();
        capabilities.root = capabilities.root.filter(|_| root);
        let item = TrayItem { id: id(text), user: UserId::new(user), way: Change::RemoveFromSystem };
        plan_take_out(&inventory, &capabilities, &[item], true).steps[0].skip
    };
    assert_eq!(skip(NOTES, 0, true), None);
    assert_eq!(skip(NOTES, 0, false), Some(SkipReason::TakesRoot));
    let others = inventory.packages.values().filter(|package| package.kind != PackageKind::System);
    for other in others.filter(|package| package.kind != PackageKind::Library) {
        assert_eq!(skip(other.id.as_str(), 0, true), Some(SkipReason::NotOfTheSystem), "{}", other.id);
    }
    assert_eq!(skip("android", 0, true), Some(SkipReason::Essential(wibbet_core::android::Essential::Android)));
    if let Some(other) = inventory.users.iter().find(|user| user.id != OWNER) {
        assert_eq!(skip(NOTES, other.id.number(), true), Some(SkipReason::ForEverybody));
    }
    // A partition that is verified cannot be written: that is said, and nothing has changed.
    let before = place.account();
    place.sim.set_fault(Fault::Verified);
    let plan = place.take_out(&[(NOTES, Change::RemoveFromSystem)]).await;
    let run = place.carry_out(RunKind::TakeOut, plan).await;
    assert_eq!(outcomes(&run), [Outcome::Refused], "{:#?}", run.steps);
    assert!(run.steps[0].remark.contains("cannot be written"), "{}", run.steps[0].remark);
    assert_eq!(place.account(), before);
    assert!(!place.sim.lies_on_the_partition(NOTES).is_empty());
}

/// What has been put in its place since, such as by an update of the system, is not written over.
#[tokio::test]
async fn what_lies_there_now_is_not_written_over() {
    let place = place().await;
    let plan = place.take_out(&[(NOTES, Change::RemoveFromSystem)]).await;
    place.carry_out(RunKind::TakeOut, plan).await;
    let copy = place.book.with(|book| book.copies(None)).await.unwrap().remove(0);
    let folder = copy.placed[0].path.clone();
    let puts = format!(
        "su -c 'w=;for m in /system /;do if mount -o rw,remount $m 2>/dev/null;then w=$m;break;fi;done;mkdir -p {folder}&&mkdir -p \
         {folder}/newer;sync;[ -n \"$w\" ]&&mount -o ro,remount $w 2>/dev/null'"
    );
    place.device.ask(&wibbet_core::ask::Request::change_by_shell(puts), &mut |_| {}).await.unwrap();
    let lies = place.sim.lies_on_the_partition(NOTES);
    assert_eq!(lies.len(), 2, "{lies:?}");
    let (_, plan) = place.shelf().await;
    let back = place.carry_out(RunKind::PutBack, plan).await;
    assert_eq!(outcomes(&back), [Outcome::Skipped], "{:#?}", back.steps);
    assert!(back.steps[0].remark.contains("something else lies there"), "{}", back.steps[0].remark);
    assert_eq!(place.sim.lies_on_the_partition(NOTES), lies);
}

/// However often the link goes in between, of what was removed nothing is lost, and nothing is called done that is not.
#[tokio::test]
async fn an_interrupted_removal_or_return_is_settled_by_what_lies_there() {
    for cut in [0, 1, 2, 3, 5, 8, 13] {
        let place = place().await;
        let plan = place.take_out(&[(NOTES, Change::RemoveFromSystem)]).await;
        let carried = async |kind, plan: Plan| {
            let (_stop, stopped) = watch::channel(Control::Go);
            let sent = AtomicBool::new(false);
            let news = |news| {
                if let RunNews::Step(_, StepEvent::Sent { .. }) = news
                    && !sent.swap(true, Ordering::Relaxed)
                {
                    place.sim.set_fault(Fault::Cut(CutAt::Packet(Direction::ToDevice, cut)));
                }
            };
            let ended = run_plan(&place.workplace, &place.device, RunStart::New(kind, plan), stopped, &news).await;
            let run = ended.result.unwrap();
            match run.state {
                RunState::Finished => run,
                _ => {
                    let (_stop, stopped) = watch::channel(Control::Go);
                    let on = run_plan(&place.workplace, &place.device, RunStart::Resume(run.number), stopped, &|_| {});
                    on.await.result.unwrap()
                }
            }
        };
        let run = carried(RunKind::TakeOut, plan).await;
        let gone = place.sim.lies_on_the_partition(NOTES).is_empty();
        assert_eq!(run.steps[0].outcome == Some(Outcome::Done), gone, "cut {cut}: {:#?}", run.steps);
        let (_, plan) = place.shelf().await;
        if gone {
            let back = carried(RunKind::PutBack, plan).await;
            let lies = place.sim.lies_on_the_partition(NOTES);
            assert_eq!(outcomes(&back), [Outcome::Done], "cut {cut}: {:#?} {lies:?}", back.steps);
            place.start_anew().await;
            assert!(place.account().keys().any(|(id, _)| id == NOTES), "cut {cut}");
        }
    }
}

/// A part is switched as root alone, and read back.
#[tokio::test]
async fn a_part_is_switched_and_read_back() {
    let place = place().await;
    let class = "com.android.music.Offers";
    let wanted = |to| WantedPart { id: id(NOTES), user: OWNER, part: class.parse::<PartName>().unwrap(), to };
    for to in [PartSwitch::Off, PartSwitch::On, PartSwitch::AsDeclared] {
        let switched =
            switch_part(&place.device, &place.book, &place.device.facts().unwrap().id, &wanted(to)).await.unwrap();
        assert_eq!(switched.is_so(&wanted(to)), Some(true), "{switched:?}");
        let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
        let parts = inventory.packages[&id(NOTES)].about.parts.get(&OWNER).cloned();
        assert_eq!(PartSwitch::of(parts.as_ref(), class), to);
    }
    let (_other, _, device, _folder) = linked(Scenario::crew_phone(), 1).await;
    let switched =
        switch_part(&device, &place.book, &device.facts().unwrap().id, &wanted(PartSwitch::Off)).await.unwrap();
    assert_eq!(switched.is_so(&wanted(PartSwitch::Off)), Some(false));
    assert!(switched.said.text().contains("Shell cannot change component state"), "{switched:?}");
}
