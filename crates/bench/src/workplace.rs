//! What all sessions of a program share.

use std::sync::Arc;

use wibbet_adb::{KeyRing, Timeouts};
use wibbet_logbook::MeetingPlaces;
use wibbet_types::Address;

use crate::around::{Route, Surroundings};
use crate::device::AdbDevice;
use crate::logbook::SharedLogbook;
use crate::policy::RunPolicy;

/// What the sessions of a program share.
#[derive(Debug, Clone)]
pub struct Workplace {
    /// The logbook.
    pub book: SharedLogbook,
    /// Who works here: noted with each run that names nobody. Empty where that was not said.
    pub technician: Arc<str>,
    /// Where the programs of one user find each other.
    pub meeting: MeetingPlaces,
    /// The keys of this computer.
    pub keys: Arc<KeyRing>,
    /// How long to wait while a link is made.
    pub limits: Timeouts,
    /// How patient to be afterwards.
    pub patience: RunPolicy,
    /// Where devices are looked for.
    pub surroundings: Arc<Surroundings>,
}

impl Workplace {
    /// A device at an address.
    pub fn device(&self, address: Address) -> AdbDevice {
        self.device_by(vec![Route::Address(address)])
    }

    /// A device by some ways to it.
    pub fn device_by(&self, routes: Vec<Route>) -> AdbDevice {
        AdbDevice::new(routes, Arc::clone(&self.surroundings), Arc::clone(&self.keys), self.limits, self.patience)
    }
}
