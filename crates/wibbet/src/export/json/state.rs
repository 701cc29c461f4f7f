//! The state of a package for a user.

use serde::Serialize;
use wibbet_core::package::{Package, PackageState};
use wibbet_types::UserId;

#[derive(Serialize)]
pub(crate) struct State {
    state: &'static str,
    installed: bool,
    enabled: u8,
    hidden: bool,
    suspended: bool,
}

impl State {
    /// Of a package as it is on the device for a user.
    pub(crate) fn of(package: &Package, user: UserId) -> Self {
        Self { state: package.condition(user).name(), ..Self::from(package.state(user)) }
    }
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
