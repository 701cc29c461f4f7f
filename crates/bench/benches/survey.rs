//! How long it takes until the packages of a phone with 450 of them are on the screen, with their labels, over a line of
//! 5 ms a round trip and 30 MB/s; and what that costs. `cargo bench -p wibbet-bench`.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark")]

use std::sync::Arc;
use std::time::{Duration, Instant};

use wibbet_adb::{HostKey, KeyRing, Timeouts};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{device_languages, read_labels, read_metrics, survey};
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::workplace::Workplace;
use wibbet_sim::{Allow, Fault, Options, SampleApk, Scenario, SimDevice};

const PEM: &str = include_str!("../../adb/tests/key.pem");

#[tokio::main]
async fn main() {
    // Asked for by `cargo test --benches`: nothing is measured then.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let long = Duration::from_secs(60);
    // By cable and by air.
    for (count, line) in [(236, "line=5:30"), (450, "line=5:30"), (450, "line=5:5")] {
        let place = tempfile::tempdir().unwrap();
        let workplace = Workplace {
            book: SharedLogbook::open(place.path()).unwrap(),
            meeting: wibbet_logbook::MeetingPlaces::only(place.path()),
            keys: Arc::new(KeyRing::of(HostKey::from_pem(PEM, "bench@mark", "key".as_ref()).unwrap())),
            limits: Timeouts { connect: long, answer: long, tap: long, idle: long, write: long },
            patience: RunPolicy {
                change: long,
                look: long,
                link: long,
                pause: Duration::from_millis(1),
                tries: 5,
                window: 1,
            },
            surroundings: Arc::default(),
        };
        let scenario = Scenario::crew_phone().grown(count);
        let total: u64 = SampleApk::all_of(&scenario).map(|a| a.size()).sum();
        let options = Options { allow: Allow::After(Duration::ZERO), ..Options::default() };
        let sim = SimDevice::start(scenario, options).await.unwrap();
        if std::env::var_os("NO_LINE").is_none() {
            sim.set_fault(line.parse::<Fault>().unwrap());
        }
        sim.make_files();
        for look in ["first look", "second look"] {
            let device = workplace.device(sim.address());
            device.connect(&mut |_| {}).await.unwrap();
            let begun = Instant::now();
            let inventory = survey(&device, &mut |_| {}).await.unwrap();
            let rows = begun.elapsed();
            let languages = device_languages(&device).await.unwrap();
            let (names, cost) =
                read_labels(&device, &workplace.book, &inventory, &languages, &mut |_| {}).await.unwrap();
            let labels = begun.elapsed();
            read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
            println!(
                "{count} packages, {line}, {look}: rows after {rows:.2?}, {} labels after {labels:.2?}, sizes and use after {:.2?}",
                names.apps.values().filter(|a| a.label.is_some()).count(),
                begun.elapsed()
            );
            println!(
                "    {} bytes of {total} ({:.2} %) in {} rounds and {} commands; {} known, {} read, {} without",
                cost.bytes,
                100.0 * cost.bytes as f64 / total as f64,
                cost.rounds,
                cost.commands,
                cost.known,
                cost.read,
                cost.failed
            );
        }
    }
}
