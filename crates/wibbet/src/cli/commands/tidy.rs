//! `wibbet logbook tidy`: what is kept of devices that were not seen for long is erased, by a rule.

use std::path::Path;

use wibbet_bench::logbook::now;
use wibbet_bench::ops::erase_device_if;
use wibbet_core::device::DeviceFacts;
use wibbet_core::run::{Keeping, Pending, Run, keeping};
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_types::counted;

use super::asking::asked;
use crate::cli::resolve::no_logbook;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{day_here, line, tell};

/// Erases what is due by a rule of so many days. Without `yes` and somebody to ask it only tells what that is.
pub(crate) fn tidy(data: &Path, days: u32, (yes, dry_run): (bool, bool), as_json: bool) -> Result<Exit, Failure> {
    if days == 0 {
        let words = "no rule says for how many days records are kept: set `unseen_days` in [keep] of the configuration, or name --unseen-days";
        return Err(Failure::new(Exit::Usage, words));
    }
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    let mut due: Vec<DeviceFacts> = Vec::new();
    for known in book.devices()? {
        let pending = pending(&book, &known.facts)?;
        match keeping(known.seen, now(), days, pending) {
            Keeping::Stays => {}
            Keeping::StaysFor(why) => tell(format_args!("{} ({}) stays: {why}", known.facts.name(), known.facts.id)),
            Keeping::Due => {
                if !as_json {
                    line(format_args!(
                        "{} ({}), last seen on {}",
                        known.facts.name(),
                        known.facts.id,
                        day_here(known.seen)
                    ));
                }
                due.push(known.facts);
            }
        }
    }
    drop(book);
    due.sort_by(|a, b| a.id.cmp(&b.id));
    let names = || due.iter().map(|facts| facts.id.to_string()).collect();
    if due.is_empty() || dry_run {
        if as_json {
            json::print(&json::Tidied { due: names(), erased: Vec::new(), left: Vec::new() });
        }
        return Ok(if due.is_empty() { Exit::Nothing } else { Exit::Done });
    }
    let question = format!(
        "Erase everything that is kept of {}, runs and copies too? Nothing brings it back.",
        counted(due.len(), "device", "devices")
    );
    if !yes && !asked(&question) {
        return Err(Failure::new(Exit::Nothing, "nothing was erased"));
    }
    let (mut erased, mut left) = (Vec::new(), Vec::new());
    for facts in &due {
        // While somebody was asked it may have been worked on.
        let still = |book: &Logbook| {
            let known = book.devices()?.into_iter().find(|known| known.facts.id == facts.id);
            let Some(known) = known else { return Ok(false) };
            Ok(keeping(known.seen, now(), days, pending(book, &known.facts)?) == Keeping::Due)
        };
        match erase_device_if(data, &facts.id, still) {
            Ok(None) => left.push(format!("{}: it is not due any more", facts.id)),
            Ok(Some((_, more))) => {
                erased.push(facts.id.to_string());
                left.extend(more.into_iter().map(|words| format!("{}: {words}", facts.id)));
            }
            // Somebody is at work on it.
            Err(why) => left.push(format!("{}: {why}", facts.id)),
        }
    }
    left.sort();
    left.dedup();
    let exit = match (erased.is_empty(), left.is_empty()) {
        (true, _) => Exit::Nothing,
        (false, true) => Exit::Done,
        (false, false) => Exit::Partly,
    };
    if as_json {
        json::print(&json::Tidied { due: names(), erased, left });
    } else {
        erased.iter().for_each(|id| line(format_args!("erased  {id}")));
        left.iter().for_each(|words| line(format_args!("left    {words}")));
    }
    Ok(exit)
}

fn pending(book: &Logbook, facts: &DeviceFacts) -> Result<Pending, LogbookError> {
    Ok(Pending {
        unfinished: book.runs(Some(&facts.id))?.iter().any(Run::is_unfinished),
        on_break: book.breaks(&facts.id)?.iter().any(|one| one.ended.is_none()),
        offers: book.copies(Some(&facts.id))?.iter().any(|copy| copy.offered),
    })
}
