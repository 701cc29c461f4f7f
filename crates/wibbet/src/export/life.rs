//! The life of a device out of the logbook.

use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::Life;
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_report::{Document, Heading, Paper, is_covered};
use wibbet_types::DeviceId;

use crate::out::day_and_time;

/// The life of a device; `None` where the logbook does not know it.
pub(crate) fn life_of(book: &Logbook, device: &DeviceId) -> Result<Option<(DeviceFacts, Life)>, LogbookError> {
    let Some(facts) = book.devices()?.into_iter().map(|known| known.facts).find(|facts| facts.id == *device) else {
        return Ok(None);
    };
    let mut looks = Vec::new();
    for head in book.looks(device)? {
        // One that cannot be read any more is as if it were not there.
        looks.extend(book.look(&head)?.map(|look| (head, look)));
    }
    let life = Life::of(&looks, &book.runs(Some(device))?, &book.breaks(device)?);
    Ok(Some((facts, life)))
}

/// It on paper. No serial, since drawings are handed on.
pub(crate) fn drawn(facts: &DeviceFacts, life: &Life, paper: Paper) -> Document {
    let name = Some(facts.name()).filter(|name| is_covered(name)).unwrap_or_else(|| "a device".to_owned());
    let zone = crate::system::time_zone();
    let clock = |at| day_and_time(at, &zone);
    let days = [life.points.first(), life.points.last()].map(|point| point.map_or_else(String::new, |p| clock(p.at).0));
    let heading = Heading {
        title: format!("The life of {name}"),
        below: match days[0] == days[1] {
            true => format!("{} · {}", facts.android, days[0]),
            false => format!("{} · {} to {}", facts.android, days[0], days[1]),
        },
        foot: String::new(),
    };
    wibbet_report::life(&heading, life, paper, &clock)
}
