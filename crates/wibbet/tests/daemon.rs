//! The built program against the platform's own debugging daemon, behind which a simulated Android answers: what the
//! daemon does, the shell and its tools are the real ones.
//!
//! Needs root and what `tools/daemon-lab/setup` makes; `tools/daemon-lab/test-wibbet` sees to that, names the folder in
//! `WIBBET_DAEMON_LAB` and runs these tests, which others pass over.

use std::io::{BufRead as _, BufReader};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::time::Duration;

use crate::support::{LONG, Screen, Sim, command, home, json, run, wait};
use serde_json::Value;
use wibbet_adb::{Encryption, HostKey, KeyRing, Link, SyncClient, SyncError, SystemDialer, Timeouts};
use wibbet_sim::{Scenario, SimAndroid};

const SERIAL: &str = "CT5-0417-2291";
/// Twenty packages of the crew phone, four of which it refuses: by an internal error, with a number of the maker's own, by
/// saying yes and not doing it, and by bringing it back.
const TWENTY: [&str; 20] = [
    "com.android.backupconfirm",
    "com.android.bips",
    "com.android.bookmarkprovider",
    "com.corvane.security",
    "com.android.browser",
    "com.android.calculator2",
    "com.android.calendar",
    "com.corvane.fota",
    "com.android.music",
    "com.android.email",
    "com.corvane.notes",
    "com.corvane.radio",
    "net.skerry.wireless.home",
    "com.corvane.mirror",
    "com.corvane.tips",
    "net.skerry.offers",
    "com.corvane.health",
    "com.corvane.wallet",
    "com.corvane.fonts",
    "com.corvane.video",
];
const REFUSED: [&str; 4] =
    ["com.corvane.security", "com.corvane.fota", "net.skerry.wireless.home", "net.skerry.offers"];

fn tools() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tools/daemon-lab")
}

fn lab() -> PathBuf {
    PathBuf::from(std::env::var_os("WIBBET_DAEMON_LAB").expect("tools/daemon-lab/test-wibbet names the folder"))
}

/// A device's file system with an Android in it.
struct Phone {
    root: PathBuf,
    android: Arc<SimAndroid>,
}

impl Phone {
    fn new(scenario: Scenario, apks: bool) -> Self {
        let phones = lab().join("phones");
        std::fs::create_dir_all(&phones).unwrap();
        // Beside the lab's own file system, so that it can be a copy by links.
        let root = tempfile::Builder::new().prefix("phone-").tempdir_in(phones).unwrap().keep();
        std::fs::remove_dir(&root).unwrap();
        let copied = Command::new("cp").arg("-al").arg(lab().join("root")).arg(&root).status().unwrap();
        assert!(copied.success());
        let android = Arc::new(SimAndroid::new(scenario, 1));
        android.write_files(&root, apks).unwrap();
        android.serve(&root.join("phone/android.sock"), |_| {}).unwrap();
        Self { root, android }
    }

    /// Starts the daemon; with port 0 on a free one.
    fn daemon(&self, mode: &str, port: u16) -> Daemon {
        let port_file = tempfile::tempdir_in(&self.root).unwrap();
        let mut daemon = Command::new(tools().join(if mode == "prompt" { "prompt" } else { "run" }));
        let mut child = daemon
            .arg(&self.root)
            .arg(port.to_string())
            .env("MODE", mode)
            .env("PAIR_CODE", CODE)
            .env("PORT_FILE", port_file.path().join("port"))
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let mut found = None;
        wait("the daemon's port", || {
            assert!(child.try_wait().unwrap().is_none(), "the daemon ended");
            let text = std::fs::read_to_string(port_file.path().join("port")).unwrap_or_default();
            found = text.strip_suffix('\n').and_then(|t| t.parse().ok());
            found.is_some()
        });
        let lines = BufReader::new(child.stdout.take().unwrap()).lines();
        Daemon { child, port: found.unwrap(), lines }
    }

    /// The device has accepted a computer.
    fn trusts(&self, key: &str) {
        std::fs::write(self.root.join("adb_keys"), format!("{key}\n")).unwrap();
    }

    /// How many changes have been sent.
    fn changes(&self) -> usize {
        let words = [" uninstall ", " disable-user ", " install-existing ", " default-state "];
        self.android.transcript().iter().filter(|line| words.iter().any(|w| line.contains(w))).count()
    }

    /// What the logbook calls done is so on the device, and the other way round.
    fn agrees(&self, run: &Value) {
        for step in run["steps"].as_array().unwrap() {
            let id = step["id"].as_str().unwrap();
            let now = self.android.holds(id, 0).unwrap_or((false, 0));
            let so = match step["way"].as_str().unwrap() {
                "uninstall" => !now.0,
                "disable" => now == (true, 3),
                "reinstall" => now.0,
                "default-state" => now == (true, 0),
                other => panic!("{other}"),
            };
            assert_eq!(step["outcome"] == "done", so, "{step}: {now:?}");
        }
    }
}

impl Drop for Phone {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.root);
    }
}

const CODE: &str = "592781";

struct Daemon {
    child: Child,
    port: u16,
    lines: std::io::Lines<BufReader<std::process::ChildStdout>>,
}

impl Daemon {
    fn at(&self) -> String {
        format!("127.0.0.1:{}", self.port)
    }

    /// Ends it as a crash does, and waits until nothing listens any more.
    fn kill(mut self) -> u16 {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
        wait("the daemon's end", || TcpStream::connect(("127.0.0.1", self.port)).is_err());
        self.port
    }
}

impl Drop for Daemon {
    fn drop(&mut self) {
        // What it was started by ends it when its input does.
        drop(self.child.stdin.take());
        if let Ok(None) = self.child.try_wait() {
            let _ = Command::new("kill").arg(self.child.id().to_string()).status();
            let _ = self.child.wait();
        }
    }
}

fn outcomes(run: &Value) -> Vec<(&str, &str)> {
    let steps = run["steps"].as_array().unwrap();
    steps.iter().map(|s| (s["id"].as_str().unwrap(), s["outcome"].as_str().unwrap_or("none"))).collect()
}

/// The run of twenty: half uninstalled, half disabled.
fn twenty(at: &str) -> Vec<&str> {
    let mut words = vec!["run", at, "--user", "0", "--uninstall"];
    words.extend(&TWENTY[..16]);
    words.push("--disable");
    words.extend(&TWENTY[16..]);
    words.extend(["--yes", "--json"]);
    words
}

/// The crew phone with few packages, since reading and writing APKs takes its time.
fn small(mut scenario: Scenario) -> Scenario {
    let kept =
        ["android", "com.android.systemui", "com.android.settings", "com.android.documentsui", "com.wrenandkelp.radio"];
    scenario.inventory.packages.retain(|package| kept.contains(&&*package.id) || TWENTY.contains(&&*package.id));
    scenario
}

/// Links, surveys with labels, runs the twenty with their refusals, puts back, sends files and fetches them.
fn whole_job(phone: &Phone, at: &str, home: &Path, disable: &str) {
    let (link, code) = json(home, &["link", at, "--json"]);
    assert_eq!((code, &link["device"]["link"]), (0, &"ready".into()), "{link}");
    let (told, code) = json(home, &["packages", at, "--json"]);
    let packages = told["packages"].as_array().unwrap();
    assert_eq!((code, packages.len()), (0, phone.android.packages().len()), "{}", told["gaps"]);
    assert_eq!(told["users"].as_array().unwrap().len(), 2);
    let label = |id: &str| packages.iter().find(|p| p["id"] == id).unwrap()["label"].clone();
    assert!(TWENTY.iter().filter(|id| label(id).is_string()).count() > 16, "{packages:?}");
    assert_eq!(label("com.android.documentsui"), "Files");

    let (run, code) = json(home, &twenty(at));
    assert_eq!(code, 3, "{run}");
    for (id, outcome) in outcomes(&run) {
        match outcome {
            "done" => assert!(!REFUSED.contains(&id), "{id}"),
            "refused" | "no-effect" => assert!(REFUSED.contains(&id), "{id}"),
            other => panic!("{id}: {other}"),
        }
    }
    phone.agrees(&run);
    assert!(phone.android.transcript().iter().any(|line| line.starts_with(disable)), "{disable}");
    let done: Vec<&str> = TWENTY.into_iter().filter(|id| !REFUSED.contains(id)).collect();
    let mut words = vec!["put-back", SERIAL, "--user", "0", "--yes", "--json"];
    words.extend(&done);
    let (back, code) = json(home, &words);
    assert_eq!(code, 0, "{back}");
    assert!(done.iter().all(|id| phone.android.holds(id, 0) == Some((true, 0))), "as it was");

    // Somebody's own app, which is wholly gone then.
    let words = ["run", at, "--user", "0", "--uninstall", "com.wrenandkelp.radio", "--no-way-back", "--yes", "--json"];
    let (gone, code) = json(home, &words);
    assert_eq!((code, outcomes(&gone)), (0, vec![("com.wrenandkelp.radio", "done")]), "{gone}");
    assert_eq!(phone.android.holds("com.wrenandkelp.radio", 0), None);

    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
    runtime.block_on(files_to_and_fro(at));
}

/// Sends a file, looks at it, fetches it, and is refused one.
async fn files_to_and_fro(at: &str) {
    let pem = include_str!("../../adb/tests/key.pem");
    let keys = KeyRing::of(HostKey::from_pem(pem, "test@bench", "vector".as_ref()).unwrap());
    let limits = Timeouts { connect: LONG, answer: LONG, tap: LONG, idle: LONG, write: LONG };
    let link =
        Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::WhereAsked, &keys, &limits, &mut |_| {})
            .await
            .unwrap();
    let data: Vec<u8> = (0..300_001u32).map(|n| (n * 7 % 251) as u8).collect();
    let path = "/data/local/tmp/it's here".parse().unwrap();
    let mut sync = SyncClient::open(&link, LONG).await.unwrap();
    sync.send(&path, 0o640, 1_700_000_000, &data).await.unwrap();
    let mut back = Vec::new();
    sync.recv(&path, u64::MAX, &mut |piece| back.extend_from_slice(piece)).await.unwrap();
    assert!(back == data, "{} bytes of {}", back.len(), data.len());
    let entry = sync.stat_many(&[path]).await.unwrap()[0].clone();
    // The daemon gives group and others the rights of the owner.
    assert_eq!((entry.size, entry.time, entry.mode & 0o777), (300_001, 1_700_000_000, 0o666));
    let refused = sync.send(&"/system/no".parse().unwrap(), 0o644, 0, b"x").await.unwrap_err();
    assert!(matches!(&refused, SyncError::Failed { said, .. } if said.as_str().contains("denied")), "{refused}");
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn the_whole_job_on_android_14_and_8_1() {
    for (scenario, disable) in [
        (Scenario::crew_phone(), "cmd package disable-user"),
        (Scenario::crew_phone().with_android_8_1(), "pm disable-user"),
    ] {
        let phone = Phone::new(small(scenario), true);
        let daemon = phone.daemon("open", 0);
        whole_job(&phone, &daemon.at(), home().path(), disable);
    }
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn everything_known_of_the_packages_is_what_the_bench_phone_tells() {
    let phone = Phone::new(Scenario::crew_phone(), true);
    let (daemon, home) = (phone.daemon("open", 0), home());
    let (seen, code) = json(home.path(), &["packages", &daemon.at(), "--json"]);
    let packages = seen["packages"].as_array().unwrap();
    assert_eq!((code, packages.len()), (0, 236));
    let sim = Sim::start(&["--device", "crew-phone"]);
    let (told, _) = json(home.path(), &["packages", sim.address(), "--json"]);
    assert_eq!((&seen["users"], &seen["gaps"]), (&told["users"], &told["gaps"]));
    for (seen, told) in packages.iter().zip(told["packages"].as_array().unwrap()) {
        assert_eq!(seen, told);
    }
    assert!(packages.iter().filter(|p| p["label"].is_string()).count() > 220);
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn paired_with_the_platforms_pairing_server_and_linked_by_tls() {
    let phone = Phone::new(small(Scenario::crew_phone()), true);
    let (link, home) = (phone.daemon("tls", 0), home());
    let (told, code) = json(home.path(), &["link", &link.at(), "--json"]);
    assert_eq!(code, 6, "{told}");
    let standings: Vec<&str> =
        told["ladder"].as_array().unwrap().iter().map(|r| r["standing"].as_str().unwrap()).collect();
    assert_eq!(standings[..4], ["holds", "holds", "holds", "missing"], "it answered, and wants pairing");
    assert_eq!(told["trouble"]["name"], "not-paired");

    let dialog = phone.daemon("pair", 0);
    let (wrong, code) = json(home.path(), &["pair", &dialog.at(), "--code", "111111", "--json"]);
    assert_eq!((code, &wrong["error"]["kind"]), (6, &"not-authorised".into()), "{wrong}");
    // The platform's server is made for one computer.
    drop(dialog);
    let mut dialog = phone.daemon("pair", 0);
    let (paired, code) = json(home.path(), &["pair", &dialog.at(), "--code", CODE, "--json"]);
    assert_eq!((code, &paired["paired"]), (0, &true.into()), "{paired}");
    let key = dialog
        .lines
        .by_ref()
        .map_while(Result::ok)
        .find_map(|line| line.strip_prefix("paired type=0 data=").map(str::to_owned));
    phone.trusts(&key.unwrap());

    let (told, code) = json(home.path(), &["link", &link.at(), "--json"]);
    assert_eq!((code, &told["device"]["details"]["encrypted"]), (0, &true.into()), "{told}");
    whole_job(&phone, &link.at(), home.path(), "cmd package disable-user");
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn a_computer_that_is_allowed_on_the_screen_and_one_that_is_known() {
    let phone = Phone::new(Scenario::crew_phone(), false);
    let (mut asks, home) = (phone.daemon("prompt", 0), home());
    let (told, code) = json(home.path(), &["link", &asks.at(), "--json"]);
    assert_eq!(code, 0, "{told}");
    let key = asks.lines.next().unwrap().unwrap();
    drop(asks);
    let knows = phone.daemon("auth", 0);
    let (shy, code) = json(home.path(), &["packages", &knows.at(), "--quick", "--json", "--allow-within", "0.3"]);
    assert_eq!((code, &shy["error"]["kind"]), (6, &"not-authorised".into()), "allowed once is not for ever");
    phone.trusts(&key);
    let (packages, code) = json(home.path(), &["packages", &knows.at(), "--quick", "--json"]);
    assert_eq!((code, packages["packages"].as_array().unwrap().len()), (0, 236));
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn a_daemon_that_crashes_in_the_middle_of_a_run() {
    let phone = Phone::new(Scenario::crew_phone(), false);
    let (mut daemon, home) = (phone.daemon("open", 0), home());
    let at = daemon.at();
    let child = command(home.path(), &twenty(&at)).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
    for after in [3, 9, 15] {
        wait("the run to get further", || phone.changes() >= after);
        let port = daemon.kill();
        daemon = phone.daemon("open", port);
    }
    let output = child.wait_with_output().unwrap();
    let run: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(3), "{run}");
    assert!(outcomes(&run).iter().all(|(id, outcome)| (*outcome == "done") != REFUSED.contains(id)), "{run}");
    phone.agrees(&run);
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn killed_at_any_moment_and_carried_on() {
    let mut random = fastrand::Rng::with_seed(7);
    for round in 0..8 {
        let phone = Phone::new(Scenario::crew_phone(), false);
        let (daemon, home) = (phone.daemon("open", 0), home());
        let at = daemon.at();
        let mut child = command(home.path(), &twenty(&at)).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        let (changes, pause) = (random.usize(0..20), random.u64(0..40));
        wait("the run to get so far", || phone.changes() >= changes || child.try_wait().unwrap().is_some());
        std::thread::sleep(Duration::from_millis(pause));
        let _ = child.kill();
        child.wait().unwrap();
        let (carried, code) = json(home.path(), &["carry-on", SERIAL, "--yes", "--json"]);
        if carried["error"]["kind"] == "nothing-done" {
            // Killed before the run was written down: then nothing may have been sent.
            assert_eq!(phone.changes(), 0, "round {round}");
            continue;
        }
        assert_eq!(code, 3, "round {round}: {carried}");
        phone.agrees(&carried);
        let (runs, _) = json(home.path(), &["runs", "--json"]);
        assert_eq!(runs["runs"][0]["state"], "finished", "{runs}");
        phone.agrees(&runs["runs"][0]);
        // Once more: nothing is left to do, nothing is sent, and it says so.
        let before = phone.changes();
        let again = run(home.path(), &["carry-on", SERIAL, "--yes"]);
        assert!(String::from_utf8_lossy(&again.stderr).contains("nothing is left to do"), "{again:?}");
        assert_eq!(phone.changes(), before);
    }
}

/// The whole device starts over and over: its daemon is there for three seconds of each round, its package service for one of them, until
/// what the start needs is back.
#[test]
#[ignore = "needs tools/daemon-lab"]
fn a_device_that_loops_is_caught_behind_the_real_daemon() {
    const NEEDED: [&str; 2] = ["com.android.wifi.resources", "com.android.connectivity.resources"];
    let mut scenario = Scenario::crew_phone();
    let kept = small(scenario.clone()).inventory.packages;
    scenario.inventory.packages.retain(|one| NEEDED.contains(&&*one.id) || kept.iter().any(|kept| kept.id == one.id));
    let phone = Phone::new(scenario, true);
    let (daemon, home) = (phone.daemon("open", 0), home());
    let at = daemon.at();
    let harmless: Vec<&str> = TWENTY.into_iter().filter(|id| !REFUSED.contains(id)).collect();
    let mut words = vec!["run", &at, "--user", "0", "--uninstall"];
    words.extend(harmless.iter().chain(&NEEDED));
    words.push("--despite-start");
    words.extend(NEEDED);
    words.extend(["--yes", "--json"]);
    let (run, code) = json(home.path(), &words);
    assert_eq!(code, 0, "{run}");

    let port = daemon.kill();
    let caught = command(home.path(), &["catch", SERIAL, "--yes", "--json", "--at", &at])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut rounds = 0;
    let _daemon = loop {
        std::thread::sleep(Duration::from_secs(2));
        let dies = phone.android.start_anew(&phone.root).unwrap();
        let daemon = phone.daemon("open", port);
        if dies.is_none() {
            break daemon;
        }
        rounds += 1;
        assert!(rounds < 12, "it is not caught");
        std::thread::sleep(Duration::from_secs(2));
        phone.android.service_comes_up();
        std::thread::sleep(Duration::from_secs(1));
        phone.android.start_has_failed();
        daemon.kill();
    };
    // It stands for two minutes before it is believed.
    let output = caught.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&output.stderr);
    let run: Value = serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("{said}"));
    assert_eq!(output.status.code(), Some(0), "{run} {said}");
    assert!(harmless.iter().chain(&NEEDED).all(|id| phone.android.holds(id, 0) == Some((true, 0))), "{run}");
    assert!(outcomes(&run).iter().all(|(_, outcome)| *outcome == "done"), "{run}");
}

#[test]
#[ignore = "needs tools/daemon-lab"]
fn the_screen_over_the_real_daemon() {
    let phone = Phone::new(Scenario::crew_phone(), false);
    let (daemon, home) = (phone.daemon("open", 0), home());
    let screen = Screen::start(home.path(), &format!("--at {}", daemon.at()), 128, 40);
    screen.wait_for("236 packages");
    screen.keys("Enter");
    screen.keys("/ C-u");
    screen.types("android.music");
    screen.wait_for("│ com.android.music");
    screen.keys("Enter Space");
    screen.wait_for("1 chosen: uninstall 1");
    screen.keys("Enter");
    screen.wait_for("sends it in numbered order");
    assert_eq!(phone.android.holds("com.android.music", 0), Some((true, 0)));
    screen.keys("s");
    screen.wait_for("it is done and read back");
    assert_eq!(phone.android.holds("com.android.music", 0), Some((false, 0)));
    // Its daemon crashes and is there again: the screen links it by itself.
    let port = daemon.kill();
    screen.keys("1");
    screen.wait_for("no link · tried again by itself");
    let _daemon = phone.daemon("open", port);
    wait("the link", || !screen.text().contains("no link"));
}
