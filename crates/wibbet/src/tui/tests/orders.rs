//! Orders on the screen: made, held against devices, sent to several, and the line.

use super::*;
use std::path::PathBuf;
use wibbet_bench::orders::HeldOrder;
use wibbet_bench::run::Control;
use wibbet_bench::run::{SettingBack, SettingFate, SettingHeld};
use wibbet_bench::session::OrderOver;
use wibbet_core::order::{Applied, Order, apply, read_order};
use wibbet_core::plan::{StartOutlook, plan_tray};
use wibbet_core::run::{SettingChange, SettingState, StepEvent, settings_to_put_back};
use wibbet_types::{StepIndex, Timestamp};

use crate::tui::app::OrderFile;

const ORDER: &str = "[order]\nformat = 1\nname = \"Crew phones\"\npurpose = \"what nobody needs on board\"\n[[item]]\nid = \"com.android.music\"\nway = \"uninstall\"\n\
                     [[item]]\nid = \"com.corvane.cleaner\"\nway = \"disable\"\n[[item]]\nid = \"com.corvane.none\"\nway = \"disable\"\nnote = \"Nowhere\"\n\
                     [[item]]\nsearch = \"tides | calendar\"\nway = \"suspend\"\n";

fn order() -> Arc<Order> {
    Arc::new(read_order(ORDER).unwrap())
}

/// What it comes to on the phone of these tests.
fn held(stays: Option<&str>) -> Arc<HeldOrder> {
    let mut catalog = Catalog::new(Arc::new(inventory()));
    catalog.judge([0, 10].map(UserId::new));
    let capabilities = testing::capabilities(34);
    let applied = apply(&order(), &catalog, &testing::facts(), &capabilities, &Default::default());
    let mut planned = plan_tray(&catalog, &capabilities, &applied.tray(), &[], false, &Default::default());
    // Everything of it was read.
    planned.does.iter_mut().for_each(|(_, does)| does.start = StartOutlook::Expected);
    let applied = match stays {
        Some(why) => Applied { speaks_against: vec![why.to_owned()], ..applied },
        None => applied,
    };
    Arc::new(HeldOrder {
        applied,
        plan: planned.plan,
        does: planned.does,
        installs: Vec::new(),
        settings: Vec::new(),
        unread: None,
        stays: stays.map(str::to_owned),
    })
}

/// It is not to be carried out there after all.
fn let_go(card: usize) -> Effect {
    Effect::Bench(BenchCommand::Session(card, SessionCommand::HoldOrder(None)))
}

fn holds(effects: &[Effect]) -> Vec<usize> {
    let card = |effect: &Effect| match effect {
        Effect::Bench(BenchCommand::Session(card, SessionCommand::HoldOrder(Some(_)))) => Some(*card),
        _ => None,
    };
    effects.iter().filter_map(card).collect()
}

fn applies(effects: &[Effect]) -> Vec<usize> {
    let card = |effect: &Effect| match effect {
        Effect::Bench(BenchCommand::Session(card, SessionCommand::ApplyOrder(_))) => Some(*card),
        _ => None,
    };
    effects.iter().filter_map(card).collect()
}

impl Screen {
    /// With orders at hand: a right one, and a wrong one.
    fn with_orders(columns: u16, lines: u16) -> Self {
        let mut screen = Self::linked(columns, lines);
        screen.keys("A");
        assert!(screen.effects.contains(&Effect::ListOrders));
        let wrong = "line 3, column 7: “way” of item 1 cannot be used: “melt” is none of uninstall".to_owned();
        let files = vec![
            OrderFile { name: "crew.toml".into(), order: Ok(order()) },
            OrderFile { name: "wrong.toml".into(), order: Err(wrong) },
        ];
        screen.at_hand(files, None);
        screen.effects.clear();
        screen
    }

    /// These orders are at hand now.
    fn at_hand(&mut self, files: Vec<OrderFile>, made: Option<&str>) {
        let folder = PathBuf::from("/home/ines/orders");
        let effects =
            update(&mut self.model, Message::Orders { folder, files: Ok(files), made: made.map(str::to_owned) });
        self.take(effects);
    }

    /// A second phone, of which everything has been read.
    fn second(&mut self, card: usize) {
        self.card(card, "127.0.0.1:40002");
        let facts = DeviceFacts { id: testing::device_id("CT5-0002"), ..testing::facts() };
        self.bench(BenchEvent::Session(card, SessionEvent::Facts(Box::new(facts), testing::capabilities(34))));
        self.bench(BenchEvent::Session(card, SessionEvent::Inventory(Arc::new(inventory()))));
        self.bench(BenchEvent::Session(card, SessionEvent::Ladder(Box::new(ready()))));
    }
}

#[test]
fn an_order_is_held_against_devices_by_taps() {
    let mut screen = Screen::with_orders(45, 40);
    screen.tap("opens it");
    screen.second(1);
    screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderHeld(Ok(held(None)))));
    // All that the shapes mean is told, on as many lines as that takes.
    for words in ["▱▱▱ to send", "= is so already", "· not there"] {
        assert!(screen.shows(words), "{words}\n{}", screen.text());
    }
    let at =
        |screen: &Screen| screen.model.app.orders.work.as_ref().map(|work| (work.item_at, work.device_at)).unwrap();
    screen.tap("Nowhere");
    assert_eq!(at(&screen), (2, 0), "{}", screen.text());
    // A device is gone to by a tap, and left out by another.
    let heads = |screen: &Screen| screen.text().matches('■').count();
    assert_eq!(heads(&screen), 2);
    screen.tap("■");
    assert_eq!((at(&screen), heads(&screen)), ((2, 1), 2), "{}", screen.text());
    screen.tap("■");
    assert_eq!((at(&screen), heads(&screen)), ((2, 1), 1), "{}", screen.text());
    // By a remote control: to the sides are the words, among them one that goes to the next device.
    screen.drawn();
    screen.code(KeyCode::Right);
    assert!(screen.model.app.word.is_some());
    screen.drawn();
    screen.code(KeyCode::Enter);
    assert!(screen.shows("package uninstall --user 0"), "{}", screen.text());
    assert!(applies(&screen.effects).is_empty());
}

#[test]
fn an_order_is_shown_before_it_is_sent_and_followed_on_each_device() {
    let mut screen = Screen::with_orders(128, 40);
    assert!(screen.shows("Crew phones") && screen.shows("4 items") && screen.shows("▲ cannot be used"));
    screen.keys("_");
    assert!(screen.shows("“melt” is none of"), "{}", screen.text());
    screen.keys("\n");
    assert!(screen.shows("cannot be used as an order"), "{}", screen.text());
    screen.keys("^\n");
    assert_eq!(holds(&screen.effects), [0], "{}", screen.text());
    assert!(screen.shows("reading"), "{}", screen.text());
    // Whoever comes later is read too.
    screen.second(1);
    assert_eq!(holds(&screen.effects), [0, 1]);
    screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderHeld(Ok(held(None)))));
    let text = screen.text();
    for words in
        ["3 to do", "▱▱▱ to send", " =  is so already", " ·  not there", "2 to send", "what nobody needs on board"]
    {
        assert!(text.contains(words), "{words}\n{text}");
    }
    screen.effects.clear();
    screen.keys("s");
    assert!(screen.shows("package uninstall --user 0 com.android.music"), "{}", screen.text());
    assert!(screen.effects.is_empty(), "nothing is sent by showing it");
    screen.keys("\x1b");
    // Not on the second one; and what comes to be known while one reads is not sent unseen.
    screen.code(KeyCode::Right);
    screen.keys(" RRs");
    screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
    screen.keys("s");
    assert!(applies(&screen.effects).is_empty());
    screen.keys("ss");
    assert_eq!(applies(&screen.effects), [0]);
    let mut going = testing::run(7, &["com.android.music", "com.android.calendar", "fer.pellmoor.tides"]);
    going.order = "Crew phones".into();
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(going.clone()))));
    assert!(screen.shows("0 of 3"), "{}", screen.text());
    let settled = |outcome| StepEvent::Settled {
        outcome,
        after: None,
        remark: "Android itself protects this package".into(),
        at: Timestamp(9),
    };
    screen.effects.clear();
    screen.tell(SessionEvent::Run(RunNews::Step(StepIndex::new(0), settled(Outcome::Refused))));
    let stop = Effect::Bench(BenchCommand::Control(0, Control::Stop));
    assert_eq!(screen.effects, [stop], "all stop where something is refused, and one is at it");
    assert!(screen.shows(" ▲  refused"), "{}", screen.text());
    screen.code(KeyCode::Left);
    assert!(screen.shows("Android itself protects this package"), "why, of what the cursor is on: {}", screen.text());
    going.apply(StepIndex::new(0), &settled(Outcome::Refused));
    going.state = RunState::Stopped;
    screen.tell(SessionEvent::RunEnded(None));
    screen.tell(SessionEvent::OrderOver(OrderOver { run: Some(Arc::new(going)), ..OrderOver::default() }));
    assert!(screen.shows("▲ 0 of 3"), "{}", screen.text());
    // It stays at hand while one looks elsewhere, and is let go of on wish.
    screen.keys("\x1b3A");
    assert!(screen.shows("Order: Crew phones"), "{}", screen.text());
    screen.effects.clear();
    screen.keys("e");
    assert!(screen.effects.contains(&let_go(1)), "{:?}", screen.effects);
    assert!(screen.shows("cannot be used"), "{}", screen.text());
}

/// The line begins by itself on whatever comes, and on nothing that the order is not for.
#[test]
fn a_line_goes_on_to_whatever_is_plugged_in() {
    let mut screen = Screen::with_orders(128, 40);
    screen.keys("\n");
    screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
    screen.effects.clear();
    screen.keys("L");
    assert!(screen.shows("From now on the order is carried out on each device"), "{}", screen.text());
    assert!(applies(&screen.effects).is_empty());
    screen.keys("s");
    assert_eq!(applies(&screen.effects), [0]);
    assert!(screen.shows("Line: it is carried out"), "{}", screen.text());
    screen.second(1);
    screen.effects.clear();
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderHeld(Ok(held(Some("it is made by Ostrel"))))));
    assert_eq!((applies(&screen.effects), screen.effects.contains(&Effect::Ring)), (vec![], true));
    assert!(screen.shows("▲ not for it") && screen.shows("it is made by Ostrel"), "{}", screen.text());
    screen.effects.clear();
    screen.code(KeyCode::Right);
    screen.keys("r");
    // Nobody has looked at a device of which it is not known whether it starts afterwards.
    let mut unknown = (*held(None)).clone();
    unknown.does.iter_mut().for_each(|(_, does)| does.start = StartOutlook::NotKnown);
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderHeld(Ok(Arc::new(unknown)))));
    assert!(applies(&screen.effects).is_empty() && screen.shows("whether the device starts"), "{}", screen.text());
    screen.keys("r");
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderHeld(Ok(held(None)))));
    assert_eq!(applies(&screen.effects), [1]);
    let done = Run {
        state: RunState::Finished,
        steps: vec![testing::settled(0, "com.android.music", Outcome::Done)],
        ..testing::run(8, &[])
    };
    let over = OrderOver { run: Some(Arc::new(done)), whole: true, ..OrderOver::default() };
    screen.bench(BenchEvent::Session(1, SessionEvent::RunEnded(None)));
    screen.bench(BenchEvent::Session(1, SessionEvent::OrderOver(over)));
    assert!(screen.shows("1 of 1 done and read back") && screen.shows("all 1 done"), "{}", screen.text());
    screen.keys("L");
    assert!(screen.shows("Nothing is begun by itself any more"), "{}", screen.text());
}

#[test]
fn an_order_is_made_of_what_is_chosen_and_of_runs() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("Am");
    assert!(screen.shows("There is nothing to make an order of"), "{}", screen.text());
    screen.keys("\x1b2_ A");
    screen.tell(SessionEvent::Runs(Arc::new(vec![run([
        Some(Outcome::Done),
        Some(Outcome::Refused),
        Some(Outcome::Done),
    ])])));
    screen.keys("m");
    assert!(screen.shows("What is chosen on Corvane Tarn 5") && screen.shows("Run 7 on"), "{}", screen.text());
    screen.keys("_");
    assert!(screen.shows("called  Run 7 on Corvane Tarn 5"), "the name follows: {}", screen.text());
    screen.keys("^");
    for _ in 0..40 {
        screen.code(KeyCode::Backspace);
    }
    screen.keys("Piers/North\n");
    let kept = screen.effects.iter().find_map(|effect| match effect {
        Effect::KeepOrder(name, text) => Some((name.clone(), text.clone())),
        _ => None,
    });
    let (name, text) = kept.unwrap_or_else(|| panic!("{:?}\n{}", screen.effects, screen.text()));
    assert_eq!(name, "piers-north", "no name leads out of the folder");
    let order = read_order(&text).unwrap();
    assert_eq!((order.name.as_str(), order.items.len()), ("Piers/North", 1));
    assert_eq!(order.items[0].holds.as_ref().map(std::collections::BTreeSet::len), Some(0));
    // It is under the cursor, whatever else stands before it, and stays there.
    let file = |name: &str, order: &Order| OrderFile { name: name.into(), order: Ok(Arc::new(order.clone())) };
    let other = Order { name: "Boats".into(), ..order.clone() };
    screen.at_hand(vec![file("boats.toml", &other), file("piers-north.toml", &order)], Some("piers-north.toml"));
    let anew = vec![file("anchors.toml", &other), file("boats.toml", &other), file("piers-north.toml", &order)];
    screen.at_hand(anew, None);
    screen.keys("\n");
    assert!(screen.shows("Order: Piers/North"), "{}", screen.text());
}

#[test]
fn an_order_fits_small_screens_and_many_devices() {
    for (columns, lines) in [(80, 24), (100, 30), (160, 45), (46, 40)] {
        let mut screen = Screen::with_orders(columns, lines);
        screen.keys("\n");
        screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
        for card in 1..32 {
            screen.second(card);
            screen.bench(BenchEvent::Session(card, SessionEvent::OrderHeld(Ok(held(None)))));
        }
        let text = screen.text();
        assert!(text.contains("▱▱▱") && text.contains("Tarn 5"), "{text}");
        assert!(text.lines().all(|line| width(line) <= usize::from(columns)), "{text}");
        assert!(text.contains("of 32"), "{text}");
        screen.keys(&"l".repeat(40));
        assert!(screen.shows("–32 of 32"), "{}", screen.text());
    }
    let mut screen = Screen::with_orders(128, 40);
    screen.keys("\n");
    screen.tell(SessionEvent::OrderHeld(Ok(held(None))));
    screen.second(1);
    insta::assert_snapshot!("order_128x40", screen.text());
}

/// What an order installs and sets stands in the matrix with what becomes of it, and goes back from the shelf.
#[test]
fn what_an_order_installs_and_sets_stands_there_too() {
    let more = "[[install]]\nfile = \"apps/pier-keys.apk\"\n[[setting]]\ntable = \"global\"\nname = \"window_animation_scale\"\nvalue = \"0.5\"\n\
                [[setting]]\ntable = \"system\"\nname = \"screen_off_timeout\"\nvalue = \"120000\"\nnote = \"Two minutes\"\n";
    let order = Arc::new(read_order(&format!("{ORDER}{more}")).unwrap());
    let mut screen = Screen::with_orders(128, 40);
    screen.at_hand(vec![OrderFile { name: "crew.toml".into(), order: Ok(Arc::clone(&order)) }], None);
    screen.keys("\n");
    let setting = |of: usize| order.settings[of].setting.clone();
    let one = |of: usize, fate| SettingHeld {
        of,
        user: Some(UserId::OWNER),
        setting: setting(of),
        wanted: order.settings[of].value.clone(),
        note: String::new(),
        fate,
    };
    let mut full = (*held(None)).clone();
    full.installs = vec![testing::id("fer.pellmoor.keys")];
    full.settings = vec![one(0, SettingFate::Goes(None)), one(1, SettingFate::AlreadySo)];
    screen.tell(SessionEvent::OrderHeld(Ok(Arc::new(full.clone()))));
    for words in [
        "install pier-keys.apk",
        "window_animation_scale 0.5",
        "Two minutes",
        "4 to do",
        "is installed before anything goes",
    ] {
        assert!(screen.shows(words), "{words}\n{}", screen.text());
    }
    for _ in 0..5 {
        screen.code(KeyCode::Down);
    }
    assert!(screen.shows("global window_animation_scale is set to 0.5, when the packages"), "{}", screen.text());
    assert!(screen.shows("not set → 0.5  (settings put global window_animation_scale 0.5)"), "{}", screen.text());
    screen.keys("s");
    assert!(screen.shows("⟩ settings put global window_animation_scale 0.5"), "{}", screen.text());
    assert!(!screen.shows("⟩ settings --user 0 put system"), "what is so already is not sent");
    screen.keys("s");
    let change = SettingChange {
        number: 1,
        device: testing::facts().id,
        run: Some(RunId::new(7)),
        order: "Crew phones".into(),
        note: String::new(),
        user: UserId::OWNER,
        setting: setting(0),
        before: None,
        wanted: Some("0.5".into()),
        state: SettingState::NotDone,
        remark: "the device left it as it was".into(),
        at: Timestamp(9),
        undoes: false,
        back: None,
    };
    let over = OrderOver {
        settings: vec![change.clone()],
        trouble: Some("not set: window_animation_scale".into()),
        ..OrderOver::default()
    };
    screen.tell(SessionEvent::RunEnded(None));
    screen.tell(SessionEvent::OrderOver(over));
    assert!(screen.shows(" ▲  refused") && screen.shows("the device left it as it was"), "{}", screen.text());
    // Back, with what was so before.
    screen.keys("\x1b4.e");
    let ask = |put_back| Effect::Bench(BenchCommand::Session(0, SessionCommand::Settings { put_back }));
    assert_eq!(screen.effects.last(), Some(&ask(false)));
    assert!(screen.shows("The device is being read"), "{}", screen.text());
    let so = SettingChange { state: SettingState::Done, ..change };
    screen.effects.clear();
    screen.keys("s");
    assert!(screen.effects.is_empty(), "nothing is known to be put back yet");
    screen.tell(SessionEvent::Settings(Ok((vec![so.clone()], None))));
    assert!(
        screen.shows("0.5 → not set") && screen.shows("⟩ settings delete global window_animation_scale"),
        "{}",
        screen.text()
    );
    screen.keys("s");
    assert_eq!(screen.effects, [ask(true)]);
    let goal = settings_to_put_back(std::slice::from_ref(&so)).remove(0);
    let back = SettingBack { goal, done: true, why: String::new() };
    let gone = SettingChange { back: Some(Timestamp(10)), ..so };
    screen.tell(SessionEvent::Settings(Ok((vec![gone], Some(vec![back])))));
    assert!(screen.shows("✓ global window_animation_scale: is not set again"), "{}", screen.text());
    screen.tell(SessionEvent::Settings(Err("there is no link to the device; nothing was sent".into())));
    assert!(screen.shows("▲ there is no link"), "{}", screen.text());
    screen.keys("\x1b");
    assert!(!screen.shows("Settings that orders"), "{}", screen.text());
}
