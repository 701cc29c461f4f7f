//! The screen without a terminal: keys and events in, cells and effects out.

use std::collections::BTreeMap;
use std::sync::Arc;

use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use proptest::prelude::*;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use wibbet_bench::around::Route;
use wibbet_bench::fleet::{BenchCommand, BenchEvent};
use wibbet_bench::ops::{Details, PairNews};
use wibbet_bench::run::RunNews;
use wibbet_bench::session::{CloseStep, SessionCommand, SessionEvent};
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::device::{Battery, DeviceFacts, DeviceKind, User, UserKind, Vitals};
use wibbet_core::link::{Advice, Ladder, LinkTrouble, Rung, RungStatus};
use wibbet_core::package::{Enabled, Inventory, Package, PackageKind, PackageState};
use wibbet_core::plan::Change;
use wibbet_core::run::{Outcome, Run, RunKind, RunState, Step, StepState};
use wibbet_types::{AndroidVersion, PlainText, Timestamp, UserId};

use super::message::{Effect, Message};
use super::update::update;
use super::views;
use crate::tui::app::{Model, RunPane, Window};
use crate::tui::keys::View;
use crate::tui::widgets::{Depth, Theme};

const IN: PackageState = PackageState::IN_USE;
const OUT: PackageState = PackageState { installed: false, ..IN };
const OFF: PackageState = PackageState { enabled: Enabled::DisabledUser, ..IN };

pub(super) fn inventory() -> Inventory {
    let users = vec![
        User { id: UserId::new(0), name: "Crew".into(), kind: UserKind::Owner, running: true, unlocked: Some(true) },
        User {
            id: UserId::new(10), name: "作業用".into(), kind: UserKind::Work, running: true, unlocked: Some(true)
        },
    ];
    let package = |(id, kind, path, states): (&str, PackageKind, &str, [PackageState; 2])| {
        let id: wibbet_types::PackageId = id.parse().unwrap();
        let states: BTreeMap<_, _> = users.iter().map(|u| u.id).zip(states).collect();
        (id.clone(), Package { path: path.parse().ok(), version: "14".into(), ..Package::bare(id, kind, states) })
    };
    let packages = [
        ("android", PackageKind::System, "/system/framework/framework-res.apk", [IN, IN]),
        ("com.android.calendar", PackageKind::System, "/product/app/Calendar", [IN, OUT]),
        ("com.android.music", PackageKind::System, "/product/app/Music", [IN, IN]),
        ("com.android.webview", PackageKind::UpdatedSystem, "/data/app/webview-1", [IN, IN]),
        ("com.corvane.cleaner", PackageKind::System, "/product/app/CorvaneCleaner", [OFF, IN]),
        ("com.corvane.usermanual", PackageKind::System, "/product/app/CorvaneManual", [OUT, IN]),
        ("fer.pellmoor.tides", PackageKind::User, "/data/app/fer.pellmoor.tides-1", [IN, PackageState::ABSENT]),
    ];
    Inventory { packages: packages.map(package).into(), users, gaps: Vec::new() }
}

fn facts() -> DeviceFacts {
    DeviceFacts {
        id: "CT5-0417-2291".parse().unwrap(),
        serial: "CT5-0417-2291".parse().unwrap(),
        kind: DeviceKind::Phone,
        build: "CTN5.14.0922".into(),
        android_id: None,
        maker: "Corvane".into(),
        model: "Tarn 5".into(),
        android: AndroidVersion::new(34, "14"),
        patch: "2026-09-05".into(),
    }
}

fn run(outcomes: [Option<Outcome>; 3]) -> Run {
    let ids = ["com.android.calendar", "com.android.music", "com.corvane.cleaner"];
    let steps = ids.iter().zip(outcomes).enumerate().map(|(place, (id, outcome))| Step {
        place,
        id: id.parse().unwrap(),
        user: UserId::OWNER,
        way: if place == 1 { Change::Disable } else { Change::Uninstall },
        words: format!("package uninstall --user 0 {id}"),
        before: IN,
        state: if outcome.is_some() { StepState::Settled } else { StepState::Sent },
        answer: Some(PlainText::new("Success")),
        after: outcome.map(|o| if o == Outcome::Done { OUT } else { IN }),
        outcome,
        settled: None,
        remark: if outcome == Some(Outcome::Refused) {
            "Android itself protects this package".into()
        } else {
            String::new()
        },
    });
    let state = if outcomes.iter().all(Option::is_some) { RunState::Finished } else { RunState::Open };
    let serial = facts().serial;
    // 23 November 2026, 09:07 UTC.
    let time = Timestamp(1_795_424_820_000);
    Run { number: 7, serial, kind: RunKind::TakeOut, state, begun: time, touched: time, steps: steps.collect() }
}

fn ready() -> Ladder {
    let mut ladder = Ladder::default();
    ladder.climb(Rung::Service, "it told of 7 packages");
    ladder.note(Rung::Changes, RungStatus::Holds, "com.android.htmlviewer could be set to the state that it is in");
    ladder.note(Rung::Started, RungStatus::Holds, "sys.boot_completed is 1");
    ladder.surveyed = true;
    ladder
}

pub(super) struct Screen {
    pub(super) model: Model,
    pub(super) effects: Vec<Effect>,
}

impl Screen {
    pub(super) fn empty(columns: u16, lines: u16) -> Self {
        let model = Model::new(true, (columns, lines), jiff::tz::TimeZone::UTC);
        let mut screen = Self { model, effects: Vec::new() };
        screen.card(0, "127.0.0.1:40001");
        screen
    }

    pub(super) fn linked(columns: u16, lines: u16) -> Self {
        let mut screen = Self::empty(columns, lines);
        let offered = DaemonFeatures { abb: true, abb_exec: true, cmd: true };
        screen.tell(SessionEvent::Facts(Box::new(facts()), Capabilities::new(34, offered)));
        screen.tell(SessionEvent::Inventory(Arc::new(inventory())));
        screen.tell(SessionEvent::Ladder(Box::new(ready())));
        screen
    }

    /// A device turns up.
    pub(super) fn card(&mut self, card: usize, address: &str) {
        self.bench(BenchEvent::Card { card, name: address.to_owned(), facts: None });
        self.bench(BenchEvent::Routes(card, vec![Route::Address(address.to_owned())]));
    }

    pub(super) fn bench(&mut self, event: BenchEvent) {
        self.effects.extend(update(&mut self.model, Message::Bench(event)));
    }

    pub(super) fn tell(&mut self, event: SessionEvent) {
        self.bench(BenchEvent::Session(0, event));
    }

    pub(super) fn code(&mut self, code: KeyCode) {
        let event = Event::Key(KeyEvent::new(code, KeyModifiers::NONE));
        self.effects.extend(update(&mut self.model, Message::Terminal(event)));
    }

    /// Types characters; `\n` is Enter and `\x1b` is Esc.
    pub(super) fn keys(&mut self, keys: &str) {
        for c in keys.chars() {
            self.code(match c {
                '\n' => KeyCode::Enter,
                '\x1b' => KeyCode::Esc,
                '\t' => KeyCode::Tab,
                '^' => KeyCode::Up,
                '_' => KeyCode::Down,
                c => KeyCode::Char(c),
            });
        }
    }

    pub(super) fn text(&self) -> String {
        let (columns, lines) = self.model.size;
        let mut terminal = Terminal::new(TestBackend::new(columns, lines)).unwrap();
        terminal.draw(|frame| views::draw(&self.model, &Theme::new(Depth::Full), frame)).unwrap();
        let shown = terminal.backend().to_string();
        shown.lines().map(|l| l.trim_matches('"').trim_end()).collect::<Vec<_>>().join("\n")
    }

    pub(super) fn shows(&self, text: &str) -> bool {
        self.text().contains(text)
    }
}

#[test]
fn the_views_at_their_sizes() {
    let mut screen = Screen::linked(100, 30);
    insta::assert_snapshot!("bench_100x30", screen.text());
    screen.keys("2/music\n ");
    screen.keys("/\x1bw");
    insta::assert_snapshot!("packages_100x30", screen.text());
    screen.model.size = (160, 45);
    screen.model.details = true;
    insta::assert_snapshot!("packages_160x45", screen.text());
    screen.model.size = (50, 20);
    insta::assert_snapshot!("packages_50x20", screen.text());
    screen.model.size = (80, 24);
    screen.keys("\nv");
    insta::assert_snapshot!("plan_80x24", screen.text());
    let done = run([Some(Outcome::Done), Some(Outcome::Refused), Some(Outcome::Unsettled)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(done.clone()))));
    screen.tell(SessionEvent::Runs(Arc::new(vec![done.clone()])));
    insta::assert_snapshot!("run_80x24", screen.text());
    screen.keys("4");
    insta::assert_snapshot!("shelf_80x24", screen.text());
    update(&mut screen.model, Message::Log(Ok(vec![done])));
    screen.keys("5");
    insta::assert_snapshot!("logbook_80x24", screen.text());
}

#[test]
fn a_missing_rung_says_what_to_do() {
    let mut screen = Screen::empty(100, 30);
    let mut ladder = Ladder::default();
    let advice = "Unlock the device and tap “Allow”.".to_owned();
    ladder.fall(LinkTrouble::with(Rung::Authorised, Advice::Allow, "it asks", advice));
    screen.tell(SessionEvent::Ladder(Box::new(ladder)));
    assert!(screen.shows("Unlock the device and tap “Allow”.") && screen.shows("waiting for “Allow” on the device"));
    for (columns, lines) in [(80, 24), (50, 20), (42, 16)] {
        screen.model.size = (columns, lines);
        assert!(screen.shows("Unlock the device and tap"), "{columns}x{lines}\n{}", screen.text());
    }
}

/// The whole job by keys: search, mark, plan, send, put one back.
#[test]
fn nothing_is_sent_before_it_was_shown_and_asked_for() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("\n/calend\n /\x1b/music\nw/\x1b");
    let tray: Vec<(String, Change)> = screen.model.devices[0].tray.iter().map(|i| (i.id.to_string(), i.way)).collect();
    assert_eq!(
        tray,
        [("com.android.calendar".into(), Change::Uninstall), ("com.android.music".into(), Change::Disable)]
    );
    screen.keys("s");
    assert!(screen.effects.is_empty(), "s sends only what is shown");
    screen.keys("\n");
    assert!(screen.shows("Nothing has been sent yet") && screen.shows("2 to send"));
    screen.keys("\n\n");
    assert!(screen.effects.is_empty(), "Enter never sends");
    screen.keys("v");
    assert!(screen.shows("⟩ package uninstall --user 0 com.android.calendar"));
    screen.keys("s");
    let [Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(RunKind::TakeOut, plan)))] =
        screen.effects.as_slice()
    else {
        panic!("{:?}", screen.effects)
    };
    assert_eq!(plan.to_send(), 2);
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1, "a second s sends nothing");
    assert!(screen.model.devices[0].tray.is_empty());

    let done = run([Some(Outcome::Done), Some(Outcome::Done), Some(Outcome::Refused)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(done.clone()))));
    screen.tell(SessionEvent::Run(RunNews::States(
        "com.android.calendar".parse().unwrap(),
        BTreeMap::from([(UserId::OWNER, OUT)]),
    )));
    screen.tell(SessionEvent::Runs(Arc::new(vec![done])));
    screen.tell(SessionEvent::RunEnded(None));
    assert!(screen.shows("2 of 3 done and read back"));
    screen.keys("4b");
    assert!(screen.shows("Plan: put back") && screen.shows("reinstall"));
    screen.keys("s");
    assert!(
        matches!(screen.effects.last(), Some(Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(RunKind::PutBack, plan)))) if plan.to_send() == 1)
    );
}

#[test]
fn what_has_no_way_back_needs_a_word_of_its_own() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/tides\n \n");
    assert!(screen.shows("not sent: it could not be put back from here"));
    screen.keys("s");
    assert!(screen.effects.is_empty());
    screen.keys("d");
    assert!(screen.shows("disable") && screen.shows("1 to send"));
    screen.keys("\x1b2w");
    assert_eq!(
        screen.model.devices[0].tray[0].way,
        Change::Uninstall,
        "the tray followed the plan, and w goes on from there"
    );
    screen.keys("\no");
    assert!(screen.shows("no way back: it is not part of the system"));
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1);
}

#[test]
fn marks_are_for_one_user_and_can_be_undone() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2u/calend\n ");
    assert!(screen.model.devices[0].tray.is_empty());
    assert!(screen.shows("is uninstalled for user 10 作業用; there is nothing to take out"));
    screen.keys("u ");
    assert_eq!(screen.model.devices[0].tray[0].user, UserId::OWNER);
    screen.keys("/\x1b:mark all found\n");
    assert_eq!(
        screen.model.devices[0].tray.len(),
        1,
        "without a search everything is found; that is not marked at once"
    );
    screen.keys("/android\nm");
    assert_eq!(screen.model.devices[0].tray.len(), 4);
    screen.keys("z");
    assert_eq!(screen.model.devices[0].tray.len(), 1);
    screen.keys("zz");
    assert!(screen.model.devices[0].tray.is_empty());
}

#[test]
fn a_run_that_goes_on_is_not_lost_by_leaving_it() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2 \ns");
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(run([Some(Outcome::Done), None, None])))));
    screen.keys("2");
    screen.keys(" \n");
    assert!(matches!(screen.model.devices[0].pane, RunPane::Shown(_)), "a plan does not take a going run's place");
    screen.keys("q");
    assert!(screen.shows("A run is going on"));
    screen.keys("n");
    assert!(!screen.effects.contains(&Effect::Quit));
    screen.keys("x");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::StopRun(0))));
    screen.tell(SessionEvent::RunEnded(Some("the link went".into())));
    assert!(screen.shows("the link went"));
}

#[test]
fn a_plan_that_could_not_be_begun_is_there_again() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2_ \ns");
    assert!(screen.shows("Looking at the device before anything is sent"));
    screen.tell(SessionEvent::RunEnded(Some("another Wibbet is at work on the device".into())));
    assert!(screen.shows("Nothing has been sent yet") && screen.shows("another Wibbet"));
    assert_eq!(screen.model.devices[0].tray.len(), 1);
    screen.keys("s");
    assert_eq!(screen.effects.len(), 2);
}

#[test]
fn what_was_refused_can_be_tried_another_way() {
    let mut screen = Screen::linked(128, 40);
    let refused = run([Some(Outcome::Done), Some(Outcome::Refused), Some(Outcome::NoEffect)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(refused))));
    screen.keys("3d");
    let tray: Vec<(&str, Change)> = screen.model.devices[0].tray.iter().map(|i| (i.id.as_str(), i.way)).collect();
    assert_eq!(tray, [("com.corvane.cleaner", Change::Disable)], "disabling what could not be disabled leads nowhere");
    assert!(screen.shows("Plan: take out") && screen.effects.is_empty());
}

#[test]
fn an_interrupted_run_is_offered() {
    let mut screen = Screen::linked(128, 40);
    let mut left = run([Some(Outcome::Done), None, None]);
    left.state = RunState::Stopped;
    screen.tell(SessionEvent::Runs(Arc::new(vec![left])));
    assert!(screen.shows("run 7 is unfinished: c carries it on"));
    screen.keys("c");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Session(0, SessionCommand::CarryOn(7)))));
    assert_eq!(screen.model.view, View::Run);
}

#[test]
fn devices_are_added_by_address() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("anonsense\n");
    assert!(screen.shows("an address is HOST:PORT"));
    screen.keys("\x1ba192.0.2.7:5555\n");
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Add("192.0.2.7:5555".into()))]);
    screen.card(3, "192.0.2.7:5555");
    assert_eq!(screen.model.current, 1, "what was added is turned to");
    screen.keys("a127.0.0.1:40001\n");
    assert_eq!((screen.effects.len(), screen.model.current), (1, 0));
}

/// A device as it tells of itself, with something to be warned of.
fn details() -> Details {
    let vitals = Vitals {
        started: Some(true),
        current_user: Some(UserId::OWNER),
        stays_awake: Some(0),
        battery: Some(Battery { percent: 87, powered: true }),
        managed: vec![wibbet_core::device::Managed {
            user: Some(UserId::new(10)),
            package: "com.pellmoor.work".parse().unwrap(),
        }],
        ..Vitals::default()
    };
    Details { vitals, ..Details::default() }
}

#[test]
fn cards_come_and_go_and_the_cursor_stays_on_its_device() {
    let mut screen = Screen::linked(128, 40);
    screen.card(4, "192.0.2.4:5555");
    screen.card(5, "192.0.2.5:5555");
    screen.keys("nn");
    assert_eq!(screen.model.device().unwrap().card, 5);
    screen.bench(BenchEvent::Gone(4));
    assert_eq!(screen.model.device().unwrap().card, 5);
    screen.bench(BenchEvent::Gone(5));
    assert_eq!(screen.model.device().unwrap().card, 0);
    screen.bench(BenchEvent::Gone(0));
    assert!(screen.shows("The bench is empty."));
    screen.keys("g");
    assert!(screen.shows("tap the build or OS version line seven times"));
}

#[test]
fn the_card_tells_what_the_device_is_and_warns() {
    let mut screen = Screen::linked(128, 40);
    screen.tell(SessionEvent::Details(Box::new(details())));
    for text in [
        "battery 87 %, charging",
        "▲ user 10 is managed by com.pellmoor.work",
        "com.android.htmlviewer could be set",
        "on the screen",
    ] {
        assert!(screen.shows(text), "{text}\n{}", screen.text());
    }
    // The second switch blocks changes, and nothing else.
    let mut ladder = ready();
    ladder.fall(LinkTrouble::new(Rung::Changes, Advice::SecondSwitch, "it refused"));
    screen.tell(SessionEvent::Ladder(Box::new(ladder)));
    assert!(
        screen.shows("second switch") && screen.shows("7 packages") && screen.shows("linked · changes not permitted")
    );
    screen.keys("\n \n");
    assert!(
        screen.shows("▲ the device does not permit changes") && screen.shows("(+1 on the bench)"),
        "{}",
        screen.text()
    );
    screen.keys("1");
    screen.effects.clear();
    screen.keys("h");
    let stay = Effect::Bench(BenchCommand::Session(0, SessionCommand::StayAwake(true)));
    assert_eq!(screen.effects, [stay]);
    insta::assert_snapshot!("bench_second_switch_128x40", screen.text());
}

#[test]
fn pairing_keeps_what_was_typed_and_says_what_expired() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("p");
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::ShowQr)]);
    screen.bench(BenchEvent::Pairing(PairNews::Show("WIFI:T:ADB;S:wibbet-abcdef;P:secret;;".into())));
    assert!(screen.shows("scan the code on the left") && screen.text().contains('▀'));
    let offer = |at: &str| BenchEvent::Offers(vec![("adb-TG-abcdef".into(), at.into())]);
    screen.bench(offer("192.0.2.9:37001"));
    assert!(screen.shows("address  192.0.2.9:37001"), "the address comes by itself");
    screen.keys("123456\n");
    let pair = |at: &str, code: &str| Effect::Bench(BenchCommand::Pair { at: at.into(), code: code.into() });
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37001", "123456")));
    // A wrong code: only the code has to be typed again.
    screen.bench(BenchEvent::Paired(Err(("the code is not the one".into(), true))));
    assert!(screen.shows("▲ the code is not the one") && screen.shows("address  192.0.2.9:37001"));
    screen.keys("654321\n");
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37001", "654321")));
    // The dialog is gone: the next one brings its own address.
    screen.bench(BenchEvent::Offers(Vec::new()));
    screen.bench(BenchEvent::Paired(Err(("nothing offers pairing there".into(), false))));
    screen.bench(offer("192.0.2.9:37777"));
    assert!(screen.shows("address  192.0.2.9:37777") && !screen.shows("nothing offers"));
    screen.keys("111222\n");
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37777", "111222")));
    screen.bench(BenchEvent::Paired(Ok("adb-TG-abcdef".into())));
    assert!(screen.model.popup.is_none() && screen.shows("Paired with adb-TG-abcdef"));
    // A dialog that closes while its code is being typed is told at once.
    screen.keys("p");
    screen.bench(offer("192.0.2.9:37888"));
    screen.keys("12");
    screen.bench(BenchEvent::Offers(Vec::new()));
    assert!(screen.shows("closed its dialog"));
    screen.keys("\n");
    assert!(screen.shows("closed its dialog") && !screen.effects.contains(&pair("", "12")));
    screen.keys("\x1b");
    // What was typed is not replaced, and rules of the fields are told.
    screen.keys("p");
    screen.bench(BenchEvent::Offers(Vec::new()));
    screen.keys("\n");
    assert!(screen.shows("no device offers pairing"));
    screen.keys("\tx\n");
    for (columns, lines) in [(100, 30), (80, 24), (50, 20)] {
        screen.model.size = (columns, lines);
        assert!(screen.shows("Pair a device"), "{columns}x{lines}");
    }
    screen.keys("\x1b");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::EndPairing)));
}

#[test]
fn the_windows_about_links_at_their_sizes() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("p");
    screen.bench(BenchEvent::Pairing(PairNews::Show("WIFI:T:ADB;S:wibbet-abcdef;P:secret;;".into())));
    insta::assert_snapshot!("pair_100x30", screen.text());
    screen.model.size = (80, 24);
    insta::assert_snapshot!("pair_80x24", screen.text());
    screen.keys("\x1bg");
    insta::assert_snapshot!("first_steps_80x24", screen.text());
    screen.keys("\x1bl");
    insta::assert_snapshot!("close_80x24", screen.text());
    screen.keys("\x1b");
    screen.model.own_screens = vec![crate::demo::DemoScreen {
        serial: "CT5-0417-2291".into(),
        name: "Corvane Tarn 5".into(),
        lines: vec!["USB debugging: on".into()],
        acts: vec![crate::demo::DemoAct::Cable(false), crate::demo::DemoAct::Cable(true)],
    }];
    screen.keys("t_\n");
    let plug = Effect::Demo("CT5-0417-2291".into(), crate::demo::DemoAct::Cable(true));
    assert_eq!(screen.effects.last(), Some(&plug));
    assert!(screen.shows("⟩ plug the cable in") && screen.shows("simulated"));
}

#[test]
fn many_devices_are_one_list_that_scrolls() {
    let mut screen = Screen::linked(128, 40);
    for n in 1..40 {
        screen.card(n, &format!("192.0.2.{n}:5555"));
    }
    assert!(screen.shows("192.0.2.9:5555") && !screen.shows("192.0.2.39:5555"));
    screen.code(KeyCode::End);
    assert!(screen.shows("192.0.2.39:5555"));
    for (columns, lines) in [(100, 30), (80, 24), (50, 20), (30, 8)] {
        screen.model.size = (columns, lines);
        let text = screen.text();
        assert!(text.contains("192.0.2.39"), "{columns}x{lines}\n{text}");
    }
}

#[test]
fn closing_is_shown_in_words_before_it_is_done() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("l");
    assert!(screen.shows("⟩ settings put global adb_enabled 0") && screen.effects.is_empty());
    screen.keys("kfs");
    let close = SessionCommand::Close { switch_off: false, forget: true };
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Session(0, close))]);
    let step = CloseStep { what: "forget the device here".into(), done: true, known: "its runs stay".into() };
    screen.tell(SessionEvent::Closed(vec![step]));
    assert!(screen.shows("✓ forget the device here") && screen.shows("Revoke USB debugging"));
    screen.keys(" ");
    assert!(screen.model.popup.is_none());
}

#[test]
fn texts_of_a_device_cannot_steer_the_terminal() {
    let mut screen = Screen::linked(128, 40);
    let mut odd = facts();
    odd.model = PlainText::new("Tarn\u{1b}[2J\u{202e}5");
    screen.tell(SessionEvent::Facts(Box::new(odd), Capabilities::new(34, DaemonFeatures::default())));
    screen.tell(SessionEvent::Note("\u{1b}]0;x\u{7}".into()));
    let text = screen.text();
    assert!(text.contains("Tarn␛[2J‹U+202E›5") && text.contains("␛]0;x␇"));
    assert!(!text.contains('\u{1b}') && !text.contains('\u{202e}'));
}

#[test]
fn the_mouse_finds_what_is_drawn() {
    let mut screen = Screen::linked(128, 40);
    let click = |screen: &mut Screen, column: usize, row: usize| {
        let event = MouseEvent {
            kind: MouseEventKind::Down(MouseButton::Left),
            column: column as u16,
            row: row as u16,
            modifiers: KeyModifiers::NONE,
        };
        update(&mut screen.model, Message::Terminal(Event::Mouse(event)));
    };
    let cells = |line: &str, text: &str| line.find(text).map(|at| super::widgets::width(&line[..at]));
    let top = screen.text().lines().next().unwrap().to_owned();
    click(&mut screen, cells(&top, "Packages").unwrap(), 0);
    assert_eq!(screen.model.view, View::Packages);
    let row = screen.text().lines().position(|l| l.contains("com.android.music")).unwrap();
    click(&mut screen, 10, row);
    assert_eq!(screen.model.devices[0].under_cursor().unwrap().as_str(), "com.android.music");
    screen.keys("4");
    let row = screen.text().lines().position(|l| l.contains("com.corvane.usermanual")).unwrap();
    click(&mut screen, 10, row);
    assert_eq!(
        screen.model.devices[0].shelf.entries[screen.model.devices[0].shelf_at].id.as_str(),
        "com.corvane.usermanual"
    );
}

#[test]
fn what_is_pasted_is_one_harmless_line() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/");
    update(&mut screen.model, Message::Terminal(Event::Paste("mus\u{1b}ic\nreboot".into())));
    assert_eq!(screen.model.devices[0].search.value(), "mus␛ic");
    screen.keys("\x1b");
    assert_eq!(screen.model.devices[0].found.len(), 7);
    update(&mut screen.model, Message::Terminal(Event::Paste("s".into())));
    assert!(screen.model.devices[0].search.value().is_empty(), "nobody is typing");
}

#[test]
fn lists_are_moved_over_by_keys_and_wheel() {
    let mut screen = Screen::linked(80, 14);
    screen.keys("2__");
    assert_eq!(screen.model.devices[0].at, 2);
    screen.keys("^");
    screen.code(KeyCode::End);
    assert_eq!(screen.model.devices[0].at, 6);
    assert!(screen.shows("▌ ~ Tides"));
    screen.code(KeyCode::PageUp);
    let up = screen.model.devices[0].at;
    assert!(up < 6);
    let wheel = MouseEvent { kind: MouseEventKind::ScrollDown, column: 1, row: 5, modifiers: KeyModifiers::NONE };
    update(&mut screen.model, Message::Terminal(Event::Mouse(wheel)));
    assert_eq!(screen.model.devices[0].at, (up + 3).min(6));
    screen.code(KeyCode::Home);
    assert_eq!(screen.model.devices[0].at, 0);
    screen.keys("j k\t\t");
    assert_eq!(screen.model.view, View::Shelf);
    screen.code(KeyCode::BackTab);
    assert_eq!(screen.model.view, View::Run);
}

/// The cursor stays on its package while the list around it changes.
/// A device that shares its serial with another one is named by its id in the record.
#[test]
fn the_logbook_names_devices_by_their_ids() {
    let mut screen = Screen::linked(100, 30);
    let second = DeviceFacts { id: "CT5-0417-2291.2".parse().unwrap(), ..facts() };
    screen.tell(SessionEvent::Facts(Box::new(second), Capabilities::new(34, DaemonFeatures::default())));
    let of = |id: &str, number| Run { serial: id.parse().unwrap(), number, ..run([Some(Outcome::Done); 3]) };
    let runs = vec![of("CT5-0417-2291.2", 2), of("CT5-0417-2291", 1)];
    screen.keys("5");
    update(&mut screen.model, Message::Log(Ok(runs)));
    let text = screen.text();
    let line = |run: &str| text.lines().find(|line| line.contains(run)).unwrap();
    assert!(line("run 2").contains("Corvane Tarn 5 · CT5"), "{text}");
    assert!(!line("run 1").contains("Corvane"), "another device's run\n{text}");
}

#[test]
fn escape_and_a_key_in_one_piece_are_both() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("2/");
    let alt = |c| Message::Terminal(Event::Key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::ALT)));
    update(&mut screen.model, alt('?'));
    assert!(!screen.model.devices[0].searching, "Escape has left the line");
    assert!(matches!(screen.model.popup, Some(Window::Help { .. })), "and the key behind it was heard");
    update(&mut screen.model, alt('2'));
    assert!(screen.model.popup.is_none());
}

#[test]
fn the_cursor_keeps_its_package() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/webview\n");
    screen.keys("/\x1b");
    assert_eq!(screen.model.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    let mut fewer = inventory();
    fewer.packages.remove(&"android".parse().unwrap());
    screen.tell(SessionEvent::Inventory(Arc::new(fewer)));
    assert_eq!(screen.model.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    screen.keys("/:disabled\n");
    assert_eq!(screen.model.devices[0].found.len(), 1);
    assert!(screen.shows("1 of 6 found"));
}

#[test]
fn devices_work_beside_one_another() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("a192.0.2.7:5555\n");
    screen.card(1, "192.0.2.7:5555");
    screen.effects.clear();
    screen.bench(BenchEvent::Session(1, SessionEvent::Note("run 3 was interrupted".into())));
    assert!(screen.shows("192.0.2.7:5555: run 3 was interrupted"), "a note says whose it is");
    screen.keys("n2 ");
    assert_eq!((screen.model.current, screen.model.devices[0].tray.len()), (0, 1));
    screen.keys("n");
    assert!(screen.shows("making the link"));
    screen.keys(" \ns");
    assert!(screen.model.devices[1].tray.is_empty());
    assert!(!screen.effects.iter().any(|e| matches!(e, Effect::Bench(BenchCommand::Session(..)))));
}

/// What stands on the bottom line does something, and help and palette know every action.
#[test]
fn hints_help_and_palette_come_from_one_table() {
    let mut screen = Screen::linked(160, 120);
    screen.keys("?");
    for binding in &super::keys::KEYMAP {
        let doc: String = binding.doc.chars().take(40).collect();
        assert!(screen.shows(doc.trim()), "{}", binding.name);
    }
    screen.keys("\x1b");
    assert_eq!(super::offers::palette("").len(), super::keys::KEYMAP.len());
    screen.keys(":shelf\n");
    assert_eq!(screen.model.view, View::Shelf);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    #[test]
    fn no_keys_and_no_size_bring_it_down(
        keys in "[1-5 a-zA-Z/:?<>*+=\n\t^_\x1b-]{0,60}",
        columns in 0u16..170,
        lines in 0u16..50,
        depth in 0usize..3,
    ) {
        let mut screen = Screen::linked(columns, lines);
        for (n, key) in keys.chars().enumerate() {
            screen.keys(&key.to_string());
            match n % 9 {
                3 => screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(run([Some(Outcome::Done), None, None]))))),
                6 => screen.tell(SessionEvent::RunEnded(Some("gone".into()))),
                _ => {}
            }
            let mut terminal = Terminal::new(TestBackend::new(columns, lines)).unwrap();
            let theme = Theme::new([Depth::None, Depth::Sixteen, Depth::Full][depth]);
            terminal.draw(|frame| views::draw(&screen.model, &theme, frame)).unwrap();
            views::hit(&screen.model, columns / 2, lines / 2);
        }
        // Whatever was sent had been shown as a plan, with at least one step.
        for effect in &screen.effects {
            if let Effect::Bench(BenchCommand::Session(_, SessionCommand::Run(_, plan))) = effect {
                prop_assert!(plan.to_send() > 0);
            }
        }
    }
}
