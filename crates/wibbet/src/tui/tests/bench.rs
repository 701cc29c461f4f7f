//! The bench.

use super::*;

#[test]
fn a_missing_rung_says_what_to_do() {
    let mut screen = Screen::empty(100, 30);
    let mut ladder = Ladder::default();
    let advice = "Unlock the device and tap “Allow”.".to_owned();
    ladder.fall(LinkTrouble::with(Rung::Authorised, Advice::Allow, "it asks", advice));
    screen.tell(SessionEvent::Ladder(Box::new(ladder)));
    assert!(screen.shows("Unlock the device and tap “Allow”.") && screen.shows("waiting for “Allow” on the device"));
    for (columns, lines) in [(80, 24), (50, 20), (42, 16)] {
        screen.model.app.size = (columns, lines);
        assert!(screen.shows("Unlock the device and tap"), "{columns}x{lines}\n{}", screen.text());
    }
}

#[test]
fn devices_are_added_by_address() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("anonsense\n");
    assert!(screen.shows("an address is HOST:PORT"));
    screen.keys("\x1ba192.0.2.7:5555\n");
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Add("192.0.2.7:5555".parse().unwrap()))]);
    screen.card(3, "192.0.2.7:5555");
    assert_eq!(screen.model.app.current, 1, "what was added is turned to");
    screen.keys("a127.0.0.1:40001\n");
    assert_eq!((screen.effects.len(), screen.model.app.current), (1, 0));
}

/// A device as it tells of itself, with something to be warned of.
fn details() -> Details {
    let vitals = Vitals {
        started: Some(true),
        current_user: Some(UserId::OWNER),
        stays_awake: Some(0),
        battery: Some(Battery { percent: 87, powered: true }),
        managed: vec![wibbet_core::device::Managed {
            user: Some(UserId::new(10)),
            package: "com.pellmoor.work".parse().unwrap(),
        }],
        ..Vitals::default()
    };
    Details { vitals, ..Details::default() }
}

#[test]
fn cards_come_and_go_and_the_cursor_stays_on_its_device() {
    let mut screen = Screen::linked(128, 40);
    screen.card(4, "192.0.2.4:5555");
    screen.card(5, "192.0.2.5:5555");
    screen.keys("nn");
    assert_eq!(screen.model.app.device().unwrap().card, 5);
    screen.bench(BenchEvent::Gone(4));
    assert_eq!(screen.model.app.device().unwrap().card, 5);
    screen.bench(BenchEvent::Gone(5));
    assert_eq!(screen.model.app.device().unwrap().card, 0);
    screen.bench(BenchEvent::Gone(0));
    assert!(screen.shows("The bench is empty."));
    screen.keys("g");
    assert!(screen.shows("tap the build or OS version line seven times"));
}

#[test]
fn what_was_meant_for_a_device_does_not_go_to_the_next_one() {
    // Two devices at hand; the one that is worked on goes while something is being decided about it.
    for (keys, window) in [(".o", "Open on the device"), (".n", "Note on"), (".g", "Language of labels")] {
        let mut screen = Screen::linked(128, 40);
        screen.card(4, "192.0.2.4:5555");
        screen.keys("2");
        screen.keys(keys);
        assert!(screen.shows(window), "{window}\n{}", screen.text());
        screen.bench(BenchEvent::Gone(0));
        assert!(!screen.shows(window), "{}", screen.text());
        assert!(screen.shows("is not on the bench any more."), "{}", screen.text());
        screen.effects.clear();
        screen.keys("\n");
        assert_eq!(screen.effects, []);
        assert_eq!(screen.model.app.view, View::Bench);
    }
    // A window that is about no device stays, and one about a device stays while another one goes.
    for (keys, window) in [("?", "Help"), ("1.l", "Close the link to")] {
        let mut screen = Screen::linked(128, 40);
        screen.card(4, "192.0.2.4:5555");
        screen.keys(keys);
        screen.bench(BenchEvent::Gone(4));
        assert!(screen.shows(window), "{window}\n{}", screen.text());
    }
}

#[test]
fn a_device_that_was_waited_for_takes_nobody_away_from_another() {
    for (moved_on, current) in [("", 1), ("2", 0), (".l", 0)] {
        let mut screen = Screen::linked(128, 40);
        screen.keys("1a192.0.2.9:5555\n");
        screen.keys(moved_on);
        screen.card(4, "192.0.2.9:5555");
        assert_eq!(screen.model.app.current, current, "{moved_on}");
        assert_eq!(screen.shows("192.0.2.9:5555 is on the bench now."), current == 0, "{moved_on}\n{}", screen.text());
    }
}

#[test]
fn the_card_tells_what_the_device_is_and_warns() {
    let mut screen = Screen::linked(128, 40);
    screen.tell(SessionEvent::Details(Box::new(details())));
    for text in
        ["battery 87 %, charging", "▲ user 10 is managed by com.pellmoor.work", "Android permits them", "on the screen"]
    {
        assert!(screen.shows(text), "{text}\n{}", screen.text());
    }
    // The second switch blocks changes, and nothing else.
    let mut ladder = ready();
    ladder.fall(LinkTrouble::new(Rung::Changes, Advice::SecondSwitch, "it refused"));
    screen.tell(SessionEvent::Ladder(Box::new(ladder)));
    assert!(
        screen.shows("second switch") && screen.shows("7 packages") && screen.shows("linked · changes not permitted")
    );
    screen.keys("\n \n");
    assert!(
        screen.shows("▲ the device does not permit changes") && screen.shows("(+1 on the bench)"),
        "{}",
        screen.text()
    );
    screen.keys("1");
    screen.effects.clear();
    screen.keys(".h");
    let stay = Effect::Bench(BenchCommand::Session(0, SessionCommand::StayAwake(true)));
    assert_eq!(screen.effects, [stay]);
    insta::assert_snapshot!("bench_second_switch_128x40", screen.text());
    // The page where the switch is can be opened on the device.
    screen.effects.clear();
    screen.keys(".d");
    let page = Effect::Bench(BenchCommand::Session(0, SessionCommand::OpenDeveloperOptions));
    assert_eq!(screen.effects, [page]);
    // Whether they are permitted by now can be tried, as long as that is not known.
    screen.effects.clear();
    screen.keys(".c");
    let to_try = Effect::Bench(BenchCommand::Session(0, SessionCommand::TryChanges));
    assert_eq!(screen.effects, [to_try]);
    screen.tell(SessionEvent::Ladder(Box::new(ready())));
    screen.effects.clear();
    screen.keys(".c");
    assert_eq!(screen.effects, []);
}

#[test]
fn many_devices_are_one_list_that_scrolls() {
    let mut screen = Screen::linked(128, 40);
    for n in 1..40 {
        screen.card(n, &format!("192.0.2.{n}:5555"));
    }
    assert!(screen.shows("192.0.2.9:5555") && !screen.shows("192.0.2.39:5555"));
    screen.code(KeyCode::End);
    assert!(screen.shows("192.0.2.39:5555"));
    for (columns, lines) in [(100, 30), (80, 24), (50, 20), (30, 8)] {
        screen.model.app.size = (columns, lines);
        let text = screen.text();
        assert!(text.contains("192.0.2.39"), "{columns}x{lines}\n{text}");
    }
}

#[test]
fn devices_work_beside_one_another() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("a192.0.2.7:5555\n");
    screen.card(1, "192.0.2.7:5555");
    screen.effects.clear();
    screen.bench(BenchEvent::Session(1, SessionEvent::Note("run 3 was interrupted".into())));
    assert!(screen.shows("192.0.2.7:5555: run 3 was interrupted"), "a note says whose it is");
    screen.keys("n2 ");
    assert_eq!((screen.model.app.current, screen.model.app.devices[0].tray.len()), (0, 1));
    screen.keys("n");
    assert!(screen.shows("making the link"));
    screen.keys(" \ns");
    assert!(screen.model.app.devices[1].tray.is_empty());
    assert!(!screen.effects.iter().any(|e| matches!(e, Effect::Bench(BenchCommand::Session(..)))));
}

/// One command of the shell is sent once, and its answer shown; a restart may lead elsewhere than into Android.
#[test]
fn a_command_is_typed_and_a_restart_leads_where_it_is_wanted() {
    let mut screen = Screen::linked(100, 30);
    screen.keys(".sgetprop ro.x\n\n");
    let sent = Effect::Bench(BenchCommand::Session(0, SessionCommand::Shell("getprop ro.x".into())));
    assert_eq!(screen.effects.iter().filter(|effect| **effect == sent).count(), 1);
    assert!(screen.shows("waiting for the answer"), "{}", screen.text());
    let said = wibbet_bench::ops::HandCommand {
        command: "getprop ro.x".into(),
        answer: PlainText::new("one\ntwo"),
        code: Some(0),
    };
    screen.tell(SessionEvent::Hand(Ok(said)));
    assert!(screen.shows("two") && screen.shows("exit code 0"), "{}", screen.text());
    screen.keys("\x1b.r  ");
    assert!(screen.shows("Into the bootloader.") && screen.shows("svc power reboot bootloader"), "{}", screen.text());
    screen.keys("s");
    let to = wibbet_core::ask::RestartTo::Bootloader;
    let sent = Effect::Bench(BenchCommand::Session(0, SessionCommand::Restart(to)));
    assert_eq!(screen.effects.last(), Some(&sent));
    screen.keys(".p");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Session(0, SessionCommand::Picture))));
    screen.tell(SessionEvent::Picture(vec![1, 2]));
    assert!(matches!(screen.effects.last(), Some(Effect::Write(name, ".png", _)) if name == "screen-CT5-0417-2291"));
}

/// A file is brought from the device or to it; a place that is none is told before anything is sent.
#[test]
fn a_file_is_brought_either_way() {
    let mut screen = Screen::linked(100, 30);
    screen.keys(".fa.jpg\n");
    let folder = screen.model.app.apps_folder.join("");
    let bring = |here: &std::path::Path, there: &str, to_device| {
        let (here, there) = (here.to_owned(), there.parse().unwrap());
        Effect::Bench(BenchCommand::Session(0, SessionCommand::Bring { here, there, to_device }))
    };
    assert_eq!(screen.effects.last(), Some(&bring(&folder, "/sdcard/Download/a.jpg", false)));
    screen.keys(".f");
    let control = |letter| Event::Key(KeyEvent::new(KeyCode::Char(letter), KeyModifiers::CONTROL));
    let effects = update(&mut screen.model, Message::Terminal(control('d')));
    screen.take(effects);
    assert!(screen.shows("Bring a file to Corvane Tarn 5"), "{}", screen.text());
    screen.keys("\tb.jpg\n");
    assert_eq!(screen.effects.last(), Some(&bring(&folder.join("b.jpg"), "/sdcard/Download/", true)));
    screen.keys(".f");
    let effects = update(&mut screen.model, Message::Terminal(control('u')));
    screen.take(effects);
    let before = screen.effects.len();
    screen.keys("sdcard\n");
    assert_eq!(screen.effects.len(), before, "{}", screen.text());
}
