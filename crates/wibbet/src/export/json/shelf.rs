//! What is off a device.

use std::collections::BTreeMap;

use serde::Serialize;
use wibbet_core::run::{Origin, Shelf, ShelfEntry};

use super::device::Device;
use super::run::time;
use super::state::State;

#[derive(Serialize)]
struct JsonOrigin {
    run: i64,
    begun: String,
}

#[derive(Serialize)]
struct JsonEntry {
    id: String,
    user: u32,
    state: &'static str,
    origin: Option<JsonOrigin>,
    back_to: State,
    #[serde(skip_serializing_if = "Option::is_none")]
    copy: Option<i64>,
}

impl From<&ShelfEntry> for JsonEntry {
    fn from(entry: &ShelfEntry) -> Self {
        let origin = match entry.origin {
            Origin::Run { number, begun } => Some(JsonOrigin { run: number.number(), begun: time(begun) }),
            Origin::Before => None,
        };
        Self {
            id: entry.id.to_string(),
            user: entry.user.number(),
            state: match entry {
                ShelfEntry { quiet: true, .. } => "quiet",
                ShelfEntry { removed: true, .. } => "removed",
                _ => entry.condition.name(),
            },
            origin,
            back_to: entry.target.into(),
            copy: entry.copy.map(|copy| copy.number()),
        }
    }
}

#[derive(Serialize)]
pub(crate) struct JsonShelf {
    device: Device,
    shelf: Vec<JsonEntry>,
    not_given: BTreeMap<u32, usize>,
}

impl JsonShelf {
    pub(crate) fn of(device: Device, shelf: &Shelf) -> Self {
        let not_given = shelf.not_given.iter().map(|(user, count)| (user.number(), *count)).collect();
        Self { device, shelf: shelf.entries.iter().map(JsonEntry::from).collect(), not_given }
    }
}
