//! How long it takes until the packages of a phone with 450 of them are on the screen, with their labels, by cable (5 ms a round
//! trip, 30 MB/s) and by air (5 MB/s), where each program that the device starts takes 6 ms of one of four cores; and what that
//! costs. `cargo bench -p wibbet-bench`.
//!
//! Once by the clock on the wall, in which this computer also plays the device, makes its files and packs them; and once in
//! stopped time, which passes only while device or line is at work: what a device of its own would be waited for, without what
//! this computer needs to read its answers.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark")]

use std::collections::HashSet;
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::watch;
use tokio::time::Instant;
use wibbet_adb::{HostKey, KeyRing, Timeouts, UsbBus};
use wibbet_bench::around::{Route, Surroundings};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{
    LabelNews, device_languages, fill_in_answers, read_labels_for, read_metrics, read_ties, survey,
};
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::workplace::Workplace;
use wibbet_sim::{Allow, Fault, Options, SampleApk, Scenario, SimBus, SimDevice, SimNetwork};
use wibbet_types::PackageId;

const PEM: &str = include_str!("../../adb/tests/key.pem");

fn main() {
    // Asked for by `cargo test --benches`: nothing is measured then.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let stopped = tokio::runtime::Builder::new_current_thread().enable_all().start_paused(true).build().unwrap();
    println!("In stopped time:");
    stopped.block_on(measure(true));
    if std::env::var("TRACE").is_ok() {
        return;
    }
    drop(stopped);
    println!("By the clock on the wall:");
    tokio::runtime::Runtime::new().unwrap().block_on(measure(false));
}

async fn measure(stopped: bool) {
    let long = Duration::from_secs(60);
    // By cable and by air.
    for (count, line) in [(236, "line=5:30"), (450, "line=5:30"), (450, "line=5:5")] {
        let place = tempfile::tempdir().unwrap();
        let mut workplace = Workplace {
            book: match stopped {
                true => SharedLogbook::open(place.path()).unwrap().working_inline(),
                false => SharedLogbook::open(place.path()).unwrap(),
            },
            technician: Arc::default(),
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
        let network = SimNetwork::default();
        let options = Options {
            allow: Allow::After(Duration::ZERO),
            network: Some(network.clone()),
            in_memory: stopped,
            ..Options::default()
        };
        let sim = SimDevice::start(scenario, options).await.unwrap();
        let bus = Arc::new(SimBus::default());
        let cable = Route::Cable(bus.plug(&sim));
        let surroundings = Surroundings::simulated(Some(Arc::clone(&bus) as Arc<dyn UsbBus>), None);
        workplace.surroundings = Arc::new(match stopped {
            true => surroundings.with_network(Arc::new(network)),
            false => surroundings,
        });
        let route = if line == "line=5:30" { cable } else { Route::Address(sim.address()) };
        sim.set_fault(line.parse::<Fault>().unwrap());
        sim.make_files();
        for look in ["first look", "second look"] {
            let device = workplace.device_by(vec![route.clone()]);
            device.connect(&mut |_| {}).await.unwrap();
            let begun = Instant::now();
            // As a session does it.
            let (inventory, (), languages) = futures_util::future::join3(
                survey(&device, &mut |_| {}),
                device.get_ready_to_read(),
                device_languages(&device, wibbet_types::UserId::OWNER),
            )
            .await;
            let (inventory, languages) = (inventory.unwrap(), languages.unwrap());
            let rows = begun.elapsed();
            // Those of a screen full are waited for.
            let screen: HashSet<PackageId> = inventory.packages.keys().step_by(count / 32).cloned().collect();
            let (_looking, awaited) = watch::channel(Arc::new(screen.clone()));
            let (mut seen, mut visible) = (HashSet::new(), None);
            let labels_begun = Instant::now();
            let mut news = |news: LabelNews| {
                seen.extend(news.fresh.into_keys());
                if visible.is_none() && screen.is_subset(&seen) {
                    visible = Some(labels_begun.elapsed());
                }
            };
            let (names, cost) =
                read_labels_for(&device, &workplace.book, &inventory, &languages, &awaited, &mut news).await.unwrap();
            let (visible, labels_took) = (visible.unwrap_or_default(), labels_begun.elapsed());
            let labels = begun.elapsed();
            read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
            println!(
                "{count} packages, {line}, {look}: rows after {rows:.2?}; labels: {} on the screen in {visible:.2?}, {} in {labels_took:.2?}; all after {labels:.2?}, sizes and use after {:.2?}",
                screen.len(),
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
            // What shows what ties packages, beyond survey, labels and metrics.
            let (begun, before) = (Instant::now(), sim.transcript().len());
            let users: Vec<wibbet_types::UserId> = inventory.users.iter().map(|user| user.id).collect();
            let mut ties = read_ties(&device, &users).await.unwrap();
            fill_in_answers(&device, &mut ties, &inventory, &names, &users).await.unwrap();
            println!(
                "    evidence of what ties them: {} round trips more in {:.2?}; {} parts in use at the moment",
                sim.transcript().len() - before,
                begun.elapsed(),
                ties.bindings.len()
            );
        }
    }
}
