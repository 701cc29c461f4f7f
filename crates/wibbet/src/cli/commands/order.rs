//! `wibbet order make`, and orders as they stand in their files.

use std::path::{Path, PathBuf};

use wibbet_bench::logbook::now;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::UpdateBreak;
use wibbet_core::order::{
    Made, Order, Scope, Way, What, read_list, read_order, write_csv, write_ids, write_order, write_order_as_json,
};
use wibbet_core::plan::Change;
use wibbet_core::run::{Run, Shelf};
use wibbet_types::{PackageId, RunId, counted};

use super::update_break::{read_there, write_file};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{day_here, line, tell};

/// The schema of order files.
const SCHEMA: &str = include_str!("../../../../../docs/order.schema.json");

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
    let most = wibbet_core::order::LONGEST as u64;
    let read = match file == Path::new("-") {
        true => wibbet_types::text_of(std::io::stdin().lock(), most),
        false => wibbet_types::read_text(file, most),
    };
    read.map_err(|why| Failure::new(Exit::Usage, format!("{} could not be read: {why}", file.display())))
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
    order.made_on(&day_here(now()), &facts);
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
    let found = order.items.iter().filter(|item| !matches!(item.what, What::Package(_))).count();
    if found > 0 && matches!(form, Form::Csv | Form::Ids) {
        let words = counted(found, "item", "items");
        tell(format_args!("{words} by search or role have no place in that form, and are left out"));
    }
    if making.to == Path::new("-") {
        line(text.trim_end());
    } else {
        write_file(&making.to, &text)?;
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
    let called = |run: &Run, facts: &DeviceFacts| format!("Run {} on {}", run.number, facts.name());
    let Some(name) = &making.device else {
        let Some(run) = run else {
            return Err(Failure::new(Exit::Usage, "name a device for --off, a run with --run, or a list with --from"));
        };
        let met = finder.workplace.book.with(|book| book.devices()).await?;
        let facts = met.into_iter().map(|known| known.facts).find(|facts| facts.id == run.device);
        let facts =
            facts.ok_or_else(|| Failure::new(Exit::Nothing, format!("the logbook does not know {}", run.device)))?;
        tell("what ties these packages on the device is not in the record: name the device too, and it is noted");
        let made = Made::of_run(&run, &[], |_| String::new());
        return Ok((Order::of(&called(&run, &facts), made, None), facts));
    };
    let there = read_there(finder, name).await?;
    if let Some(other) = run.as_ref().filter(|run| run.device != there.facts.id) {
        let words = format!("run {} was on {}, and this is {}", other.number, other.device, there.facts.id);
        return Err(Failure::new(Exit::Usage, words));
    }
    let shelf = Shelf::with_copies(&there.catalog.inventory, &there.runs, &there.copies);
    let before_too = making.before_too || run.is_some();
    let (off, left) = UpdateBreak::items_of(&shelf, &there.runs, &there.catalog, before_too);
    let label = |id: &PackageId| {
        let label = there.catalog.names.apps.get(id).and_then(|app| app.name());
        label.map_or_else(String::new, ToString::to_string)
    };
    let (name, made) = match &run {
        Some(run) => (called(run, &there.facts), Made::of_run(run, &off, label)),
        None => {
            if left > 0 {
                tell(format_args!(
                    "{left} come back by root or from a copy only, or are of a private space, and are left out"
                ));
            }
            (format!("What is off {}", there.facts.name()), Made::of_off(off, label))
        }
    };
    Ok((Order::of(&name, made, Some(&there.catalog.inventory)), there.facts))
}

/// Shows an order alone.
pub(crate) fn show(file: &Path, as_json: bool) -> Result<Exit, Failure> {
    let order = read(file)?;
    match as_json {
        true => json::print(&json::JsonOrder::of(&order, Vec::new(), true)),
        false => show_order(&order),
    }
    Ok(Exit::Done)
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
