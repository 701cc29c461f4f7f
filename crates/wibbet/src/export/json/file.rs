//! A file that was brought.

use serde::Serialize;

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
