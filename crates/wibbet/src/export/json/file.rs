//! What was done by hand: a file that was brought, a picture, a part that was switched.

use serde::Serialize;
use wibbet_bench::ops::WantedPart;
use wibbet_types::PlainText;

#[derive(Serialize)]
pub(crate) struct Brought {
    here: String,
    there: String,
    bytes: u64,
    sha256: String,
    same: Option<bool>,
}

impl Brought {
    pub(crate) fn of(brought: &wibbet_bench::ops::Brought) -> Self {
        Self {
            here: brought.here.display().to_string(),
            there: brought.there.to_string(),
            bytes: brought.bytes,
            sha256: brought.sha256.clone(),
            same: brought.same,
        }
    }
}

/// A picture of a screen.
#[derive(Serialize)]
pub(crate) struct Picture {
    pub(crate) file: String,
    pub(crate) bytes: usize,
}

/// A part of a package that was switched.
#[derive(Serialize)]
pub(crate) struct SwitchedPart {
    id: String,
    user: u32,
    part: String,
    wanted: &'static str,
    so: Option<bool>,
    said: String,
}

impl SwitchedPart {
    pub(crate) fn of(wanted: &WantedPart, so: Option<bool>, said: &PlainText) -> Self {
        Self {
            id: wanted.id.to_string(),
            user: wanted.user.number(),
            part: wanted.part.to_string(),
            wanted: wanted.to.name(),
            so,
            said: said.to_string(),
        }
    }
}
