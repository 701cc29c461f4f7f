//! `wibbet order record`: what became of orders, by the runs in the logbook.

use std::collections::BTreeMap;
use std::path::Path;

use clap::Args;
use wibbet_core::order::{Became, OrderRecord, RecordedDevice};
use wibbet_logbook::Logbook;
use wibbet_report::Heading;
use wibbet_types::{DeviceId, counted};

use super::drawing::Drawing;
use crate::cli::resolve::no_logbook;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{day_here, line, tell};

/// What `order record` is asked for.
#[derive(Debug, Args)]
pub(crate) struct WantedRecord {
    /// The name of an order; without it the names are listed.
    name: Option<String>,
    #[command(flatten)]
    drawing: Drawing,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

pub(crate) fn record(data: &Path, wanted: &WantedRecord) -> Result<Exit, Failure> {
    let book = Logbook::open_to_look(data)?.ok_or_else(no_logbook)?;
    let runs = book.runs(None)?;
    let Some(name) = &wanted.name else {
        if wanted.drawing.is_wanted() {
            return Err(Failure::new(Exit::Usage, "a drawing is of one order: name it"));
        }
        let mut names: BTreeMap<&str, usize> = BTreeMap::new();
        runs.iter().filter(|run| !run.order.is_empty()).for_each(|run| *names.entry(&run.order).or_default() += 1);
        match wanted.json {
            true => json::print(&json::OrderNames::of(&names)),
            false => names
                .iter()
                .for_each(|(name, count)| line(format_args!("{name:<32} {}", counted(*count, "run", "runs")))),
        }
        return Ok(if names.is_empty() { Exit::Nothing } else { Exit::Done });
    };
    let record = OrderRecord::of(name, &runs);
    if record.devices.is_empty() {
        return Err(Failure::new(Exit::Nothing, format!("the logbook has no run of an order “{name}”")));
    }
    let names: BTreeMap<DeviceId, String> =
        book.devices()?.into_iter().map(|known| (known.facts.id.clone(), known.facts.name())).collect();
    let called = |device: &RecordedDevice| names.get(&device.id).cloned().unwrap_or_default();
    if wanted.drawing.is_wanted() {
        let days = [record.devices.iter().map(|d| d.at).min(), record.devices.iter().map(|d| d.at).max()];
        let days = days.map(|day| day.map_or_else(String::new, day_here));
        let heading = Heading {
            title: format!("Order: {name}"),
            below: format!("{} · {} to {}", counted(record.devices.len(), "device", "devices"), days[0], days[1]),
            foot: String::new(),
        };
        wanted.drawing.write(&wibbet_report::fleet(&heading, &record, &called, &day_here))?;
    }
    match wanted.json {
        true => json::print(&json::RecordOfOrder::of(name, &record)),
        false => show(&record, &called),
    }
    Ok(Exit::Done)
}

/// A line for each device, and what somebody has to look at there.
fn show(record: &OrderRecord, called: &dyn Fn(&RecordedDevice) -> String) {
    tell(format_args!(
        "{}, {}",
        counted(record.devices.len(), "device", "devices"),
        counted(record.packages.len(), "package", "packages")
    ));
    for device in &record.devices {
        let count = |became| {
            let of = record.packages.iter().filter(|(id, _)| record.cell(id, &device.id) == Some(became)).count();
            (of > 0).then(|| format!("{of} {}", became.sign().1))
        };
        let counts: Vec<String> = Became::ALL.into_iter().filter_map(count).collect();
        line(format_args!("{:<24} run {:<5} {}  {}", device.id, device.run, called(device), counts.join(", ")));
        for (id, name) in &record.packages {
            if let Some(became @ (Became::Refused | Became::Unsettled)) = record.cell(id, &device.id) {
                let name = name.as_ref().map_or_else(String::new, |name| format!("{name}  "));
                line(format_args!("  {:<10} {name}{id}", became.sign().1));
            }
        }
    }
}
