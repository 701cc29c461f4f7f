//! A session as the screen uses it: commands in, events out.
#![allow(clippy::unwrap_used, reason = "tests")]

mod support;

use std::sync::Arc;
use std::time::Duration;

use support::{device, id, patience, workplace};
use tokio::sync::mpsc;
use tokio::time::timeout;
use wibbet_bench::{RunNews, Session, SessionCommand, SessionEvent, Workplace, begin_run, claim, now};
use wibbet_core::{
    Abilities, Inventory, Offered, Outcome, Plan, RunKind, RunState, Rung, TrayItem, Way, plan_take_out,
};
use wibbet_sim::{Allow, Options, Scenario, SimDevice};
use wibbet_types::UserId;

const MUSIC: &str = "com.android.music";

struct Seen {
    session: Session,
    events: mpsc::UnboundedReceiver<SessionEvent>,
    workplace: Workplace,
    _folder: tempfile::TempDir,
}

impl Seen {
    fn start(address: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let workplace = workplace(folder.path(), patience(1));
        Self::start_in(address, workplace, folder)
    }

    fn start_in(address: &str, workplace: Workplace, folder: tempfile::TempDir) -> Self {
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

    async fn ended(&mut self) -> Option<String> {
        self.until(|e| if let SessionEvent::RunEnded(why) = e { Some(why) } else { None }).await
    }
}

fn plan(inventory: &Inventory, package: &str) -> Plan {
    let item = TrayItem { id: id(package), user: UserId::OWNER, way: Way::Uninstall };
    plan_take_out(inventory, &Abilities::new(34, Offered::default()), &[item], false)
}

#[tokio::test]
async fn the_ladder_is_climbed_rung_by_rung() {
    let options = Options { allow: Allow::ByHand, ..Options::default() };
    let sim = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    let mut seen = Seen::start(&sim.address().to_string());
    let trouble = seen
        .until(|e| match e {
            SessionEvent::Ladder(l) if l.missing() == Some(Rung::Authorised) => l.trouble,
            _ => None,
        })
        .await;
    assert_eq!((trouble.name, trouble.retrying), ("awaiting-tap", true));
    assert!(trouble.seen.contains(&support::keys().own().public().fingerprint()));
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

#[tokio::test]
async fn a_restart_is_waited_out_without_a_word_from_anybody() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(&sim.address().to_string());
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
    let mut seen = Seen::start(&sim.address().to_string());
    let mut abilities = None;
    seen.until(|e| match e {
        SessionEvent::Facts(_, now) => {
            abilities = Some(now);
            None
        }
        SessionEvent::Inventory(_) => Some(()),
        _ => None,
    })
    .await;
    assert!(abilities.unwrap().install_existing);
}

#[tokio::test]
async fn a_run_is_carried_out_and_told() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(&sim.address().to_string());
    let inventory = seen.inventory().await;
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan(&inventory, MUSIC)));
    let states = seen
        .until(|e| match e {
            SessionEvent::Run(RunNews::States(package, states)) if package.as_str() == MUSIC => Some(states),
            _ => None,
        })
        .await;
    assert!(!states[&UserId::OWNER].installed && states[&UserId::new(10)].known);
    let runs = seen.until(|e| if let SessionEvent::Runs(runs) = e { Some(runs) } else { None }).await;
    assert_eq!((runs.len(), runs[0].count(Outcome::Done)), (1, 1));
    assert_eq!(seen.ended().await, None);
    // The packages are read again by themselves.
    assert!(!seen.inventory().await.state(&id(MUSIC), UserId::OWNER).installed);
}

#[tokio::test]
async fn nothing_is_begun_without_a_link_or_on_a_device_that_is_claimed() {
    let sim = device(Scenario::crew_phone(), 1).await;
    let address = sim.address().to_string();
    let mut seen = Seen::start(&address);
    let inventory = seen.inventory().await;
    let held = claim(&seen.workplace.book, &"CT5-0417-2291".parse().unwrap(), &address).unwrap();
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan(&inventory, MUSIC)));
    assert!(seen.ended().await.unwrap().contains("another Wibbet"));
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
    let address = sim.address().to_string();
    let mut first = Seen::start(&address);
    let inventory = first.inventory().await;
    let both: Vec<TrayItem> = [MUSIC, "com.android.email"]
        .iter()
        .map(|i| TrayItem { id: id(i), user: UserId::OWNER, way: Way::Uninstall })
        .collect();
    let abilities = Abilities::new(34, Offered::default());
    let plan = plan_take_out(&inventory, &abilities, &both, false);
    let serial = "CT5-0417-2291".parse().unwrap();
    // As a program leaves it that is killed right after it has written down that it sends.
    let number = begin_run(&first.workplace.book, &serial, RunKind::TakeOut, &plan, &abilities).await.unwrap();
    first.workplace.book.with(move |book| book.step_sent(number, 0, now())).await.unwrap();
    let Seen { session, workplace, _folder, .. } = first;
    drop(session);
    let mut seen = Seen::start_in(&address, workplace, _folder);
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
    let mut seen = Seen::start(&sim.address().to_string());
    let inventory = seen.inventory().await;
    let items: Vec<TrayItem> = inventory
        .packages
        .keys()
        .filter(|i| i.as_str().starts_with("com.android.provider"))
        .map(|i| TrayItem { id: i.clone(), user: UserId::OWNER, way: Way::Uninstall })
        .collect();
    let plan = plan_take_out(&inventory, &Abilities::new(34, Offered::default()), &items, false);
    seen.session.send(SessionCommand::Run(RunKind::TakeOut, plan));
    seen.until(|e| matches!(e, SessionEvent::Run(RunNews::States(..))).then_some(())).await;
    seen.session.stop_run();
    assert_eq!(seen.ended().await, None);
    let runs = seen.workplace.book.with(|book| book.runs(None)).await.unwrap();
    assert_eq!(runs[0].state, RunState::Stopped);
    assert!(runs[0].count(Outcome::Done) >= 1 && runs[0].count(Outcome::Done) < items.len());
}
