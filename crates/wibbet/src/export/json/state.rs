//! The state of a package for a user.

use serde::Serialize;
use wibbet_core::package::PackageState;

#[derive(Serialize)]
pub(crate) struct State {
    state: &'static str,
    installed: bool,
    enabled: u8,
    hidden: bool,
    suspended: bool,
}

impl From<PackageState> for State {
    fn from(state: PackageState) -> Self {
        Self {
            state: state.condition().name(),
            installed: state.installed,
            enabled: state.enabled.number(),
            hidden: state.hidden,
            suspended: state.suspended,
        }
    }
}
