//! `wibbet packages`: everything that is known of the packages, as text, CSV or JSON.

use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use clap::Args;
use wibbet_bench::ops::{device_languages, read_catalog, read_metrics};
use wibbet_core::catalog::{Attribute, Catalog, Chosen, Column, IdList};
use wibbet_core::package::{Inventory, notes_by_package};
use wibbet_core::plan::{TrayItem, read_tray};
use wibbet_core::search::{Matcher, Search, SearchErrorKind, facts};
use wibbet_types::{Locale, PackageId, UserId};

use super::look::{check_user, how_far, read};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::csv;
use crate::export::csv::Form;
use crate::export::json;
use crate::export::json::{Device, Packages};
use crate::out::{line, tell};

/// What is to be shown.
#[derive(Debug, Args)]
pub(crate) struct Wanted {
    /// Only this user's states; searches and columns are about this user too [default: 0].
    #[arg(long)]
    user: Option<UserId>,
    /// Only what a search line finds, as on the screen: words, :facts, :size>50M …
    #[arg(long, value_name = "LINE")]
    search: Option<String>,
    /// Only what a plain list of ids names; `-` reads it from standard input. What of it is not on the device is told.
    #[arg(long, value_name = "FILE|-")]
    from: Option<PathBuf>,
    /// These columns, in this order, separated by commas.
    #[arg(long, value_name = "NAMES", value_delimiter = ',', value_parser = column)]
    columns: Vec<Column>,
    /// Sort by this column.
    #[arg(long, value_name = "NAME", value_parser = column)]
    sort: Option<Column>,
    /// Labels in these languages, most wanted first, in place of the device's.
    #[arg(long, value_name = "LOCALES", value_delimiter = ',')]
    language: Vec<Locale>,
    /// Only the states, without labels, sizes and use.
    #[arg(long)]
    quick: bool,
    /// Comma-separated values on standard output.
    #[arg(long, conflicts_with = "json")]
    csv: bool,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

fn column(name: &str) -> Result<Column, String> {
    let all = || Attribute::columns().map(|c| c.name).collect::<Vec<_>>().join(", ");
    Attribute::column(name).ok_or_else(|| format!("there is no column “{name}”; there are {}", all()))
}

/// Reads what a file, or standard input, has as a text.
fn text_from(file: &Path, what: &str) -> Result<String, Failure> {
    /// Longer ones are no lists, in bytes.
    const MOST: u64 = 4 * 1024 * 1024;
    let mut text = Vec::new();
    let read = match file.as_os_str() == "-" {
        true => std::io::stdin().take(MOST).read_to_end(&mut text),
        false => std::fs::File::open(file).and_then(|f| f.take(MOST).read_to_end(&mut text)),
    };
    let failed = |why: std::io::Error| {
        Failure::new(Exit::Usage, format!("the {what} {} could not be read: {why}", file.display()))
    };
    read.map_err(failed)?;
    Ok(String::from_utf8_lossy(&text).into_owned())
}

/// Reads a tray. What is wrong with it is told with its line.
pub(crate) fn tray_from(file: Option<&Path>) -> Result<Vec<TrayItem>, Failure> {
    let Some(file) = file else { return Ok(Vec::new()) };
    let wrong = |why: String| Failure::new(Exit::Usage, format!("the tray {}: {why}", file.display()));
    match read_tray(&text_from(file, "tray")?) {
        Ok(tray) if tray.is_empty() => Err(wrong("it names no package".into())),
        tray => tray.map_err(|why| wrong(why.to_string())),
    }
}

/// Reads a plain list of ids. What in it is no id is told.
pub(crate) fn list_from(file: Option<&Path>) -> Result<Vec<PackageId>, Failure> {
    let Some(file) = file else { return Ok(Vec::new()) };
    let text = text_from(file, "list")?;
    let list = IdList::read(&text);
    if !list.others.is_empty() {
        let words: Vec<String> =
            list.others.iter().take(10).map(|w| wibbet_types::PlainText::new(w).to_string()).collect();
        let more = if list.others.len() > 10 { ", …" } else { "" };
        tell(format_args!("no ids, and skipped: {}{more}", words.join(", ")));
    }
    if list.ids.is_empty() {
        return Err(Failure::new(Exit::Usage, format!("the list {} names no package", file.display())));
    }
    Ok(list.ids)
}

/// Of a list, what is installed for a user. The rest is told.
pub(crate) fn what_is_there(inventory: &Inventory, list: Vec<PackageId>, user: UserId) -> Vec<PackageId> {
    let mut there = Vec::new();
    for id in list {
        match inventory.packages.get(&id) {
            Some(package) if package.state(user).installed => there.push(id),
            Some(package) => {
                tell(format_args!("{id} is {} for user {user}", package.condition(user).word()));
            }
            None => tell(format_args!("{id} is not on the device")),
        }
    }
    there
}

pub(crate) async fn packages(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    let list = list_from(wanted.from.as_deref())?;
    let (device, inventory, told) = read(finder, name).await?;
    if let Some(user) = wanted.user {
        check_user(&inventory, user)?;
    }
    let in_front = told.as_ref().and_then(|told| told.vitals.current_user);
    let user = wanted.user.unwrap_or_else(|| inventory.usual_user(in_front));
    let book = &finder.workplace.book;
    let mut catalog = match wanted.quick {
        true => Catalog::new(Arc::new(inventory)),
        false => {
            let languages = match wanted.language.is_empty() {
                true => device_languages(&device, user).await?,
                false => wanted.language.clone(),
            };
            let metrics = read_metrics(&device, &inventory, &mut |_| {}).await?;
            let (catalog, trouble) =
                read_catalog(&device, book, inventory, metrics, &languages, &[user], &mut how_far).await?;
            // The states are known, and labels are told to be missing.
            if let Some(error) = trouble {
                tell(format_args!("labels could not be read: {error}"));
            }
            catalog
        }
    };
    if let Some(facts) = device.facts() {
        let notes = book.with(move |book| book.notes(&facts)).await?;
        catalog.notes = Arc::new(notes_by_package(notes));
    }
    let ids = chosen(&catalog, &wanted, list, user)?;
    let gaps = gaps(&catalog, &wanted);
    if wanted.json {
        let shown =
            Device::of(device.facts().as_ref(), &device.address(), "ready", None).with(&device.routes(), told.as_ref());
        json::print(&Packages::of(shown, &catalog, &ids, wanted.user, gaps));
        return Ok(Exit::Done);
    }
    if wanted.csv {
        let columns = if wanted.columns.is_empty() { Attribute::columns().collect() } else { wanted.columns.clone() };
        line(csv::write(&catalog, &ids, &columns, user, Form::Csv).trim_end());
    } else {
        print(&catalog, &ids, &wanted, user);
    }
    gaps.iter().for_each(|gap| tell(format_args!("not read: {gap}")));
    Ok(Exit::Done)
}

/// The packages that were asked for, in the order that was asked for.
fn chosen(catalog: &Catalog, wanted: &Wanted, list: Vec<PackageId>, user: UserId) -> Result<Vec<PackageId>, Failure> {
    let search = Search::read(wanted.search.as_deref().unwrap_or(""));
    if let Some(spot) = &search.trouble {
        let line = wanted.search.as_deref().unwrap_or("");
        let more = match &spot.kind {
            SearchErrorKind::NotComparable(_) => {
                format!("; these can: {}", Attribute::comparisons().map(|(_, c)| c.name).collect::<Vec<_>>().join(", "))
            }
            SearchErrorKind::UnknownFact(_) => {
                format!("; there are {}", facts().map(|f| f.name).collect::<Vec<_>>().join(", "))
            }
            _ => String::new(),
        };
        let words = format!("in the search line, at “{}”: {}{more}", &line[spot.span.clone()], spot.kind);
        return Err(Failure::new(Exit::Usage, words));
    }
    let mut ids = search.run(catalog, user, &Chosen::new(), &mut Matcher::default());
    if wanted.from.is_some() {
        for id in list.iter().filter(|id| !catalog.inventory.packages.contains_key(*id)) {
            tell(format_args!("{id} is not on the device"));
        }
        ids.retain(|id| list.contains(id));
    }
    if let Some(column) = wanted.sort {
        ids.sort_by(|a, b| match (catalog.entry(a, user), catalog.entry(b, user)) {
            (Some(a), Some(b)) => column.order(&a, &b, false),
            _ => std::cmp::Ordering::Equal,
        });
    }
    Ok(ids)
}

fn gaps(catalog: &Catalog, wanted: &Wanted) -> Vec<String> {
    let mut gaps = catalog.inventory.gaps.clone();
    if !wanted.quick {
        gaps.extend(catalog.metrics.gaps.values().cloned());
        let unread = catalog
            .inventory
            .packages
            .keys()
            .filter(|id| catalog.names.apps.get(*id).is_none_or(|a| a.label.is_none()));
        match unread.count() {
            0 => {}
            1 => gaps.push("the label of 1 package".to_owned()),
            n => gaps.push(format!("the labels of {n} packages")),
        }
    }
    gaps
}

fn print(catalog: &Catalog, ids: &[PackageId], wanted: &Wanted, user: UserId) {
    let users: Vec<UserId> = catalog
        .inventory
        .users_to_tell(wanted.user)
        .map(|u| u.id)
        .filter(|u| wanted.user.is_none_or(|o| o == *u))
        .collect();
    for user in catalog.inventory.users.iter().filter(|u| users.contains(&u.id)) {
        line(format_args!("user {}: {} ({})", user.id, user.name, user.kind.name()));
    }
    for entry in ids.iter().filter_map(|id| catalog.entry(id, user)) {
        if !wanted.columns.is_empty() {
            let cells: Vec<String> = wanted
                .columns
                .iter()
                .map(|c| padded(&c.words(&entry).unwrap_or_else(|| "–".into()), c.cells))
                .collect();
            line(cells.join(" ").trim_end());
            continue;
        }
        let states: String = users.iter().map(|u| format!("{:<13}", entry.package.condition(*u).word())).collect();
        let label = entry.label().map_or_else(String::new, str::to_owned);
        let label = if wanted.quick { String::new() } else { padded(&label, 30) };
        line(format_args!("{states}{:<16}{label}{}", entry.package.kind.name(), entry.package.id));
    }
}

/// A text in so many cells of a terminal, or more where it is longer.
fn padded(text: &str, cells: u16) -> String {
    use unicode_width::UnicodeWidthStr as _;
    format!("{text}{} ", " ".repeat(usize::from(cells).saturating_sub(text.width())))
}
