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

use crate::tui::app::{App, RunPane};
use crate::tui::draw::{draw, hit};
use crate::tui::keys::{Action, Layer, View, by_name, hint, in_room, menu_of};
use crate::tui::message::{Effect, Message};
use crate::tui::model::Model;
use crate::tui::update::update;
use crate::tui::widgets::{ColorDepth, Theme, width};
use crate::tui::windows::Window;

mod bench;
mod finding;
mod keys;
mod links;
mod logbook;
mod packages;
mod run;
mod screen;

const IN: PackageState = PackageState::IN_USE;
const OUT: PackageState = PackageState { installed: false, ..IN };
const OFF: PackageState = PackageState { enabled: Enabled::DisabledUser, ..IN };

fn inventory() -> Inventory {
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

struct Screen {
    model: Model,
    effects: Vec<Effect>,
}

impl Screen {
    fn empty(columns: u16, lines: u16) -> Self {
        let model = Model::new(App::new(true, (columns, lines), jiff::tz::TimeZone::UTC));
        let mut screen = Self { model, effects: Vec::new() };
        screen.card(0, "127.0.0.1:40001");
        screen
    }

    fn linked(columns: u16, lines: u16) -> Self {
        let mut screen = Self::empty(columns, lines);
        let offered = DaemonFeatures { abb: true, abb_exec: true, cmd: true };
        screen.tell(SessionEvent::Facts(Box::new(facts()), Capabilities::new(34, offered)));
        screen.tell(SessionEvent::Inventory(Arc::new(inventory())));
        screen.tell(SessionEvent::Ladder(Box::new(ready())));
        screen
    }

    /// A device turns up.
    fn card(&mut self, card: usize, address: &str) {
        self.bench(BenchEvent::Card { card, name: address.to_owned(), facts: None });
        self.bench(BenchEvent::Routes(card, vec![Route::Address(address.to_owned())]));
    }

    fn bench(&mut self, event: BenchEvent) {
        self.effects.extend(update(&mut self.model, Message::Bench(event)));
    }

    fn tell(&mut self, event: SessionEvent) {
        self.bench(BenchEvent::Session(0, event));
    }

    fn code(&mut self, code: KeyCode) {
        let event = Event::Key(KeyEvent::new(code, KeyModifiers::NONE));
        self.effects.extend(update(&mut self.model, Message::Terminal(event)));
    }

    /// Types characters; `\n` is Enter and `\x1b` is Esc.
    fn keys(&mut self, keys: &str) {
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

    fn text(&self) -> String {
        let (columns, lines) = self.model.app.size;
        let mut terminal = Terminal::new(TestBackend::new(columns, lines)).unwrap();
        terminal.draw(|frame| draw(&self.model, &Theme::new(ColorDepth::Full), frame)).unwrap();
        let shown = terminal.backend().to_string();
        shown.lines().map(|l| l.trim_matches('"').trim_end()).collect::<Vec<_>>().join("\n")
    }

    fn shows(&self, text: &str) -> bool {
        self.text().contains(text)
    }
}
