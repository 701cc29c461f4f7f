//! `wibbet packages`: everything that is known of the packages, as text, CSV or JSON.

use std::collections::BTreeMap;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use clap::Args;
use serde::Serialize;
use wibbet_bench::device::AskError;
use wibbet_bench::ops::{details, device_languages, read_labels, read_measures};
use wibbet_core::catalog::{Catalog, CatalogEntry, Chosen, Column, IdList};
use wibbet_core::package::{Inventory, guessed_name, notes_by_package};
use wibbet_core::search::{FACTS, FIELDS, Finder as WordFinder, Search};
use wibbet_types::{Locale, PackageId, UserId};

use super::look::{check_user, read};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::csv;
use crate::export::csv::Form;
use crate::export::json;
use crate::export::json::{Device, JsonUser, State};
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
    /// These columns, in this order, parted by commas.
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
    let all = || Column::ALL.map(Column::name).join(", ");
    Column::from_name(name).ok_or_else(|| format!("there is no column “{name}”; there are {}", all()))
}

/// Reads a plain list of ids. What in it is no id is told.
pub(crate) fn list_from(file: Option<&Path>) -> Result<Vec<PackageId>, Failure> {
    /// Longer lists are no lists, in bytes.
    const MOST: u64 = 4 * 1024 * 1024;
    let Some(file) = file else { return Ok(Vec::new()) };
    let mut text = Vec::new();
    let read = match file.as_os_str() == "-" {
        true => std::io::stdin().take(MOST).read_to_end(&mut text),
        false => std::fs::File::open(file).and_then(|f| f.take(MOST).read_to_end(&mut text)),
    };
    let failed = |why: std::io::Error| {
        Failure::new(Exit::Usage, format!("the list {} could not be read: {why}", file.display()))
    };
    read.map_err(failed)?;
    let list = IdList::read(&String::from_utf8_lossy(&text));
    if !list.others.is_empty() {
        let words: Vec<String> =
            list.others.iter().take(10).map(|w| wibbet_types::PlainText::new(w).to_string()).collect();
        let more = if list.others.len() > 10 { ", …" } else { "" };
        tell(format_args!("no ids, and passed over: {}{more}", words.join(", ")));
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
                tell(format_args!("{id} is {} for user {user}", package.state(user).condition().word()));
            }
            None => tell(format_args!("{id} is not on the device")),
        }
    }
    there
}

pub(crate) async fn packages(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    let list = list_from(wanted.from.as_deref())?;
    let (device, inventory) = read(finder, name).await?;
    if let Some(user) = wanted.user {
        check_user(&inventory, user)?;
    }
    let user = wanted.user.unwrap_or(UserId::OWNER);
    let mut sheet = Catalog::new(Arc::new(inventory));
    let book = &finder.workplace.book;
    if let Some(facts) = device.facts() {
        let notes = book.with(move |book| book.notes(&facts)).await?;
        sheet.notes = Arc::new(notes_by_package(notes));
    }
    if !wanted.quick {
        let languages = match wanted.language.is_empty() {
            true => device_languages(&device).await?,
            false => wanted.language.clone(),
        };
        match read_labels(&device, book, &sheet.inventory, &languages, &mut |_| {}).await {
            Ok((names, _)) => sheet.names = Arc::new(names),
            Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error.into()),
            // The states are known, and labels are told to be missing.
            Err(error) => tell(format_args!("labels could not be read: {error}")),
        }
        sheet.measures = Arc::new(read_measures(&device, &mut |_| {}).await?);
    }
    let ids = chosen(&sheet, &wanted, list, user)?;
    let gaps = gaps(&sheet, &wanted);
    if wanted.json {
        let told = details(&device).await;
        let shown =
            Device::of(device.facts().as_ref(), &device.address(), "ready", None).with(&device.routes(), told.as_ref());
        json::print(&Packages::of(shown, &sheet, &ids, &wanted, gaps));
        return Ok(Exit::Done);
    }
    if wanted.csv {
        let columns = if wanted.columns.is_empty() { Column::ALL.to_vec() } else { wanted.columns.clone() };
        line(csv::write(&sheet, &ids, &columns, user, Form::Csv).trim_end());
    } else {
        print(&sheet, &ids, &wanted);
    }
    gaps.iter().for_each(|gap| tell(format_args!("not read: {gap}")));
    Ok(Exit::Done)
}

/// The packages that were asked for, in the order that was asked for.
fn chosen(sheet: &Catalog, wanted: &Wanted, list: Vec<PackageId>, user: UserId) -> Result<Vec<PackageId>, Failure> {
    let search = Search::read(wanted.search.as_deref().unwrap_or(""));
    if let Some(spot) = &search.trouble {
        let line = wanted.search.as_deref().unwrap_or("");
        let fields = FIELDS.map(|(name, ..)| name).join(", ");
        let facts = FACTS.map(|(name, ..)| name).join(", ");
        let said = spot.words.replace("Tab shows what can", &format!("these can: {fields}"));
        let said = said.replace("Tab shows those that there are", &format!("there are {facts}"));
        let words = format!("in the search line, at “{}”: {said}", &line[spot.at.clone()]);
        return Err(Failure::new(Exit::Usage, words));
    }
    let mut ids = search.run(sheet, user, &Chosen::new(), &mut WordFinder::default());
    if wanted.from.is_some() {
        for id in list.iter().filter(|id| !sheet.inventory.packages.contains_key(id)) {
            tell(format_args!("{id} is not on the device"));
        }
        ids.retain(|id| list.contains(id));
    }
    if let Some(column) = wanted.sort {
        ids.sort_by(|a, b| match (sheet.sight(a, user), sheet.sight(b, user)) {
            (Some(a), Some(b)) => column.order(&a, &b, false),
            _ => std::cmp::Ordering::Equal,
        });
    }
    Ok(ids)
}

fn gaps(sheet: &Catalog, wanted: &Wanted) -> Vec<String> {
    let mut gaps = sheet.inventory.gaps.clone();
    if !wanted.quick {
        gaps.extend(sheet.measures.gaps.values().cloned());
        let unread =
            sheet.inventory.packages.keys().filter(|id| sheet.names.apps.get(id).is_none_or(|a| a.label.is_none()));
        match unread.count() {
            0 => {}
            1 => gaps.push("the label of 1 package".to_owned()),
            n => gaps.push(format!("the labels of {n} packages")),
        }
    }
    gaps
}

fn print(sheet: &Catalog, ids: &[PackageId], wanted: &Wanted) {
    let user = wanted.user.unwrap_or(UserId::OWNER);
    let users: Vec<UserId> =
        sheet.inventory.users.iter().map(|u| u.id).filter(|u| wanted.user.is_none_or(|o| o == *u)).collect();
    for user in sheet.inventory.users.iter().filter(|u| users.contains(&u.id)) {
        line(format_args!("user {}: {} ({})", user.id, user.name, user.kind.name()));
    }
    for sight in ids.iter().filter_map(|id| sheet.sight(id, user)) {
        if !wanted.columns.is_empty() {
            let cells: Vec<String> = wanted
                .columns
                .iter()
                .map(|c| padded(&c.words(&sight).unwrap_or_else(|| "–".into()), c.cells()))
                .collect();
            line(cells.join(" ").trim_end());
            continue;
        }
        let states: String =
            users.iter().map(|u| format!("{:<13}", sight.package.state(*u).condition().word())).collect();
        let label = sight.label().map_or_else(String::new, str::to_owned);
        let label = if wanted.quick { String::new() } else { padded(&label, 30) };
        line(format_args!("{states}{:<16}{label}{}", sight.package.kind.name(), sight.package.id));
    }
}

/// A text in so many cells of a terminal, or more where it is longer.
fn padded(text: &str, cells: u16) -> String {
    use unicode_width::UnicodeWidthStr as _;
    format!("{text}{} ", " ".repeat(usize::from(cells).saturating_sub(text.width())))
}

#[derive(Serialize)]
struct JsonSize {
    code: u64,
    data: u64,
    cache: u64,
}

#[derive(Serialize)]
struct JsonHome {
    class: String,
    label: Option<String>,
}

#[derive(Serialize)]
struct JsonNote {
    scope: &'static str,
    text: String,
    star: bool,
}

#[derive(Serialize)]
struct JsonPackage {
    id: String,
    label: Option<String>,
    language: Option<String>,
    guess: String,
    home: Option<Vec<JsonHome>>,
    kind: &'static str,
    version: String,
    version_code: Option<u64>,
    target_sdk: Option<u32>,
    path: Option<String>,
    apk: Option<String>,
    splits: Vec<String>,
    installer: Option<String>,
    uid: Option<u32>,
    shared_user: Option<String>,
    installed: Option<String>,
    updated: Option<String>,
    overlay_of: Option<String>,
    size: Option<JsonSize>,
    memory: Option<u64>,
    running: BTreeMap<String, Option<bool>>,
    used_days_ago: BTreeMap<String, Option<i64>>,
    never_used: BTreeMap<String, Option<bool>>,
    used_seconds: BTreeMap<String, Option<u64>>,
    requests: Vec<String>,
    granted: BTreeMap<String, Vec<String>>,
    notes: Vec<JsonNote>,
    states: BTreeMap<String, State>,
}

#[derive(Serialize)]
struct Packages {
    device: Device,
    users: Vec<JsonUser>,
    packages: Vec<JsonPackage>,
    gaps: Vec<String>,
}

impl Packages {
    fn of(device: Device, sheet: &Catalog, ids: &[PackageId], wanted: &Wanted, gaps: Vec<String>) -> Self {
        let users: Vec<UserId> =
            sheet.inventory.users.iter().map(|u| u.id).filter(|u| wanted.user.is_none_or(|o| o == *u)).collect();
        let shown = sheet.inventory.users.iter().filter(|u| users.contains(&u.id));
        Self {
            device,
            users: shown.map(JsonUser::from).collect(),
            packages: ids.iter().filter_map(|id| package(sheet, id, &users)).collect(),
            gaps,
        }
    }
}

fn package(sheet: &Catalog, id: &PackageId, users: &[UserId]) -> Option<JsonPackage> {
    let sight = sheet.sight(id, UserId::OWNER)?;
    let (package, about) = (sight.package, &sight.package.about);
    fn by_user<T>(
        sheet: &Catalog,
        id: &PackageId,
        users: &[UserId],
        pick: impl Fn(&CatalogEntry<'_>) -> T,
    ) -> BTreeMap<String, T> {
        let one = |user: &UserId| sheet.sight(id, *user).map(|s| (user.to_string(), pick(&s)));
        users.iter().filter_map(one).collect()
    }
    let text = |t: Option<&wibbet_types::PlainText>| t.map(ToString::to_string);
    Some(JsonPackage {
        id: id.to_string(),
        label: sight.app.and_then(|app| app.label.as_ref()).map(|label| label.to_string()),
        language: sight.app.filter(|a| a.label.is_some()).map(|a| a.locale.to_string()),
        guess: guessed_name(id),
        home: sight.app.map(|a| {
            let entry = |h: &wibbet_core::package::HomeEntry| JsonHome {
                class: h.class.to_string(),
                label: text(h.label.as_ref()),
            };
            a.home.iter().map(entry).collect()
        }),
        kind: package.kind.name(),
        version: package.version.to_string(),
        version_code: about.version_code,
        target_sdk: about.target_sdk,
        path: package.path.as_ref().map(ToString::to_string),
        apk: package.apk.as_ref().map(ToString::to_string),
        splits: about.splits.clone(),
        installer: about.installer.as_ref().map(ToString::to_string),
        uid: about.uid,
        shared_user: text(about.shared_user.as_ref()),
        installed: about.installed.map(wibbet_types::DeviceTime::date),
        updated: about.updated.map(wibbet_types::DeviceTime::date),
        overlay_of: sight.app.and_then(|a| a.overlay_of.as_ref()).map(ToString::to_string),
        size: sheet.measures.sizes.get(id).map(|s| JsonSize { code: s.code, data: s.data, cache: s.cache }),
        memory: sight.memory(),
        running: by_user(sheet, id, users, |s| s.running()),
        used_days_ago: by_user(sheet, id, users, |s| s.idle_days().flatten()),
        never_used: by_user(sheet, id, users, |s| s.idle_days().map(|d| d.is_none())),
        used_seconds: by_user(sheet, id, users, |s| s.used_seconds()),
        requests: about.requests.clone(),
        granted: by_user(sheet, id, users, |s| {
            about.requests.iter().filter(|p| about.may(p, s.user)).cloned().collect()
        }),
        notes: {
            let note =
                |n: &wibbet_core::package::Note| JsonNote { scope: n.scope.word(), text: n.text.clone(), star: n.star };
            sight.notes.iter().map(note).collect()
        },
        states: by_user(sheet, id, users, |s| s.package.state(s.user).into()),
    })
}
