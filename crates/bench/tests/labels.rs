//! Labels, metrics and what is on the screen, over the real protocol from bench devices.

use std::collections::BTreeMap;
use std::time::Duration;

use crate::support::{patience, workplace};
use wibbet_bench::device::AdbDevice;
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{in_front, open_developer_options, open_on_device, read_labels, read_metrics, survey};
use wibbet_core::ask::Opening;
use wibbet_core::package::{AppNames, Inventory, Source};
use wibbet_sim::{Fault, SampleApk, Scenario, SimDevice};
use wibbet_types::{PackageId, UserId};

/// What the sample APKs of a device have for a language, by package: the label, and the label in no language.
fn put_in(scenario: &Scenario, language: &str) -> BTreeMap<String, [Option<String>; 2]> {
    let both = |apk: SampleApk| (apk.id.clone(), [apk.label(language), apk.label("")].map(|l| l.map(str::to_owned)));
    SampleApk::all_of(scenario).map(both).collect()
}

async fn read(
    device: &AdbDevice,
    book: &SharedLogbook,
    inventory: &Inventory,
) -> (AppNames, wibbet_bench::ops::LabelCost) {
    let languages = wibbet_bench::ops::device_languages(device, UserId::OWNER).await.unwrap();
    read_labels(device, book, inventory, &languages, &mut |_| {}).await.unwrap()
}

async fn begin(scenario: Scenario) -> (SimDevice, AdbDevice, SharedLogbook, tempfile::TempDir) {
    let place = tempfile::tempdir().unwrap();
    let workshop = workplace(place.path(), patience(1));
    let sim = crate::support::device(scenario, 1).await;
    let device = workshop.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    (sim, device, workshop.book, place)
}

#[tokio::test]
async fn labels_of_every_kind_of_device_in_its_own_language() {
    for (scenario, language, tool) in [
        (Scenario::crew_phone(), "en-GB", "counting"),
        (Scenario::desk_tablet(), "de", "counting"),
        (Scenario::lost_phone(), "ja", "seeking"),
        (Scenario::spare_handset(), "es", "blocks"),
    ] {
        let wanted = put_in(&scenario, language);
        let (sim, device, book, _place) = begin(scenario).await;
        let inventory = survey(&device, &mut |_| {}).await.unwrap();
        let (names, cost) = read(&device, &book, &inventory).await;
        // The end of the framework's file is read once, for all that have a text of it.
        let read_ends =
            sim.transcript().iter().filter(|line| line.contains("tail") && line.contains("framework-res.apk")).count();
        assert!(read_ends <= 2, "{tool}: once, and once to try the tools");
        assert_eq!(names.apps.len(), inventory.packages.len(), "every package has an answer");
        for (id, facts) in &names.apps {
            let label = facts.label.as_ref().map(|l| l.as_str().to_owned());
            let put_in = &wanted[id.as_str()];
            match (&label, &facts.trouble) {
                (Some(_), None) if put_in[1].is_some() => {
                    assert!(put_in.contains(&label), "{id}: {label:?} {put_in:?}")
                }
                // A text of the framework, which is the first one there, as the framework's own label is.
                (Some(_), None) => assert!(wanted["android"].contains(&label), "{id}: {label:?}"),
                (_, Some(why)) => assert!(!why.as_str().is_empty() && put_in[1].is_none(), "{id}: {why}"),
                (None, None) => panic!("{id} has neither label nor reason"),
            }
        }
        assert!(cost.rounds < if tool == "blocks" { 400 } else { 120 }, "{language}: {cost:?}");
        // Again, and all of it is known.
        let (again, second) = read(&device, &book, &inventory).await;
        let unread = names.apps.values().filter(|a| a.label.is_none()).count();
        assert!(second.rounds <= 2 + unread, "{second:?}");
        assert!(second.known + unread >= names.apps.len(), "{second:?} {unread}");
        assert_eq!(again.apps, names.apps);
    }
}

/// Three devices that take their time over everything keep no other one from being read: a turn ends.
#[tokio::test(start_paused = true)]
async fn slow_devices_keep_nobody_from_being_read() {
    let place = tempfile::tempdir().unwrap();
    let mut all = Vec::new();
    let mut book: Option<SharedLogbook> = None;
    for seed in 1..5 {
        let (sim, workplace) = crate::support::in_memory(Scenario::crew_phone(), seed, place.path(), patience(1)).await;
        let book = book.get_or_insert(workplace.book.clone()).clone();
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let inventory = survey(&device, &mut |_| {}).await.unwrap();
        all.push((sim, device, book, inventory));
    }
    for (sim, ..) in &all[..3] {
        sim.set_fault(Fault::Latency(Duration::from_secs(50)));
    }
    let begun = tokio::time::Instant::now();
    let slow = futures_util::future::join_all(
        all[..3].iter().map(|(_, device, book, inventory)| read(device, book, inventory)),
    );
    let (_, device, book, inventory) = &all[3];
    let last = async {
        // The three are at it by then.
        tokio::time::sleep(Duration::from_secs(200)).await;
        read(device, book, inventory).await
    };
    tokio::select! {
        (names, _) = last => assert_eq!(names.apps.len(), inventory.packages.len()),
        _ = slow => panic!("the slow ones are done first, after {:?}", begun.elapsed()),
    }
}

#[tokio::test]
async fn a_language_in_a_part_of_its_own_is_found_there() {
    let (_sim, device, book, _place) = begin(Scenario::desk_tablet()).await;
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let tickets: PackageId = "fer.pellmoor.tickets".parse().unwrap();
    assert_eq!(inventory.packages[&tickets].about.splits.len(), 4);
    let (names, _) = read(&device, &book, &inventory).await;
    let facts = &names.apps[&tickets];
    assert_eq!(facts.label.as_ref().unwrap().as_str(), "Fahrkartenschalter");
    assert_eq!(facts.locale.to_string(), "de");
    let files = &names.files;
    assert_eq!(files.keys().filter(|path| path.contains("fer.pellmoor.tickets")).count(), 5, "the base and its parts");
    assert!(files.values().all(|size| *size > 500));
    assert_eq!(facts.name().unwrap().as_str(), "Fahrkartenschalter");
}

#[tokio::test]
async fn what_is_measured_and_what_is_not_told() {
    let (_sim, device, ..) = begin(Scenario::crew_phone()).await;
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let metrics = read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
    assert!(Source::ALL.iter().all(|s| metrics.tells(*s)), "{:?}", metrics.gaps);
    let id: PackageId = "com.android.systemui".parse().unwrap();
    assert!(metrics.memory[&id] > 100_000_000);
    assert!(metrics.sizes.len() > 200 && metrics.sizes.values().all(|s| s.code.is_some_and(|code| code > 1000)));
    assert!(metrics.usage[&UserId::OWNER].len() > 20);
    // The old handset does not list sizes.
    let (_sim, device, ..) = begin(Scenario::spare_handset()).await;
    let inventory = survey(&device, &mut |_| {}).await.unwrap();
    let metrics = read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
    assert!(!metrics.tells(Source::Sizes) && metrics.gaps[&Source::Sizes].contains("diskstats"));
    assert!(metrics.tells(Source::Memory) && metrics.tells(Source::Usage) && metrics.tells(Source::Running));
}

#[tokio::test]
async fn what_is_on_the_screen_and_what_is_opened_there() {
    for scenario in [Scenario::crew_phone(), Scenario::lost_phone(), Scenario::waiting_room_tv()] {
        let (_sim, device, ..) = begin(scenario).await;
        let (home, user) = in_front(&device).await.unwrap().unwrap();
        assert!(home.as_str().contains("launcher"), "{home}");
        let opening = Opening::About { id: home.clone(), user };
        assert_eq!(open_on_device(&device, &opening).await.unwrap(), None);
        let (settings, _) = in_front(&device).await.unwrap().unwrap();
        assert!(settings.as_str().ends_with("settings"), "{settings}");
        let opening = Opening::Screen { id: home.clone(), user, class: format!("{home}.Main") };
        assert_eq!(open_on_device(&device, &opening).await.unwrap(), None);
        assert_eq!(in_front(&device).await.unwrap().unwrap().0, home);
        assert_eq!(open_developer_options(&device).await.unwrap(), None);
        assert_eq!(in_front(&device).await.unwrap().unwrap().0, settings);
        let keyboards = Opening::Settings { page: "android.settings.INPUT_METHOD_SETTINGS", user };
        assert_eq!(
            open_on_device(&device, &Opening::Screen { id: home.clone(), user, class: format!("{home}.Main") })
                .await
                .unwrap(),
            None
        );
        assert_eq!(open_on_device(&device, &keyboards).await.unwrap(), None);
        assert_eq!(in_front(&device).await.unwrap().unwrap().0, settings);
        let nothing = Opening::Screen { id: "no.such.app".parse().unwrap(), user, class: format!("{home}.Main") };
        assert!(open_on_device(&device, &nothing).await.unwrap().unwrap().as_str().contains("Error"));
    }
}

/// What reading a label takes at least, counted over the whole file without any of the code that reads labels: end
/// record, central directory, the manifest with its header, and of the table the heads (of the table, its strings, the
/// package and each configuration of the type), what the entry's spec says, and for each text that is on the way its
/// place, its entry and the string.
fn least(apk: &SampleApk) -> u64 {
    let bytes = apk.read(0, usize::MAX);
    let short = |at: usize| u16::from_le_bytes([bytes[at], bytes[at + 1]]) as usize;
    let long = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
    let end = bytes.windows(4).rposition(|w| w == b"PK\x05\x06").unwrap();
    let (size, shift) = (long(end + 12), if apk.oddity() == "prefix" { 18 } else { 0 });
    let mut at = long(end + 16) + shift;
    let mut sum = 22 + size;
    let mut table = 0;
    while bytes[at..].starts_with(b"PK\x01\x02") {
        let name = &bytes[at + 46..at + 46 + short(at + 28)];
        let local = long(at + 42) + shift;
        let data = local + 30 + short(local + 26) + short(local + 28);
        match name {
            b"AndroidManifest.xml" => sum += 30 + name.len() + long(at + 20),
            b"resources.arsc" if short(at + 10) == 8 => return (sum + 30 + name.len() + long(at + 20)) as u64,
            b"resources.arsc" => {
                table = data;
                sum += data - local;
            }
            _ => {}
        }
        at += 46 + name.len() + short(at + 30) + short(at + 32);
    }
    let package = table + 12 + long(table + 12 + 4);
    sum += 12 + 28 + 288 + 4;
    let kind = if bytes[package + 8] == 1 { 4 } else { 15 };
    let mut chunk = package + long(package + 276);
    while chunk < package + long(package + 4) {
        if matches!(short(chunk), 0x0201 | 0x0202) && bytes[chunk + 8] == kind {
            sum += 68;
        }
        chunk += long(chunk + 4);
    }
    // The label, mostly by way of a reference, and the one on the home screen by way of another.
    (sum + 2 * (4 + 16) + 4 + 20) as u64
}

#[tokio::test]
async fn hardly_more_is_read_than_has_to_be() {
    let scenario = Scenario::crew_phone();
    let plain: Vec<SampleApk> = SampleApk::all_of(&scenario)
        .filter(|a| !matches!(a.oddity(), "cut" | "no-label" | "literal" | "no-entry"))
        .collect();
    let least: u64 = plain.iter().map(least).sum();
    let all: u64 = SampleApk::all_of(&scenario).map(|a| a.size()).sum();
    let ids: Vec<String> = plain.into_iter().map(|a| a.id).collect();
    let (_sim, device, book, _place) = begin(scenario).await;
    let mut inventory = survey(&device, &mut |_| {}).await.unwrap();
    inventory.packages.retain(|id, _| ids.iter().any(|own| own == id.as_str()));
    let (_, cost) = read(&device, &book, &inventory).await;
    println!("{} bytes read, {least} needed, of {all}; {cost:?}", cost.bytes);
    // In fewer and larger pieces than would have to be, since a piece costs more than its bytes; and packed. The names of the
    // framework's texts, which are looked through for whom it names, are not among what labels need.
    assert!(cost.bytes as f64 <= 1.8 * least as f64, "{} of {least}", cost.bytes);
    assert!(cost.bytes as f64 <= 0.03 * all as f64);
    assert!(cost.rounds < 80 && cost.commands < 9 * cost.rounds, "{cost:?}");
}
