//! Orders on the screen: those that are at hand, and the one that is being worked with.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use wibbet_bench::fleet::CardId;
use wibbet_bench::orders::{HeldOrder, OrderWanted};
use wibbet_bench::run::{SettingFate, SettingHeld};
use wibbet_bench::session::OrderOver;
use wibbet_core::order::{AppliedLine, Fate, Made, Order, OrderInstall, OrderItem, OrderSetting, What};
use wibbet_core::plan::SkipReason;
use wibbet_core::run::{Outcome, Run, RunKind, SettingState, Step, StepState};
use wibbet_types::{PackageId, UserId};

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
    /// The one under the cursor.
    pub(crate) at: usize,
    /// Why the folder could not be read.
    pub(crate) trouble: Option<String>,
    /// The one that is being worked with.
    pub(crate) work: Option<OrderWork>,
}

impl Orders {
    /// Takes in what is at hand; the cursor goes to what has just been made, and else stays where it is.
    pub(crate) fn take(&mut self, folder: PathBuf, files: Result<Vec<OrderFile>, String>, made: Option<&str>) {
        self.folder = folder;
        match files {
            Ok(files) => {
                let here = made.or(self.files.get(self.at).map(|file| file.name.as_str()));
                self.at = files.iter().position(|file| Some(file.name.as_str()) == here).unwrap_or(0);
                (self.files, self.trouble) = (files, None);
            }
            Err(why) => self.trouble = Some(why),
        }
    }
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
    /// It has ended so.
    Ended(Arc<HeldOrder>, OrderOver),
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

/// What an order says, a row each.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Row<'a> {
    /// An app that is installed.
    Install(usize, &'a OrderInstall),
    /// What goes, or is left alone.
    Item(usize, &'a OrderItem),
    /// A setting of the device.
    Setting(usize, &'a OrderSetting),
}

impl Row<'_> {
    /// What it is about, for people.
    pub(crate) fn words(&self) -> String {
        match self {
            Self::Install(_, install) => {
                let name = install.file.trim_end_matches('/');
                format!("install {}", name.rsplit('/').next().unwrap_or(name))
            }
            Self::Item(_, item) => match &item.what {
                What::Package(id) if item.note.is_empty() => id.to_string(),
                What::Package(_) => item.note.clone(),
                other => other.to_string(),
            },
            Self::Setting(_, one) if one.note.is_empty() => format!("{} {}", one.setting.name(), one.value),
            Self::Setting(_, one) => one.note.clone(),
        }
    }
}

/// What became of a row of an order on a device, for one package or user.
#[derive(Debug, Clone)]
pub(crate) struct Cell<'a> {
    pub(crate) mark: Mark,
    pub(crate) id: Option<&'a PackageId>,
    pub(crate) user: Option<UserId>,
    /// Why, in words; nothing where that is said already.
    pub(crate) why: Option<String>,
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

/// A line of an order on a device, with what became of it by now.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Marked<'a> {
    pub(crate) line: &'a AppliedLine,
    pub(crate) mark: Mark,
    /// Why, where that takes words.
    pub(crate) why: Why<'a>,
}

/// Why something became of a package.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Why<'a> {
    /// As the order has it.
    Order,
    /// Its plan says so.
    Plan(SkipReason),
    /// Its step says so.
    Step(&'a Step),
}

impl Marked<'_> {
    /// In words; nothing where that is said already.
    pub(crate) fn words(&self) -> Option<String> {
        match self.why {
            Why::Plan(skip) => Some(skip.to_string()),
            Why::Step(step) => Some(step.remark.clone()).filter(|why| !why.is_empty()),
            Why::Order if self.line.unjudged => Some("what ties it could not be worked out".to_owned()),
            Why::Order => self.line.fate.why(),
        }
    }
}

/// What became of each line of an order on a device, in their order: by what it comes to, and by its run as far as there is one.
pub(crate) fn marked<'a>(held: &'a HeldOrder, run: Option<&'a Run>) -> Vec<Marked<'a>> {
    // The last step of a package and user counts: another way may have been taken in the place of the first one.
    let steps: BTreeMap<(&PackageId, UserId), &Step> =
        run.into_iter().flat_map(|run| &run.steps).map(|step| ((&step.id, step.user), step)).collect();
    let skipped: BTreeMap<(&PackageId, UserId), SkipReason> =
        held.plan.steps.iter().filter_map(|step| Some(((&step.id, step.user), step.skip?))).collect();
    let mark = |line: &'a AppliedLine| {
        let of = line.id.as_ref().zip(line.user);
        let (mark, why) = match &line.fate {
            Fate::AlreadySo => (Mark::AlreadySo, Why::Order),
            Fate::NotThere | Fate::NoSuchUser(_) | Fate::FoundNothing => (Mark::NotThere, Why::Order),
            Fate::Left | Fate::NotMet(_) => (Mark::Stays, Why::Order),
            Fate::TiedOtherwise(_) => (Mark::Otherwise, Why::Order),
            Fate::Goes(_) => match of.and_then(|of| steps.get(&of)) {
                Some(step) => (Mark::of_step(step), Why::Step(step)),
                None => match of.and_then(|of| skipped.get(&of)) {
                    Some(skip) => (Mark::NotSent, Why::Plan(*skip)),
                    None => (Mark::Goes, Why::Order),
                },
            },
        };
        Marked { line, mark, why }
    };
    held.applied.lines.iter().map(mark).collect()
}

impl Stage {
    /// What became of an app that is installed.
    pub(crate) fn install<'a>(&'a self, n: usize, run: Option<&Run>) -> Option<Cell<'a>> {
        let held = self.held()?;
        let id = held.installs.get(n)?;
        let sent = run.and_then(|run| run.steps.iter().rev().find(|step| step.id == *id && !step.way.is_a_way()));
        let planned = held.plan.steps.iter().find(|step| step.id == *id && !step.way.is_a_way());
        let (mark, why) = match (sent, planned.and_then(|step| step.skip)) {
            (Some(step), _) => (Mark::of_step(step), Some(step.remark.clone()).filter(|why| !why.is_empty())),
            (None, Some(SkipReason::AlreadySo)) => (Mark::AlreadySo, None),
            (None, Some(skip)) => (Mark::NotSent, Some(skip.to_string())),
            (None, None) => (Mark::Goes, None),
        };
        Some(Cell { mark, id: Some(id), user: planned.map(|step| step.user), why })
    }

    /// What became of a setting, for each user who has one.
    pub(crate) fn setting(&self, n: usize) -> Vec<Cell<'_>> {
        let held = self.held().map_or(&[][..], |held| &held.settings);
        let sent = match self {
            Self::Ended(_, over) => Some(&over.settings),
            _ => None,
        };
        let cell = |one: &SettingHeld| {
            let came = sent.and_then(|all| {
                all.iter().find(|change| change.setting == one.setting && Some(change.user) == one.user)
            });
            let (mark, why) = match (&one.fate, came) {
                (SettingFate::AlreadySo, _) => (Mark::AlreadySo, None),
                (SettingFate::Stays(why), _) if one.user.is_none() => (Mark::NotThere, Some(why.clone())),
                (SettingFate::Stays(why), _) => (Mark::Stays, Some(why.clone())),
                (SettingFate::Goes(_), Some(change)) => {
                    let mark = match change.state {
                        SettingState::Done => Mark::Done,
                        SettingState::NotDone => Mark::Refused,
                        SettingState::Sent => Mark::Unsettled,
                    };
                    let why = if change.remark.is_empty() { change.words() } else { change.remark.clone() };
                    (mark, Some(why))
                }
                (SettingFate::Goes(_), None) if sent.is_some() => (Mark::NotSent, None),
                (SettingFate::Goes(_), None) => (Mark::Goes, Some(format!("{}  ({})", one.words(), one.command()))),
            };
            Cell { mark, id: None, user: one.user.filter(|_| one.setting.is_of_a_user()), why }
        };
        held.iter().filter(|one| one.of == n).map(cell).collect()
    }
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

    /// What it says, in the order in which it is done.
    pub(crate) fn rows(&self) -> Vec<Row<'_>> {
        let Order { installs, items, settings, .. } = &*self.order;
        let installs = installs.iter().enumerate().map(|(n, one)| Row::Install(n, one));
        let items = items.iter().enumerate().map(|(n, one)| Row::Item(n, one));
        installs.chain(items).chain(settings.iter().enumerate().map(|(n, one)| Row::Setting(n, one))).collect()
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
    pub(crate) fn run_of_order<'a>(&'a self, stage: &'a Stage) -> Option<&'a Run> {
        match stage {
            Stage::Sent(_) => self.shown_run().filter(|_| self.running).map(|run| &**run),
            Stage::Ended(_, over) => over.run.as_deref(),
            _ => None,
        }
    }

    /// What an order can be made of on this device, each with a name for it; what nothing is in is left out.
    pub(crate) fn order_sources(&self) -> Vec<(String, Vec<Made>)> {
        let name = self.name();
        let label = |id: &PackageId| self.label_of(id).unwrap_or_default();
        let judged = |id: &PackageId, user| {
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
        let took = self.runs.iter().filter(|run| run.kind == RunKind::TakeOut).take(MOST_RUNS);
        sources.extend(took.map(|run| (format!("Run {} on {name}", run.number), Made::of_run(run, &off, label))));
        let (by_runs, _) = self.break_items(false);
        sources.push((format!("What runs took out of {name}"), Made::of_off(by_runs, label)));
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
