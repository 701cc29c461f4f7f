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
use wibbet_bench::session::{Evidence, SessionCommand, SessionEvent};
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::catalog::Catalog;
use wibbet_core::device::{Battery, DeviceFacts, UserKind, Vitals};
use wibbet_core::holds::Judgement;
use wibbet_core::link::CloseStep;
use wibbet_core::link::{Advice, Ladder, LinkTrouble, Rung, RungStatus};
use wibbet_core::package::{Inventory, PackageKind, PackageState};
use wibbet_core::plan::{Change, TrayItem};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, Step, StepState};
use wibbet_core::testing;
use wibbet_types::{PlainText, RunId, UserId};

use crate::tui::app::{App, RunPane};
use crate::tui::draw::{draw, hit};
use crate::tui::keys::{Action, Layer, View, by_name, hint, in_room, menu_of};
use crate::tui::message::{Effect, Message};
use crate::tui::model::Model;
use crate::tui::update::update;
use crate::tui::widgets::{ColorDepth, Theme, width};
use crate::tui::windows::Window;

mod bench;
mod catch;
mod changes;
mod finder;
mod finding;
mod holds;
mod keys;
mod links;
mod logbook;
mod orders;
mod packages;
mod run;
mod screen;
mod touch;

const IN: PackageState = testing::IN_USE;
const OUT: PackageState = testing::UNINSTALLED;
const OFF: PackageState = testing::DISABLED;

fn inventory() -> Inventory {
    let users = [testing::user(0, "Crew", UserKind::Owner), testing::user(10, "作業用", UserKind::Work)];
    let package = |(id, kind, path, [owner, work]): (&str, PackageKind, &str, [PackageState; 2])| {
        testing::package(id, kind, path, &[(0, owner), (10, work)])
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
    testing::inventory(&users, packages.map(package))
}

/// Run 7: uninstall, disable, uninstall.
fn run(outcomes: [Option<Outcome>; 3]) -> Run {
    let ids = ["com.android.calendar", "com.android.music", "com.corvane.cleaner"];
    let steps = ids.iter().zip(outcomes).enumerate().map(|(n, (id, outcome))| {
        let sent = Step { state: StepState::Sent, answer: Some(PlainText::new("Success")), ..testing::step(n, id) };
        let refused = outcome == Some(Outcome::Refused);
        Step {
            way: if n == 1 { Change::Disable } else { Change::Uninstall },
            remark: if refused { "Android itself protects this package".into() } else { String::new() },
            ..outcome.map_or(sent, |outcome| testing::settled(n, id, outcome))
        }
    });
    let state = if outcomes.iter().all(Option::is_some) { RunState::Finished } else { RunState::Open };
    Run { state, steps: steps.collect(), ..testing::run(7, &[]) }
}

fn ready() -> Ladder {
    let mut ladder = Ladder::default();
    ladder.climb(Rung::Service, "it listed 7 packages");
    ladder.note(Rung::Changes, RungStatus::Holds, "Android permits them");
    ladder.note(Rung::Started, RungStatus::Holds, "sys.boot_completed is 1");
    ladder.surveyed = true;
    ladder
}

/// What was read of the logbook; it knows no device by name.
fn log(runs: Vec<Run>) -> Message {
    Message::Log(Ok(crate::tui::app::LogRead { runs, ..Default::default() }))
}

struct Screen {
    model: Model,
    effects: Vec<Effect>,
    /// The trays that were to be kept: every change asks for that, and is no business of most tests.
    kept: Vec<Vec<TrayItem>>,
}

impl Screen {
    fn take(&mut self, effects: Vec<Effect>) {
        for effect in effects {
            match effect {
                Effect::Bench(BenchCommand::Session(_, SessionCommand::KeepTray(tray))) => self.kept.push(tray),
                other => self.effects.push(other),
            }
        }
    }

    fn empty(columns: u16, lines: u16) -> Self {
        let model = Model::new(App::new(true, (columns, lines), jiff::tz::TimeZone::UTC));
        let mut screen = Self { model, effects: Vec::new(), kept: Vec::new() };
        screen.card(0, "127.0.0.1:40001");
        screen
    }

    /// With a phone of which everything has been read; what ties its packages is nothing.
    fn linked(columns: u16, lines: u16) -> Self {
        let mut screen = Self::listed(columns, lines);
        screen.judged();
        screen
    }

    /// It has been worked out that nothing ties any package.
    fn judged(&mut self) {
        let mut catalog = Catalog::new(Arc::new(inventory()));
        catalog.judge([0, 10].map(UserId::new));
        let mut judged = (*catalog.judged).clone();
        for of in judged.values_mut() {
            of.unread.clear();
            of.packages.values_mut().for_each(|one| *one = Judgement::default());
        }
        let (ties, judged) = (Arc::default(), Arc::new(judged));
        self.tell(SessionEvent::Judged(Arc::new(Evidence { ties, judged, ..Evidence::default() })));
    }

    /// With a phone of which only the states are known.
    fn listed(columns: u16, lines: u16) -> Self {
        let mut screen = Self::empty(columns, lines);
        screen.tell(SessionEvent::Facts(Box::new(testing::facts()), testing::capabilities(34)));
        screen.tell(SessionEvent::Inventory(Arc::new(inventory())));
        screen.tell(SessionEvent::Ladder(Box::new(ready())));
        screen
    }

    /// A device turns up.
    fn card(&mut self, card: usize, address: &str) {
        self.bench(BenchEvent::Card { card, name: address.to_owned(), facts: None });
        self.bench(BenchEvent::Routes(card, vec![Route::Address(address.parse().unwrap())]));
    }

    fn bench(&mut self, event: BenchEvent) {
        let effects = update(&mut self.model, Message::Bench(event));
        self.take(effects);
    }

    fn tell(&mut self, event: SessionEvent) {
        self.bench(BenchEvent::Session(0, event));
    }

    fn code(&mut self, code: KeyCode) {
        let event = Event::Key(KeyEvent::new(code, KeyModifiers::NONE));
        let effects = update(&mut self.model, Message::Terminal(event));
        self.take(effects);
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
