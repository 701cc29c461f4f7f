//! Catch: devices that start over and over, and what a run took out of them. In stopped time.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use tokio::sync::watch;
use wibbet_bench::around::{Route, Surroundings};
use wibbet_bench::catch::{CatchNews, catch_device};
use wibbet_bench::device::AdbDevice;
use wibbet_bench::ops::survey;
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::run::{Control, RunEnded, RunError, RunStart, run_plan};
use wibbet_bench::session::{Session, SessionCommand, SessionEvent};
use wibbet_bench::workplace::Workplace;
use wibbet_core::diagnosis::CatchView;
use wibbet_core::package::{Condition, PackageKind};
use wibbet_core::plan::{Change, Plan, StartLoss, TrayItem, plan_take_out};
use wibbet_core::run::{OfRuns, Outcome, Run, RunKind, RunState};
use wibbet_sim::{Allow, Options, OwnerAction, Scenario, SimBus, SimDevice};
use wibbet_types::{PackageId, UserId};

use crate::support::{id, workplace};

/// Without these the system dies behind its package service, once it starts anew.
const FOR_THE_START: [&str; 3] =
    ["com.android.connectivity.resources", "com.android.uwb.resources", "com.android.wifi.resources"];

struct Place {
    sim: SimDevice,
    bus: Arc<SimBus>,
    workplace: Workplace,
    device: AdbDevice,
    _folder: tempfile::TempDir,
}

impl Place {
    /// The crew phone on a cable, linked.
    async fn new(seed: u64) -> Self {
        Self::with(Scenario::crew_phone(), seed).await
    }

    async fn with(scenario: Scenario, seed: u64) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let options = Options { allow: Allow::After(Duration::ZERO), seed, ..Options::default() };
        let sim = SimDevice::start(scenario, options).await.unwrap();
        let bus = Arc::new(SimBus::default());
        let place = bus.plug(&sim);
        let here = workplace(folder.path(), RunPolicy::default());
        let surroundings = Arc::new(Surroundings::simulated(Some(Arc::clone(&bus) as _), None));
        let workplace = Workplace { book: here.book.clone().working_inline(), surroundings, ..here };
        let device = workplace.device_by(vec![Route::Cable(place)]);
        device.follow();
        device.connect(&mut |_| {}).await.unwrap();
        Self { sim, bus, workplace, device, _folder: folder }
    }

    /// Takes out so many packages, with those that it does not start without.
    async fn take_out(&self, count: usize, for_the_start: &[&str]) -> Run {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let needed: BTreeSet<PackageId> = for_the_start.iter().map(|text| id(text)).collect();
        let vital: BTreeSet<PackageId> = Scenario::VITAL.iter().map(|text| id(text)).collect();
        let harmless = inventory.packages.values().filter(|package| {
            let text = package.id.as_str();
            package.kind == PackageKind::System
                && package.condition(UserId::OWNER) == Condition::InUse
                && (text.starts_with("com.corvane.") || text.starts_with("net.skerry."))
                && !vital.contains(&package.id)
                // An administrator, and one that its maker protects.
                && !["com.corvane.guardian", "com.corvane.fota"].contains(&text)
        });
        let mut tray: Vec<TrayItem> = Vec::new();
        for (n, package) in harmless.enumerate() {
            let way = if n % 4 == 3 { Change::Disable } else { Change::Uninstall };
            tray.push(TrayItem { id: package.id.clone(), user: UserId::OWNER, way });
        }
        tray.truncate(count - needed.len());
        tray.extend(needed.iter().map(|id| TrayItem { id: id.clone(), user: UserId::OWNER, way: Change::Uninstall }));
        let plan: Plan = plan_take_out(&inventory, &self.device_capabilities(), &tray, false);
        let loss = |id: &PackageId, _| needed.contains(id).then(|| StartLoss { class: 2, stops: "the start".into() });
        let mut plan = plan.minding_the_start(loss, &needed);
        plan.steps.retain(|step| step.skip.is_none());
        assert_eq!(plan.steps.len(), count);
        let (_stop, stopped) = watch::channel(Control::Go);
        let start = RunStart::New(RunKind::TakeOut, plan);
        run_plan(&self.workplace, &self.device, start, stopped, &|_| {}).await.result.unwrap()
    }

    fn device_capabilities(&self) -> wibbet_core::android::Capabilities {
        use wibbet_bench::device::Device as _;
        self.device.capabilities()
    }

    fn fault(&self, text: &str) {
        self.sim.set_fault(text.parse().unwrap());
    }

    async fn catch(&self, wanted: OfRuns) -> Caught {
        let (_stop, stopped) = watch::channel(Control::Go);
        self.catch_until(wanted, stopped).await
    }

    async fn catch_until(&self, wanted: OfRuns, stop: watch::Receiver<Control>) -> Caught {
        let told = Mutex::new((CatchView::default(), Vec::new()));
        let news = |news: CatchNews| match news {
            CatchNews::Seen(view, _) => told.lock().unwrap().0 = *view,
            CatchNews::Waiting(words) => told.lock().unwrap().1.push(words),
            _ => {}
        };
        let ended = catch_device(&self.workplace, &self.device, wanted, stop, &news).await;
        let (view, waited) = told.into_inner().unwrap();
        Caught { ended, view, waited }
    }

    /// What of a run is not in use now.
    fn still_off(&self, run: &Run) -> Vec<PackageId> {
        let off = |step: &&wibbet_core::run::Step| {
            !matches!(self.sim.holds(step.id.as_str(), step.user.number()), Some((true, 0 | 1)))
        };
        run.steps.iter().filter(off).map(|step| step.id.clone()).collect()
    }
}

struct Caught {
    ended: RunEnded,
    view: CatchView,
    waited: Vec<String>,
}

/// The daemon is there for a few seconds of each round, the package service for one of them, on another number of the bus each time.
#[tokio::test(start_paused = true)]
async fn forty_packages_are_back_within_three_rounds() {
    for window in ["window=3:20:1", "window=5:40:1"] {
        let here = Place::new(1).await;
        let out = here.take_out(40, &FOR_THE_START).await;
        assert_eq!(here.still_off(&out).len(), 40);
        for fault in ["line=5:30:6", "work=25:40", window] {
            here.fault(fault);
        }
        here.sim.restart();
        let before = here.sim.rounds();
        let caught = here.catch(OfRuns::Last).await;
        let run = caught.ended.result.unwrap();
        assert_eq!((run.kind, run.state, here.still_off(&out)), (RunKind::PutBack, RunState::Finished, Vec::new()));
        let undone: Vec<_> = run.steps.iter().filter(|step| step.outcome != Some(Outcome::Done)).collect();
        assert!(undone.is_empty(), "{undone:#?}");
        // What the start needs went first.
        let first: BTreeSet<&str> = run.steps[..3].iter().map(|step| step.id.as_str()).collect();
        assert_eq!(first, BTreeSet::from(FOR_THE_START));
        // The last of these is the one that holds.
        assert!(here.sim.rounds() - before <= 3 + 1, "{} rounds", here.sim.rounds() - before);
        let late: Vec<_> = here.sim.changed_after().into_iter().filter(|d| *d > Duration::from_millis(300)).collect();
        assert!(!here.sim.changed_after().is_empty() && late.is_empty(), "{:?}", here.sim.changed_after());
        assert!(caught.view.stands_since.is_some() && caught.view.crash.is_some(), "{:?}", caught.view);
        assert_eq!(here.sim.broken(), []);
    }
}

/// The framework alone starts over and over: the bus is left for a second, and the shell is there nearly all the time.
#[tokio::test(start_paused = true)]
async fn a_framework_that_loops_is_caught_and_so_is_an_android_that_does_not_count_its_starts() {
    for (scenario, lost) in [
        (Scenario::crew_phone(), &FOR_THE_START[..]),
        (Scenario::store_phone(), &["com.android.providers.telephony"][..]),
    ] {
        let here = Place::with(scenario, 1).await;
        let out = here.take_out(8, lost).await;
        here.fault("line=5:30:6");
        here.sim.restart();
        let caught = here.catch(OfRuns::Run(out.number)).await;
        let run = caught.ended.result.unwrap();
        assert_eq!((run.state, here.still_off(&out), here.sim.broken()), (RunState::Finished, Vec::new(), Vec::new()));
        assert!(caught.view.windows >= 1, "{:?}", caught.view);
    }
}

/// Against the prompt of the system's own rescue, which comes after twenty failed starts or so: its third level is fifteen.
#[tokio::test(start_paused = true)]
async fn it_is_over_long_before_the_rescue_asks() {
    for seed in 0..seeds() {
        let mut random = fastrand::Rng::with_seed(seed);
        let here = Place::new(seed).await;
        let count = random.usize(3..20);
        let lost = random.usize(1..=FOR_THE_START.len());
        let out = here.take_out(count, &FOR_THE_START[..lost]).await;
        here.fault(&format!("line={}:30:6", random.u32(1..60)));
        here.fault(&format!("work={}:40", random.u32(5..80)));
        match random.u32(0..3) {
            0 => {}
            1 => here.fault("kernel-loops"),
            _ => {
                let reached = random.u64(3..6);
                let service = random.u64(1..reached);
                here.fault(&format!("window={reached}:{}:{service}", reached + random.u64(10..30)));
            }
        }
        here.sim.restart();
        // It had been looping for a while.
        tokio::time::sleep(Duration::from_secs(random.u64(0..60))).await;
        let caught = here.catch(OfRuns::All).await;
        let run = caught.ended.result.unwrap();
        assert_eq!((run.state, here.still_off(&out)), (RunState::Finished, Vec::new()), "seed {seed}");
        assert!(
            !here.sim.asks_in_recovery() && here.sim.failed_starts() < 15,
            "seed {seed}: {}",
            here.sim.failed_starts()
        );
    }
}

/// The program ends in the middle, and is begun again: nothing is lost, and it goes on with the same run.
#[tokio::test(start_paused = true)]
async fn a_catch_that_was_ended_goes_on() {
    for after in [0, 30, 90, 250] {
        let here = Place::new(1).await;
        let out = here.take_out(30, &FOR_THE_START).await;
        for fault in ["line=5:30:6", "work=60:40", "window=3:20:1"] {
            here.fault(fault);
        }
        here.sim.restart();
        {
            let (_stop, stopped) = watch::channel(Control::Go);
            let catching = here.catch_until(OfRuns::Last, stopped);
            // Dropped as it is, as a program that is killed.
            let enough = async {
                while here.sim.changed_after().is_empty() {
                    tokio::time::sleep(Duration::from_millis(10)).await;
                }
                tokio::time::sleep(Duration::from_millis(after)).await;
            };
            tokio::select! {
                _ = catching => panic!("it has not ended"),
                () = enough => {}
            }
        }
        here.device.hang_up().await;
        let caught = here.catch(OfRuns::Last).await;
        let run = caught.ended.result.unwrap();
        assert_eq!((run.state, here.still_off(&out)), (RunState::Finished, Vec::new()), "{after} ms");
        let device = run.device.clone();
        let runs = here.workplace.book.with(move |book| book.runs(Some(&device))).await.unwrap();
        assert_eq!(runs.iter().filter(|run| run.kind == RunKind::PutBack).count(), 1, "{after} ms");
    }
}

/// Where the package service never comes up nothing can be put back: that is told, with what is left, and waited on.
#[tokio::test(start_paused = true)]
async fn a_service_that_never_comes_is_told_and_the_catch_can_be_stopped() {
    let here = Place::new(1).await;
    let out = here.take_out(4, &[]).await;
    // Somebody else has taken out what nobody could put back from here.
    here.sim.set_state("com.android.permissioncontroller", 0, false, 0);
    here.sim.restart();
    let (stop, stopped) = watch::channel(Control::Go);
    let stops = async {
        tokio::time::sleep(Duration::from_secs(100)).await;
        stop.send_replace(Control::Stop);
        std::future::pending::<()>().await;
    };
    let caught = tokio::select! {
        caught = here.catch_until(OfRuns::Last, stopped) => caught,
        () = stops => unreachable!(),
    };
    assert!(matches!(caught.ended.result, Err(RunError::Stopped)), "{:?}", caught.ended.result);
    let crash = caught.view.crash.as_ref().map(ToString::to_string).unwrap_or_default();
    assert!(caught.view.never_comes && crash.contains("permissions manager"), "{:?}", caught.view);
    let words = caught.view.words(&here.device_capabilities(), Duration::from_secs(100)).join("\n");
    assert!(words.contains("wibbet pull") && words.contains("Try again"), "{words}");
    assert_eq!(here.still_off(&out).len(), 4);
    let number = caught.ended.number.unwrap();
    let run = here.workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    assert_eq!(run.state, RunState::Stopped);
}

/// A device that its rescue has brought to asking waits in its recovery; “Try again” leads back, and it is caught then.
#[tokio::test(start_paused = true)]
async fn one_that_asks_for_a_reset_is_caught_behind_try_again() {
    let here = Place::new(1).await;
    let out = here.take_out(5, &FOR_THE_START).await;
    here.fault("line=5:30:6");
    here.sim.restart();
    while !here.sim.asks_in_recovery() {
        tokio::time::sleep(Duration::from_secs(5)).await;
        assert!(here.sim.rounds() < 100, "{}", here.sim.failed_starts());
    }
    assert_eq!(here.sim.screen(None).acts, [OwnerAction::TryAgain]);
    let chooses = async {
        tokio::time::sleep(Duration::from_secs(60)).await;
        here.sim.act(OwnerAction::TryAgain).await.unwrap();
        std::future::pending::<()>().await;
    };
    let caught = tokio::select! {
        caught = here.catch(OfRuns::Last) => caught,
        () = chooses => unreachable!(),
    };
    assert_eq!((caught.ended.result.unwrap().state, here.still_off(&out)), (RunState::Finished, Vec::new()));
    assert!(!caught.waited.is_empty());
    drop(here.bus);
}

/// The screen's session notices it, and does it when somebody asks.
#[tokio::test(start_paused = true)]
async fn a_session_tells_of_a_loop_and_catches() {
    let here = Place::new(1).await;
    let out = here.take_out(6, &FOR_THE_START).await;
    here.fault("line=5:30:6");
    here.device.hang_up().await;
    let (told, mut events) = tokio::sync::mpsc::unbounded_channel();
    let device = here.workplace.device_by(here.device.routes());
    device.follow();
    let session = Session::start(device, here.workplace.clone(), move |event| drop(told.send(event)));
    // It has to have met the device to know it on another number of the bus.
    while !matches!(events.recv().await.unwrap(), SessionEvent::Inventory(_)) {}
    here.sim.restart();
    while !matches!(events.recv().await.unwrap(), SessionEvent::Looping(true)) {}
    session.send(SessionCommand::Catch(OfRuns::Last));
    let mut loops = true;
    let ended = loop {
        let event = events.recv().await.unwrap();
        if let SessionEvent::Looping(now) = &event {
            loops = *now;
        }
        if let SessionEvent::CatchEnded(number, trouble) = event {
            break (number, trouble);
        }
    };
    assert_eq!((ended.1, here.still_off(&out), loops), (None, Vec::new(), false));
    // It goes on as any session does, and the device is not told to loop any more.
    while !matches!(events.recv().await.unwrap(), SessionEvent::Inventory(_)) {}
}

/// A computer that the device does not know any more: the dialog is there once, and the catch ends, rather than opening it over and over.
#[tokio::test(start_paused = true)]
async fn a_device_that_does_not_know_the_computer_is_not_asked_over_and_over() {
    let here = Place::new(1).await;
    here.take_out(4, &[]).await;
    let asked = here.sim.dialogs();
    here.device.hang_up().await;
    here.sim.forget_computers();
    here.sim.allow_never();
    let caught = here.catch(OfRuns::Last).await;
    let error = caught.ended.result.unwrap_err().to_string();
    assert!(error.contains("has not authorised") && error.contains("Begin again"), "{error}");
    assert_eq!(here.sim.dialogs() - asked, 1);
    assert!(caught.waited.iter().any(|words| words.contains("its key is not stored")), "{:?}", caught.waited);
}

/// So it is with one that forgets its computers while it starts over and over; what was sent before that is on record.
#[tokio::test(start_paused = true)]
async fn a_device_that_loses_the_key_in_its_loop_ends_the_catch() {
    let here = Place::new(1).await;
    let out = here.take_out(40, &FOR_THE_START).await;
    // So slow that no round does all of it.
    for fault in ["work=400:50", "window=3:20:1"] {
        here.fault(fault);
    }
    here.sim.restart();
    // It knows the computer in this round, and not in the next one.
    here.fault("forgets-keys");
    here.sim.allow_never();
    let caught = here.catch(OfRuns::Last).await;
    let number = caught.ended.number;
    let error = caught.ended.result.unwrap_err().to_string();
    assert!(error.contains("has not authorised"), "{error}");
    // Whatever the record says was sent, and nothing is called done that the device does not have.
    let number = number.expect("what was sent is on record");
    let run = here.workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    let off = here.still_off(&out);
    assert!(!off.is_empty() && off.len() < 40, "{}", off.len());
    assert!(run.steps.iter().any(|step| step.state != wibbet_core::run::StepState::Waiting));
    let done = run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done));
    assert!(done.clone().all(|step| !off.contains(&step.id)), "{:#?}", run.steps);
}

#[tokio::test(start_paused = true)]
async fn nothing_to_catch_is_said() {
    let here = Place::new(1).await;
    for wanted in [OfRuns::Last, OfRuns::All] {
        let error = here.catch(wanted).await.ended.result.unwrap_err().to_string();
        assert!(error.contains("nothing that a run took out") && error.ends_with("Nothing was sent"), "{error}");
    }
    // Android 7 has no command that brings back what was uninstalled.
    let old = Place::with(Scenario::of_level(25).unwrap(), 1).await;
    let inventory = survey(&old.device, &mut |_| {}).await.unwrap();
    let item = |text| TrayItem { id: id(text), user: UserId::OWNER, way: Change::Uninstall };
    let plan = plan_take_out(&inventory, &old.device_capabilities(), &[item("com.android.music")], true);
    let (_stop, stopped) = watch::channel(Control::Go);
    let start = RunStart::New(RunKind::TakeOut, plan);
    run_plan(&old.workplace, &old.device, start, stopped, &|_| {}).await.result.unwrap();
    let error = old.catch(OfRuns::Last).await.ended.result.unwrap_err().to_string();
    assert!(error.contains("nothing of it can be put back by a command"), "{error}");
}

/// Forty seeds; two hundred with `WIBBET_SEEDS` set.
fn seeds() -> u64 {
    if std::env::var_os("WIBBET_SEEDS").is_some() { 200 } else { 40 }
}
