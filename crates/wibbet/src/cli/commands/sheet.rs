//! `wibbet sheet`: the paper that goes with a device.

use std::path::PathBuf;

use clap::Args;
use wibbet_core::sheet::{Sheet, SheetPart, write_words};
use wibbet_logbook::Logbook;
use wibbet_types::RunId;

use super::drawing::Drawing;
use crate::cli::resolve::known_or_met_at;
use crate::config::{Config, LeftOut, PaperName};
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::export::sheet::SheetJob;
use crate::out::{line, tell};
use crate::place::Folders;

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
    /// The paper [default: as configured, else a4].
    #[arg(long, value_enum)]
    paper: Option<PaperName>,
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

pub(crate) fn sheet(folders: &Folders, config: &Config, wanted: &WantedSheet) -> Result<Exit, Failure> {
    let words = config.sheet_words(wanted.words.as_deref())?;
    let Some(of) = wanted.of.as_ref().filter(|_| !wanted.print_words) else {
        line(write_words(&words).trim_end());
        return Ok(Exit::Done);
    };
    let Some(book) = Logbook::open_to_look(&folders.data)? else {
        return Err(Failure::new(Exit::Nothing, "the logbook has no runs yet"));
    };
    let job = meant(&book, of)?;
    let sheet = job.sheet(&words, config.without(&wanted.without), &crate::system::time_zone());
    if wanted.drawing.is_wanted() {
        let paper = wanted.paper.unwrap_or(config.sheet.paper).paper();
        wanted.drawing.write(&wibbet_report::job_sheet(&sheet, paper, &words.foot))?;
    }
    match wanted.json {
        true => json::print(&json::JobSheet::of(&sheet, &job.runs)),
        false => show(&sheet),
    }
    Ok(Exit::Done)
}

/// A run alone, or the latest job of a device.
fn meant(book: &Logbook, of: &str) -> Result<SheetJob, Failure> {
    let none = |words: String| Failure::new(Exit::Nothing, words);
    if let Ok(number) = of.parse::<i64>()
        && let Some(job) = SheetJob::of_run(book, RunId::new(number))?
    {
        return Ok(job.only(RunId::new(number)));
    }
    let device = known_or_met_at(&book.devices()?, of).map_err(|failure| match failure.exit {
        Exit::Nothing => none(format!("the logbook has neither a run nor a device {of}")),
        _ => failure,
    })?;
    SheetJob::latest(book, &device.id)?.ok_or_else(|| none(format!("the logbook has no runs of {}", device.id)))
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
