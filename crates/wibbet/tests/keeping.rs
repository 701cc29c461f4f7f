//! What stays and what goes: settings that orders set, copies at the end of a job, records by a rule; and how much is told meanwhile.

use std::path::Path;
use std::process::Stdio;

use serde_json::json as object;

use crate::support::{Sim, command, home, json, said};

const DESK: &str = r#"
[order]
format = 1
name = "Ticket desk"

[[item]]
id = "com.android.egg"
way = "disable"

[[setting]]
table = "global"
name = "window_animation_scale"
value = "0.5"
note = "quicker windows"

[[setting]]
table = "system"
name = "screen_off_timeout"
value = "120000"
"#;

fn order(home: &Path, text: &str) -> String {
    let file = home.join("desk.toml");
    std::fs::write(&file, text).unwrap();
    file.to_str().unwrap().to_owned()
}

/// Settings of an order are shown before, told with it, stand on the sheet, and go back by one command.
#[test]
fn settings_of_an_order_are_set_and_put_back() {
    let home = home();
    let home = home.path();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let (at, file) = (sim.address(), order(home, DESK));
    let (held, code) = json(home, &["order", "check", &file, at, "--json"]);
    let states: Vec<&str> =
        held["devices"][0]["settings"].as_array().unwrap().iter().map(|s| s["state"].as_str().unwrap()).collect();
    assert_eq!((code, states), (0, vec!["to-set", "to-set"]), "{held}");
    let (shown, _, _) = said(home, &["order", "check", &file, at]);
    assert!(shown.contains("global window_animation_scale: not set → 0.5  (quicker windows)"), "{shown}");
    assert_eq!(json(home, &["settings", at, "--json"]).0["settings"], object!([]), "nothing was sent");
    assert_eq!(said(home, &["order", "apply", &file, at]).2, 2, "unasked nothing is sent");
    let (done, code) = json(home, &["order", "apply", &file, at, "--yes", "--json"]);
    let set = &done["devices"][0]["settings"];
    assert_eq!((code, &set[0]["state"], &set[1]["before"]), (0, &object!("done"), &object!("60000")), "{done}");
    let (sheet, _, _) = said(home, &["sheet", "1"]);
    assert!(sheet.contains("system screen_off_timeout: 60000 → 120000"), "{sheet}");
    assert_eq!(said(home, &["order", "apply", &file, at, "--yes"]).2, 1, "nothing is left to do");
    // What somebody sets by hand since is theirs.
    let (dry, _, code) = said(home, &["settings", at, "--put-back", "--dry-run"]);
    assert!(code == 0 && dry.contains("settings delete global window_animation_scale"), "{dry}");
    let (back, code) = json(home, &["settings", at, "--put-back", "--yes", "--json"]);
    let all = back["put_back"].as_array().unwrap();
    assert!(code == 0 && all.len() == 2 && all.iter().all(|one| one["done"] == true), "{back}");
    assert_eq!(said(home, &["settings", at, "--put-back", "--yes"]).2, 1);
    let (sheet, _, _) = said(home, &["sheet", "1"]);
    assert!(!sheet.contains("screen_off_timeout"), "what is back is not otherwise: {sheet}");
}

/// At the end of a job the copies of the owner's apps are handed over, or deleted; what cannot be is named.
#[test]
fn copies_are_handed_over_or_deleted_at_the_end() {
    let home = home();
    let home = home.path();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address();
    let own = ["run", at, "--user", "0", "--uninstall", "com.wrenandkelp.radio", "--yes"];
    assert_eq!(said(home, &own).2, 0);
    let number = json(home, &["copies", "--json"]).0["copies"][0]["number"].to_string();
    let over = home.join("for the owner");
    let close = ["close", at, "--keep-debugging", "--hand-over-copies", over.to_str().unwrap(), "--json"];
    // What is offered to others stays, and is told.
    assert_eq!(said(home, &["copies", "--offer", &number]).2, 0);
    let (closed, code) = json(home, &close);
    assert!(code != 0 && closed["steps"][0]["done"] == false, "{closed}");
    assert!(!over.exists());
    assert_eq!(said(home, &["copies", "--withdraw", &number]).2, 0);
    // What lies there by that name is somebody's, and stays as it is.
    let theirs = over.join(format!("com.wrenandkelp.radio-copy-{number}"));
    std::fs::create_dir_all(&theirs).unwrap();
    std::fs::write(theirs.join("base.apk"), "of another bench").unwrap();
    let (closed, code) = json(home, &close);
    assert!(code == 0 && closed["steps"][0]["done"] == true, "{closed}");
    assert_eq!(std::fs::read(theirs.join("base.apk")).unwrap(), b"of another bench");
    let folder = over.join(format!("com.wrenandkelp.radio-copy-{number}-2"));
    assert!(std::fs::metadata(folder.join("base.apk")).unwrap().len() > 1000);
    assert_eq!(json(home, &["copies", "--json"]).0["copies"], object!([]));
    assert!(!home.join("copies/CT5-0417-2291").exists());
    // It can still be installed by whoever has it; here it is not to be had any more.
    let back = ["put-back", at, "--user", "0", "com.wrenandkelp.radio", "--yes"];
    assert_ne!(said(home, &back).2, 0);
    let again = ["install", at, folder.to_str().unwrap(), "--user", "0", "--yes"];
    assert_eq!(said(home, &again).2, 0);
    let sheet = said(home, &["sheet", "1"]).0;
    assert!(!sheet.contains("are kept by the workshop"), "{sheet}");
    assert_eq!(said(home, &own).2, 0);
    assert_eq!(said(home, &["close", at, "--keep-debugging", "--delete-copies"]).2, 2, "unasked nothing is deleted");
    let (closed, code) = json(home, &["close", at, "--keep-debugging", "--delete-copies", "--yes", "--json"]);
    assert!(code == 0 && closed["steps"][0]["known"].as_str().unwrap().contains("cannot be put back"), "{closed}");
    assert_eq!(json(home, &["copies", "--json"]).0["copies"], object!([]));
}

/// What was not seen for as long as the rule says is named, and erased where that was said; what is open stays.
#[test]
fn records_go_by_a_rule() {
    let home = home();
    let home = home.path();
    let sim = Sim::start(&["--device", "crew-phone", "--device", "desk-tablet"]);
    for (_, at) in &sim.devices {
        assert_eq!(said(home, &["run", at, "--user", "0", "--disable", "com.android.egg", "--yes"]).2, 0);
    }
    drop(sim);
    assert_eq!(said(home, &["logbook", "tidy", "--yes"]).2, 2, "there is no rule yet");
    std::fs::write(home.join("config.toml"), "[keep]\nunseen_days = 30\n").unwrap();
    assert_eq!(said(home, &["logbook", "tidy", "--yes"]).2, 1, "both were seen today");
    let old = "UPDATE devices SET last_seen = last_seen - 31 * 86400000; \
               UPDATE runs SET state = 'stopped' WHERE serial = 'OS11-88-0402'; \
               UPDATE steps SET state = 'waiting', outcome = NULL WHERE run IN (SELECT number FROM runs WHERE state = 'stopped')";
    rusqlite::Connection::open(home.join("logbook.sqlite")).unwrap().execute_batch(old).unwrap();
    let (told, err, code) = said(home, &["logbook", "tidy", "--dry-run"]);
    assert!(code == 0 && told.contains("CT5-0417-2291") && !told.contains("OS11-88-0402"), "{told}");
    assert!(err.contains("OS11-88-0402) stays: a run of it is not done"), "{err}");
    assert_eq!(said(home, &["logbook", "tidy"]).2, 2, "unasked nothing is erased");
    let (gone, code) = json(home, &["logbook", "tidy", "--yes", "--json"]);
    assert_eq!((code, &gone["erased"], &gone["left"]), (0, &object!(["CT5-0417-2291"]), &object!([])), "{gone}");
    assert_eq!(json(home, &["logbook", "check", "--json"]).0["devices"], 1);
}

/// Quiet tells what went wrong and nothing else; verbose each command with how it ended.
#[test]
fn as_much_is_told_as_was_wanted() {
    let home = home();
    let home = home.path();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let at = sim.address();
    let disable = ["run", at, "--user", "0", "--disable", "com.android.egg", "--yes"];
    let (out, err, code) = said(home, &[&["-v"][..], &disable].concat());
    assert!(code == 0 && !out.contains('⟩'), "{out}");
    let sent: Vec<&str> = err.lines().filter(|line| line.contains("disable-user --user 0 com.android.egg")).collect();
    assert!(sent.len() == 1 && sent[0].contains("exit code 0") && sent[0].contains(" ms"), "{sent:?} {err}");
    let (_, err, code) = said(home, &["-q", "put-back", at, "--run", "1", "--yes"]);
    assert_eq!((err.as_str(), code), ("", 0));
    let (_, err, code) = said(home, &["-q", "packages", "127.0.0.1:1"]);
    assert!(code == 5 && err.lines().count() == 1, "{code} {err}");
    assert_eq!(said(home, &["-q", "-v", "bench"]).2, 2, "one or the other");
}

/// Whenever a merge is killed, both logbooks are as they were; let alone it takes everything in.
#[test]
fn a_killed_merge_leaves_both_as_they_were() {
    const RUNS: i64 = 3000;
    let home = home();
    let home = home.path();
    let sim = Sim::start(&["--device", "crew-phone"]);
    assert_eq!(said(home, &["run", sim.address(), "--user", "0", "--disable", "com.android.egg", "--yes"]).2, 0);
    let other = home.join("other.sqlite");
    let other = other.to_str().unwrap();
    assert_eq!(said(home, &["logbook", "backup", other]).2, 0);
    // Another bench that has done far more.
    let theirs = rusqlite::Connection::open(other).unwrap();
    let begin = "BEGIN; UPDATE choices SET value = 'feedbeef' WHERE name = 'bench'; \
                 CREATE TEMP TABLE r AS SELECT * FROM runs; CREATE TEMP TABLE s AS SELECT * FROM steps";
    theirs.execute_batch(begin).unwrap();
    for n in 0..RUNS {
        let more = format!(
            "UPDATE r SET number = {n} + 100; UPDATE s SET run = {n} + 100; INSERT INTO runs SELECT * FROM r; INSERT INTO steps SELECT * FROM s"
        );
        theirs.execute_batch(&more).unwrap();
    }
    theirs.execute_batch("COMMIT; DROP TABLE temp.r; DROP TABLE temp.s").unwrap();
    drop(theirs);
    let before = std::fs::read(other).unwrap();
    let runs = || json(home, &["logbook", "check", "--json"]).0;
    let mut killed = 0;
    for pause in [0, 20, 60, 150, 400] {
        let mut merge =
            command(home, &["logbook", "merge", other]).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(pause));
        merge.kill().unwrap();
        let ended_by_itself = merge.wait().unwrap().code().is_some();
        let now = runs();
        assert_eq!(now["wrong"], object!([]), "{pause}");
        // Whole, or not at all.
        let (all, own) = (object!(RUNS + 2), object!(1));
        assert!(now["runs"] == all || now["runs"] == own && !ended_by_itself, "{pause}: {now}");
        killed += usize::from(now["runs"] == own);
    }
    assert!(killed > 0, "none was killed before its end");
    said(home, &["logbook", "merge", other]);
    assert_eq!(runs()["runs"], object!(RUNS + 2));
    assert_eq!(std::fs::read(other).unwrap(), before, "the other one is only read");
}
