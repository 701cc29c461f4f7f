//! `wibbet logbook`: looking after the record itself. No device is asked anything.

use std::path::Path;

use wibbet_bench::ops::{COPIES, erase_device};
use wibbet_core::device::DeviceFacts;
use wibbet_logbook::Logbook;
use wibbet_types::counted;

use super::asking::{asked, may_ask};
use super::tidy::tidy;
use crate::cli::args::LogbookCommand;
use crate::cli::resolve::{known, known_or_met_at, no_logbook};
use crate::config::{KeepConfig, LeftOut};
use crate::exit::{Exit, Failure};
use crate::export::{csv, json};
use crate::out::{line, tell};

pub(crate) fn logbook(data: &Path, keep: &KeepConfig, what: LogbookCommand) -> Result<Exit, Failure> {
    match what {
        LogbookCommand::Check { json } => check(data, json),
        LogbookCommand::Backup { file } => backup(data, &file),
        LogbookCommand::Merge { file, json } => merge(data, &file, json),
        LogbookCommand::Export { device, csv, without, json: _ } => export(data, device.as_deref(), csv, &without),
        LogbookCommand::Erase { device, yes, json } => erase(data, &device, yes, json),
        LogbookCommand::Tidy { unseen_days, yes, dry_run, json } => {
            if !dry_run {
                may_ask(yes, "add --yes to erase it, or --dry-run to see it")?;
            }
            tidy(data, unseen_days.unwrap_or(keep.unseen_days), (yes, dry_run), json)
        }
    }
}

fn check(data: &Path, as_json: bool) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    let wrong = book.check()?;
    let (devices, runs) = (book.devices()?.len(), book.runs(None)?.len());
    if as_json {
        json::print(&json::Checked::of(book.path(), (devices, runs), &wrong));
    } else {
        wrong.iter().for_each(line);
        let words = if wrong.is_empty() { "nothing is wrong" } else { "not all of it is as it should be" };
        tell(format_args!("{}: {devices} devices, {runs} runs; {words}", book.path().display()));
    }
    Ok(if wrong.is_empty() { Exit::Done } else { Exit::Partly })
}

fn backup(data: &Path, file: &Path) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    book.back_up(file)?;
    tell(format_args!(
        "{} is a copy of the logbook; the copies of apps lie in {} and are not in it",
        file.display(),
        data.join(COPIES).display()
    ));
    Ok(Exit::Done)
}

fn merge(data: &Path, file: &Path, as_json: bool) -> Result<Exit, Failure> {
    let mut book = Logbook::open(data)?;
    let merged = book.merge(file, wibbet_bench::logbook::now())?;
    let taken = [
        (merged.devices, "device", "devices"),
        (merged.runs, "run", "runs"),
        (merged.runs_further, "run that has gone on there", "runs that have gone on there"),
        (merged.notes, "note", "notes"),
        (merged.breaks, "update break", "update breaks"),
    ];
    let taken: Vec<String> =
        taken.iter().filter(|(n, ..)| *n > 0).map(|(n, one, more)| counted(*n, one, more)).collect();
    if as_json {
        json::print(&json::MergedLogbook::of(&merged));
    } else {
        match taken.is_empty() {
            true => tell("nothing in it is new here"),
            false => line(format_args!("taken in: {}", taken.join(", "))),
        }
        if merged.gone > 0 {
            let runs = counted(merged.gone, "run", "runs");
            tell(format_args!("left out: {runs} of this bench that were erased here"));
        }
        tell("copies of apps stay on the bench that has them");
    }
    Ok(if taken.is_empty() { Exit::Nothing } else { Exit::Done })
}

fn export(data: &Path, device: Option<&str>, as_csv: bool, without: &[LeftOut]) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    let mut devices: Vec<DeviceFacts> = book.devices()?.into_iter().map(|known| known.facts).collect();
    if let Some(name) = device {
        devices = vec![known_or_met_at(&book.devices()?, name)?];
    }
    devices.sort_by(|a, b| a.id.cmp(&b.id));
    let mut of_all = Vec::new();
    for facts in devices {
        let mut runs = book.runs(Some(&facts.id))?;
        runs.reverse();
        of_all.push((facts, runs));
    }
    let without = |what| without.contains(&what);
    let (serials, usage) = (!without(LeftOut::Serial), !without(LeftOut::Usage));
    match as_csv {
        true => line(csv::logged(&of_all, serials).trim_end()),
        false => json::print(&json::Exported::of(&of_all, serials, usage)),
    }
    Ok(if of_all.is_empty() { Exit::Nothing } else { Exit::Done })
}

fn erase(data: &Path, name: &str, yes: bool, as_json: bool) -> Result<Exit, Failure> {
    may_ask(yes, "add --yes to erase it")?;
    let devices = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?.devices()?;
    let facts = known(&devices, name)?;
    let (id, what) = (facts.id.clone(), facts.name());
    if !yes
        && !asked(&format!(
            "Erase everything that is kept of {what} ({id}), its runs and copies too? Nothing brings it back."
        ))
    {
        return Err(Failure::new(Exit::Nothing, "nothing was erased"));
    }
    let (erased, left) = erase_device(data, &id)?;
    if as_json {
        json::print(&json::ErasedDevice::of(&id, &erased, &left));
    } else {
        line(format_args!("erased of {what} ({id}) at {}:", json::time(wibbet_bench::logbook::now())));
        erased.rows.iter().for_each(|(words, count)| line(format_args!("  {words}: {count}")));
        left.iter().for_each(|words| line(format_args!("left: {words}")));
    }
    Ok(if left.is_empty() { Exit::Done } else { Exit::Partly })
}
