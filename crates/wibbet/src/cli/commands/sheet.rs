//! `wibbet sheet`: the paper that goes with a device.

use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use wibbet_core::run::Run;
use wibbet_core::sheet::{Sheet, SheetPart, SheetSource, SheetWords, Without, job_sheet, read_words, write_words};
use wibbet_logbook::Logbook;
use wibbet_report::Paper;
use wibbet_types::RunId;

use super::drawing::Drawing;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{day_here, line, tell};

/// What `sheet` is asked for.
#[derive(Debug, Args)]
pub(crate) struct WantedSheet {
    /// A run by its number, or a device by id or serial: the runs of its latest job, which have one ticket, or else one day.
    #[arg(value_name = "RUN|DEVICE", required_unless_present = "print_words")]
    of: Option<String>,
    #[command(flatten)]
    drawing: Drawing,
    /// What is left out: the serial; usage, which is what was measured and seen.
    #[arg(long, value_name = "WHAT", value_delimiter = ',')]
    without: Vec<LeftOut>,
    /// The paper.
    #[arg(long, value_enum, default_value_t = PaperName::A4)]
    paper: PaperName,
    /// Words in place of Wibbet's own, out of a file; what it does not name stays as it is.
    #[arg(long, value_name = "FILE")]
    words: Option<PathBuf>,
    /// Print all words as such a file, and nothing else.
    #[arg(long)]
    print_words: bool,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What can be left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum LeftOut {
    /// The serial.
    Serial,
    /// What was measured and seen.
    Usage,
}

/// A size of paper.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum PaperName {
    /// 210 by 297 mm.
    A4,
    /// 8.5 by 11 inches.
    Letter,
}

pub(crate) fn sheet(folder: &Path, wanted: &WantedSheet) -> Result<Exit, Failure> {
    let words = match &wanted.words {
        Some(file) => {
            let bad = |why: String| Failure::new(Exit::Usage, format!("{}: {why}", file.display()));
            let text = std::fs::read_to_string(file).map_err(|why| bad(why.to_string()))?;
            read_words(&text).map_err(|why| bad(why.to_string()))?
        }
        None => SheetWords::default(),
    };
    let Some(of) = wanted.of.as_ref().filter(|_| !wanted.print_words) else {
        line(write_words(&words).trim_end());
        return Ok(Exit::Done);
    };
    let Some(book) = Logbook::open_to_look(folder)? else {
        return Err(Failure::new(Exit::Nothing, "the logbook has no runs yet"));
    };
    let (runs, facts) = of_job(&book, of)?;
    let copies = book.copies(Some(&facts.id))?;
    let without = |what| wanted.without.contains(&what);
    let day = runs.last().map(|run| day_here(run.begun)).unwrap_or_default();
    let sheet = job_sheet(&SheetSource {
        facts: &facts,
        runs: &runs,
        copies: &copies,
        day: &day,
        words: &words,
        without: Without { serial: without(LeftOut::Serial), usage: without(LeftOut::Usage) },
    });
    if wanted.drawing.is_wanted() {
        let paper = match wanted.paper {
            PaperName::A4 => Paper::A4,
            PaperName::Letter => Paper::Letter,
        };
        wanted.drawing.write(&wibbet_report::job_sheet(&sheet, paper, &words.foot))?;
    }
    match wanted.json {
        true => json::print(&json::JobSheet::of(&sheet, &runs)),
        false => show(&sheet),
    }
    Ok(Exit::Done)
}

/// The runs that are meant, the oldest first, and their device.
fn of_job(book: &Logbook, of: &str) -> Result<(Vec<Run>, wibbet_core::device::DeviceFacts), Failure> {
    let none = |words: String| Failure::new(Exit::Nothing, words);
    let devices = book.devices()?;
    let facts = |id: &wibbet_types::DeviceId| {
        let known = devices.iter().map(|known| &known.facts).find(|facts| facts.id == *id).cloned();
        known.ok_or_else(|| none(format!("the logbook does not know {id}")))
    };
    if let Ok(number) = of.parse::<i64>()
        && let Some(run) = book.run(RunId::new(number))?
    {
        let facts = facts(&run.device)?;
        return Ok((vec![run], facts));
    }
    let meant: Vec<_> =
        devices.iter().map(|known| &known.facts).filter(|f| f.id.as_str() == of || f.serial.as_str() == of).collect();
    let device = match meant.as_slice() {
        [one] => (*one).clone(),
        [] => return Err(none(format!("the logbook has neither a run nor a device {of}"))),
        several => {
            let ids: Vec<&str> = several.iter().map(|facts| facts.id.as_str()).collect();
            let words = format!("{of} is the serial of several devices: {}", ids.join(", "));
            return Err(Failure::new(Exit::Usage, words));
        }
    };
    let mut runs = book.runs(Some(&device.id))?;
    let Some(last) = runs.first().cloned() else {
        return Err(none(format!("the logbook has no runs of {}", device.id)));
    };
    runs.retain(|run| match last.job.ticket.is_empty() {
        true => run.job.ticket.is_empty() && day_here(run.begun) == day_here(last.begun),
        false => run.job.ticket == last.job.ticket,
    });
    runs.reverse();
    Ok((runs, device))
}

/// Shows a sheet as text.
fn show(sheet: &Sheet) {
    tell(if sheet.workshop.is_empty() {
        sheet.title.clone()
    } else {
        format!("{} · {}", sheet.title, sheet.workshop)
    });
    for part in &sheet.parts {
        match part {
            SheetPart::Facts(facts) => facts.iter().for_each(|(name, value)| line(format_args!("{name:<14} {value}"))),
            SheetPart::Rows(title, rows) => {
                line(format_args!("\n{title}"));
                for row in rows {
                    line(format_args!("  {:<32} {:<20} {}", row.name, row.what, row.id));
                    if !row.why.is_empty() {
                        line(format_args!("      {}", row.why));
                    }
                }
            }
            SheetPart::Lines(title, lines) => {
                line(format_args!("\n{title}"));
                lines.iter().for_each(|words| line(format_args!("  {words}")));
            }
            SheetPart::Bars(title, bars) => {
                line(format_args!("\n{title}"));
                for bar in bars {
                    line(format_args!("  {:<32} {} → {}", bar.name, bar.words.0, bar.words.1));
                }
            }
            SheetPart::Sign(_) => {}
        }
    }
}
