//! `wibbet order check` and `apply`: an order is held against devices, and carried out on several at once.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use futures_util::StreamExt as _;
use futures_util::stream;
use tokio::sync::watch;
use wibbet_bench::device::AdbDevice;
use wibbet_bench::orders::{
    OrderEnded, OrderNews, OrderTrouble, OrderWanted, PreparedOrder, carry_out_order, prepare_order,
};
use wibbet_bench::run::{Control, RunNews};
use wibbet_core::order::{Applied, AppliedLine, Fate, Order};
use wibbet_core::plan::Job;
use wibbet_core::run::{Outcome, Run, SettingChange, StepEvent};
use wibbet_types::{DeviceId, PackageId, PlainText, counted};

use super::asking::{asked, may_change};
use super::interrupt::Interrupt;
use super::links::close_device;
use super::order::read;
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// So many devices are read and changed at the same time; more wait for one of them to be done.
const AT_ONCE: usize = 16;

/// How an order is applied.
#[derive(Debug, Clone)]
pub(crate) struct Applying {
    pub(crate) file: PathBuf,
    pub(crate) devices: Vec<String>,
    pub(crate) despite: BTreeSet<PackageId>,
    pub(crate) any_device: bool,
    pub(crate) no_way_back: bool,
    /// What ends the work, and where.
    pub(crate) stop_on: Vec<StopOn>,
    pub(crate) stop_all: bool,
    pub(crate) job: Option<Job>,
    pub(crate) how: How,
}

/// On what an order stops.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum StopOn {
    /// A step is refused, or without effect.
    Refusal,
    /// Something is tied otherwise than where the order was made.
    Otherwise,
    /// The device cannot be reached, or does not start any more.
    Trouble,
}

/// Why a device is left as it is, where that was asked for.
pub(super) const OTHERWISE: &str = "something is tied otherwise here than where the order was made";

impl Applying {
    /// Whether the work stops for what is tied otherwise.
    pub(super) fn stops_on_otherwise(&self, applied: &Applied) -> bool {
        self.stop_on.contains(&StopOn::Otherwise) && applied.tied_otherwise() > 0
    }

    pub(super) fn wanted(&self, order: Order) -> OrderWanted {
        OrderWanted {
            order: Arc::new(order),
            folder: self.file.parent().map(Path::to_path_buf).unwrap_or_default(),
            despite: self.despite.clone(),
            any_device: self.any_device,
            no_way_back: self.no_way_back,
        }
    }
}

/// A device with what an order comes to there, or why that is not known.
struct Held {
    name: String,
    met: Result<(AdbDevice, PreparedOrder), Failure>,
}

/// Holds an order against devices, several at once.
async fn hold_against(finder: &Finder<'_>, wanted: &OrderWanted, names: &[String]) -> Result<Vec<Held>, Failure> {
    let each = names.iter().map(|name| async move {
        let met = async {
            let device = finder.link(name).await?;
            tell(format_args!("{name}: reading its packages"));
            let prepared = prepare_order(finder.workplace, &device, wanted, &mut |_| {}).await?;
            Ok((device, prepared))
        };
        Held { name: name.clone(), met: met.await }
    });
    let mut held: Vec<Held> = stream::iter(each).buffered(AT_ONCE).collect().await;
    let mut seen: Vec<(String, DeviceId)> = Vec::new();
    for one in &mut held {
        let Ok((_, prepared)) = &one.met else { continue };
        let id = prepared.facts.id.clone();
        match seen.iter().find(|(_, other)| *other == id) {
            Some((first, _)) => {
                let words = format!("it is the device {id} that was named as {first} already");
                if let Ok((_, prepared)) = std::mem::replace(&mut one.met, Err(Failure::new(Exit::Usage, words))) {
                    prepared.drop_files(finder.workplace).await?;
                }
            }
            None => seen.push((one.name.clone(), id)),
        }
    }
    Ok(held)
}

pub(crate) async fn check(finder: &Finder<'_>, applying: Applying) -> Result<Exit, Failure> {
    let order = read(&applying.file)?;
    let wanted = applying.wanted(order);
    let held = hold_against(finder, &wanted, &applying.devices).await?;
    shown(finder, &wanted, &held, applying.how.json).await
}

/// Shows what an order comes to on devices, and lets go of what was taken in for it.
async fn shown(finder: &Finder<'_>, wanted: &OrderWanted, held: &[Held], as_json: bool) -> Result<Exit, Failure> {
    let mut worst: Option<Exit> = None;
    for one in held {
        match &one.met {
            Ok((_, prepared)) => {
                prepared.drop_files(finder.workplace).await?;
                if !as_json {
                    show_held(&one.name, prepared, &wanted.order);
                }
                if let Err(why) = prepared.is_to_do(wanted) {
                    if !as_json {
                        line(format_args!("  {why}"));
                    }
                    worst.get_or_insert(Exit::Nothing);
                }
            }
            Err(failure) => {
                if !as_json {
                    line(format_args!("{}\n  could not be read: {}", one.name, failure.message));
                }
                worst = Some(failure.exit);
            }
        }
    }
    if as_json {
        let devices = held.iter().map(|one| match &one.met {
            Ok((_, prepared)) => json::OrderedDevice::planned(&one.name, prepared),
            Err(failure) => json::OrderedDevice::failed(&one.name, failure),
        });
        json::print(&json::JsonOrder::of(&wanted.order, devices.collect(), true));
    }
    Ok(worst.unwrap_or(Exit::Done))
}

/// Shows what an order comes to on a device.
fn show_held(name: &str, prepared: &PreparedOrder, order: &Order) {
    let PreparedOrder { facts, applied, plan, labels, .. } = prepared;
    line(format_args!("{name}  {}, {}", facts.name(), facts.android));
    for against in &applied.speaks_against {
        line(format_args!("  beware: {against}"));
    }
    if let Some(why) = &prepared.unread {
        line(format_args!("  beware: manifests could not be read: {why}"));
    }
    for shown in &applied.lines {
        let skip = skip_of(shown, prepared);
        let word = if skip.is_some() { "not sent" } else { shown.fate.short() };
        let why = skip.or_else(|| shown.fate.why()).map_or_else(String::new, |why| format!(": {why}"));
        let unjudged = if shown.unjudged { "; what ties it could not be worked out" } else { "" };
        line(format_args!("  {word:<20} {:<9} {}{why}{unjudged}", who_of(shown), what_of(shown, order, labels)));
    }
    for step in plan.steps.iter().filter(|step| !step.way.is_a_way()) {
        let (word, why) = step.skip.map_or(("install first", String::new()), |skip| ("not sent", format!(": {skip}")));
        line(format_args!("  {word:<20} {:<9} {}{why}", format!("user {}", step.user), step.id));
    }
    for one in &prepared.settings {
        let user =
            one.user.filter(|_| one.setting.is_of_a_user()).map_or_else(String::new, |user| format!("user {user}"));
        let word = if one.is_to_set() { "set" } else { "not set" };
        let note = if one.note.is_empty() { String::new() } else { format!("  ({})", one.note) };
        line(format_args!("  {word:<20} {user:<9} {}: {}{note}", one.setting, one.words()));
    }
    for (user, does) in &prepared.does {
        let whose = if prepared.does.len() > 1 { format!("user {user}: ") } else { String::new() };
        does.missed(ToString::to_string).iter().for_each(|words| line(format_args!("  beware: {whose}{words}")));
    }
    if let Some(end) = order.end.words().filter(|_| plan.to_send() > 0) {
        line(format_args!("  when all is done: {end}"));
    }
}

fn what_of(shown: &AppliedLine, order: &Order, labels: &BTreeMap<PackageId, PlainText>) -> String {
    match &shown.id {
        Some(id) => match labels.get(id) {
            Some(label) => format!("{label}  {id}"),
            // The order may know the name that the device does not.
            None => match order.items.get(shown.item).filter(|item| !item.note.is_empty()) {
                Some(item) => format!("{}  {id}", item.note),
                None => id.to_string(),
            },
        },
        None => order.items.get(shown.item).map_or_else(String::new, |item| item.what.to_string()),
    }
}

fn who_of(shown: &AppliedLine) -> String {
    shown.user.map_or_else(String::new, |user| format!("user {user}"))
}

/// Why the plan does not send what the order lets go.
fn skip_of(shown: &AppliedLine, prepared: &PreparedOrder) -> Option<String> {
    let (Fate::Goes(_), Some(id), Some(user)) = (&shown.fate, &shown.id, shown.user) else { return None };
    let step = prepared.plan.steps.iter().find(|step| step.id == *id && step.user == user)?;
    step.skip.map(|skip| skip.to_string())
}

/// What became of an order on a device.
struct Outcomes {
    name: String,
    ended: Result<OrderEnded, Failure>,
    closed: Option<bool>,
}

pub(crate) async fn apply(finder: &Finder<'_>, applying: Applying) -> Result<Exit, Failure> {
    let how = applying.how;
    let order = read(&applying.file)?;
    may_change(how)?;
    let wanted = applying.wanted(order);
    let held = hold_against(finder, &wanted, &applying.devices).await?;
    if how.dry_run {
        return shown(finder, &wanted, &held, how.json).await;
    }
    let mut to_do = 0;
    let (mut steps, mut sets) = (0, 0);
    for one in &held {
        match &one.met {
            Ok((_, prepared)) => {
                if !how.yes && !how.json {
                    show_held(&one.name, prepared, &wanted.order);
                }
                match prepared.is_to_do(&wanted) {
                    Ok(()) => {
                        to_do += 1;
                        steps += prepared.plan.to_send();
                        sets += prepared.settings.iter().filter(|one| one.is_to_set()).count();
                    }
                    Err(why) => tell(format_args!("{}: {why}", one.name)),
                }
            }
            Err(failure) => tell(format_args!("{}: {}", one.name, failure.message)),
        }
    }
    let also = if sets == 0 { String::new() } else { format!(" and {}", counted(sets, "setting", "settings")) };
    let question =
        format!("Send {}{also} to {}?", counted(steps, "step", "steps"), counted(to_do, "device", "devices"));
    let refused = stops_before(&applying, &held);
    if let Some(why) = &refused {
        tell(why);
    }
    let goes = to_do > 0 && !(refused.is_some() && applying.stop_all) && (how.yes || asked(&question));
    let outcomes = match goes {
        true => carry_out_all(finder, &applying, &wanted, held).await,
        false if how.json => {
            // Why not stands with each device.
            tell("nothing was sent");
            return Ok(match shown(finder, &wanted, &held, true).await? {
                Exit::Done => Exit::Nothing,
                other => other,
            });
        }
        false => {
            for (_, prepared) in held.iter().filter_map(|one| one.met.as_ref().ok()) {
                prepared.drop_files(finder.workplace).await?;
            }
            return Err(Failure::new(Exit::Nothing, "nothing was sent"));
        }
    };
    Ok(told(&wanted.order, &outcomes, how.json))
}

/// What speaks against beginning, by what was asked to stop on.
fn stops_before(applying: &Applying, held: &[Held]) -> Option<String> {
    let tied = |(_, prepared): &(AdbDevice, PreparedOrder)| applying.stops_on_otherwise(&prepared.applied);
    let otherwise = |one: &&Held| one.met.as_ref().is_ok_and(tied);
    let trouble = |one: &&Held| applying.stop_on.contains(&StopOn::Trouble) && one.met.is_err();
    let names: Vec<&str> =
        held.iter().filter(|one| otherwise(one) || trouble(one)).map(|one| one.name.as_str()).collect();
    (!names.is_empty()).then(|| format!("stopped before anything was sent, as asked for: {}", names.join(", ")))
}

/// Carries an order out on all devices that it was prepared for.
async fn carry_out_all(
    finder: &Finder<'_>,
    applying: &Applying,
    wanted: &OrderWanted,
    held: Vec<Held>,
) -> Vec<Outcomes> {
    let (interrupt, stopped) = Interrupt::listen("stopping all devices after what is on its way");
    let all = watch::Sender::new(Control::Go);
    let each = held.into_iter().map(|one| carry_out_one(finder, applying, wanted, one, &all, stopped.clone()));
    let outcomes = stream::iter(each).buffered(AT_ONCE).collect().await;
    drop(interrupt);
    outcomes
}

async fn carry_out_one(
    finder: &Finder<'_>,
    applying: &Applying,
    wanted: &OrderWanted,
    held: Held,
    all: &watch::Sender<Control>,
    mut stopped: watch::Receiver<Control>,
) -> Outcomes {
    let Held { name, met } = held;
    let (device, prepared) = match met {
        Ok(met) => met,
        Err(failure) => return Outcomes { name, ended: Err(failure), closed: None },
    };
    let stays = match prepared.is_to_do(wanted) {
        Err(why) => Some(why.into()),
        Ok(()) if applying.stops_on_otherwise(&prepared.applied) => Some(Failure::new(Exit::Nothing, OTHERWISE)),
        Ok(()) if [*all.borrow(), *stopped.borrow()].contains(&Control::Stop) => {
            Some(Failure::new(Exit::Nothing, "stopped before anything was sent to it"))
        }
        Ok(()) => None,
    };
    if let Some(failure) = stays {
        let dropped = prepared.drop_files(finder.workplace).await;
        return Outcomes { name, ended: Err(dropped.err().map_or(failure, Failure::from)), closed: None };
    }
    // Its own, and what stops all of them.
    let own = watch::Sender::new(Control::Go);
    let news = |news: OrderNews| match news {
        OrderNews::Said(words) => tell(format_args!("{name}: {words}")),
        OrderNews::Run(RunNews::Found(words)) => tell(format_args!("{name}: {words}")),
        OrderNews::Run(RunNews::Waiting(Some(why))) => tell(format_args!("{name}: {why}; waiting")),
        OrderNews::Run(RunNews::Step(_, StepEvent::Settled { outcome, .. }))
            if matches!(outcome, Outcome::Refused | Outcome::NoEffect)
                && applying.stop_on.contains(&StopOn::Refusal) =>
        {
            tell(format_args!("{name}: something was refused: stopped, as asked for"));
            let _ = own.send(Control::Stop);
            if applying.stop_all {
                let _ = all.send(Control::Stop);
            }
        }
        OrderNews::Run(_) => {}
    };
    let mut everybody = all.subscribe();
    let listens = own.subscribe();
    let passes_on = async {
        tokio::select! {
            _ = everybody.wait_for(|control| *control == Control::Stop) => {}
            _ = stopped.wait_for(|control| *control == Control::Stop) => {}
        }
        let _ = own.send(Control::Stop);
        std::future::pending::<()>().await
    };
    let job = applying.job.clone();
    let carried_out = carry_out_order(finder.workplace, &device, &prepared, &wanted.order, job, listens, &news);
    let ended = tokio::select! {
        ended = carried_out => ended,
        () = passes_on => unreachable!("it only passes on"),
    };
    let dropped = prepared.drop_files(finder.workplace).await;
    if ended.trouble.is_some() && applying.stop_on.contains(&StopOn::Trouble) && applying.stop_all {
        let _ = all.send(Control::Stop);
    }
    let closed = match wanted.order.end.close && ended.is_whole() {
        true => Some(close_device(device, finder.workplace).await),
        false => None,
    };
    match dropped {
        Ok(()) => Outcomes { name, ended: Ok(ended), closed },
        Err(error) => Outcomes { name, ended: Err(error.into()), closed },
    }
}

/// Tells what became of an order on each device.
fn told(order: &Order, outcomes: &[Outcomes], as_json: bool) -> Exit {
    let exit_of = |one: &Outcomes| match &one.ended {
        Ok(OrderEnded { run: Some(run), trouble: None, .. }) => Exit::of(run),
        Ok(OrderEnded { run, trouble: Some(trouble), .. }) => {
            let ran = run.as_ref().map_or(Exit::Nothing, Exit::of);
            if ran == Exit::Done || ran == Exit::Nothing { exit_of_trouble(trouble) } else { ran }
        }
        Ok(OrderEnded { run: None, trouble: None, .. }) => Exit::Nothing,
        Err(failure) => failure.exit,
    };
    let exits: Vec<Exit> = outcomes.iter().map(exit_of).collect();
    if as_json {
        let devices = outcomes.iter().zip(&exits).map(|(one, exit)| match &one.ended {
            Ok(ended) => {
                let trouble = ended.trouble.as_ref().map(ToString::to_string);
                json::OrderedDevice::done(&one.name, ended.run.as_ref(), &ended.settings, trouble, *exit, one.closed)
            }
            Err(failure) => json::OrderedDevice::failed(&one.name, failure),
        });
        json::print(&json::JsonOrder::of(order, devices.collect(), false));
    } else {
        for one in outcomes {
            tell_one(one);
        }
    }
    overall(&exits)
}

/// All of one kind say that; some done and some not is "partly".
pub(super) fn overall(exits: &[Exit]) -> Exit {
    match exits.first() {
        Some(first) if exits.iter().all(|exit| exit == first) => *first,
        Some(_) if exits.contains(&Exit::Unsettled) => Exit::Unsettled,
        Some(_) if exits.contains(&Exit::Done) || exits.contains(&Exit::Partly) => Exit::Partly,
        other => other.copied().unwrap_or(Exit::Nothing),
    }
}

fn exit_of_trouble(trouble: &OrderTrouble) -> Exit {
    match trouble {
        OrderTrouble::Run(_) => Exit::Trouble,
        OrderTrouble::After(_) | OrderTrouble::NotSet(_) => Exit::Partly,
    }
}

fn tell_one(one: &Outcomes) {
    match &one.ended {
        Ok(ended) => {
            ended.run.iter().for_each(|run| tell_steps(&one.name, run));
            tell_set(&one.name, &ended.settings);
            if let Some(trouble) = &ended.trouble {
                line(format_args!("{:<24} {trouble}", one.name));
            }
            tell_closed(&one.name, one.closed);
        }
        Err(failure) => line(format_args!("{:<24} {}", one.name, failure.message)),
    }
}

/// What became of a run, in a line, and what of it was refused.
pub(super) fn tell_steps(name: &str, run: &Run) {
    use Outcome::{Answered, Done, NoEffect, Refused, Skipped, Unsettled};
    let counts: Vec<String> = [Done, Answered, Refused, NoEffect, Unsettled, Skipped]
        .into_iter()
        .filter(|outcome| run.count(*outcome) > 0)
        .map(|outcome| format!("{} {outcome}", run.count(outcome)))
        .collect();
    line(format_args!("{name:<24} run {:<5} {}", run.number, counts.join(", ")));
    for step in run.steps.iter().filter(|step| matches!(step.outcome, Some(Refused | NoEffect))) {
        line(format_args!("  {} of user {}: {}", step.id, step.user, step.remark));
    }
}

/// What became of settings, where any were sent.
pub(super) fn tell_set(name: &str, settings: &[SettingChange]) {
    for change in settings {
        line(format_args!("{name:<24} {}: {}", change.state.words(), change.words()));
    }
}

/// Whether a link was closed, where that belonged to it.
pub(super) fn tell_closed(name: &str, closed: Option<bool>) {
    match closed {
        Some(true) => line(format_args!("{name:<24} its link is closed")),
        Some(false) => line(format_args!("{name:<24} its link could not be closed whole")),
        None => {}
    }
}
