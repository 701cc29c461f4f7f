//! The shapes of all that is printed with `--json`: which fields there are, and of which kinds. They are promised in
//! `docs/json.md`; `json-shapes.txt` beside this file is the promise as a list.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use serde_json::Value;

use crate::support::{Sim, home, json};

/// By command and path: the kinds of values seen there.
#[derive(Default)]
struct Shapes(BTreeMap<(String, String), BTreeSet<&'static str>>);

impl Shapes {
    fn add(&mut self, command: &str, value: &Value) {
        self.walk(command, String::new(), value);
    }

    fn walk(&mut self, command: &str, path: String, value: &Value) {
        let kind = match value {
            Value::Null => "null",
            Value::Bool(_) => "bool",
            Value::Number(_) => "number",
            Value::String(_) => "text",
            Value::Array(_) => "list",
            Value::Object(_) => "object",
        };
        self.0.entry((command.to_owned(), path.clone())).or_default().insert(kind);
        match value {
            Value::Array(all) => all.iter().for_each(|one| self.walk(command, format!("{path}[]"), one)),
            Value::Object(fields) => {
                for (name, one) in fields {
                    // Users are keys here and there.
                    let name = if name.bytes().all(|b| b.is_ascii_digit()) { "USER" } else { name };
                    self.walk(command, format!("{path}.{name}"), one);
                }
            }
            _ => {}
        }
    }

    fn text(&self) -> String {
        let line = |((command, path), kinds): (&(String, String), &BTreeSet<&str>)| {
            let kinds: Vec<&str> = kinds.iter().copied().collect();
            format!("{command} {} {}\n", if path.is_empty() { "." } else { path }, kinds.join("|"))
        };
        self.0.iter().map(line).collect()
    }
}

#[test]
fn the_shapes_of_all_objects_are_those_promised() {
    let home = home();
    let mut shapes = Shapes::default();
    let mut ask = |name: &str, arguments: &[&str], ends: i32| {
        let all: Vec<&str> = arguments.iter().copied().chain(["--json"]).collect();
        let (object, code) = json(home.path(), &all);
        assert_eq!(code, ends, "{arguments:?}: {object}");
        shapes.add(name, &object);
    };

    let mut tarnbek = Sim::start(&["--device", "seventh-hand"]);
    let announced = tarnbek.announcements.to_str().unwrap().to_owned();
    ask("bench", &["bench", "--announcements", &announced], 5);
    ask("link", &["link", "TG-70007-7", "--announcements", &announced], 6);
    tarnbek.tell("code");
    let shown = tarnbek.says();
    let (at, code) = (shown["pairing"].as_str().unwrap(), shown["code"].as_str().unwrap());
    ask("pair", &["pair", at, "--code", code], 0);
    ask("error", &["pair", at, "--code", code], 6);
    ask("bench", &["bench", "--announcements", &announced], 0);

    let sim = Sim::start(&["--fault", "never-answers=com.android.egg"]);
    let (phone, handset) = (sim.devices[0].1.as_str(), sim.devices[1].1.as_str());
    ask("bench", &["bench", "--at", phone, "--at", handset], 0);
    for at in [phone, handset] {
        ask("link", &["link", at], 0);
        ask("packages", &["packages", at], 0);
    }
    ask("packages quick", &["packages", phone, "--quick"], 0);
    ask("packages", &["packages", phone, "--search", "no-such-thing-anywhere"], 0);
    ask("why", &["why", phone, "--all"], 0);
    ask("why", &["why", handset, "com.android.phone", "com.android.inputmethod.latin"], 0);
    let lost = Sim::start(&["--device", "lost-phone"]);
    let keys = ["com.android.inputmethod.latin", "com.corvane.keyboard"];
    let others = ["net.skerry.account", "com.corvane.weather.provider"];
    ask("upshot", &[&["upshot", lost.address(), "--uninstall"][..], &keys, &others].concat(), 0);
    ask("score", &["score", "--device", "boxed-tablet", "--trays", "4"], 0);
    ask("upshot", &["upshot", handset, "--disable", "com.android.music"], 0);
    let out = ["--user", "0", "--uninstall", "com.android.music", "com.corvane.fota"];
    ask("run dry", &[&["run", phone, "--dry-run"][..], &out].concat(), 0);
    ask("run", &[&["run", phone, "--yes"][..], &out].concat(), 3);
    let own = ["--user", "0", "--uninstall", "com.wrenandkelp.radio", "--policy", "disable", "--ticket", "P-77"];
    ask("run dry", &[&["run", phone, "--dry-run"][..], &own].concat(), 0);
    ask("run", &[&["run", phone, "--yes"][..], &own].concat(), 0);
    let breaks = ["--user", "0", "--uninstall", "com.corvane.weather.provider", "--figures", "--watch", "0"];
    ask("run", &[&["run", phone, "--yes"][..], &breaks].concat(), 0);
    ask("shelf", &["shelf", phone], 0);
    ask("copies", &["copies", "--offer", "1"], 0);
    let store = Sim::start(&["--device", "store-phone"]);
    let part = ["com.android.music", ".Offers", "--user", "0", "--set", "off", "--root", "--yes"];
    ask("part", &[&["part", store.address()][..], &part].concat(), 0);
    let out = ["--user", "0", "--disable", "com.corvane.blocker", "com.corvane.bigbuttons", "--yes"];
    ask("run", &[&["run", store.address()][..], &out].concat(), 0);
    ask("find-fault", &["find-fault", store.address(), "--what", "no sound", "--yes"], 0);
    for seen in ["gone", "still"] {
        ask("find-fault", &["find-fault", store.address(), "--seen", seen, "--yes"], 0);
    }
    ask("find-fault", &["find-fault", phone, "--check", "fails com.corvane.weather", "--dry-run"], 0);
    ask("changes", &["changes", store.address()], 0);
    ask("changes", &["changes", store.address()], 1);
    ask("changes", &["changes", store.address(), "--beside", "CT5-0417-2291"], 0);
    ask("looks", &["changes", store.address(), "--looks"], 0);
    let order = home.path().join("order.toml");
    let order = order.to_str().unwrap();
    let text = "[order]\nformat = 1\nname = \"Crew\"\n[[item]]\nid = \"com.android.music\"\nway = \"disable\"\nnote = \"Sums\"\n\
                [[item]]\nid = \"com.no.such\"\n[[item]]\nid = \"com.android.egg\"\nusers = [77]\n[[item]]\nid = \"android\"\n\
                [[setting]]\ntable = \"global\"\nname = \"window_animation_scale\"\nvalue = \"0.5\"\n\
                [[setting]]\ntable = \"system\"\nname = \"screen_off_timeout\"\nvalue = \"120000\"\nusers = [\"owner\", 77]\n";
    std::fs::write(order, text).unwrap();
    ask("order", &["order", "check", order], 0);
    ask("order", &["order", "check", order, store.address(), "127.0.0.1:1"], 5);
    ask("order", &["order", "apply", order, store.address(), "127.0.0.1:1", "--yes"], 3);
    ask("settings", &["settings", store.address()], 0);
    ask("settings", &["settings", store.address(), "--put-back", "--yes"], 0);
    ask("sheet", &["sheet", "1"], 0);
    ask("order record", &["order", "record"], 0);
    ask("order record", &["order", "record", "Crew"], 0);
    ask("life", &["life", store.address()], 0);
    ask("config", &["config"], 0);
    let copy = home.path().join("copy.sqlite");
    wibbet_logbook::Logbook::open(home.path()).unwrap().back_up(&copy).unwrap();
    ask("logbook merge", &["logbook", "merge", copy.to_str().unwrap()], 1);
    ask("update-break", &["update-break", store.address()], 0);
    ask("run", &["update-break", store.address(), "--begin", "--yes"], 0);
    ask("update-break", &["update-break", store.address()], 0);
    ask("update-break", &["update-break", store.address(), "--end", "--leave", "--yes"], 0);
    ask("put-back", &["put-back", phone, "--user", "0", "com.wrenandkelp.radio", "--yes"], 0);
    let note = home.path().join("note.txt");
    std::fs::write(&note, "for the customer").unwrap();
    ask("push", &["push", phone, note.to_str().unwrap(), "/sdcard/Download/"], 0);
    let back = home.path().join("back.txt");
    ask("pull", &["pull", phone, "/sdcard/Download/note.txt", back.to_str().unwrap()], 0);
    let picture = home.path().join("screen.png");
    ask("picture", &["picture", phone, picture.to_str().unwrap()], 0);
    ask("error", &["install", phone, note.to_str().unwrap(), "--user", "0", "--yes"], 2);
    ask("put-back", &["put-back", phone, "--user", "0", "com.android.music", "--yes"], 0);
    let silent = ["--user", "0", "--uninstall", "com.android.egg", "--answer-within", "2", "--yes"];
    ask("run", &[&["run", phone][..], &silent].concat(), 4);
    ask("carry-on", &["carry-on", phone, "--yes", "--answer-within", "2"], 4);
    ask("runs", &["runs"], 0);
    ask("error", &["carry-on", phone, "99", "--yes"], 1);
    ask("error", &["packages", "NO-SUCH-SERIAL"], 5);
    ask("restart", &["restart", phone, "--yes", "--wait"], 0);
    ask("restart", &["restart", phone, "--yes"], 0);
    ask("close", &["close", handset, "--yes"], 0);
    // The same once more, as if another bench had made it.
    let sql = "UPDATE choices SET value = 'abcd1234' WHERE name = 'bench'";
    rusqlite::Connection::open(&copy).unwrap().execute_batch(sql).unwrap();
    ask("logbook merge", &["logbook", "merge", copy.to_str().unwrap()], 0);
    ask("runs", &["runs"], 0);
    ask("logbook check", &["logbook", "check"], 0);
    ask("logbook export", &["logbook", "export"], 0);
    ask("logbook tidy", &["logbook", "tidy", "--unseen-days", "30", "--dry-run"], 1);
    let old = "UPDATE devices SET last_seen = 1";
    rusqlite::Connection::open(home.path().join("logbook.sqlite")).unwrap().execute_batch(old).unwrap();
    ask("logbook tidy", &["logbook", "tidy", "--unseen-days", "30", "--dry-run"], 0);
    ask("logbook erase", &["logbook", "erase", "CT5-0417-2291", "--yes"], 0);

    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/json-shapes.txt");
    let (promised, seen) = (std::fs::read_to_string(&kept).unwrap_or_default(), shapes.text());
    let lines = |text: &str| text.lines().map(str::to_owned).collect::<BTreeSet<_>>();
    let (gone, come): (Vec<_>, Vec<_>) = (
        lines(&promised).difference(&lines(&seen)).cloned().collect(),
        lines(&seen).difference(&lines(&promised)).cloned().collect(),
    );
    if !gone.is_empty() || !come.is_empty() {
        let new = Path::new(env!("CARGO_TARGET_TMPDIR")).join("json-shapes.txt");
        std::fs::write(&new, seen).unwrap();
        panic!(
            "promised and not there (this breaks other people's programs):\n  {}\nthere and not promised (belongs into docs/json.md \
             and {}; as it is now: {}):\n  {}",
            gone.join("\n  "),
            kept.display(),
            new.display(),
            come.join("\n  ")
        );
    }
}
