//! Runs under many faults at once, driven by a seed: a seed that fails is a bug that replays.

use std::collections::BTreeMap;
use std::time::Duration;

use crate::support::{id, in_memory, patience};
use tokio::sync::watch;
use wibbet_bench::device::Device as _;
use wibbet_bench::ops::survey;
use wibbet_bench::run::{Control, RunNews, Runner, begin_run};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::{Inventory, PackageState};
use wibbet_core::plan::{Change, Plan, TrayItem, plan_put_back, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, recorded_state};
use wibbet_sim::{CutAt, Direction, Fault, Flaw, SampleApk, Scenario, SimDevice, Work};
use wibbet_types::{PackageId, RunId, UserId};

const OWNER: UserId = UserId::OWNER;

struct Chaos {
    random: fastrand::Rng,
    sim: SimDevice,
    device: wibbet_bench::device::AdbDevice,
    workplace: Workplace,
    seed: u64,
}

impl Chaos {
    /// A cut somewhere in what comes next, in the middle of a packet or between two.
    fn set_cut(&mut self) {
        let way = if self.random.bool() { Direction::ToDevice } else { Direction::FromDevice };
        let cut = if self.random.bool() {
            CutAt::Packet(way, self.random.u64(0..40))
        } else {
            CutAt::Bytes(way, self.random.u64(0..20_000))
        };
        self.sim.set_fault(Fault::Cut(cut));
    }

    async fn begin(&self, kind: RunKind, plan: &Plan) -> RunId {
        let device = self.device.facts().unwrap().id;
        begin_run(&self.workplace, &device, kind, plan, &self.device.capabilities()).await.unwrap()
    }

    /// Reads the packages. A cut that was set and did not happen yet may happen to it, and the device may be starting.
    async fn survey(&self) -> Inventory {
        for _ in 0..20 {
            if let Ok(inventory) = survey(&self.device, &mut |_| {}).await {
                return inventory;
            }
            tokio::time::sleep(Duration::from_millis(10)).await;
        }
        panic!("seed {}: the packages cannot be read", self.seed)
    }

    /// Carries a run out over cuts, restarts, stops and, where it may be, kills until it is finished.
    async fn finish(&mut self, number: RunId, kills: bool) -> Run {
        for round in 0.. {
            assert!(round < 50, "seed {}: it never ends", self.seed);
            let calm = round > 6;
            if !calm {
                self.set_cut();
                if self.random.u8(0..5) == 0 {
                    self.sim.restart();
                }
            }
            let stop_after = if calm || self.random.bool() { u32::MAX } else { self.random.u32(0..12) };
            let kill = kills && self.random.bool();
            let (stop, stopped) = watch::channel(Control::Go);
            let killed = tokio::sync::Notify::new();
            let count = std::sync::atomic::AtomicU32::new(0);
            let news = |news| {
                if matches!(news, RunNews::Stands(_) | RunNews::Step(..))
                    && count.fetch_add(1, std::sync::atomic::Ordering::Relaxed) >= stop_after
                {
                    match kill {
                        true => killed.notify_one(),
                        false => drop(stop.send_replace(Control::Stop)),
                    }
                }
            };
            let (device, book) = (&self.device, &self.workplace.book);
            let ended = tokio::select! {
                biased;
                () = killed.notified() => None,
                run = Runner::carry_out(device, book, self.workplace.patience, number, stopped, &news) => Some(run),
            };
            let Some(run) = ended else {
                // Its link goes with a program that is killed.
                self.device.hang_up().await;
                continue;
            };
            let run = run.unwrap();
            let kept = book.with(move |book| book.run(number)).await.unwrap().unwrap();
            assert_eq!(kept.steps, run.steps, "seed {}", self.seed);
            for step in run.steps.iter().filter(|s| s.outcome == Some(Outcome::Done)) {
                // One who is gone holds nothing any more; what was done before was done.
                let Some((installed, enabled)) = self.sim.holds(step.id.as_str(), step.user.number()) else { continue };
                let so = match step.way {
                    Change::Disable => installed && enabled == 3,
                    Change::Uninstall | Change::UninstallKeepData => !installed,
                    _ => installed,
                };
                // What comes back by itself is found out by the last look only; of two steps on one package the second
                // one counts.
                let last = run.steps.iter().rfind(|s| (&s.id, s.user) == (&step.id, step.user));
                let counts = last.is_some_and(|last| last.index == step.index);
                assert!(so || !counts || run.state == RunState::Stopped, "seed {}: {step:?}", self.seed);
            }
            if run.state == RunState::Finished {
                return run;
            }
            assert!(run.is_unfinished());
        }
        unreachable!()
    }
}

/// Packages that the system came with, in the state that they came in.
fn plain_packages(scenario: &Scenario) -> Vec<PackageId> {
    let plain = scenario
        .inventory
        .packages
        .iter()
        .filter(|p| p.flaw.is_none() && p.refuses.is_none() && p.update.is_none() && !p.protected && !p.admin)
        .filter(|p| p.enabled.is_empty() && p.gone_for.is_empty() && p.hidden.is_empty() && p.suspended.is_empty())
        .filter(|p| !Scenario::VITAL.contains(&p.id.as_str()))
        .filter(|p| p.path.starts_with("/system") || p.path.starts_with("/product"));
    plain.map(|p| id(&p.id)).collect()
}

/// Plays a seed; what was asked of the device, in order, and how each step ended.
async fn play(seed: u64) -> Vec<String> {
    let mut random = fastrand::Rng::with_seed(seed);
    let scenario =
        if random.bool() { Scenario::crew_phone() } else { Scenario::spare_handset().with_a_shell_that_disables() };
    let plain = plain_packages(&scenario);
    let mut chosen: BTreeMap<PackageId, (Change, Option<Flaw>)> = BTreeMap::new();
    while chosen.len() < 7 {
        let way = Change::TAKE_OUT[random.usize(0..3)];
        let flaw = [None, None, None, Some(Flaw::SaysYes), Some(Flaw::ComesBack)][random.usize(0..5)];
        chosen.insert(plain[random.usize(0..plain.len())].clone(), (way, flaw));
    }
    let folder = tempfile::tempdir().unwrap();
    let window = patience(1 + random.usize(0..4));
    let (sim, workplace) = in_memory(scenario, seed, folder.path(), window).await;
    for (package, (_, flaw)) in &chosen {
        if let Some(flaw) = flaw {
            sim.set_fault(Fault::Package(package.clone(), *flaw));
        }
    }
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let mut chaos = Chaos { random, sim, device, workplace, seed };

    let inventory = survey(&chaos.device, &mut |_| {}).await.unwrap();
    let tray: Vec<TrayItem> =
        chosen.iter().map(|(i, (way, _))| TrayItem { id: i.clone(), user: OWNER, way: *way }).collect();
    let plan = plan_take_out(&inventory, &chaos.device.capabilities(), &tray, false);
    let number = chaos.begin(RunKind::TakeOut, &plan).await;
    let run = chaos.finish(number, false).await;
    for step in &run.steps {
        let expected = match chosen[&step.id] {
            (_, None) | (Change::Disable, Some(Flaw::ComesBack)) => Outcome::Done,
            _ => Outcome::NoEffect,
        };
        assert_eq!(step.outcome, Some(expected), "seed {seed}: {step:?}");
    }

    // All of it is put back, to exactly what it was as far as the version can.
    let inventory = chaos.survey().await;
    let runs = chaos.workplace.book.with(|book| book.runs(None)).await.unwrap();
    let wanted: Vec<_> = chosen.keys().map(|i| (i.clone(), OWNER, recorded_state(&runs, i, OWNER))).collect();
    let plan = plan_put_back(&inventory, &chaos.device.capabilities(), &wanted);
    let number = chaos.begin(RunKind::PutBack, &plan).await;
    chaos.finish(number, false).await;
    for (package, (way, _)) in &chosen {
        let (installed, enabled) = chaos.sim.holds(package.as_str(), 0).unwrap();
        let nearly = *way == Change::Disable && !chaos.device.capabilities().default_state;
        assert!(
            installed && (enabled == 0 || (nearly && enabled == 1)),
            "seed {seed}: {package} {installed} {enabled}"
        );
    }
    let runs = chaos.workplace.book.with(|book| book.runs(None)).await.unwrap();
    let ends =
        runs.iter().flat_map(|run| &run.steps).map(|s| format!("{} {} {:?} {}", s.index, s.id, s.outcome, s.remark));
    chaos.sim.transcript().into_iter().chain(ends).collect()
}

/// Each seed is played twice: what does not take the same course each time could not be found again.
#[tokio::test(start_paused = true)]
async fn logbook_and_device_agree_whatever_happens() {
    for seed in 0..60 {
        let (first, second) = (play(seed).await, play(seed).await);
        let differs = first.iter().zip(&second).position(|(a, b)| a != b);
        assert!(first == second, "seed {seed} took another course at {differs:?}: {first:#?} {second:#?}");
        assert!(first.len() > 30, "seed {seed}: {first:#?}");
    }
}

/// What a device holds, by its own word: installed and the enabled setting, for each package and user. Nothing of the code
/// under test is asked.
type Truth = BTreeMap<(PackageId, u32), (bool, u8)>;

fn truth(sim: &SimDevice, packages: &[PackageId]) -> Truth {
    let all = packages.iter().flat_map(|package| [0, 10].map(|user| (package.clone(), user)));
    all.filter_map(|(package, user)| Some(((package.clone(), user), sim.holds(package.as_str(), user)?))).collect()
}

/// Runs on top of each other, on two users and on packages in every state, over cuts, restarts, stops, kills, clocks that
/// jump and a user who goes; then all of them are undone, the last one first. After each undoing the device holds what it
/// held before that run.
async fn campaign(seed: u64) -> Vec<String> {
    let mut random = fastrand::Rng::with_seed(seed);
    let scenario = Scenario { keeps_settings: random.u8(0..4) == 0, ..Scenario::crew_phone() };
    let mut packages = plain_packages(&scenario);
    random.shuffle(&mut packages);
    packages.truncate(6);
    let folder = tempfile::tempdir().unwrap();
    let window = patience(1 + random.usize(0..4));
    let (sim, workplace) = in_memory(scenario, seed, folder.path(), window).await;
    for package in &packages {
        for user in [0, 10] {
            let enabled = [0, 0, 1, 3][random.usize(0..4)];
            sim.set_state(package.as_str(), user, random.u8(0..6) != 0, enabled);
        }
    }
    // What it has been told to do it goes on doing when the link has gone.
    if random.bool() {
        let [change, look] = [random.u64(1..400), random.u64(1..60)].map(Duration::from_millis);
        sim.set_fault(Fault::Work(Work { change, look }));
    }
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let mut chaos = Chaos { random, sim, device, workplace, seed };
    let mut before = Vec::new();
    let mut runs = Vec::new();
    let goes = chaos.random.u8(0..12);
    for n in 0..chaos.random.u8(2..=4) {
        let held = truth(&chaos.sim, &packages);
        let mut tray = Vec::new();
        for package in &packages {
            for user in [0, 10] {
                if chaos.random.bool() {
                    let way = Change::TAKE_OUT[chaos.random.usize(0..3)];
                    tray.push(TrayItem { id: package.clone(), user: UserId::new(user), way });
                }
            }
        }
        let inventory = chaos.survey().await;
        let plan = plan_take_out(&inventory, &chaos.device.capabilities(), &tray, false);
        let number = chaos.begin(RunKind::TakeOut, &plan).await;
        // In the middle of a run as well as between two.
        if goes == n {
            chaos.sim.remove_user(10);
        }
        let run = chaos.finish(number, true).await;
        for step in &run.steps {
            let gone = chaos.sim.holds(step.id.as_str(), step.user.number()).is_none();
            let expected: &[Outcome] = match step.outcome {
                Some(Outcome::Skipped) => &[Outcome::Skipped],
                _ if gone => &[Outcome::Done, Outcome::Refused],
                // A device that went down before it had written it down.
                Some(Outcome::NoEffect) => {
                    let place = (step.id.clone(), step.user.number());
                    assert_eq!(chaos.sim.holds(step.id.as_str(), place.1), Some(held[&place]), "seed {seed}: {step:?}");
                    &[Outcome::NoEffect]
                }
                _ => &[Outcome::Done],
            };
            assert!(step.outcome.is_some_and(|outcome| expected.contains(&outcome)), "seed {seed}: {step:?}");
        }
        chaos.let_the_clock_jump(number);
        before.push(held);
        runs.push(run);
    }
    let done = |run: &Run| -> Vec<(PackageId, UserId, PackageState)> {
        let done = run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done));
        done.map(|step| (step.id.clone(), step.user, step.before)).collect()
    };
    if chaos.random.bool() {
        // All that is off is put back at once, to what it was when it was last in use.
        let mut expected = Truth::new();
        for (run, held) in runs.iter().zip(&before) {
            for (package, user, _) in done(run) {
                let place = (package, user.number());
                let then = held[&place];
                if then.0 && then.1 <= 1 {
                    expected.insert(place, then);
                } else {
                    expected.entry(place).or_insert(then);
                }
            }
        }
        let known = chaos.workplace.book.with(|book| book.runs(None)).await.unwrap();
        let target = |i: &PackageId, u: u32| recorded_state(&known, i, UserId::new(u));
        let wanted = expected.keys().map(|(i, u)| (i.clone(), UserId::new(*u), target(i, *u))).collect();
        chaos.put_back(wanted).await;
        for ((package, user), then) in &expected {
            let now = chaos.sim.holds(package.as_str(), *user);
            assert!(now.is_none_or(|now| now == *then), "seed {seed}: {package} of {user}: {now:?}, not {then:?}");
        }
        return chaos.sim.transcript();
    }
    for (run, held) in runs.iter().zip(&before).rev() {
        let undone = done(run);
        chaos.put_back(undone.clone()).await;
        for (package, user, _) in &undone {
            let now = chaos.sim.holds(package.as_str(), user.number());
            let then = held[&(package.clone(), user.number())];
            assert!(now.is_none_or(|now| now == then), "seed {seed}: {package} of {user}: {now:?}, not {then:?}");
        }
    }
    let mut first = before.swap_remove(0);
    first.retain(|(package, user), _| chaos.sim.holds(package.as_str(), *user).is_some());
    assert_eq!(truth(&chaos.sim, &packages), first, "seed {seed}");
    chaos.sim.transcript()
}

impl Chaos {
    /// Puts packages back in a run of their own.
    async fn put_back(&mut self, wanted: Vec<(PackageId, UserId, PackageState)>) {
        // What a device loses that goes down in the middle is put back by another run.
        for _ in 0..4 {
            let inventory = self.survey().await;
            let plan = plan_put_back(&inventory, &self.device.capabilities(), &wanted);
            let number = self.begin(RunKind::PutBack, &plan).await;
            let run = self.finish(number, true).await;
            self.let_the_clock_jump(number);
            if run.count(Outcome::NoEffect) == 0 {
                break;
            }
        }
    }

    /// Whatever the clock said when a run was carried out, it says something else of it now.
    fn let_the_clock_jump(&mut self, run: RunId) {
        let by = self.random.i64(-10_000_000_000..10_000_000_000);
        let book = rusqlite::Connection::open(self.workplace.book.folder().join("logbook.sqlite")).unwrap();
        let values = [by, run.number()];
        book.execute("UPDATE runs SET begun = begun + ?1, touched = touched + ?1 WHERE number = ?2", values).unwrap();
        let steps =
            "UPDATE steps SET sent = sent + ?1, answered = answered + ?1, settled = settled + ?1 WHERE run = ?2";
        book.execute(steps, values).unwrap();
    }
}

/// Apps that somebody installed, over cuts, restarts, stops and kills: none goes without a copy that is byte for byte what was there,
/// and all come back.
async fn own_apps(seed: u64) -> Vec<String> {
    let random = fastrand::Rng::with_seed(seed);
    let scenario = Scenario::crew_phone();
    let own = ["fer.pellmoor.tides", "com.lanternquay.wordpier", "com.wrenandkelp.radio"].map(id);
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(scenario.clone(), seed, folder.path(), patience(3)).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let mut chaos = Chaos { random, sim, device, workplace, seed };
    let inventory = chaos.survey().await;
    let tray: Vec<TrayItem> =
        own.iter().map(|id| TrayItem { id: id.clone(), user: OWNER, way: Change::Uninstall }).collect();
    let plan = plan_take_out(&inventory, &chaos.device.capabilities(), &tray, false);
    assert_eq!(plan.securing().count(), own.len());
    let number = chaos.begin(RunKind::TakeOut, &plan).await;
    let run = chaos.finish(number, true).await;
    let copies = chaos.workplace.book.with(|book| book.copies(None)).await.unwrap();
    for step in &run.steps {
        assert_eq!(step.outcome, Some(Outcome::Done), "seed {seed}: {step:?}");
        assert_eq!(chaos.sim.holds(step.id.as_str(), 0), None, "seed {seed}");
        let copy = copies.iter().find(|copy| Some(copy.number) == step.copy).unwrap();
        let base = folder.path().join("copies").join(&copy.folder).join("base.apk");
        let was = SampleApk::all_of(&scenario).find(|apk| apk.id == step.id.as_str()).unwrap();
        assert!(std::fs::read(base).unwrap() == was.read(0, usize::MAX), "seed {seed}: {}", step.id);
    }
    let inventory = chaos.survey().await;
    let wanted: Vec<_> = own.iter().map(|id| (id.clone(), OWNER, PackageState::IN_USE)).collect();
    let plan = plan_put_back_with(&inventory, &chaos.device.capabilities(), &wanted, &copies);
    let number = chaos.begin(RunKind::PutBack, &plan).await;
    let run = chaos.finish(number, true).await;
    assert!(run.steps.iter().all(|step| step.outcome == Some(Outcome::Done)), "seed {seed}: {run:#?}");
    assert!(own.iter().all(|id| chaos.sim.holds(id.as_str(), 0) == Some((true, 0))), "seed {seed}");
    chaos.sim.transcript()
}

#[tokio::test(start_paused = true)]
async fn own_apps_come_back_whatever_happens() {
    for seed in 0..8 {
        let asked = own_apps(seed).await;
        assert!(asked.len() > 20, "seed {seed}: {asked:#?}");
        if seed % 6 == 0 {
            assert!(own_apps(seed).await == asked, "seed {seed} took another course");
        }
    }
}

/// Sixty seeds; more of them, from another one on, with `WIBBET_SEEDS=FROM..TO`.
#[tokio::test(start_paused = true)]
async fn runs_on_top_of_each_other_lead_back_to_what_was() {
    let seeds = std::env::var("WIBBET_SEEDS").unwrap_or_else(|_| "0..60".into());
    let (from, to) = seeds.split_once("..").unwrap();
    let (from, to): (u64, u64) = (from.parse().unwrap(), to.parse().unwrap());
    for seed in from..to {
        let asked = campaign(seed).await;
        assert!(asked.len() > 10, "seed {seed}: {asked:#?}");
        if seed % 20 == 0 {
            assert!(campaign(seed).await == asked, "seed {seed} took another course");
        }
    }
}
