//! Commands about links: how far one has got, pairing, closing.

use std::io::{IsTerminal as _, Write as _};
use std::time::Duration;

use qrcode::render::unicode::Dense1x2;
use qrcode::{EcLevel, QrCode};
use tokio::sync::mpsc;
use wibbet_adb::SystemDialer;
use wibbet_bench::device::AdbDevice;
use wibbet_bench::ops::{
    self, CopiesGo, Details, PairNews, RestartError, before_restart, claim, comes_back, details, pair_by_code,
    pair_by_qr, restart_device,
};
use wibbet_bench::session::{Closing, Session, SessionCommand, SessionEvent};
use wibbet_bench::workplace::Workplace;
use wibbet_core::ask::RestartTo;
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::{Advice, CloseStep, Ladder, Rung, RungStatus};

use super::asking::{asked, may_ask};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};
use crate::system::System;

/// How long a QR code waits to be scanned.
const SCAN: Duration = Duration::from_secs(300);

/// What a session told until it had nothing more to find out.
struct Told {
    ladder: Ladder,
    facts: Option<DeviceFacts>,
    details: Option<Details>,
}

/// Keeps a session until its ladder says all that can be said now.
async fn settle(heard: &mut mpsc::UnboundedReceiver<SessionEvent>, tap: Duration) -> Told {
    let mut told = Told { ladder: Ladder::default(), facts: None, details: None };
    let until = tokio::time::Instant::now() + tap;
    while let Ok(Some(event)) = tokio::time::timeout_at(until, heard.recv()).await {
        match event {
            SessionEvent::Ladder(ladder) => told.ladder = *ladder,
            SessionEvent::Facts(facts, _) => told.facts = Some(*facts),
            SessionEvent::Details(details) => told.details = Some(*details),
            _ => continue,
        }
        let ladder = &told.ladder;
        let changes = &ladder.rungs[Rung::Changes as usize];
        let tried = changes.standing != RungStatus::Unknown || !changes.known.is_empty();
        let stuck = ladder.missing().is_some_and(|rung| rung < Rung::Changes) && !ladder.awaits_tap();
        if stuck || (ladder.surveyed && tried && told.details.is_some()) {
            break;
        }
    }
    told
}

pub(crate) async fn link(finder: &Finder<'_>, name: &str, as_json: bool) -> Result<Exit, Failure> {
    let found = finder.candidates(name).await?;
    let none = || {
        let why = format!(
            "{name} is nowhere: not on a cable, not announced on the network, and no address of it is known. For a cable: switch USB debugging on; for the network: the device has to be awake and on the same one"
        );
        Failure::new(Exit::NoDevice, why)
    };
    let device = found.into_iter().next().ok_or_else(none)?.device;
    let route = device.route();
    let (tell_it, mut heard) = mpsc::unbounded_channel();
    let session = Session::start(device, finder.workplace.clone(), move |event| drop(tell_it.send(event)));
    let told = settle(&mut heard, finder.workplace.limits.tap).await;
    let routes = session.device().routes();
    drop(session);
    let address = route.map_or_else(|| name.to_owned(), |r| r.to_string());
    let trouble = told.ladder.trouble.as_ref().map(|t| t.seen.clone());
    let shown = json::Device::of(told.facts.as_ref(), &address, told.ladder.name(), trouble)
        .with(&routes, told.details.as_ref());
    if as_json {
        json::print(&json::JsonLadder::of(shown, &told.ladder));
    } else {
        print_ladder(&told, &address);
    }
    Ok(match told.ladder.missing() {
        None if told.ladder.is_up() => Exit::Done,
        Some(Rung::Changes | Rung::Started) => Exit::Done,
        Some(Rung::Authorised) => Exit::NotAuthorised,
        _ if told.ladder.trouble.as_ref().is_some_and(|t| t.advice == Advice::Restart) => Exit::Trouble,
        _ => Exit::NoDevice,
    })
}

fn print_ladder(told: &Told, address: &str) {
    if let Some(facts) = &told.facts {
        line(format_args!("{}  {}  {}  {}", facts.name(), facts.android, facts.id, address));
    }
    for rung in told.ladder.rungs.iter().rev() {
        let shape = match rung.standing {
            RungStatus::Holds => "╟──╢",
            RungStatus::Missing => "╟  ╢",
            RungStatus::Unknown => "║  ║",
        };
        line(format_args!("{shape} {:<24} {:<8} {}", rung.rung.label(), rung.standing.name(), rung.known));
    }
    if let Some(trouble) = &told.ladder.trouble {
        line(format_args!("\n{}", trouble.words));
    }
    for warning in told.details.iter().flat_map(|d| d.vitals.warnings()) {
        line(format_args!("! {warning}"));
    }
}

pub(crate) async fn pair(
    finder: &Finder<'_>,
    by_code: Option<(wibbet_types::Address, String)>,
    as_json: bool,
) -> Result<Exit, Failure> {
    let paired = match by_code {
        Some((at, code)) => pair_by_code(finder.workplace, &at, &code).await,
        None => {
            let mut news = |news| match news {
                PairNews::Show(text) => show_qr(&text),
                PairNews::Scanned => tell("the device has scanned it; pairing"),
            };
            pair_by_qr(finder.workplace, SCAN, &mut news).await
        }
    };
    let paired = paired.map_err(|error| Failure::new(Exit::NotAuthorised, error.to_string()))?;
    if as_json {
        json::print(&json::Paired { paired: true, name: paired.name });
    } else {
        line(format_args!("paired with {}", paired.name));
        tell(
            "the device is found by itself from now on, while wireless debugging is on; else name its address: the one on the page behind the dialog",
        );
    }
    Ok(Exit::Done)
}

/// Draws a QR code, dark on light whatever the terminal's colours are.
fn show_qr(text: &str) {
    let drawn = match QrCode::with_error_correction_level(text.as_bytes(), EcLevel::L) {
        Ok(code) => code.render::<Dense1x2>().quiet_zone(true).build(),
        Err(error) => return tell(format_args!("the code could not be drawn: {error}")),
    };
    tell("on the device: Developer options, Wireless debugging, “Pair device with QR code”; scan this:");
    let mut err = std::io::stderr().lock();
    let (on, off) = if err.is_terminal() { ("\x1b[30;107m", "\x1b[0m") } else { ("", "") };
    for row in drawn.lines() {
        // A terminal that has gone away is no reason to fail.
        let _ = writeln!(err, "{on}{row}{off}");
    }
    drop(err);
    tell("waiting for the device to scan it");
}

/// How a link is closed.
#[derive(Debug, Clone)]
pub(crate) struct CloseBy {
    pub(crate) closing: Closing,
    pub(crate) yes: bool,
    pub(crate) json: bool,
}

/// Closes a link, and tells step by step what became of it.
async fn close_by(device: AdbDevice, workplace: &Workplace, closing: Closing) -> Result<Vec<CloseStep>, Failure> {
    let (tell_it, mut heard) = mpsc::unbounded_channel();
    let session = Session::start(device, workplace.clone(), move |event| drop(tell_it.send(event)));
    session.send(SessionCommand::Close(closing));
    loop {
        match heard.recv().await {
            Some(SessionEvent::Closed(steps)) => return Ok(steps),
            Some(_) => {}
            None => return Err(Failure::trouble("the session ended before the link was closed")),
        }
    }
}

/// Closes the link of a device at the end of a job: debugging off, this computer forgotten. Whether all of it was done.
pub(super) async fn close_device(device: AdbDevice, workplace: &Workplace) -> bool {
    let steps = close_by(device, workplace, Closing { switch_off: true, forget: true, ..Closing::default() }).await;
    steps.is_ok_and(|steps| steps.iter().all(|step| step.done))
}

pub(crate) async fn close(finder: &Finder<'_>, name: &str, how: CloseBy) -> Result<Exit, Failure> {
    let CloseBy { closing, yes, json } = how;
    let deletes = closing.copies == CopiesGo::Delete;
    if closing.switch_off || deletes {
        may_ask(yes, "add --yes to switch debugging off, or to delete copies")?;
    }
    let device = finder.link(name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    if deletes && !yes && !asked("Delete the copies of its apps? Nothing brings them back.") {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    if closing.switch_off && !yes && !asked(&format!("Switch debugging off on {} ({})?", facts.name(), facts.id)) {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    let steps = close_by(device, finder.workplace, closing).await?;
    let all = steps.iter().all(|s| s.done);
    if json {
        json::print(&json::Closed::of(facts.id.to_string(), &steps));
    } else {
        for step in &steps {
            line(format_args!("{} {:<28} {}", if step.done { "done" } else { "NOT " }, step.what, step.known));
        }
        line(
            "On the device its owner can also revoke this computer: Developer options, “Revoke USB debugging authorisations”, and under Wireless debugging “Paired devices”.",
        );
    }
    Ok(match steps.iter().filter(|s| s.done).count() {
        _ if all => Exit::Done,
        0 => Exit::Nothing,
        _ => Exit::Partly,
    })
}

/// Restarts a device; with `wait` sees it come back.
pub(crate) async fn restart(
    finder: &Finder<'_>,
    name: &str,
    (to, wait): (RestartTo, bool),
    yes: bool,
    as_json: bool,
) -> Result<Exit, Failure> {
    may_ask(yes, "add --yes to restart it")?;
    let device = finder.link(name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let _claims = claim(finder.workplace, &device)?;
    let told = details(&device).await;
    for words in before_restart(&device.routes(), told.as_ref().map(|told| &told.vitals), to) {
        tell(words);
    }
    if !yes && !asked(&format!("Restart {} ({}) into {}?", facts.name(), facts.id, to.words())) {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    tell("it writes down what was changed, and restarts then");
    restart_device(&device, to).await.map_err(|error| match error {
        RestartError::Ask(error) => Failure::from(error),
        other => Failure::trouble(other),
    })?;
    let restarted = if wait && to == RestartTo::System { Some(comes_back(&device, &facts).await) } else { None };
    if restarted == Some(false) {
        tell("it has not been seen to start up again within five minutes");
    }
    match (as_json, restarted) {
        (true, _) => json::print(&json::Restarted { id: facts.id.to_string(), restarted }),
        (false, Some(true)) => line("restarted, and started up"),
        (false, _) => line("told to restart; its link has ended"),
    }
    Ok(if restarted == Some(false) { Exit::Unsettled } else { Exit::Done })
}

/// Looks for the debugging of the very device that this runs on.
pub(crate) async fn find_here(as_json: bool) -> Result<Exit, Failure> {
    let found = ops::find_here(&SystemDialer, &[], ops::listening()).await;
    if as_json {
        json::print(&json::Here { at: found.as_ref().map(ToString::to_string) });
        return Ok(if found.is_some() { Exit::Done } else { Exit::NoDevice });
    }
    match found {
        Some(at) => {
            line(&at);
            tell(format_args!("name it to any command, as in `wibbet packages {at}`; `wibbet here` pairs with it"));
            Ok(Exit::Done)
        }
        None => Err(Failure::new(
            Exit::NoDevice,
            "no wireless debugging answers on this device: switch Wireless debugging on (Settings, Developer options); it needs a network",
        )),
    }
}

/// Says what this system needs before devices on cables can be opened; for Linux prints the rule for udev.
pub(crate) fn usb_rule() -> Exit {
    let system = System::here();
    for words in system.of_cables() {
        tell(words);
    }
    if system != System::Linux {
        return Exit::Done;
    }
    // By the class of the interface, so that no list of makers is needed; `uaccess` gives the device to whoever sits at
    // the computer. It has to come before the rules that act on that tag (73 and later).
    line(r#"SUBSYSTEM=="usb", ENV{DEVTYPE}=="usb_device", ENV{ID_USB_INTERFACES}=="*:ff4201:*", TAG+="uaccess""#);
    Exit::Done
}
