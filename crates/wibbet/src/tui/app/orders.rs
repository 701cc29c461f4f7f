//! Orders on the screen: those that are at hand, and the one that is being worked with.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use wibbet_bench::fleet::CardId;
use wibbet_bench::orders::{HeldOrder, OrderWanted};
use wibbet_core::order::{AppliedLine, Fate, Made, Order};
use wibbet_core::run::{Outcome, Run, Step, StepState};
use wibbet_types::RunId;

use super::device::DeviceModel;

/// An order file at hand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct OrderFile {
    /// The name of the file.
    pub(crate) name: String,
    /// What it says, or what is wrong with it.
    pub(crate) order: Result<Arc<Order>, String>,
}

/// Orders on the screen.
#[derive(Debug, Default)]
pub(crate) struct Orders {
    /// Where they are kept; known once they have been looked for.
    pub(crate) folder: PathBuf,
    pub(crate) files: Vec<OrderFile>,
    /// Why the folder could not be read.
    pub(crate) trouble: Option<String>,
    /// The one that is being worked with.
    pub(crate) work: Option<OrderWork>,
}

/// What ends the work on a device before it is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum StopsOn {
    /// Nothing does.
    #[default]
    Nothing,
    /// Something is refused: that device stops.
    RefusalThere,
    /// Something is refused: all devices stop.
    RefusalAnywhere,
}

impl StopsOn {
    pub(crate) fn next(self) -> Self {
        match self {
            Self::Nothing => Self::RefusalThere,
            Self::RefusalThere => Self::RefusalAnywhere,
            Self::RefusalAnywhere => Self::Nothing,
        }
    }

    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Nothing => "It goes on where something is refused.",
            Self::RefusalThere => "A device stops where something is refused.",
            Self::RefusalAnywhere => "All devices stop where something is refused.",
        }
    }
}

/// An order that is being worked with.
#[derive(Debug, Clone)]
pub(crate) struct OrderWork {
    pub(crate) order: Arc<Order>,
    pub(crate) wanted: Arc<OrderWanted>,
    pub(crate) devices: Vec<OnDevice>,
    pub(crate) item_at: usize,
    pub(crate) device_at: usize,
    pub(crate) stops_on: StopsOn,
    /// It is carried out on whatever is plugged in from now on.
    pub(crate) line: bool,
    /// What somebody across the room has to know, the latest last, until they are here; `true` for what needs a hand.
    pub(crate) calls: Vec<(bool, String)>,
}

/// A device under an order.
#[derive(Debug, Clone)]
pub(crate) struct OnDevice {
    pub(crate) card: CardId,
    /// It is carried out there.
    pub(crate) chosen: bool,
    pub(crate) stage: Stage,
}

/// How far an order has got on a device.
#[derive(Debug, Clone)]
pub(crate) enum Stage {
    /// There is no link, or something else is done there.
    Away,
    /// The device is being read for it.
    Reading,
    /// This is what it comes to.
    Held(Arc<HeldOrder>),
    /// It was sent, and its run is waited for or goes on.
    Sent(Arc<HeldOrder>),
    /// It has ended: its run, and why, if not by itself.
    Ended(Arc<HeldOrder>, Option<RunId>, Option<String>),
    /// What it comes to could not be told.
    Failed(String),
}

impl Stage {
    pub(crate) fn held(&self) -> Option<&Arc<HeldOrder>> {
        match self {
            Self::Held(held) | Self::Sent(held) | Self::Ended(held, ..) => Some(held),
            Self::Away | Self::Reading | Self::Failed(_) => None,
        }
    }
}

/// What became of a package of an order on a device, by now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Mark {
    /// Somebody has to look at it.
    Refused,
    Unsettled,
    Otherwise,
    /// On its way.
    Sent,
    /// It will go.
    Goes,
    /// The plan leaves it out.
    NotSent,
    Done,
    Stays,
    AlreadySo,
    NotThere,
}

impl Mark {
    /// Three cells.
    pub(crate) fn shape(self) -> &'static str {
        match self {
            Self::Refused => " ▲ ",
            Self::Unsettled => " ? ",
            Self::Otherwise => " ◇ ",
            Self::Sent => "▰▱▱",
            Self::Goes => "▱▱▱",
            Self::NotSent => "╌╌╌",
            Self::Done => "▰▰▰",
            Self::Stays => " ○ ",
            Self::AlreadySo => " = ",
            Self::NotThere => " · ",
        }
    }

    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Refused => "refused",
            Self::Unsettled => "unsettled",
            Self::Otherwise => "tied otherwise",
            Self::Sent => "sent",
            Self::Goes => "to send",
            Self::NotSent => "not sent",
            Self::Done => "done",
            Self::Stays => "stays",
            Self::AlreadySo => "is so already",
            Self::NotThere => "not there",
        }
    }

    /// What became of a package, by what it comes to and by its run.
    pub(crate) fn of(line: &AppliedLine, held: &HeldOrder, run: Option<&Run>) -> Self {
        match &line.fate {
            Fate::AlreadySo => return Self::AlreadySo,
            Fate::NotThere | Fate::NoSuchUser(_) | Fate::FoundNothing => return Self::NotThere,
            Fate::Left | Fate::NotMet(_) => return Self::Stays,
            Fate::TiedOtherwise(_) => return Self::Otherwise,
            Fate::Goes(_) => {}
        }
        if let Some(step) = step_of(line, run) {
            return Self::of_step(step);
        }
        let is_it = |id, user| Some(id) == line.id.as_ref() && Some(user) == line.user;
        let planned = held.plan.steps.iter().find(|step| is_it(&step.id, step.user));
        if planned.is_some_and(|step| step.skip.is_some()) { Self::NotSent } else { Self::Goes }
    }

    fn of_step(step: &Step) -> Self {
        match (step.state, step.outcome) {
            (_, Some(Outcome::Done | Outcome::Answered)) => Self::Done,
            (_, Some(Outcome::Refused | Outcome::NoEffect)) => Self::Refused,
            (_, Some(Outcome::Skipped)) => Self::NotSent,
            (_, Some(Outcome::Unsettled)) => Self::Unsettled,
            (StepState::Waiting, None) => Self::Goes,
            (_, None) => Self::Sent,
        }
    }
}

/// The step of a run that is about a package of an order; the last one, where another way was taken in its place.
pub(crate) fn step_of<'a>(line: &AppliedLine, run: Option<&'a Run>) -> Option<&'a Step> {
    let (id, user) = (line.id.as_ref()?, line.user?);
    run?.steps.iter().rev().find(|step| step.id == *id && step.user == user)
}

/// So many calls are shown.
const MOST_CALLS: usize = 3;

impl OrderWork {
    pub(crate) fn new(order: Arc<Order>, folder: &Path) -> Self {
        let wanted = OrderWanted {
            order: Arc::clone(&order),
            folder: folder.to_owned(),
            despite: Default::default(),
            any_device: false,
            no_way_back: false,
        };
        Self {
            order,
            wanted: Arc::new(wanted),
            devices: Vec::new(),
            item_at: 0,
            device_at: 0,
            stops_on: StopsOn::default(),
            line: false,
            calls: Vec::new(),
        }
    }

    /// The devices that it can be sent to now.
    pub(crate) fn to_send(&self) -> impl Iterator<Item = (&OnDevice, &Arc<HeldOrder>)> {
        self.devices.iter().filter(|one| one.chosen).filter_map(|one| match &one.stage {
            Stage::Held(held) if held.stays.is_none() => Some((one, held)),
            _ => None,
        })
    }

    /// Calls somebody.
    pub(crate) fn call(&mut self, needs_a_hand: bool, words: String) {
        self.calls.push((needs_a_hand, words));
        if self.calls.len() > MOST_CALLS {
            // What needs a hand is not pushed out by what does not.
            let first = self.calls.iter().position(|(needs, _)| !needs).unwrap_or(0);
            self.calls.remove(first);
        }
    }

    /// Whether it is being carried out anywhere.
    pub(crate) fn goes_on(&self) -> bool {
        self.devices.iter().any(|one| matches!(one.stage, Stage::Sent(_)))
    }
}

impl DeviceModel {
    /// The run of an order on the device, as far as there is one.
    pub(crate) fn run_of_order(&self, stage: &Stage) -> Option<&Run> {
        match stage {
            Stage::Sent(_) => self.shown_run().filter(|_| self.running).map(|run| &**run),
            Stage::Ended(_, Some(number), _) => {
                let shown = self.shown_run().filter(|run| run.number == *number).map(|run| &**run);
                self.runs.iter().find(|run| run.number == *number).or(shown)
            }
            _ => None,
        }
    }

    /// What an order can be made of on this device, each with a name for it; what nothing is in is left out.
    pub(crate) fn order_sources(&self) -> Vec<(String, Vec<Made>)> {
        let name = self.name();
        let label = |id: &wibbet_types::PackageId| self.label_of(id).unwrap_or_default();
        let judged = |id: &wibbet_types::PackageId, user| {
            let all = self.catalog.as_ref()?.judged.get(&user)?;
            Some(all.packages.get(id).map_or_else(Default::default, |judged| judged.names()))
        };
        let chosen = self.tray.iter().map(|item| Made {
            id: item.id.clone(),
            user: item.user,
            way: item.way,
            holds: judged(&item.id, item.user),
            label: label(&item.id),
        });
        let mut sources = vec![(format!("What is chosen on {name}"), chosen.collect::<Vec<_>>())];
        let (off, _) = self.break_items(true);
        let holds = |id: &wibbet_types::PackageId, user| {
            off.iter().find(|item| item.id == *id && item.user == user).map(|item| item.holds.clone())
        };
        let took = self.runs.iter().filter(|run| run.kind == wibbet_core::run::RunKind::TakeOut);
        for run in took.take(MOST_RUNS) {
            let done = run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done) && step.way.is_a_way());
            let made = done.map(|step| Made {
                id: step.id.clone(),
                user: step.user,
                way: step.way,
                holds: holds(&step.id, step.user),
                label: label(&step.id),
            });
            sources.push((format!("Run {} on {name}", run.number), made.collect()));
        }
        let (by_runs, _) = self.break_items(false);
        let made = by_runs.into_iter().map(|item| Made {
            label: label(&item.id),
            id: item.id,
            user: item.user,
            way: item.way,
            holds: Some(item.holds),
        });
        sources.push((format!("What runs took out of {name}"), made.collect()));
        sources.retain(|(_, made)| !made.is_empty());
        sources
    }
}

/// So many of the latest runs an order is offered to be made of.
const MOST_RUNS: usize = 8;

impl OnDevice {
    /// One that nothing is known of yet.
    pub(crate) fn new(card: CardId) -> Self {
        Self { card, chosen: true, stage: Stage::Away }
    }
}
