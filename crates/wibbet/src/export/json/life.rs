//! The life of a device.

use serde::Serialize;
use wibbet_core::diagnosis::{Life, LifePoint, Moment};
use wibbet_types::DeviceId;

use super::run::time;

#[derive(Serialize)]
struct JsonMoment {
    at: String,
    what: &'static str,
    run: Option<i64>,
    words: String,
    in_use: Option<u32>,
    on_break: bool,
}

impl JsonMoment {
    fn of(point: &LifePoint) -> Self {
        let (what, run) = match &point.what {
            Moment::Met => ("met", None),
            Moment::Updated(_) => ("updated", None),
            Moment::Run { number, .. } => ("run", Some(number.number())),
            Moment::BreakBegun => ("break-begun", None),
            Moment::BreakEnded => ("break-ended", None),
            Moment::Changed(_) => ("changed", None),
        };
        let words = point.what.words();
        Self { at: time(point.at), what, run, words, in_use: point.in_use, on_break: point.on_break }
    }
}

/// The life of a device.
#[derive(Serialize)]
pub(crate) struct DeviceLife {
    device: String,
    user: u32,
    moments: Vec<JsonMoment>,
}

impl DeviceLife {
    pub(crate) fn of(device: &DeviceId, life: &Life) -> Self {
        let moments = life.points.iter().map(JsonMoment::of).collect();
        Self { device: device.to_string(), user: life.user.number(), moments }
    }
}
