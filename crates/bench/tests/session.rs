//! A session as the screen uses it: commands in, events out.

use std::sync::Arc;
use std::time::Duration;

use crate::support::{device, id, patience, workplace};
use tokio::sync::mpsc;
use tokio::time::timeout;
use wibbet_bench::around::{Route, Surroundings};
use wibbet_bench::device::{AskError, Device as _};
use wibbet_bench::logbook::now;
use wibbet_bench::ops::{claim, details, note_met};
use wibbet_bench::run::Control;
use wibbet_bench::run::{RunNews, begin_run};
use wibbet_bench::session::{Closing, Session, SessionCommand, SessionEvent};
use wibbet_bench::workplace::Workplace;
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::Opening;
use wibbet_core::ask::Request;
use wibbet_core::ask::RestartTo;
use wibbet_core::device::{DeviceKind, Root};
use wibbet_core::link::CloseStep;
use wibbet_core::link::{Rung, RungStatus};
use wibbet_core::package::{Inventory, Note, Scope};
use wibbet_core::plan::{Change, Plan, TrayItem, plan_take_out};
use wibbet_core::run::{Outcome, RunKind, RunState, StepEvent};
use wibbet_sim::{Allow, Fault, Options, OwnerAction, Scenario, SimBus, SimDevice, SimNetwork};
use wibbet_types::{Address, PlainText, StepIndex, UserId};

const MUSIC: &str = "com.android.music";

struct Seen {
    session: Session,
    events: mpsc::UnboundedReceiver<SessionEvent>,
    workplace: Workplace,
    _folder: tempfile::TempDir,
}

impl Seen {
    fn start(address: Address) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let workplace = workplace(folder.path(), patience(1));
        Self::start_in(address, workplace, folder)
    }

    fn start_in(address: Address, workplace: Workplace, folder: tempfile::TempDir) -> Self {
        let (told, events) = mpsc::unbounded_channel();
        let session = Session::start(workplace.device(address), workplace.clone(), move |event| drop(told.send(event)));
        Self { session, events, workplace, _folder: folder }
    }

    /// The first event that is wanted; the others are passed over.
    async fn until<T>(&mut self, mut wanted: impl FnMut(SessionEvent) -> Option<T>) -> T {
        loop {
            let event = timeout(Duration::from_secs(120), self.events.recv()).await.unwrap().unwrap();
            if let Some(found) = wanted(event) {
                return found;
            }
        }
    }

    async fn inventory(&mut self) -> Arc<Inventory> {
        self.until(|e| if let SessionEvent::Inventory(i) = e { Some(i) } else { None }).await
    }

    async fn ladder(&mut self, name: &str) {
        self.until(|e| matches!(e, SessionEvent::Ladder(l) if l.name() == name).then_some(())).await;
    }

    async fn note(&mut self) -> String {
        self.until(|e| if let SessionEvent::Note(note) = e { Some(note) } else { None }).await
    }

    async fn closed(&mut self) -> Vec<CloseStep> {
        self.until(|e| if let SessionEvent::Closed(steps) = e { Some(steps) } else { None }).await
    }

    async fn ended(&mut self) -> Option<String> {
        self.until(|e| if let SessionEvent::RunEnded(why) = e { Some(why) } else { None }).await
    }
}

fn plan(inventory: &Inventory, package: &str) -> Plan {
    let item = TrayItem { id: id(package), user: UserId::OWNER, way: Change::Uninstall };
    plan_take_out(inventory, &Capabilities::new(34, DaemonFeatures::default()), &[item], false)
}

#[tokio::test]
async fn the_ladder_is_climbed_rung_by_rung() {
    let options = Options { allow: Allow::ByHand, ..Options::default() };
    let sim = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    let mut seen = Seen::start(sim.address());
    let trouble = seen
        .until(|e| match e {
            SessionEvent::Ladder(l) if l.missing() == Some(Rung::Authorised) => l.trouble,
            _ => None,
        })
        .await;
    assert_eq!((trouble.advice.name(), trouble.advice.mends_itself()), ("awaiting-tap", true));
    assert!(trouble.seen.contains(&crate::support::keys().own().public().fingerprint()));
    while sim.dialogs() == 0 {
        tokio::task::yield_now().await;
    }
    sim.allow();
    let facts = seen.until(|e| if let SessionEvent::Facts(f, _) = e { Some(f) } else { None }).await;
    assert_eq!(facts.name(), "Corvane Tarn 5");
    assert_eq!(seen.inventory().await.packages.len(), 236);
    seen.ladder("ready").await;
    let known = seen.workplace.book.with(|book| book.devices()).await.unwrap();
    assert_eq!((known.len(), known[0].address.clone()), (1, sim.address().to_string()));
}

/// Whoever sees the packages can do something with them: the ladder that says so is told before, whatever the logbook takes.
#[tokio::test]
async fn what_is_shown_can_be_worked_with() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(sim.address());
    let mut ladder = None;
    seen.until(|event| match event {
        SessionEvent::Ladder(now) => {
            ladder = Some(now);
            None
        }
        SessionEvent::Inventory(_) => Some(()),
        _ => None,
    })
    .await;
    assert!(ladder.is_some_and(|ladder| ladder.is_up() && ladder.surveyed));
}

#[tokio::test]
async fn a_restart_is_waited_out_without_a_word_from_anybody() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(sim.address());
    seen.ladder("ready").await;
    sim.restart();
    seen.ladder("lost").await;
    seen.ladder("not-ready").await;
    seen.ladder("ready").await;
    assert_eq!(sim.dialogs(), 1);
}

#[tokio::test]
async fn what_an_old_device_can_do_is_learned_once_it_has_started() {
    let sim = device(Scenario::spare_handset(), 1).await;
    sim.restart();
    let mut seen = Seen::start(sim.address());
    let mut capabilities = None;
    seen.until(|e| match e {
        SessionEvent::Facts(_, now) => {
            capabilities = Some(now);
            None
        }
        SessionEvent::Inventory(_) => Some(()),
        _ => None,
    })
    .await;
    assert!(capabilities.unwrap().install_existing);
}

#[tokio::test]
async fn a_run_is_carried_out_and_told() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan(&inventory, MUSIC)));
    let states = seen
        .until(|e| match e {
            SessionEvent::Run(RunNews::States(package, states)) if package.as_str() == MUSIC => Some(states),
            _ => None,
        })
        .await;
    assert!(!states.state(UserId::OWNER).installed && states.state(UserId::new(10)).known);
    let runs = seen.until(|e| if let SessionEvent::Runs(runs) = e { Some(runs) } else { None }).await;
    assert_eq!((runs.len(), runs[0].count(Outcome::Done)), (1, 1));
    assert_eq!(seen.ended().await, None);
    // The packages are read again by themselves.
    assert!(!seen.inventory().await.state(&id(MUSIC), UserId::OWNER).installed);
}

#[tokio::test]
async fn nothing_is_begun_without_a_link_or_on_a_device_that_is_claimed() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let address = sim.address();
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    let elsewhere = seen.workplace.device(address);
    elsewhere.connect(&mut |_| {}).await.unwrap();
    note_met(&seen.workplace.book, &elsewhere).await.unwrap();
    let held = claim(&seen.workplace, &elsewhere).unwrap().unwrap();
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan(&inventory, MUSIC)));
    assert!(seen.ended().await.unwrap().contains("another Wibbet"));
    // Nor is anything else changed.
    seen.session.send(SessionCommand::StayAwake(true));
    assert!(seen.note().await.contains("another Wibbet"));
    let opening = Opening::About { id: MUSIC.parse().unwrap(), user: UserId::OWNER };
    seen.session.send(SessionCommand::Open(opening));
    assert!(seen.note().await.contains("another Wibbet"));
    seen.session.send(SessionCommand::Close(Closing { switch_off: true, forget: true, ..Closing::default() }));
    let closed = seen.closed().await;
    assert!(closed.len() == 1 && !closed[0].done && closed[0].known.contains("another Wibbet"), "{closed:?}");
    assert!(sim.transcript().iter().all(|line| !line.contains("settings put") && !line.contains("am start")));
    drop(held);
    drop(sim);
    seen.ladder("no-answer").await;
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan(&inventory, MUSIC)));
    assert!(seen.ended().await.unwrap().contains("no link"));
    assert!(seen.workplace.book.with(|book| book.runs(None)).await.unwrap().is_empty());
}

#[tokio::test]
async fn what_an_interruption_left_is_settled_at_the_next_link_and_carried_on() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut first = Seen::start(sim.address());
    let inventory = first.inventory().await;
    let both: Vec<TrayItem> = [MUSIC, "com.android.email"]
        .iter()
        .map(|i| TrayItem { id: id(i), user: UserId::OWNER, way: Change::Uninstall })
        .collect();
    let capabilities = Capabilities::new(34, DaemonFeatures::default());
    let plan = plan_take_out(&inventory, &capabilities, &both, false);
    let serial = "CT5-0417-2291".parse().unwrap();
    // As a program leaves it that is killed right after it has written down that it sends.
    let number = begin_run(&first.workplace, &serial, RunKind::TakeOut, &plan, &capabilities).await.unwrap();
    first
        .workplace
        .book
        .with(move |book| book.append(number, StepIndex::new(0), &StepEvent::Sent { at: now(), order: 0 }))
        .await
        .unwrap();
    let Seen { session, workplace, _folder, .. } = first;
    drop(session);
    let mut seen = Seen::start_in(sim.address(), workplace, _folder);
    let note = seen.until(|e| if let SessionEvent::Note(note) = e { Some(note) } else { None }).await;
    assert!(note.contains("run 1 was interrupted") && note.contains("0 turned out done, 1 not; 2 are left"), "{note}");
    seen.ladder("ready").await;
    seen.session.send(SessionCommand::CarryOn(number));
    assert_eq!(seen.ended().await, None);
    let run = seen.workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    assert_eq!((run.state, run.count(Outcome::Done)), (RunState::Finished, 2));
}

#[tokio::test]
async fn a_run_is_stopped_on_demand() {
    let sim = device(Scenario::crew_phone(), 1).await;
    sim.set_fault(wibbet_sim::Fault::Package(id(MUSIC), wibbet_sim::Flaw::ComesBack));
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    let items: Vec<TrayItem> = inventory
        .packages
        .keys()
        .filter(|i| i.as_str().starts_with("com.android.provider"))
        .map(|i| TrayItem { id: i.clone(), user: UserId::OWNER, way: Change::Uninstall })
        .collect();
    let plan = plan_take_out(&inventory, &Capabilities::new(34, DaemonFeatures::default()), &items, false);
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan));
    seen.until(|e| matches!(e, SessionEvent::Run(RunNews::States(..))).then_some(())).await;
    seen.session.control(Control::Stop);
    assert_eq!(seen.ended().await, None);
    let runs = seen.workplace.book.with(|book| book.runs(None)).await.unwrap();
    assert_eq!(runs[0].state, RunState::Stopped);
    assert!(runs[0].count(Outcome::Done) >= 1 && runs[0].count(Outcome::Done) < items.len());
}

/// A build that does not tell what is permitted, and one that says yes and refuses: the first change shows it, and what it has
/// shown stands.
#[tokio::test]
async fn the_first_change_shows_the_second_switch_where_the_device_does_not_tell() {
    for (says, at_first) in
        [("Unknown argument: check-permission; use -h for help\n", RungStatus::Unknown), ("0\n", RungStatus::Holds)]
    {
        the_first_change_shows(says, at_first).await;
    }
}

async fn the_first_change_shows(says: &str, at_first: RungStatus) {
    let mut scenario = Scenario::spare_handset();
    (scenario.second_switch, scenario.second_switch_off) = (true, true);
    let sim = device(scenario, 1).await;
    for name in ["DELETE_PACKAGES", "CHANGE_COMPONENT_ENABLED_STATE"] {
        let command = format!("dumpsys package check-permission android.permission.{name} com.android.shell 0");
        sim.set_fault(Fault::Says(command, says.into()));
    }
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    let changes = |seen: SessionEvent| match seen {
        SessionEvent::Ladder(l) if l.surveyed => {
            let rung = &l.rungs[Rung::Changes as usize];
            Some((rung.standing, rung.known.clone()))
        }
        _ => None,
    };
    let known = match at_first {
        RungStatus::Holds => "Android permits them",
        _ => "it does not tell; the first change will show",
    };
    seen.until(|e| changes(e).filter(|told| *told == (at_first, known.to_owned()))).await;
    let old = Capabilities { install_existing: true, ..Capabilities::new(23, DaemonFeatures::default()) };
    let item = TrayItem { id: id(MUSIC), user: UserId::OWNER, way: Change::Uninstall };
    let plan = plan_take_out(&inventory, &old, &[item], true);
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan.clone()));
    assert_eq!(seen.ended().await, None);
    seen.ladder("second-switch").await;
    // It is asked for again every two seconds.
    tokio::time::sleep(Duration::from_millis(4500)).await;
    while let Ok(event) = seen.events.try_recv() {
        if let Some((standing, known)) = changes(event) {
            assert_eq!(standing, RungStatus::Missing, "{known}");
        }
    }
    // It stays so until a change goes through.
    sim.act(OwnerAction::SecondSwitch(true)).await.unwrap();
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan));
    assert_eq!(seen.ended().await, None);
    let (standing, known) = seen.until(|e| changes(e).filter(|(s, _)| *s == RungStatus::Holds)).await;
    assert_eq!((standing, known.as_str()), (RungStatus::Holds, "a change was made and read back"));
    assert_eq!(sim.holds(MUSIC, 0), Some((false, 0)));
}

/// The command line has no bench that watches the cables: the device is looked for by its serial.
#[tokio::test]
async fn a_device_that_is_followed_is_found_again_in_another_place() {
    let bus = Arc::new(SimBus::default());
    let (sim, other) = (device(Scenario::crew_phone(), 1).await, device(Scenario::spare_handset(), 2).await);
    let place = bus.plug(&sim);
    let folder = tempfile::tempdir().unwrap();
    let mut workplace = workplace(folder.path(), patience(1));
    workplace.surroundings = Arc::new(Surroundings::simulated(Some(Arc::clone(&bus) as _), None));
    let phone = workplace.device_by(vec![Route::Cable(place.clone())]);
    phone.follow();
    let facts = phone.connect(&mut |_| {}).await.unwrap();
    assert_eq!((facts.name().as_str(), phone.address()), ("Corvane Tarn 5", format!("USB {place}")));
    bus.unplug(facts.serial.as_str());
    let _ = phone.gone().await;
    let users = Request::look(&["list", "users"]);
    let error = phone.ask(&users, &mut |_| {}).await.unwrap_err();
    assert!(matches!(error, AskError::NoLink(_)), "{error:?}");
    bus.plug(&other);
    let again = bus.plug(&sim);
    let answer = phone.ask(&users, &mut |_| {}).await.unwrap();
    assert!(answer.out.contains("Pellmoor work") && again != place);
    assert_eq!(phone.address(), format!("USB {again}"));
    assert!(other.transcript().is_empty(), "nothing went to the other one");
    // Without being told to follow it is not looked for.
    let still = workplace.device_by(vec![Route::Cable(place)]);
    assert!(still.connect(&mut |_| {}).await.is_err());
}

#[tokio::test]
async fn what_a_device_tells_of_itself_is_complete() {
    let sim = device(Scenario::lost_phone(), 1).await;
    let folder = tempfile::tempdir().unwrap();
    let workplace = workplace(folder.path(), patience(1));
    let phone = workplace.device(sim.address());
    let facts = phone.connect(&mut |_| {}).await.unwrap();
    assert_eq!(facts.android_id.as_ref().map(PlainText::as_str), Some("71aa0c5de3984b26"));
    assert_eq!((facts.kind, facts.build.as_str()), (DeviceKind::Phone, "RILL2-9.1.17"));
    let told = details(&phone).await.unwrap();
    assert_eq!(told.vitals.battery.map(|b| (b.percent, b.powered)), Some((31, true)));
    assert_eq!((told.vitals.started, told.vitals.accounts, told.vitals.root), (Some(true), Some(1), Some(Root::None)));
    assert!(told.vitals.space.is_some_and(|s| s.free < s.total) && told.vitals.uptime.is_some());
    assert_eq!(told.features, ["shell_v2", "cmd", "stat_v2"]);
    assert!(["uninstall", "install-existing", "suspend"].iter().all(|c| told.commands.iter().any(|k| k == c)));
    let users: Vec<_> = told.users.iter().map(|u| (u.id.number(), u.running, u.unlocked)).collect();
    assert_eq!(users, [(0, Some(true), Some(true)), (999, Some(true), Some(true))]);
    assert!(told.vitals.warnings()[0].starts_with("1 account is signed in"));
    // Asked once: the commands are known from then on.
    let asked = |sim: &SimDevice| sim.transcript().iter().filter(|l| l.ends_with("package help")).count();
    assert_eq!(asked(&sim), 1);
    details(&phone).await.unwrap();
    assert_eq!(asked(&sim), 1);
    sim.set_fault("cut=from:0".parse().unwrap());
    assert!(details(&phone).await.is_none(), "a link that goes tells nothing");
}

/// Rows first; labels, sizes and notes come beside everything else, and the session serves commands meanwhile.
#[tokio::test]
async fn labels_measures_and_notes_come_by_themselves() {
    let sim = device(Scenario::desk_tablet(), 1).await;
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    let mut measured = None;
    let names = seen
        .until(|event| match event {
            SessionEvent::Metrics(m) => {
                measured = Some(m);
                None
            }
            SessionEvent::Names(names) if names.apps.len() == inventory.packages.len() => Some(names),
            _ => None,
        })
        .await;
    assert_eq!(names.wanted[0].to_string(), "de-DE");
    assert_eq!(names.apps[&id("com.android.calendar")].label.as_ref().unwrap().as_str(), "Kalender");
    // Another language.
    seen.session.send(SessionCommand::Languages(Some(vec!["ja".parse().unwrap()])));
    let calendar = id("com.android.calendar");
    let japanese = |event| match event {
        SessionEvent::Names(names) => {
            let label = names.apps.get(&calendar)?.label.as_ref()?.to_string();
            (label == "カレンダー").then_some(())
        }
        _ => None,
    };
    seen.until(japanese).await;
    // A note is written and told again.
    let note = Note { id: calendar.clone(), scope: Scope::Model, text: "bleibt".into(), star: true };
    seen.session.send(SessionCommand::Note(note.clone()));
    let notes = seen.until(|e| if let SessionEvent::Notes(n) = e { Some(n) } else { None }).await;
    let notes = if notes.is_empty() {
        seen.until(|e| if let SessionEvent::Notes(n) = e { Some(n) } else { None }).await
    } else {
        notes
    };
    assert_eq!(*notes, [note]);
}

/// What is on the device's screen is told as it changes, and no more when nobody wants to know.
#[tokio::test]
async fn the_devices_screen_is_followed() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(sim.address());
    seen.inventory().await;
    seen.session.send(SessionCommand::Follow(true));
    let front = |event| match event {
        SessionEvent::Front(Some((id, user))) => Some((id.to_string(), user)),
        _ => None,
    };
    assert_eq!(seen.until(front).await, ("com.corvane.launcher".to_owned(), UserId::OWNER));
    sim.act(OwnerAction::Touch("com.lanternquay.wordpier".into())).await.unwrap();
    assert_eq!(seen.until(front).await.0, "com.lanternquay.wordpier");
    // The other way: the device shows what it is told to.
    let opening =
        Opening::Screen { id: id("com.corvane.radio"), user: UserId::OWNER, class: "com.corvane.radio.Main".into() };
    seen.session.send(SessionCommand::Open(opening.clone()));
    let mut opened = false;
    seen.until(|event| match event {
        SessionEvent::Note(text) => {
            opened |= text.contains("com.corvane.radio was opened");
            None
        }
        SessionEvent::Front(Some((id, _))) if id.as_str() == "com.corvane.radio" => Some(()),
        _ => None,
    })
    .await;
    seen.session.send(SessionCommand::Open(Opening::Screen {
        id: id("com.android.shell"),
        user: UserId::OWNER,
        class: "x.Y".into(),
    }));
    let said = seen
        .until(|event| match event {
            SessionEvent::Note(text) if text.contains("com.android.shell") => Some(text),
            _ => None,
        })
        .await;
    assert!(said.contains("not opened") && said.contains("Error"), "{said}");
    let asked = || sim.transcript().iter().filter(|line| line.contains("logcat")).count();
    assert!(asked() >= 1);
    seen.session.send(SessionCommand::Follow(false));
    // What was on its way may still come; then nothing is asked any more.
    seen.session.send(SessionCommand::Survey);
    seen.inventory().await;
    let before = asked();
    seen.session.send(SessionCommand::Survey);
    seen.inventory().await;
    assert_eq!(asked(), before);
}

/// A mistake in one session is told, and ends nothing else.
#[tokio::test]
async fn a_session_that_fails_says_so() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let folder = tempfile::tempdir().unwrap();
    let workplace = workplace(folder.path(), patience(1));
    let (told, mut events) = mpsc::unbounded_channel();
    let _session = Session::start(workplace.device(sim.address()), workplace.clone(), move |event| {
        assert!(!matches!(event, SessionEvent::Inventory(_)), "a mistake somewhere in the session");
        drop(told.send(event));
    });
    let mut seen = String::new();
    while let Some(event) = timeout(Duration::from_secs(120), events.recv()).await.unwrap() {
        match event {
            SessionEvent::Ladder(ladder) => seen = ladder.trouble.map_or_else(String::new, |trouble| trouble.seen),
            SessionEvent::RunEnded(why) => {
                assert_eq!(why.as_deref(), Some(seen.as_str()));
                break;
            }
            _ => {}
        }
    }
    assert!(seen.contains("has failed") && seen.contains("nothing more is sent"), "{seen}");
}

/// Nothing is tried by itself; when somebody wants to know, it is tried on what does not change, and written down.
#[tokio::test]
async fn whether_changes_are_permitted_is_tried_when_somebody_wants_it() {
    for permitted in [true, false] {
        let mut scenario = if permitted { Scenario::crew_phone() } else { Scenario::lost_phone() };
        scenario.second_switch_off = !permitted;
        let sim = device(scenario, 1).await;
        let mut seen = Seen::start(sim.address());
        seen.inventory().await;
        seen.ladder(if permitted { "ready" } else { "second-switch" }).await;
        let part = "com.android.providers.settings";
        let held = sim.holds(part, 0);
        let tried = || sim.transcript().iter().filter(|line| line.contains("default-state")).count();
        assert_eq!(tried(), 0);
        seen.session.send(SessionCommand::TryChanges);
        let note = seen.note().await;
        assert!(note.contains(part) && note.contains(if permitted { "are permitted" } else { "refused" }), "{note}");
        assert_eq!((tried(), sim.holds(part, 0)), (1, held));
        let runs = seen.workplace.book.with(|book| book.runs(None)).await.unwrap();
        let ended = if permitted { Outcome::Done } else { Outcome::Refused };
        assert_eq!((runs.len(), runs[0].state, runs[0].steps[0].outcome), (1, RunState::Finished, Some(ended)));
        assert_eq!(runs[0].kind, RunKind::Try);
        assert_eq!(runs[0].steps[0].before, runs[0].steps[0].after.unwrap());
        // What was so before is not called permitted without a yes.
        sim.set_fault(Fault::Says(format!("package default-state --user 0 {part}"), "hm\n".into()));
        seen.session.send(SessionCommand::TryChanges);
        let note = seen.note().await;
        assert!(note.contains("neither yes nor no"), "{note}");
        let runs = seen.workplace.book.with(|book| book.runs(None)).await.unwrap();
        assert_eq!(runs[0].steps[0].outcome, Some(Outcome::NoEffect));
    }
}

/// The log of events tells what comes to the front, in each version's own words, so that the device's services are asked once
/// only; where it tells the shell nothing they are asked again and again.
#[tokio::test(start_paused = true)]
async fn the_log_of_events_spares_the_device() {
    for (scenario, silent_log) in [
        (Scenario::crew_phone(), false),
        (Scenario::lost_phone(), false),
        (Scenario::spare_handset(), false),
        (Scenario::crew_phone(), true),
        (Scenario::spare_handset(), true),
    ] {
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = crate::support::in_memory(scenario, 1, folder.path(), patience(1)).await;
        if silent_log {
            sim.set_fault(Fault::NoLog);
        }
        let mut seen = Seen::start_in(sim.address(), workplace, folder);
        seen.inventory().await;
        seen.session.send(SessionCommand::Follow(true));
        let front = |event| match event {
            SessionEvent::Front(Some((id, _))) => Some(id.to_string()),
            _ => None,
        };
        let mut last = seen.until(front).await;
        for _ in 0..4 {
            // Longer than a command may be silent.
            tokio::time::sleep(Duration::from_secs(100)).await;
            let next = sim.screen(None).acts.into_iter().find_map(|act| match act {
                OwnerAction::Touch(id) if id != last => Some(id),
                _ => None,
            });
            let next = next.unwrap();
            sim.act(OwnerAction::Touch(next.clone())).await.unwrap();
            assert_eq!(seen.until(front).await, next);
            last = next;
        }
        let dumps = sim.transcript().iter().filter(|line| line.contains("mCurrentFocus")).count();
        match silent_log {
            false => assert_eq!(dumps, 1),
            true => assert!(dumps > 10, "{dumps}"),
        }
    }
}

/// A restart is begun when the device has written down what it holds, and waited for with words of its own.
#[tokio::test(start_paused = true)]
async fn a_restart_loses_nothing_and_is_waited_for() {
    for svc in [true, false] {
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = crate::support::in_memory(Scenario::desk_tablet(), 1, folder.path(), patience(1)).await;
        sim.set_fault(Fault::LazyDisk);
        if !svc {
            sim.set_fault(Fault::Says(
                "svc power reboot".into(),
                "Control the power manager\n\nusage: svc power stayon\n".into(),
            ));
        }
        let mut seen = Seen::start_in(sim.address(), workplace, folder);
        seen.inventory().await;
        sim.set_state(MUSIC, 0, false, 0);
        seen.session.send(SessionCommand::Restart(RestartTo::System));
        assert!(seen.note().await.contains("restarts then"));
        seen.until(|event| match event {
            SessionEvent::Ladder(ladder) if ladder.name() == "restarting" => Some(()),
            _ => None,
        })
        .await;
        assert!(seen.note().await.contains("has restarted"));
        let inventory = seen.inventory().await;
        assert!(!inventory.packages[&id(MUSIC)].state(UserId::OWNER).installed);
        assert_eq!(sim.holds(MUSIC, 0).map(|(installed, _)| installed), Some(false));
        let sent: Vec<String> =
            sim.transcript().into_iter().filter(|l| l.contains("reboot") || l.contains("package write")).collect();
        assert!(sent[0].contains("dumpsys package write") && sent[1].contains("svc power reboot"), "{sent:?}");
        assert_eq!(sent.len(), if svc { 2 } else { 3 }, "{sent:?}");
    }
    // One that does not say that it has written is left alone.
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = crate::support::in_memory(Scenario::desk_tablet(), 1, folder.path(), patience(1)).await;
    sim.set_fault(Fault::Says("dumpsys package write".into(), "Can't find service: package\n".into()));
    let mut seen = Seen::start_in(sim.address(), workplace, folder);
    seen.inventory().await;
    seen.session.send(SessionCommand::Restart(RestartTo::System));
    assert!(seen.note().await.contains("restarts then"));
    assert!(seen.note().await.contains("was not restarted"));
    assert!(!sim.transcript().iter().any(|line| line.contains("reboot")));
}

/// How long a device takes to start is seen whenever it starts, and known the next time it is met.
#[tokio::test(start_paused = true)]
async fn how_long_a_start_takes_is_seen() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = crate::support::in_memory(Scenario::desk_tablet(), 1, folder.path(), patience(1)).await;
    let took = |event| if let SessionEvent::StartTook(took) = event { Some(took) } else { None };
    let mut seen = Seen::start_in(sim.address(), workplace.clone(), folder);
    assert_eq!(seen.until(took).await, None, "it was up when it was met");
    sim.act(OwnerAction::Restart).await.unwrap();
    let first = seen.until(|event| took(event).flatten()).await;
    assert!(first < Duration::from_secs(60), "{first:?}");
    let known = workplace.book.with(|book| book.devices()).await.unwrap();
    assert_eq!(known[0].start_took, Some(first));
}

/// Behind a restart a device may ask about this computer again: that is told as ever, and a dialog that nobody answers is not
/// opened a second time.
#[tokio::test(start_paused = true)]
async fn a_dialog_behind_a_restart_is_told_and_opened_once() {
    let folder = tempfile::tempdir().unwrap();
    let network = SimNetwork::default();
    let options = Options {
        allow: Allow::ByHand,
        restart: Duration::from_millis(30),
        network: Some(network.clone()),
        in_memory: true,
        ..Options::default()
    };
    let sim = SimDevice::start(Scenario::desk_tablet(), options).await.unwrap();
    let mut here = workplace(folder.path(), patience(1));
    here.book = here.book.clone().working_inline();
    here.surroundings = Arc::new(Surroundings::default().with_network(Arc::new(network)));
    here.limits.tap = Duration::from_secs(20);
    let mut seen = Seen::start_in(sim.address(), here, folder);
    seen.ladder("awaiting-tap").await;
    while sim.dialogs() == 0 {
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    sim.allow();
    seen.inventory().await;
    sim.forget_computers();
    seen.session.send(SessionCommand::Restart(RestartTo::System));
    seen.ladder("restarting").await;
    seen.ladder("awaiting-tap").await;
    seen.ladder("not-authorised").await;
    tokio::time::sleep(Duration::from_secs(200)).await;
    assert_eq!(sim.dialogs(), 2);
    // It is, when somebody wants it.
    seen.session.send(SessionCommand::Survey);
    seen.ladder("awaiting-tap").await;
    sim.allow();
    assert!(seen.note().await.contains("has restarted"));
    seen.inventory().await;
}

/// Android's framework can crash while the device stays up: it is told, and the packages are read again.
#[tokio::test(start_paused = true)]
async fn a_crash_of_the_framework_is_noticed() {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = crate::support::in_memory(Scenario::crew_phone(), 1, folder.path(), patience(1)).await;
    let mut seen = Seen::start_in(sim.address(), workplace, folder);
    seen.inventory().await;
    sim.set_fault(Fault::FrameworkCrashes(1));
    let note = seen.note().await;
    assert!(note.contains("crashed and started anew"), "{note}");
    seen.inventory().await;
}

/// A key that the device has not stored is of no use once its screen cannot be tapped any more.
#[tokio::test]
async fn a_computer_that_was_allowed_once_is_told_so() {
    for (allow, stored) in [(Allow::After(Duration::ZERO), true), (Allow::Once(Duration::ZERO), false)] {
        let sim = SimDevice::start(Scenario::lost_phone(), Options { allow, ..Options::default() }).await.unwrap();
        let folder = tempfile::tempdir().unwrap();
        let workplace = workplace(folder.path(), patience(1));
        let phone = workplace.device(sim.address());
        phone.connect(&mut |_| {}).await.unwrap();
        let vitals = details(&phone).await.unwrap().vitals;
        assert_eq!(vitals.key_is_stored, Some(stored));
        assert_eq!(vitals.warnings().iter().any(|w| w.contains("allowed once only")), !stored);
        // Who is known already is not asked about.
        let again = workplace.device(sim.address());
        again.connect(&mut |_| {}).await.unwrap();
        assert_eq!(details(&again).await.unwrap().vitals.key_is_stored, if stored { None } else { Some(false) });
    }
}

/// Where the first user has no screen, work is done for whoever is in front, and what the system's own user has not got is no
/// shelf.
#[tokio::test]
async fn a_first_user_without_a_screen_is_not_worked_on() {
    let mut scenario = Scenario::desk_tablet();
    (scenario.headless, scenario.in_front) = (true, 11);
    for package in scenario.inventory.packages.iter_mut().filter(|p| p.id == "com.android.egg" || p.id == MUSIC) {
        package.gone_for = vec![0];
    }
    let sim = device(scenario, 1).await;
    let folder = tempfile::tempdir().unwrap();
    let workplace = workplace(folder.path(), patience(1));
    let tablet = workplace.device(sim.address());
    tablet.connect(&mut |_| {}).await.unwrap();
    let told = details(&tablet).await.unwrap();
    let mut inventory = wibbet_bench::ops::survey(&tablet, &mut |_| {}).await.unwrap();
    inventory.merge_users(&told.users);
    assert_eq!(inventory.usual_user(told.vitals.current_user), UserId::new(11));
    assert_eq!(inventory.usual_user(None), UserId::new(11));
    assert!(inventory.is_first(UserId::new(11)) && !inventory.is_first(UserId::OWNER));
    let shelf = wibbet_core::run::Shelf::of(&inventory, &[]);
    let uninstalled =
        |entry: &&wibbet_core::run::ShelfEntry| entry.condition == wibbet_core::package::Condition::Uninstalled;
    assert!(shelf.entries.iter().filter(uninstalled).all(|entry| entry.user != UserId::OWNER));
    let gone = wibbet_core::package::Condition::Uninstalled;
    let count = inventory.packages.values().filter(|p| p.condition(UserId::OWNER) == gone).count();
    assert!(count >= 2 && shelf.not_given[&UserId::OWNER] == count);
}

/// A device that has never been idle on its charger knows no sizes, and works them out when it is told to.
#[tokio::test(start_paused = true)]
async fn sizes_are_worked_out_on_demand() {
    use wibbet_core::package::Source;
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = crate::support::in_memory(Scenario::boxed_tablet(), 1, folder.path(), patience(1)).await;
    let mut seen = Seen::start_in(sim.address(), workplace, folder);
    seen.inventory().await;
    let metrics = |event| if let SessionEvent::Metrics(metrics) = event { Some(metrics) } else { None };
    assert!(!seen.until(metrics).await.tells(Source::Sizes));
    seen.session.send(SessionCommand::WorkOutSizes);
    seen.until(|event| matches!(event, SessionEvent::Metrics(m) if m.tells(Source::Sizes)).then_some(())).await;
    assert!(seen.note().await.contains("tells how large its packages are now"));
}

/// What somebody types for the shell is kept before it is sent, with what came of it; an app of this computer's is taken in and let
/// go of again; and what fails behind a run is told.
#[tokio::test]
async fn what_is_done_by_hand_is_kept() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(sim.address());
    let inventory = seen.inventory().await;
    seen.session.send(SessionCommand::Shell("date".into()));
    let said = seen.until(|e| if let SessionEvent::Hand(said) = e { Some(said) } else { None }).await.unwrap();
    assert!(said.answer.as_str().starts_with("2026-"), "{said:?}");
    seen.session.send(SessionCommand::Shell("no-such-program".into()));
    let said = seen.until(|e| if let SessionEvent::Hand(said) = e { Some(said) } else { None }).await.unwrap();
    assert_eq!(said.code, Some(127));
    let of = seen.workplace.device(sim.address());
    of.connect(&mut |_| {}).await.unwrap();
    let of = of.facts().unwrap().id;
    let kept = seen.workplace.book.with(move |book| book.commands(&of)).await.unwrap();
    assert_eq!(kept.len(), 2);
    assert_eq!(kept[1].0, "date");
    assert!(kept[0].1.as_ref().unwrap().as_str().contains("not found"), "{kept:?}");

    // A file goes to the device and comes back the same.
    let files = tempfile::tempdir().unwrap();
    let note = files.path().join("note.txt");
    std::fs::write(&note, "for the customer").unwrap();
    let there: wibbet_types::DevicePath = "/sdcard/Download/".parse().unwrap();
    let (here, to) = (note.clone(), there.clone());
    seen.session.send(SessionCommand::Bring { here, there: to, to_device: true });
    assert!(seen.note().await.contains("the same on both sides"));
    std::fs::remove_file(&note).unwrap();
    let (here, from) = (files.path().to_owned(), "/sdcard/Download/note.txt".parse().unwrap());
    seen.session.send(SessionCommand::Bring { here, there: from, to_device: false });
    assert!(seen.note().await.contains("the same on both sides"));
    assert_eq!(std::fs::read_to_string(&note).unwrap(), "for the customer");

    let apps = tempfile::tempdir().unwrap();
    let apk = apps.path().join("keys.apk");
    std::fs::write(&apk, wibbet_sim::SampleApk::keyboard().read(0, usize::MAX)).unwrap();
    seen.session.send(SessionCommand::TakeIn(UserId::OWNER, apk));
    let taken = seen.until(|e| if let SessionEvent::TakenIn(_, taken) = e { Some(taken) } else { None }).await;
    assert_eq!(taken.copy.id.as_str(), "fer.pellmoor.keys");
    assert!(taken.declared.parts.iter().any(|part| part.names.iter().any(|n| n == "android.view.InputMethod")));
    seen.session.send(SessionCommand::DropCopy(taken.copy));
    seen.session.send(SessionCommand::TakeIn(UserId::OWNER, apps.path().join("none.apk")));
    assert!(seen.note().await.contains("none.apk"));
    assert!(seen.workplace.book.with(|book| book.copies(None)).await.unwrap().is_empty());

    let provider = "com.corvane.weather.provider";
    let item = TrayItem { id: id(provider), user: UserId::OWNER, way: Change::Uninstall };
    let plan = plan_take_out(&inventory, &wibbet_core::testing::capabilities(34), &[item], false);
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan));
    let (run, new, before) = seen
        .until(|e| match e {
            SessionEvent::Failures { run, new, before } => Some((run, new, before)),
            _ => None,
        })
        .await;
    let failed: Vec<&str> = new.iter().filter_map(|f| f.package.as_ref()).map(|id| id.as_str()).collect();
    assert!(failed.contains(&"com.corvane.weather"), "{failed:?}");
    assert!(before.iter().any(|f| f.process.as_str() == "com.android.email"), "{before:?}");
    let run = seen.workplace.book.with(move |book| book.run(run)).await.unwrap().unwrap();
    assert!(run.figures_words().unwrap().contains("packages in use"), "{run:?}");
}
