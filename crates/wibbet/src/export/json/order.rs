//! Orders, and what they come to on devices.

use std::collections::BTreeMap;

use serde::Serialize;
use wibbet_bench::orders::PreparedOrder;
use wibbet_bench::run::SettingHeld;
use wibbet_core::order::{AppliedLine, Fate, Order, OrderRecord, Way};
use wibbet_core::run::{Run, SettingChange};
use wibbet_types::PlainText;

use super::error::JsonError;
use super::run::{Steps, time};
use super::setting::JsonSetting;
use crate::exit::{Exit, Failure};

#[derive(Serialize)]
struct JsonItem {
    what: String,
    /// `leave`, or nothing where it is as one would mark it.
    way: Option<String>,
    #[serde(skip_serializing_if = "String::is_empty")]
    note: String,
}

/// What becomes of a package before anything is sent.
#[derive(Serialize)]
struct JsonFate {
    item: usize,
    id: Option<String>,
    user: Option<u32>,
    fate: &'static str,
    way: Option<&'static str>,
    words: String,
    /// Why the plan does not send it.
    skip: Option<String>,
}

impl JsonFate {
    fn of(line: &AppliedLine, prepared: &PreparedOrder) -> Self {
        let way = match line.fate {
            Fate::Goes(way) => Some(way.name()),
            _ => None,
        };
        let step =
            prepared.plan.steps.iter().find(|step| Some(&step.id) == line.id.as_ref() && Some(step.user) == line.user);
        Self {
            item: line.item + 1,
            id: line.id.as_ref().map(ToString::to_string),
            user: line.user.map(|user| user.number()),
            fate: line.fate.name(),
            way,
            words: line.fate.to_string(),
            skip: way.and(step).and_then(|step| step.skip).map(|skip| skip.to_string()),
        }
    }
}

/// A device of an order.
#[derive(Serialize)]
pub(crate) struct OrderedDevice {
    device: String,
    serial: Option<String>,
    name: Option<String>,
    speaks_against: Vec<String>,
    lines: Vec<JsonFate>,
    run: Option<Steps>,
    settings: Vec<JsonSetting>,
    exit: &'static str,
    /// Whether its link was closed whole; nothing where that was not asked for.
    closed: Option<bool>,
    error: Option<JsonError>,
    trouble: Option<String>,
}

impl OrderedDevice {
    fn bare(device: &str, exit: Exit) -> Self {
        Self {
            device: device.to_owned(),
            serial: None,
            name: None,
            speaks_against: Vec::new(),
            lines: Vec::new(),
            run: None,
            settings: Vec::new(),
            exit: exit.name(),
            closed: None,
            error: None,
            trouble: None,
        }
    }

    /// What an order comes to.
    pub(crate) fn planned(device: &str, prepared: &PreparedOrder) -> Self {
        let sets = prepared.settings.iter().any(SettingHeld::is_to_set);
        let exit = if prepared.plan.to_send() == 0 && !sets { Exit::Nothing } else { Exit::Done };
        Self {
            serial: Some(prepared.facts.id.to_string()),
            name: Some(prepared.facts.name()),
            speaks_against: prepared.applied.speaks_against.clone(),
            lines: prepared.applied.lines.iter().map(|line| JsonFate::of(line, prepared)).collect(),
            settings: prepared.settings.iter().map(JsonSetting::held).collect(),
            ..Self::bare(device, exit)
        }
    }

    /// What became of one.
    pub(crate) fn done(
        device: &str,
        run: Option<&Run>,
        settings: &[SettingChange],
        trouble: Option<String>,
        exit: Exit,
        closed: Option<bool>,
    ) -> Self {
        Self {
            serial: run.map(|run| run.device.to_string()),
            run: run.map(Steps::of),
            settings: settings.iter().map(JsonSetting::sent).collect(),
            closed,
            trouble,
            ..Self::bare(device, exit)
        }
    }

    /// A device that it did not come to.
    pub(crate) fn failed(device: &str, failure: &Failure) -> Self {
        Self { error: Some(failure.into()), ..Self::bare(device, failure.exit) }
    }
}

/// An order, with what it comes to or came to on devices.
#[derive(Serialize)]
pub(crate) struct JsonOrder {
    order: String,
    purpose: String,
    dry_run: bool,
    items: Vec<JsonItem>,
    devices: Vec<OrderedDevice>,
}

impl JsonOrder {
    pub(crate) fn of(order: &Order, devices: Vec<OrderedDevice>, dry_run: bool) -> Self {
        let item = |item: &wibbet_core::order::OrderItem| JsonItem {
            what: item.what.to_string(),
            way: match item.way {
                Way::Usual => None,
                Way::By(way) => Some(way.to_string()),
                Way::Leave => Some("leave".into()),
            },
            note: item.note.clone(),
        };
        Self {
            order: order.name.clone(),
            purpose: order.purpose.clone(),
            dry_run,
            items: order.items.iter().map(item).collect(),
            devices,
        }
    }
}

/// The names of the orders that runs carried out.
#[derive(Serialize)]
pub(crate) struct OrderNames<'a> {
    orders: Vec<JsonOrderName<'a>>,
}

#[derive(Serialize)]
struct JsonOrderName<'a> {
    name: &'a str,
    runs: usize,
}

impl<'a> OrderNames<'a> {
    pub(crate) fn of(names: &BTreeMap<&'a str, usize>) -> Self {
        Self { orders: names.iter().map(|(name, runs)| JsonOrderName { name, runs: *runs }).collect() }
    }
}

/// What became of an order: on each device, by the latest run there.
#[derive(Serialize)]
pub(crate) struct RecordOfOrder<'a> {
    order: &'a str,
    devices: Vec<JsonRecorded<'a>>,
}

#[derive(Serialize)]
struct JsonRecorded<'a> {
    device: &'a str,
    run: i64,
    at: String,
    packages: Vec<JsonBecame<'a>>,
}

#[derive(Serialize)]
struct JsonBecame<'a> {
    id: &'a str,
    name: Option<&'a str>,
    became: &'static str,
}

impl<'a> RecordOfOrder<'a> {
    pub(crate) fn of(order: &'a str, record: &'a OrderRecord) -> Self {
        let devices = record.devices.iter().map(|device| {
            let packages = record.packages.iter().filter_map(|(id, name)| {
                let became = record.cell(id, &device.id)?.sign().1;
                Some(JsonBecame { id: id.as_str(), name: name.as_ref().map(PlainText::as_str), became })
            });
            let (device, run, at) = (device.id.as_str(), device.run.number(), time(device.at));
            JsonRecorded { device, run, at, packages: packages.collect() }
        });
        Self { order, devices: devices.collect() }
    }
}
