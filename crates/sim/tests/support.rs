//! What tests of several subjects share.

use std::time::Duration;

use wibbet_adb::{Encryption, HostKey, KeyRing, Link, SystemDialer, Timeouts};
use wibbet_sim::{Allow, Options, Scenario, SimDevice};

const PEM: &str = include_str!("../../adb/tests/key.pem");

/// A device, and a link to it.
pub(crate) async fn linked(scenario: Scenario) -> (SimDevice, Link) {
    linked_to(scenario, Allow::After(Duration::ZERO)).await
}

/// A device whose owner answers so, and a link to it.
pub(crate) async fn linked_to(scenario: Scenario, allow: Allow) -> (SimDevice, Link) {
    let sim = SimDevice::start(scenario, Options { allow, ..Options::default() }).await.unwrap();
    let keys = KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap());
    let limits = Timeouts { answer: Duration::from_secs(60), ..Timeouts::default() };
    let at = sim.address();
    let link = Link::connect_at(&SystemDialer, &at, Encryption::WhereAsked, &keys, &limits, &mut |_| {}).await.unwrap();
    (sim, link)
}
