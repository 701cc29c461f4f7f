//! `wibbet changes`: what has changed on a device since an earlier look at it, or beside another device.

use std::str::FromStr;
use std::sync::Arc;

use wibbet_bench::ops::{LookedBack, last_look, look_back};
use wibbet_core::diagnosis::{Drift, LookHead, Since, drift, in_short};
use wibbet_core::plan::TrayItem;
use wibbet_types::{DeviceId, Timestamp};

use super::look::read_now;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// What is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    pub(crate) since: Since,
    /// Another device, in place of an earlier look.
    pub(crate) beside: Option<DeviceId>,
    /// The looks that are kept are listed.
    pub(crate) looks: bool,
    /// What is in use again is printed as a tray.
    pub(crate) tray: bool,
    pub(crate) json: bool,
}

pub(crate) async fn changes(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    if wanted.looks {
        return looks(finder, name, wanted.json).await;
    }
    let (device, inventory, _) = read_now(finder, name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let book = &finder.workplace.book;
    let told = look_back(book, &facts, Arc::new(inventory), wanted.since, true).await?;
    if let Some(other) = wanted.beside {
        let Some((head, look)) = last_look(book, other.clone()).await? else {
            let words = format!("no look at {other} is kept; `wibbet packages {other}` makes one");
            return Err(Failure::new(Exit::Nothing, words));
        };
        // Runs of one say nothing of the other.
        let found = drift(&look, &told.now, &[]);
        if wanted.json {
            json::print(&json::Changes::beside(&facts.id, (&other, &head), &told, &found));
        } else {
            tell(format_args!("{} beside {other} as it was at {}", facts.id, json::time(head.until)));
            show(&found, Some(&other));
        }
        return Ok(if found.is_empty() { Exit::Nothing } else { Exit::Done });
    }
    if wanted.tray {
        again(&told).iter().for_each(line);
        return Ok(if again(&told).is_empty() { Exit::Nothing } else { Exit::Done });
    }
    let Some((head, _)) = &told.before else {
        // How it is now is kept: from here on there is something to tell.
        let words = match told.since {
            Since::LastLook => {
                "this is the first look at this device; it is kept, and what changes from now on can be told".into()
            }
            _ => format!("no look of then is kept; `wibbet changes {} --looks` lists those that are", facts.id),
        };
        if wanted.json {
            json::print(&json::Changes::of(&facts.id, &told));
        }
        tell(words);
        if !wanted.json {
            hint(&told, facts.id.as_str());
        }
        return Ok(Exit::Nothing);
    };
    if wanted.json {
        json::print(&json::Changes::of(&facts.id, &told));
    } else {
        tell(format_args!("{} now, beside look {} of {}", facts.id, head.number, json::time(head.until)));
        if head.build != told.now.build {
            tell(format_args!("the system was updated: {} → {}", head.build, told.now.build));
        }
        if !told.whole {
            tell("not everything could be read at one of the two looks: what is new or gone is not told");
        }
        show(&told.drift, None);
        hint(&told, facts.id.as_str());
    }
    Ok(if told.drift.is_empty() { Exit::Nothing } else { Exit::Done })
}

/// What can be taken out again: of this device, or of what it was before a reset.
fn again(told: &LookedBack) -> &[TrayItem] {
    match &told.was {
        Some((_, out)) if told.again.is_empty() => out,
        _ => &told.again,
    }
}

fn hint(told: &LookedBack, device: &str) {
    let words = match (&told.was, told.again.len()) {
        (Some((was, out)), 0) => format!(
            "this may be {was} behind a factory reset (the same serial and model): {} that was out there is in use here",
            out.len()
        ),
        (_, 0) => return,
        (_, 1) => "1 that a run had taken out is in use again".to_owned(),
        (_, n) => format!("{n} that runs had taken out are in use again"),
    };
    tell(format_args!(
        "{words}; to take that out again: wibbet changes {device} --tray | wibbet run {device} --tray -"
    ));
}

fn show(found: &[Drift], beside: Option<&DeviceId>) {
    if found.is_empty() {
        tell(if beside.is_some() { "nothing is different" } else { "nothing has changed" });
    }
    let (found, more) = in_short(found);
    for (place, one) in found.iter().enumerate() {
        if place == 0 || found[place - 1].kind != one.kind {
            line(match beside {
                Some(_) => one.kind.beside(),
                None => one.kind.title(),
            });
        }
        let user = one.user.map_or_else(|| "all".to_owned(), |user| format!("user {user}"));
        let by = if beside.is_some() { String::new() } else { format!("  ({})", one.by.words()) };
        line(format_args!("  {:<52} {user:<8} {}{by}", one.id.as_str(), one.words));
    }
    if more > 0 {
        line(format_args!("  … and {more} more; --json has them all"));
    }
}

/// The looks that are kept of a device that was met.
async fn looks(finder: &Finder<'_>, name: &str, as_json: bool) -> Result<Exit, Failure> {
    let known = finder.workplace.book.with(|book| book.devices()).await?;
    let named = known.iter().find(|known| known.facts.id.as_str() == name);
    let named =
        named.or_else(|| known.iter().find(|known| known.facts.serial.as_str() == name || known.address == name));
    let Some(id) = named.map(|known| known.facts.id.clone()) else {
        return Err(Failure::new(Exit::NoDevice, format!("the logbook knows no device {name}")));
    };
    let of = id.clone();
    let heads: Vec<LookHead> = finder.workplace.book.with(move |book| book.looks(&of)).await?;
    if as_json {
        json::print(&json::Looks::of(&id, &heads));
    } else {
        for head in &heads {
            let until = if head.until == head.at { String::new() } else { format!(" – {}", json::time(head.until)) };
            line(format_args!("look {:<5} {}{until}  build {}", head.number, json::time(head.at), head.build));
        }
    }
    Ok(if heads.is_empty() { Exit::Nothing } else { Exit::Done })
}

/// Since when: `run-3`, `look-5`, a date or a moment on the clock of this computer, or a moment with its zone.
pub(crate) fn since(text: &str) -> Result<Since, String> {
    let bad = || "it is run-NUMBER, look-NUMBER, a date like 2026-11-20, or a moment like 2026-11-20T14:00".to_owned();
    if let Some(number) = text.strip_prefix("run-") {
        return number.parse().map(Since::Run).map_err(|_| bad());
    }
    if let Some(number) = text.strip_prefix("look-") {
        return number.parse().map(Since::Look).map_err(|_| bad());
    }
    let at = jiff::Timestamp::from_str(text).or_else(|_| {
        let civil = jiff::civil::DateTime::from_str(text)?;
        Ok::<_, jiff::Error>(civil.to_zoned(crate::system::time_zone())?.timestamp())
    });
    at.map(|at| Since::At(Timestamp(at.as_millisecond()))).map_err(|_| bad())
}

#[cfg(test)]
mod tests {
    use super::*;
    use wibbet_types::{LookId, RunId};

    #[test]
    fn since_when() {
        assert_eq!(since("run-3"), Ok(Since::Run(RunId::new(3))));
        assert_eq!(since("look-12"), Ok(Since::Look(LookId::new(12))));
        assert_eq!(since("1970-01-01T00:00:01Z"), Ok(Since::At(Timestamp(1000))));
        assert!(
            matches!(since("2026-11-20"), Ok(Since::At(_))) && matches!(since("2026-11-20T14:00"), Ok(Since::At(_)))
        );
        for bad in ["", "3", "run-", "run-x", "yesterday", "2026-13-40"] {
            assert!(since(bad).is_err(), "{bad}");
        }
    }
}
