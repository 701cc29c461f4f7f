//! `wibbet why` and `wibbet upshot`: what ties packages to a device, and what a tray does to it.

use std::collections::BTreeSet;

use clap::Args;
use wibbet_bench::logbook::now;
use wibbet_bench::ops::{device_languages, read_catalog, read_metrics};
use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceFacts;
use wibbet_core::holds::{Around, Hold, Judged, Judgement, Verdict};
use wibbet_core::package::Elsewhere;
use wibbet_core::plan::{Change, Upshot, upshot as work_out};
use wibbet_report::{Document, shown_as};
use wibbet_types::{PackageId, Timestamp, UserId, bytes_words};

use super::drawing::{Drawing, heading, label};
use super::look::{check_user, how_far, read};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::export::json::{Device, JsonUpshot, Upshots, Why};
use crate::out::{line, tell};

/// Whose ties are to be told.
#[derive(Debug, Args)]
pub(crate) struct Wanted {
    /// The packages.
    #[arg(value_name = "ID", required_unless_present = "all", conflicts_with = "all")]
    ids: Vec<PackageId>,
    /// All packages that are in use.
    #[arg(long)]
    all: bool,
    /// For this user [default: the owner, or who is in front where the first user has no screen].
    #[arg(long)]
    user: Option<UserId>,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    drawing: Drawing,
}

/// What is to be taken out, as if.
#[derive(Debug, Args)]
pub(crate) struct Tray {
    /// Packages to uninstall for the user.
    #[arg(long, value_name = "ID", num_args = 1..)]
    uninstall: Vec<PackageId>,
    /// Packages to disable for the user.
    #[arg(long, value_name = "ID", num_args = 1..)]
    disable: Vec<PackageId>,
    /// For these users [default: the owner, or who is in front where the first user has no screen].
    #[arg(long, value_name = "USER", num_args = 1..)]
    user: Vec<UserId>,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    drawing: Drawing,
}

/// Everything that shows what ties packages, as it was read.
struct Told {
    catalog: Catalog,
    users: Vec<UserId>,
    facts: Option<DeviceFacts>,
    read: Timestamp,
}

impl Told {
    async fn read(finder: &Finder<'_>, name: &str, users: &[UserId]) -> Result<(Self, Device), Failure> {
        let (device, inventory, told) = read(finder, name).await?;
        users.iter().try_for_each(|user| check_user(&inventory, *user))?;
        let in_front = told.as_ref().and_then(|told| told.vitals.current_user);
        let first = users.first().copied().unwrap_or_else(|| inventory.usual_user(in_front));
        let mut users = if users.is_empty() { vec![first] } else { users.to_vec() };
        users.sort_unstable();
        users.dedup();
        let languages = device_languages(&device, first).await?;
        let metrics = read_metrics(&device, &inventory, &mut |_| {}).await?;
        let book = &finder.workplace.book;
        let (catalog, trouble) =
            read_catalog(&device, book, inventory, metrics, &languages, &users, &mut how_far).await?;
        if let Some(error) = trouble {
            tell(format_args!("manifests could not be read: {error}"));
        }
        let shown =
            Device::of(device.facts().as_ref(), &device.address(), "ready", None).with(&device.routes(), told.as_ref());
        Ok((Self { catalog, users, facts: device.facts(), read: now() }, shown))
    }

    fn judged(&self, user: UserId) -> Result<&Judged, Failure> {
        self.catalog.judged.get(&user).ok_or_else(|| Failure::trouble("what ties the packages was not worked out"))
    }

    /// What ties some packages, drawn.
    fn ties(&self, ids: &[PackageId], user: UserId, judged: &Judged) -> Document {
        let around: Vec<Around> = ids.iter().map(|id| Around::of(&judged.leans, id)).collect();
        let title = match ids {
            [one] => format!("What ties {}", shown_as(label(&self.catalog, one).as_deref(), one)),
            several => format!("What ties {} packages", several.len()),
        };
        let all = around.iter().filter_map(|around| Some((&around.id, judged.packages.get(&around.id)?, around)));
        let heading = heading(title, self.facts.as_ref(), &self.catalog, user);
        wibbet_report::ties(&heading, all, &|id| label(&self.catalog, id))
    }

    /// What a tray does for a user, drawn.
    fn drawn(&self, items: &[(PackageId, Change)], user: UserId, found: &Upshot) -> Document {
        let packages = if items.len() == 1 { "1 package" } else { &format!("{} packages", items.len()) };
        let title = format!("What taking out {packages} does");
        let heading = heading(title, self.facts.as_ref(), &self.catalog, user);
        wibbet_report::tray(&heading, items, found, &|id| label(&self.catalog, id))
    }

    /// What was asked for and is in use; the rest is told.
    fn in_use(&self, ids: &[PackageId], user: UserId) -> Vec<PackageId> {
        let mut there = Vec::new();
        for id in ids {
            match self.catalog.inventory.packages.get(id) {
                None => tell(format_args!("{id} is not on the device")),
                Some(package) if package.condition(user) != wibbet_core::package::Condition::InUse => {
                    tell(format_args!("{id} is {} for user {user}", package.condition(user).word()));
                }
                Some(_) => there.push(id.clone()),
            }
        }
        there
    }
}

pub(crate) async fn why(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    let users: Vec<UserId> = wanted.user.into_iter().collect();
    let (told, shown) = Told::read(finder, name, &users).await?;
    let user = told.users.first().copied().unwrap_or(UserId::OWNER);
    let judged = told.judged(user)?;
    let ids = match wanted.all {
        true => judged.packages.keys().cloned().collect(),
        false => told.in_use(&wanted.ids, user),
    };
    for source in &judged.unread {
        tell(format_args!("not read: {source}; without it nothing is called free"));
    }
    if wanted.drawing.is_wanted() && !ids.is_empty() {
        wanted.drawing.write(&told.ties(&ids, user, judged))?;
    }
    if wanted.json {
        json::print(&Why::of(shown, user, judged, &told.catalog.elsewhere, told.read, &ids));
        return Ok(if ids.is_empty() { Exit::Nothing } else { Exit::Done });
    }
    for (id, one) in ids.iter().filter_map(|id| Some((id, judged.packages.get(id)?))) {
        match wanted.all {
            true => print_short(id, one),
            false => print_long(id, one, told.catalog.elsewhere.get(id)),
        }
    }
    Ok(if ids.is_empty() { Exit::Nothing } else { Exit::Done })
}

/// A line: the kinds of holds in four places, the id, what stops.
fn print_short(id: &PackageId, one: &Judgement) {
    let places: String = wibbet_core::holds::RULES
        .iter()
        .map(|rule| if one.has(rule.kind) { rule.kind.name().chars().next().unwrap_or('?') } else { '·' })
        .collect();
    let places = if one.verdict() == Verdict::Unread { "????".to_owned() } else { places };
    line(format_args!("{places}  {:<56} {}", id.as_str(), one.stops()));
}

fn print_long(id: &PackageId, one: &Judgement, elsewhere: Option<&Elsewhere>) {
    line(format_args!("{id}: {}; without it: {}", one.verdict(), one.stops()));
    for hold in &one.holds {
        print_hold(hold);
    }
    if !one.used_by.is_empty() && !one.says_who_uses_it() {
        let who: Vec<String> = one.used_by.iter().map(ToString::to_string).collect();
        line(format_args!("  in use at the moment by {}", who.join(", ")));
    }
    for source in &one.unread {
        line(format_args!("  not read: {source}"));
    }
    if let Some(elsewhere) = elsewhere {
        line(format_args!("  {}", elsewhere.words()));
    }
}

fn print_hold(hold: &Hold) {
    let class = hold.class.map(|class| format!(", class {class}")).unwrap_or_default();
    line(format_args!("  {:<6} {} ({}{class}): {}", hold.kind.name(), hold.what, hold.sure, hold.stops));
    for evidence in &hold.evidence {
        line(format_args!("         {}: {}", evidence.source, evidence.text));
    }
    if let Some(lift) = &hold.lifted_by {
        line(format_args!("         lifted: {lift}"));
    }
}

pub(crate) async fn upshot(finder: &Finder<'_>, name: &str, tray: Tray) -> Result<Exit, Failure> {
    if tray.uninstall.is_empty() && tray.disable.is_empty() {
        return Err(Failure::new(Exit::Usage, "name packages with --uninstall or --disable".to_owned()));
    }
    let (told, shown) = Told::read(finder, name, &tray.user).await?;
    let (mut users, mut unread, mut chosen, mut drawing) = (Vec::new(), BTreeSet::new(), 0, None::<Document>);
    for user in &told.users {
        let known = told.catalog.known(*user);
        let judged = told.judged(*user)?;
        let way = |ids: &[PackageId], way: Change| {
            told.in_use(ids, *user).into_iter().map(move |id| (id, way)).collect::<Vec<_>>()
        };
        let mut items = way(&tray.uninstall, Change::Uninstall);
        items.extend(way(&tray.disable, Change::Disable));
        let found = work_out(&known, judged, &items);
        unread.extend(judged.unread.iter().map(|source| source.name()));
        chosen += items.len();
        if tray.drawing.is_wanted() && !items.is_empty() {
            let drawn = told.drawn(&items, *user, &found);
            match &mut drawing {
                Some(all) => all.pages.extend(drawn.pages),
                None => drawing = Some(drawn),
            }
        }
        if !tray.json {
            print_upshot(*user, items.len(), &found);
        }
        users.push(JsonUpshot::of(*user, &found));
    }
    if let Some(drawing) = &drawing {
        tray.drawing.write(drawing)?;
    }
    match tray.json {
        true => json::print(&Upshots { users, unread: unread.into_iter().collect(), device: shown }),
        false => unread.iter().for_each(|source| tell(format_args!("not read: {source}"))),
    }
    Ok(if chosen == 0 { Exit::Nothing } else { Exit::Done })
}

fn print_upshot(user: UserId, count: usize, found: &Upshot) {
    let packages = if count == 1 { "package" } else { "packages" };
    line(format_args!("{count} {packages} of user {user}; a start afterwards is {}", found.start));
    if found.is_quiet() {
        line("nothing was found that would be missed");
    }
    for role in &found.roles_emptied {
        line(format_args!("nobody is left for: {role}"));
    }
    for what in found.lost.keys() {
        line(format_args!("stops: {what}"));
    }
    for (id, from) in &found.needs_lost {
        let from: Vec<&str> = from.iter().map(PackageId::as_str).collect();
        line(format_args!("{id} loses what it has from {}", from.join(", ")));
    }
    for (id, n) in &found.accounts_lost {
        line(format_args!("{n} accounts go with {id}"));
    }
    for (what, bytes) in [("data", found.data_bytes), ("code", found.code_bytes), ("memory", found.memory_bytes)] {
        if let Some(bytes) = bytes {
            line(format_args!("{what}: {}", bytes_words(bytes)));
        }
    }
    for instead in &found.instead {
        line(format_args!("instead: {}", instead.words()));
    }
}
