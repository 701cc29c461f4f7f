//! The command line as scripts see it: objects, exit codes, and what happens when it is killed.

use std::path::Path;

use crate::support::{Sim, command, home, json, run, said};
use serde_json::{Value, json as object};

/// API levels and releases of the simulated devices.
pub(crate) const LEVELS: [(&str, &str); 10] = [
    ("22", "5.1.1"),
    ("23", "6.0.1"),
    ("25", "7.1.2"),
    ("27", "8.1.0"),
    ("28", "9"),
    ("30", "11"),
    ("31", "12"),
    ("34", "14"),
    ("35", "15"),
    ("36", "16"),
];

fn outcomes(run: &Value) -> Vec<&str> {
    run["steps"].as_array().unwrap().iter().map(|s| s["outcome"].as_str().unwrap_or("none")).collect()
}

/// What ties packages and what a tray does, for scripts and for people; nothing is sent for it that changes anything.
#[test]
fn what_ties_packages_and_what_a_tray_does() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let (why, code) = json(home.path(), &["why", sim.address(), "--all", "--json"]);
    assert_eq!((code, &why["user"], &why["unread"]), (0, &object!(0), &object!([])));
    let of = |id: &str| why["packages"].as_array().unwrap().iter().find(|p| p["id"] == id).unwrap().clone();
    let installer = of("com.android.packageinstaller");
    assert_eq!((&installer["verdict"], &installer["holds"][0]["class"]), (&object!("held"), &object!(1)));
    assert_eq!(of("com.android.egg")["holds"].as_array().unwrap().iter().filter(|h| h["kind"] != "habit").count(), 0);
    let provider = of("com.corvane.weather.provider");
    assert_eq!(provider["holds"][0]["by"], object!(["com.corvane.weather"]));

    let keys = ["com.android.inputmethod.latin", "com.corvane.keyboard"];
    let (found, code) = json(home.path(), &[&["upshot", sim.address(), "--json", "--uninstall"][..], &keys].concat());
    assert_eq!((code, &found["users"][0]["roles_emptied"]), (0, &object!(["keyboard"])), "{found}");
    assert_eq!(found["users"][0]["start"], "expected");
    let dangerous = ["upshot", sim.address(), "--json", "--user", "10", "0", "--disable", "com.android.wifi.resources"];
    let (found, _) = json(home.path(), &dangerous);
    let start = |n: usize| (found["users"][n]["user"].clone(), found["users"][n]["start"].clone());
    assert_eq!(start(0), (object!(0), object!("not-expected")));
    assert_eq!(start(1), (object!(10), object!("expected")), "it starts for its first user only");

    // Searches and columns know it too.
    let free = ["packages", sim.address(), "--search", ":free :overlay", "--columns", "id,holds,stops"];
    let said = run(home.path(), &free);
    let out = String::from_utf8_lossy(&said.stdout).into_owned();
    assert!(out.contains("nothing found") && out.contains("····"), "{out}");

    // For people.
    let said = run(home.path(), &["why", sim.address(), "com.android.webview", "com.no.such"]);
    let (out, err) = (String::from_utf8_lossy(&said.stdout), String::from_utf8_lossy(&said.stderr));
    assert!(out.contains("web content in all apps") && out.contains("nothing else here can"), "{out}");
    assert!(err.contains("com.no.such is not on the device"), "{err}");
    let said = run(home.path(), &[&["upshot", sim.address(), "--uninstall"][..], &keys].concat());
    let out = String::from_utf8_lossy(&said.stdout).into_owned();
    assert!(out.contains("nobody is left for: keyboard") && out.contains("instead: leave out"), "{out}");
    assert_eq!(run(home.path(), &["upshot", sim.address()]).status.code(), Some(2));
    assert_eq!(run(home.path(), &["upshot", sim.address(), "--disable", "com.no.such"]).status.code(), Some(1));
    // A run leaves out what the start needs, unless it is named; what the package service needs in any case.
    let run = |more: &[&str]| {
        let tray = ["com.android.wifi.resources", "com.android.packageinstaller", "com.android.music"];
        let words = ["run", sim.address(), "--user", "0", "--dry-run", "--json", "--uninstall"];
        json(home.path(), &[&words[..], &tray, more].concat()).0
    };
    let skipped = |run: &serde_json::Value| -> Vec<bool> {
        run["steps"].as_array().unwrap().iter().map(|step| step["outcome"] == "skipped").collect()
    };
    let careful = run(&[]);
    assert_eq!((skipped(&careful), &careful["steps"][0]["start"]["class"]), (vec![true, true, false], &object!(2)));
    let bold = run(&["--despite-start", "com.android.wifi.resources", "com.android.packageinstaller"]);
    assert_eq!(skipped(&bold), [false, true, false], "{bold}");
    let told = |words: &[&str]| {
        let before = ["run", sim.address(), "--user", "0", "--dry-run", "--uninstall"];
        self::run(home.path(), &[&before[..], words].concat())
    };
    let said = told(&["com.android.webview", "com.android.wifi.resources"]);
    let (out, err) = (String::from_utf8_lossy(&said.stdout), String::from_utf8_lossy(&said.stderr));
    assert!(err.contains("beware: stops: web content in all apps") && !err.contains("starting"), "{err}");
    assert!(out.contains("--despite-start com.android.wifi.resources sends it all the same"), "{out}");
    assert_eq!(told(&["com.android.music", "--despite-start", "x.y"]).status.code(), Some(2));
    // Where manifests cannot be read, nothing is said to be known of the start.
    let bare = Sim::start(&["--android", "25", "--fault", "no-tools"]);
    let words = ["run", bare.address(), "--user", "0", "--dry-run", "--uninstall", "com.android.providers.telephony"];
    let said = self::run(home.path(), &words);
    let err = String::from_utf8_lossy(&said.stderr);
    assert!(err.contains("beware: whether the device starts afterwards is not known"), "{err}");
    assert!(err.contains("not read: manifests") && err.contains("not read: framework"), "{err}");
    let sent = std::fs::read_to_string(&sim.transcript).unwrap();
    assert!(!sent.contains("uninstall --user") && !sent.contains("disable-user"), "{sent}");
}

#[test]
fn the_whole_job_on_both_devices() {
    let sim = Sim::start(&[]);
    let home = home();
    let at: Vec<&str> = sim.devices.iter().map(|d| d.1.as_str()).collect();
    let (bench, code) = json(home.path(), &["bench", "--json", "--at", at[0], "--at", at[1]]);
    assert_eq!(code, 0);
    let devices = bench["devices"].as_array().unwrap();
    assert_eq!(devices[0]["id"], "CT5-0417-2291");
    assert_eq!((&devices[1]["android"], &devices[1]["link"]), (&object!("6.0.1"), &object!("ready")));

    // On Android 6 debugging may not disable apps.
    for (serial, off) in [("CT5-0417-2291", "disable"), ("OP-66-1083", "uninstall")] {
        // The devices are known by now, so a serial will do.
        let (run, code) = json(
            home.path(),
            &[
                "run",
                serial,
                "--user",
                "0",
                "--uninstall",
                "com.android.music",
                "com.android.email",
                &format!("--{off}"),
                "com.android.deskclock",
                "--yes",
                "--json",
            ],
        );
        assert_eq!((outcomes(&run), code), (vec!["done"; 3], 0), "{run}");
        assert_eq!(run["steps"][2]["way"], off);
        let (packages, code) = json(home.path(), &["packages", serial, "--json"]);
        assert_eq!(code, 0);
        let package =
            |id: &str| packages["packages"].as_array().unwrap().iter().find(|p| p["id"] == id).unwrap().clone();
        let label = package("com.android.music")["label"].clone();
        assert!(["Music", "Música"].iter().any(|l| label == *l), "in the device's language: {label}");
        assert!(package("com.android.music")["version_code"].is_number());
        assert_eq!(package("com.android.music")["kind"], "system");
        let state = |id: &str| package(id)["states"]["0"].clone();
        assert_eq!(
            state("com.android.music"),
            object!({"state": "uninstalled", "installed": false, "enabled": 0, "hidden": false, "suspended": false})
        );
        let off = match off {
            "disable" => {
                object!({"state": "disabled", "installed": true, "enabled": 3, "hidden": false, "suspended": false})
            }
            _ => {
                object!({"state": "uninstalled", "installed": false, "enabled": 0, "hidden": false, "suspended": false})
            }
        };
        assert_eq!(state("com.android.deskclock"), off);
        let (back, code) = json(
            home.path(),
            &["put-back", serial, "com.android.music", "com.android.deskclock", "--user", "0", "--yes", "--json"],
        );
        assert_eq!((outcomes(&back), code), (vec!["done"; 2], 0), "{back}");
        assert_eq!(back["steps"][1]["state"]["enabled"], 0);
    }
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 4);
    for line in std::fs::read_to_string(&sim.transcript).unwrap().lines().filter(|l| l.starts_with("OP-66-1083")) {
        assert!(!line.contains("cmd") && !line.contains("abb") && !line.contains("v2"), "{line}");
    }
}

/// What is off is told with who took it out, and comes back by run or all at once; what was off before stays off.
#[test]
fn what_is_off_comes_back_by_run_or_all_at_once() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let out = |user: &str, ids: &[&str]| {
        let words = ["run", sim.address(), "--user", user, "--yes", "--json", "--uninstall"];
        let (run, code) = json(home.path(), &[&words[..], ids].concat());
        assert_eq!(code, 0, "{run}");
        run["run"].as_i64().unwrap()
    };
    let (shelf, _) = json(home.path(), &["shelf", sim.address(), "--json"]);
    let before = shelf["shelf"].as_array().unwrap().len();
    assert!(before > 0 && shelf["shelf"][0]["origin"].is_null(), "{shelf}");
    let first = out("0", &["com.android.music", "com.android.email"]);
    let second = out("0", &["com.android.deskclock"]);
    let (shelf, code) = json(home.path(), &["shelf", sim.address(), "--user", "0", "--json"]);
    let entries = shelf["shelf"].as_array().unwrap();
    let by: Vec<i64> = entries.iter().filter_map(|e| e["origin"]["run"].as_i64()).collect();
    assert_eq!((code, by), (0, vec![second, first, first]));
    assert_eq!((&entries[0]["state"], &entries[0]["back_to"]["state"]), (&object!("uninstalled"), &object!("in-use")));
    let (said, _, _) = said(home.path(), &["shelf", sim.address()]);
    assert!(said.contains(&format!("run {second}")) && said.contains("before"), "{said}");
    let back = |words: &[&str]| {
        let all = [&["put-back", sim.address(), "--yes", "--json"][..], words].concat();
        let (run, code) = json(home.path(), &all);
        (run["steps"].as_array().map_or(0, Vec::len), code)
    };
    assert_eq!(back(&["--run", &first.to_string()]), (2, 0));
    assert_eq!(back(&["--run", &first.to_string()]), (0, 1), "nothing of it is off any more");
    assert_eq!(back(&["--all", "--user", "10"]), (0, 1), "nothing of that user");
    assert_eq!(back(&["--all"]), (1, 0));
    let (shelf, _) = json(home.path(), &["shelf", sim.address(), "--json"]);
    assert_eq!(shelf["shelf"].as_array().unwrap().len(), before, "what was off before stays off");
    for wrong in [&["--all", "com.android.music"][..], &["--all", "--run", "1"], &["com.android.music"], &[]] {
        assert_eq!(run(home.path(), &[&["put-back", sim.address()][..], wrong].concat()).status.code(), Some(2));
    }
}

/// What a package is for the owner, by its id.
fn owner_has(home: &std::path::Path, device: &str, ids: &[&str]) -> Vec<Value> {
    let (told, code) = json(home, &["packages", device, "--quick", "--json"]);
    assert_eq!(code, 0, "{told}");
    let state = |id: &&str| {
        told["packages"].as_array().unwrap().iter().find(|p| p["id"] == **id).unwrap()["states"]["0"].clone()
    };
    ids.iter().map(state).collect()
}

/// Every version by script: what there is with its labels, out by every way that the version has, and back to what was.
#[test]
fn every_version_does_the_whole_job_by_script() {
    const CHOSEN: [&str; 3] = ["com.android.htmlviewer", "com.android.certinstaller", "com.android.vpndialogs"];
    for (level, release) in LEVELS {
        let sim = Sim::start(&["--android", level, "--allow", "0"]);
        let (home, at) = (home(), sim.address());
        let (all, code) = json(home.path(), &["packages", at, "--json"]);
        let packages = all["packages"].as_array().unwrap();
        let labels = packages.iter().filter(|p| p["label"].is_string()).count();
        assert!(code == 0 && labels * 10 > packages.len() * 8, "{release}: {labels} of {}", packages.len());
        let before = owner_has(home.path(), at, &CHOSEN);
        let run =
            |chosen: &[&str]| json(home.path(), &[&["run", at, "--user", "0", "--yes", "--json"], chosen].concat());
        let (kept, code) = run(&["--uninstall", CHOSEN[1], "--keep-data"]);
        assert_eq!((outcomes(&kept), code), (vec!["done"], 0), "{release}: {kept}");
        // The shell may not disable before Android 7, which is known and said.
        let (last, ends) = if level < "24" { ("skipped", 3) } else { ("done", 0) };
        let (gone, code) = run(&["--uninstall", CHOSEN[0], "--disable", CHOSEN[2]]);
        assert_eq!((outcomes(&gone), code), (vec!["done", last], ends), "{release}: {gone}");
        let off = owner_has(home.path(), at, &CHOSEN);
        assert_eq!(
            (&off[0]["state"], &off[1]["state"]),
            (&object!("uninstalled"), &object!("uninstalled")),
            "{release}"
        );
        let back = if level < "24" { &CHOSEN[..2] } else { &CHOSEN[..] };
        let (put, code) = json(home.path(), &[&["put-back", at], back, &["--user", "0", "--yes", "--json"]].concat());
        assert_eq!((outcomes(&put), code), (vec!["done"; back.len()], 0), "{release}: {put}");
        assert_eq!(owner_has(home.path(), at, &CHOSEN), before, "{release}");
    }
}

#[test]
fn exit_codes_tell_the_ends_apart() {
    let sim = Sim::start(&["--device", "crew-phone", "--fault", "never-answers=com.android.egg"]);
    let home = home();
    let at = sim.address();
    let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().to_string();
    for (arguments, code, kind) in [
        (vec!["run", at, "--user", "0", "--uninstall", "net.skerry.wireless.home", "--yes"], 1, ""),
        (vec!["run", at, "--user", "0", "--uninstall", "com.no.such.package", "--yes"], 1, ""),
        (vec!["run", at, "--user", "0", "--uninstall", "com.android.music"], 2, "usage"),
        (vec!["run", at, "--user", "0", "--yes"], 2, "usage"),
        (vec!["run", at, "--user", "7", "--uninstall", "com.android.music", "--yes"], 2, "usage"),
        (
            vec![
                "run",
                at,
                "--user",
                "0",
                "--uninstall",
                "com.android.music",
                "--disable",
                "com.android.music",
                "--yes",
            ],
            2,
            "usage",
        ),
        (vec!["run", at, "--user", "0", "--uninstall", "com.android.music", "com.corvane.fota", "--yes"], 3, ""),
        (vec!["run", at, "--user", "0", "--uninstall", "com.android.egg", "--yes", "--answer-within", "2"], 4, ""),
        (vec!["run", &free, "--user", "0", "--uninstall", "com.android.music", "--yes"], 5, "no-device"),
        (vec!["packages", "NO-SUCH-SERIAL"], 5, "no-device"),
        (vec!["run", at, "--user", "0", "--uninstall", "com.android.music", "--yes"], 0, ""),
        (
            vec!["run", at, "--user", "0", "--uninstall", "com.android.calendar", "com.wrenandkelp.radio", "--dry-run"],
            0,
            "",
        ),
        (vec!["carry-on", at, "--yes", "--answer-within", "2"], 4, ""),
        (vec!["carry-on", at, "99", "--yes"], 1, "nothing-done"),
    ] {
        let with_json: Vec<&str> = arguments.iter().copied().chain(["--json"]).collect();
        let (answer, seen) = json(home.path(), &with_json);
        assert_eq!(seen, code, "{arguments:?}: {answer}");
        if kind.is_empty() {
            assert!(answer["error"].is_null(), "{answer}");
        } else {
            assert_eq!(answer["error"]["kind"], kind, "{answer}");
        }
    }
    let (dry, _) = json(
        home.path(),
        &[
            "run",
            at,
            "--user",
            "0",
            "--uninstall",
            "com.android.calendar",
            "com.wrenandkelp.radio",
            "--dry-run",
            "--json",
        ],
    );
    let first = &dry["steps"][0];
    assert_eq!(first["data"], "go", "{dry}");
    assert!(first["data_bytes"].is_u64(), "{dry}");
    assert_eq!(
        (&dry["run"], &dry["steps"][0]["back"], &dry["steps"][1]["back"]),
        (&Value::Null, &object!("nearly"), &object!("nearly"))
    );
    assert!(!std::fs::read_to_string(&sim.transcript).unwrap().contains("uninstall --user 0 com.android.calendar"));
    assert_eq!(run(home.path(), &["run", at, "--user", "0", "--uninstall", "a;b", "--yes"]).status.code(), Some(2));

    let shy = Sim::start(&["--device", "spare-handset", "--allow", "never"]);
    let (answer, code) = json(home.path(), &["packages", shy.address(), "--json", "--allow-within", "0.3"]);
    assert_eq!((code, &answer["error"]["kind"]), (6, &object!("not-authorised")));
    let (bench, code) = json(home.path(), &["bench", "--json", "--at", shy.address(), "--allow-within", "0.3"]);
    assert_eq!(code, 0, "the crew phone is ready");
    let links: Vec<&Value> = bench["devices"].as_array().unwrap().iter().map(|d| &d["link"]).collect();
    assert!(links.contains(&&object!("not-authorised")) && links.contains(&&object!("ready")), "{bench}");
}

/// Kills the program while a step is on its way, once before the device acts and once after.
#[test]
fn a_kill_is_told_settled_and_carried_on() {
    for (fault, first) in [("never-answers=com.android.email", "not"), ("acts-silently=com.android.email", "done")] {
        let sim = Sim::start(&["--device", "crew-phone", "--fault", fault]);
        let home = home();
        let at = sim.address();
        let arguments = [
            "run",
            at,
            "--user",
            "0",
            "--uninstall",
            "com.android.music",
            "com.android.email",
            "com.android.calendar",
            "--yes",
            "--json",
        ];
        let mut going = command(home.path(), &arguments).stdout(std::process::Stdio::null()).spawn().unwrap();
        sim.wait_for("uninstall --user 0 com.android.email");

        // Meanwhile a second program is told, and sends nothing.
        let (second, code) =
            json(home.path(), &["run", at, "--user", "0", "--disable", "com.android.deskclock", "--yes", "--json"]);
        assert_eq!((code, &second["error"]["kind"]), (7, &object!("busy")), "{second}");
        assert!(second["error"]["message"].as_str().unwrap().contains("another Wibbet"));

        going.kill().unwrap();
        going.wait().unwrap();
        // What has been answered may not have been read back yet.
        let (left, _) = json(home.path(), &["runs", "--json"]);
        assert_eq!(&left["runs"][0]["state"], &object!("open"));
        assert_eq!(outcomes(&left["runs"][0])[1], "none");

        let output = run(home.path(), &["carry-on", at, "--yes", "--json", "--answer-within", "2"]);
        let told = String::from_utf8(output.stderr).unwrap();
        let run: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert!(told.contains("run 1 was interrupted"), "{told}");
        if first == "done" {
            assert!(told.contains("turned out done"), "{told}");
            assert_eq!((outcomes(&run), output.status.code()), (vec!["done"; 3], Some(0)));
        } else {
            assert!(told.contains("1 not"), "{told}");
            assert_eq!((outcomes(&run), output.status.code()), (vec!["done", "unsettled", "done"], Some(4)));
        }
    }
}

/// Killed during its last step, which the device did: nothing is left to do, all is so and was read back.
#[test]
fn carrying_on_where_all_is_done_already_is_a_success() {
    let sim = Sim::start(&["--device", "crew-phone", "--fault", "acts-silently=com.android.email"]);
    let home = home();
    let at = sim.address();
    let arguments =
        ["run", at, "--user", "0", "--uninstall", "com.android.music", "com.android.email", "--yes", "--json"];
    let mut going = command(home.path(), &arguments).stdout(std::process::Stdio::null()).spawn().unwrap();
    sim.wait_for("uninstall --user 0 com.android.email");
    going.kill().unwrap();
    going.wait().unwrap();
    let sent = || std::fs::read_to_string(&sim.transcript).unwrap().matches(" uninstall ").count();
    let before = sent();
    for number in [&[][..], &["1"], &[]] {
        let arguments = [&["carry-on", at][..], number, &["--yes", "--json"]].concat();
        let output = run(home.path(), &arguments);
        let told = String::from_utf8(output.stderr).unwrap();
        let run: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert_eq!((outcomes(&run), output.status.code()), (vec!["done"; 2], Some(0)), "{told}");
        assert!(told.contains("nothing is left to do of run 1") && told.contains("read just now"), "{told}");
    }
    assert_eq!(sent(), before);
    // Somebody has put one back meanwhile: it is finished, and not all of it is so.
    let (_, code) = json(home.path(), &["put-back", at, "com.android.music", "--user", "0", "--yes", "--json"]);
    assert_eq!(code, 0);
    let output = run(home.path(), &["carry-on", at, "1", "--yes"]);
    let told = String::from_utf8(output.stderr).unwrap();
    assert!(told.contains("nothing is left to do of run 1: it is finished"), "{told}");
}

/// A step that was sent, done, and then killed over is part of what is recorded, and so is the state that it found.
#[test]
fn putting_back_after_a_kill_leads_to_the_state_before() {
    // Disabled when it came: number 3.
    let id = "com.corvane.lockmagazine";
    let sim = Sim::start(&["--device", "crew-phone", "--fault", &format!("acts-silently={id}")]);
    let home = home();
    let at = sim.address();
    let arguments = ["run", at, "--user", "0", "--uninstall", id, "--yes", "--json"];
    let mut going = command(home.path(), &arguments).stdout(std::process::Stdio::null()).spawn().unwrap();
    sim.wait_for(&format!("uninstall --user 0 {id}"));
    going.kill().unwrap();
    going.wait().unwrap();
    // Nobody can be asked here, so nothing is sent without being told to.
    let (told, code) = json(home.path(), &["put-back", at, id, "--user", "0", "--json"]);
    assert_eq!((code, &told["error"]["kind"]), (2, &object!("usage")), "{told}");
    assert!(!std::fs::read_to_string(&sim.transcript).unwrap().contains("install-existing"));
    let (dry, code) = json(home.path(), &["put-back", at, id, "--user", "0", "--dry-run", "--json"]);
    let ways = |run: &Value| run["steps"].as_array().unwrap().iter().map(|s| s["way"].clone()).collect::<Vec<_>>();
    assert_eq!((code, ways(&dry)), (0, vec![object!("reinstall"), object!("disable")]), "{dry}");
    let (back, code) =
        json(home.path(), &["put-back", at, id, "--user", "0", "--yes", "--answer-within", "2", "--json"]);
    assert_eq!((outcomes(&back), code), (vec!["done"; 2], 0), "{back}");
    let (packages, _) = json(home.path(), &["packages", at, "--quick", "--json"]);
    let package = packages["packages"].as_array().unwrap().iter().find(|p| p["id"] == id).unwrap();
    assert_eq!(package["states"]["0"]["enabled"], 3, "{package}");
}

/// The built program is ended behind every use of the logbook in a run of five, one after the other; what is left is told,
/// carried on, and put back.
#[test]
fn a_kill_at_every_write_of_the_logbook_loses_nothing() {
    let ids = ["com.android.music", "com.android.email", "com.corvane.radio", "com.corvane.tips", "com.corvane.notes"];
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let at = sim.address();
    let with = |first: &[&str], last: &[&str]| -> Vec<String> {
        first.iter().chain(&ids).chain(last).map(|word| (*word).to_owned()).collect()
    };
    let take_out = with(&["run", at, "--user", "0", "--uninstall"], &["--yes", "--json"]);
    let put_back = with(&["put-back", at], &["--user", "0", "--yes", "--json"]);
    let words = |all: &[String]| all.iter().map(String::as_str).collect::<Vec<_>>().join(" ");
    let states = || {
        let (packages, _) = json(home.path(), &["packages", at, "--quick", "--json"]);
        let all = packages["packages"].as_array().unwrap().clone();
        let of = |id: &str| all.iter().find(|p| p["id"] == id).unwrap()["states"]["0"]["state"].clone();
        ids.map(|id| of(id).as_str().unwrap().to_owned())
    };
    let mut n = 0;
    loop {
        n += 1;
        let arguments: Vec<&str> = take_out.iter().map(String::as_str).collect();
        let output = command(home.path(), &arguments).env("WIBBET_END_AT_USE", n.to_string()).output().unwrap();
        let done = output.status.code() == Some(0);
        assert!(done || output.status.code().is_none(), "{n}: {output:?}");
        if !done {
            let (told, code) = json(home.path(), &["carry-on", at, "--yes", "--json"]);
            // Ended before the run was written down: there is none, and nothing was sent.
            let begun = told["error"]["kind"] != "nothing-done" && told["kind"] != "put-back";
            match begun {
                true => assert_eq!((code, outcomes(&told)), (0, vec!["done"; 5]), "{n}: {told}"),
                false => {
                    assert_eq!(states(), ["in-use"; 5].map(str::to_owned), "{n}: {told}");
                    continue;
                }
            }
        }
        assert_eq!(states(), ["uninstalled"; 5].map(str::to_owned), "{n}");
        let arguments: Vec<&str> = put_back.iter().map(String::as_str).collect();
        let (back, code) = json(home.path(), &arguments);
        assert_eq!((code, states()), (0, ["in-use"; 5].map(str::to_owned)), "{n}: {back}");
        if done {
            break;
        }
    }
    assert!(n > 20, "{n} uses of the logbook, for {}", words(&take_out));
}

/// What another version has written is shown; nothing is said of whether it is so, and it is not carried on.
#[test]
fn a_run_that_is_not_understood_is_not_called_done() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let (home, at) = (home(), sim.address());
    let arguments =
        ["run", at, "--user", "0", "--uninstall", "com.android.music", "com.android.email", "--yes", "--json"];
    assert_eq!(json(home.path(), &arguments).1, 0);
    let book = rusqlite::Connection::open(home.path().join("logbook.sqlite")).unwrap();
    book.execute("UPDATE steps SET way = 'freeze' WHERE place = 0", []).unwrap();
    let (told, code) = json(home.path(), &["carry-on", at, "1", "--yes", "--json"]);
    let message = told["error"]["message"].as_str().unwrap();
    assert_eq!((code, &told["error"]["kind"]), (2, &object!("usage")), "{told}");
    assert!(message.contains("another version of Wibbet") && message.contains("freeze"), "{message}");
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!(runs["runs"][0]["not_understood"].as_array().unwrap().len(), 1, "{runs}");
    // The rest goes on beside it.
    let (back, code) = json(home.path(), &["put-back", at, "com.android.email", "--user", "0", "--yes", "--json"]);
    assert_eq!((code, outcomes(&back)), (0, vec!["done"]));
}

#[test]
fn without_a_terminal_nothing_is_changed_unasked() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let (home, at, id) = (home(), sim.address(), "com.android.music");
    for arguments in [
        &["run", at, "--user", "0", "--uninstall", id, "--json"][..],
        &["put-back", at, id, "--user", "0", "--json"],
        &["carry-on", at, "--json"],
        &["close", at, "--json"],
    ] {
        let (told, code) = json(home.path(), arguments);
        assert_eq!((code, &told["error"]["kind"]), (2, &object!("usage")), "{arguments:?}: {told}");
    }
    let asked = std::fs::read_to_string(&sim.transcript).unwrap();
    let changes = ["uninstall", "install-existing", "disable", "settings put"];
    assert!(changes.iter().all(|change| !asked.contains(change)), "{asked}");
}

/// The application's label is told even where the home screen has another name, and what steers the reading order is
/// made visible in it; people read it without.
#[test]
fn labels_are_told_as_promised() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let (told, code) = json(home.path(), &["packages", sim.address(), "--language", "ar", "--json"]);
    assert_eq!(code, 0);
    let package = |id: &str| told["packages"].as_array().unwrap().iter().find(|p| p["id"] == id).unwrap();
    let files = package("com.android.documentsui");
    assert_eq!((&files["label"], &files["home"][0]["label"]), (&object!("Files"), &object!("Downloads")));
    assert_eq!(package("com.corvane.tips")["label"], "‹U+200F›نصائح");
    let output = run(home.path(), &["packages", sim.address(), "--language", "ar", "--search", "tips"]);
    let shown = String::from_utf8(output.stdout).unwrap();
    assert!(shown.contains("نصائح") && !shown.contains("200F"), "{shown}");
}

/// A packet as it is on the wire, put together by hand.
fn packet(name: &[u8; 4], arg0: u32, arg1: u32, data: &[u8]) -> Vec<u8> {
    let command = u32::from_le_bytes(*name);
    let sum = data.iter().map(|b| u32::from(*b)).fold(0, u32::wrapping_add);
    let words = [command, arg0, arg1, data.len() as u32, sum, !command];
    [&words.map(u32::to_le_bytes).concat()[..], data].concat()
}

/// A daemon that says hello with a banner, and answers the first stream with some bytes. Its address.
fn odd_daemon(banner: Vec<u8>, answer: Vec<u8>) -> String {
    use std::io::{Read as _, Write as _};
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap().to_string();
    std::thread::spawn(move || {
        for socket in listener.incoming() {
            let (mut socket, mut seen) = (socket.unwrap(), vec![0; 4096]);
            let hello = packet(b"CNXN", 0x0100_0001, 1 << 20, &banner);
            let spoken =
                socket.read(&mut seen).and_then(|_| socket.write_all(&hello)).and_then(|()| socket.read(&mut seen));
            let _ = spoken.and_then(|_| socket.write_all(&answer)).and_then(|()| socket.read_to_end(&mut seen));
        }
    });
    at
}

/// What answers and breaks the protocol is trouble, not a device that is not there; and however much it sends, a message
/// stays short.
#[test]
fn broken_protocols_and_endless_texts() {
    let home = home();
    let okay = packet(b"OKAY", 9, 1, b"");
    let mut endless = packet(b"WRTE", 9, 1, b"");
    endless[12..16].copy_from_slice(&u32::MAX.to_le_bytes());
    let endless = [&okay[..], &endless].concat();
    let mut garbage = okay.clone();
    garbage.extend_from_slice(&[0xee; 4096]);
    let banner = b"device::ro.product.model=m;features=shell_v2".to_vec();
    let strange = [b"device\x1b".to_vec(), vec![b'y'; 1 << 20]].concat();
    for (banner, answer, code, kind) in [
        (banner.clone(), endless, 8, "trouble"),
        (banner.clone(), garbage, 8, "trouble"),
        (strange, Vec::new(), 5, "no-device"),
    ] {
        let at = odd_daemon(banner, answer);
        for command in ["packages", "link"] {
            let (told, seen) = json(home.path(), &[command, &at, "--json"]);
            assert_eq!(seen, code, "{command}: {told}");
            let message = if command == "link" { &told["trouble"]["seen"] } else { &told["error"]["message"] };
            assert!((20..400).contains(&message.as_str().unwrap().len()), "{message}");
            if command == "packages" {
                assert_eq!(told["error"]["kind"], kind, "{told}");
            }
        }
    }
}

#[test]
fn a_reader_that_goes_away_does_no_harm() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let mut child = command(home.path(), &["packages", sim.address()])
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
}

#[test]
fn a_link_tells_its_rungs_and_what_to_do() {
    let mut sim = Sim::start(&["--device", "lost-phone"]);
    let home = home();
    let (told, code) = json(home.path(), &["link", sim.address(), "--json"]);
    assert_eq!((code, &told["trouble"]["name"]), (0, &object!("second-switch")), "{told}");
    assert_eq!((&told["trouble"]["rung"], &told["device"]["link"]), (&object!("changes"), &object!("second-switch")));
    assert!(told["trouble"]["advice"].as_str().unwrap().contains("second switch"));
    let standing = |told: &Value, rung: &str| {
        told["ladder"].as_array().unwrap().iter().find(|r| r["rung"] == rung).unwrap()["standing"].clone()
    };
    assert_eq!((standing(&told, "changes"), standing(&told, "started")), (object!("missing"), object!("holds")));
    let details = &told["device"]["details"];
    assert_eq!((&details["battery"]["percent"], &details["accounts"]), (&object!(31), &object!(1)));
    assert!(details["commands"].as_array().unwrap().contains(&object!("install-existing")), "{details}");
    sim.tell("second-switch on");
    crate::support::wait("the switch", || {
        let (told, _) = json(home.path(), &["link", "CR2-3361-0098", "--json"]);
        standing(&told, "changes") == "holds" && told["device"]["link"] == "ready"
    });
    let (told, code) = json(home.path(), &["link", "NOBODY-1", "--json"]);
    assert_eq!((code, &told["error"]["kind"]), (5, &object!("no-device")));
    let (told, code) = json(home.path(), &["link", "127.0.0.1:1", "--json"]);
    assert_eq!((code, &told["trouble"]["name"]), (5, &object!("no-answer")));
}

#[test]
fn pairing_from_the_command_line_by_code_and_by_qr() {
    let mut sim = Sim::start(&["--device", "seventh-hand"]);
    let home = home();
    let announced = sim.announcements.to_str().unwrap().to_owned();
    let (bench, code) = json(home.path(), &["bench", "--json", "--announcements", &announced]);
    assert_eq!((code, &bench["devices"][0]["link"]), (5, &object!("not-paired")), "{bench}");
    sim.tell("code");
    let shown = sim.says();
    let (at, code) = (shown["pairing"].as_str().unwrap().to_owned(), shown["code"].as_str().unwrap().to_owned());
    let wrong = if code == "000000" { "000001" } else { "000000" };
    let (told, exit) = json(home.path(), &["pair", &at, "--code", wrong, "--json"]);
    assert_eq!((exit, &told["error"]["kind"]), (6, &object!("not-authorised")));
    assert!(told["error"]["message"].as_str().unwrap().contains("not the one"), "{told}");
    let (told, exit) = json(home.path(), &["pair", &at, "--code", &code, "--json"]);
    assert_eq!((exit, &told["paired"]), (0, &object!(true)), "{told}");
    let (told, exit) = json(home.path(), &["pair", &at, "--code", &code, "--json"]);
    assert_eq!(exit, 6);
    assert!(told["error"]["message"].as_str().unwrap().contains("open the dialog again"), "{told}");
    let (packages, exit) = json(home.path(), &["packages", "TG-70007-7", "--json", "--announcements", &announced]);
    assert_eq!((exit, packages["packages"].as_array().unwrap().len()), (0, 211));
    assert_eq!(
        (&packages["device"]["details"]["encrypted"], &packages["device"]["routes"][0]["kind"]),
        (&object!(true), &object!("air"))
    );

    // Another computer, which the device does not know, by QR code.
    let other = tempfile::tempdir().unwrap();
    let mut child = command(other.path(), &["pair", "--qr", "--json", "--announcements", &announced])
        .stderr(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let drawn = {
        use std::io::Read as _;
        let mut stderr = child.stderr.take().unwrap();
        let mut text = String::new();
        let mut piece = [0; 4096];
        while !text.contains("waiting for the device") {
            let count = stderr.read(&mut piece).unwrap();
            assert!(count > 0, "{text}");
            text.push_str(&String::from_utf8_lossy(&piece[..count]));
        }
        text
    };
    sim.tell(&format!("scan {}", crate::qr::read(&drawn)));
    let output = child.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stdout));
}

#[test]
fn closing_switches_debugging_off_and_the_way_back_is_on_the_device() {
    let mut sim = Sim::start(&["--device", "waiting-room-tv"]);
    let home = home();
    let (told, code) = json(home.path(), &["close", sim.address(), "--json"]);
    assert_eq!((code, &told["error"]["kind"]), (2, &object!("usage")), "nobody can be asked");
    let (told, code) = json(home.path(), &["close", sim.address(), "--yes", "--json"]);
    assert_eq!(code, 0, "{told}");
    assert_eq!(told["steps"].as_array().unwrap().last().unwrap()["known"], "the link went with it");
    let (bench, code) = json(home.path(), &["bench", "--json"]);
    assert_eq!((code, &bench["devices"][0]["kind"]), (5, &object!("tv")));
    assert!(run(home.path(), &["link", "TV43-5520-17"]).stdout.len() > 100);
    sim.tell("usb-debugging on");
    crate::support::wait("the TV", || json(home.path(), &["bench", "--json"]).1 == 0);
    let (_, code) = json(home.path(), &["close", "TV43-5520-17", "--keep-debugging", "--forget", "--json"]);
    assert_eq!(code, 0);
    let (bench, _) = json(home.path(), &["bench", "--json"]);
    assert_eq!(bench["devices"], object!([]));
}

#[test]
fn a_serial_that_two_devices_have_has_to_be_said_more_exactly() {
    let file = tempfile::NamedTempFile::new().unwrap();
    let scenario =
        include_str!("../../sim/scenarios/spare-handset.toml").replacen("3d1f77a8c09e6b42", "aaaabbbbccccdddd", 1);
    std::fs::write(file.path(), scenario).unwrap();
    let sim = Sim::start(&["--device", "spare-handset", "--scenario", file.path().to_str().unwrap()]);
    let home = home();
    for (_, address) in &sim.devices {
        assert_eq!(json(home.path(), &["packages", address, "--json"]).1, 0);
    }
    let (told, code) = json(home.path(), &["packages", "OP-66-1083", "--json"]);
    assert_eq!(code, 2);
    let message = told["error"]["message"].as_str().unwrap();
    assert!(message.contains("OP-66-1083.1") && message.contains("OP-66-1083.2"), "{message}");
    for (id, known) in [("OP-66-1083.1", "OP-66-1083"), ("OP-66-1083.2", "OP-66-1083.2")] {
        let (packages, code) = json(home.path(), &["packages", id, "--json"]);
        assert_eq!((code, &packages["device"]["id"]), (0, &object!(known)), "{packages}");
    }
    let rule = run(home.path(), &["usb-rule"]);
    assert!(String::from_utf8(rule.stdout).unwrap().contains("ff4201"));
}

#[test]
fn the_bench_is_watched_until_it_is_told_to_end() {
    use std::io::{BufRead as _, BufReader};
    let mut sim = Sim::start(&["--device", "waiting-room-tv"]);
    let home = home();
    let mut child = command(home.path(), &["bench", "--watch", "--json", "--at", sim.address()])
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut until = |link: &str, what: &dyn Fn(&Value) -> bool| loop {
        let told: Value = serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap();
        if told["link"] == link && what(&told) {
            return told;
        }
    };
    let told = until("ready", &|told| !told["details"].is_null());
    assert_eq!((&told["id"], &told["kind"]), (&object!("TV43-5520-17"), &object!("tv")));
    assert_eq!((&told["details"]["battery"], &told["details"]["started"]), (&Value::Null, &object!(true)));
    assert!(told["trouble"].is_null());
    sim.tell("restart");
    let told = until("lost", &|_| true);
    assert!(told["trouble"].as_str().unwrap().contains(sim.address()));
    until("ready", &|_| true);
    #[cfg(unix)]
    {
        let kill = std::process::Command::new("kill").arg(child.id().to_string()).status().unwrap();
        assert!(kill.success());
        assert_eq!(child.wait().unwrap().code(), Some(0));
    }
    let _ = child.kill();
    let text = run(home.path(), &["bench"]);
    let text = String::from_utf8(text.stdout).unwrap();
    assert!(text.contains("Tarnbek Vista 43") && text.contains("ready"), "{text}");
}

/// What is found, as a table for other programs, and a plain list of ids with what of it is there.
#[test]
fn tables_searches_and_lists() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let at = sim.address();
    let columns = "label,id,states,size,idle";
    let (out, err, code) =
        said(home.path(), &["packages", at, "--csv", "--search", "beach | :star", "--columns", columns]);
    assert_eq!(code, 0, "{err}");
    let lines: Vec<&str> = out.lines().collect();
    assert_eq!(lines[0], r#""label","id","state_0","state_10","size","idle""#);
    assert!(
        lines.len() == 2 && lines[1].starts_with(r#""Beach Finds","net.skerry.offers","in-use","uninstalled","#),
        "{out}"
    );
    let (_, err, code) = said(home.path(), &["packages", at, "--search", ":size>x"]);
    assert!(code == 2 && err.contains("this is no size"), "{err}");
    let list = home.path().join("list.txt");
    std::fs::write(&list, "com.android.egg # gone soon\nno.such.app, nonsense\n").unwrap();
    let list = list.to_str().unwrap();
    let (out, err, code) = said(home.path(), &["packages", at, "--quick", "--from", list]);
    assert!(code == 0 && out.contains("com.android.egg") && !out.contains("com.android.music"), "{out}");
    assert!(err.contains("no.such.app is not on the device") && err.contains("skipped: nonsense"), "{err}");
    let dry = ["run", at, "--user", "0", "--from", list, "--from-disable", "--dry-run"];
    let (out, err, code) = said(home.path(), &dry);
    assert!(out.contains("disable-user --user 0 com.android.egg"), "{code} {out} {err}");
}

/// A copy is its device's own until somebody offers it to the like of it; then it is installed there, and nowhere else.
#[test]
fn a_copy_is_installed_on_another_device_of_the_model_where_that_was_said() {
    let home = home();
    let first = Sim::start(&["--device", "crew-phone"]);
    let own = "com.wrenandkelp.radio";
    let (run, code) =
        json(home.path(), &["run", first.address(), "--user", "0", "--uninstall", own, "--yes", "--json"]);
    assert_eq!(code, 0, "{run}");
    let (copies, _) = json(home.path(), &["copies", "--json"]);
    let number = copies["copies"][0]["number"].as_i64().unwrap().to_string();
    assert_eq!((&copies["copies"][0]["id"], &copies["copies"][0]["offered"]), (&own.into(), &false.into()));
    // The same model, and another one.
    let file = home.path().join("like.toml");
    let like = "serial = \"CT5-0417-9999\"\nmaker = \"Corvane\"\nmodel = \"Tarn 5\"\nproduct = \"tarn5\"\n\
        android = { sdk = 34, release = \"14\", patch = \"2026-09-05\" }\nversion = \"14\"\n\
        users = [{ id = 0, name = \"Crew\", flags = 0x4c13, running = true }]\n\
        [protocol]\nversion = 0x01000001\nmax_data = 0x100000\nfeatures = [\"shell_v2\", \"cmd\", \"stat_v2\"]\n\
        [inventory]\npackages = [{ id = \"android\", path = \"/system/framework/framework-res.apk\" }]\n";
    std::fs::write(&file, like).unwrap();
    let like = Sim::start(&["--scenario", file.to_str().unwrap()]);
    let other = Sim::start(&["--device", "desk-tablet"]);
    let install = |at: &str| said(home.path(), &["install", at, "--copy", &number, "--user", "0", "--yes"]);
    let (_, err, code) = install(like.address());
    assert!(code == 1 && err.contains("--offer"), "{code} {err}");
    let (_, err, code) = said(home.path(), &["copies", "--offer", "77"]);
    assert!(code == 1 && err.contains("no copy 77"), "{code} {err}");
    let (out, _, code) = said(home.path(), &["copies", "--offer", &number]);
    assert!(code == 0 && out.contains("offered to its model"), "{out}");
    let (_, err, code) = install(other.address());
    assert!(code == 1 && err.contains("there is no copy"), "{code} {err}");
    let (out, err, code) = install(like.address());
    assert_eq!(code, 0, "{out} {err}");
    said(home.path(), &["copies", "--withdraw", &number]);
    let (_, err, code) = install(like.address());
    assert!(code == 1 && err.contains("--offer"), "{code} {err}");
}

/// As root: what lay on the partition of the system is kept, comes back to its place, and is nothing to be installed elsewhere.
#[test]
fn what_is_removed_from_the_system_is_put_back_there_alone() {
    let home = home();
    let sim = Sim::start(&["--device", "store-phone"]);
    let at = sim.address();
    let out = ["run", at, "--user", "0", "--root", "--remove-from-system", "com.android.music"];
    let (said_of, _, code) = said(home.path(), &[&out[..], &["android", "--dry-run"]].concat());
    assert!(
        code == 0
            && said_of.contains("not sent   pm remove-from-system")
            && said_of.contains("rm -r /system/app/Music"),
        "{said_of}"
    );
    let (_, _, code) = said(home.path(), &[&out[..], &["--yes"]].concat());
    assert_eq!(code, 0);
    let (shelf, _) = json(home.path(), &["shelf", at, "--json"]);
    assert_eq!(shelf["shelf"][0]["state"], "removed");
    for other in [&["copies", "--offer", "1"][..], &["install", at, "--copy", "1", "--user", "0", "--yes"]] {
        let (_, err, code) = said(home.path(), other);
        assert!(code == 1 && err.contains("put-back has it there again"), "{code} {err}");
    }
    let (out, _, code) = said(home.path(), &["put-back", at, "--all", "--yes"]);
    assert!(code == 1 && out.contains("it takes root"), "{code} {out}");
    let (out, _, code) = said(home.path(), &["put-back", at, "--all", "--root", "--yes"]);
    assert!(code == 0 && out.contains("there again as they were"), "{code} {out}");
}

/// What a run took out comes back as soon as the device can be asked; stopped meanwhile it is a run like any other, to be carried on.
#[cfg(unix)]
#[test]
fn a_catch_begins_at_once_can_be_stopped_and_is_carried_on() {
    let home = home();
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address().to_owned();
    let (_, err, code) = said(home.path(), &["catch", &at, "--yes"]);
    assert!(code == 5 && err.contains("was met before"), "{code} {err}");
    let (_, err, code) = said(home.path(), &["run", &at, "--user", "0", "--uninstall", "com.android.music", "--yes"]);
    assert_eq!(code, 0, "{err}");
    let (_, err, code) = said(home.path(), &["catch", &at]);
    assert!(code == 2 && err.contains("add --yes"), "{code} {err}");
    let (_, err, code) = said(home.path(), &["catch", &at, "--run", "7", "--yes"]);
    assert!(code == 1 && err.contains("run 7"), "{code} {err}");
    sim.tell("restart");
    let catching = command(home.path(), &["catch", &at, "--yes", "--json"])
        .stderr(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    sim.wait_for("install-existing --user 0 com.android.music");
    sim.wait_for("dumpsys package write");
    assert!(std::process::Command::new("kill").args(["-INT", &catching.id().to_string()]).status().unwrap().success());
    let ended = catching.wait_with_output().unwrap();
    let told = String::from_utf8(ended.stderr).unwrap();
    assert!(told.contains("run 2 puts back") && told.contains("stopping after"), "{told}");
    let run: serde_json::Value = serde_json::from_slice(&ended.stdout).unwrap();
    assert_eq!((run["run"].as_i64(), run["state"].as_str()), (Some(2), Some("stopped")), "{run}");
    let (out, err, code) = said(home.path(), &["carry-on", &at, "--yes"]);
    assert!(code == 0 && out.contains("done       reinstall"), "{code} {out} {err}");
    let (_, err, code) = said(home.path(), &["catch", &at, "--yes"]);
    assert!(code == 1 && err.contains("nothing that"), "{code} {err}");
}

/// Round by round, a command each: what is back and what was seen is kept in between, and the culprit is the one that stays back.
#[test]
fn what_broke_it_is_found_by_commands_that_lie_days_apart() {
    let home = home();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address();
    let ids = ["com.android.music", "com.android.egg", "com.corvane.tips", "com.corvane.compass", "com.corvane.radio"];
    let take_out = [&["run", at, "--user", "0", "--disable"][..], &ids, &["--yes"]].concat();
    let (out, err, code) = said(home.path(), &take_out);
    assert_eq!(code, 0, "{out} {err}");
    let (_, err, code) = said(home.path(), &["find-fault", at, "--seen", "gone", "--yes"]);
    assert!(code == 2 && err.contains("no fault finder"), "{code} {err}");
    // What is only shown is not begun, and answers nothing.
    let (out, _, code) = said(home.path(), &["find-fault", at, "--run", "1", "--dry-run"]);
    assert!(code == 0 && out.contains("to send"), "{code} {out}");
    for bad in [
        &["find-fault", at, "--seen", "gone", "--yes"][..],
        &["find-fault", at, "--seen", "gone", "--dry-run"],
        &["find-fault", at, "--seen", "perhaps", "--yes"],
        &["find-fault", at],
    ] {
        assert_eq!(said(home.path(), bad).2, 2, "{bad:?}");
    }
    let (_, err, code) = said(home.path(), &["find-fault", at, "--run", "99", "--yes"]);
    assert!(code == 1 && err.contains("no suspects. Nothing was sent"), "{code} {err}");
    for bad in [&["--check", "dances"][..], &["--check", "answered a.b", "--again"]] {
        assert_eq!(said(home.path(), &[&["find-fault", at, "--yes"][..], bad].concat()).2, 2, "{bad:?}");
    }
    let what = ["find-fault", at, "--run", "1", "--what", "no sound in the evening", "--yes", "--json"];
    let (mut now, code) = json(home.path(), &what);
    assert_eq!((code, now["suspects"].as_array().unwrap().len()), (0, 5));
    // Nobody is asked without a terminal, and the same command says the same.
    assert_eq!(json(home.path(), &["find-fault", at, "--yes", "--json"]).0["back"], now["back"]);
    let mut rounds = 0;
    while now["next"] == "try" {
        rounds += 1;
        assert!(rounds <= 6, "{now}");
        let gone = now["back"].as_array().unwrap().iter().any(|id| id == "com.corvane.compass");
        let seen = if gone { "gone" } else { "still" };
        now = json(home.path(), &["find-fault", at, "--seen", seen, "--yes", "--json"]).0;
    }
    assert_eq!((&now["next"], &now["cause"]), (&Value::from("found"), &Value::from("one")));
    assert_eq!(now["culprits"], object!(["com.corvane.compass"]));
    let (shelf, _) = json(home.path(), &["shelf", at, "--json"]);
    let off: Vec<&str> = shelf["shelf"].as_array().unwrap().iter().map(|e| e["id"].as_str().unwrap()).collect();
    assert!(!off.contains(&"com.corvane.compass") && ids.iter().filter(|id| off.contains(id)).count() == 4, "{off:?}");
    let (why, _, _) = said(home.path(), &["why", at, "com.corvane.compass"]);
    let (packages, _) = json(home.path(), &["packages", at, "--user", "0", "--search", "compass", "--json"]);
    assert!(format!("{why}{packages}").contains("no sound in the evening"), "{packages}");
}

/// How packages are for the owner, in a word each.
fn states(home: &Path, device: &str, ids: &[&str]) -> Vec<String> {
    let all = owner_has(home, device, ids).into_iter();
    all.map(|state| state["state"].as_str().unwrap_or_default().to_owned()).collect()
}

/// What an update of the system did is told, and what a break had back for it goes again, by another bench that was given its file.
#[test]
fn an_update_is_told_and_a_break_for_it_ends_on_another_bench() {
    let (home, other) = (home(), self::home());
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address().to_owned();
    let (_, err, code) = said(home.path(), &["changes", &at]);
    assert!(code == 1 && err.contains("first look"), "{code} {err}");
    let out = ["run", &at, "--user", "0", "--uninstall", "com.corvane.tips", "com.corvane.compass", "--yes"];
    assert_eq!(said(home.path(), &out).2, 0);
    let (out, err, code) = said(home.path(), &["changes", &at]);
    assert!(code == 0 && out.contains("Off now") && out.contains("(run 1)"), "{code} {out} {err}");

    // What a break would be about; nothing is sent for that.
    let (_, err, code) = said(home.path(), &["update-break", &at, "--end", "--yes"]);
    assert!(code == 1 && err.contains("on no update break"), "{code} {err}");
    let (out, err, code) = said(home.path(), &["update-break", &at]);
    assert!(code == 0 && out.contains("com.corvane.compass") && err.contains("itself needs no break"), "{out} {err}");
    let file = home.path().join("break.toml");
    let file = file.to_str().unwrap();
    let (_, err, code) = said(home.path(), &["update-break", &at, "--begin", "--file", file]);
    assert!(code == 2 && err.contains("--yes"), "{code} {err}");
    let (_, _, code) = said(home.path(), &["update-break", &at, "--begin", "--dry-run"]);
    assert_eq!((code, states(home.path(), &at, &["com.corvane.tips"])), (0, vec!["uninstalled".to_owned()]));
    let begin = ["update-break", &at, "--begin", "--file", file, "--yes"];
    std::fs::write(file, "somebody's").unwrap();
    let (_, err, code) = said(home.path(), &begin);
    assert!(code == 2 && err.contains("is there already"), "{code} {err}");
    let (none, _) = json(home.path(), &["update-break", &at, "--json"]);
    assert_eq!(none["update_break"], Value::Null, "nothing was begun");
    std::fs::remove_file(file).unwrap();
    let (out, err, code) = said(home.path(), &begin);
    assert!(code == 0 && err.contains("is on break"), "{code} {out} {err}");
    let both = ["com.corvane.tips", "com.corvane.compass"];
    assert_eq!(states(home.path(), &at, &both), ["in-use", "in-use"]);
    let (stands, _) = json(home.path(), &["update-break", &at, "--json"]);
    assert_eq!((&stands["updated"], stands["can_go"].as_array().unwrap().len()), (&object!(false), 2));

    sim.tell("update");
    sim.wait_for("restart");
    crate::support::wait("the packages of the new build", || {
        let (found, code) = json(home.path(), &["packages", &at, "--user", "0", "--json"]);
        code == 0 && found["packages"].as_array().unwrap().iter().any(|one| one["id"] == "com.corvane.guidebook")
    });
    let (told, _) = json(home.path(), &["changes", &at, "--since", "run-2", "--json"]);
    let of = |kind: &str| {
        let all = told["changes"].as_array().unwrap().iter().filter(|one| one["change"] == kind);
        all.map(|one| (one["id"].as_str().unwrap(), one["by"].as_str().unwrap())).collect::<Vec<_>>()
    };
    assert!(of("new").contains(&("com.corvane.guidebook", "system-update")), "{told}");
    assert_eq!(of("gone"), [("com.corvane.lockmagazine", "system-update")]);
    assert!(told["since"]["build"] != told["now"]["build"]);

    // Another bench, which knows of no break, ends it by the file.
    let stranger = Sim::start(&["--device", "desk-tablet"]);
    let (_, err, code) = said(other.path(), &["update-break", stranger.address(), "--end", "--from", file, "--yes"]);
    assert!(code == 2 && err.contains("tells of a break of CT5-0417-2291"), "{code} {err}");
    let (out, err, code) = said(other.path(), &["update-break", &at, "--end", "--from", file, "--yes"]);
    assert!(code == 0 && err.contains("the break has ended"), "{code} {out} {err}");
    assert!(err.contains("new: com.corvane.guidebook"), "{err}");
    assert_eq!(states(home.path(), &at, &both), ["uninstalled", "uninstalled"]);
    let (out, _, code) = said(home.path(), &["changes", &at, "--looks"]);
    assert!(code == 0 && out.lines().count() >= 4 && out.contains("build CTN5.14.1103"), "{out}");
    let (_, err, code) = said(home.path(), &["changes", &at, "--since", "yesterday"]);
    assert!(code == 2 && err.contains("run-NUMBER"), "{err}");
    std::fs::write(file, "[order]\nformat = 1\nname = 5\n").unwrap();
    let (_, err, code) = said(other.path(), &["update-break", &at, "--end", "--from", file, "--yes"]);
    assert!(code == 2 && err.contains("line 3"), "{err}");
}

/// What a store brought back is a tray that takes it out again.
#[test]
fn what_came_back_goes_again_as_a_tray() {
    let home = home();
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address().to_owned();
    let out = ["run", &at, "--user", "0", "--uninstall", "com.corvane.browser", "--yes"];
    assert_eq!(said(home.path(), &out).2, 0);
    assert_eq!(said(home.path(), &["packages", &at]).2, 0);
    assert_eq!(said(home.path(), &["changes", &at, "--tray"]), (String::new(), String::new(), 1));
    sim.tell("update-apps");
    crate::support::wait("the browser", || states(home.path(), &at, &["com.corvane.browser"]) == ["in-use"]);
    let (out, err, code) = said(home.path(), &["changes", &at, "--since", "run-1"]);
    assert!(code == 0 && out.contains("Came back") && err.contains("--tray"), "{out} {err}");
    let (tray, _, code) = said(home.path(), &["changes", &at, "--tray"]);
    assert_eq!((tray.as_str(), code), ("uninstall 0 com.corvane.browser\n", 0));
    let file = home.path().join("again.txt");
    std::fs::write(&file, tray).unwrap();
    assert_eq!(said(home.path(), &["run", &at, "--tray", file.to_str().unwrap(), "--yes"]).2, 0);
    assert_eq!(states(home.path(), &at, &["com.corvane.browser"]), ["uninstalled"]);
}

/// Where something tells it by itself one command finds it.
#[test]
fn what_broke_it_is_found_by_one_command_with_a_check() {
    let home = home();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address();
    let hotword = "com.corvane.assistant.hotword";
    let ids = ["com.android.music", "com.android.egg", "com.corvane.tips", hotword, "com.corvane.radio"];
    let take_out = [&["run", at, "--user", "0", "--disable"][..], &ids, &["--yes"]].concat();
    assert_eq!(said(home.path(), &take_out).2, 0);
    let check = "answered com.corvane.assistant.action.HOTWORD";
    let (found, code) = json(home.path(), &["find-fault", at, "--run", "1", "--check", check, "--yes", "--json"]);
    assert_eq!((code, &found["next"], &found["culprits"]), (0, &object!("found"), &object!([hotword])), "{found}");
    assert_eq!(found["check"], check);
    let off = states(home.path(), at, &ids).into_iter().filter(|state| state == "disabled").count();
    assert_eq!((off, states(home.path(), at, &[hotword])), (4, vec!["in-use".to_owned()]));
}

/// What goes with the program: completions for each shell, and a man page for each command.
#[test]
fn completions_and_man_pages_are_made() {
    let home = home();
    for (shell, has) in [("bash", "complete -F"), ("zsh", "#compdef wibbet"), ("fish", "complete -c wibbet")] {
        let (script, err, code) = said(home.path(), &["completions", shell]);
        assert!(code == 0 && script.contains(has) && script.contains("find-fault"), "{shell}: {err}");
    }
    assert_eq!(said(home.path(), &["completions", "abacus"]).2, 2);
    let (version, _, _) = said(home.path(), &["--version"]);
    assert!(version.starts_with(concat!("wibbet ", env!("CARGO_PKG_VERSION"))), "{version}");
    let folder = home.path().join("man");
    let (_, err, code) = said(home.path(), &["man", folder.to_str().unwrap()]);
    assert_eq!(code, 0, "{err}");
    for (page, has) in
        [("wibbet.1", "SUBCOMMANDS"), ("wibbet-update-break.1", "despite\\-holds"), ("wibbet-run.1", "tray")]
    {
        let text = std::fs::read_to_string(folder.join(page)).unwrap();
        assert!(text.contains(has), "{page}");
    }
    let (_, err, code) = said(home.path(), &["man", "/dev/null/man"]);
    assert!(code == 8 && err.contains("could not be written"), "{code} {err}");
}

/// What this computer lacks is told with what to do about it.
#[test]
fn the_doctor_looks_at_this_computer() {
    let home = home();
    let checks = |arguments: &[&str], locale: &str| {
        let output = command(home.path(), arguments).env("LC_ALL", locale).output().unwrap();
        let told: Value = serde_json::from_slice(&output.stdout).unwrap();
        (told["checks"].as_array().unwrap().clone(), output.status.code().unwrap())
    };
    let of = |checks: &[Value], name: &str| checks.iter().find(|check| check["name"] == name).unwrap().clone();
    let (all, code) = checks(&["doctor", "--json"], "C.UTF-8");
    assert_eq!((code, &of(&all, "data")["holds"], &of(&all, "cables")["holds"]), (0, &object!(true), &Value::Null));
    let (all, code) = checks(&["doctor", "--json"], "C");
    let characters = of(&all, "characters");
    assert!(code == 3 && characters["holds"] == false && characters["do"].is_string(), "{characters}");
    std::fs::write(home.path().join("logbook.sqlite"), "no logbook at all, but a text that somebody has left here")
        .unwrap();
    let (all, code) = checks(&["doctor", "--json"], "C.UTF-8");
    assert!(code == 3 && of(&all, "logbook")["holds"] == false, "{all:?}");
}

/// The record is checked, copied and, for one device, erased with a receipt; the files of its copies go too.
#[test]
fn the_logbook_is_looked_after() {
    let home = home();
    for empty in [&["logbook", "check"][..], &["logbook", "backup", "x.sqlite"], &["logbook", "erase", "X", "--yes"]] {
        let (_, err, code) = said(home.path(), empty);
        assert!(code == 1 && err.contains("no logbook yet"), "{code} {err}");
    }
    let sim = Sim::start(&["--device", "crew-phone", "--device", "desk-tablet"]);
    let (phone, tablet) = (sim.devices[0].1.as_str(), sim.devices[1].1.as_str());
    for at in [phone, tablet] {
        assert_eq!(said(home.path(), &["run", at, "--user", "0", "--disable", "com.android.egg", "--yes"]).2, 0);
    }
    let own = ["run", phone, "--user", "0", "--uninstall", "com.wrenandkelp.radio", "--yes"];
    assert_eq!(said(home.path(), &own).2, 0);
    assert!(home.path().join("copies/CT5-0417-2291").exists());
    let (checked, code) = json(home.path(), &["logbook", "check", "--json"]);
    assert_eq!(
        (code, &checked["devices"], &checked["runs"], &checked["wrong"]),
        (0, &object!(2), &object!(3), &object!([]))
    );
    let copy = home.path().join("backup.sqlite");
    let backup = ["logbook", "backup", copy.to_str().unwrap()];
    assert_eq!(said(home.path(), &backup).2, 0);
    assert_eq!(said(home.path(), &backup).2, 8, "nothing is written over");
    assert_eq!(said(home.path(), &["logbook", "erase", "CT5-0417-2291"]).2, 2, "unasked nothing is erased");
    assert_eq!(said(home.path(), &["logbook", "erase", "NO-SUCH", "--yes"]).2, 1);
    let (receipt, code) = json(home.path(), &["logbook", "erase", "CT5-0417-2291", "--yes", "--json"]);
    assert_eq!(
        (code, &receipt["rows"]["runs"], &receipt["rows"]["copies"]),
        (0, &object!(2), &object!(1)),
        "{receipt}"
    );
    assert_eq!(receipt["left"], object!([]));
    assert!(!home.path().join("copies/CT5-0417-2291").exists(), "its folder is empty, and gone");
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    let of: Vec<&str> = runs["runs"].as_array().unwrap().iter().map(|run| run["serial"].as_str().unwrap()).collect();
    assert_eq!(of, ["OS11-88-0402"]);
    let logbook = std::fs::read(home.path().join("logbook.sqlite")).unwrap();
    assert!(!logbook.windows(13).any(|at| at == b"CT5-0417-2291"), "not in its free pages either");
}

/// Behind a factory reset what was out of the device before is offered, on a logbook that has no look at the new one yet.
#[test]
fn behind_a_reset_what_was_out_is_a_tray() {
    let home = home();
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address().to_owned();
    let ids = ["com.corvane.compass", "com.corvane.tips"];
    let out = [&["run", &at, "--user", "0", "--uninstall"][..], &ids, &["--yes"]].concat();
    assert_eq!(said(home.path(), &out).2, 0);
    sim.tell("factory-reset");
    sim.wait_for("restart");
    sim.tell("usb-debugging on");
    crate::support::wait("the device as it came out of its box", || {
        let (_, err, code) = said(home.path(), &["changes", &at]);
        (code == 1 && err.contains("behind a factory reset")) || err.contains("2 that was out there is in use here")
    });
    let (tray, err, code) = said(home.path(), &["changes", &at, "--tray"]);
    assert_eq!((tray.lines().count(), code), (2, 0), "{tray} {err}");
    let file = home.path().join("again.txt");
    std::fs::write(&file, tray).unwrap();
    assert_eq!(said(home.path(), &["run", &at, "--tray", file.to_str().unwrap(), "--yes"]).2, 0);
    assert_eq!(states(home.path(), &at, &ids), ["uninstalled", "uninstalled"]);
    assert_eq!(said(home.path(), &["changes", &at, "--tray"]).2, 1, "it is known for what it is now");
}

/// A tray out of a file: its own way for each package and user, in one run; a line that is wrong is named, and nothing is asked of
/// the device then.
#[test]
fn a_tray_is_a_file() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let at = sim.address();
    let file = home.path().join("tray.txt");
    let path = file.to_str().unwrap();
    std::fs::write(&file, "# piers\ndisable 0 com.android.egg\nfly 0 com.android.music\n").unwrap();
    let (_, err, code) = said(home.path(), &["run", at, "--tray", path, "--yes"]);
    assert!(code == 2 && err.contains("line 3: "), "{code} {err}");
    let (_, err, code) = said(home.path(), &["run", at, "--tray", path, "--uninstall", "com.android.egg", "--yes"]);
    assert!(code == 2 && err.contains("--user"), "{code} {err}");
    std::fs::write(
        &file,
        "disable 0 com.android.egg\nuninstall\t10 com.android.bookmarkprovider\nforce-stop 0 com.android.music\n",
    )
    .unwrap();
    let (_, err, code) =
        said(home.path(), &["run", at, "--tray", path, "--user", "0", "--uninstall", "com.android.egg", "--yes"]);
    assert!(code == 2 && err.contains("two ways, for user 0"), "{code} {err}");
    let (run, code) = json(home.path(), &["run", at, "--tray", path, "--yes", "--json"]);
    assert_eq!(code, 0, "{run}");
    let done = |n: usize| {
        let step = &run["steps"][n];
        let word = |name: &str| step[name].as_str().unwrap().to_owned();
        format!("{} {} {} {}", word("way"), step["user"], word("id"), word("outcome"))
    };
    let mut all = [done(0), done(1), done(2)];
    all.sort();
    assert_eq!(
        all,
        [
            "disable 0 com.android.egg done",
            "force-stop 0 com.android.music done",
            "uninstall 10 com.android.bookmarkprovider done"
        ]
    );
    let (out, _, code) = said(
        home.path(),
        &["packages", at, "--quick", "--csv", "--search", "bookmarkprovider", "--columns", "id,states"],
    );
    assert!(code == 0 && out.contains(r#""com.android.bookmarkprovider","in-use","uninstalled""#), "{out}");
}

/// What is foretold is what breaks: every package of every simulated device taken out by itself, and 504 trays. The figures are
/// what is promised; the misses are printed where one of them is not kept.
#[test]
fn what_is_foretold_is_what_breaks() {
    let home = home();
    let (report, code) = json(home.path(), &["score", "--json"]);
    assert_eq!(code, 0);
    let devices = report["devices"].as_array().unwrap();
    assert_eq!(devices.len(), 8);
    for one in devices {
        let number = |name: &str| one[name].as_u64().unwrap();
        assert!(number("weighty") * 4 <= number("in_use"), "{one}");
    }
    for (kind, precision, recall) in [("start", 0.8, 1.0), ("role", 0.8, 0.95), ("need", 0.8, 0.95)] {
        let score = &report["kinds"][kind];
        let at_least = |name: &str, least: f64| score[name].as_f64().unwrap() >= least;
        assert!(at_least("precision", precision) && at_least("recall", recall), "{kind}: {score:#}");
        assert!(score["broke"].as_u64().unwrap() > 40, "{kind}");
    }
    let trays = &report["trays"];
    let number = |name: &str| trays[name].as_u64().unwrap();
    assert_eq!((number("tried"), number("starts_missed")), (504, 0), "{trays}");
    assert!(number("roles_broke") > 1000 && number("roles_foretold") * 100 >= number("roles_broke") * 95, "{trays}");
    assert_eq!(report["free_and_needed"], object!([]));
}

/// Drawings into files, beside what is said; and why not, where one cannot be written.
#[test]
fn what_ties_packages_is_drawn() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let file = |name: &str| home.path().join(name).display().to_string();
    let (svg, pdf) = (file("ties.svg"), file("ties.pdf"));
    let tied = ["why", sim.address(), "com.corvane.weather.provider", "--json", "--svg", &svg, "--pdf", &pdf];
    let (why, code) = json(home.path(), &tied);
    assert_eq!((code, &why["packages"][0]["verdict"]), (0, &object!("held")));
    let drawn = std::fs::read_to_string(&svg).unwrap();
    assert!(drawn.contains("com.corvane.weather.provider") && drawn.contains("1 leans on it"), "{drawn}");
    assert!(std::fs::read(&pdf).unwrap().starts_with(b"%PDF-"));
    let tray =
        ["upshot", sim.address(), "--user", "0", "10", "--uninstall", "com.corvane.weather.provider", "--svg", &svg];
    assert_eq!(run(home.path(), &tray).status.code(), Some(0));
    let drawn = std::fs::read_to_string(&svg).unwrap();
    assert!(drawn.contains("1 loses what it needs:") && drawn.contains("user 10 Pellmoor work"), "{drawn}");
    let nowhere = file("no/such/folder.pdf");
    let (_, err, code) = said(home.path(), &["why", sim.address(), "com.android.egg", "--pdf", &nowhere]);
    assert!(code != 0 && err.contains("the drawing was not written to"), "{code} {err}");
}

/// A restart is asked for, in order, and seen to end.
#[test]
fn a_restart_loses_nothing_and_is_waited_for() {
    let sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    assert_eq!(run(home.path(), &["restart", sim.address()]).status.code(), Some(2), "nobody there to ask");
    let out = ["run", sim.address(), "--user", "0", "--yes", "--json", "--uninstall", "com.android.music"];
    assert_eq!(json(home.path(), &out).1, 0);
    let (restarted, code) = json(home.path(), &["restart", sim.address(), "--yes", "--wait", "--json"]);
    assert_eq!((code, &restarted["restarted"]), (0, &object!(true)));
    let transcript = std::fs::read_to_string(&sim.transcript).unwrap();
    let at = |what: &str| transcript.rfind(what).unwrap_or_else(|| panic!("{what}: {transcript}"));
    assert!(at("dumpsys package write") < at("svc power reboot"), "written down first");
    let (shelf, _) = json(home.path(), &["shelf", sim.address(), "--user", "0", "--json"]);
    assert_eq!(shelf["shelf"][0]["id"], "com.android.music", "and still off");
}

/// What lies in a private space is told only to whoever asks for it by number.
#[test]
fn a_private_space_is_not_on_the_shelf_unasked() {
    let crew = include_str!("../../sim/scenarios/crew-phone.toml");
    let private =
        crew.replace("running = true, few_apps = true }", "running = true, few_apps = true, private = true }");
    assert_ne!(crew, private);
    let home = home();
    let file = home.path().join("private.toml");
    std::fs::write(&file, private).unwrap();
    let sim = Sim::start(&["--scenario", file.to_str().unwrap()]);
    let (shelf, _) = json(home.path(), &["shelf", sim.address(), "--json"]);
    assert!(shelf["shelf"].as_array().unwrap().iter().all(|entry| entry["user"] == 0), "{shelf}");
    assert_eq!(shelf["not_given"], object!({}));
    let (shelf, _) = json(home.path(), &["shelf", sim.address(), "--user", "10", "--json"]);
    assert!(shelf["not_given"]["10"].is_number(), "{shelf}");
    // Nor is it in what is kept of each look, or in a break and its file, though a run took something out there.
    let at = sim.address();
    let there = said(home.path(), &["run", at, "--user", "10", "--disable", "com.corvane.telemetry", "--yes"]);
    assert_eq!(there.2, 0, "{there:?}");
    let (stands, _) = json(home.path(), &["update-break", at, "--json"]);
    assert_eq!((&stands["out"], &stands["left_out"]), (&object!([]), &object!(1)), "{stands}");
    let (told, _) = json(home.path(), &["changes", at, "--json"]);
    assert!(told["changes"].as_array().unwrap().iter().all(|one| one["user"] != 10), "{told}");
    let book = wibbet_logbook::Logbook::open(home.path()).unwrap();
    let device = book.devices().unwrap()[0].facts.id.clone();
    for head in book.looks(&device).unwrap() {
        let look = book.look(&head).unwrap().unwrap();
        assert!(look.packages.values().all(|one| one.states.keys().all(|user| user.number() == 0)));
        assert!(look.roles.keys().all(|role| role.user.number() == 0));
    }
}

/// An app that somebody installed goes with a copy kept, in a run with a policy and a job; it is on the shelf, comes back from the
/// copy, and the copy's files install it for somebody else too. Files are brought both ways.
#[test]
fn an_own_app_goes_and_comes_back_and_files_are_brought() {
    const APP: &str = "com.wrenandkelp.radio";
    let sim = Sim::start(&["--device", "crew-phone", "--fault", "refuse=com.android.calendar:-1000"]);
    let home = home();
    let at = sim.address();
    let job = ["--technician", "Ines", "--ticket", "P-77", "--note", "radio app goes"];
    let out = [
        "run",
        at,
        "--user",
        "0",
        "--uninstall",
        APP,
        "com.android.calendar",
        "--policy",
        "disable",
        "--yes",
        "--json",
    ];
    let (ran, code) = json(home.path(), &[&out[..], &job].concat());
    assert_eq!(code, 0, "the policy did it: {ran}");
    let ways: Vec<(&str, &str)> = ran["steps"]
        .as_array()
        .unwrap()
        .iter()
        .map(|step| (step["way"].as_str().unwrap(), step["outcome"].as_str().unwrap()))
        .collect();
    assert!(ways.contains(&("disable", "done")) && ways.contains(&("uninstall", "refused")), "{ran}");
    assert_eq!((&ran["policy"], &ran["job"]["ticket"]), (&object!("disable"), &object!("P-77")));
    let copy = ran["steps"].as_array().unwrap().iter().find(|step| step["id"] == APP).unwrap()["copy"].clone();
    assert!(copy.is_i64(), "{ran}");
    let (found, _) = json(home.path(), &["runs", "--search", "p-77 ines", "--json"]);
    assert_eq!(found["runs"].as_array().unwrap().len(), 1);
    let (found, _) = json(home.path(), &["runs", "--search", "p-78", "--json"]);
    assert!(found["runs"].as_array().unwrap().is_empty());

    let (shelf, _) = json(home.path(), &["shelf", at, "--user", "0", "--json"]);
    let entry = shelf["shelf"].as_array().unwrap().iter().find(|entry| entry["id"] == APP);
    assert_eq!(entry.unwrap()["copy"], copy, "{shelf}");
    let (back, code) = json(home.path(), &["put-back", at, "--run", "1", "--yes", "--json"]);
    assert_eq!(code, 0, "{back}");
    assert!(back["steps"].as_array().unwrap().iter().any(|step| step["way"] == "install-copy" && step["copy"] == copy));

    // The files of the copy are an app that can be installed for another user.
    let folder = walk(home.path()).into_iter().find(|path| path.ends_with(APP)).unwrap();
    let files = folder.to_str().unwrap();
    let (dry, code) = json(home.path(), &["install", at, files, "--user", "10", "--dry-run", "--json"]);
    assert_eq!((code, &dry["steps"][0]["way"]), (0, &object!("install-copy")), "{dry}");
    let given = |home: &Path| walk(home).iter().filter(|path| path.to_string_lossy().contains("/given-")).count();
    assert_eq!(given(home.path()), 0, "what was only looked at leaves nothing behind");
    let (installed, code) = json(home.path(), &["install", at, files, "--user", "10", "--yes", "--json"]);
    assert_eq!(given(home.path()), 1);
    assert_eq!((code, &installed["kind"]), (0, &object!("install")), "{installed}");
    let (packages, _) = json(home.path(), &["packages", at, "--search", APP, "--json"]);
    let states = &packages["packages"][0]["states"];
    assert_eq!((&states["0"]["state"], &states["10"]["state"]), (&object!("in-use"), &object!("in-use")), "{states}");

    // Both ways, byte for byte.
    let file = home.path().join("a note.txt");
    std::fs::write(&file, b"for the customer").unwrap();
    let (pushed, code) = json(home.path(), &["push", at, file.to_str().unwrap(), "/sdcard/Download/", "--json"]);
    assert_eq!((code, &pushed["same"], &pushed["there"]), (0, &object!(true), &object!("/sdcard/Download/a note.txt")));
    let there = home.path().join("back.txt");
    let (pulled, code) =
        json(home.path(), &["pull", at, "/sdcard/Download/a note.txt", there.to_str().unwrap(), "--json"]);
    assert_eq!((code, &pulled["sha256"]), (0, &pushed["sha256"]), "{pulled}");
    assert_eq!(std::fs::read(&there).unwrap(), b"for the customer");
    // Nothing is written over, and what is not there is said.
    for arguments in [
        ["pull", at, "/sdcard/Download/a note.txt", there.to_str().unwrap()],
        ["pull", at, "/sdcard/none", "none"],
        ["push", at, file.to_str().unwrap(), "/system/x"],
        ["install", at, file.to_str().unwrap(), "--user=0"],
    ] {
        assert_ne!(
            run(home.path(), &[&arguments[..], &["--yes"][usize::from(arguments[0] != "install")..]].concat())
                .status
                .code(),
            Some(0),
            "{arguments:?}"
        );
    }
}

/// All folders below one.
fn walk(folder: &Path) -> Vec<std::path::PathBuf> {
    let own = std::fs::read_dir(folder)
        .into_iter()
        .flatten()
        .flatten()
        .map(|entry| entry.path())
        .filter(|path| path.is_dir());
    own.flat_map(|path| [vec![path.clone()], walk(&path)].concat()).collect()
}

/// Behind a run the device is measured, restarted and looked at again, and what fails is held against what went.
#[test]
fn what_a_device_is_behind_a_run_is_told_and_kept() {
    let sim = Sim::start(&["--device", "crew-phone", "--fault", "comes-back=com.android.egg"]);
    let (home, at) = (home(), sim.address());
    let provider = "com.corvane.weather.provider";
    let words = ["run", at, "--user", "0", "--uninstall", provider, "com.android.calendar", "--yes", "--json"];
    let output = run(home.path(), &[&words[..], &["--figures", "--restart", "--watch", "0"]].concat());
    let (told, err): (Value, _) =
        (serde_json::from_slice(&output.stdout).unwrap(), String::from_utf8_lossy(&output.stderr).into_owned());
    assert_eq!(output.status.code(), Some(0), "{told} {err}");
    assert!(err.contains("started up, and all that was done is so still"), "{err}");
    let figures = &told["figures"];
    let in_use = |when: &str| figures[when]["in_use"]["0"].as_i64().unwrap();
    assert_eq!(in_use("before") - in_use("after"), 2, "{figures}");
    assert!(figures["before"]["free"].as_i64() < figures["after"]["free"].as_i64(), "{figures}");
    assert!(figures["before"]["memory"].is_i64(), "{figures}");
    let seen: Vec<&str> = told["seen_after"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    let due = format!("com.corvane.weather crashed for user 0: it names what {provider} was there for");
    assert!(seen.iter().any(|words| words.starts_with(&due)), "{seen:?}");
    // What had failed before stands in no run's way.
    assert!(!seen.iter().any(|words| words.contains("com.android.email")), "{seen:?}");
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!((&runs["runs"][0]["seen_after"], &runs["runs"][0]["figures"]), (&told["seen_after"], figures));
}

/// What is done by hand: a picture of the screen, and a restart into what it does not come back from by itself.
#[test]
fn a_picture_is_taken_and_a_device_is_sent_to_its_bootloader() {
    let sim = Sim::start(&["--device", "spare-handset"]);
    let (home, at) = (home(), sim.address());
    let file = home.path().join("screen.png");
    let words = ["picture", at, file.to_str().unwrap(), "--json"];
    let (told, code) = json(home.path(), &words);
    let bytes = std::fs::read(&file).unwrap();
    assert_eq!((code, told["bytes"].as_u64()), (0, Some(bytes.len() as u64)), "{told}");
    assert!(bytes.starts_with(b"\x89PNG") && bytes.len() > 100);
    assert_eq!(json(home.path(), &words).1, 2, "nothing is written over");
    let (told, code) = json(home.path(), &["restart", at, "--to", "bootloader", "--yes", "--wait", "--json"]);
    assert_eq!((code, &told["restarted"]), (0, &Value::Null), "{told}");
    sim.wait_for("svc power reboot bootloader");
    assert_eq!(json(home.path(), &["packages", at, "--quick", "--json"]).1, 5);
    assert_eq!(run(home.path(), &["restart", at, "--to", "moon", "--yes"]).status.code(), Some(2));
}

/// Root is asked for by an option of its own; what takes it goes and comes back, and a device without is told before anything is sent.
#[test]
fn with_root_packages_are_hidden_and_come_back() {
    let sim = Sim::start(&["--device", "store-phone", "--device", "crew-phone"]);
    let home = home();
    let (at, other) = (sim.devices[0].1.as_str(), sim.devices[1].1.as_str());
    let hide = ["--user", "0", "--hide", "com.android.music", "--yes", "--json"];
    assert_eq!(run(home.path(), &[&["run", at][..], &hide].concat()).status.code(), Some(2), "it takes --root");
    let (told, code) = json(home.path(), &[&["run", at, "--root"][..], &hide].concat());
    assert_eq!((code, outcomes(&told)), (0, vec!["done"]), "{told}");
    assert_eq!(told["steps"][0]["words"], "su -c 'pm hide --user 0 com.android.music'");
    let back = ["put-back", at, "--all", "--yes", "--json"];
    let (stuck, code) = json(home.path(), &back);
    assert_eq!((code, outcomes(&stuck)), (1, vec!["skipped"]), "{stuck}");
    let (told, code) = json(home.path(), &[&back[..], &["--root"]].concat());
    assert_eq!((code, outcomes(&told)), (0, vec!["done"]), "{told}");
    let (told, code) = json(home.path(), &[&["run", other, "--root"][..], &hide].concat());
    assert_eq!(code, 1, "{told}");
    assert!(told["error"]["message"].as_str().unwrap().contains("does not give root"), "{told}");
}

/// A run becomes an order; it is held against devices of three makers and carried out on them at once, one of which refuses and one of
/// which loses its cable; each has a run of its own that names the order.
#[test]
fn a_run_becomes_an_order_for_the_next_devices() {
    let home = home();
    let phone = Sim::start(&["--device", "crew-phone"]);
    let mut tablet = Sim::start(&["--device", "desk-tablet", "--fault", "work=300:10"]);
    let tv = Sim::start(&[
        "--device",
        "waiting-room-tv",
        "--fault",
        "refuse=com.android.music:DELETE_FAILED_INTERNAL_ERROR",
    ]);
    let taken = ["com.corvane.tips", "com.android.egg", "com.android.music"];
    let run = [&["run", phone.address(), "--user", "0", "--yes", "--uninstall"][..], &taken].concat();
    assert_eq!(said(home.path(), &run).2, 0);

    let file = |name: &str| home.path().join(name).to_str().unwrap().to_owned();
    let (order, list) = (file("crew.toml"), file("crew.csv"));
    let made = ["order", "make", phone.address(), "--run", "1", "--to", &order, "--name", "Crew phones"];
    let (_, err, code) = said(home.path(), &made);
    assert!(code == 0 && err.contains("3 items"), "{code} {err}");
    let (_, err, code) = said(home.path(), &made);
    assert!(code == 2 && err.contains("is there already"), "{code} {err}");
    let text = std::fs::read_to_string(&order).unwrap();
    assert!(text.contains("holds = []") && text.contains("note = \"Tips\""), "{text}");
    // Lists of every form, there and back.
    assert_eq!(said(home.path(), &["order", "make", "--from", &order, "--to", &list]).2, 0);
    assert!(
        std::fs::read_to_string(&list)
            .unwrap()
            .starts_with("id,way,users,only_if,unless,note\ncom.corvane.tips,uninstall,")
    );
    let (out, _, code) = said(home.path(), &["order", "make", "--from", &list, "--to", "-"]);
    assert!(code == 0 && out.contains("id = \"com.android.egg\""), "{out}");
    let (out, _, code) = said(home.path(), &["order", "schema"]);
    assert!(code == 0 && serde_json::from_str::<Value>(&out).unwrap()["properties"]["item"].is_object());

    // What it comes to; nothing is sent for that.
    let devices = [phone.address(), tablet.address(), tv.address()];
    let (told, code) = json(home.path(), &[&["order", "check", &order, "--json"][..], &devices].concat());
    assert_eq!((code, &told["dry_run"]), (1, &object!(true)), "{told}");
    let fates = |n: usize| -> Vec<String> {
        let lines = told["devices"][n]["lines"].as_array().unwrap().iter();
        lines.map(|line| line["fate"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(fates(0), ["already-so", "already-so", "already-so"]);
    assert_eq!((fates(1), fates(2)), (vec!["not-there".into(), "goes".into(), "goes".into()], fates(1)));
    let (out, _, code) = said(home.path(), &["order", "check", &order]);
    assert!(code == 0 && out.contains("Crew phones") && out.contains("(Tips)"), "{out}");
    assert_eq!(states(home.path(), tablet.address(), &["com.android.egg"]), ["in-use"]);
    let apply = |more: &[&str]| {
        let words = [&["order", "apply", &order][..], more, &devices].concat();
        let words: Vec<String> = words.into_iter().map(str::to_owned).collect();
        words
    };
    let words = apply(&[]);
    let (_, err, code) = said(home.path(), &words.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(code == 2 && err.contains("--yes"), "{code} {err}");

    let twice = ["order", "check", &order, tv.address(), &tv.devices[0].0, "--at", tv.address()];
    let (out, _, code) = said(home.path(), &twice);
    assert!(code == 2 && out.contains("was named as"), "{code} {out}");

    // The cable of the tablet goes in the middle, and comes back.
    let words = apply(&["--ticket", "P-9", "--yes", "--json"]);
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let going = command(home.path(), &words).stdout(std::process::Stdio::piped()).spawn().unwrap();
    tablet.wait_for("package uninstall");
    tablet.tell("fault cut=from:1");
    let output = going.wait_with_output().unwrap();
    let told: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(3), "{told}");
    let device = |n: usize| &told["devices"][n];
    assert_eq!((&device(0)["exit"], &device(0)["run"]), (&object!("nothing-done"), &Value::Null));
    assert_eq!((&device(1)["exit"], outcomes(&device(1)["run"])), (&object!("done"), vec!["done", "done"]), "{told}");
    assert_eq!((&device(2)["exit"], outcomes(&device(2)["run"])), (&object!("partly-done"), vec!["done", "refused"]));
    let gone = ["com.android.egg", "com.android.music"];
    assert_eq!(states(home.path(), tablet.address(), &gone), ["uninstalled", "uninstalled"]);
    assert_eq!(states(home.path(), tv.address(), &gone), ["uninstalled", "in-use"]);
    let (runs, _) = json(home.path(), &["runs", "--search", "crew phones p-9", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 2, "{runs}");
    assert_eq!(runs["runs"][0]["order"], "Crew phones");
    assert!(runs["runs"].as_array().unwrap().iter().all(|run| run["serial"] != "CT5-0417-2291"));

    // What is wrong is told with its place; what the order is not for is left alone.
    let scoped = file("scoped.toml");
    let text = text.replacen("[[item]]", "[for]\nmodels = [\"Rill 2\"]\n\n[[item]]", 1);
    std::fs::write(&scoped, &text).unwrap();
    let (out, err, code) = said(home.path(), &["order", "apply", &scoped, phone.address(), "--yes"]);
    assert!(
        code == 1 && err.contains("the order is not for this device: it is a Corvane Tarn 5"),
        "{code} {out} {err}"
    );
    std::fs::write(&scoped, text.replace("way = \"uninstall\"", "way = \"melt\"")).unwrap();
    let (_, err, code) = said(home.path(), &["order", "check", &scoped]);
    assert!(code == 2 && err.contains("“way” of item 1") && err.contains("line "), "{err}");
    let (_, err, code) = said(home.path(), &["order", "check", &file("none.toml")]);
    assert!(code == 2 && err.contains("could not be read"), "{err}");
}

/// What is tied otherwise than where the order was made stays, unless it is named; what an order installs is checked by its sum; and an
/// order that is to stop stops before anything is sent.
#[test]
fn an_order_minds_other_holds_sums_and_what_it_is_to_stop_on() {
    let home = home();
    let phone = Sim::start(&["--device", "crew-phone"]);
    let file = |name: &str, text: &str| {
        let path = home.path().join(name);
        std::fs::write(&path, text).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let head = "[order]\nformat = 1\nname = \"Piers\"\n";
    let item = |id: &str| format!("[[item]]\nid = \"{id}\"\nway = \"disable\"\nholds = []\n");
    let order = file("piers.toml", &format!("{head}{}{}", item("com.corvane.browser"), item("com.android.egg")));
    let check = ["order", "check", &order, phone.address()];
    let (out, _, code) = said(home.path(), &check);
    assert!(code == 0 && out.contains("stays") && out.contains("tied otherwise: role browser"), "{out}");
    let stop = ["order", "apply", &order, phone.address(), "--stop-on", "otherwise", "--stop-all", "--yes"];
    let (_, err, code) = said(home.path(), &stop);
    assert!(code == 1 && err.contains("stopped before anything was sent"), "{err}");
    assert_eq!(states(home.path(), phone.address(), &["com.android.egg"]), ["in-use"]);
    let despite = ["order", "apply", &order, phone.address(), "--despite-holds", "com.corvane.browser", "--yes"];
    let (out, err, code) = said(home.path(), &despite);
    assert!(code == 0 && out.contains("2 done"), "{out} {err}");
    assert_eq!(
        states(home.path(), phone.address(), &["com.corvane.browser", "com.android.egg"]),
        ["disabled", "disabled"]
    );

    let installs = format!(
        "{head}[[install]]\nfile = \"keys.apk\"\nsha256 = \"{}\"\n{}",
        "0".repeat(64),
        item("com.corvane.tips")
    );
    let order = file("keys.toml", &installs);
    let (out, _, code) = said(home.path(), &["order", "check", &order, phone.address()]);
    assert!(code == 2 && out.contains("keys.apk, which the order installs"), "{code} {out}");
    file("keys.apk", "no apk at all");
    let (out, _, _) = said(home.path(), &["order", "check", &order, phone.address()]);
    assert!(out.contains("its SHA-256 is"), "{out}");
    assert_eq!(states(home.path(), phone.address(), &["com.corvane.tips"]), ["in-use"]);
}

/// The line carries an order out on whatever comes, tells an object for each, and ends when it is told to.
#[cfg(unix)]
#[test]
fn a_line_takes_one_device_after_the_other() {
    use std::io::{BufRead as _, BufReader};
    let home = home();
    let order = home.path().join("line.toml");
    let text = "[order]\nformat = 1\nname = \"Line\"\n[[item]]\nid = \"com.android.egg\"\nway = \"disable\"\n[end]\nclose = true\n";
    std::fs::write(&order, text).unwrap();
    let order = order.to_str().unwrap();
    let (phone, tablet) = (Sim::start(&["--device", "crew-phone"]), Sim::start(&["--device", "desk-tablet"]));
    let (_, err, code) = said(home.path(), &["order", "apply", order, "--line", "--at", phone.address()]);
    assert!(code == 2 && err.contains("--yes"), "{code} {err}");
    let words = [
        "order",
        "apply",
        order,
        "--line",
        "--yes",
        "--json",
        "--ticket",
        "P-3",
        "--at",
        phone.address(),
        "--at",
        tablet.address(),
    ];
    let mut going = command(home.path(), &words).stdout(std::process::Stdio::piped()).spawn().unwrap();
    let mut lines = BufReader::new(going.stdout.take().unwrap()).lines();
    let mut serials: Vec<String> = (0..2)
        .map(|_| {
            let told: Value = serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap();
            assert_eq!((&told["exit"], outcomes(&told["run"])), (&object!("done"), vec!["done"]), "{told}");
            // It is told when the link has been closed, and the job is the run's by then.
            assert_eq!((&told["closed"], &told["run"]["job"]["ticket"]), (&object!(true), &object!("P-3")), "{told}");
            told["serial"].as_str().unwrap().to_owned()
        })
        .collect();
    serials.sort();
    assert_eq!(serials, ["CT5-0417-2291", "OS11-88-0402"]);
    let kill = std::process::Command::new("kill").arg("-INT").arg(going.id().to_string()).status().unwrap();
    assert!(kill.success());
    assert_eq!(going.wait().unwrap().code(), Some(0));
    let (runs, _) = json(home.path(), &["runs", "--search", "line p-3", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 2, "{runs}");
    let (_, _, code) = said(home.path(), &["packages", tablet.address()]);
    assert_eq!(code, 5, "debugging is off there");
}

/// The paper of a job is made of the logbook alone: what was done and why not, what works differently, in one's own words, without what is
/// nobody's business.
#[test]
fn a_job_sheet_tells_what_was_done() {
    let home = home();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address();
    let (_, err, code) = said(home.path(), &["sheet", "1"]);
    assert!(code == 1 && err.contains("no runs yet"), "{code} {err}");
    let out =
        ["run", at, "--user", "0", "--figures", "--ticket", "P-77", "--technician", "Ines", "--yes", "--uninstall"];
    let ids = ["com.corvane.tips", "com.android.printspooler", "com.android.packageinstaller"];
    assert_eq!(said(home.path(), &[&out[..], &ids].concat()).2, 3);
    assert_eq!(
        said(home.path(), &["put-back", at, "com.corvane.tips", "--user", "0", "--ticket", "P-77", "--yes"]).2,
        0
    );
    drop(sim);
    let (out, _, code) = said(home.path(), &["sheet", "CT5-0417-2291"]);
    for words in [
        "Ines",
        "P-77",
        "Print Spooler",
        "What was put back",
        "What was not done",
        "never taken out",
        "stops: printing",
        "free space",
    ] {
        assert!(code == 0 && out.contains(words), "{words}: {out}");
    }
    let (words, pdf, svg) =
        (home.path().join("words.toml"), home.path().join("sheet.pdf"), home.path().join("sheet.svg"));
    let (all, _, _) = said(home.path(), &["sheet", "--print-words"]);
    std::fs::write(&words, all.replace("Job sheet", "Werkstattzettel")).unwrap();
    let files = ["--words", words.to_str().unwrap(), "--pdf", pdf.to_str().unwrap(), "--svg", svg.to_str().unwrap()];
    let (out, err, code) =
        said(home.path(), &[&["sheet", "1", "--without", "serial,usage", "--paper", "letter"][..], &files].concat());
    assert!(code == 0 && err.contains("Werkstattzettel"), "{code} {err}");
    assert!(!out.contains("CT5-0417-2291") && !out.contains("free space"), "{out}");
    let svg = std::fs::read_to_string(&svg).unwrap();
    assert!(svg.contains("Werkstattzettel") && !svg.contains("CT5-0417-2291"));
    assert!(std::fs::read(&pdf).unwrap().starts_with(b"%PDF-"));
    std::fs::write(&words, "titel = 1\n").unwrap();
    let (_, err, code) = said(home.path(), &["sheet", "1", "--words", words.to_str().unwrap()]);
    assert!(code == 2 && err.contains("titel"), "{code} {err}");
    let (_, err, code) = said(home.path(), &["sheet", "nobody"]);
    assert!(code == 1 && err.contains("neither a run nor a device"), "{code} {err}");
}

/// What two benches did stands in one logbook; it is handed on without serials, and the life of a device is told and drawn out of it.
#[test]
fn two_benches_have_one_logbook() {
    let (one, other) = (home(), home());
    let sim = Sim::start(&["--device", "crew-phone"]);
    let run = |home: &std::path::Path, ticket: &str, id: &str| {
        let words =
            ["run", sim.address(), "--user", "0", "--figures", "--yes", "--ticket", ticket, "--customer", "the pier"];
        assert_eq!(said(home, &[&words[..], &["--uninstall", id]].concat()).2, 0);
    };
    run(one.path(), "P-1", "com.corvane.tips");
    run(other.path(), "P-2", "com.android.egg");
    drop(sim);
    let copy = other.path().join("other.sqlite");
    let copy = copy.to_str().unwrap();
    assert_eq!(said(other.path(), &["logbook", "backup", copy]).2, 0);
    let (merged, code) = json(one.path(), &["logbook", "merge", copy, "--json"]);
    assert_eq!((merged["runs"].as_u64(), merged["devices"].as_u64(), code), (Some(1), Some(0), 0), "{merged}");
    let (out, err, code) = said(one.path(), &["logbook", "merge", copy]);
    assert_eq!((out.as_str(), code), ("", 1), "{err}");
    let (runs, _) = json(one.path(), &["runs", "--search", "p-2 pier", "--json"]);
    assert_eq!(runs["runs"][0]["taken_in"]["run"], 1, "{runs}");
    let (out, err, code) = said(one.path(), &["logbook", "merge", one.path().join("host-key.pem").to_str().unwrap()]);
    assert!(code == 8 && out.is_empty() && err.contains("no logbook"), "{code} {err}");
    // What another bench has begun is carried on there: nobody here has seen its plan.
    let sql = "UPDATE runs SET state = 'stopped' WHERE bench IS NOT NULL; UPDATE steps SET state = 'waiting', outcome = NULL, settled = NULL \
               WHERE run = 2";
    rusqlite::Connection::open(one.path().join("logbook.sqlite")).unwrap().execute_batch(sql).unwrap();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let (_, err, code) = said(one.path(), &["carry-on", sim.address(), "2", "--yes"]);
    assert!(code == 2 && err.contains("of another bench"), "{code} {err}");
    let latest = said(one.path(), &["carry-on", sim.address(), "--yes"]);
    assert!(latest.1.contains("nothing is left to do of run 1"), "the latest of this bench's is meant: {latest:?}");
    let sent = std::fs::read_to_string(&sim.transcript).unwrap();
    assert!(!sent.contains("com.android.egg\n") && !sent.contains("uninstall"), "{sent}");
    drop(sim);
    // Handed on.
    let (all, code) = json(one.path(), &["logbook", "export", "--without", "serial,usage"]);
    let text = all.to_string();
    assert!(code == 0 && text.contains("com.android.egg") && text.contains("device-1"), "{text}");
    assert!(!text.contains("CT5-0417-2291") && !text.contains("in_use"), "{text}");
    let (out, _, code) = said(one.path(), &["logbook", "export", "CT5-0417-2291", "--csv"]);
    let lines: Vec<&str> = out.lines().collect();
    assert!(code == 0 && lines.len() == 3 && lines[0].starts_with("\"device\",") && out.contains("the pier"), "{out}");
    // The life of the device.
    let pdf = one.path().join("life.pdf");
    let (out, err, code) = said(one.path(), &["life", "CT5-0417-2291", "--pdf", pdf.to_str().unwrap()]);
    assert!(code == 0 && out.contains("first look at it") && out.contains("run 1: 1 taken out"), "{out}{err}");
    assert!(std::fs::read(&pdf).unwrap().starts_with(b"%PDF-"));
    let (life, _) = json(one.path(), &["life", "CT5-0417-2291", "--json"]);
    let moments: Vec<&str> = life["moments"].as_array().unwrap().iter().filter_map(|m| m["what"].as_str()).collect();
    assert!(moments.contains(&"met") && moments.iter().filter(|what| **what == "run").count() == 2, "{life}");
    assert_eq!(said(one.path(), &["life", "nobody"]).2, 1);
}

/// What became of an order is told by the logbook alone.
#[test]
fn the_record_of_an_order_is_told_and_drawn() {
    let home = home();
    assert_eq!(said(home.path(), &["order", "record"]).2, 1);
    let order = home.path().join("piers.toml");
    let items =
        ["com.android.egg", "com.android.music"].map(|id| format!("[[item]]\nid = \"{id}\"\nway = \"uninstall\"\n"));
    std::fs::write(&order, format!("[order]\nformat = 1\nname = \"Piers\"\n{}", items.concat())).unwrap();
    let sim =
        Sim::start(&["--device", "crew-phone", "--device", "desk-tablet", "--fault", "refuse=com.android.music:-1000"]);
    let at: Vec<&str> = sim.devices.iter().map(|(_, at)| at.as_str()).collect();
    assert_eq!(said(home.path(), &["order", "apply", order.to_str().unwrap(), at[0], at[1], "--yes"]).2, 3);
    drop(sim);
    let (out, _, code) = said(home.path(), &["order", "record"]);
    assert!(code == 0 && out.contains("Piers") && out.contains("2 runs"), "{out}");
    let svg = home.path().join("piers.svg");
    let (out, err, code) = said(home.path(), &["order", "record", "Piers", "--svg", svg.to_str().unwrap()]);
    assert!(code == 0 && out.contains("refused") && out.contains("OS11-88-0402"), "{out}{err}");
    let drawn = std::fs::read_to_string(&svg).unwrap();
    assert!(drawn.contains("Order: Piers") && drawn.contains("OS11-88-0402"), "{drawn}");
    let (record, _) = json(home.path(), &["order", "record", "Piers", "--json"]);
    let devices = record["devices"].as_array().unwrap();
    let egg = |one: &Value| {
        let all = one["packages"].as_array().unwrap();
        all.iter().any(|package| package["id"] == "com.android.egg" && package["became"] == "done")
    };
    assert!(devices.iter().all(egg), "{record}");
    assert_eq!(said(home.path(), &["order", "record", "None"]).2, 1);
}

/// A configuration is read, told, and where it cannot be read said before anything else is done.
#[test]
fn what_is_configured_goes_for_every_run_and_sheet() {
    let home = home();
    let (out, err, code) = said(home.path(), &["config"]);
    assert!(code == 0 && out.contains("answer_within = 60") && err.contains("these are the defaults"), "{out}{err}");
    assert_eq!(said(home.path(), &["config", "--write"]).2, 0);
    assert_eq!(said(home.path(), &["config", "--write"]).2, 8, "what is there is not written over");
    let file = home.path().join("config.toml");
    let text = std::fs::read_to_string(&file).unwrap();
    let text = text
        .replace("technician = \"\"", "technician = \"Ines\"")
        .replace("workshop = \"\"", "workshop = \"Pellmoor Ferries\"");
    std::fs::write(&file, text.replace("without = []", "without = [\"serial\"]")).unwrap();
    let (told, _) = json(home.path(), &["config", "--json"]);
    assert_eq!((&told["config"]["technician"], &told["is_there"]), (&object!("Ines"), &object!(true)), "{told}");
    let sim = Sim::start(&["--device", "crew-phone"]);
    let run = ["run", sim.address(), "--user", "0", "--yes", "--uninstall", "com.android.egg"];
    assert_eq!(said(home.path(), &run).2, 0);
    let (out, err, _) = said(home.path(), &["sheet", "1"]);
    assert!(out.contains("Ines") && err.contains("Pellmoor Ferries") && !out.contains("CT5-0417-2291"), "{out}{err}");
    std::fs::write(&file, "technican = \"Ines\"\n").unwrap();
    let (out, err, code) = said(home.path(), &run);
    assert!(code == 2 && out.is_empty() && err.contains("line 1"), "{code} {err}");
    let (out, _, _) = said(home.path(), &["doctor"]);
    assert!(out.contains("MISSING  settings"), "{out}");
}
