//! Runs against bench devices: nothing is called done that is not, and no interruption makes the
//! logbook and the device disagree.

use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use crate::support::{id, keys, linked, patience, workplace};
use tokio::sync::watch;
use wibbet_adb::Timeouts;
use wibbet_bench::around::Route;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{claim, note_met, survey};
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::run::{Control, RunError, RunNews, RunStart, Runner, begin_run, run_plan, settle_interrupted};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::{Enabled, Essentials, Inventory, PackageState};
use wibbet_core::plan::{Change, Plan, SkipReason, TrayItem, plan_put_back, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, StepEvent, StepState, recorded_state};
use wibbet_sim::{Allow, CutAt, Direction, Fault, Flaw, Options, OwnerAction, Scenario, SimDevice};
use wibbet_types::{DeviceId, RunId, UserId};

const NOTES: &str = "com.android.music";
const RADIO: &str = "com.android.deskclock";
const EGG: &str = "com.android.email";
const OWNER: UserId = UserId::OWNER;

struct Place {
    sim: SimDevice,
    device: AdbDevice,
    book: SharedLogbook,
    patience: RunPolicy,
    workplace: Workplace,
    _folder: tempfile::TempDir,
}

async fn place(scenario: Scenario, window: usize) -> Place {
    let (sim, workplace, device, folder) = linked(scenario, window).await;
    let (book, patience) = (workplace.book.clone(), workplace.patience);
    Place { sim, device, book, patience, workplace, _folder: folder }
}

impl Place {
    fn id(&self) -> DeviceId {
        self.device.facts().unwrap().id
    }

    async fn begin(&self, items: &[(&str, Change)]) -> RunId {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let tray: Vec<TrayItem> = items.iter().map(|(i, way)| TrayItem { id: id(i), user: OWNER, way: *way }).collect();
        let plan = plan_take_out(&inventory, &self.device.capabilities(), &tray, false);
        begin_run(&self.workplace, &self.id(), RunKind::TakeOut, &plan, &self.device.capabilities()).await.unwrap()
    }

    async fn carry_on(&self, number: RunId) -> Result<Run, RunError> {
        let (_stop, stopped) = watch::channel(Control::Go);
        Runner::carry_out(&self.device, &self.book, self.patience, number, stopped, &|_| {}).await
    }

    async fn take_out(&self, items: &[(&str, Change)]) -> Run {
        let number = self.begin(items).await;
        let run = self.carry_on(number).await.unwrap();
        assert_eq!(self.kept(number).await.steps, run.steps, "what is shown is what is kept");
        run
    }

    async fn put_back(&self, ids: &[&str]) -> Run {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let device = self.id();
        let (runs, copies) =
            self.book.with(move |book| Ok((book.runs(Some(&device))?, book.copies(Some(&device))?))).await.unwrap();
        let wanted: Vec<_> = ids.iter().map(|i| (id(i), OWNER, recorded_state(&runs, &id(i), OWNER))).collect();
        let plan = plan_put_back_with(&inventory, &self.device.capabilities(), &wanted, &copies);
        let number =
            begin_run(&self.workplace, &self.id(), RunKind::PutBack, &plan, &self.device.capabilities()).await.unwrap();
        self.carry_on(number).await.unwrap()
    }

    async fn kept(&self, number: RunId) -> Run {
        self.book.with(move |book| book.run(number)).await.unwrap().unwrap()
    }

    /// What the logbook calls done is so on the device, and the other way round.
    fn agrees(&self, run: &Run) {
        for step in &run.steps {
            let (installed, enabled) = self.sim.holds(step.id.as_str(), step.user.number()).unwrap_or((false, 0));
            let so = if step.way == Change::Disable { installed && enabled == 3 } else { !installed };
            assert_eq!(step.outcome == Some(Outcome::Done), so, "{step:?}");
        }
    }
}

fn outcomes(run: &Run) -> Vec<Outcome> {
    run.steps.iter().map(|s| s.outcome.unwrap()).collect()
}

const THREE: [(&str, Change); 3] =
    [(NOTES, Change::Uninstall), (RADIO, Change::Disable), (EGG, Change::UninstallKeepData)];

/// What was chosen before the run is tried where the device refuses, and nothing more; an interruption loses nothing of it.
#[tokio::test(start_paused = true)]
async fn what_is_refused_is_done_another_way_where_that_was_chosen() {
    use Change::{Disable, Suspend, Uninstall};
    use Outcome::{Done, Refused};
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, mut plan) = planned(folder.path(), &[NOTES, RADIO, EGG]).await;
    let list = "java.lang.SecurityException: Cannot disable system packages.";
    for id in [NOTES, RADIO] {
        sim.set_fault(Fault::Refuse(crate::support::id(id), "-1000".into()));
    }
    sim.set_fault(Fault::Says(format!("package disable-user --user 0 {RADIO}"), list.into()));
    plan.terms.on_refusal = "disable,suspend".parse().unwrap();
    // It is stopped as soon as the first refusal is known, and carried on.
    let (stop, stopped) = watch::channel(Control::Go);
    let news = |news| {
        if let RunNews::Step(_, StepEvent::Settled { outcome: Refused, .. }) = news {
            stop.send_replace(Control::Stop);
        }
    };
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &news).await;
    let number = ended.result.unwrap().number;
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::Resume(number), stopped, &|_| {}).await;
    let run = ended.result.unwrap();
    let mut told: Vec<(&str, Change, Outcome)> =
        run.steps.iter().map(|s| (s.id.as_str(), s.way, s.outcome.unwrap())).collect();
    told.sort();
    let mut expected = [
        (NOTES, Uninstall, Refused),
        (NOTES, Disable, Done),
        (RADIO, Uninstall, Refused),
        (RADIO, Disable, Refused),
        (RADIO, Suspend, Done),
        (EGG, Uninstall, Done),
    ];
    expected.sort();
    assert_eq!(told, expected, "{:#?}", run.steps);
    assert_eq!(run.state, RunState::Finished);
    assert_eq!(sim.holds(NOTES, 0), Some((true, 3)));
    let noted = workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    assert_eq!(noted.steps, run.steps);
    // Undoing it leads back to where all of them were.
    let wanted: Vec<_> = run.reached().map(|step| (step.id.clone(), step.user, PackageState::IN_USE)).collect();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    assert_eq!(inventory.condition(&crate::support::id(RADIO), OWNER), wibbet_core::package::Condition::Suspended);
    let plan = plan_put_back(&inventory, &device.capabilities(), &wanted);
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::PutBack, plan), stopped, &|_| {}).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Done; 3]);
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    for id in [NOTES, RADIO, EGG] {
        assert_eq!(inventory.state(&crate::support::id(id), OWNER), PackageState::IN_USE, "{id}");
    }
}

/// What has been answered is read back many at once, and the next step does not wait for it.
#[tokio::test(start_paused = true)]
async fn read_backs_are_few() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, plan) = planned(folder.path(), &[NOTES, RADIO, EGG, "com.android.calendar"]).await;
    sim.set_fault("work=300:40".parse().unwrap());
    let asked = sim.transcript().len();
    let order = Mutex::new(Vec::new());
    let news = |news| {
        if let RunNews::Step(index, event) = news {
            let what = match event {
                StepEvent::Sent { .. } => "sent",
                StepEvent::Answered { .. } => "answered",
                StepEvent::Settled { .. } => "settled",
                _ => "other",
            };
            order.lock().unwrap().push((what, index.get()));
        }
    };
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &news).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Outcome::Done; 4]);
    let order = order.into_inner().unwrap();
    let place = |of: (&str, usize)| order.iter().position(|seen| *seen == of).unwrap();
    assert!(place(("sent", 2)) < place(("settled", 0)), "{order:?}");
    assert!(place(("answered", 3)) < place(("settled", 3)), "{order:?}");
    let dumps = sim.transcript().into_iter().skip(asked).filter(|line| line.contains("--checkin")).count();
    assert_eq!(dumps, 3, "the first look, what was read back, and the last look");
}

/// Somebody's own app is gone for good when its last user loses it, which each version of Android tells in its own way.
#[tokio::test]
async fn what_is_wholly_gone_is_recognised() {
    let twelve = |mut scenario: Scenario| {
        scenario.android.sdk = 31;
        scenario
    };
    for scenario in [
        Scenario::crew_phone(),
        twelve(Scenario::crew_phone()),
        Scenario::crew_phone().with_android_8_1(),
        Scenario::spare_handset(),
    ] {
        let sdk = scenario.android.sdk;
        let place = place(scenario, 1).await;
        let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
        let users = |p: &wibbet_core::package::Package| p.states.values().filter(|s| s.installed).count();
        let own = inventory
            .packages
            .values()
            .find(|p| p.kind == wibbet_core::package::PackageKind::User && users(p) == 1 && p.state(OWNER).installed);
        let own = own.unwrap().id.clone();
        let tray = [TrayItem { id: own.clone(), user: OWNER, way: Change::Uninstall }];
        let capabilities = place.device.capabilities();
        let plan = plan_take_out(&inventory, &capabilities, &tray, true);
        let number = begin_run(&place.workplace, &place.id(), RunKind::TakeOut, &plan, &capabilities).await.unwrap();
        let run = place.carry_on(number).await.unwrap();
        assert_eq!(outcomes(&run), [Outcome::Done], "Android of API level {sdk}: {:?}", run.steps);
        assert_eq!(place.sim.holds(own.as_str(), 0), None);
    }
}

#[tokio::test]
async fn both_generations_of_devices_do_the_whole_job() {
    for (scenario, window) in [
        (Scenario::crew_phone(), 1),
        (Scenario::spare_handset().with_a_shell_that_disables(), 1),
        (Scenario::crew_phone(), 4),
        (Scenario::crew_phone().with_android_8_1(), 1),
    ] {
        let place = place(scenario, window).await;
        let run = place.take_out(&THREE).await;
        assert_eq!(outcomes(&run), [Outcome::Done; 3], "{run:?}");
        assert_eq!(run.state, RunState::Finished);
        place.agrees(&run);
        assert_eq!(run.steps[0].answer.as_ref().unwrap().as_str(), "Success");
        let back = place.put_back(&[NOTES, RADIO]).await;
        assert_eq!(outcomes(&back), [Outcome::Done; 2], "{back:?}");
        assert_eq!(place.sim.holds(NOTES, 0), Some((true, 0)));
        let enabled = if place.device.capabilities().default_state { 0 } else { 1 };
        assert_eq!(place.sim.holds(RADIO, 0), Some((true, enabled)));
        assert_eq!(place.sim.holds(EGG, 0), Some((false, 0)));
    }
}

#[tokio::test]
async fn the_old_device_is_asked_in_old_words_only() {
    let place = place(Scenario::spare_handset(), 1).await;
    place.take_out(&THREE).await;
    place.put_back(&[NOTES]).await;
    let transcript = place.sim.transcript();
    assert!(transcript.iter().any(|line| line.starts_with("open shell:pm uninstall --user 0 com.android.music;")));
    for line in &transcript {
        assert!(!line.contains("cmd") && !line.contains("abb") && !line.contains("v2"), "{line}");
    }
}

#[tokio::test]
async fn the_new_device_is_asked_without_a_shell_and_with_one_where_that_is_refused() {
    let mut scenario = Scenario::crew_phone();
    let direct = place(scenario.clone(), 1).await;
    direct.take_out(&THREE).await;
    assert!(direct.sim.transcript().iter().any(|line| line == "open abb:package uninstall --user 0 com.android.music"));
    scenario.protocol.refused = vec!["abb".into(), "abb_exec".into()];
    let place = place(scenario, 1).await;
    assert_eq!(outcomes(&place.take_out(&THREE).await), [Outcome::Done; 3]);
    let transcript = place.sim.transcript();
    assert_eq!(transcript.iter().filter(|line| line.contains("abb")).count(), 2, "each is tried once");
    assert!(transcript.iter().any(|line| line.contains("cmd package uninstall --user 0 com.android.music")));
}

#[tokio::test]
async fn nothing_is_called_done_that_is_not() {
    let mut place = place(Scenario::crew_phone(), 1).await;
    place.patience.change = Duration::from_secs(2);
    // The device's own limit is fixed when it is made, so it is made anew with the shorter one.
    let workplace = Workplace {
        book: place.book.clone(),
        technician: Arc::default(),
        meeting: wibbet_logbook::MeetingPlaces::only(place.book.folder()),
        keys: keys(),
        limits: Timeouts::default(),
        patience: place.patience,
        surroundings: Arc::default(),
    };
    place.device = workplace.device(place.sim.address());
    place.device.connect(&mut |_| {}).await.unwrap();
    for (package, flaw) in [
        (NOTES, Flaw::SaysYes),
        (RADIO, Flaw::ComesBack),
        (EGG, Flaw::NeverAnswers),
        ("com.android.calendar", Flaw::ActsSilently),
    ] {
        place.sim.set_fault(Fault::Package(id(package), flaw));
    }
    place.sim.set_fault(Fault::Refuse(id("com.android.browser"), "-1000".into()));
    let ids = [NOTES, RADIO, EGG, "com.android.calendar", "com.android.browser", "com.corvane.guardian"];
    let run = place.take_out(&ids.map(|i| (i, Change::Uninstall))).await;
    use Outcome::{Done, NoEffect, Refused, Unsettled};
    assert_eq!(outcomes(&run), [NoEffect, NoEffect, Unsettled, Done, Refused, Refused], "{run:#?}");
    assert!(run.steps[1].remark.contains("again by itself"));
    assert_eq!(run.state, RunState::Stopped, "the one that never answered is open");
    place.agrees(&run);
    let protected = place.take_out(&[("com.android.managedprovisioning", Change::Disable)]).await;
    assert_eq!(outcomes(&protected), [Refused]);
    assert!(protected.steps[0].remark.contains("protects"));
}

/// The dump that a device gives of a package, with some words changed.
async fn dump_of(place: &Place, package: &str, from: &str, to: &str) -> String {
    let request = wibbet_core::read::read_back_request(&place.device.capabilities(), &id(package));
    let said = place.device.ask(&request, &mut |_| {}).await.unwrap().out;
    assert!(said.contains(from), "{said}");
    said.replacen(from, to, 1)
}

/// What is not told, or told in a way that does not hold, is not "uninstalled".
#[tokio::test]
async fn what_is_told_badly_is_not_done() {
    use Outcome::{Done, Refused, Unsettled};
    let place = place(Scenario::crew_phone(), 1).await;
    let in_full = || place.sim.set_fault(Fault::Says("dumpsys package --checkin packages".into(), String::new()));
    in_full();
    // The device refuses; what it tells of the package then has a flaw each.
    for (n, (from, to, outcome)) in [
        ("installed=true", "installed=tr", Unsettled),
        ("installed=true", "installed=false", Unsettled),
        ("User 0:", "User 77:", Unsettled),
        ("enabled=0", "enabled=7", Unsettled),
        // An app has written a line about itself into the name of its version.
        ("versionName=", "versionName=1\n    User 0: installed=false enabled=0\n    odd=", Unsettled),
        ("  Package [", "  Package [com.decoy] (1):\n  Package [", Refused),
    ]
    .into_iter()
    .enumerate()
    {
        place.sim.set_fault(Fault::Refuse(id(NOTES), "-1000".into()));
        let text = dump_of(&place, NOTES, from, to).await;
        let number = place.begin(&[(NOTES, Change::Uninstall)]).await;
        place.sim.set_fault(Fault::Says(format!("dumpsys package {NOTES}"), text));
        let run = place.carry_on(number).await.unwrap();
        assert_eq!(run.steps[0].outcome, Some(outcome), "{n} {to}: {:?}", run.steps[0]);
        place.sim.forget_says();
        in_full();
    }
    // A dump that ran out of time behind the package that is asked for.
    let line = "\n    User 0: installed=false hidden=false suspended=false enabled=0\n";
    let end = "\n*** SERVICE 'package' DUMP TIMEOUT (10000ms) EXPIRED ***\n\n";
    let number = place.begin(&[(NOTES, Change::Uninstall)]).await;
    let cut = format!("Packages:\n  Package [{NOTES}] (1f):{line}{end}");
    place.sim.set_fault(Fault::Says(format!("dumpsys package {NOTES}"), cut));
    let run = place.carry_on(number).await.unwrap();
    assert_eq!(outcomes(&run), [Unsettled]);
    assert_eq!(run.state, RunState::Stopped);
    // As long as it cannot be read, carrying on neither sends it again nor says that it was not sent.
    let all =
        place.device.ask(&wibbet_core::read::survey_dump(&place.device.capabilities()), &mut |_| {}).await.unwrap().out;
    let twice = all.replacen("Packages:\n", &format!("Packages:\n  Package [{NOTES}] (1):\n"), 1);
    place.sim.set_fault(Fault::Says("dumpsys package packages".into(), twice));
    let sent = || place.sim.transcript().iter().filter(|line| line.contains("uninstall")).count();
    let before = sent();
    let run = place.carry_on(number).await.unwrap();
    assert_eq!((outcomes(&run), run.state), (vec![Unsettled], RunState::Stopped));
    assert_eq!(sent(), before);
    place.sim.forget_says();
    // Nor is what the list does not confirm, neither that of the one package nor that of all.
    let number = place.begin(&[(RADIO, Change::Uninstall)]).await;
    for command in [format!("package list packages --user 0 {RADIO}"), "package list packages --user 0".to_owned()] {
        place.sim.set_fault(Fault::Says(command, format!("package:{RADIO}\n")));
    }
    let run = place.carry_on(number).await.unwrap();
    assert_eq!(outcomes(&run), [Unsettled]);
    assert!(run.steps[0].remark.contains("lists it as installed"), "{}", run.steps[0].remark);
    // Once the device tells, it is settled.
    place.sim.forget_says();
    assert_eq!(outcomes(&place.carry_on(number).await.unwrap()), [Done]);
}

/// Who was removed from the device in between has not had anything uninstalled.
#[tokio::test]
async fn a_user_who_is_gone_is_told() {
    for at in ["before it is sent", "while it is sent"] {
        let place = place(Scenario::crew_phone(), 1).await;
        let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
        let work = UserId::new(10);
        let has = |p: &&Arc<wibbet_core::package::Package>| {
            p.id.as_str() != "android" && p.state(work).installed && p.state(OWNER).installed
        };
        let item =
            |p: &Arc<wibbet_core::package::Package>| TrayItem { id: p.id.clone(), user: work, way: Change::Uninstall };
        let tray: Vec<TrayItem> = inventory.packages.values().filter(has).take(2).map(item).collect();
        let plan = plan_take_out(&inventory, &place.device.capabilities(), &tray, false);
        let capabilities = place.device.capabilities();
        let number = begin_run(&place.workplace, &place.id(), RunKind::TakeOut, &plan, &capabilities).await.unwrap();
        let run = match at {
            "before it is sent" => {
                place.sim.act(OwnerAction::RemoveUser(10)).await.unwrap();
                place.carry_on(number).await.unwrap()
            }
            _ => {
                // The user goes when the first one has been answered, before it is read back.
                let (_stop, stopped) = watch::channel(Control::Go);
                let removed = std::sync::atomic::AtomicBool::new(false);
                let news = |news: RunNews| {
                    if let RunNews::Step(_, StepEvent::Answered { .. }) = news
                        && !removed.swap(true, std::sync::atomic::Ordering::SeqCst)
                    {
                        place.sim.remove_user(10);
                    }
                };
                Runner::carry_out(&place.device, &place.book, place.patience, number, stopped, &news).await.unwrap()
            }
        };
        assert_eq!(outcomes(&run), [Outcome::Refused; 2], "{at}");
        assert!(run.steps.iter().all(|step| step.remark == "the user is not on the device"), "{at}");
        assert_eq!(run.state, RunState::Finished, "{at}");
    }
}

/// What builds on a step of which nothing is known waits, and is sent when it is known.
#[tokio::test]
async fn a_follower_of_an_unsettled_step_waits() {
    let mut scenario = Scenario::crew_phone();
    scenario.android.sdk = 34;
    let place = place(scenario, 1).await;
    assert_eq!(outcomes(&place.take_out(&[(NOTES, Change::Disable)]).await), [Outcome::Done]);
    assert_eq!(outcomes(&place.take_out(&[(NOTES, Change::Uninstall)]).await), [Outcome::Done]);
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let target = PackageState { enabled: Enabled::DisabledUser, ..PackageState::IN_USE };
    let capabilities = place.device.capabilities();
    let plan = plan_put_back(&inventory, &capabilities, &[(id(NOTES), OWNER, target)]);
    assert_eq!(plan.steps.iter().map(|s| s.way).collect::<Vec<_>>(), [Change::Reinstall, Change::Disable]);
    let number = begin_run(&place.workplace, &place.id(), RunKind::PutBack, &plan, &capabilities).await.unwrap();
    // The device does not tell what became of the first.
    place.sim.set_fault(Fault::Says(format!("dumpsys package --checkin {NOTES}"), String::new()));
    place.sim.set_fault(Fault::Says(format!("dumpsys package {NOTES}"), "Packages:\n".into()));
    let run = place.carry_on(number).await.unwrap();
    let states: Vec<_> = run.steps.iter().map(|s| (s.state, s.outcome)).collect();
    assert_eq!(states[1], (StepState::Waiting, None), "{run:#?}");
    assert_eq!(run.state, RunState::Stopped);
    // It does now: settled by looking, and the second one is sent.
    place.sim.forget_says();
    settle_interrupted(&place.book, &place.device, &place.id()).await.unwrap();
    assert_eq!(place.kept(number).await.state, RunState::Stopped);
    let run = place.carry_on(number).await.unwrap();
    assert_eq!(outcomes(&run), [Outcome::Done, Outcome::Done]);
    assert_eq!(place.sim.holds(NOTES, 0), Some((true, 3)));
}

/// A plan in which another user still has the app, who has lost it when it is sent.
#[tokio::test]
async fn the_last_copy_is_seen_at_the_moment_of_sending() {
    const ROSTER: &str = "fer.pellmoor.crewroster";
    let work = UserId::new(10);
    for allowed in [false, true] {
        let place = place(Scenario::crew_phone(), 1).await;
        let capabilities = place.device.capabilities();
        let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
        assert!([OWNER, work].iter().all(|user| inventory.state(&id(ROSTER), *user).installed));
        let item = |user| TrayItem { id: id(ROSTER), user, way: Change::Uninstall };
        let tray = if allowed { vec![item(work), item(OWNER)] } else { vec![item(OWNER)] };
        let plan = plan_take_out(&inventory, &capabilities, &tray, allowed);
        assert_eq!(plan.to_send(), tray.len());
        let number = begin_run(&place.workplace, &place.id(), RunKind::TakeOut, &plan, &capabilities).await.unwrap();
        if !allowed {
            let request = Change::Uninstall.request(&id(ROSTER), work, None);
            place.device.ask(&request, &mut |_| {}).await.unwrap();
        }
        let run = place.carry_on(number).await.unwrap();
        match allowed {
            true => {
                assert_eq!(outcomes(&run), [Outcome::Done, Outcome::Done]);
                assert!(run.steps.iter().all(|s| s.copy.is_some() && !s.for_good), "{:?}", run.steps);
                assert_eq!(place.sim.holds(ROSTER, 0), None);
            }
            // It was not the last one when this was planned.
            false => {
                assert!(!plan.steps[0].secures);
                assert_eq!(outcomes(&run), [Outcome::Done]);
                assert!(run.steps[0].copy.is_some(), "a copy is kept all the same");
                assert_eq!(place.sim.holds(ROSTER, 0), None);
            }
        }
    }
}

/// What comes back otherwise than it was is said.
#[tokio::test]
async fn putting_back_is_compared_with_the_record() {
    let place = place(Scenario::spare_handset().with_a_shell_that_disables(), 1).await;
    assert!(!place.device.capabilities().default_state);
    place.take_out(&[(RADIO, Change::Disable)]).await;
    let run = place.put_back(&[RADIO]).await;
    assert_eq!(outcomes(&run), [Outcome::Done]);
    assert_eq!(run.steps[0].remark, "it is back, but not just as it was: its enabled setting is 1 and was 0");
    assert_eq!(run.steps[0].target, Some(PackageState::IN_USE));
    assert_eq!(place.kept(run.number).await.steps, run.steps);
}

/// Undoing the second of two runs on a package leads to what the first one left, and undoing that to what was before.
#[tokio::test]
async fn runs_on_top_of_each_other_are_undone_one_by_one() {
    let place = place(Scenario::crew_phone(), 1).await;
    place.device.ask(&Change::Enable.request(&id(RADIO), OWNER, None), &mut |_| {}).await.unwrap();
    assert_eq!(place.sim.holds(RADIO, 0), Some((true, 1)));
    place.take_out(&[(RADIO, Change::Disable)]).await;
    place.take_out(&[(RADIO, Change::Uninstall)]).await;
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let capabilities = place.device.capabilities();
    let disabled = PackageState { enabled: Enabled::DisabledUser, ..PackageState::IN_USE };
    let plan = plan_put_back(&inventory, &capabilities, &[(id(RADIO), OWNER, disabled)]);
    let number = begin_run(&place.workplace, &place.id(), RunKind::PutBack, &plan, &capabilities).await.unwrap();
    assert_eq!(outcomes(&place.carry_on(number).await.unwrap()), [Outcome::Done, Outcome::Done]);
    assert_eq!(place.sim.holds(RADIO, 0), Some((true, 3)));
    place.put_back(&[RADIO]).await;
    assert_eq!(place.sim.holds(RADIO, 0), Some((true, 1)), "as it was before the first one");
}

/// A build that keeps a setting over uninstalling tells so, and it is set right after reinstalling.
#[tokio::test]
async fn a_setting_that_outlives_uninstalling_is_set_back() {
    let mut scenario = Scenario::crew_phone();
    scenario.keeps_settings = true;
    let place = place(scenario, 1).await;
    place.take_out(&[(NOTES, Change::Disable)]).await;
    place.take_out(&[(NOTES, Change::Uninstall)]).await;
    assert_eq!(place.sim.holds(NOTES, 0), Some((false, 3)));
    let run = place.put_back(&[NOTES]).await;
    assert!(run.steps.iter().all(|s| s.outcome == Some(Outcome::Done)), "{run:#?}");
    assert_eq!(place.sim.holds(NOTES, 0), Some((true, 0)));
}

#[tokio::test]
async fn a_cut_at_every_packet_leaves_logbook_and_device_agreeing() {
    for scenario in [Scenario::crew_phone(), Scenario::spare_handset().with_a_shell_that_disables()] {
        // How many packets there are is found out by a run without a cut.
        let whole = place(scenario.clone(), 1).await;
        let number = whole.begin(&THREE).await;
        whole.sim.set_fault(Fault::Cut(CutAt::Packet(Direction::ToDevice, u64::MAX)));
        whole.carry_on(number).await.unwrap();
        let packets = [Direction::ToDevice, Direction::FromDevice].map(|way| (way, whole.sim.packets(way)));
        for (way, count) in packets {
            // A stream each for two looks at everything, three changes and three looks at one package.
            assert!(count >= 8, "{count}");
            eprintln!("{way:?}: {count} packets");
            for n in 0..count {
                let place = place(scenario.clone(), 1).await;
                let number = place.begin(&THREE).await;
                place.sim.set_fault(Fault::Cut(CutAt::Packet(way, n)));
                let run = place.carry_on(number).await.unwrap();
                assert_eq!(outcomes(&run), [Outcome::Done; 3], "{way:?} {n}: {run:#?}");
                assert_eq!(run.state, RunState::Finished);
                place.agrees(&run);
                assert_eq!(place.kept(number).await.steps, run.steps, "{way:?} {n}");
            }
        }
    }
}

/// A program that is killed leaves its run as it was written down last. Each such state is made
/// by cutting the link and giving up at once; a new program then settles it and carries on.
#[tokio::test]
async fn a_kill_at_every_packet_is_settled_by_the_next_start() {
    let whole = place(Scenario::crew_phone(), 1).await;
    let number = whole.begin(&THREE).await;
    whole.sim.set_fault(Fault::Cut(CutAt::Packet(Direction::FromDevice, u64::MAX)));
    whole.carry_on(number).await.unwrap();
    let count = whole.sim.packets(Direction::FromDevice);
    let mut interrupted = 0;
    for n in 0..count {
        let place = place(Scenario::crew_phone(), 1).await;
        let number = place.begin(&THREE).await;
        place.sim.set_fault(Fault::Cut(CutAt::Packet(Direction::FromDevice, n)));
        // The news come synchronously: the first word of waiting is the moment of the cut, and the
        // task never runs again after it.
        let cut = tokio::sync::Notify::new();
        let (_stop, stopped) = watch::channel(Control::Go);
        let news = |news| {
            if matches!(news, RunNews::Waiting(Some(_))) {
                cut.notify_one();
            }
        };
        tokio::select! {
            biased;
            () = cut.notified() => interrupted += 1,
            ended = Runner::carry_out(&place.device, &place.book, place.patience, number, stopped, &news) => drop(ended.unwrap()),
        }
        place.device.hang_up().await;
        let told = settle_interrupted(&place.book, &place.device, &place.id()).await.unwrap();
        let settled = place.kept(number).await;
        assert!(settled.steps.iter().all(|s| !s.is_open_question()), "{n}: {settled:#?}");
        place.agrees(&settled);
        if settled.state != RunState::Finished {
            assert_eq!(told.len(), 1, "{n}");
        }
        let run = place.carry_on(number).await.unwrap();
        assert_eq!(outcomes(&run), [Outcome::Done; 3], "{n}: {run:#?}");
        place.agrees(&run);
    }
    assert!(interrupted > 20, "{interrupted} of {count}");
}

#[tokio::test]
async fn a_run_can_be_stopped_and_carried_on() {
    let place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&THREE).await;
    let (stop, stopped) = watch::channel(Control::Go);
    let news = |news| {
        if matches!(news, RunNews::Step(_, StepEvent::Sent { .. })) {
            stop.send_replace(Control::Stop);
        }
    };
    let run = Runner::carry_out(&place.device, &place.book, place.patience, number, stopped, &news).await.unwrap();
    assert_eq!(run.state, RunState::Stopped);
    assert_eq!(run.steps.iter().map(|s| s.outcome).collect::<Vec<_>>(), [Some(Outcome::Done), None, None]);
    let run = place.carry_on(number).await.unwrap();
    assert_eq!((outcomes(&run), run.state), (vec![Outcome::Done; 3], RunState::Finished));
}

#[tokio::test]
async fn a_device_that_stays_away_ends_the_run_with_a_reason() {
    let mut place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&THREE).await;
    place.patience.link = Duration::from_millis(50);
    let limits = Timeouts { answer: Duration::from_millis(200), ..Timeouts::default() };
    let gone = SimDevice::start(Scenario::crew_phone(), Options::default()).await.unwrap();
    let address = gone.address();
    drop(gone);
    let device = AdbDevice::new(vec![Route::Address(address)], Arc::default(), keys(), limits, place.patience);
    let (_stop, stopped) = watch::channel(Control::Go);
    let error = Runner::carry_out(&device, &place.book, place.patience, number, stopped, &|_| {}).await.unwrap_err();
    assert!(error.to_string().contains("can be carried on"), "{error}");
    let run = place.kept(number).await;
    assert_eq!(run.state, RunState::Stopped);
    assert!(run.steps.iter().all(|s| s.state == StepState::Waiting));
}

#[tokio::test]
async fn another_device_at_the_same_address_is_never_sent_to() {
    let place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&THREE).await;
    let address = place.sim.address();
    let Place { sim, device, book, patience, .. } = place;
    drop(sim);
    device.gone().await;
    let options = Options {
        listen: address.to_string().parse().unwrap(),
        allow: Allow::After(Duration::ZERO),
        ..Options::default()
    };
    let mut imposter = SimDevice::start(Scenario::spare_handset(), options.clone()).await;
    while imposter.is_err() {
        tokio::time::sleep(Duration::from_millis(20)).await;
        imposter = SimDevice::start(Scenario::spare_handset(), options.clone()).await;
    }
    let imposter = imposter.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    let error = Runner::carry_out(&device, &book, patience, number, stopped, &|_| {}).await.unwrap_err();
    assert!(error.to_string().contains("OP-66-1083"), "{error}");
    assert!(imposter.transcript().iter().all(|line| !line.contains("uninstall") && !line.contains("disable")));
}

#[tokio::test]
async fn states_that_changed_behind_ones_back_are_taken_down_as_they_are() {
    let place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&THREE).await;
    let other = place.take_out(&[(NOTES, Change::Disable), (RADIO, Change::Disable)]).await;
    assert_eq!(outcomes(&other), [Outcome::Done; 2]);
    let run = place.carry_on(number).await.unwrap();
    assert_eq!(outcomes(&run), [Outcome::Done, Outcome::Skipped, Outcome::Done]);
    assert_eq!(run.steps[0].before.enabled.number(), 3);
    // Putting back leads to the state before the first of the two runs.
    place.put_back(&[NOTES]).await;
    assert_eq!(place.sim.holds(NOTES, 0), Some((true, 0)));
}

#[tokio::test]
async fn undoing_leads_to_the_recorded_state() {
    let place = place(Scenario::crew_phone(), 1).await;
    // "Enabled by somebody" before, and "off before Wibbet".
    let (set, off) = ("com.android.egg", "com.corvane.cleaner");
    assert_eq!((place.sim.holds(set, 0), place.sim.holds(off, 0)), (Some((true, 1)), Some((true, 3))));
    place.take_out(&[(set, Change::Uninstall), (off, Change::Uninstall)]).await;
    let back = place.put_back(&[set, off]).await;
    assert_eq!(back.steps.len(), 4, "reinstall, then the setting, for each");
    assert_eq!((place.sim.holds(set, 0), place.sim.holds(off, 0)), (Some((true, 1)), Some((true, 3))));
}

#[tokio::test]
async fn a_step_that_builds_on_a_failed_one_is_not_sent() {
    let place = place(Scenario::crew_phone(), 4).await;
    let off = "com.corvane.cleaner";
    place.take_out(&[(off, Change::Uninstall)]).await;
    place.sim.set_fault(Fault::Package(id(off), Flaw::SaysYes));
    let back = place.put_back(&[off]).await;
    assert_eq!(outcomes(&back), [Outcome::NoEffect, Outcome::Skipped]);
    assert!(place.sim.transcript().iter().all(|line| !line.contains("disable-user")));
}

#[tokio::test]
async fn an_old_device_without_the_command_installs_what_is_put_back() {
    let mut scenario = Scenario::spare_handset();
    scenario.extra_commands.clear();
    let place = place(scenario, 1).await;
    let own = "fer.pellmoor.tides";
    let run = place.take_out(&[(own, Change::Uninstall), (RADIO, Change::Disable), (NOTES, Change::Uninstall)]).await;
    assert_eq!(outcomes(&run), [Outcome::Done, Outcome::Skipped, Outcome::Done]);
    assert!(run.steps[1].remark.contains("debugging may not enable or disable"), "{}", run.steps[1].remark);
    assert!(place.sim.transcript().iter().all(|line| !line.contains("disable-user")));
    // What is still on the device comes back by its APK, what is not by its copy.
    let back = place.put_back(&[NOTES, own]).await;
    let ways: Vec<Change> = back.steps.iter().map(|step| step.way).collect();
    assert_eq!((ways, outcomes(&back)), (vec![Change::InstallFactory, Change::InstallCopy], vec![Outcome::Done; 2]));
    assert_eq!([NOTES, own].map(|id| place.sim.holds(id, 0)), [Some((true, 0)); 2]);
}

/// What a device does not start without is never sent anything, whoever allows what; and by whatever id it goes there.
#[tokio::test]
async fn what_android_does_not_start_without_stays() {
    let mut scenario = Scenario::crew_phone();
    let installer = "com.android.packageinstaller";
    assert!(scenario.inventory.packages.iter().any(|p| p.id == installer));
    let never =
        ["android", "com.android.shell", "com.android.providers.settings", installer, "com.android.ext.services"];
    let never = [&never[..], &["com.android.permissioncontroller", "com.android.sdksandbox"]].concat();
    for older in [false, true] {
        if older {
            scenario = scenario.with_android_8_1();
        }
        let place = place(scenario.clone(), 1).await;
        let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
        let capabilities = place.device.capabilities();
        for way in Change::TAKE_OUT {
            let item = |text: &&str| TrayItem { id: id(text), user: OWNER, way };
            let tray: Vec<TrayItem> = never.iter().map(item).collect();
            let plan = plan_take_out(&inventory, &capabilities, &tray, true);
            for step in plan.steps {
                // Up to Android 9 the installer gives the permissions, and there is no sandbox.
                let free =
                    older && ["com.android.permissioncontroller", "com.android.sdksandbox"].contains(&step.id.as_str());
                assert_eq!(matches!(step.skip, Some(SkipReason::Essential(_))), !free, "{} {way}", step.id);
            }
        }
        // A plan that was made without knowing is stopped at the moment of sending.
        let unknowing = Inventory { essential: Essentials::default(), ..inventory };
        let tray = [TrayItem { id: id(installer), user: OWNER, way: Change::Uninstall }];
        let plan = plan_take_out(&unknowing, &capabilities, &tray, true);
        assert_eq!(plan.to_send(), 1);
        let number = begin_run(&place.workplace, &place.id(), RunKind::TakeOut, &plan, &capabilities).await.unwrap();
        let run = place.carry_on(number).await.unwrap();
        assert_eq!(outcomes(&run), [Outcome::Skipped]);
        assert!(run.steps[0].remark.contains("only a factory reset"), "{}", run.steps[0].remark);
        assert_eq!(place.sim.holds(installer, 0), Some((true, 0)));
    }
}

/// A device writes its changes down 10 s late. One that goes down right behind a run has them all the same.
#[tokio::test]
async fn what_was_done_is_on_the_disk_of_the_device_when_the_run_ends() {
    for scenario in [Scenario::crew_phone(), Scenario::spare_handset().with_a_shell_that_disables()] {
        let place = place(scenario, 1).await;
        place.sim.set_fault(Fault::LazyDisk);
        let run = place.take_out(&THREE).await;
        assert_eq!(outcomes(&run), [Outcome::Done; 3]);
        place.sim.restart();
        place.agrees(&run);
        // One that loses them in the middle of a run is not told as done.
        while survey(&place.device, &mut |_| {}).await.is_err() {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        let number = place.begin(&[("com.android.htmlviewer", Change::Uninstall)]).await;
        let (sim, book) = (&place.sim, &place.book);
        let restarted = std::sync::atomic::AtomicBool::new(false);
        let news = |news: RunNews| {
            let settled = matches!(news, RunNews::Step(_, wibbet_core::run::StepEvent::Settled { .. }));
            if settled && !restarted.swap(true, std::sync::atomic::Ordering::SeqCst) {
                sim.restart();
            }
        };
        let (_stop, stopped) = watch::channel(Control::Go);
        let run =
            Runner::carry_out(&place.device, book, place.workplace.patience, number, stopped, &news).await.unwrap();
        assert_eq!(outcomes(&run), [Outcome::NoEffect], "{run:?}");
        assert!(run.steps[0].remark.contains("started anew"), "{}", run.steps[0].remark);
        assert_eq!(place.sim.holds("com.android.htmlviewer", 0), Some((true, 0)));
    }
}

/// A change in the middle of which the device goes down may be why it does: it is sent again only when somebody wants it.
#[tokio::test]
async fn a_change_that_takes_the_device_down_is_not_sent_again_by_itself() {
    let place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&[(NOTES, Change::Uninstall)]).await;
    let sent = || place.sim.transcript().iter().filter(|line| line.contains("uninstall")).count();
    // It gets there, and nothing comes of it before the device goes.
    let (begun, go) = tokio::sync::oneshot::channel();
    let begun = Mutex::new(Some(begun));
    let news = |news: RunNews| {
        if matches!(news, RunNews::Step(_, StepEvent::Sent { .. }))
            && let Some(begun) = begun.lock().unwrap().take()
        {
            place.sim.set_fault(Fault::Latency(Duration::from_secs(3600)));
            begun.send(()).unwrap();
        }
    };
    let goes_down = async {
        go.await.unwrap();
        while sent() == 0 {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
        place.sim.set_fault(Fault::Latency(Duration::ZERO));
        place.sim.restart();
    };
    let (_stop, stopped) = watch::channel(Control::Go);
    let carried_out = Runner::carry_out(&place.device, &place.book, place.patience, number, stopped, &news);
    let (run, ()) = tokio::join!(carried_out, goes_down);
    let run = run.unwrap();
    assert_eq!((outcomes(&run), sent()), (vec![Outcome::Unsettled], 1), "{run:?}");
    let run = place.carry_on(number).await.unwrap();
    assert_eq!((outcomes(&run), sent()), (vec![Outcome::Done], 2), "{run:?}");
}

/// A service that says nothing of having written: that is told.
#[tokio::test]
async fn a_device_that_does_not_say_that_it_has_written_is_not_to_be_restarted() {
    let place = place(Scenario::crew_phone(), 1).await;
    place.sim.set_fault(Fault::Says("dumpsys package write".into(), "Unknown argument: write\n".into()));
    let number = place.begin(&[(NOTES, Change::Uninstall)]).await;
    let told = std::sync::Mutex::new(Vec::new());
    let news = |news: RunNews| {
        if let RunNews::Found(words) = news {
            told.lock().unwrap().push(words);
        }
    };
    let (_stop, stopped) = watch::channel(Control::Go);
    let run = Runner::carry_out(&place.device, &place.book, place.workplace.patience, number, stopped, &news).await;
    assert_eq!(outcomes(&run.unwrap()), [Outcome::Done]);
    let told = told.into_inner().unwrap();
    assert!(told.len() == 1 && told[0].contains("must not be restarted"), "{told:?}");
}

#[tokio::test]
async fn the_second_program_on_a_device_is_told() {
    let place = place(Scenario::crew_phone(), 1).await;
    // Another logbook, another way, another name for the address: it is the same device.
    let folder = tempfile::tempdir().unwrap();
    let other = workplace(folder.path(), patience(1));
    let other = Workplace { meeting: place.workplace.meeting.clone(), ..other };
    let elsewhere = other.device(format!("localhost:{}", place.sim.address().port()).parse().unwrap());
    for (workplace, device) in [(&place.workplace, &place.device), (&other, &elsewhere)] {
        device.connect(&mut |_| {}).await.unwrap();
        note_met(&workplace.book, device).await.unwrap();
    }
    let held = claim(&place.workplace, &place.device).unwrap().unwrap();
    for (workplace, device) in [(&place.workplace, &place.device), (&other, &elsewhere)] {
        let error = claim(workplace, device).unwrap_err();
        assert!(error.to_string().contains("another Wibbet"), "{error}");
    }
    // It restarts under the one, and is still taken when it is up again.
    place.sim.restart();
    while place.device.ask(&wibbet_core::read::changes_request(), &mut |_| {}).await.is_err() {}
    while elsewhere.ask(&wibbet_core::read::changes_request(), &mut |_| {}).await.is_err() {}
    claim(&other, &elsewhere).unwrap_err();
    drop(held);
    assert!(claim(&other, &elsewhere).unwrap().is_some());
}

#[tokio::test]
async fn a_record_that_cannot_be_kept_stops_the_sending() {
    let place = place(Scenario::crew_phone(), 1).await;
    let number = place.begin(&THREE).await;
    let file = place.book.folder().join(wibbet_logbook::Logbook::FILE);
    spoil(&file);
    let seen: Mutex<Vec<String>> = Mutex::default();
    let (_stop, stopped) = watch::channel(Control::Go);
    let news = |news| seen.lock().unwrap().push(format!("{news:?}"));
    let ended = Runner::carry_out(&place.device, &place.book, place.patience, number, stopped, &news).await;
    assert!(matches!(ended, Err(RunError::Logbook(_))), "{ended:?}");
    assert!(place.sim.transcript().iter().all(|line| !line.contains("uninstall") && !line.contains("disable")));
    assert_eq!(place.sim.holds(NOTES, 0), Some((true, 0)));
}

/// Makes every later write of a step fail, as a disk without room would.
fn spoil(file: &Path) {
    let raw = rusqlite::Connection::open(file).unwrap();
    raw.execute_batch("CREATE TRIGGER no_room BEFORE UPDATE ON steps BEGIN SELECT raise(ABORT, 'no room'); END;")
        .unwrap();
}

#[tokio::test]
async fn a_survey_tells_the_conditions_apart() {
    let place = place(Scenario::crew_phone(), 1).await;
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    assert_eq!(inventory.packages.len(), 236);
    assert!(inventory.gaps.is_empty(), "{:?}", inventory.gaps);
    let condition = |package: &str, user| inventory.state(&id(package), UserId::new(user)).condition().name();
    for (package, user, name) in [
        ("com.android.systemui", 0, "in-use"),
        ("com.corvane.cleaner", 0, "disabled"),
        ("com.corvane.cleaner", 10, "uninstalled"),
        ("com.android.wallpaperbackup", 10, "in-use"),
        ("com.corvane.usermanual", 0, "uninstalled"),
        ("com.corvane.appadvisor", 0, "hidden"),
        ("com.wrenandkelp.travel", 0, "suspended"),
        ("fer.pellmoor.tides", 10, "absent"),
        ("fer.pellmoor.tides", 0, "in-use"),
        ("com.android.egg", 10, "uninstalled"),
    ] {
        assert_eq!(condition(package, user), name, "{package} for {user}");
    }
    let kind = |package: &str| inventory.packages[&id(package)].kind.name();
    assert_eq!(
        [kind("com.android.webview"), kind("fer.pellmoor.tides"), kind("android")],
        ["updated-system", "user", "system"]
    );
}

/// A device in memory, and a plan to uninstall some of its packages.
async fn planned(folder: &Path, ids: &[&str]) -> (SimDevice, Workplace, AdbDevice, Plan) {
    let (sim, workplace) = crate::support::in_memory(Scenario::crew_phone(), 1, folder, patience(1)).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let items: Vec<_> = ids.iter().map(|i| TrayItem { id: id(i), user: OWNER, way: Change::Uninstall }).collect();
    let plan = plan_take_out(&inventory, &device.capabilities(), &items, false);
    (sim, workplace, device, plan)
}

/// From Android 14 on what goes for a user goes for the profile with the clones of their apps too. That is said before, noted as
/// a part of the run, and put back with it.
#[tokio::test(start_paused = true)]
async fn what_goes_for_another_user_too_is_a_part_of_the_run() {
    let mut scenario = Scenario::crew_phone();
    let clone = wibbet_sim::SimUser { id: 999, name: "Clone".into(), flags: 0x1020, ..scenario.users[1].clone() };
    scenario.users.push(wibbet_sim::SimUser { few_apps: false, ..clone });
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = crate::support::in_memory(scenario, 1, folder.path(), patience(1)).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let clone = UserId::new(999);
    let item = |i: &str, way| TrayItem { id: id(i), user: OWNER, way };
    let tray = [item(NOTES, Change::Uninstall), item(RADIO, Change::Disable)];
    let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false);
    assert_eq!(plan.steps.iter().map(|s| s.along.clone()).collect::<Vec<_>>(), [vec![clone], vec![]]);
    // The clone keeps nobody's last copy: one is kept here.
    let copies = ["com.lanternquay.wordpier"].map(|i| item(i, Change::Uninstall));
    let last = plan_take_out(&inventory, &device.capabilities(), &copies, false);
    assert_eq!(last.securing().count(), usize::from(!inventory.state(&copies[0].id, UserId::new(10)).installed));

    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &|_| {}).await;
    let run = ended.result.unwrap();
    let steps: Vec<_> = run.steps.iter().map(|s| (s.id.as_str(), s.user, s.outcome, s.words.is_empty())).collect();
    let done = Some(Outcome::Done);
    assert_eq!(steps, [(NOTES, OWNER, done, false), (RADIO, OWNER, done, false), (NOTES, clone, done, true)]);
    assert_eq!(sim.holds(NOTES, 999), Some((false, 0)));
    let number = run.number;
    let noted = workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    assert_eq!(noted.steps, run.steps);

    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let shelf = wibbet_core::run::Shelf::of(&inventory, std::slice::from_ref(&run));
    let of_the_run = shelf.entries.iter().filter(|e| matches!(&e.origin, wibbet_core::run::Origin::Run { .. }));
    let wanted: Vec<_> = of_the_run.map(|e| (e.id.clone(), e.user, e.target)).collect();
    assert_eq!(wanted.len(), 3, "{:?}", shelf.entries);
    let plan = plan_put_back(&inventory, &device.capabilities(), &wanted);
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::PutBack, plan), stopped, &|_| {}).await;
    assert!(outcomes(&ended.result.unwrap()).iter().all(|outcome| *outcome == Outcome::Done));
    for user in [0, 999] {
        assert_eq!(sim.holds(NOTES, user).map(|(installed, _)| installed), Some(true), "{user}");
    }
}

/// A device that leaves the network sends no word of it. The link is made anew, and the run goes on.
#[tokio::test(start_paused = true)]
async fn a_link_that_dies_without_a_word_is_made_anew() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, plan) = planned(folder.path(), &[NOTES, RADIO, EGG]).await;
    let sent = Mutex::new(0);
    let news = |news| {
        if let RunNews::Step(_, StepEvent::Sent { .. }) = news {
            let mut sent = sent.lock().unwrap();
            *sent += 1;
            if *sent == 2 {
                sim.set_fault(Fault::Adrift);
            }
        }
    };
    let (_stop, stopped) = watch::channel(Control::Go);
    let begun = tokio::time::Instant::now();
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &news).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Outcome::Done; 3]);
    assert!([NOTES, RADIO, EGG].iter().all(|id| sim.holds(id, 0) == Some((false, 0))));
    // The answers are waited for as long as they may take, and then it is asked whether anything is there.
    let limit = workplace.patience.change + Duration::from_secs(10);
    assert!(begun.elapsed() < limit, "{:?}", begun.elapsed());
}

/// Whoever asks to stop does not wait for a device that takes its time to be read; what was sent stays an open question.
#[tokio::test(start_paused = true)]
async fn a_stop_ends_what_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, plan) = planned(folder.path(), &[NOTES, RADIO]).await;
    let (stop, stopped) = watch::channel(Control::Go);
    let asked = Mutex::new(None);
    let news = |news| {
        if let RunNews::Step(_, StepEvent::Answered { .. }) = news {
            sim.set_fault(Fault::Latency(Duration::from_secs(50)));
            stop.send_replace(Control::Stop);
            *asked.lock().unwrap() = Some(tokio::time::Instant::now());
        }
    };
    let ended = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &news).await;
    let asked = asked.lock().unwrap().unwrap();
    // Two seconds for what is read, and one for what is written down.
    assert!(asked.elapsed() <= Duration::from_millis(3100), "{:?}", asked.elapsed());
    let run = ended.result.unwrap();
    assert_eq!(
        (run.state, run.steps[0].state, run.steps[1].state),
        (RunState::Stopped, StepState::Answered, StepState::Waiting)
    );
    // Nothing of it is lost.
    sim.set_fault(Fault::Latency(Duration::ZERO));
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&workplace, &device, RunStart::Resume(run.number), stopped, &|_| {}).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Outcome::Done; 2]);
}

/// A run that is paused sends nothing more and reads back what is on its way, however long the pause is; then it goes on by itself.
#[tokio::test(start_paused = true)]
async fn a_paused_run_sends_nothing_until_it_goes_on() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, plan) = planned(folder.path(), &[NOTES, RADIO, EGG]).await;
    let workplace = Workplace { patience: RunPolicy { window: 1, ..workplace.patience }, ..workplace };
    let (control, controlled) = watch::channel(Control::Go);
    let told = Mutex::new(Vec::new());
    let news = |news| {
        if let RunNews::Step(index, event) = news {
            if matches!(event, StepEvent::Sent { .. }) && index.get() == 0 {
                control.send_replace(Control::Pause);
            }
            told.lock().unwrap().push(event);
        }
    };
    let run = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), controlled, &news);
    let watching = async {
        // Time goes on by itself when there is nothing else to do.
        tokio::time::sleep(Duration::from_secs(3600)).await;
        let changes = |sim: &SimDevice| sim.transcript().iter().filter(|line| line.contains("uninstall")).count();
        let settled = |event: &StepEvent| matches!(event, StepEvent::Settled { outcome: Outcome::Done, .. });
        let read_back = told.lock().unwrap().iter().filter(|event| settled(event)).count();
        assert_eq!((changes(&sim), read_back), (1, 1));
        control.send_replace(Control::Go);
    };
    let (ended, ()) = tokio::join!(run, watching);
    let run = ended.result.unwrap();
    assert_eq!((outcomes(&run), run.state), (vec![Outcome::Done; 3], RunState::Finished));
}

/// What is done to an app that stays in use: what can be read back is, what cannot is said to be answered, and nothing is thrown away
/// twice whatever becomes of the answer.
#[tokio::test(start_paused = true)]
async fn what_no_state_tells_is_read_back_where_it_can_be() {
    use Change::{ClearCache, ClearData, ForceStop, Quieten};
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace, device, _) = planned(folder.path(), &[NOTES]).await;
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let item = |text: &str, way| TrayItem { id: id(text), user: OWNER, way };
    let calendar = "com.android.calendar";
    let tray = [item(NOTES, Quieten), item(RADIO, ForceStop), item(EGG, ClearCache), item(calendar, ClearData)];
    let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false);
    assert_eq!(plan.to_send(), 4, "{plan:#?}");
    // The program ends when the data have been thrown away and nobody has written down that they were.
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = tokio::sync::Notify::new();
    let news = |news| {
        if matches!(news, RunNews::Step(index, StepEvent::Sent { .. }) if index.get() == 3) {
            ended.notify_one();
        }
    };
    sim.set_fault(Fault::Package(id(calendar), Flaw::ActsSilently));
    tokio::select! {
        run = run_plan(&workplace, &device, RunStart::New(RunKind::TakeOut, plan), stopped, &news) => {
            panic!("{:?}", run.result)
        }
        () = async { ended.notified().await; tokio::time::sleep(Duration::from_secs(20)).await; } => {}
    }
    device.hang_up().await;
    let number = RunId::new(1);
    let (_stop, stopped) = watch::channel(Control::Go);
    let run = run_plan(&workplace, &device, RunStart::Resume(number), stopped, &|_| {}).await.result.unwrap();
    let told: Vec<Outcome> = outcomes(&run);
    assert_eq!(told, [Outcome::Done, Outcome::Done, Outcome::Answered, Outcome::Unsettled], "{:#?}", run.steps);
    assert!(run.steps[3].remark.contains("not sent again"), "{}", run.steps[3].remark);
    assert_eq!(run.state, RunState::Finished, "nothing can answer what is open");
    assert_eq!(sim.transcript().iter().filter(|line| line.contains("clear --user 0 com.android.calendar")).count(), 1);
    // What may not run in the background is on the shelf, and comes back from there.
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let runs = workplace.book.with(|book| book.runs(None)).await.unwrap();
    let shelf = wibbet_core::run::Shelf::of(&inventory, &runs);
    let entry = shelf.entries.iter().find(|entry| entry.id.as_str() == NOTES).unwrap();
    assert!(entry.quiet && matches!(entry.origin, wibbet_core::run::Origin::Run { number: by, .. } if by == number));
    let plan = plan_put_back(&inventory, &device.capabilities(), &[(id(NOTES), OWNER, entry.target)]);
    let (_stop, stopped) = watch::channel(Control::Go);
    let back = run_plan(&workplace, &device, RunStart::New(RunKind::PutBack, plan), stopped, &|_| {}).await;
    assert_eq!(outcomes(&back.result.unwrap()), [Outcome::Done]);
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    assert!(inventory.packages[&id(NOTES)].about.quiet.is_empty());
    // Old versions cannot do all of it, and say so before.
    let old = place(Scenario::of_level(27).unwrap(), 1).await;
    let inventory = survey(&old.device, &mut |_| {}).await.unwrap();
    let tray = [item(NOTES, Quieten), item(RADIO, ClearCache), item(EGG, ForceStop)];
    let plan = plan_take_out(&inventory, &old.device.capabilities(), &tray, false);
    let skips: Vec<_> = plan.steps.iter().map(|step| step.skip).collect();
    assert_eq!(skips, [Some(SkipReason::MayNotQuieten), Some(SkipReason::MayNotClearCache), None]);
}

/// With root, which is asked for in a step of its own: what takes it is done, and comes back to just what it was, by root as well. Where
/// the device has none nothing of it is sent.
#[tokio::test]
async fn what_takes_root_is_done_only_where_that_was_asked_for() {
    use Change::{DisableByRoot, Hide};
    let place = place(Scenario::store_phone(), 1).await;
    let before = place.sim.account();
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let item = |text: &str, way| TrayItem { id: id(text), user: OWNER, way };
    let tray = [item(NOTES, Hide), item(RADIO, DisableByRoot)];
    let plan = |device: &AdbDevice| plan_take_out(&inventory, &device.capabilities(), &tray, false);
    assert!(plan(&place.device).steps.iter().all(|step| step.skip == Some(SkipReason::TakesRoot)));
    let way = wibbet_bench::ops::ask_for_root(&place.device).await.unwrap();
    assert_eq!(way, Ok(wibbet_core::android::RootWay::SuCommand));
    let plan = plan(&place.device);
    let words = plan.steps[0].command(&place.device.capabilities());
    assert_eq!(words, format!("su -c 'pm hide --user 0 {NOTES}'"));
    let (_stop, stopped) = watch::channel(Control::Go);
    let run = run_plan(&place.workplace, &place.device, RunStart::New(RunKind::TakeOut, plan), stopped, &|_| {}).await;
    let run = run.result.unwrap();
    assert_eq!(outcomes(&run), [Outcome::Done; 2], "{:#?}", run.steps);
    assert_eq!(place.sim.holds(RADIO, 0), Some((true, 2)));
    assert!(place.sim.account()[&(NOTES.to_owned(), 0)].contains("hidden true"));
    // Without root nobody leads out of it; with it, all is as it was.
    let inventory = survey(&place.device, &mut |_| {}).await.unwrap();
    let runs = place.book.with(|book| book.runs(None)).await.unwrap();
    let wanted: Vec<_> = [NOTES, RADIO].map(|i| (id(i), OWNER, recorded_state(&runs, &id(i), OWNER))).to_vec();
    let without = wibbet_core::android::Capabilities { root: None, ..place.device.capabilities() };
    let stuck = plan_put_back(&inventory, &without, &wanted);
    assert!(stuck.steps.iter().all(|step| step.skip == Some(SkipReason::NeedsRoot)), "{stuck:#?}");
    let plan = plan_put_back(&inventory, &place.device.capabilities(), &wanted);
    let (_stop, stopped) = watch::channel(Control::Go);
    let back = run_plan(&place.workplace, &place.device, RunStart::New(RunKind::PutBack, plan), stopped, &|_| {}).await;
    assert_eq!(outcomes(&back.result.unwrap()), [Outcome::Done; 2]);
    assert_eq!(place.sim.account(), before);
    // Nothing of it where there is none.
    let other = self::place(Scenario::crew_phone(), 1).await;
    assert!(wibbet_bench::ops::ask_for_root(&other.device).await.unwrap().is_err());
    assert_eq!(other.device.capabilities().root, None);
}
