//! Commands that only look.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use futures_util::future::join_all;
use tokio::sync::mpsc;
use wibbet_bench::around::Route;
use wibbet_bench::device::{AdbDevice, AskError, trouble_of};
use wibbet_bench::fleet::{Bench, BenchEvent, CardId};
use wibbet_bench::ops::{Details, LabelNews, NoteError, details, forget_place, keep_look, note_met, survey};
use wibbet_bench::session::SessionEvent;
use wibbet_core::device::{DeviceFacts, DeviceKind, Likeness};
use wibbet_core::link::{Advice, Ladder};
use wibbet_core::package::Inventory;
use wibbet_core::run::{Outcome, Run};
use wibbet_logbook::Logbook;
use wibbet_types::UserId;

use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, progress, tell};
use crate::signals::Interrupts;

/// What was found of one device.
struct Looked {
    facts: Option<DeviceFacts>,
    shown: json::Device,
    ready: bool,
}

async fn look_at(finder: &Finder<'_>, route: Route, before: Option<DeviceFacts>) -> Result<Looked, Failure> {
    let device = finder.workplace.device_by(vec![route.clone()]);
    let address = route.to_string();
    if matches!(route, Route::Hearsay { .. }) {
        // Nothing is sent there before somebody names it.
        let why = Advice::Offered.words(DeviceKind::Unknown, None);
        let shown = json::Device::of(None, &address, Advice::Offered.name(), Some(why)).with(&[route], None);
        return Ok(Looked { facts: None, shown, ready: false });
    }
    if let (Route::Remembered(_), Some(facts)) = (&route, &before) {
        device.expect(facts.clone());
    }
    let met = match device.connect(&mut |_| {}).await {
        Ok(_) => match note_met(&finder.workplace.book, &device).await {
            Ok(facts) => Ok(facts),
            Err(NoteError::Ask(error)) => Err(error),
            Err(NoteError::Logbook(error)) => return Err(error.into()),
        },
        Err(error) => Err(error),
    };
    if let Err(why) = &met {
        forget_place(&finder.workplace.book, &device, why).await?;
    }
    let (facts, link, trouble, told) = match met {
        Ok(facts) => (Some(facts), "ready", None, details(&device).await),
        Err(AskError::OtherDevice(why)) => (None, Advice::WrongDevice.name(), Some(why), None),
        Err(AskError::NoLink(error)) => {
            let trouble = trouble_of(&error, before.as_ref());
            (before, trouble.advice.name(), Some(format!("{error}")), None)
        }
        Err(AskError::NotAndroid(why)) => (before, "not-android", Some(why), None),
        // What it says of itself is not repeated here: it is not shown to be so.
        Err(AskError::NotProven(why)) => (None, Advice::NotProven.name(), Some(why), None),
        Err(other) => (before, "trouble", Some(other.to_string()), None),
    };
    let ready = link == "ready";
    let shown = json::Device::of(facts.as_ref(), &address, link, trouble).with(&[route], told.as_ref());
    Ok(Looked { facts, shown, ready })
}

pub(crate) async fn bench(finder: &Finder<'_>, as_json: bool) -> Result<Exit, Failure> {
    let known = finder.workplace.book.with(|book| book.devices()).await?;
    let seen = finder.around(|_| false).await;
    let mut routes: Vec<Route> = seen.into_iter().map(|s| s.route).collect();
    for route in finder.addresses().await? {
        // An address that is announced as well has been named: nothing of it is hearsay any more.
        routes.retain(|seen| !matches!(seen, Route::Hearsay { .. }) || seen.at() != route.at());
        if routes.iter().all(|seen| seen.at() != route.at()) {
            routes.push(route);
        }
    }
    let looked = join_all(routes.into_iter().map(|route| {
        let address = route.to_string();
        let before = known.iter().find(|d| d.address == address).map(|d| d.facts.clone());
        look_at(finder, route, before)
    }))
    .await;
    // One device by several ways is shown once, by the best of those that work.
    let mut found: Vec<Looked> = Vec::new();
    for one in looked {
        let one = one?;
        let same = found.iter_mut().find(|other| match (&one.facts, &other.facts) {
            (Some(a), Some(b)) => a.likeness(b) > Likeness::Different && !a.started_apart(b),
            _ => false,
        });
        match same {
            Some(other) if one.ready && !other.ready => *other = one,
            Some(_) => {}
            None => found.push(one),
        }
    }
    let ready = found.iter().any(|d| d.ready);
    let devices: Vec<json::Device> = found.into_iter().map(|d| d.shown).collect();
    if as_json {
        json::print(&json::Bench { devices });
    } else if devices.is_empty() {
        tell(
            "No devices are at hand. Plug one in, add one with --at HOST:PORT, or start `wibbet`, whose first steps show how.",
        );
    } else {
        devices.iter().for_each(print_device);
    }
    Ok(if ready { Exit::Done } else { Exit::NoDevice })
}

fn print_device(device: &json::Device) {
    let name = device.name.as_deref().unwrap_or_default();
    let android = device.android.as_ref().map_or_else(String::new, |a| format!("Android {a}"));
    line(format_args!("{:<22} {:<24} {:<12} {:<22} {}", device.id, name, android, device.address, device.link));
    if let Some(trouble) = &device.trouble {
        line(format_args!("    {trouble}"));
    }
}

/// Tells of every change on the bench until interrupted.
pub(crate) async fn watch(finder: &Finder<'_>, as_json: bool) -> Result<Exit, Failure> {
    let mut workplace = finder.workplace.clone();
    if finder.no_search {
        workplace.surroundings = Arc::default();
    }
    let (told, mut heard) = mpsc::unbounded_channel();
    let _bench = Bench::start(workplace, finder.at.to_vec(), move |event| drop(told.send(event)));
    let mut cards: BTreeMap<CardId, Watched> = BTreeMap::new();
    let mut interrupts = Interrupts::listen();
    let terminated = crate::signals::terminated();
    tokio::pin!(terminated);
    loop {
        let event = tokio::select! {
            event = heard.recv() => event,
            () = interrupts.next() => return Ok(Exit::Done),
            () = &mut terminated => return Ok(Exit::Done),
        };
        let Some(event) = event else { return Ok(Exit::Done) };
        let (card, gone) = match event {
            BenchEvent::Card { card, name, facts } => {
                cards.insert(card, Watched { name, facts: facts.map(|f| *f), ..Watched::default() });
                (card, false)
            }
            BenchEvent::Gone(card) => (card, true),
            BenchEvent::Routes(card, routes) => {
                cards.entry(card).or_default().routes = routes;
                (card, false)
            }
            BenchEvent::Session(card, SessionEvent::Ladder(ladder)) => {
                cards.entry(card).or_default().ladder = *ladder;
                (card, false)
            }
            BenchEvent::Session(card, SessionEvent::Facts(facts, _)) => {
                cards.entry(card).or_default().facts = Some(*facts);
                (card, false)
            }
            BenchEvent::Session(card, SessionEvent::Details(details)) => {
                cards.entry(card).or_default().details = Some(*details);
                (card, false)
            }
            BenchEvent::Note(note) => {
                tell(note);
                continue;
            }
            _ => continue,
        };
        let Some(watched) = cards.get_mut(&card) else { continue };
        let link = if gone { "gone" } else { watched.ladder.name() };
        let address = watched.routes.first().map_or_else(|| watched.name.clone(), ToString::to_string);
        let trouble = watched.ladder.trouble.as_ref().map(|t| t.seen.clone());
        let shown = json::Device::of(watched.facts.as_ref(), &address, link, trouble);
        // The same is not said twice.
        let said = (link.to_owned(), shown.id.clone(), address.clone(), watched.details.is_some());
        if watched.said.as_ref() != Some(&said) {
            watched.said = Some(said);
            match as_json {
                true => json::print(&shown.with(&watched.routes, watched.details.as_ref())),
                false => print_device(&shown),
            }
        }
        if gone {
            cards.remove(&card);
        }
    }
}

#[derive(Default)]
struct Watched {
    name: String,
    facts: Option<DeviceFacts>,
    routes: Vec<Route>,
    ladder: Ladder,
    details: Option<Details>,
    said: Option<(String, String, String, bool)>,
}

/// Links a device and reads its packages, and how it is. What was read is kept.
pub(crate) async fn read(finder: &Finder<'_>, name: &str) -> Result<(AdbDevice, Inventory, Option<Details>), Failure> {
    let (device, inventory, told) = read_now(finder, name).await?;
    if let Some(facts) = device.facts()
        && let Err(why) = keep_look(&finder.workplace.book, &facts, &inventory).await
    {
        // What is asked for does not hang on it.
        tell(format_args!("how the device is could not be kept: {why}"));
    }
    Ok((device, inventory, told))
}

/// As [`read`], and keeps nothing.
pub(crate) async fn read_now(
    finder: &Finder<'_>,
    name: &str,
) -> Result<(AdbDevice, Inventory, Option<Details>), Failure> {
    let device = finder.link(name).await?;
    let (inventory, told) = surveyed(&device).await?;
    Ok((device, inventory, told))
}

/// The packages of a device, with what is told elsewhere of its users: also which of them is meant to stay unseen.
pub(crate) async fn surveyed(device: &AdbDevice) -> Result<(Inventory, Option<Details>), Failure> {
    let mut inventory = survey(device, &mut |_| {}).await?;
    let told = details(device).await;
    inventory.merge_users(told.as_ref().map_or(&[], |told| &told.users));
    Ok((inventory, told))
}

pub(crate) fn check_user(inventory: &Inventory, user: UserId) -> Result<(), Failure> {
    if inventory.user(user).is_some() {
        return Ok(());
    }
    let known: Vec<String> = inventory.users.iter().map(|u| format!("{} ({})", u.id, u.name)).collect();
    Err(Failure::new(Exit::Usage, format!("the device has no user {user}; it has {}", known.join(", "))))
}

/// The runs of the logbook in a folder; it may be on a disk that can only be read.
pub(crate) fn runs(folder: &Path, search: Option<&str>, as_json: bool) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(folder)?;
    let mut runs = book.map(|book| book.runs(None)).transpose()?.unwrap_or_default();
    if let Some(words) = search {
        runs.retain(|run| run.is_about(words));
    }
    if as_json {
        json::print(&json::Runs { runs: runs.iter().map(json::Steps::of).collect() });
    } else {
        for run in &runs {
            line(one_line(run));
        }
        if runs.is_empty() {
            tell(if search.is_some() { "No run has these words." } else { "The logbook has no runs yet." });
        }
    }
    Ok(Exit::Done)
}

fn one_line(run: &Run) -> String {
    let mut counts: Vec<String> =
        [Outcome::Done, Outcome::Refused, Outcome::NoEffect, Outcome::Unsettled, Outcome::Skipped]
            .into_iter()
            .filter(|o| run.count(*o) > 0)
            .map(|o| format!("{} {o}", run.count(o)))
            .collect();
    if !run.not_understood.is_empty() {
        counts.push("not all of it understood".into());
    }
    let from =
        run.taken_in.as_ref().map_or_else(String::new, |(bench, number)| format!("  run {number} of bench {bench}"));
    format!(
        "run {:<5} {:<22} {:<9} {:<9} {}  {}",
        run.number,
        run.device,
        run.kind,
        run.state,
        json::time(run.begun),
        counts.join(", ") + &if run.job.is_empty() { String::new() } else { format!("  {}", run.job.words()) } + &from
    )
}

/// Shows how far the reading of manifests has got.
pub(crate) fn how_far(news: LabelNews) {
    let words = format!("reading labels and manifests, {} of {}", news.done, news.of);
    progress((news.done < news.of).then_some(words.as_str()));
}
