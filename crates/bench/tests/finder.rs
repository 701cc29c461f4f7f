//! The fault finder on a simulated device that really breaks.

use std::collections::BTreeSet;
use std::sync::Arc;

use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::finder::{
    FindFault, begin_finder, carry_out_round, end_finder, look_whether_broken, mark_round, plan_round, rely_on,
    suspects, take_answer_back,
};
use wibbet_bench::ops::survey;
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::run::{Control, RunStart, run_plan};
use wibbet_bench::session::{Session, SessionCommand, SessionEvent};
use wibbet_bench::workplace::Workplace;
use wibbet_core::catalog::Catalog;
use wibbet_core::diagnosis::{Cause, Check, Evaluation, FaultFinder, Next, Suspect};
use wibbet_core::package::{Condition, PackageKind, Scope};
use wibbet_core::plan::{Change, SkipReason, StartLoss, TrayItem, plan_take_out};
use wibbet_core::run::{OfRuns, Outcome, RunKind};
use wibbet_sim::{Scenario, SimDevice};
use wibbet_types::{PackageId, PlainText, UserId};

use crate::support::{id, in_memory};

/// Takes packages out, half of them by disabling.
async fn take_out(workplace: &Workplace, device: &AdbDevice, ids: &[PackageId]) {
    let inventory = survey(device, &mut |_| {}).await.unwrap();
    let item = |(n, id): (usize, &PackageId)| {
        let way = if n % 2 == 0 { Change::Uninstall } else { Change::Disable };
        TrayItem { id: id.clone(), user: UserId::OWNER, way }
    };
    let tray: Vec<TrayItem> = ids.iter().enumerate().map(item).collect();
    let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false);
    let (_stop, stopped) = watch::channel(Control::Go);
    let run =
        run_plan(workplace, device, RunStart::New(RunKind::TakeOut, plan), stopped, &|_| {}).await.result.unwrap();
    assert_eq!(run.count(Outcome::Done), ids.len(), "{:#?}", run.steps);
}

async fn round(workplace: &Workplace, device: &AdbDevice, finder: &FaultFinder, back: &[bool]) {
    let inventory = survey(device, &mut |_| {}).await.unwrap();
    let plan = plan_round(workplace, device, finder, back, &inventory, &BTreeSet::new()).await.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    let (_, trouble) = carry_out_round(workplace, device, plan, &stopped, &|_| {}).await;
    assert!(trouble.is_none(), "{trouble:?}");
    let now = survey(device, &mut |_| {}).await.unwrap();
    assert_eq!(finder.back_now(&now), back);
}

/// What its people would say: something is broken still.
fn is_broken(sim: &SimDevice, what: &str) -> bool {
    sim.broken().iter().any(|broken| broken.user == 0 && broken.what == what)
}

/// Twelve packages went, and one of them broke something. It is found with what the device really does, the others go again, and its story
/// is kept for the model.
#[tokio::test(start_paused = true)]
async fn the_one_that_broke_it_is_found_and_stays_back() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let vital: BTreeSet<PackageId> = Scenario::VITAL.iter().map(|text| id(text)).collect();
    let culprit = id("com.corvane.weather.provider");
    let others = inventory.packages.values().filter(|package| {
        let text = package.id.as_str();
        package.kind == PackageKind::System
            && package.condition(UserId::OWNER) == Condition::InUse
            && text.starts_with("com.corvane.")
            && !vital.contains(&package.id)
            && !text.contains("weather")
            && !["com.corvane.guardian", "com.corvane.fota"].contains(&text)
    });
    let mut ids: Vec<PackageId> = others.map(|package| package.id.clone()).take(11).collect();
    ids.insert(7, culprit.clone());
    let before: BTreeSet<String> = sim.broken().into_iter().map(|broken| broken.what).collect();
    take_out(&workplace, &device, &ids).await;
    let broken = sim.broken();
    let due = |b: &&wibbet_sim::Broken| {
        b.user == 0 && !before.contains(&b.what) && b.mended_by == [culprit.as_str().to_owned()]
    };
    let what = broken.iter().find(due).unwrap().what.clone();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let catalog = Catalog::new(Arc::new(inventory));
    let who = suspects(&workplace, &device, &catalog, OfRuns::All).await.unwrap();
    let of = device.facts().unwrap().id;
    let said = PlainText::new("no weather");
    let mut finder = begin_finder(&workplace, of.clone(), who.clone(), said.clone(), None).await.unwrap();
    // Another program finds that one goes on.
    let twice = begin_finder(&workplace, of, who, said, None).await.unwrap_err().to_string();
    assert!(twice.contains("goes on on") && twice.contains("already"), "{twice}");
    assert_eq!(finder.suspects.len(), 12);
    let mut asked = 0;
    let cause = loop {
        // As if the program had been ended in between.
        let of = finder.device.clone();
        finder = workplace.book.with(move |book| book.finders(&of)).await.unwrap().pop().unwrap();
        match finder.next() {
            Next::Try(back) => {
                asked += 1;
                assert!(asked <= 8, "{:?}", finder.rounds);
                round(&workplace, &device, &finder, &back).await;
                let seen = if is_broken(&sim, &what) { Evaluation::Still } else { Evaluation::Gone };
                let now = survey(&device, &mut |_| {}).await.unwrap();
                if asked == 2 {
                    // Somebody typed the wrong answer, and noticed.
                    mark_round(&workplace, &device, &mut finder, Evaluation::CannotTell, &now).await.unwrap();
                    take_answer_back(&workplace, &mut finder).await.unwrap();
                }
                mark_round(&workplace, &device, &mut finder, seen, &now).await.unwrap();
            }
            Next::Found(cause) => break cause,
            Next::Blurred(_) => panic!("{:?}", finder.rounds),
        }
    };
    let Cause::One(place) = cause else { panic!("{cause:?}") };
    assert_eq!(finder.suspects[place].id, culprit);
    round(&workplace, &device, &finder, &finder.in_the_end(cause)).await;
    assert!(!is_broken(&sim, &what));
    let off = ids.iter().filter(|id| !matches!(sim.holds(id.as_str(), 0), Some((true, 0 | 1)))).count();
    assert_eq!(off, 11);
    end_finder(&workplace, &device, &finder, Some(cause)).await.unwrap();
    let facts = device.facts().unwrap();
    let of = facts.id.clone();
    let (notes, all) = workplace.book.with(move |book| Ok((book.notes(&facts)?, book.finders(&of)?))).await.unwrap();
    let note = notes.iter().find(|note| note.id == culprit).unwrap();
    assert!(note.scope == Scope::Model && note.text.contains("no weather"), "{note:?}");
    assert!(all[0].ended.is_some());
    let over = workplace.book.with(move |book| book.mark_round(all[0].number, &finder.rounds[0])).await;
    assert!(over.is_err(), "it has ended");
}

/// Nobody stops it.
fn going() -> watch::Receiver<Control> {
    watch::channel(Control::Go).1
}

/// What tells it by itself answers each round: an action that nobody answers, and an app that fails. Nobody is asked anything.
#[tokio::test(start_paused = true)]
async fn it_is_found_without_anybody_looking() {
    let action = "com.corvane.assistant.action.HOTWORD";
    for (culprit, check) in [
        ("com.corvane.assistant.hotword", Check::Answered(action.into())),
        ("com.corvane.weather.provider", Check::Fails(id("com.corvane.weather"))),
    ] {
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let ids = ["com.android.music", "com.android.egg", culprit, "com.corvane.tips", "com.corvane.compass"];
        take_out(&workplace, &device, &ids.map(id)).await;
        let catalog = Catalog::new(Arc::new(survey(&device, &mut |_| {}).await.unwrap()));
        let who = suspects(&workplace, &device, &catalog, OfRuns::All).await.unwrap();
        let of = device.facts().unwrap().id;
        let said = PlainText::new("it does not listen");
        let begun = begin_finder(&workplace, of.clone(), who, said, Some(check.clone())).await.unwrap();
        assert_eq!(
            look_whether_broken(&workplace, &device, UserId::OWNER, &check, going()).await.unwrap(),
            Evaluation::Still,
            "{check}"
        );
        // What sees nothing broken is not relied on.
        let sees = rely_on(&workplace, &device, UserId::OWNER, &check, going()).await;
        let blind = Check::Answered("android.intent.action.MAIN".into());
        let not = rely_on(&workplace, &device, UserId::OWNER, &blind, going()).await.unwrap_err().to_string();
        assert!(sees.is_ok() && not.contains("not broken now"), "{not}");
        let mut rounds = 0;
        let cause = loop {
            let of = begun.device.clone();
            let mut finder = workplace.book.with(move |book| book.finders(&of)).await.unwrap().pop().unwrap();
            assert_eq!(finder.check.as_ref(), Some(&check), "it is remembered");
            match finder.next() {
                Next::Try(back) => {
                    rounds += 1;
                    assert!(rounds <= 6, "{:?}", finder.rounds);
                    round(&workplace, &device, &finder, &back).await;
                    let seen = look_whether_broken(&workplace, &device, finder.whose(), &check, going()).await.unwrap();
                    let now = survey(&device, &mut |_| {}).await.unwrap();
                    mark_round(&workplace, &device, &mut finder, seen, &now).await.unwrap();
                }
                Next::Found(cause) => break finder.suspects[finder.culprits(cause)[0]].id.clone(),
                Next::Blurred(_) => panic!("{:?}", finder.rounds),
            }
        };
        assert_eq!(cause, id(culprit));
    }
}

/// Whether the device starts is seen by a restart.
#[tokio::test(start_paused = true)]
async fn whether_it_starts_is_seen_by_a_restart() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let seen = look_whether_broken(&workplace, &device, UserId::OWNER, &Check::Starts, going()).await.unwrap();
    assert_eq!(seen, Evaluation::Gone);
    // Whoever stops the looking is not kept waiting for the device.
    let (stop, stopped) = watch::channel(Control::Go);
    let (begun, check) = (tokio::time::Instant::now(), Check::Fails(id("com.corvane.weather")));
    let stopping = async {
        tokio::time::sleep(std::time::Duration::from_secs(5)).await;
        stop.send_replace(Control::Stop);
    };
    let (looked, ()) = tokio::join!(look_whether_broken(&workplace, &device, UserId::OWNER, &check, stopped), stopping);
    assert_eq!(looked.unwrap(), Evaluation::CannotTell);
    assert!(begun.elapsed() < std::time::Duration::from_secs(20), "{:?}", begun.elapsed());
    sim.set_state("com.android.wifi.resources", 0, false, 0);
    let seen = look_whether_broken(&workplace, &device, UserId::OWNER, &Check::Starts, going()).await.unwrap();
    assert_eq!(seen, Evaluation::Still);
    let restarts = sim.transcript().iter().filter(|line| line.contains("svc power reboot")).count();
    assert_eq!(restarts, 2);
}

/// What the start of the device needs does not go again by a round that nobody has looked at, and such a round is not wanted twice.
#[tokio::test(start_paused = true)]
async fn what_the_start_needs_stays_back_once_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let needed = id("com.android.wifi.resources");
    let ids = [needed.clone(), id("com.corvane.tips"), id("com.corvane.compass")];
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let item = |id: &PackageId| TrayItem { id: id.clone(), user: UserId::OWNER, way: Change::Uninstall };
    let tray: Vec<TrayItem> = ids.iter().map(item).collect();
    let loss = |id: &PackageId, _| (*id == needed).then(|| StartLoss { class: 2, stops: "starting".into() });
    let despite = BTreeSet::from([needed.clone()]);
    let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false).minding_the_start(loss, &despite);
    let (_stop, stopped) = watch::channel(Control::Go);
    run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &|_| {}).await.result.unwrap();
    let catalog = Catalog::new(Arc::new(survey(&device, &mut |_| {}).await.unwrap()));
    let who = suspects(&workplace, &device, &catalog, OfRuns::All).await.unwrap();
    let of = device.facts().unwrap().id;
    let mut finder = begin_finder(&workplace, of, who, PlainText::new(""), None).await.unwrap();
    let place = finder.suspects.iter().position(|one| one.id == needed).unwrap();
    assert!(finder.suspects[place].weight > 5, "it is met first");
    let mut back = vec![false; 3];
    back[place] = true;
    round(&workplace, &device, &finder, &back).await;
    let now = survey(&device, &mut |_| {}).await.unwrap();
    let nobody = BTreeSet::new();
    let again = plan_round(&workplace, &device, &finder, &[false; 3], &now, &nobody).await.unwrap();
    assert_eq!((again.to_send(), again.take_out.steps[0].skip), (0, Some(SkipReason::Start(2))));
    let allowed = plan_round(&workplace, &device, &finder, &[false; 3], &now, &despite).await.unwrap();
    assert_eq!(allowed.to_send(), 1);
    // Whatever a round wants that cannot be had is wanted once. Without it off nobody can be sure of it; it is the likeliest.
    let mut in_vain = BTreeSet::new();
    let mut rounds = 0;
    while let Next::Try(back) = finder.next() {
        rounds += 1;
        assert!(rounds < 20, "{:?}", finder.rounds);
        let now = survey(&device, &mut |_| {}).await.unwrap();
        let plan = plan_round(&workplace, &device, &finder, &back, &now, &nobody).await.unwrap();
        let (_stop, stopped) = watch::channel(Control::Go);
        assert!(carry_out_round(&workplace, &device, plan, &stopped, &|_| {}).await.1.is_none());
        let now = survey(&device, &mut |_| {}).await.unwrap();
        let missed = finder.back_now(&now) != back;
        assert!(!missed || in_vain.insert(back.clone()), "{back:?} {:?}", finder.rounds);
        mark_round(&workplace, &device, &mut finder, Evaluation::Gone, &now).await.unwrap();
    }
    let Next::Blurred(likeliest) = finder.next() else { panic!("{:?}", finder.next()) };
    assert_eq!((likeliest[0], in_vain.is_empty()), (place, false));
    assert_eq!(sim.holds(needed.as_str(), 0), Some((true, 0)));
}

/// As the screen has it done: begun, tried, answered, ended.
#[tokio::test(start_paused = true)]
async fn a_session_does_it_round_by_round() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let (told, mut events) = tokio::sync::mpsc::unbounded_channel();
    let device = workplace.device(sim.address());
    let session = Session::start(device, workplace.clone(), move |event| drop(told.send(event)));
    let mut until = async |wanted: &mut dyn FnMut(&SessionEvent) -> bool| loop {
        let event = events.recv().await.unwrap();
        if wanted(&event) {
            return event;
        }
    };
    // It is told whenever the runs are.
    let after =
        |event: &SessionEvent, rounds| matches!(event, SessionEvent::Finder(Some(f)) if f.rounds.len() == rounds);
    until(&mut |event| matches!(event, SessionEvent::Inventory(_))).await;
    session.send(SessionCommand::FindFault(FindFault::Seen(Evaluation::Still)));
    until(&mut |event| matches!(event, SessionEvent::Note(words) if words.contains("none goes on"))).await;
    let ids = ["com.corvane.tips", "com.corvane.compass"];
    ids.iter().for_each(|id| sim.set_state(id, 0, true, 3));
    session.send(SessionCommand::Survey);
    until(&mut |event| matches!(event, SessionEvent::Inventory(_))).await;
    let suspect = |text: &&str| Suspect {
        id: id(text),
        user: UserId::OWNER,
        way: Change::Disable,
        before: wibbet_core::package::PackageState::IN_USE,
        weight: 1,
    };
    let suspects = ids.iter().map(suspect).collect();
    session.send(SessionCommand::FindFault(FindFault::Begin(suspects, PlainText::new("no light"), None)));
    for rounds in 0..4 {
        let told = until(&mut |event| after(event, rounds)).await;
        let SessionEvent::Finder(Some(finder)) = told else { unreachable!() };
        let back = match finder.next() {
            Next::Try(back) => back,
            Next::Found(cause) => {
                assert_eq!(finder.found_words(cause, PackageId::to_string), "it is due to com.corvane.compass");
                session.send(SessionCommand::FindFault(FindFault::End(Some(cause))));
                until(&mut |event| matches!(event, SessionEvent::Finder(None))).await;
                return;
            }
            Next::Blurred(_) => panic!("{:?}", finder.rounds),
        };
        session.send(SessionCommand::FindFault(FindFault::Try(back.clone())));
        until(&mut |event| matches!(event, SessionEvent::RunEnded(None))).await;
        until(&mut |event| matches!(event, SessionEvent::Inventory(_))).await;
        assert_eq!(sim.holds("com.corvane.compass", 0), Some((true, if back[1] { 0 } else { 3 })));
        let seen = if back[1] { Evaluation::Gone } else { Evaluation::Still };
        session.send(SessionCommand::FindFault(FindFault::Seen(seen)));
    }
    panic!("not found");
}

#[tokio::test(start_paused = true)]
async fn there_are_no_suspects_where_nothing_is_off() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), RunPolicy::default()).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    wibbet_bench::ops::note_met(&workplace.book, &device).await.unwrap();
    let catalog = Catalog::new(Arc::new(survey(&device, &mut |_| {}).await.unwrap()));
    let error = suspects(&workplace, &device, &catalog, OfRuns::All).await.unwrap_err();
    assert!(error.to_string().contains("no suspects"), "{error}");
}
