//! Pairing, first steps and closing.

use super::*;
use wibbet_bench::ops::CopiesGo;
use wibbet_bench::session::Closing;
use wibbet_core::ask::RestartTo;

#[test]
fn pairing_keeps_what_was_typed_and_says_what_expired() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("p");
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::ShowQr)]);
    screen.bench(BenchEvent::Pairing(PairNews::Show("WIFI:T:ADB;S:wibbet-abcdef;P:secret;;".into())));
    assert!(screen.shows("scan the code on the left") && screen.text().contains('▀'));
    let offer = |at: &str| BenchEvent::Offers(vec![("adb-TG-abcdef".into(), at.parse().unwrap())]);
    screen.bench(offer("192.0.2.9:37001"));
    assert!(screen.shows("address  192.0.2.9:37001"), "the address comes by itself");
    screen.keys("p12 34x56\n");
    let pair = |at: &str, code: &str| Effect::Bench(BenchCommand::Pair { at: at.parse().unwrap(), code: code.into() });
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37001", "123456")));
    // A wrong code: only the code has to be typed again.
    screen.bench(BenchEvent::Paired(Err(("the code is not the one".into(), true))));
    assert!(screen.shows("▲ the code is not the one") && screen.shows("address  192.0.2.9:37001"));
    screen.keys("654321\n");
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37001", "654321")));
    // The dialog is gone: the next one brings its own address.
    screen.bench(BenchEvent::Offers(Vec::new()));
    screen.bench(BenchEvent::Paired(Err(("nothing offers pairing there".into(), false))));
    screen.bench(offer("192.0.2.9:37777"));
    assert!(screen.shows("address  192.0.2.9:37777") && !screen.shows("nothing offers"));
    screen.keys("111222\n");
    assert_eq!(screen.effects.last(), Some(&pair("192.0.2.9:37777", "111222")));
    screen.bench(BenchEvent::Paired(Ok("adb-TG-abcdef".into())));
    assert!(screen.model.windows.is_empty() && screen.shows("Paired with adb-TG-abcdef"));
    // A dialog that closes while its code is being typed is told at once.
    screen.keys("p");
    screen.bench(offer("192.0.2.9:37888"));
    screen.keys("12");
    screen.bench(BenchEvent::Offers(Vec::new()));
    assert!(screen.shows("closed its dialog"));
    screen.keys("\n");
    assert!(
        screen.shows("closed its dialog")
            && !matches!(screen.effects.last(), Some(Effect::Bench(BenchCommand::Pair { code, .. })) if code == "12")
    );
    screen.keys("\x1b");
    // Several offer it: nobody here knows whose address is whose, and no stranger's stands in the field.
    screen.keys("p");
    let two = ["192.0.2.66:4000", "192.0.2.9:37999"].map(|at| ("adb-X-abcdef".to_owned(), at.parse().unwrap()));
    screen.bench(BenchEvent::Offers(two.to_vec()));
    assert!(
        screen.shows("2 offer pairing: 192.0.2.66:4000") && !screen.shows("address  192.0.2.66"),
        "{}",
        screen.text()
    );
    screen.bench(offer("192.0.2.9:37999"));
    assert!(screen.shows("address  192.0.2.9:37999"));
    screen.bench(BenchEvent::Offers(two.to_vec()));
    assert!(screen.shows("address  192.0.2.9:37999"), "it is offered yet");
    screen.keys("\x1b");
    // What was typed is not replaced, and rules of the fields are told.
    screen.keys("p");
    screen.bench(BenchEvent::Offers(Vec::new()));
    screen.keys("\n");
    assert!(screen.shows("no device offers pairing"));
    screen.keys("\tx\n");
    for (columns, lines) in [(100, 30), (80, 24), (50, 20)] {
        screen.model.app.size = (columns, lines);
        assert!(screen.shows("Pair a device"), "{columns}x{lines}");
    }
    screen.keys("\x1b");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::EndPairing)));
}

#[test]
fn the_windows_about_links_at_their_sizes() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("p");
    screen.bench(BenchEvent::Pairing(PairNews::Show("WIFI:T:ADB;S:wibbet-abcdef;P:secret;;".into())));
    insta::assert_snapshot!("pair_100x30", screen.text());
    screen.model.app.size = (80, 24);
    insta::assert_snapshot!("pair_80x24", screen.text());
    screen.keys("\x1bg");
    insta::assert_snapshot!("first_steps_80x24", screen.text());
    screen.keys("\x1b.l");
    insta::assert_snapshot!("close_80x24", screen.text());
    screen.keys("\x1b");
    screen.model.app.device_screens = vec![crate::demo::DemoScreen {
        serial: "CT5-0417-2291".into(),
        name: "Corvane Tarn 5".into(),
        lines: vec!["USB debugging: on".into()],
        acts: vec![crate::demo::DemoAct::Cable(false), crate::demo::DemoAct::Cable(true)],
    }];
    screen.keys("t_\n");
    let plug = Effect::Demo("CT5-0417-2291".into(), crate::demo::DemoAct::Cable(true));
    assert_eq!(screen.effects.last(), Some(&plug));
    assert!(screen.shows("⟩ plug the cable in") && screen.shows("simulated"));
    // Something else to do comes before it: the cursor stays on what it was on. When that goes, Enter does nothing.
    let acts = |screen: &mut Screen, acts: Vec<crate::demo::DemoAct>| screen.model.app.device_screens[0].acts = acts;
    let allow = crate::demo::DemoAct::Owner(wibbet_sim::OwnerAction::Allow);
    acts(&mut screen, vec![allow.clone(), crate::demo::DemoAct::Cable(false), crate::demo::DemoAct::Cable(true)]);
    assert!(screen.shows("⟩ plug the cable in"), "{}", screen.text());
    screen.effects.clear();
    screen.keys("\n");
    assert_eq!(screen.effects, [plug]);
    acts(&mut screen, vec![allow]);
    screen.effects.clear();
    screen.keys("\n");
    assert!(screen.effects.is_empty() && screen.shows("⟩ tap “Allow”"), "{:?}", screen.effects);
}

#[test]
fn closing_is_shown_in_words_before_it_is_done() {
    let mut screen = Screen::linked(128, 40);
    screen.keys(".l");
    assert!(screen.shows("⟩ settings put global adb_enabled 0") && screen.effects.is_empty());
    screen.keys("kfs");
    let close = SessionCommand::Close(Closing { forget: true, ..Closing::default() });
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Session(0, close))]);
    let step = CloseStep { what: "forget the device here".into(), done: true, known: "its runs stay".into() };
    screen.tell(SessionEvent::Closed(vec![step]));
    assert!(screen.shows("✓ forget the device here") && screen.shows("Revoke USB debugging"));
    // The paper is at hand where there is a run.
    screen.effects.clear();
    screen.keys("J");
    assert!(screen.effects.is_empty() && !screen.shows("the job sheet"), "{}", screen.text());
    screen.tell(SessionEvent::Runs(Arc::new(vec![run([Some(Outcome::Done); 3])])));
    assert!(screen.shows("J the job sheet"), "{}", screen.text());
    screen.keys("J");
    assert_eq!(screen.effects, [Effect::ReadSheet(RunId::new(7))]);
    screen.keys("\x1b ");
    assert!(screen.model.windows.is_empty());
}

/// What a restart does to the link is said before, for the ways that there are.
#[test]
fn a_restart_is_shown_in_words_before_it_is_done() {
    use wibbet_bench::around::Route;
    let cable = Route::Cable(wibbet_adb::UsbPlace { bus: "1".into(), number: 2 });
    let air = Route::Air { instance: "adb-x".into(), at: "192.0.2.7:40001".parse().unwrap(), others: Vec::new() };
    let restart = [Effect::Bench(BenchCommand::Session(0, SessionCommand::Restart(RestartTo::System)))];
    for (routes, words) in [
        (vec![cable.clone()], "comes back by itself on its cable"),
        (vec![cable, air.clone()], ". w switches it on over the cable"),
        (vec![air], "linked by air only"),
    ] {
        let mut screen = Screen::linked(80, 24);
        screen.bench(BenchEvent::Routes(0, routes));
        screen.keys(".r");
        // Over line ends.
        let text: String = screen.text().split(['│', '┃', '\n']).map(str::trim).collect::<Vec<_>>().join(" ");
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(text.contains(words), "{words}: {}", screen.text());
        assert!(screen.shows("⟩ dumpsys package write") && screen.shows("⟩ svc power reboot"));
        assert!(screen.effects.is_empty());
        screen.keys("s");
        assert_eq!(screen.effects, restart);
        assert!(screen.model.windows.is_empty());
    }
}

/// The copies of its owner's apps stay, go with the device, or are deleted, as was chosen.
#[test]
fn copies_of_its_apps_are_a_part_of_closing() {
    let mut screen = Screen::linked(100, 30);
    screen.keys(".lc");
    assert!(!screen.shows("of its apps"), "there are none: {}", screen.text());
    let copy = testing::copy("com.wrenandkelp.radio", &["base.apk"]);
    screen.tell(SessionEvent::Copies { own: Arc::new(vec![copy]), offered: Arc::default() });
    assert!(screen.shows("1 copy of its apps: kept on this computer"), "{}", screen.text());
    screen.keys("c");
    assert!(
        screen.shows("handed over, and not kept here") && screen.shows("into copies-of-corvane-tarn-5-"),
        "{}",
        screen.text()
    );
    screen.keys("c");
    assert!(
        screen.shows("of its apps: deleted") && screen.shows("cannot be put back from here any more"),
        "{}",
        screen.text()
    );
    screen.keys("s");
    let deletes = |effect: &Effect| matches!(effect, Effect::Bench(BenchCommand::Session(0, SessionCommand::Close(closing))) if closing.copies == CopiesGo::Delete && closing.switch_off);
    assert!(screen.effects.iter().any(deletes), "{:?}", screen.effects);
    // What is long stands there whole.
    let what = "copy of com.wrenandkelp.radio handed over";
    let known = "5.8 MB in /home/ines/copies-of-corvane-tarn-5-2026-11-28/com.wrenandkelp.radio-copy-1";
    screen.tell(SessionEvent::Closed(vec![CloseStep { what: what.into(), done: true, known: known.into() }]));
    assert!(screen.shows(what) && screen.shows("com.wrenandkelp.radio-copy-1"), "{}", screen.text());
}
