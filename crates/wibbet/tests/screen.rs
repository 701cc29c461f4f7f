//! The built program in a terminal, against bench devices over the real protocol.

use crate::support::{Screen, Sim, home, json};

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
    screen.wait_for("sends it in numbered order");
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

/// As narrow as a phone's own screen, by taps; a second tap on what the first one brought is not heard.
#[test]
fn a_phones_screen_is_tapped_and_an_unsteady_finger_sends_nothing() {
    let home = home();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 45, 40);
    screen.wait_for("236 packages");
    screen.tap("to its packages");
    screen.wait_for("····");
    screen.tap(" search");
    screen.wait_for("to the list");
    screen.types("android.music");
    screen.wait_for("▌ Music");
    screen.tap("to the list");
    // The row under the cursor is marked by a tap.
    screen.tap("▌ Music");
    screen.wait_for("1 chosen");
    // Where this word stands the plan has the one that sends it.
    screen.tap_twice("plan");
    screen.wait_for("1 to send");
    std::thread::sleep(std::time::Duration::from_millis(500));
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 0, "{runs}");
    screen.tap("send the step");
    screen.wait_for("1 done");
    screen.tap("more");
    screen.wait_for("All actions");
    screen.types("quit");
    screen.wait_for("⟩ quit");
    screen.tap("Quit");
    screen.wait_for("ended with 0");
    let (runs, _) = json(home.path(), &["runs", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 1, "{runs}");
}

/// Why is this held, what do I lose if these go, and what is free: within a few keys.
#[test]
fn a_technicians_questions_are_answered_on_the_screen() {
    let home = home();
    let sim = Sim::start(&["--device", "crew-phone"]);
    let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 128, 40);
    screen.wait_for("236 packages");
    screen.keys("Enter");
    screen.keys("/");
    screen.types("com.android.webview");
    screen.wait_for("Without it stops: web content in all");
    screen.wait_for("│ nothing else here can");
    screen.keys("Enter / C-u");
    screen.types("keyboard");
    screen.wait_for("│ Android Keyboard");
    screen.keys("Enter Space");
    screen.wait_for("1 chosen");
    screen.wait_for("Nothing was found that would be missed.");
    screen.keys("Down Space");
    screen.wait_for("2 chosen");
    screen.wait_for("Stops: typing");
    screen.wait_for("keyboard stays");
    screen.keys("z / C-u");
    screen.types(":free :idle>90d");
    screen.wait_for("Free: everything that could");
    screen.keys("Escape Escape q");
}

/// Every version by keys: out and back again.
#[test]
fn every_version_does_the_whole_job_by_keys() {
    for (level, release) in crate::command_line::LEVELS {
        let sim = Sim::start(&["--android", level, "--allow", "0"]);
        let home = home();
        let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 128, 40);
        screen.wait_for(&format!("Android {release}"));
        screen.wait_for("it listed");
        screen.keys("Enter");
        screen.wait_for("in use");
        screen.keys("/");
        screen.types("htmlviewer");
        screen.wait_for("│ com.android.htmlviewer");
        screen.keys("Enter Space");
        screen.wait_for("1 chosen");
        screen.keys("Enter");
        screen.wait_for("sends it in numbered order");
        screen.keys("s");
        screen.wait_for("it is done and read back");
        screen.wait_for("●→○ uninstalled");
        screen.keys("4");
        screen.wait_for("com.android.htmlviewer");
        screen.keys("b");
        screen.wait_for("Plan: put back");
        screen.keys("s");
        screen.wait_for("Run 2: it is done and read back");
        screen.wait_for("○→● in use");
        screen.keys("q");
        screen.wait_for("ended with 0");
    }
}

/// Presses a key until a text is on the screen, each time waiting for what the key does. What is there to be chosen may change
/// meanwhile, so that the key is pressed once too often: where it does nothing any more, `back` leads to the beginning.
///
/// Nothing is pressed because of a picture that is half drawn: the key would come on top of what is there by then, and the
/// next one would do something else than what is read.
fn press_until(screen: &Screen, key: &str, back: &str, text: &str) {
    let begun = std::time::Instant::now();
    let lines = |text: &str| {
        // Of the window only: what is behind it may change by itself.
        let part = |line: &str| {
            let (_, from) = line.split_once('⟩').or_else(|| line.split_once("own screen"))?;
            from.split(['┃', '━']).next().map(str::to_owned)
        };
        text.lines().filter_map(part).collect::<Vec<_>>()
    };
    let drawn = || {
        let (mut last, mut same) = (screen.text(), 0);
        while same < 3 {
            std::thread::sleep(std::time::Duration::from_millis(30));
            let now = screen.text();
            same = if lines(&now) == lines(&last) { same + 1 } else { 0 };
            last = now;
        }
        last
    };
    while begun.elapsed() < crate::support::LONG {
        let before = drawn();
        if before.contains(text) {
            return;
        }
        screen.keys(key);
        let pressed = std::time::Instant::now();
        while lines(&screen.text()) == lines(&before) {
            if pressed.elapsed() > std::time::Duration::from_secs(5) {
                (0..12).for_each(|_| screen.keys(back));
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(30));
        }
    }
    screen.wait_for(text);
}

/// Opens the devices' own screens on the one of that name, and does the act that has those words.
fn on_its_own_screen(screen: &Screen, name: &str, act: &str) {
    screen.wait_for(": its own screen");
    press_until(screen, "Right", "Left", &format!("{name}: its own screen"));
    screen.wait_for(act);
    press_until(screen, "Down", "Up", &format!("⟩ {act}"));
    screen.keys("Enter");
}

/// What follows a text on the screen, up to a blank.
fn after(screen: &Screen, text: &str) -> String {
    let line = screen.line(text);
    let rest = &line[line.find(text).unwrap() + text.len()..];
    rest.split_whitespace().next().unwrap().to_owned()
}

#[test]
fn the_unpaired_phone_of_the_demo_is_paired_by_code_and_again_by_qr() {
    let home = home();
    std::fs::create_dir(home.path().join("demo")).unwrap();
    std::fs::copy(home.path().join("host-key.pem"), home.path().join("demo/host-key.pem")).unwrap();
    let screen = Screen::start(home.path(), "demo", 128, 44);
    screen.wait_for("not paired: p pairs");
    screen.keys("p");
    screen.wait_for("scan the code on the left");
    screen.keys("C-t");
    on_its_own_screen(&screen, "Tarnbek Go", "“Pair device with pairing code”");
    screen.wait_for("Wi-Fi pairing code: ");
    let code = after(&screen, "Wi-Fi pairing code: ");
    screen.keys("Escape");
    screen.wait_for("A device offers pairing");
    // A wrong one, and then one typed after the dialog was closed: both are told, and the window stays.
    screen.types(if code == "111111" { "222222" } else { "111111" });
    screen.keys("Enter");
    screen.wait_for("the code is not the one");
    screen.keys("C-t");
    on_its_own_screen(&screen, "Tarnbek Go", "close the dialog");
    screen.wait_for("“Pair device with pairing code”");
    screen.keys("Escape");
    screen.wait_for("Pair a device for wireless debugging");
    screen.types(&code);
    screen.keys("Enter");
    // Whichever comes first: that it is not announced any more, or that nobody answers there.
    screen.wait_for_any(&["closed its dialog", "nothing offers pairing at"]);
    // A new dialog: its address comes by itself, and only its code is to be typed.
    screen.keys("C-t");
    on_its_own_screen(&screen, "Tarnbek Go", "“Pair device with pairing code”");
    screen.wait_for("Wi-Fi pairing code: ");
    let code = after(&screen, "Wi-Fi pairing code: ");
    screen.keys("Escape");
    screen.wait_for("A device offers pairing");
    screen.types(&code);
    screen.keys("Enter");
    screen.wait_for("211 packages");
    screen.wait_for("Tarnbek Go");
    screen.keys("q");
    screen.wait_for("ended with 0");
    drop(screen);

    // The second start has new devices, which do not know this computer.
    let screen = Screen::start(home.path(), "demo", 128, 44);
    screen.wait_for("not paired: p pairs");
    screen.keys("p");
    screen.wait_for("scan the code on the left");
    screen.keys("C-t");
    on_its_own_screen(&screen, "Tarnbek Go", "“Pair device with QR code”: scan");
    screen.wait_for("Computers it knows: 1");
    screen.keys("Escape");
    screen.wait_for("211 packages");
    screen.keys("q");
    screen.wait_for("ended with 0");
}

#[test]
fn what_is_mended_on_the_device_is_noticed_without_a_key() {
    let home = home();
    let screen = Screen::start(home.path(), "demo", 128, 44);
    screen.wait_for("changes not permitted");
    screen.wait_for("Corvane Rill 2");
    for _ in 0..6 {
        if screen.line("device ").contains("Corvane Rill 2") {
            break;
        }
        screen.keys("n");
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    screen.wait_for("second switch");
    screen.keys("t");
    on_its_own_screen(&screen, "Corvane Rill 2", "switch the second switch on");
    screen.keys("Escape");
    screen.wait_for("189 packages, ");
    assert!(!screen.text().contains("changes not permitted"), "{}", screen.text());
    // The cable pulled and put back.
    screen.keys("t");
    on_its_own_screen(&screen, "Corvane Rill 2", "pull the cable");
    screen.keys("Escape");
    screen.wait_for("unplugged");
    screen.wait_for("Plug the cable in again");
    screen.keys("t");
    on_its_own_screen(&screen, "Corvane Rill 2", "plug the cable in");
    screen.keys("Escape");
    screen.wait_for("189 packages, ");
    // Closing: in words first, then done and seen.
    screen.keys(". l");
    screen.wait_for("⟩ settings put global adb_enabled 0");
    screen.keys("s");
    screen.wait_for("the link went with it");
    screen.keys("Space");
    screen.wait_for("closed: r links it again");
    screen.keys("q");
    screen.wait_for("ended with 0");
}

#[test]
fn a_pulled_link_in_a_run_comes_back_by_itself() {
    let mut sim = Sim::start(&["--device", "crew-phone"]);
    let home = home();
    let screen = Screen::start(home.path(), &format!("--at {}", sim.address()), 128, 40);
    screen.wait_for("236 packages");
    screen.keys("Enter");
    screen.wait_for("com.android.apps.");
    // The first of the list is Android itself, which is not taken out.
    screen.keys("Space");
    screen.wait_for("never taken out: it is Android itself");
    screen.keys("Down Space Space Space Enter");
    screen.wait_for("sends it in numbered order");
    screen.wait_for("3 to send");
    // Slow enough to be cut in the middle, whatever else is read meanwhile.
    sim.tell("fault work=2000:10");
    screen.keys("s");
    screen.wait_for("answered");
    sim.tell("fault cut=from:1");
    sim.tell("fault work=0:0");
    screen.wait_for("3 of 3");
    screen.wait_for("finished");
    let (packages, _) = json(home.path(), &["packages", sim.address(), "--json"]);
    let gone: Vec<&str> = packages["packages"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|p| p["states"]["0"]["state"] == "uninstalled")
        .map(|p| p["id"].as_str().unwrap())
        .collect();
    let text = screen.text();
    // Of a long id the end is shown, beside the label.
    let end = |id: &str| format!(".{} ", id.rsplit('.').next().unwrap_or(id));
    let shown: Vec<&str> = gone.iter().copied().filter(|id| text.contains(&end(id))).collect();
    assert_eq!(
        (shown.len(), text.matches("●→○ uninstalled").count()),
        (3, 3),
        "screen and device agree\n{text}\n{gone:?}"
    );
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
    screen.wait_for("debugging over");
    screen.keys("C-c");
    screen.wait_for("ended with 0");
}

/// What a technician does to find things: by a name that the id does not have, by use and size, by touching the device.
#[test]
fn packages_are_found_by_name_by_use_and_by_touch() {
    let home = home();
    let screen = Screen::start(home.path(), "demo", 128, 40);
    screen.wait_for("Corvane Tarn 5");
    screen.wait_for("236 packages");
    screen.keys("Enter");
    // Labels come in while the table is there.
    screen.wait_for("Android System");
    screen.keys("/");
    screen.types("foghorn");
    screen.wait_for("/ foghorn");
    screen.wait_for("│ com.corvane.radio");
    assert!(screen.line("▌").contains("Foghorn"));
    screen.keys("C-u");
    screen.types("skerry");
    screen.wait_for("My Skerry");
    screen.keys("C-u");
    screen.types(":idle>90d :size>50M");
    screen.wait_for("/ :idle>90d :size>50M");
    screen.wait_for("│ com.corvane.recorder");
    assert!(!screen.text().contains("Foghorn"));
    screen.keys("Enter I");
    screen.wait_for("as of the last time the device was idle on its charger");
    screen.keys("Escape");
    // Somebody touches the device.
    screen.keys("f");
    screen.wait_for("◉ Home");
    screen.keys("t");
    on_its_own_screen(&screen, "Corvane Tarn 5", "open “Word Pier”");
    screen.keys("Escape");
    screen.wait_for("◉ Word Pier");
    screen.keys("f");
    screen.wait_for("◉Word Pier");
    screen.wait_for("│ com.lanternquay.wordpier");
    screen.keys("q");
    screen.wait_for("ended with 0");
}

/// From the demo by keys alone: a keyboard is replaced in the run that takes the old ones, the run is stopped and carried on, what was
/// refused is done another way, and all of it is undone.
#[test]
fn a_run_with_refusals_and_a_new_keyboard_and_all_of_it_undone() {
    let home = home();
    let screen = Screen::start(home.path(), "demo", 128, 40);
    screen.wait_for("236 packages");
    screen.keys("Enter");
    for word in ["corvane.security", "corvane.fota", "android.music", "inputmethod.latin", "corvane.keyboard"] {
        screen.keys("/ C-u");
        screen.types(word);
        screen.wait_for(" of 236 found");
        screen.wait_for(word);
        screen.keys("Enter Space");
        screen.wait_for(" chosen: ");
    }
    // Whatever is refused is to be: both by uninstalling.
    screen.keys(". a");
    screen.wait_for("pier-keys.apk");
    screen.keys("Enter");
    screen.wait_for("6 chosen: install 1");
    screen.keys("Enter");
    screen.wait_for("takes over: the chosen keyboard");
    screen.wait_for("Nothing has been sent yet. s sends it");
    assert!(!screen.text().contains("typing"), "the new one types: {}", screen.text());
    screen.keys("s");
    // As soon as it stands, it is paused and stopped, wherever it is by then.
    screen.wait_for("Run 1: take out");
    screen.keys("x");
    screen.wait_for_any(&["stopped, can be carried on", "· finished"]);
    if !screen.text().contains("· finished") {
        screen.keys("c");
        screen.wait_for("· finished");
    }
    screen.wait_for("not done: O shows what else may work");
    assert!(screen.line("fer.pellmoor.keys").contains("done"), "{}", screen.text());
    screen.keys("O");
    screen.wait_for("What else may work");
    screen.keys("Enter");
    screen.wait_for("Plan: take out");
    screen.wait_for("s sends it in numbered order");
    screen.keys("s");
    screen.wait_for("Run 2: take out");
    screen.wait_for("· finished");
    // Undone from wherever one is, the last run first.
    screen.keys("2 Z");
    screen.wait_for("Plan: put back");
    screen.keys("s");
    screen.wait_for("Run 3: put back");
    screen.wait_for("· finished");
    screen.keys("Z");
    screen.wait_for("Plan: put back");
    screen.keys("s");
    screen.wait_for("Run 4: put back");
    screen.wait_for("· finished");
    screen.wait_for("Shelf 9");
    screen.keys("2 / C-u");
    screen.types("corvane.keyboard");
    screen.wait_for("somebody has chosen it as the keyboard");
    screen.keys("Enter q");
}

/// By keys: what a run took out of a phone becomes an order, which is held against two other devices, shown, and sent to both; one
/// refuses a step, and the link of the other one goes in the middle.
#[test]
fn an_order_goes_to_several_devices_at_once() {
    let home = home();
    let phone = Sim::start(&["--device", "crew-phone"]);
    let mut tablet = Sim::start(&["--device", "desk-tablet"]);
    let tv = Sim::start(&["--device", "waiting-room-tv", "--fault", "refuse=com.android.music:-1000"]);
    let at = format!("--at {} --at {} --at {}", phone.address(), tablet.address(), tv.address());
    let taken = ["com.corvane.tips", "com.android.egg", "com.android.music"];
    let run = [&["run", phone.address(), "--user", "0", "--yes", "--uninstall"][..], &taken].concat();
    assert_eq!(json(home.path(), &[&run[..], &["--json"]].concat()).1, 0);
    let screen = Screen::start(home.path(), &at, 128, 40);
    screen.wait_for("236 packages, 12 off");
    screen.wait_for("192 packages");
    screen.wait_for("200 packages");
    // The device that had the run was named first.
    screen.keys("Up Up");
    screen.wait_for("last run 1: 3 of 3 done");
    screen.keys("A");
    screen.wait_for("No orders yet");
    screen.keys("m");
    screen.wait_for("Make an order");
    screen.keys("C-u");
    screen.types("Crew phones");
    screen.keys("Enter");
    // “3 items” stands in the window before, too.
    screen.wait_for("The order stands in");
    screen.keys("Enter");
    screen.wait_for("Order: Crew phones");
    screen.wait_for("none to do");
    screen.wait_for("2 to do");
    // Both others have been read.
    crate::support::wait("both devices under the order", || screen.text().matches("2 to do").count() == 2);
    assert!(screen.text().contains("is so already") && screen.text().contains("not there"), "{}", screen.text());
    screen.keys("s");
    screen.wait_for("This is sent");
    screen.wait_for("uninstall --user 0 com.android.egg");
    tablet.tell("fault work=1500:10");
    screen.keys("s");
    tablet.wait_for("package uninstall");
    tablet.tell("fault cut=from:1");
    tablet.tell("fault work=0:0");
    screen.wait_for("all 2 done");
    screen.wait_for("▲ 1 of 2");
    assert!(screen.text().contains("refused"), "{}", screen.text());
    screen.keys("Escape");
    let (found, _) = json(home.path(), &["packages", tablet.address(), "--user", "0", "--json"]);
    let of = |id: &str| found["packages"].as_array().unwrap().iter().find(|one| one["id"] == id).unwrap().clone();
    for id in ["com.android.egg", "com.android.music"] {
        assert_eq!(of(id)["states"]["0"]["state"], "uninstalled", "{id}");
    }
    let (runs, _) = json(home.path(), &["runs", "--search", "crew phones", "--json"]);
    assert_eq!(runs["runs"].as_array().unwrap().len(), 2);
}
