//! The link of a device: its ladder, pairing, closing.

use serde::Serialize;
use wibbet_core::link::CloseStep;
use wibbet_core::link::{Ladder, RungState};

use super::device::Device;

/// Where the debugging of the very device is that the program runs on.
#[derive(Serialize)]
pub(crate) struct Here {
    /// `HOST:PORT`; null where none answers.
    pub(crate) at: Option<String>,
}

#[derive(Serialize)]
struct JsonRung {
    rung: &'static str,
    standing: &'static str,
    known: String,
}

#[derive(Serialize)]
struct JsonTrouble {
    rung: &'static str,
    name: &'static str,
    seen: String,
    advice: String,
}

/// A ladder as it stands.
#[derive(Serialize)]
pub(crate) struct JsonLadder {
    device: Device,
    ladder: Vec<JsonRung>,
    trouble: Option<JsonTrouble>,
}

impl JsonLadder {
    pub(crate) fn of(device: Device, ladder: &Ladder) -> Self {
        let rung =
            |r: &RungState| JsonRung { rung: r.rung.name(), standing: r.standing.name(), known: r.known.clone() };
        let trouble = ladder.trouble.as_ref().map(|t| JsonTrouble {
            rung: t.rung.name(),
            name: t.advice.name(),
            seen: t.seen.clone(),
            advice: t.words.clone(),
        });
        Self { device, ladder: ladder.rungs.iter().map(rung).collect(), trouble }
    }
}

#[derive(Serialize)]
struct JsonCloseStep {
    what: String,
    done: bool,
    known: String,
}

#[derive(Serialize)]
pub(crate) struct Closed {
    id: String,
    steps: Vec<JsonCloseStep>,
}

impl Closed {
    pub(crate) fn of(id: String, steps: &[CloseStep]) -> Self {
        let step = |s: &CloseStep| JsonCloseStep { what: s.what.clone(), done: s.done, known: s.known.clone() };
        Self { id, steps: steps.iter().map(step).collect() }
    }
}

/// What became of a restart; `None` where nobody waited for it.
#[derive(Serialize)]
pub(crate) struct Restarted {
    pub(crate) id: String,
    pub(crate) restarted: Option<bool>,
}

/// What a pairing brought.
#[derive(Serialize)]
pub(crate) struct Paired {
    pub(crate) paired: bool,
    pub(crate) name: String,
}
