//! The bench as a whole: devices that come, go, and turn out to be one another.

use std::sync::Arc;
use std::time::Duration;

use crate::support::{device, patience, workplace};
use tokio::sync::mpsc;
use tokio::time::timeout;
use wibbet_adb::AnnouncedKind;
use wibbet_bench::around::{Route, Surroundings};
use wibbet_bench::fleet::{Bench, BenchCommand, BenchEvent, CardId};
use wibbet_bench::ops::PairNews;
use wibbet_bench::run::RunNews;
use wibbet_bench::session::{Closing, SessionCommand, SessionEvent};
use wibbet_bench::workplace::Workplace;
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::RestartTo;
use wibbet_core::device::{DeviceFacts, Likeness};
use wibbet_core::link::{Rung, RungStatus};
use wibbet_core::package::Inventory;
use wibbet_core::plan::{Change, Plan, TrayItem, plan_take_out};
use wibbet_core::run::{Outcome, RunKind, StepEvent};
use wibbet_sim::{Allow, Direction, Fault, Options, OwnerAction, ReachedBy, Scenario, SimBus, SimDevice, SimNetwork};
use wibbet_types::{RunId, UserId};

struct Seen {
    bench: Bench,
    events: mpsc::UnboundedReceiver<BenchEvent>,
    workplace: Workplace,
    bus: Arc<SimBus>,
    network: SimNetwork,
    _folder: tempfile::TempDir,
}

impl Seen {
    fn start(bus: Arc<SimBus>, network: SimNetwork, addresses: &[&SimDevice]) -> Self {
        Self::with(bus, network, addresses, |_| {})
    }

    /// The same, with something changed in the workplace.
    fn with(
        bus: Arc<SimBus>,
        network: SimNetwork,
        addresses: &[&SimDevice],
        change: impl FnOnce(&mut Workplace),
    ) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let mut workplace = workplace(folder.path(), patience(1));
        workplace.patience.pause = Duration::from_millis(20);
        workplace.surroundings = Arc::new(Surroundings::simulated(Some(Arc::clone(&bus) as _), Some(network.seen())));
        change(&mut workplace);
        let addresses = addresses.iter().map(|d| d.address()).collect();
        let (told, events) = mpsc::unbounded_channel();
        let bench = Bench::start(workplace.clone(), addresses, move |event| drop(told.send(event)));
        Self { bench, events, workplace, bus, network, _folder: folder }
    }

    async fn until<T>(&mut self, mut wanted: impl FnMut(&BenchEvent) -> Option<T>) -> T {
        loop {
            let event = timeout(Duration::from_secs(120), self.events.recv()).await.unwrap().unwrap();
            if let Some(found) = wanted(&event) {
                return found;
            }
        }
    }

    async fn facts(&mut self) -> (CardId, DeviceFacts) {
        self.until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Facts(facts, _)) => Some((*card, (**facts).clone())),
            _ => None,
        })
        .await
    }

    /// The first card that is named so.
    async fn any_named(&mut self, name: &str) -> CardId {
        self.until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Ladder(l)) if l.name() == name => Some(*card),
            _ => None,
        })
        .await
    }

    async fn named(&mut self, card: CardId, name: &str) {
        self.until(|e| {
            matches!(e, BenchEvent::Session(of, SessionEvent::Ladder(l)) if *of == card && l.name() == name)
                .then_some(())
        })
        .await;
    }

    async fn inventory(&mut self, card: CardId) -> Arc<Inventory> {
        self.until(|e| match e {
            BenchEvent::Session(of, SessionEvent::Inventory(i)) if *of == card => Some(Arc::clone(i)),
            _ => None,
        })
        .await
    }

    async fn routes(&mut self, card: CardId, kinds: &[&str]) {
        self.until(|e| match e {
            BenchEvent::Routes(of, routes) if *of == card => {
                (routes.iter().map(Route::kind).collect::<Vec<_>>() == kinds).then_some(())
            }
            _ => None,
        })
        .await;
    }
}

async fn announced(scenario: Scenario, network: &SimNetwork) -> SimDevice {
    let options = Options { allow: Allow::After(Duration::ZERO), network: Some(network.clone()), ..Options::default() };
    SimDevice::start(scenario, options).await.unwrap()
}

#[tokio::test]
async fn a_device_by_cable_and_by_address_is_one_card_and_goes_on_without_its_cable() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(Arc::clone(&bus), network, &[&phone]);
    let (card, facts) = seen.facts().await;
    assert_eq!(facts.id.as_str(), "CT5-0417-2291");
    seen.named(card, "ready").await;
    bus.plug(&phone);
    seen.routes(card, &["cable", "address"]).await;
    // The link by address goes; the cable takes over, and when that is pulled the address does.
    phone.set_fault("cut=from:0".parse().unwrap());
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    seen.named(card, "lost").await;
    seen.named(card, "ready").await;
    bus.unplug("CT5-0417-2291");
    seen.routes(card, &["address"]).await;
    seen.named(card, "ready").await;
    let known = seen.workplace.book.with(|book| book.devices()).await.unwrap();
    assert_eq!(known.len(), 1);
}

#[tokio::test]
async fn equal_serials_are_two_devices_when_they_say_different_things() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let one = device(Scenario::crew_phone(), 1).await;
    let mut scenario = Scenario::crew_phone();
    scenario.android_id = Some("0123456789abcdef".into());
    let two = device(scenario, 2).await;
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    bus.plug(&one);
    let (first, facts) = seen.facts().await;
    seen.named(first, "ready").await;
    bus.plug(&two);
    let (second, other) = seen
        .until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Facts(f, _)) if *card != first => Some((*card, (**f).clone())),
            _ => None,
        })
        .await;
    assert_eq!(facts.serial, other.serial);
    assert_eq!((facts.id.as_str(), other.id.as_str()), ("CT5-0417-2291", "CT5-0417-2291.2"));
    seen.named(second, "ready").await;
}

#[tokio::test]
async fn another_device_of_the_same_serial_in_the_same_place_gets_its_own_card() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let one = device(Scenario::crew_phone(), 1).await;
    let mut scenario = Scenario::crew_phone();
    scenario.model = "Tarn 5 Lite".into();
    let two = device(scenario, 2).await;
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    bus.plug(&one);
    let (first, _) = seen.facts().await;
    seen.named(first, "ready").await;
    bus.unplug("CT5-0417-2291");
    seen.named(first, "unplugged").await;
    bus.plug(&two);
    let other = seen
        .until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Facts(f, _)) if *card != first => Some((**f).clone()),
            _ => None,
        })
        .await;
    assert_eq!(other.model.as_str(), "Tarn 5 Lite");
    // It was asked what it is before anything else, and nothing of the other device's was sent to it.
    let asked = two.transcript();
    assert!(asked.iter().find(|l| l.starts_with("open ")).unwrap().contains("getprop"), "{asked:?}");
    assert!(!asked.iter().any(|l| l.contains("uninstall")), "{asked:?}");
}

#[tokio::test]
async fn a_cable_pulled_in_the_middle_of_a_survey_is_told_at_once_and_recovers() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    bus.plug(&phone);
    seen.until(|e| {
        matches!(e, BenchEvent::Session(_, SessionEvent::Busy(Some(what))) if what.contains("reading packages, "))
            .then_some(())
    })
    .await;
    let begun = std::time::Instant::now();
    bus.unplug("CT5-0417-2291");
    let card = seen
        .until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Ladder(l)) if l.name() == "unplugged" => Some(*card),
            _ => None,
        })
        .await;
    println!("told after {:?}", begun.elapsed());
    bus.plug(&phone);
    seen.named(card, "ready").await;
    assert!(!phone.transcript().iter().any(|l| l.starts_with("usb:")), "{:?}", phone.transcript());
}

/// Anybody on a network can announce a device that does not encrypt, and pass on what this computer signs.
#[tokio::test]
async fn what_announces_itself_in_the_clear_is_an_offer() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let mut scenario = Scenario::spare_handset();
    scenario.reached_by = ReachedBy::Address;
    let handset = announced(scenario, &network).await;
    let mut seen = Seen::start(bus, network, &[]);
    let card = seen.any_named("offered").await;
    tokio::time::sleep(Duration::from_millis(200)).await;
    assert_eq!(handset.packets(Direction::ToDevice), 0, "not even a hello");
    // Somebody wants it.
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    assert_eq!(seen.facts().await.0, card);
    seen.named(card, "ready").await;
}

/// Whoever names an address means it, announced or not; and it stays when it is announced no more.
#[tokio::test]
async fn an_offer_that_somebody_names_is_linked() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let mut scenario = Scenario::spare_handset();
    scenario.reached_by = ReachedBy::Address;
    let handset = announced(scenario, &network).await;
    let mut seen = Seen::start(bus, network.clone(), &[]);
    let card = seen.any_named("offered").await;
    seen.bench.send(BenchCommand::Add(handset.address()));
    assert_eq!(seen.facts().await.0, card);
    seen.named(card, "ready").await;
    network.withdraw(AnnouncedKind::Plain, &handset.instance());
    tokio::time::sleep(Duration::from_millis(200)).await;
    let mut gone = false;
    while let Ok(event) = seen.events.try_recv() {
        gone |= matches!(&event, BenchEvent::Gone(_))
            || matches!(&event, BenchEvent::Routes(_, routes) if routes.is_empty());
    }
    assert!(!gone, "a named address stays");
}

/// A device has several addresses, and not all of them are reached from here.
#[tokio::test]
async fn every_address_of_an_announcement_is_tried() {
    for reached_by in [ReachedBy::Air, ReachedBy::Address] {
        let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
        // Nothing listens there on this computer.
        network.set_out_of_reach(vec!["127.7.7.7".parse().unwrap(), "::1".parse().unwrap()]);
        let mut scenario = Scenario::seventh_hand();
        scenario.reached_by = reached_by;
        let go = announced(scenario, &network).await;
        if reached_by == ReachedBy::Air {
            let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
            let own = crate::support::keys();
            let long = Duration::from_secs(60);
            let limits = wibbet_adb::Timeouts { connect: long, answer: long, tap: long, idle: long, write: long };
            let at = dialog.address.try_into().unwrap();
            wibbet_adb::pairing::pair(&wibbet_adb::SystemDialer, &at, &dialog.code, own.own(), &limits).await.unwrap();
        }
        let mut seen = Seen::start(bus, network.clone(), &[]);
        if reached_by == ReachedBy::Address {
            let card = seen.any_named("offered").await;
            seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
            seen.named(card, "ready").await;
        } else {
            let (card, _) = seen.facts().await;
            seen.named(card, "ready").await;
        }
    }
}

/// Whoever names an address has not chosen what an announcement names beside it.
#[tokio::test]
async fn an_address_beside_a_named_one_is_not_chosen() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let named: std::net::IpAddr = "127.7.7.7".parse().unwrap();
    network.set_out_of_reach(vec![named]);
    let mut scenario = Scenario::spare_handset();
    scenario.reached_by = ReachedBy::Address;
    let handset = announced(scenario, &network).await;
    let mut seen = Seen::start(bus, network.clone(), &[]);
    let card = seen.any_named("offered").await;
    let first = network.seen().borrow()[0].addresses[0].try_into().unwrap();
    seen.bench.send(BenchCommand::Add(first));
    seen.named(card, "no-answer").await;
    assert_eq!(handset.packets(Direction::ToDevice), 0, "not even a hello");
}

/// A device whose radio flaps announces itself anew before the former announcement has gone, under a name with a number.
#[tokio::test]
async fn a_device_that_is_renamed_is_the_same() {
    let network = SimNetwork::default();
    let go = announced(Scenario::seventh_hand(), &network).await;
    let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    let long = Duration::from_secs(60);
    let limits = wibbet_adb::Timeouts { connect: long, answer: long, tap: long, idle: long, write: long };
    let (keys, at) = (crate::support::keys(), dialog.address.try_into().unwrap());
    wibbet_adb::pairing::pair(&wibbet_adb::SystemDialer, &at, &dialog.code, keys.own(), &limits).await.unwrap();
    let mut seen = Seen::start(Arc::default(), network.clone(), &[]);
    let (card, _) = seen.facts().await;
    seen.named(card, "ready").await;
    go.set_fault(Fault::Renames);
    for number in 2..4 {
        go.act(OwnerAction::WirelessDebugging(false)).await.unwrap();
        go.act(OwnerAction::WirelessDebugging(true)).await.unwrap();
        assert!(network.seen().borrow().iter().any(|a| a.instance == format!("{} ({number})", go.instance())));
        assert!(network.seen().borrow().len() >= number, "the former ones are still announced");
        // Where it is now, it is linked.
        let at = go.address().to_string();
        seen.until(|e| match e {
            BenchEvent::Session(of, SessionEvent::Ladder(l)) if *of == card && l.name() == "ready" => {
                l.rungs.iter().any(|rung| rung.known.contains(&at)).then_some(())
            }
            _ => None,
        })
        .await;
    }
}

/// Wireless debugging goes off at a start. Over a cable it is switched on again, and the device goes on without it.
#[tokio::test]
async fn wireless_debugging_is_switched_on_over_the_cable() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let go = announced(Scenario::seventh_hand(), &network).await;
    bus.plug(&go);
    let mut seen = Seen::start(Arc::clone(&bus), network.clone(), &[]);
    let (card, _) = seen.facts().await;
    seen.named(card, "ready").await;
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Restart(RestartTo::System)));
    seen.named(card, "restarting").await;
    seen.named(card, "ready").await;
    assert!(network.seen().borrow().is_empty(), "off after the start");
    seen.bench.send(BenchCommand::Session(card, SessionCommand::SwitchOnWireless));
    seen.routes(card, &["cable", "air"]).await;
    bus.unplug("TG-70007-7");
    seen.routes(card, &["air"]).await;
    seen.named(card, "ready").await;
}

/// A phone on its cable, and something on the air that announces itself as that phone and takes any computer: pairing is
/// what it wants.
async fn impersonated(android_id: Option<&str>) -> (Seen, CardId, SimDevice, SimDevice) {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network.clone(), &[]);
    let (card, _) = seen.facts().await;
    seen.named(card, "ready").await;
    let scenario =
        Scenario { reached_by: ReachedBy::Air, android_id: android_id.map(str::to_owned), ..Scenario::crew_phone() };
    let other = announced(scenario, &network).await;
    let dialog = other.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    let at = dialog.address.try_into().unwrap();
    seen.bench.send(BenchCommand::Pair { at, code: dialog.code });
    seen.until(|e| matches!(e, BenchEvent::Paired(Ok(_))).then_some(())).await;
    (seen, card, phone, other)
}

const MUSIC: &str = "com.android.music";

fn plan_of(ids: &[&str], inventory: &Inventory) -> Plan {
    let item = |id: &&str| TrayItem { id: crate::support::id(id), user: UserId::OWNER, way: Change::Uninstall };
    let items: Vec<TrayItem> = ids.iter().map(item).collect();
    plan_take_out(inventory, &Capabilities::new(34, DaemonFeatures::default()), &items, false)
}

/// Serial, maker and model can be known from outside, and the serial is in every announcement.
#[tokio::test]
async fn what_says_that_it_is_a_known_phone_and_does_not_show_it_gets_nothing() {
    let (mut seen, card, phone, other) = impersonated(None).await;
    let stranger = seen
        .until(|e| match e {
            BenchEvent::Session(of, SessionEvent::Ladder(l)) if l.name() == "not-proven" => {
                assert!(l.trouble.as_ref().unwrap().seen.contains("does not show its Android id"), "{l:?}");
                Some(*of)
            }
            _ => None,
        })
        .await;
    assert_ne!(stranger, card);
    // The phone goes in the middle of a run: it goes on with nobody else.
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    let inventory = seen.inventory(card).await;
    phone.set_fault(Fault::Latency(Duration::from_millis(30)));
    let plan = plan_of(&[MUSIC, "com.android.email"], &inventory);
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Run(RunKind::TakeOut, plan)));
    seen.until(|e| {
        matches!(e, BenchEvent::Session(_, SessionEvent::Run(RunNews::Step(_, StepEvent::Sent { .. })))).then_some(())
    })
    .await;
    seen.bus.unplug("CT5-0417-2291");
    seen.until(|e| matches!(e, BenchEvent::Session(_, SessionEvent::Run(RunNews::Waiting(Some(_))))).then_some(()))
        .await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    seen.bus.plug(&phone);
    let why = seen
        .until(|e| if let BenchEvent::Session(_, SessionEvent::RunEnded(why)) = e { Some(why.clone()) } else { None })
        .await;
    assert_eq!(why, None);
    assert!([MUSIC, "com.android.email"].iter().all(|id| phone.holds(id, 0) == Some((false, 0))));
    let asked = other.transcript();
    assert!(asked.iter().any(|line| line.contains("getprop")));
    assert!(asked.iter().all(|line| !line.contains("package") && !line.contains("pm ")), "{asked:#?}");
    let known = seen.workplace.book.with(|book| book.devices()).await.unwrap();
    assert_eq!((known.len(), known[0].address.starts_with("USB")), (1, true));
}

/// Even with the Android id in hand: the phone has started at another time.
#[tokio::test]
async fn two_that_have_started_at_different_times_are_two() {
    let (mut seen, card, _phone, other) = impersonated(Some("9f3c2b1a00e4d5c6")).await;
    let stranger = seen
        .until(|e| match e {
            BenchEvent::Card { card: of, .. } if *of != card => Some(*of),
            BenchEvent::Gone(of) => panic!("{of} has gone"),
            _ => None,
        })
        .await;
    seen.named(stranger, "ready").await;
    let mut joined = false;
    while let Ok(event) = seen.events.try_recv() {
        joined |= matches!(&event, BenchEvent::Routes(of, routes) if *of == card && routes.len() > 1);
    }
    assert!(!joined);
    assert!(!other.transcript().is_empty());
}

/// The same phone by cable and by air shows the same boot id over both.
#[tokio::test]
async fn a_run_goes_on_by_air_when_it_is_the_same_phone() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = announced(Scenario { reached_by: ReachedBy::Air, ..Scenario::crew_phone() }, &network).await;
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, _) = seen.facts().await;
    let dialog = phone.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    seen.bench.send(BenchCommand::Pair { at: dialog.address.try_into().unwrap(), code: dialog.code });
    seen.routes(card, &["cable", "air"]).await;
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    let inventory = seen.inventory(card).await;
    let ids = ["com.corvane.notes", "com.corvane.radio", "com.corvane.mirror", "com.corvane.tips"];
    phone.set_fault(Fault::Latency(Duration::from_millis(30)));
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Run(RunKind::TakeOut, plan_of(&ids, &inventory))));
    seen.until(|e| {
        matches!(e, BenchEvent::Session(_, SessionEvent::Run(RunNews::Step(_, StepEvent::Sent { .. })))).then_some(())
    })
    .await;
    bus.unplug("CT5-0417-2291");
    let why = seen
        .until(|e| if let BenchEvent::Session(_, SessionEvent::RunEnded(why)) = e { Some(why.clone()) } else { None })
        .await;
    assert_eq!(why, None);
    assert!(ids.iter().all(|id| phone.holds(id, 0) == Some((false, 0))));
}

/// A device that is met again where it was comes back by itself; another one there gets one look, and then nothing before
/// somebody wants it.
#[tokio::test]
async fn where_a_device_was_met_another_day_nobody_else_is_taken_for_it() {
    for known in ["e0731bb4429fd15a", "0123456789abcdef"] {
        let tv = device(Scenario::waiting_room_tv(), 1).await;
        // It is starting, and cannot tell all that it is yet.
        let starting = "cmd: Can't find service: settings\n";
        if known.starts_with('e') {
            tv.set_fault(Fault::Says("settings --user 0 get secure android_id".into(), starting.into()));
        }
        let address = tv.address();
        let mut seen = Seen::with(Arc::default(), SimNetwork::default(), &[], |workplace| {
            let facts = DeviceFacts {
                id: tv.serial().parse().unwrap(),
                serial: tv.serial().parse().unwrap(),
                maker: "Tarnbek".into(),
                model: "Vista 43".into(),
                android_id: Some(known.into()),
                ..wibbet_core::testing::facts()
            };
            let mut book = wibbet_logbook::Logbook::open(workplace.book.folder()).unwrap();
            let at = address.to_string();
            book.note_device(&facts, Likeness::Alike, &at, None, wibbet_types::Timestamp(1)).unwrap();
        });
        let devices = |seen: &Seen| seen.workplace.book.clone();
        if known.starts_with('e') {
            seen.any_named("not-proven").await;
            tv.forget_says();
            seen.any_named("ready").await;
            let met = devices(&seen).with(|book| book.devices()).await.unwrap();
            assert_eq!((met.len(), met[0].address.clone()), (1, address.to_string()));
            continue;
        }
        let card = seen.any_named("wrong-device").await;
        tokio::time::sleep(Duration::from_millis(300)).await;
        let said = tv.transcript();
        assert_eq!(said.iter().filter(|line| line.contains("getprop")).count(), 1, "one look: {said:#?}");
        assert!(said.iter().all(|line| !line.contains("package")), "{said:#?}");
        assert_eq!(devices(&seen).with(|book| book.devices()).await.unwrap()[0].address, "");
        // Whoever means what is there now names it.
        seen.bench.send(BenchCommand::Add(address.clone()));
        let other = seen.any_named("ready").await;
        assert_ne!(other, card);
    }
}

/// Whoever waits for the tap does not wait in vain when a better way turns up, and is told what is wanted.
#[tokio::test]
async fn waiting_for_the_tap_keeps_nobody_from_anything() {
    let bus = Arc::new(SimBus::default());
    let options = Options { allow: Allow::ByHand, ..Options::default() };
    let phone = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    let mut seen = Seen::start(Arc::clone(&bus), SimNetwork::default(), &[&phone]);
    let card = seen.any_named("awaiting-tap").await;
    while phone.dialogs() < 1 {
        tokio::task::yield_now().await;
    }
    // The link is closed meanwhile.
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Close(Closing::default())));
    seen.until(|e| matches!(e, BenchEvent::Session(_, SessionEvent::Closed(_))).then_some(())).await;
    assert_eq!(phone.dialogs(), 1);
    // Wanted again, and allowed at last.
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    seen.named(card, "awaiting-tap").await;
    while phone.dialogs() < 2 {
        tokio::task::yield_now().await;
    }
    phone.allow();
    seen.named(card, "ready").await;
}

/// A dialog that was refused is not opened again and again on the device.
#[tokio::test]
async fn a_refused_dialog_is_opened_again_only_when_somebody_wants_it() {
    let bus = Arc::new(SimBus::default());
    let options = Options { allow: Allow::Never, ..Options::default() };
    let phone = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    bus.plug(&phone);
    let mut seen = Seen::with(bus, SimNetwork::default(), &[], |workplace| {
        workplace.patience.pause = Duration::from_millis(5);
        workplace.limits.tap = Duration::from_millis(100);
    });
    let card = seen.any_named("not-authorised").await;
    tokio::time::sleep(Duration::from_millis(500)).await;
    assert_eq!(phone.dialogs(), 1);
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    seen.named(card, "awaiting-tap").await;
    seen.named(card, "not-authorised").await;
    assert_eq!(phone.dialogs(), 2);
}

#[tokio::test]
async fn the_second_switch_is_noticed_when_it_is_switched() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::lost_phone(), 1).await;
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, _) = seen.facts().await;
    seen.named(card, "second-switch").await;
    phone.act(OwnerAction::SecondSwitch(true)).await.unwrap();
    seen.until(|e| match e {
        BenchEvent::Session(_, SessionEvent::Ladder(l)) => {
            (l.standing(Rung::Changes) == RungStatus::Holds).then_some(())
        }
        _ => None,
    })
    .await;
    // Nothing was sent for it but questions.
    let changing = ["uninstall", "enable", "disable", "default-state", "settings put"];
    assert!(
        phone.transcript().iter().all(|line| changing.iter().all(|word| !line.contains(word))),
        "{:#?}",
        phone.transcript()
    );
}

#[tokio::test]
async fn pairing_by_code_and_by_qr_ends_in_a_link() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let go = announced(Scenario::seventh_hand(), &network).await;
    let mut seen = Seen::start(bus, network, &[]);
    let card = seen.any_named("not-paired").await;
    seen.bench.send(BenchCommand::ShowQr);
    let text =
        seen.until(|e| if let BenchEvent::Pairing(PairNews::Show(t)) = e { Some(t.clone()) } else { None }).await;
    go.act(OwnerAction::Scan(text)).await.unwrap();
    let name = seen.until(|e| if let BenchEvent::Paired(done) = e { Some(done.clone()) } else { None }).await.unwrap();
    assert_eq!(name, go.instance());
    seen.named(card, "ready").await;
    // Wireless debugging off and on again: another port, the same card.
    go.act(OwnerAction::WirelessDebugging(false)).await.unwrap();
    seen.named(card, "lost").await;
    go.act(OwnerAction::WirelessDebugging(true)).await.unwrap();
    seen.named(card, "ready").await;
    assert!(seen.network.seen().borrow().len() == 1 && !seen.bus.is_plugged("TG-70007-7"));
}

#[tokio::test]
async fn staying_awake_is_put_back_when_the_link_is_closed() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let tablet = device(Scenario::desk_tablet(), 1).await;
    bus.plug(&tablet);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, facts) = seen.facts().await;
    seen.named(card, "ready").await;
    let awake = |e: &BenchEvent| match e {
        BenchEvent::Session(_, SessionEvent::Details(d)) => d.vitals.stays_awake,
        _ => None,
    };
    seen.bench.send(BenchCommand::Session(card, SessionCommand::StayAwake(true)));
    seen.until(|e| (awake(e) == Some(7)).then_some(())).await;
    let close = SessionCommand::Close(Closing { switch_off: true, forget: true, ..Closing::default() });
    seen.bench.send(BenchCommand::Session(card, close));
    let steps = seen
        .until(|e| match e {
            BenchEvent::Session(_, SessionEvent::Closed(steps)) => Some(steps.clone()),
            _ => None,
        })
        .await;
    let done: Vec<_> = steps.iter().map(|s| (s.what.as_str(), s.done)).collect();
    assert_eq!(
        done,
        [
            ("stay-awake back to 0", true),
            ("wireless debugging off", true),
            ("USB debugging off", true),
            ("forget the device here", true)
        ]
    );
    let known = seen.workplace.book.with(|book| book.devices()).await.unwrap();
    assert!(known.iter().any(|d| d.facts.id == facts.id && d.forgotten && d.awake_before.is_none()));
    assert!(tablet.transcript().iter().any(|l| l.contains("stay_on_while_plugged_in 0")));
}

#[tokio::test]
async fn a_device_that_hangs_slows_no_other() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let hanging = device(Scenario::desk_tablet(), 1).await;
    hanging.set_fault(Fault::Mute);
    let well = device(Scenario::crew_phone(), 2).await;
    bus.plug(&hanging);
    bus.plug(&well);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, facts) = seen.facts().await;
    assert_eq!(facts.model.as_str(), "Tarn 5");
    seen.named(card, "ready").await;
}

#[tokio::test]
async fn a_device_in_recovery_says_so_and_is_linked_when_it_has_started() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let mut scenario = Scenario::crew_phone();
    scenario.protocol.mode = "recovery".into();
    let recovery = device(scenario, 1).await;
    bus.plug(&recovery);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, advice) = seen
        .until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Ladder(l)) if l.name() == "not-android" => {
                Some((*card, l.trouble.clone().unwrap()))
            }
            _ => None,
        })
        .await;
    assert!(advice.seen.contains("recovery") && advice.words.contains("Start the device"), "{advice:?}");
    assert!(!recovery.transcript().iter().any(|l| l.contains("getprop")), "it is asked nothing");
    bus.unplug("CT5-0417-2291");
    let phone = device(Scenario::crew_phone(), 2).await;
    bus.plug(&phone);
    let _ = card;
    let (card, _) = seen.facts().await;
    seen.named(card, "ready").await;
}

#[tokio::test]
async fn nothing_can_be_done_on_a_closed_link_until_it_is_asked_for_again() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, _) = seen.facts().await;
    seen.named(card, "ready").await;
    let tell = |seen: &Seen, command| seen.bench.send(BenchCommand::Session(card, command));
    tell(&seen, SessionCommand::Close(Closing::default()));
    let steps = seen
        .until(|e| match e {
            BenchEvent::Session(_, SessionEvent::Closed(steps)) => Some(steps.clone()),
            _ => None,
        })
        .await;
    assert!(steps.is_empty(), "nothing had to be changed: {steps:?}");
    let asked = phone.transcript().len();
    tell(&seen, SessionCommand::StayAwake(true));
    tell(&seen, SessionCommand::CarryOn(RunId::new(1)));
    let why = seen
        .until(|e| match e {
            BenchEvent::Session(_, SessionEvent::RunEnded(why)) => Some(why.clone()),
            _ => None,
        })
        .await;
    assert!(why.unwrap().contains("nothing was sent"));
    assert_eq!(phone.transcript().len(), asked);
    tell(&seen, SessionCommand::Survey);
    seen.named(card, "ready").await;
}

#[tokio::test]
async fn a_phone_without_debugging_has_a_card_that_says_what_to_do_and_is_linked_when_it_is_switched_on() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    phone.act(OwnerAction::UsbDebugging(false)).await.unwrap();
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[]);
    let (card, trouble) = seen
        .until(|e| match e {
            BenchEvent::Session(card, SessionEvent::Ladder(l)) if l.name() == "debugging-off" => {
                Some((*card, l.trouble.clone().unwrap()))
            }
            _ => None,
        })
        .await;
    assert_eq!(trouble.rung, Rung::Interface);
    assert!(trouble.words.contains("USB debugging"), "{}", trouble.words);
    phone.act(OwnerAction::UsbDebugging(true)).await.unwrap();
    seen.named(card, "ready").await;
    phone.act(OwnerAction::UsbDebugging(false)).await.unwrap();
    seen.named(card, "debugging-off").await;
}

#[tokio::test]
async fn a_run_goes_on_by_address_when_the_cable_is_pulled_in_the_middle() {
    let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
    let phone = device(Scenario::crew_phone(), 1).await;
    bus.plug(&phone);
    let mut seen = Seen::start(Arc::clone(&bus), network, &[&phone]);
    // Met in both places, it has both ways.
    let card = seen
        .until(|e| match e {
            BenchEvent::Routes(card, routes) if routes.len() == 2 => Some(*card),
            _ => None,
        })
        .await;
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Survey));
    let inventory = seen.inventory(card).await;
    let ids = ["com.corvane.notes", "com.corvane.radio", "com.corvane.mirror", "com.corvane.tips"];
    let plan = plan_of(&ids, &inventory);
    phone.set_fault(Fault::Latency(Duration::from_millis(30)));
    seen.bench.send(BenchCommand::Session(card, SessionCommand::Run(RunKind::TakeOut, plan)));
    seen.until(|e| {
        let done = |event: &StepEvent| matches!(event, StepEvent::Settled { outcome: Outcome::Done, .. });
        matches!(e, BenchEvent::Session(_, SessionEvent::Run(RunNews::Step(_, event))) if done(event)).then_some(())
    })
    .await;
    bus.unplug("CT5-0417-2291");
    let why = seen
        .until(|e| match e {
            BenchEvent::Session(_, SessionEvent::RunEnded(why)) => Some(why.clone()),
            _ => None,
        })
        .await;
    assert_eq!(why, None);
    assert!(ids.iter().all(|id| phone.holds(id, 0) == Some((false, 0))), "all of them, each once");
}
