//! `wibbet order`: orders are made, held against devices, and carried out on several at once.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use futures_util::StreamExt as _;
use futures_util::stream::{self, FuturesUnordered};
use tokio::sync::watch;
use wibbet_bench::device::AdbDevice;
use wibbet_bench::logbook::now;
use wibbet_bench::orders::{
    OrderEnded, OrderNews, OrderTrouble, OrderWanted, PreparedOrder, carry_out_order, prepare_order,
};
use wibbet_bench::run::{Control, RunNews};
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::UpdateBreak;
use wibbet_core::order::{
    AppliedLine, Fate, Made, Order, Scope, Way, read_list, read_order, write_csv, write_ids, write_order,
    write_order_as_json,
};
use wibbet_core::plan::{Change, Job};
use wibbet_core::run::{Outcome, Run, Shelf, StepEvent};
use wibbet_types::{PackageId, RunId, counted};

use super::asking::{asked, may_change};
use super::interrupt::Interrupt;
use super::update_break::read_there;
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// The schema of order files.
const SCHEMA: &str = include_str!("../../../../../docs/order.schema.json");

/// So many devices are read and changed at the same time; more wait for one of them to be done.
const AT_ONCE: usize = 16;

/// Prints the schema.
pub(crate) fn schema() -> Exit {
    line(SCHEMA.trim_end());
    Exit::Done
}

/// An order out of a file.
pub(crate) fn read(file: &Path) -> Result<Order, Failure> {
    let text = read_text(file)?;
    read_order(&text).map_err(|why| Failure::new(Exit::Usage, format!("{}: {why}", file.display())))
}

/// The text of a file, or of standard input for `-`; no longer than any order is.
fn read_text(file: &Path) -> Result<String, Failure> {
    use std::io::Read as _;
    let most = wibbet_core::order::LONGEST as u64 + 1;
    let mut text = String::new();
    let read = if file == Path::new("-") {
        std::io::stdin().lock().take(most).read_to_string(&mut text)
    } else {
        std::fs::File::open(file).and_then(|opened| opened.take(most).read_to_string(&mut text))
    };
    match read {
        Ok(_) => Ok(text),
        Err(why) => Err(Failure::new(Exit::Usage, format!("{} could not be read: {why}", file.display()))),
    }
}

/// What an order is made of.
#[derive(Debug, Clone)]
pub(crate) struct Making {
    /// The device that it is made on; not needed for a run or a list.
    pub(crate) device: Option<String>,
    /// What this run took out.
    pub(crate) run: Option<RunId>,
    /// With what was off before Wibbet.
    pub(crate) before_too: bool,
    /// A list.
    pub(crate) from: Option<PathBuf>,
    /// The way for what a list gives none.
    pub(crate) way: Option<Change>,
    /// Where it is written to; `-` for standard output.
    pub(crate) to: PathBuf,
    pub(crate) name: Option<String>,
    pub(crate) purpose: Option<String>,
    /// It is for devices of the model alone that it was made on.
    pub(crate) for_model: bool,
}

/// An order of a list: nothing but files is needed for it.
pub(crate) fn make_of_list(making: Making) -> Result<Exit, Failure> {
    let form = Form::of(&making.to)?;
    let Some(from) = &making.from else {
        return Err(Failure::new(Exit::Usage, "name a device for --off, a run with --run, or a list with --from"));
    };
    let order = of_list(from, making.way)?;
    write(order, form, &making)
}

pub(crate) async fn make(finder: &Finder<'_>, making: Making) -> Result<Exit, Failure> {
    // Before anything is asked of a device.
    let form = Form::of(&making.to)?;
    let (mut order, facts) = of_device(finder, &making).await?;
    let day = json::time(now()).chars().take(10).collect::<String>();
    order.made = format!("{day} on {} ({}, {})", facts.name(), facts.android, facts.build);
    if making.for_model {
        let (makers, models) = (vec![facts.maker.to_string()], vec![facts.model.to_string()]);
        order.scope = Scope { makers, models, ..Scope::default() };
    }
    write(order, form, &making)
}

fn write(mut order: Order, form: Form, making: &Making) -> Result<Exit, Failure> {
    if let Some(name) = &making.name {
        order.name.clone_from(name);
    }
    if let Some(purpose) = &making.purpose {
        order.purpose.clone_from(purpose);
    }
    if order.items.is_empty() {
        return Err(Failure::new(Exit::Nothing, "there is nothing to make an order of"));
    }
    let text = form.text(&order);
    // What was written can be read, or is not written.
    if matches!(form, Form::Toml | Form::Json) {
        read_order(&text).map_err(|why| Failure::new(Exit::Usage, why.to_string()))?;
    }
    if making.to == Path::new("-") {
        line(text.trim_end());
    } else {
        super::update_break::write_file(&making.to, &text)?;
        let items = counted(order.items.len(), "item", "items");
        tell(format_args!("“{}”, {items}, stands in {}", order.name, making.to.display()));
    }
    Ok(Exit::Done)
}

/// In what form an order is written.
#[derive(Debug, Clone, Copy)]
enum Form {
    Toml,
    Json,
    Csv,
    Ids,
}

impl Form {
    fn of(file: &Path) -> Result<Self, Failure> {
        if file != Path::new("-") && file.exists() {
            return Err(Failure::new(Exit::Usage, format!("{} is there already", file.display())));
        }
        let ending = file.extension().map(|ending| ending.to_string_lossy().to_lowercase());
        match ending.as_deref() {
            None if file == Path::new("-") => Ok(Self::Toml),
            Some("toml") => Ok(Self::Toml),
            Some("json") => Ok(Self::Json),
            Some("csv") => Ok(Self::Csv),
            Some("txt") => Ok(Self::Ids),
            _ => {
                let words =
                    format!("{}: the ending says the form: .toml, .json, .csv, or .txt for ids alone", file.display());
                Err(Failure::new(Exit::Usage, words))
            }
        }
    }

    fn text(self, order: &Order) -> String {
        match self {
            Self::Toml => write_order(order),
            Self::Json => write_order_as_json(order),
            Self::Csv => write_csv(order),
            Self::Ids => write_ids(order),
        }
    }
}

fn of_list(from: &Path, way: Option<Change>) -> Result<Order, Failure> {
    let list =
        read_list(&read_text(from)?).map_err(|why| Failure::new(Exit::Usage, format!("{}: {why}", from.display())))?;
    for word in list.others.iter().take(5) {
        tell(format_args!("“{word}” is no id, and is left out"));
    }
    let mut order = list.order;
    if let Some(way) = way {
        order.items.iter_mut().filter(|item| item.way == Way::Usual).for_each(|item| item.way = Way::By(way));
    }
    if order.name.is_empty() {
        order.name = from.file_stem().map_or_else(|| "list".into(), |stem| stem.to_string_lossy().into_owned());
    }
    Ok(order)
}

/// What a run took out, or what is off a device.
async fn of_device(finder: &Finder<'_>, making: &Making) -> Result<(Order, DeviceFacts), Failure> {
    let run = match making.run {
        None => None,
        Some(number) => {
            let run = finder.workplace.book.with(move |book| book.run(number)).await?;
            let none = || Failure::new(Exit::Nothing, format!("the logbook has no run {number}"));
            Some(run.ok_or_else(none)?)
        }
    };
    let went = |run: &Run| {
        let done = run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done) && step.way.is_a_way());
        done.map(|step| (step.id.clone(), step.user, step.way)).collect::<Vec<_>>()
    };
    let Some(name) = &making.device else {
        let Some(run) = run else {
            return Err(Failure::new(Exit::Usage, "name a device for --off, a run with --run, or a list with --from"));
        };
        let id = run.device.clone();
        let met = finder.workplace.book.with(|book| book.devices()).await?;
        let facts = met.into_iter().map(|known| known.facts).find(|facts| facts.id == id);
        let facts = facts.ok_or_else(|| Failure::new(Exit::Nothing, format!("the logbook does not know {id}")))?;
        let made =
            went(&run).into_iter().map(|(id, user, way)| Made { id, user, way, holds: None, label: String::new() });
        tell("what ties these packages on the device is not in the record: name the device too, and it is noted");
        return Ok((Order::of(&format!("Run {} on {}", run.number, facts.name()), made, None), facts));
    };
    let there = read_there(finder, name).await?;
    if let Some(other) = run.as_ref().filter(|run| run.device != there.facts.id) {
        let words = format!("run {} was on {}, and this is {}", other.number, other.device, there.facts.id);
        return Err(Failure::new(Exit::Usage, words));
    }
    let shelf = Shelf::with_copies(&there.catalog.inventory, &there.runs, &there.copies);
    let before_too = making.before_too || run.is_some();
    let (items, left) = UpdateBreak::items_of(&shelf, &there.runs, &there.catalog, before_too);
    let label = |id: &PackageId| {
        let label = there.catalog.names.apps.get(id).and_then(|app| app.name());
        label.map_or_else(String::new, ToString::to_string)
    };
    let made = |id: PackageId, user, way, holds| Made { label: label(&id), id, user, way, holds };
    let inventory = Some(&*there.catalog.inventory);
    let order = match &run {
        Some(run) => {
            let holds = |id: &PackageId, user| {
                items.iter().find(|item| item.id == *id && item.user == user).map(|item| item.holds.clone())
            };
            let all = went(run).into_iter().map(|(id, user, way)| {
                let holds = holds(&id, user);
                made(id, user, way, holds)
            });
            Order::of(&format!("Run {} on {}", run.number, there.facts.name()), all, inventory)
        }
        None => {
            if left > 0 {
                tell(format_args!(
                    "{left} come back by root or from a copy only, or are of a private space, and are left out"
                ));
            }
            let all = items.into_iter().map(|item| made(item.id, item.user, item.way, Some(item.holds)));
            Order::of(&format!("What is off {}", there.facts.name()), all, inventory)
        }
    };
    Ok((order, there.facts))
}

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

impl Applying {
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
    let each = names.iter().enumerate().map(|(n, name)| async move {
        let met = async {
            let device = finder.link(name).await?;
            tell(format_args!("{name}: reading its packages"));
            let prepared = prepare_order(finder.workplace, &device, wanted, &mut |_| {}).await?;
            Ok((device, prepared))
        };
        (n, Held { name: name.clone(), met: met.await })
    });
    let mut all: Vec<(usize, Held)> = stream::iter(each).buffer_unordered(AT_ONCE).collect().await;
    all.sort_by_key(|(n, _)| *n);
    let mut seen: Vec<(String, wibbet_types::DeviceId)> = Vec::new();
    let mut held: Vec<Held> = all.into_iter().map(|(_, held)| held).collect();
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

/// Shows an order alone.
pub(crate) fn show(applying: &Applying) -> Result<Exit, Failure> {
    let order = read(&applying.file)?;
    match applying.how.json {
        true => json::print(&json::JsonOrder::of(&order, Vec::new(), true)),
        false => show_order(&order),
    }
    Ok(Exit::Done)
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

/// Shows what an order says.
pub(super) fn show_order(order: &Order) {
    line(&order.name);
    let lines = [("for", order.purpose.clone()), ("made", order.made.clone()), ("users", order.users.to_string())];
    for (head, words) in lines.iter().filter(|(_, words)| !words.is_empty()) {
        line(format_args!("  {head:<8} {words}"));
    }
    if !order.scope.is_for_all() {
        let Scope { makers, models, kinds, from, to } = &order.scope;
        let kinds: Vec<String> = kinds.iter().map(|kind| kind.name().to_owned()).collect();
        let android = from.iter().map(|from| format!("Android {from} and later"));
        let android = android.chain(to.iter().map(|to| format!("Android {to} and earlier")));
        let all: Vec<String> = [makers.join(", "), models.join(", "), kinds.join(", ")]
            .into_iter()
            .filter(|part| !part.is_empty())
            .chain(android)
            .collect();
        line(format_args!("  devices  {}", all.join("; ")));
    }
    for install in &order.installs {
        line(format_args!("  install  {}", install.file));
    }
    for item in &order.items {
        let way = match item.way {
            Way::Usual => "as marked",
            Way::By(way) => way.label(),
            Way::Leave => "leave",
        };
        let users = item.users.as_ref().map_or_else(String::new, |users| format!("  for {users}"));
        let only = item.only_if.as_ref().map_or_else(String::new, |line| format!("  only if {line}"));
        let unless = item.unless.as_ref().map_or_else(String::new, |line| format!("  unless {line}"));
        let note = if item.note.is_empty() { String::new() } else { format!("  ({})", item.note) };
        line(format_args!("  {way:<20} {}{note}{users}{only}{unless}", item.what));
    }
    if let Some(end) = order.end.words() {
        line(format_args!("  then     {end}"));
    }
}

/// Shows what an order comes to on a device.
fn show_held(name: &str, prepared: &PreparedOrder, order: &Order) {
    let PreparedOrder { facts, applied, plan, catalog, .. } = prepared;
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
        line(format_args!("  {word:<20} {:<9} {}{why}{unjudged}", who_of(shown), what_of(shown, order, catalog)));
    }
    for step in plan.steps.iter().filter(|step| !step.way.is_a_way()) {
        let (word, why) = step.skip.map_or(("install first", String::new()), |skip| ("not sent", format!(": {skip}")));
        line(format_args!("  {word:<20} {:<9} {}{why}", format!("user {}", step.user), step.id));
    }
    for (user, does) in &prepared.does {
        let whose = if prepared.does.len() > 1 { format!("user {user}: ") } else { String::new() };
        does.missed(ToString::to_string).iter().for_each(|words| line(format_args!("  beware: {whose}{words}")));
    }
    if let Some(end) = order.end.words().filter(|_| plan.to_send() > 0) {
        line(format_args!("  when all is done: {end}"));
    }
}

fn what_of(shown: &AppliedLine, order: &Order, catalog: &wibbet_core::catalog::Catalog) -> String {
    match &shown.id {
        Some(id) => match catalog.names.apps.get(id).and_then(|app| app.name()) {
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
    let mut steps = 0;
    for one in &held {
        match &one.met {
            Ok((_, prepared)) => {
                if !how.yes && !how.json {
                    show_held(&one.name, prepared, &wanted.order);
                }
                match prepared.is_to_do(&wanted) {
                    Ok(()) => (to_do, steps) = (to_do + 1, steps + prepared.plan.to_send()),
                    Err(why) => tell(format_args!("{}: {why}", one.name)),
                }
            }
            Err(failure) => tell(format_args!("{}: {}", one.name, failure.message)),
        }
    }
    let question = format!("Send {} to {}?", counted(steps, "step", "steps"), counted(to_do, "device", "devices"));
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
    let otherwise = |one: &&Held| {
        let tied = |(_, prepared): &(AdbDevice, PreparedOrder)| prepared.applied.count("tied-otherwise") > 0;
        applying.stop_on.contains(&StopOn::Otherwise) && one.met.as_ref().is_ok_and(tied)
    };
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
    let mut going: FuturesUnordered<_> = held
        .into_iter()
        .enumerate()
        .map(|(n, one)| {
            let (all, stopped) = (&all, stopped.clone());
            async move { (n, carry_out_one(finder, applying, wanted, one, all, stopped).await) }
        })
        .collect();
    let mut outcomes = Vec::new();
    while let Some(outcome) = going.next().await {
        outcomes.push(outcome);
    }
    drop(going);
    drop(interrupt);
    outcomes.sort_by_key(|(n, _)| *n);
    outcomes.into_iter().map(|(_, outcome)| outcome).collect()
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
        Ok(()) if applying.stop_on.contains(&StopOn::Otherwise) && prepared.applied.count("tied-otherwise") > 0 => {
            Some(Failure::new(Exit::Nothing, "something is tied otherwise here than where the order was made"))
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
    let done = ended.trouble.is_none() && ended.run.as_ref().is_some_and(|run| Exit::of(run) == Exit::Done);
    let closed = match wanted.order.end.close && done {
        true => Some(super::links::close_device(device, finder.workplace).await),
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
        Ok(OrderEnded { run: Some(run), trouble: None }) => Exit::of(run),
        Ok(OrderEnded { run, trouble: Some(trouble) }) => {
            let ran = run.as_ref().map_or(Exit::Nothing, Exit::of);
            if ran == Exit::Done || ran == Exit::Nothing { exit_of_trouble(trouble) } else { ran }
        }
        Ok(OrderEnded { run: None, trouble: None }) => Exit::Nothing,
        Err(failure) => failure.exit,
    };
    let exits: Vec<Exit> = outcomes.iter().map(exit_of).collect();
    if as_json {
        let devices = outcomes.iter().zip(&exits).map(|(one, exit)| match &one.ended {
            Ok(ended) => {
                let trouble = ended.trouble.as_ref().map(ToString::to_string);
                json::OrderedDevice::done(&one.name, ended.run.as_ref(), trouble, *exit, one.closed)
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
        OrderTrouble::After(_) => Exit::Partly,
    }
}

fn tell_one(one: &Outcomes) {
    match &one.ended {
        Ok(ended) => {
            ended.run.iter().for_each(|run| tell_steps(&one.name, run));
            if let Some(trouble) = &ended.trouble {
                line(format_args!("{:<24} {trouble}", one.name));
            }
            match one.closed {
                Some(true) => line(format_args!("{:<24} its link is closed", one.name)),
                Some(false) => line(format_args!("{:<24} its link could not be closed whole", one.name)),
                None => {}
            }
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
