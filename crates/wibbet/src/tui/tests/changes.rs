//! What has changed on a device, and update breaks, on the screen.

use super::*;
use wibbet_bench::ops::LookedBack;
use wibbet_core::diagnosis::{BreakItem, Drift, DriftBy, DriftKind, Look, LookHead, Since, UpdateBreak};
use wibbet_types::{BreakId, LookId, Timestamp};

const CLEANER: &str = "com.corvane.cleaner";
const CALENDAR: &str = "com.android.calendar";

fn head(number: i64, build: &str) -> LookHead {
    let at = Timestamp(number * 60_000);
    LookHead { number: LookId::new(number), at, until: at, build: PlainText::new(build), boot: None }
}

fn drift(id: &str, kind: DriftKind, by: DriftBy) -> Drift {
    let user = (kind == DriftKind::CameBack).then_some(UserId::OWNER);
    Drift { id: testing::id(id), user, kind, by, words: "was uninstalled, is in use".into() }
}

/// Three looks at it, of which it is held against the second.
fn looked_back(drift: Vec<Drift>, again: &[&str]) -> LookedBack {
    let look = |head: &LookHead| Look::from_lines(head, "");
    let earlier = vec![head(1, "B1"), head(2, "B1"), head(3, "B1")];
    let tray = again.iter().map(|id| TrayItem { id: testing::id(id), user: UserId::OWNER, way: Change::Disable });
    LookedBack {
        now: look(&head(4, "B2")),
        before: Some((earlier[1].clone(), look(&earlier[1]))),
        earlier,
        since: Since::LastLook,
        drift,
        whole: true,
        again: tray.collect(),
        was: None,
    }
}

#[test]
fn what_has_changed_is_told_and_what_came_back_is_chosen_again() {
    for (columns, lines) in [(160, 45), (100, 30), (80, 24)] {
        let mut screen = Screen::linked(columns, lines);
        let drift = vec![
            drift(CALENDAR, DriftKind::CameBack, DriftBy::SystemUpdate),
            drift("com.android.music", DriftKind::New, DriftBy::Other),
        ];
        screen.tell(SessionEvent::LookedBack(Arc::new(looked_back(drift, &[CALENDAR]))));
        assert!(screen.shows("1 package that runs had taken out is in use again"), "{}", screen.text());
        screen.keys("4D");
        let text = screen.text();
        for words in ["What has changed on", "Since look 2 of 3", "B1 → B2", "Came back", "update of the system"] {
            assert!(text.contains(words), "{columns}: {words}\n{text}");
        }
        screen.effects.clear();
        screen.code(KeyCode::Left);
        let since = |number| SessionCommand::LookBack(Since::Look(LookId::new(number)));
        screen.code(KeyCode::Right);
        let wanted = [1, 3].map(|number| Effect::Bench(BenchCommand::Session(0, since(number))));
        assert_eq!(std::mem::take(&mut screen.effects), wanted);
        screen.keys("a");
        let device = screen.model.app.device().unwrap();
        let item = TrayItem { id: testing::id(CALENDAR), user: UserId::OWNER, way: Change::Disable };
        assert_eq!((screen.model.app.view, &device.tray), (View::Packages, &vec![item]));
        assert!(screen.shows("1 chosen again"), "{}", screen.text());
    }
}

#[test]
fn a_first_look_and_a_reset_are_told() {
    let mut screen = Screen::linked(100, 30);
    let first = LookedBack { before: None, earlier: Vec::new(), ..looked_back(Vec::new(), &[]) };
    screen.tell(SessionEvent::LookedBack(Arc::new(first.clone())));
    screen.keys("4D");
    assert!(screen.shows("This is the first look"), "{}", screen.text());
    // Nothing is offered that does nothing.
    assert!(!screen.shows("chooses again") && !screen.shows("an earlier look"), "{}", screen.text());
    screen.code(KeyCode::Esc);
    let out = looked_back(Vec::new(), &[CALENDAR]).again;
    let reset = LookedBack { was: Some(("CT5-0417-2291".parse().unwrap(), out)), ..first };
    screen.tell(SessionEvent::LookedBack(Arc::new(reset.clone())));
    assert!(screen.shows("behind a factory reset"), "{}", screen.text());
    screen.model.app.notice = None;
    screen.tell(SessionEvent::LookedBack(Arc::new(reset)));
    assert!(!screen.shows("behind a factory reset"), "it is said once");
    screen.keys("Da");
    assert_eq!(screen.model.app.device().unwrap().tray.len(), 1);
}

fn on_break(build: &str) -> UpdateBreak {
    let item = |id: &str, way, target| BreakItem {
        id: testing::id(id),
        user: UserId::OWNER,
        way,
        target,
        holds: Default::default(),
    };
    UpdateBreak {
        number: BreakId::new(3),
        device: testing::facts().id,
        begun: Timestamp(60_000),
        build: PlainText::new(build),
        items: vec![item(CLEANER, Change::Disable, IN), item(CALENDAR, Change::Uninstall, IN)],
        packages: inventory().packages.keys().filter(|id| id.as_str() != "com.android.music").cloned().collect(),
        ended: None,
    }
}

#[test]
fn a_break_is_begun_with_what_is_out() {
    for (columns, lines) in [(160, 45), (100, 30), (80, 24)] {
        let mut screen = Screen::linked(columns, lines);
        screen.keys("4U");
        assert!(screen.shows("No break is needed"), "{}", screen.text());
        assert!(!screen.shows("plans putting it back"), "{}", screen.text());
        screen.effects.clear();
        screen.keys("s");
        assert!(screen.effects.is_empty());
        // With what was off before.
        screen.keys("b");
        let text = screen.text();
        assert!(text.contains("Out by runs, or off before Wibbet · 2"), "{text}");
        screen.keys("s");
        let begun = screen.effects.iter().find_map(|effect| match effect {
            Effect::Bench(BenchCommand::Session(0, SessionCommand::BeginBreak(items))) => Some(items.clone()),
            _ => None,
        });
        let ids: Vec<String> = begun.unwrap().iter().map(|item| item.id.to_string()).collect();
        assert_eq!(ids, [CLEANER, "com.corvane.usermanual"]);
        // The plan stands there, and is sent as always.
        assert_eq!(screen.model.app.view, View::Run);
        assert!(screen.model.app.device().unwrap().reviewed().is_some_and(|review| review.plan.to_send() == 2));
    }
}

#[test]
fn a_break_ends_with_what_was_out_chosen_again() {
    for (columns, lines) in [(160, 45), (100, 30), (80, 24)] {
        let mut screen = Screen::linked(columns, lines);
        screen.tell(SessionEvent::Break(Some(Arc::new(on_break("AN OLDER BUILD")))));
        screen.keys("1");
        assert!(screen.shows("break"), "{}", screen.text());
        screen.keys("4U");
        let text = screen.text();
        for words in ["The system was updated", "Not all of it is back yet", "Still out · 1", "can go again · 1"] {
            assert!(text.contains(words), "{columns}: {words}\n{text}");
        }
        assert!(text.contains("New in the system · 1") && text.contains("com.android.music"), "{text}");
        screen.effects.clear();
        screen.keys("a");
        let ended = [Effect::Bench(BenchCommand::Session(0, SessionCommand::EndBreak(BreakId::new(3))))];
        assert_eq!(screen.effects, ended);
        let device = screen.model.app.device().unwrap();
        let item = TrayItem { id: testing::id(CALENDAR), user: UserId::OWNER, way: Change::Uninstall };
        assert_eq!((screen.model.app.view, &device.tray), (View::Packages, &vec![item]));
    }
    // What is still out is planned; and it can end as it is.
    let mut screen = Screen::linked(100, 30);
    screen.tell(SessionEvent::Break(Some(Arc::new(on_break("AN OLDER BUILD")))));
    screen.keys("4Us");
    assert!(screen.model.app.device().unwrap().reviewed().is_some_and(|review| review.plan.to_send() == 1));
    screen.keys("4U");
    screen.effects.clear();
    screen.keys("e");
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Session(0, SessionCommand::EndBreak(BreakId::new(3))))]);
    assert!(screen.model.app.device().unwrap().on_break.is_none());
}

/// What has other holds than before is left in, and says why.
#[test]
fn what_is_tied_otherwise_is_left_in() {
    use wibbet_core::holds::{Hold, HoldKind, Sure};
    let mut screen = Screen::linked(100, 30);
    let mut catalog = Catalog::new(Arc::new(inventory()));
    catalog.judge([0, 10].map(UserId::new));
    let mut judged = (*catalog.judged).clone();
    {
        let of = judged.get_mut(&UserId::OWNER).unwrap();
        of.packages.values_mut().for_each(|one| *one = Judgement::default());
        let hold = testing::hold(HoldKind::Need, "com.android.music", "1 package", Sure::Seen);
        of.packages.get_mut(&testing::id(CALENDAR)).unwrap().holds = vec![Hold { ..hold }];
    }
    let evidence = Evidence { judged: Arc::new(judged), ..Evidence::default() };
    screen.tell(SessionEvent::Judged(Arc::new(evidence)));
    screen.tell(SessionEvent::Break(Some(Arc::new(on_break("AN OLDER BUILD")))));
    screen.keys("4U");
    let text = screen.text();
    assert!(text.contains("Tied otherwise than before") && text.contains("need com.android.music"), "{text}");
    assert!(!text.contains("chooses it again"), "{text}");
}
