//! `wibbet life`: what has happened to a device, as far as the logbook knows.

use std::path::Path;

use clap::Args;
use wibbet_logbook::Logbook;

use super::drawing::Drawing;
use crate::cli::resolve::{known_or_met_at, no_logbook};
use crate::config::{Config, PaperName};
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::export::life::{drawn, life_of};
use crate::out::{day_and_time, line, tell};

/// What `life` is asked for.
#[derive(Debug, Args)]
pub(crate) struct WantedLife {
    /// An id or a serial.
    device: String,
    #[command(flatten)]
    drawing: Drawing,
    /// The paper [default: as configured, else a4].
    #[arg(long, value_enum)]
    paper: Option<PaperName>,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

pub(crate) fn life(data: &Path, config: &Config, wanted: &WantedLife) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    let id = known_or_met_at(&book.devices()?, &wanted.device)?.id;
    let Some((facts, life)) = life_of(&book, &id)? else { return Err(no_logbook()) };
    if wanted.drawing.is_wanted() {
        wanted.drawing.write(&drawn(&facts, &life, wanted.paper.unwrap_or(config.sheet.paper).paper()))?;
    }
    if wanted.json {
        json::print(&json::DeviceLife::of(&id, &life));
    } else {
        let zone = crate::system::time_zone();
        tell(format_args!("{} ({id})", facts.name()));
        for point in &life.points {
            let in_use = point.in_use.map_or_else(String::new, |count| format!("{count} in use"));
            let pause = if point.on_break { "on break" } else { "" };
            let (day, time) = day_and_time(point.at, &zone);
            line(format_args!("{day} {time}  {:<44} {in_use:<12} {pause}", point.what.words()));
        }
        if life.points.is_empty() {
            tell("nothing is kept of it yet");
        }
    }
    Ok(if life.points.is_empty() { Exit::Nothing } else { Exit::Done })
}
