//! What every command prints: its object, or why there is none.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::exit::Failure;
use crate::out::{line, tell};

#[derive(Serialize)]
pub(super) struct JsonError {
    kind: &'static str,
    message: String,
}

impl From<&Failure> for JsonError {
    fn from(failure: &Failure) -> Self {
        Self { kind: failure.exit.name(), message: failure.message.clone() }
    }
}

pub(crate) fn print(object: &impl Serialize) {
    match serde_json::to_string(object) {
        Ok(text) => line(text),
        // Nothing that is printed here holds a map with keys that are no text.
        Err(error) => tell(format_args!("the answer could not be written as JSON: {error}")),
    }
}

pub(crate) fn print_failure(failure: &Failure) {
    print(&BTreeMap::from([("error", JsonError::from(failure))]));
}
