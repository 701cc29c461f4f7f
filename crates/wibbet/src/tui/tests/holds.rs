//! What ties packages, on the screen.

use std::collections::BTreeSet;

use wibbet_core::ask::Opening;
use wibbet_core::holds::{Hold, HoldKind, HoldSource, Judged, Sure};
use wibbet_core::package::{AppFacts, AppNames, Declared, DeclaredPart, Elsewhere, PartKind, Ties};
use wibbet_types::PackageId;

use super::*;

fn id(text: &str) -> PackageId {
    text.parse().unwrap()
}

fn hold(kind: HoldKind, what: &str, stops: &str) -> Hold {
    let text = format!("it is the last that does {what}");
    Hold {
        kind,
        what: what.into(),
        stops: stops.into(),
        sure: Sure::Seen,
        class: (kind == HoldKind::Start).then_some(3),
        evidence: vec![wibbet_core::holds::Evidence { source: HoldSource::Manifests, text }],
        lifted_by: Some(format!("choose another {what} first")),
        by: if kind == HoldKind::Need { BTreeSet::from([id("fer.pellmoor.tides")]) } else { BTreeSet::new() },
        others: 0,
        last: false,
    }
}

/// What ties some packages of a phone.
fn judged(unread: &[HoldSource]) -> Judged {
    let judgement = |holds: Vec<Hold>| Judgement { holds, all_unread: !unread.is_empty(), ..Judgement::default() };
    let packages = [
        ("android", vec![hold(HoldKind::Start, "home", "the home screen"), hold(HoldKind::Role, "share", "sharing")]),
        ("com.android.calendar", vec![hold(HoldKind::Need, "com.calendar.days", "1 package")]),
        ("com.android.music", vec![]),
        ("com.android.webview", vec![hold(HoldKind::Habit, "use", "used today")]),
        ("fer.pellmoor.tides", vec![]),
    ];
    let packages = packages.into_iter().map(|(text, holds)| (id(text), judgement(holds))).collect();
    Judged { packages, unread: unread.to_vec(), ..Judged::default() }
}

/// It has been worked out.
fn tell_judged(screen: &mut Screen, judged: Judged) {
    let judged = Arc::new(BTreeMap::from([(UserId::OWNER, judged), (UserId::new(10), Judged::default())]));
    screen.tell(SessionEvent::Judged(Arc::new(Evidence {
        ties: Arc::new(Ties::default()),
        judged,
        ..Evidence::default()
    })));
}

/// A phone on which some packages are tied.
fn tied(columns: u16, lines: u16, unread: &[HoldSource]) -> Screen {
    let mut screen = Screen::linked(columns, lines);
    tell_judged(&mut screen, judged(unread));
    screen.keys("2");
    screen.effects.clear();
    screen
}

#[test]
fn holds_stand_in_their_places_and_are_found() {
    let mut screen = tied(160, 45, &[]);
    for (line, places) in [("Calendar ", "··n·"), ("Webview ", "···h"), ("Tides ", "····"), ("Android ", "sr··")]
    {
        let text = screen.text();
        let line = text.lines().find(|text| text.contains(&format!("~ {line}"))).unwrap();
        assert!(line.contains(places), "{line}");
    }
    // Of what is off nothing is said.
    let text = screen.text();
    let off = text.lines().find(|text| text.contains("~ Usermanual")).unwrap();
    assert!(!off.contains("····"), "{off}");
    for (search, found) in [
        (":free", &["com.android.music", "fer.pellmoor.tides"][..]),
        (":start", &["android"]),
        (":need", &["com.android.calendar"]),
        (":held :habit", &["com.android.webview"]),
        (":stops=sharing", &["android"]),
        (":need=tides", &["com.android.calendar"]),
        (":need=music", &[]),
        (":unread", &[]),
    ] {
        screen.keys(&format!("/{search}\n"));
        let ids: Vec<&str> = screen.model.app.devices[0].found.iter().map(PackageId::as_str).collect();
        assert_eq!(ids, found, "{search}");
        screen.keys("\x1b\x1b");
    }
}

#[test]
fn why_it_is_held_stands_beside_it() {
    let mut screen = tied(160, 45, &[]);
    screen.keys("/:start\n");
    for words in [
        "Without it stops: the home screen,",
        "start · home (seen, it starts and",
        "it is the last that does home",
        "lifted: choose another home first",
        "role · share (seen)",
        "As read at 01 Jan 00:00.",
    ] {
        assert!(screen.shows(words), "{words}\n{}", screen.text());
    }
    screen.keys("\x1b\x1b/:need\n");
    assert!(screen.shows("Tides ──▸ leans on it"), "{}", screen.text());
    screen.keys("\x1b\x1b/music\n");
    assert!(screen.shows("Free: everything that could tie it was"), "{}", screen.text());
    let mut screen = tied(160, 45, &[HoldSource::Usage, HoldSource::Accounts]);
    screen.keys("/music\n");
    assert!(screen.shows("????"));
    assert!(screen.shows("read: usage, accounts."), "{}", screen.text());
}

/// What became of it on other devices of this model stands beside it.
#[test]
fn what_became_of_it_elsewhere_is_told() {
    let mut screen = tied(160, 45, &[]);
    let elsewhere = Elsewhere { taken_out: 3, put_back: 1, missed: 0 };
    let all = BTreeMap::from([(id("com.android.music"), elsewhere)]);
    screen.tell(SessionEvent::Elsewhere(Arc::new(all)));
    screen.keys("/music\n");
    assert!(screen.shows("On 3 other devices of this model and"), "{}", screen.text());
    screen.keys("\x1b\x1b/calend\n");
    assert!(!screen.shows("other devices"));
}

#[test]
fn the_tray_says_what_it_does() {
    let mut screen = tied(128, 40, &[]);
    screen.keys("/music\n ");
    assert!(screen.shows("Nothing was found that would be missed."), "{}", screen.text());
    screen.keys("\x1b\x1b/:need\n ");
    // As what leans on it is not in these made-up manifests, only what the judgement says counts.
    assert!(screen.shows("2 chosen"));
    screen.keys("z");
    assert!(screen.shows("Nothing was found that would be missed."), "undone");
    // Before anything is known of it, that is said.
    let mut screen = Screen::listed(128, 40);
    screen.keys("2/music\n ");
    assert!(screen.shows("has not been worked out"), "{}", screen.text());
}

#[test]
fn what_the_start_needs_takes_a_step_of_its_own() {
    let mut screen = tied(128, 40, &[]);
    screen.keys("/:start\n \x1b\x1b/music\n \n");
    assert!(screen.shows("needs one of these: it is left out; . t shows"), "{}", screen.text());
    assert!(screen.shows("what stops: the home screen") && screen.shows("1 to send, 1 not sent"), "{}", screen.text());
    screen.keys(".t");
    assert!(screen.shows("Without it the device starts and cannot be used"), "{}", screen.text());
    // A restart as a trial asks in its own window, and is not sent by this one.
    assert!(screen.shows("how long it takes to start has not been seen"), "{}", screen.text());
    screen.keys("r");
    assert!(screen.shows("Restart Corvane Tarn 5") && screen.effects.is_empty(), "{}", screen.text());
    screen.keys("n");
    screen.tell(SessionEvent::StartTook(Some(std::time::Duration::from_secs(41))));
    assert!(screen.shows("about 41 s to start"), "{}", screen.text());
    screen.keys("n");
    assert!(screen.shows("1 to send, 1 not sent"), "left as it is");
    screen.keys(".tT");
    assert!(screen.shows("2 to send") && screen.shows("▲ the device starts and cannot be used"), "{}", screen.text());
    assert!(screen.shows("Stops: sharing; the home screen."), "{}", screen.text());
    assert!(screen.effects.is_empty(), "nothing is sent by that");
    screen.keys("s");
    let [Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(_, plan)))] = screen.effects.as_slice() else {
        panic!("{:?}", screen.effects)
    };
    assert_eq!(plan.to_send(), 2);
    // The next plan begins with nothing allowed.
    screen.tell(SessionEvent::RunEnded(Some("another Wibbet is at work on the device".into())));
    screen.keys("\x1b\n");
    assert!(screen.shows("1 to send, 1 not sent"), "{}", screen.text());
}

#[test]
fn a_plan_waits_for_what_the_start_needs() {
    let mut screen = Screen::listed(128, 40);
    screen.tell(SessionEvent::Reading(Some("reading labels, 40 of 236".into())));
    screen.keys("2/music\n \ns");
    assert!(screen.effects.is_empty());
    assert!(screen.shows("It waits for what the start needs: reading labels, 40 of 236"), "{}", screen.text());
    // For one of its users only: a plan may be for the other.
    let judged = Arc::new(BTreeMap::from([(UserId::OWNER, Judged::default())]));
    screen.tell(SessionEvent::Judged(Arc::new(Evidence { judged, ..Evidence::default() })));
    assert!(screen.shows("It waits for what the start needs"), "{}", screen.text());
    screen.judged();
    assert!(screen.shows("sends it in numbered order"), "{}", screen.text());
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1);
    // Without it, where somebody does not want to wait.
    let mut screen = Screen::listed(128, 40);
    screen.keys("2/music\n \n.t");
    assert!(screen.shows("has not been worked out yet"), "{}", screen.text());
    screen.keys("Ts");
    assert_eq!(screen.effects.len(), 1);
}

/// A plan that cannot be sent now says so: the key does nothing then.
#[test]
fn a_plan_says_that_the_device_is_not_linked() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/music\n \n");
    screen.tell(SessionEvent::Ladder(Box::default()));
    screen.keys("s");
    assert!(screen.effects.is_empty());
    assert!(screen.shows("as soon as the device is linked and read"), "{}", screen.text());
    screen.tell(SessionEvent::Ladder(Box::new(ready())));
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1);
}

/// Who leans on whom, drawn, and from each to the next.
#[test]
fn what_leans_on_what_is_drawn_and_followed() {
    for (columns, lines) in [(128, 40), (80, 24), (58, 20), (45, 40)] {
        let mut screen = tied(columns, lines, &[]);
        let part = |name: &str| DeclaredPart {
            kind: PartKind::Provider,
            class: "a.Days".into(),
            names: vec![name.to_owned()],
            categories: vec![],
            priority: 0,
            direct_boot: false,
            exported: true,
            in_system: false,
            guard: None,
        };
        let app = |gives: &[&str], asks: &[&str]| {
            let declared = Declared {
                read: true,
                parts: gives.iter().map(|name| part(name)).collect(),
                asks_authorities: asks.iter().map(|name| (*name).to_owned()).collect(),
                ..Declared::default()
            };
            AppFacts { declared: Arc::new(declared), ..AppFacts::default() }
        };
        let apps = [
            ("com.android.calendar", app(&["com.calendar.days"], &["com.android.web.pages"])),
            ("com.android.webview", app(&["com.android.web.pages"], &[])),
            ("fer.pellmoor.tides", app(&[], &["com.calendar.days"])),
            ("com.android.music", app(&[], &["com.calendar.days", "com.android.web.pages"])),
            ("android", app(&[], &["com.android.web.pages"])),
        ];
        let apps = apps.into_iter().map(|(text, app)| (id(text), app)).collect();
        let names = Arc::new(AppNames { apps, ..AppNames::default() });
        let catalog = Catalog { names: Arc::clone(&names), ..Catalog::new(Arc::new(inventory())) };
        screen.tell(SessionEvent::Names(names));
        let leans = wibbet_core::holds::judge(&catalog.known(UserId::OWNER)).leans;
        tell_judged(&mut screen, Judged { leans, ..judged(&[]) });
        screen.keys("/calend\nh");
        insta::assert_snapshot!(format!("ties_{columns}x{lines}"), screen.text());
        if columns < 50 {
            // One is gone to by a tap, and from there on by another; the other side by a tap on it.
            screen.tap("Tides");
            assert!(screen.shows("“Tides” asks “Calendar”"), "{}", screen.text());
            screen.tap("Webview");
            assert!(screen.shows("“Calendar” asks “Webview”"), "{}", screen.text());
            screen.tap("goes there");
            assert!(screen.shows("3 lean on it"), "{}", screen.text());
            continue;
        }
        assert!(screen.shows("“Music” asks “Calendar” for com.calendar.days"));
        // To the other side, there, and back again.
        screen.code(KeyCode::Tab);
        screen.keys("\n");
        assert!(screen.shows("3 lean on it"), "{}", screen.text());
        screen.code(KeyCode::Backspace);
        assert!(screen.shows("it leans on 1"));
        screen.keys("_\n");
        assert!(screen.shows("“Tides” asks “Calendar”"), "{}", screen.text());
        screen.keys("\x1b");
        assert!(!screen.shows("What leans on what"));
    }
}

/// What avoids a part of what the tray does is done by a key, and taken back by another; the page on which somebody else is chosen
/// opens on the device.
#[test]
fn other_ways_are_taken_by_keys() {
    for (columns, lines) in [(128, 40), (80, 24)] {
        let mut screen = tied(columns, lines, &[]);
        screen.keys("/:start\n \x1b\x1b/music\n \x1b\x1b");
        assert!(screen.shows("(o, or 2 more)") || columns < 100, "{}", screen.text());
        screen.keys("o");
        insta::assert_snapshot!(format!("other_ways_{columns}x{lines}"), screen.text());
        screen.keys("\n");
        let ids = |screen: &Screen| -> Vec<String> {
            screen.model.app.devices[0].tray.iter().map(|item| item.id.to_string()).collect()
        };
        assert_eq!(ids(&screen), ["com.android.music"]);
        screen.keys("o");
        assert!(!screen.shows("Other ways"), "there are none now");
        screen.keys("z");
        assert_eq!(ids(&screen).len(), 2);
        screen.keys("oj");
        assert!(screen.shows("android.settings.HOME_SETTINGS"), "{}", screen.text());
        screen.keys("\n");
        let sent = Opening::Settings { page: "android.settings.HOME_SETTINGS", user: UserId::OWNER };
        assert!(
            matches!(&screen.effects[..], [Effect::Bench(BenchCommand::Session(0, SessionCommand::Open(opening)))] if *opening == sent),
            "{:?}",
            screen.effects
        );
        assert_eq!(ids(&screen).len(), 2, "nothing of the tray has changed");
    }
}
