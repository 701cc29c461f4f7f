//! The command line as scripts see it: objects, exit codes, and what happens when it is killed.
#![allow(clippy::unwrap_used, reason = "tests")]

mod support;

use serde_json::{Value, json as object};
use support::{Sim, command, home, json, run};

fn outcomes(run: &Value) -> Vec<&str> {
    run["steps"].as_array().unwrap().iter().map(|s| s["outcome"].as_str().unwrap_or("none")).collect()
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

    for (serial, enabled_again) in [("CT5-0417-2291", 0), ("OP-66-1083", 1)] {
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
                "--disable",
                "com.android.deskclock",
                "--yes",
                "--json",
            ],
        );
        assert_eq!((outcomes(&run), code), (vec!["done"; 3], 0), "{run}");
        assert_eq!(run["steps"][2]["way"], "disable");
        let (packages, code) = json(home.path(), &["packages", serial, "--json"]);
        assert_eq!(code, 0);
        let package =
            |id: &str| packages["packages"].as_array().unwrap().iter().find(|p| p["id"] == id).unwrap().clone();
        assert_eq!(package("com.android.music")["label"], Value::Null);
        assert_eq!(package("com.android.music")["kind"], "system");
        let state = |id: &str| package(id)["states"]["0"].clone();
        assert_eq!(
            state("com.android.music"),
            object!({"state": "uninstalled", "installed": false, "enabled": 0, "hidden": false, "suspended": false})
        );
        assert_eq!(
            state("com.android.deskclock"),
            object!({"state": "disabled", "installed": true, "enabled": 3, "hidden": false, "suspended": false})
        );
        let (back, code) = json(
            home.path(),
            &["put-back", serial, "com.android.music", "com.android.deskclock", "--user", "0", "--json"],
        );
        assert_eq!((outcomes(&back), code), (vec!["done"; 2], 0), "{back}");
        assert_eq!(back["steps"][1]["state"]["enabled"], enabled_again);
    }
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 4);
    for line in std::fs::read_to_string(&sim.transcript).unwrap().lines().filter(|l| l.starts_with("OP-66-1083")) {
        assert!(!line.contains("cmd") && !line.contains("abb") && !line.contains("v2"), "{line}");
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
    assert_eq!(
        (&dry["run"], &dry["steps"][0]["back"], &dry["steps"][1]["back"]),
        (&Value::Null, &object!("sure"), &object!("no-way"))
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
        let (left, _) = json(home.path(), &["runs", "--json"]);
        assert_eq!(
            (&left["runs"][0]["state"], outcomes(&left["runs"][0])),
            (&object!("open"), vec!["done", "none", "none"])
        );

        let output = run(home.path(), &["carry-on", at, "--yes", "--json", "--answer-within", "2"]);
        let told = String::from_utf8(output.stderr).unwrap();
        let run: Value = serde_json::from_slice(&output.stdout).unwrap();
        assert!(told.contains("run 1 was interrupted"), "{told}");
        if first == "done" {
            assert!(told.contains("1 turned out done"), "{told}");
            assert_eq!((outcomes(&run), output.status.code()), (vec!["done"; 3], Some(0)));
        } else {
            assert!(told.contains("1 not"), "{told}");
            assert_eq!((outcomes(&run), output.status.code()), (vec!["done", "unsettled", "done"], Some(4)));
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
