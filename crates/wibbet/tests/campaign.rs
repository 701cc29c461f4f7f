//! The built program over everything that goes wrong: ended by the system at any packet, cut off, out of room, on devices that restart
//! and refuse. A seed decides what happens and when; however it went, what the logbook accounts for is what the device holds, and all
//! comes back.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::support::{LONG, home, json, wibbet};
use serde_json::Value;
use wibbet_sim::{Allow, CutAt, Direction, Fault, Options, SampleApk, Scenario, SimDevice};

/// What only the owner has, and nobody else could give back.
const OWN: [&str; 3] = ["fer.pellmoor.tides", "com.lanternquay.wordpier", "com.wrenandkelp.radio"];

struct Campaign {
    seed: u64,
    random: fastrand::Rng,
    sim: SimDevice,
    home: tempfile::TempDir,
    /// What happened, for whoever looks into a seed.
    lives: Vec<String>,
}

type Account = BTreeMap<(String, u32), String>;

/// A phone with few packages, so that each life of the program is short.
fn small_phone(random: &mut fastrand::Rng) -> (Scenario, Vec<String>) {
    let mut scenario = Scenario::crew_phone();
    let packages = scenario.inventory.packages.iter();
    let as_it_came = packages.filter(|p| p.flaw.is_none() && p.refuses.is_none() && p.enabled.is_empty());
    let free = as_it_came.filter(|p| p.update.is_none() && !p.protected && !p.admin && p.gone_for.is_empty());
    let whole = free.filter(|p| p.parts_off.is_empty() && p.parts_on.is_empty());
    let plain = whole.filter(|p| p.suspended.is_empty() && p.hidden.is_empty());
    let of_system = plain.filter(|p| p.path.starts_with("/system") || p.path.starts_with("/product"));
    let mut all: Vec<String> = of_system.map(|p| p.id.clone()).collect();
    all.retain(|id| !Scenario::VITAL.contains(&id.as_str()));
    random.shuffle(&mut all);
    all.truncate(30);
    scenario
        .inventory
        .packages
        .retain(|p| all.contains(&p.id) || Scenario::VITAL.contains(&p.id.as_str()) || OWN.contains(&p.id.as_str()));
    (scenario, all)
}

impl Campaign {
    /// One life of the program, with what may go wrong in it. Its object, where it lived to tell it.
    fn live(&mut self, words: &[&str], calm: bool) -> Option<(Value, i32)> {
        let mut doing = words[0].to_owned();
        let full = !calm && self.random.u8(0..6) == 0;
        let mut command = match full {
            // No file grows beyond so many blocks of 512 bytes: writes fail as they do on a disk that is full.
            true => {
                let blocks = self.random.u32(0..900).to_string();
                doing += &format!(", files end at {blocks} blocks");
                let mut shell = Command::new("/bin/sh");
                shell.args(["-c", "trap '' XFSZ; ulimit -f \"$0\"; exec \"$@\"", &blocks]).arg(wibbet());
                shell
            }
            false => Command::new(wibbet()),
        };
        let place = self.home.path();
        command.args(words).args(["--no-search", "--yes", "--json"]);
        command.env("WIBBET_HOME", place).env("HOME", place).env("XDG_RUNTIME_DIR", place).env("TMPDIR", place);
        let mut kill_at = None;
        if !calm {
            match self.random.u8(0..10) {
                0..=3 => {
                    let way = if self.random.bool() { Direction::ToDevice } else { Direction::FromDevice };
                    let at = self.random.u64(0..400);
                    doing += &format!(", killed at packet {at} {way:?}");
                    kill_at = Some((way, self.sim.packets(way) + at));
                }
                4 | 5 => {
                    let cut = CutAt::Packet(Direction::FromDevice, self.random.u64(0..300));
                    doing += &format!(", {cut:?}");
                    self.sim.set_fault(Fault::Cut(cut));
                }
                6 => {
                    doing += ", restarts";
                    self.sim.restart();
                }
                7 => {
                    doing += ", no room on the device";
                    self.sim.set_fault(Fault::Full);
                }
                _ => {}
            }
        }
        let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let begun = std::time::Instant::now();
        let mut killed = false;
        let (mut out, err) = (child.stdout.take().unwrap(), child.stderr.take().unwrap());
        // Both are read while it runs: a pipe that is full would hold it up.
        let err = std::thread::spawn(move || std::io::read_to_string(err).unwrap_or_default());
        let out = std::thread::spawn(move || std::io::read_to_string(&mut out).unwrap_or_default());
        let status = loop {
            if let Some(status) = child.try_wait().unwrap() {
                break status;
            }
            if !killed && kill_at.is_some_and(|(way, at)| self.sim.packets(way) >= at) {
                killed = child.kill().is_ok();
            }
            assert!(begun.elapsed() < LONG, "seed {}: {doing} does not end: {:#?}", self.seed, self.lives);
            std::thread::sleep(Duration::from_micros(300));
        };
        let (out, err) = (out.join().unwrap(), err.join().unwrap());
        self.sim.make_room();
        if status.code() == Some(5) {
            // It is starting.
            std::thread::sleep(Duration::from_millis(30));
        }
        self.lives.push(format!("{doing}: {status} {out} {err}"));
        assert!(!err.contains("panicked"), "seed {}: {:#?}", self.seed, self.lives);
        Some((serde_json::from_str(&out).ok()?, status.code()?))
    }

    fn runs(&self) -> Vec<Value> {
        let (told, code) = json(self.home.path(), &["runs", "--json"]);
        assert!(code == 0, "seed {}: {told}", self.seed);
        let mut runs = told["runs"].as_array().unwrap().clone();
        runs.sort_by_key(|run| run["run"].as_i64());
        runs
    }

    /// A run from its command, over as many lives as it takes.
    fn finish(&mut self, words: &[&str]) -> Value {
        let known = self.runs().len();
        for life in 0.. {
            assert!(life < 30, "seed {}: it never ends: {:#?}", self.seed, self.lives);
            let calm = life > 4;
            let runs = self.runs();
            match runs.get(known) {
                None => {
                    let told = self.live(words, calm);
                    let nothing = told.is_some_and(|(told, _)| told["error"]["kind"] == "nothing-done");
                    assert!(!(nothing && calm), "seed {}: {:#?}", self.seed, self.lives);
                }
                Some(run) if run["state"] == "finished" => return run.clone(),
                Some(run) => {
                    let number = run["run"].to_string();
                    let address = self.sim.address().to_string();
                    self.live(&["carry-on", &address, &number], calm);
                }
            }
        }
        unreachable!()
    }

    /// What the logbook says was done is so, and nothing else was.
    fn agrees(&self, run: &Value, before: &Account) {
        // What was chosen goes from one package to another by itself.
        let state = |line: &str| line.split(" chosen ").next().map(str::to_owned);
        let now = self.sim.account();
        let mut last: BTreeMap<(String, u32), &Value> = BTreeMap::new();
        for step in run["steps"].as_array().unwrap() {
            let user = u32::try_from(step["user"].as_u64().unwrap()).unwrap();
            last.insert((step["id"].as_str().unwrap().to_owned(), user), step);
        }
        for (place, step) in &last {
            let is = now.get(place).map_or("installed false", String::as_str);
            let so = match (step["outcome"].as_str(), step["way"].as_str().unwrap()) {
                (Some("done"), "uninstall" | "uninstall-keep-data") => is.starts_with("installed false"),
                (Some("done"), "disable") => is.starts_with("installed true enabled 3"),
                (Some("done"), "suspend") => is.contains("suspended true"),
                (Some("done"), _) => is.starts_with("installed true"),
                (Some("refused" | "no-effect" | "skipped"), _) => {
                    before.get(place).is_none_or(|was| state(was) == state(is))
                }
                _ => false,
            };
            assert!(so, "seed {}: {place:?} is {is}\n{step}\n{:#?}", self.seed, self.lives);
        }
        for (place, was) in before.iter().filter(|(place, _)| !last.contains_key(*place)) {
            let is = now.get(place).map_or("installed false enabled 0", String::as_str);
            assert!(state(was) == state(is), "seed {}: {place:?} is {is} and was {was}: {:#?}", self.seed, self.lives);
        }
    }
}

/// The files of copies are byte for byte what the device had.
fn copies_are_whole(home: &Path, scenario: &Scenario, id: &str) -> bool {
    let was = SampleApk::all_of(scenario).find(|apk| apk.id == id).unwrap().read(0, usize::MAX);
    let folders = std::fs::read_dir(home.join("copies")).into_iter().flatten().flatten();
    let runs = folders.flat_map(|device| std::fs::read_dir(device.path()).into_iter().flatten().flatten());
    runs.map(|run| run.path().join(id).join("base.apk")).any(|base| std::fs::read(base).is_ok_and(|bytes| bytes == was))
}

fn play(runtime: &tokio::runtime::Runtime, seed: u64) -> usize {
    let _inside = runtime.enter();
    let mut random = fastrand::Rng::with_seed(seed);
    let (scenario, plain) = small_phone(&mut random);
    let options =
        Options { allow: Allow::After(Duration::ZERO), seed, restart: Duration::from_millis(60), ..Options::default() };
    let sim = runtime.block_on(SimDevice::start(scenario.clone(), options)).unwrap();
    let mut campaign = Campaign { seed, random, sim, home: home(), lives: Vec::new() };
    let address = campaign.sim.address().to_string();
    let first = campaign.sim.account();
    let mut runs = Vec::new();
    for (n, own) in OWN.iter().take(2).enumerate() {
        let before = campaign.sim.account();
        let user = if campaign.random.u8(0..3) == 0 { "10" } else { "0" };
        let (uninstall, disable, suspend): (Vec<&str>, Vec<&str>, Vec<&str>) = {
            // Others each time: what two runs took out comes back from both.
            let half = plain.len() / 2;
            let from = n * half;
            let mut chosen: BTreeSet<&str> =
                (0..6).map(|_| plain[from + campaign.random.usize(0..half)].as_str()).collect();
            if user == "0" {
                chosen.insert(own);
            }
            let mut ways: [Vec<&str>; 3] = Default::default();
            for id in chosen {
                let way = if OWN.contains(&id) { 0 } else { campaign.random.usize(0..3) };
                ways[way].push(id);
            }
            ways.into()
        };
        let mut words = vec!["run", &address, "--user", user];
        for (option, ids) in [("--uninstall", &uninstall), ("--disable", &disable), ("--suspend", &suspend)] {
            if !ids.is_empty() {
                words.push(option);
                words.extend(ids.iter());
            }
        }
        if campaign.random.bool() {
            words.push("--keep-data");
        }
        // Whatever it does to the start, which is not what is tried here.
        words.push("--despite-start");
        words.extend(uninstall.iter().chain(&disable).chain(&suspend));
        if campaign.random.u8(0..3) == 0 {
            let refuses = uninstall.first().copied().unwrap_or("com.no.such").parse().unwrap();
            campaign.sim.set_fault(Fault::Refuse(refuses, "DELETE_FAILED_INTERNAL_ERROR".into()));
        }
        let run = campaign.finish(&words);
        campaign.agrees(&run, &before);
        for step in run["steps"].as_array().unwrap().iter().filter(|step| step["outcome"] == "done") {
            let id = step["id"].as_str().unwrap();
            let whole = !OWN.contains(&id) || copies_are_whole(campaign.home.path(), &scenario, id);
            assert!(whole, "seed {seed}: {id}: {:#?}", campaign.lives);
            // Never twice for one step, unless the device started anew before it had written that down: then it was not done.
            let user = u32::try_from(step["user"].as_u64().unwrap()).unwrap();
            let starts = campaign.lives.iter().filter(|life| life.contains(", restarts:")).count();
            let most = 1 + n + starts;
            assert!(campaign.sim.data_lost(id, user) as usize <= most, "seed {seed}: {id}: {:#?}", campaign.lives);
        }
        runs.push((run["run"].to_string(), before));
    }
    for (number, before) in runs.iter().rev() {
        let nothing_left = {
            let runs = campaign.runs();
            let run = runs.iter().find(|run| run["run"].as_i64() == number.parse().ok()).unwrap();
            !run["steps"].as_array().unwrap().iter().any(|step| step["outcome"] == "done")
        };
        if nothing_left {
            continue;
        }
        let run = campaign.finish(&["put-back", &address, "--run", number]);
        campaign.agrees(&run, &campaign.sim.account());
        // What a device has no room for, or lost as it went down, is put back by another run.
        for _ in 0..3 {
            if campaign.sim.account() == *before {
                break;
            }
            campaign.live(&["put-back", &address, "--run", number], true);
        }
        let (is, was) = (campaign.sim.account(), before);
        let differs: Vec<_> = was.iter().filter(|(place, line)| is.get(*place) != Some(line)).collect();
        let lines: Vec<_> = differs.iter().map(|(place, was)| (place, was, is.get(*place))).collect();
        // What somebody gave an own app stands in its own run's record.
        assert!(lines.is_empty(), "seed {seed}: {lines:#?} {:#?}", campaign.lives);
    }
    assert_eq!(campaign.sim.account(), first, "seed {seed}");
    campaign.lives.len()
}

/// Six seeds; more of them, from another one on, with `WIBBET_SEEDS=FROM..TO`.
#[test]
fn whatever_happens_to_the_program_the_logbook_accounts_for_the_device() {
    let seeds = std::env::var("WIBBET_SEEDS").unwrap_or_else(|_| "0..6".into());
    let (from, to) = seeds.split_once("..").unwrap();
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build().unwrap();
    for seed in from.parse().unwrap()..to.parse().unwrap() {
        let lives = play(&runtime, seed);
        assert!(lives >= 2, "seed {seed}: {lives} lives");
    }
}
