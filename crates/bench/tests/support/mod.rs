//! What tests against bench devices share.
#![allow(dead_code, clippy::unwrap_used, reason = "tests; not every test file uses all of it")]

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use wibbet_adb::{HostKey, KeyRing, Timeouts};
use wibbet_bench::around::Surroundings;
use wibbet_bench::device::AdbDevice;
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::workplace::Workplace;
use wibbet_sim::{Allow, Options, Scenario, SimDevice, SimNetwork};
use wibbet_types::PackageId;

const PEM: &str = include_str!("../../../adb/tests/key.pem");

pub(crate) fn keys() -> Arc<KeyRing> {
    Arc::new(KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap()))
}

/// Long limits and short pauses: nothing passes by being fast, and nothing is slow for nothing.
pub(crate) fn patience(window: usize) -> RunPolicy {
    let long = Duration::from_secs(60);
    RunPolicy { change: long, look: long, link: long, pause: Duration::from_millis(1), tries: 5, window }
}

pub(crate) fn workplace(folder: &Path, patience: RunPolicy) -> Workplace {
    let long = Duration::from_secs(60);
    let limits = Timeouts { connect: long, answer: long, tap: long, idle: long, write: long };
    Workplace {
        book: SharedLogbook::open(folder).unwrap(),
        technician: Arc::default(),
        meeting: wibbet_logbook::MeetingPlaces::only(folder),
        keys: keys(),
        limits,
        patience,
        surroundings: Arc::default(),
    }
}

pub(crate) async fn device(scenario: Scenario, seed: u64) -> SimDevice {
    let restart = Duration::from_millis(30);
    let options = Options { allow: Allow::After(Duration::ZERO), seed, restart, ..Options::default() };
    SimDevice::start(scenario, options).await.unwrap()
}

/// A device that is reached in memory, and a program that reaches it there. Nothing of it depends on the machine: with
/// stopped time and one thread a seed takes the same course each time.
pub(crate) async fn in_memory(
    scenario: Scenario,
    seed: u64,
    folder: &Path,
    patience: RunPolicy,
) -> (SimDevice, Workplace) {
    let network = SimNetwork::default();
    let options = Options {
        allow: Allow::After(Duration::ZERO),
        seed,
        restart: Duration::from_millis(30),
        network: Some(network.clone()),
        in_memory: true,
        ..Options::default()
    };
    let sim = SimDevice::start(scenario, options).await.unwrap();
    let here = workplace(folder, patience);
    let surroundings = Arc::new(Surroundings::default().with_network(Arc::new(network)));
    (sim, Workplace { book: here.book.clone().working_inline(), surroundings, ..here })
}

/// A device over loopback, linked to, and a program that is at it.
pub(crate) async fn linked(scenario: Scenario, window: usize) -> (SimDevice, Workplace, AdbDevice, tempfile::TempDir) {
    let folder = tempfile::tempdir().unwrap();
    let sim = device(scenario, 1).await;
    let workplace = workplace(folder.path(), patience(window));
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    (sim, workplace, device, folder)
}

pub(crate) fn id(text: &str) -> PackageId {
    text.parse().unwrap()
}
