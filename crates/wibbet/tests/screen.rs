//! The built program in a terminal, against bench devices over the real protocol.
#![allow(clippy::unwrap_used, reason = "tests")]

mod support;

use support::{Screen, Sim, home, json};

#[test]
fn the_demo_does_the_whole_job_by_keys_alone() {
    let home = home();
    let screen = Screen::start(home.path(), "demo", 128, 40);
    screen.wait_for("Corvane Tarn 5");
    screen.wait_for("simulated bench devices");
    screen.wait_for("236 packages");
    screen.keys("Enter");
    for (word, id, keys) in [
        ("calend", "com.android.calendar", "Enter Space"),
        ("android.music", "com.android.music", "Enter Space"),
        ("deskclock", "com.android.deskclock", "Enter w"),
    ] {
        screen.keys("/ C-u");
        screen.types(word);
        // The details beside the table show the one that is meant before it is marked.
        screen.wait_for(&format!("│ {id}"));
        screen.keys(keys);
        screen.wait_for(" chosen: ");
    }
    screen.wait_for("3 chosen: uninstall 2, disable 1");
    screen.keys("Enter");
    screen.wait_for("Nothing has been sent yet");
    screen.keys("v");
    screen.wait_for("⟩ package disable-user --user 0 com.android.deskclock");
    screen.keys("v s");
    screen.wait_for("all 3 are done and read back");
    assert!(screen.line("com.android.calendar").contains("●→○ uninstalled"));
    assert!(screen.line("com.android.deskclock").contains("●→◐ disabled"));
    screen.keys("4");
    screen.wait_for("off before Wibbet");
    screen.keys("b");
    screen.wait_for("Plan: put back");
    screen.wait_for("reinstall");
    screen.keys("s");
    screen.wait_for("Run 2: it is done and read back");
    screen.wait_for("○→● in use");
    screen.keys("5");
    screen.wait_for("2 runs");
    screen.resize(30, 8);
    screen.resize(80, 24);
    screen.wait_for("2 runs");
    screen.keys("q");
    screen.wait_for("ended with 0");
    assert!(!home.path().join("logbook.sqlite").exists(), "the user's own logbook is not touched");
}

#[test]
fn a_pulled_link_in_a_run_comes_back_by_itself() {
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 128, 40);
    screen.wait_for("236 packages");
    screen.keys("Enter");
    screen.wait_for("com.android.apps.");
    screen.keys("Space Space Space Space Enter");
    screen.wait_for("4 to send");
    sim.tell("fault cut=from:9");
    std::thread::sleep(std::time::Duration::from_millis(200));
    screen.keys("s");
    screen.wait_for("4 of 4");
    screen.wait_for("the others not");
    let (packages, _) = json(home.path(), &["packages", sim.address(), "--json"]);
    let gone: Vec<&str> = packages["packages"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|p| p["states"]["0"]["state"] == "uninstalled")
        .map(|p| p["id"].as_str().unwrap())
        .collect();
    // The first of the list is Android itself, which no device lets go.
    let text = screen.text();
    let shown: Vec<&str> = gone.iter().copied().filter(|id| text.contains(id)).collect();
    assert_eq!(
        (shown.len(), text.matches("●→○ uninstalled").count()),
        (3, 3),
        "screen and device agree\n{text}\n{gone:?}"
    );
    assert!(screen.line("uninstall             android ").contains("refused"));
}

#[test]
fn a_device_that_is_away_or_asks_is_waited_for() {
    let mut sim = Sim::start(&["--device", "spare-handset", "--allow", "by-hand"]);
    let home = home();
    let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 100, 30);
    screen.wait_for("waiting for “Allow” on the device");
    screen.wait_for("tap “Allow”");
    sim.wait_for("dialog: allow");
    sim.tell("allow");
    screen.wait_for("180 packages");
    sim.tell("restart");
    screen.wait_for("tried again by itself");
    screen.wait_for("180 packages");
    screen.wait_for(" linked");
    screen.keys("q");
    screen.wait_for("ended with 0");
}

#[test]
fn without_a_device_it_says_how_to_begin() {
    let home = home();
    let screen = Screen::start(home.path(), "", 80, 24);
    screen.wait_for("The bench is empty.");
    screen.wait_for("wibbet demo");
    screen.keys("a");
    screen.types("127.0.0.1:1");
    screen.keys("Enter");
    screen.wait_for("no link · tried again by itself");
    screen.wait_for("switch debugging on");
    screen.keys("C-c");
    screen.wait_for("ended with 0");
}
