//! What ties packages, held against what breaks on simulated devices without them. The one is worked out from what the device says
//! over the real protocol; the other stands in a file of its own that nothing here reads but through the device.

use std::time::Duration;

use wibbet_bench::device::Device as _;
use wibbet_bench::ops::{details, device_languages, read_catalog, read_metrics, read_ties, survey};
use wibbet_core::ask::Request;
use wibbet_core::catalog::Catalog;
use wibbet_core::holds::{HoldKind, Judged, Known, Verdict, judge};
use wibbet_core::package::{AppNames, Metrics, Ties};
use wibbet_core::plan::{Change, Upshot, upshot};
use wibbet_sim::{BreakKind, Broken, ReachedBy, Scenario, SimDevice};
use wibbet_types::{PackageId, UserId};

use crate::support::{id, in_memory, patience};

/// A device, with all that it has told.
struct Bench {
    sim: SimDevice,
    catalog: Catalog,
    /// Times that it was asked who is engaged in what.
    rounds: usize,
    _folder: tempfile::TempDir,
}

impl Bench {
    async fn read(mut scenario: Scenario) -> Self {
        // Without pairing first.
        scenario.reached_by = ReachedBy::Address;
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = in_memory(scenario, 1, folder.path(), patience(1)).await;
        sim.make_files();
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let mut inventory = survey(&device, &mut |_| {}).await.unwrap();
        inventory.merge_users(&details(&device).await.unwrap().users);
        let languages = device_languages(&device, UserId::OWNER).await.unwrap();
        let metrics = read_metrics(&device, &inventory, &mut |_| {}).await.unwrap();
        let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
        let before = sim.transcript().len();
        read_ties(&device, &users).await.unwrap();
        let rounds = sim.transcript().len() - before;
        let read = read_catalog(&device, &workplace.book, inventory, metrics, &languages, &users, &mut |_| {}).await;
        let (catalog, trouble) = read.unwrap();
        assert!(trouble.is_none(), "{trouble:?}");
        Self { sim, catalog, rounds, _folder: folder }
    }

    fn known(&self, user: u32) -> Known<'_> {
        self.catalog.known(UserId::new(user))
    }

    fn judged(&self, user: u32) -> Judged {
        judge(&self.known(user))
    }

    fn upshot(&self, user: u32, ids: &[&str]) -> Upshot {
        let known = self.known(user);
        let items: Vec<(PackageId, Change)> = ids.iter().map(|text| (id(text), Change::Uninstall)).collect();
        upshot(&known, &judge(&known), &items)
    }

    /// What breaks when some packages go, and all come back.
    fn broken_without(&self, ids: &[&PackageId]) -> Vec<Broken> {
        let states: Vec<_> = ids.iter().map(|id| (*id, self.sim.holds(id.as_str(), 0).unwrap())).collect();
        states.iter().for_each(|(id, _)| self.sim.set_state(id.as_str(), 0, false, 0));
        let broken = self.sim.broken();
        states.iter().for_each(|(id, (installed, enabled))| self.sim.set_state(id.as_str(), 0, *installed, *enabled));
        broken.into_iter().filter(|broken| broken.user == 0).collect()
    }
}

/// What technicians ask first.
#[tokio::test(start_paused = true)]
async fn the_usual_questions() {
    let bench = Bench::read(Scenario::crew_phone()).await;
    assert!(bench.rounds <= 12, "{} rounds beyond the survey", bench.rounds);
    let judged = bench.judged(0);
    let of = |text: &str| &judged.packages[&id(text)];
    let held = |text: &str, kind: HoldKind, what: &str| {
        of(text).holds.iter().any(|hold| hold.kind == kind && hold.what == what)
    };
    assert!(judged.unread.is_empty(), "{:?}", judged.unread);
    // Two keyboards are on: neither is the last, and both together are.
    let keyboards = ["com.android.inputmethod.latin", "com.corvane.keyboard"];
    assert!(keyboards.iter().all(|keys| !held(keys, HoldKind::Role, "keyboard")));
    assert!(!bench.upshot(0, &keyboards[..1]).roles_emptied.contains("keyboard"));
    let both = bench.upshot(0, &keyboards);
    assert!(both.roles_emptied.contains("keyboard") && both.lost.contains_key("typing"), "{both:?}");
    assert!(both.instead.iter().any(|instead| instead.words().contains("keyboard stays")), "{:?}", both.instead);
    bench.sim.set_state(keyboards[0], 0, false, 0);
    // Whom the framework names, and what is laid over it.
    assert!(held("com.android.systemui", HoldKind::Start, "screen lock"));
    assert!(held("com.corvane.aod", HoldKind::Role, "sleeping screen"), "{:?}", of("com.corvane.aod"));
    // The web view, what nags, the captive portal, whoever manages the profile.
    assert!(held("com.android.webview", HoldKind::Role, "web view"));
    assert!(held("com.android.captiveportallogin", HoldKind::Role, "captive portal"));
    let nagging = bench.upshot(0, &["io.tidewrack.services"]);
    assert!(nagging.needs_lost.contains_key(&id("io.tidewrack.chat")), "{nagging:?}");
    let work = bench.judged(10);
    let guardian = &work.packages[&id("com.corvane.guardian")];
    assert!(guardian.holds.iter().any(|hold| hold.what == "device admin"), "{guardian:?}");
    // What starts nothing, does nothing for anybody and was not used is free, and only that.
    let free = judged.packages.values().filter(|one| one.verdict() == Verdict::Free).count();
    assert!(free > 60, "{free}");

    let tv = Bench::read(Scenario::waiting_room_tv()).await;
    let remote = &tv.judged(0).packages[&id("tv.tarnbek.remote")];
    assert!(remote.holds.iter().any(|hold| hold.what == "remote"), "{remote:?}");
}

/// A part of Android is known by what it does on the device, whatever its maker calls it; and a frightening name ties nothing.
#[tokio::test(start_paused = true)]
async fn names_mislead_nobody() {
    let bench = Bench::read(Scenario::read(include_str!("renamed.toml")).unwrap()).await;
    let judged = bench.judged(0);
    assert!(judged.unread.is_empty(), "{:?}", judged.unread);
    let mut broke = 0;
    for id in judged.packages.keys().filter(|id| id.as_str().starts_with("com.ostrel.")) {
        let (found, broken) = (bench.upshot(0, &[id.as_str()]), bench.broken_without(&[id]));
        let class = broken.iter().filter_map(|broken| broken.class).min();
        assert_eq!(found.starts.get(id).map(|loss| loss.class), class, "{id}: {broken:?}\n{:?}", judged.packages[id]);
        let role = broken.iter().any(|broken| broken.kind == BreakKind::Role);
        assert!(!role || !found.roles_emptied.is_empty(), "{id}: {broken:?}\n{found:?}");
        broke += usize::from(!broken.is_empty());
    }
    assert_eq!(broke, 10);
    for id in ["com.ostrel.system.core.security.service", "com.android.system.framework.essential.themes"] {
        assert_eq!(judged.packages[id].verdict(), Verdict::Free, "{:?}", judged.packages[id]);
    }
    let class = |id: &str| judged.packages[id].start_class();
    assert_eq!(["com.ostrel.cards", "com.ostrel.party", "com.ostrel.toolbox"].map(class), [Some(1), Some(1), Some(2)]);
}

/// The example of the document on scenario files is one.
#[test]
fn the_example_of_a_scenario_file_can_be_read() {
    let text = include_str!("../../../docs/scenarios.md");
    let example = text.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    assert_eq!(Scenario::read(example).unwrap().model, "Slate 12");
    for (part, wrong, why) in [
        ("  service .Screen", "  servant .Screen", "no part of a manifest"),
        ("class = 3", "", "class is of a start"),
        ("kind = \"start\"", "kind = \"some\"", "unknown variant"),
    ] {
        let error = Scenario::read(&example.replacen(part, wrong, 1)).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
    }
}

/// What was not read is never taken for nothing.
#[tokio::test(start_paused = true)]
async fn silence_frees_nothing() {
    let bench = Bench::read(Scenario::crew_phone()).await;
    let free = |judged: &Judged| judged.packages.values().filter(|one| one.verdict() == Verdict::Free).count();
    assert!(free(&bench.judged(0)) > 0);
    let (ties, names, metrics) = (Ties::default(), AppNames::default(), Metrics::default());
    let known = bench.known(0);
    for missing in
        [Known { ties: &ties, ..known }, Known { names: &names, ..known }, Known { metrics: &metrics, ..known }]
    {
        let judged = judge(&missing);
        assert_eq!(free(&judged), 0, "{:?}", judged.unread);
        assert!(!judged.unread.is_empty());
    }
    // An old Android tells less, and says so.
    let old = Bench::read(Scenario::spare_handset()).await;
    let judged = old.judged(0);
    assert_eq!(free(&judged), 0);
    assert!(judged.packages.values().any(|one| one.verdict() == Verdict::Held));
}

/// Without what its start needs a device starts over and over, its framework alone or the whole of it, until that is back.
#[tokio::test(start_paused = true)]
async fn what_the_start_needs_makes_it_start_over_and_over() {
    for (id, fault, words) in [
        ("com.android.wifi.resources", None, "framework crash"),
        ("com.android.wifi.resources", Some("kernel-loops"), "restart"),
        ("com.android.permissioncontroller", None, "framework crash"),
        ("com.android.providers.settings", None, "framework crash"),
    ] {
        let folder = tempfile::tempdir().unwrap();
        let (sim, workplace) = in_memory(Scenario::crew_phone(), 1, folder.path(), patience(1)).await;
        if let Some(fault) = fault {
            sim.set_fault(fault.parse().unwrap());
        }
        let rounds = || sim.transcript().iter().filter(|line| *line == words).count();
        let started = async || {
            let device = workplace.device(sim.address());
            device.connect(&mut |_| {}).await.unwrap();
            details(&device).await.unwrap().vitals.started
        };
        assert_eq!(started().await, Some(true));
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let out = Request::change(["uninstall", "--user", "0", id].map(str::to_owned).to_vec());
        device.ask(&out, &mut |_| {}).await.unwrap();
        if id == "com.android.providers.settings" {
            // The system dies of it without a start, and before it is on the disk: that mends it.
            tokio::time::sleep(Duration::from_secs(300)).await;
            assert_eq!((rounds(), sim.holds(id, 0)), (1, Some((true, 0))), "{id}");
            continue;
        }
        tokio::time::sleep(Duration::from_secs(60)).await;
        assert_eq!(rounds(), 0, "{id}: nothing before the next start");
        sim.restart();
        // Before the system's own rescue asks what is to become of it.
        tokio::time::sleep(Duration::from_secs(200)).await;
        let often = rounds();
        assert!(often > 10, "{id}: {often}");
        assert_ne!(started().await, Some(true), "{id}");
        sim.set_state(id, 0, true, 0);
        tokio::time::sleep(Duration::from_secs(60)).await;
        let often = rounds();
        tokio::time::sleep(Duration::from_secs(300)).await;
        assert_eq!(rounds(), often, "{id}: it is over");
        // The first calls after a start find nobody yet.
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        for _ in 0..5 {
            let _ = survey(&device, &mut |_| {}).await;
        }
        assert_eq!(started().await, Some(true), "{id}");
    }
}
