//! `wibbet order apply --line`: an order on whatever is plugged in, one device after the other and several at once.

use std::collections::BTreeMap;
use std::io::{IsTerminal as _, Write as _};
use std::sync::Arc;

use tokio::sync::mpsc;
use wibbet_bench::fleet::{Bench, BenchCommand, BenchEvent, CardId};
use wibbet_bench::orders::{HeldOrder, OrderWanted};
use wibbet_bench::run::{Control, RunNews};
use wibbet_bench::session::{OrderOver, SessionCommand, SessionEvent};
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::Ladder;
use wibbet_core::run::{Outcome, StepEvent};

use super::asking::{asked, may_change};
use super::order::{read, show_order};
use super::order_apply::{Applying, OTHERWISE, StopOn, overall, tell_closed, tell_set, tell_steps};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};
use crate::signals::Interrupts;

/// A device on the line.
#[derive(Default)]
struct OnLine {
    name: String,
    facts: Option<DeviceFacts>,
    /// A person has chosen it: it is on a cable, or at an address that was named.
    chosen: bool,
    ladder: Ladder,
    stage: Stage,
    /// The trouble that was told last.
    told: Option<String>,
}

/// How far a device on the line has got.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
enum Stage {
    /// It waits for its link.
    #[default]
    Waits,
    /// It is read for the order.
    Reading,
    /// It could not be read; that is tried again when it has been away.
    Failed,
    /// The order is carried out.
    Sent,
    /// All is done that is done here.
    Over,
}

/// The line as it stands.
struct Line<'a> {
    applying: &'a Applying,
    wanted: Arc<OrderWanted>,
    bench: Bench,
    devices: BTreeMap<CardId, OnLine>,
    exits: Vec<Exit>,
    /// Nothing more is begun.
    ends: bool,
}

pub(crate) async fn line_up(finder: &Finder<'_>, applying: Applying) -> Result<Exit, Failure> {
    let order = read(&applying.file)?;
    may_change(applying.how)?;
    if !applying.how.json {
        show_order(&order);
    }
    if !applying.how.yes && !asked("Carry this out on each device that is plugged in and allowed from now on?") {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    let wanted = Arc::new(applying.wanted(order));
    let mut workplace = finder.workplace.clone();
    if finder.no_search {
        workplace.surroundings = Arc::default();
    }
    let (told, mut heard) = mpsc::unbounded_channel();
    let bench = Bench::start(workplace, finder.at.to_vec(), move |event| drop(told.send(event)));
    let mut all = Line { applying: &applying, wanted, bench, devices: BTreeMap::new(), exits: Vec::new(), ends: false };
    let mut interrupts = Interrupts::listen();
    let terminated = crate::signals::terminated();
    tokio::pin!(terminated);
    let mut told_to_end = false;
    tell("the line is open: plug a device in, and allow this computer on it; Ctrl-C ends the line");
    while !(all.ends && all.devices.values().all(|device| device.stage != Stage::Sent)) {
        let event = tokio::select! {
            event = heard.recv() => event,
            () = interrupts.next() => None,
            () = &mut terminated, if !told_to_end => {
                told_to_end = true;
                None
            }
        };
        match event {
            Some(event) => all.take(event),
            // Once it ends after what is on its way, twice where it is.
            None if all.ends => std::process::exit(Exit::Unsettled as i32),
            None => all.end("the line ends after what is on its way"),
        }
    }
    Ok(overall(&all.exits))
}

impl Line<'_> {
    fn end(&mut self, why: &str) {
        tell(why);
        self.ends = true;
        for (card, _) in self.devices.iter().filter(|(_, device)| device.stage == Stage::Sent) {
            self.bench.send(BenchCommand::Control(*card, Control::Stop));
        }
    }

    fn take(&mut self, event: BenchEvent) {
        match event {
            BenchEvent::Card { card, name, facts } => {
                let device = OnLine { name, facts: facts.map(|facts| *facts), ..OnLine::default() };
                self.devices.insert(card, device);
            }
            BenchEvent::Gone(card) => drop(self.devices.remove(&card)),
            BenchEvent::Routes(card, routes) => {
                self.devices.entry(card).or_default().chosen = routes.iter().any(|route| route.is_chosen());
                self.hold(card);
            }
            BenchEvent::Session(card, event) => self.session(card, event),
            BenchEvent::Note(note) => tell(note),
            _ => {}
        }
    }

    /// Has a device read for the order that can be read now.
    fn hold(&mut self, card: CardId) {
        let Some(device) = self.devices.get_mut(&card) else { return };
        let ready = device.chosen && device.ladder.is_up() && device.ladder.surveyed;
        if device.stage == Stage::Waits && ready && !self.ends {
            device.stage = Stage::Reading;
            let wanted = Some(Arc::clone(&self.wanted));
            self.bench.send(BenchCommand::Session(card, SessionCommand::HoldOrder(wanted)));
        }
    }

    fn session(&mut self, card: CardId, event: SessionEvent) {
        let Some(device) = self.devices.get_mut(&card) else { return };
        let name = device.facts.as_ref().map_or_else(|| device.name.clone(), |facts| facts.id.to_string());
        match event {
            SessionEvent::Facts(facts, _) => device.facts = Some(*facts),
            SessionEvent::Ladder(ladder) => {
                let trouble = ladder.trouble.as_ref().map(|trouble| trouble.seen.clone());
                if device.chosen && trouble.is_some() && device.told != trouble && device.stage != Stage::Over {
                    trouble.iter().for_each(|why| tell(format_args!("{name}: {why}")));
                }
                device.told = trouble;
                device.ladder = *ladder;
                if device.stage == Stage::Failed && !device.ladder.is_up() {
                    device.stage = Stage::Waits;
                }
                self.hold(card);
            }
            SessionEvent::OrderHeld(Ok(held)) => self.held(card, &name, &held),
            SessionEvent::OrderHeld(Err(why)) => {
                // Whoever went before it could be read is read when it comes back.
                device.stage = if device.ladder.is_up() { Stage::Failed } else { Stage::Waits };
                tell(format_args!("{name}: {why}"));
                ring();
            }
            SessionEvent::OrderSaid(words) => tell(format_args!("{name}: {words}")),
            SessionEvent::Run(RunNews::Waiting(Some(why))) => tell(format_args!("{name}: {why}; waiting")),
            SessionEvent::Run(RunNews::Step(_, StepEvent::Settled { outcome, .. })) => {
                self.settled(card, &name, outcome)
            }
            SessionEvent::OrderOver(over) => self.over(card, &name, &over),
            _ => {}
        }
    }

    fn held(&mut self, card: CardId, name: &str, held: &HeldOrder) {
        let Some(device) = self.devices.get_mut(&card) else { return };
        let stops = self.applying.stops_on_otherwise(&held.applied);
        // Nobody has looked at what it comes to here.
        let stays = match stops {
            true => Some(OTHERWISE.to_owned()),
            false => held.stays.clone().or_else(|| held.start_is_unknown()),
        };
        match stays {
            Some(why) => {
                device.stage = Stage::Over;
                self.exits.push(Exit::Nothing);
                match self.applying.how.json {
                    true => json::print(&json::OrderedDevice::failed(name, &Failure::new(Exit::Nothing, why))),
                    false => line(format_args!("{name:<24} {why}")),
                }
                ring();
                if stops && self.applying.stop_all {
                    self.end("stopped, as asked for");
                }
            }
            None if self.ends => device.stage = Stage::Over,
            None => {
                tell(format_args!("{name}: {} to send", held.plan.to_send()));
                device.stage = Stage::Sent;
                let job = self.applying.job.clone();
                self.bench.send(BenchCommand::Session(card, SessionCommand::ApplyOrder(job)));
            }
        }
    }

    fn settled(&mut self, card: CardId, name: &str, outcome: Outcome) {
        let refused = matches!(outcome, Outcome::Refused | Outcome::NoEffect);
        let sent = self.devices.get(&card).is_some_and(|device| device.stage == Stage::Sent);
        if refused && sent && self.applying.stop_on.contains(&StopOn::Refusal) {
            tell(format_args!("{name}: something was refused: stopped, as asked for"));
            self.bench.send(BenchCommand::Control(card, Control::Stop));
            if self.applying.stop_all {
                self.end("stopped, as asked for");
            }
        }
    }

    fn over(&mut self, card: CardId, name: &str, over: &OrderOver) {
        let Some(device) = self.devices.get_mut(&card) else { return };
        device.stage = Stage::Over;
        let OrderOver { run, settings, trouble, closed, .. } = over;
        let exit = match (run, trouble) {
            (Some(run), None) => Exit::of(run),
            (Some(run), Some(_)) if Exit::of(run) != Exit::Done => Exit::of(run),
            (Some(_), Some(_)) => Exit::Partly,
            (None, _) => Exit::Trouble,
        };
        match self.applying.how.json {
            true => {
                json::print(&json::OrderedDevice::done(name, run.as_deref(), settings, trouble.clone(), exit, *closed))
            }
            false => {
                run.iter().for_each(|run| tell_steps(name, run));
                tell_set(name, settings);
                trouble.iter().for_each(|why| line(format_args!("{name:<24} {why}")));
                tell_closed(name, *closed);
            }
        }
        self.exits.push(exit);
        ring();
        if trouble.is_some() && self.applying.stop_on.contains(&StopOn::Trouble) && self.applying.stop_all {
            self.end("stopped, as asked for");
        }
    }
}

/// Makes a sound, where somebody sits at a terminal.
fn ring() {
    let mut err = std::io::stderr().lock();
    if err.is_terminal() {
        let _ = err.write_all(b"\x07").and_then(|()| err.flush());
    }
}
