//! What ties packages, held against what breaks on simulated devices without them. The one is worked out from what the device says
//! over the real protocol; the other stands in a file of its own that nothing here reads but through the device.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use wibbet_bench::device::Device as _;
use wibbet_bench::ops::{details, device_languages, read_catalog, read_metrics, read_ties, survey};
use wibbet_core::ask::Request;
use wibbet_core::catalog::Catalog;
use wibbet_core::holds::{Graph, HoldKind, Judged, Known, Verdict, judge};
use wibbet_core::package::{AppNames, Metrics, Ties};
use wibbet_core::plan::{Change, StartOutlook, Upshot, upshot};
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
        upshot(&known, &Graph::of(&known), &judge(&known), &items)
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

#[derive(Debug, Default)]
struct Score {
    right: usize,
    foretold: usize,
    broke: usize,
    found: usize,
    misses: Vec<String>,
}

impl Score {
    fn precision(&self) -> f64 {
        self.right as f64 / self.foretold.max(1) as f64
    }

    fn recall(&self) -> f64 {
        if self.broke == 0 { 1.0 } else { self.found as f64 / self.broke as f64 }
    }
}

/// Trays of several: what each of them does by itself and what only all of them do. Counts the roles that broke, and those of them
/// that were foretold.
fn try_trays(name: &str, bench: &Bench, random: &mut fastrand::Rng, counts: &mut (usize, usize)) {
    let known = bench.known(0);
    let (judged, graph) = (judge(&known), Graph::of(&known));
    let all: Vec<&PackageId> = judged.packages.keys().collect();
    for _ in 0..63 {
        let count = random.usize(2..=40);
        let tray: BTreeSet<&PackageId> = (0..count).filter_map(|_| random.choice(&all).copied()).collect();
        let tray: Vec<&PackageId> = tray.into_iter().collect();
        let items: Vec<(PackageId, Change)> = tray.iter().map(|id| ((*id).clone(), Change::Uninstall)).collect();
        let found = upshot(&known, &graph, &judged, &items);
        let broken = bench.broken_without(&tray);
        let start = broken.iter().filter(|b| b.kind == BreakKind::Start).filter_map(|b| b.class).min();
        match start {
            Some(1 | 2) => assert!(
                matches!(found.start, StartOutlook::NotExpected | StartOutlook::NotKnown),
                "{name}: {broken:?} {found:?}"
            ),
            Some(_) => assert_ne!(found.start, StartOutlook::Expected, "{name}: {broken:?} {found:?}"),
            None => {}
        }
        for one in broken.iter().filter(|broken| broken.kind == BreakKind::Role) {
            let unread = one
                .mended_by
                .iter()
                .any(|id| judged.packages.get(&crate::support::id(id)).is_some_and(|j| !j.unread.is_empty()));
            counts.0 += usize::from(!unread);
            counts.1 += usize::from(!unread && !found.lost.is_empty());
        }
        // The consequences of a tray contain those of its parts.
        let part = upshot(&known, &graph, &judged, &items[..items.len() / 2]);
        assert!(
            part.roles_emptied.is_subset(&found.roles_emptied)
                && part.lost.keys().all(|what| found.lost.contains_key(what)),
            "{name}"
        );
        assert!(part.start <= found.start, "{name}");
        let mut other_way = items.clone();
        other_way.reverse();
        // But for the order in which they go.
        let plain = |does: Upshot| Upshot { order: Vec::new(), ..does };
        assert_eq!(plain(upshot(&known, &graph, &judged, &other_way)), plain(found), "{name}");
    }
}

/// Every package of every bench device, taken out by itself, and 504 trays of 2 to 40 of them.
#[tokio::test(start_paused = true)]
async fn what_is_foretold_is_what_breaks() {
    let mut random = fastrand::Rng::with_seed(20_261_127);
    let mut counts = (0, 0);
    let mut scores: BTreeMap<&str, Score> = BTreeMap::new();
    for (name, scenario) in Scenario::all() {
        let bench = Bench::read(scenario).await;
        try_trays(name, &bench, &mut random, &mut counts);
        let judged = bench.judged(0);
        let weighty = |kind| judged.packages.values().filter(|one| one.has(kind)).count();
        let tied = judged.packages.values().filter(|one| one.has(HoldKind::Start) || one.has(HoldKind::Role)).count();
        println!(
            "{name}: {} packages in use, {} with start holds, {} role, {} need, {} habit; {} free",
            judged.packages.len(),
            weighty(HoldKind::Start),
            weighty(HoldKind::Role),
            weighty(HoldKind::Need),
            weighty(HoldKind::Habit),
            judged.packages.values().filter(|one| one.verdict() == Verdict::Free).count()
        );
        assert!(tied * 4 <= judged.packages.len(), "{name}: {tied} of {}", judged.packages.len());
        for (id, one) in &judged.packages {
            let broken = bench.broken_without(&[id]);
            for (kind, hold, word) in [
                (BreakKind::Start, HoldKind::Start, "start"),
                (BreakKind::Role, HoldKind::Role, "role"),
                (BreakKind::Need, HoldKind::Need, "need"),
            ] {
                let score = scores.entry(word).or_default();
                let broke = broken.iter().any(|broken| broken.kind == kind);
                // What was chosen goes to another one, or nobody: that is seen as well. Nobody asks whether people miss who
                // manages them, or their accounts.
                let chosen = !bench.sim.chosen(id.as_str(), 0).is_empty();
                let engaged = |what: &str| matches!(what, "accounts" | "device admin");
                let foretold = one.holds.iter().any(|one| one.kind == hold && !engaged(&one.what));
                // What is tied by a start or a role counts as foretold of those who lean on it, too.
                let covered = kind != BreakKind::Start && one.has(HoldKind::Start);
                let unread = one.verdict() == Verdict::Unread || !one.unread.is_empty();
                score.foretold += usize::from(foretold);
                // Who leans on what people need is hit by that.
                let hit = kind == BreakKind::Need && !broken.is_empty();
                let right = broke || hit || (kind == BreakKind::Role && chosen);
                score.right += usize::from(foretold && right);
                score.broke += usize::from(broke && !unread);
                score.found += usize::from(broke && !unread && (foretold || covered));
                if broke && !foretold && !covered && !unread {
                    score.misses.push(format!("{name}: {id} breaks {word}: {}", broken[0].what));
                }
                if foretold && !right {
                    score.misses.push(format!("{name}: {id} was said to be held by {word}: {}", one.stops()));
                }
                if kind == BreakKind::Start && broke {
                    assert_ne!(one.verdict(), Verdict::Free, "{name}: {id} is called free and {}", broken[0].what);
                }
            }
        }
    }
    let (broke, foretold) = counts;
    println!("trays: {foretold} of {broke} roles that broke were foretold");
    assert!(foretold * 100 >= broke * 95, "{foretold} of {broke}");
    for (word, score) in &scores {
        println!(
            "{word}: precision {:.3}, recall {:.3}, {} foretold, {} broke",
            score.precision(),
            score.recall(),
            score.foretold,
            score.broke
        );
        score.misses.iter().for_each(|miss| println!("  {miss}"));
    }
    for (word, recall, precision) in [("start", 1.0, 0.8), ("role", 0.95, 0.8), ("need", 0.95, 0.8)] {
        let score = &scores[word];
        assert!(score.recall() >= recall && score.precision() >= precision, "{word}: {score:#?}");
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
        tokio::time::sleep(Duration::from_secs(300)).await;
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
