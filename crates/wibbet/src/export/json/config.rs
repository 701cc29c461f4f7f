//! The configuration.

use std::path::Path;

use serde::Serialize;

use crate::config::Config;

/// The configuration as it is, and where it stands.
#[derive(Serialize)]
pub(crate) struct Configured<'a> {
    file: String,
    is_there: bool,
    config: &'a Config,
}

impl<'a> Configured<'a> {
    pub(crate) fn of(file: &Path, is_there: bool, config: &'a Config) -> Self {
        Self { file: file.display().to_string(), is_there, config }
    }
}
