//! Plans and runs.

use super::*;
use wibbet_bench::run::Control;
use wibbet_core::read::ReadBack;

#[test]
fn data_that_go_for_good_are_said_and_one_key_keeps_them() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/calend\n /\x1b/music\n /\x1b");
    assert!(screen.shows("but the data of 2 apps go for good"), "{}", screen.text());
    screen.keys("\n");
    assert!(screen.shows("The data of 2 apps go for good") && screen.shows("K keeps them"), "{}", screen.text());
    screen.keys("K");
    let tray: Vec<Change> = screen.model.app.devices[0].tray.iter().map(|i| i.way).collect();
    assert_eq!(tray, [Change::UninstallKeepData, Change::UninstallKeepData], "Android 14 keeps them");
    assert!(!screen.shows("go for good") && screen.shows("2 to send"), "{}", screen.text());
}

/// The whole job by keys: search, mark, plan, send, put one back.
#[test]
fn nothing_is_sent_before_it_was_shown_and_asked_for() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("\n/calend\n /\x1b/music\nw/\x1b");
    let tray: Vec<(String, Change)> =
        screen.model.app.devices[0].tray.iter().map(|i| (i.id.to_string(), i.way)).collect();
    assert_eq!(
        tray,
        [("com.android.calendar".into(), Change::Uninstall), ("com.android.music".into(), Change::Disable)]
    );
    screen.keys("s");
    assert!(screen.effects.is_empty(), "s sends only what is shown");
    screen.keys("\n");
    assert!(screen.shows("Nothing has been sent yet") && screen.shows("2 to send"));
    screen.keys("\n\n");
    assert!(screen.effects.is_empty(), "Enter never sends");
    screen.keys("v");
    assert!(screen.shows("⟩ package uninstall --user 0 com.android.calendar"));
    screen.keys("s");
    let [Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(RunKind::TakeOut, plan)))] =
        screen.effects.as_slice()
    else {
        panic!("{:?}", screen.effects)
    };
    assert_eq!(plan.to_send(), 2);
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1, "a second s sends nothing");
    assert!(screen.model.app.devices[0].tray.is_empty());

    let done = run([Some(Outcome::Done), Some(Outcome::Done), Some(Outcome::Refused)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(done.clone()))));
    screen.tell(SessionEvent::Run(RunNews::States(
        "com.android.calendar".parse().unwrap(),
        ReadBack::States(PackageKind::System, BTreeMap::from([(UserId::OWNER, OUT)])),
    )));
    screen.tell(SessionEvent::Runs(Arc::new(vec![done])));
    screen.tell(SessionEvent::RunEnded(None));
    assert!(screen.shows("2 of 3 done and read back"));
    screen.keys("4b");
    assert!(screen.shows("Plan: put back") && screen.shows("reinstall"));
    screen.keys("s");
    assert!(
        matches!(screen.effects.last(), Some(Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(RunKind::PutBack, plan)))) if plan.to_send() == 1)
    );
}

#[test]
fn what_has_no_way_back_needs_a_word_of_its_own() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/tides\n \n");
    assert!(screen.shows("not sent: it could not be put back from here"));
    screen.keys("s");
    assert!(screen.effects.is_empty());
    screen.keys("d");
    assert!(screen.shows("disable") && screen.shows("1 to send"));
    screen.keys("\x1b2w");
    assert_eq!(
        screen.model.app.devices[0].tray[0].way,
        Change::Suspend,
        "the tray followed the plan, and w goes on from there"
    );
    screen.keys("w");
    screen.keys("\n.o");
    assert!(screen.shows("no way back: it is not part of the system"));
    screen.keys("s");
    assert_eq!(screen.effects.len(), 1);
}

#[test]
fn a_run_that_goes_on_is_not_lost_by_leaving_it() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2 \ns");
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(run([Some(Outcome::Done), None, None])))));
    screen.keys("2");
    screen.keys(" \n");
    assert!(matches!(screen.model.app.devices[0].pane, RunPane::Shown(_)), "a plan does not take a going run's place");
    screen.keys("q");
    assert!(screen.shows("A run is going on"));
    screen.keys("n");
    assert!(!screen.effects.contains(&Effect::Quit));
    screen.keys("x");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Control(0, Control::Stop))));
    screen.tell(SessionEvent::RunEnded(Some("the link went".into())));
    assert!(screen.shows("the link went"));
}

#[test]
fn a_plan_that_could_not_be_begun_is_there_again() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2_ \ns");
    assert!(screen.shows("Looking at the device before anything is sent"));
    screen.tell(SessionEvent::RunEnded(Some("another Wibbet is at work on the device".into())));
    assert!(screen.shows("Nothing has been sent yet") && screen.shows("another Wibbet"));
    assert_eq!(screen.model.app.devices[0].tray.len(), 1);
    screen.keys("s");
    assert_eq!(screen.effects.len(), 2);
}

#[test]
fn what_was_refused_can_be_tried_another_way() {
    let mut screen = Screen::linked(128, 40);
    let refused = run([Some(Outcome::Done), Some(Outcome::Refused), Some(Outcome::NoEffect)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(refused))));
    screen.keys("3d");
    let tray: Vec<(&str, Change)> = screen.model.app.devices[0].tray.iter().map(|i| (i.id.as_str(), i.way)).collect();
    assert_eq!(tray, [("com.corvane.cleaner", Change::Disable)], "disabling what could not be disabled leads nowhere");
    assert!(screen.shows("Plan: take out") && screen.effects.is_empty());
}

#[test]
fn an_interrupted_run_is_offered() {
    let mut screen = Screen::linked(128, 40);
    let mut left = run([Some(Outcome::Done), None, None]);
    left.state = RunState::Stopped;
    screen.tell(SessionEvent::Runs(Arc::new(vec![left])));
    assert!(screen.shows("run 7 is unfinished: c carries it on"));
    screen.keys("c");
    assert_eq!(
        screen.effects.last(),
        Some(&Effect::Bench(BenchCommand::Session(0, SessionCommand::CarryOn(RunId::new(7)))))
    );
    assert_eq!(screen.model.app.view, View::Run);
}

/// A run that says that it can be carried on, or what may be done behind it, has the keys for it: they are there once its session
/// has let go of it.
#[test]
fn what_a_run_says_can_be_done_can_be() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2 \ns");
    let mut left = run([None, None, None]);
    left.state = RunState::Stopped;
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(left))));
    assert!(!screen.shows("can be carried on") && screen.shows("one moment"), "{}", screen.text());
    let before = screen.effects.len();
    screen.keys("c");
    assert_eq!(screen.effects.len(), before, "its session has not let go of it");
    screen.tell(SessionEvent::RunEnded(None));
    assert!(screen.shows("can be carried on"), "{}", screen.text());
    screen.keys("c");
    assert_eq!(
        screen.effects.last(),
        Some(&Effect::Bench(BenchCommand::Session(0, SessionCommand::CarryOn(RunId::new(7)))))
    );
}

/// From everywhere one key shows the plan that puts back what the last run took out and is still off; where there is none it does
/// nothing.
#[test]
fn the_last_run_is_undone_from_everywhere() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("1Z");
    assert_eq!(screen.model.app.view, View::Bench, "what was off before is no run's");
    let done = run([Some(Outcome::Done); 3]);
    screen.tell(SessionEvent::Runs(Arc::new(vec![done])));
    for view in ["1", "2", "4", "5"] {
        screen.keys(view);
        screen.keys("Z");
        assert_eq!(screen.model.app.view, View::Run);
        assert!(screen.shows("com.corvane.cleaner") && screen.shows("1 to send"), "{}", screen.text());
        assert!(!screen.shows("com.corvane.usermanual"), "that was off before");
        screen.keys("\x1b");
    }
    screen.effects.clear();
    screen.keys("Zs");
    assert!(
        matches!(
            &screen.effects[..],
            [Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(RunKind::PutBack, _)))]
        ),
        "{:?}",
        screen.effects
    );
}

/// A whole run is marked on the shelf by one key, and unmarked by it.
#[test]
fn a_whole_run_is_marked_on_the_shelf() {
    let mut screen = Screen::linked(128, 40);
    screen.tell(SessionEvent::Runs(Arc::new(vec![run([Some(Outcome::Done); 3])])));
    screen.keys("4m");
    assert!(screen.shows("2 off, 1 marked"), "{}", screen.text());
    screen.keys("_m");
    assert!(screen.shows("2 off, 2 marked"), "{}", screen.text());
    screen.keys("m");
    assert!(screen.shows("2 off, 1 marked"), "{}", screen.text());
    screen.keys("b");
    assert!(screen.shows("1 to send") && screen.shows("com.corvane.cleaner"), "{}", screen.text());
}

/// What is tried where a step is refused is chosen in the plan, said there, and goes with it.
#[test]
fn what_is_tried_where_one_is_refused_is_chosen_before() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/music\n \n");
    assert!(screen.shows("If refused: leave it as it is"), "{}", screen.text());
    screen.keys("R");
    assert!(screen.shows("If refused: disable, else leave it"), "{}", screen.text());
    screen.keys("RR");
    assert!(screen.shows("If refused: disable, else suspend, else leave it"), "{}", screen.text());
    screen.keys("s");
    let [Effect::Bench(BenchCommand::Session(0, SessionCommand::Run(_, plan)))] = screen.effects.as_slice() else {
        panic!("{:?}", screen.effects)
    };
    assert_eq!(plan.terms.on_refusal.to_string(), "disable,suspend");
}

/// What was refused alike is one choice; one of them can be meant alone; a way leads to a plan, a page is opened at once.
#[test]
fn what_else_may_work_is_chosen_from_a_list() {
    let mut screen = Screen::linked(128, 40);
    let mut refused = run([Some(Outcome::Refused), Some(Outcome::Refused), Some(Outcome::Refused)]);
    let said =
        ["Failure [-1000]", "java.lang.SecurityException: Attempt to change component state; pid=1", "Failure [-1000]"];
    for (step, said) in refused.steps.iter_mut().zip(said) {
        step.answer = Some(PlainText::new(said));
    }
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(refused))));
    screen.keys("3");
    assert!(screen.shows("3 were not done: O shows what else may work"), "{}", screen.text());
    screen.keys("O");
    assert!(screen.shows("and 1 more: disable instead") && screen.shows("Failure [-1000]"), "{}", screen.text());
    screen.keys("\n");
    assert!(
        screen.shows("Plan: take out") && screen.shows("1 to send"),
        "the calendar; the cleaner is off: {}",
        screen.text()
    );
    let ways: Vec<Change> = screen.model.app.devices[0].tray.iter().map(|item| item.way).collect();
    assert_eq!(ways, [Change::Disable; 2]);
    assert!(screen.effects.is_empty(), "nothing is sent before the plan was shown");
    // One of them alone.
    screen.keys("\x1b5");
    let refused = screen.model.app.devices[0].runs.first().cloned();
    assert!(refused.is_none(), "the run is told again below");
    let mut refused = run([Some(Outcome::Refused), Some(Outcome::Refused), Some(Outcome::Refused)]);
    for (step, said) in refused.steps.iter_mut().zip(said) {
        step.answer = Some(PlainText::new(said));
    }
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(refused))));
    let again = screen.model.app.devices[0].shown_run().cloned().unwrap();
    screen.keys("3O ");
    assert!(!screen.shows("and 1 more"), "{}", screen.text());
    screen.keys("\n");
    assert_eq!(screen.model.app.devices[0].tray.len(), 1);
    // What a switch on the device is in the way of: its page is opened, and the plan to ask again is shown.
    screen.tell(SessionEvent::Run(RunNews::Stands(again)));
    screen.keys("3_O");
    assert!(screen.shows("open the developer options on the device"), "{}", screen.text());
    screen.keys("\n");
    let opened = |effect: &Effect| {
        matches!(effect, Effect::Bench(BenchCommand::Session(0, SessionCommand::OpenDeveloperOptions)))
    };
    assert!(screen.effects.last().is_some_and(opened), "{:?}", screen.effects);
    assert!(screen.shows("Plan: take out"), "{}", screen.text());
}

/// Technician, ticket and note: of what is begun from now on, or of the run that is shown.
#[test]
fn a_job_is_written_down() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("1.jInes\tP-77\n");
    let written = |screen: &Screen| match screen.effects.last() {
        Some(Effect::Bench(BenchCommand::Session(0, SessionCommand::Job(run, job)))) => (*run, job.words()),
        other => panic!("{other:?}"),
    };
    assert_eq!(written(&screen), (None, "ticket P-77 · Ines".to_owned()));
    let job = wibbet_core::plan::Job { ticket: "P-77".into(), ..Default::default() };
    screen.tell(SessionEvent::Job(job.clone()));
    screen.keys("2/music\n \n");
    assert!(screen.shows("1 to send · ticket P-77"), "{}", screen.text());
    let done = Run { job, ..run([Some(Outcome::Done); 3]) };
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(done))));
    assert!(screen.shows("· ticket P-77"), "{}", screen.text());
    screen.keys(".j\t8\n");
    assert_eq!(written(&screen), (Some(wibbet_types::RunId::new(7)), "ticket P-778".to_owned()));
}

/// A pause is one key, and the same key goes on; what fails behind a run is told with whom it is due to.
#[test]
fn a_run_is_paused_and_what_fails_behind_it_is_told() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/music\n /\x1b\n");
    screen.keys("s");
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(run([None, None, None])))));
    screen.keys("P");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Control(0, Control::Pause))));
    assert!(screen.shows("paused") && screen.shows("P go on"), "{}", screen.text());
    screen.keys("P");
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Control(0, Control::Go))));
    screen.tell(SessionEvent::RunEnded(None));
    let failure = |process: &str, why: &str| wibbet_core::device::AppFailure {
        user: UserId::OWNER,
        process: PlainText::new(process),
        package: process.parse().ok(),
        kind: wibbet_core::device::FailureKind::Crash,
        why: PlainText::new(why),
    };
    let new =
        vec![failure("com.android.calendar", "no com.android.music here"), failure("com.android.webview", "null")];
    screen.tell(SessionEvent::Failures { run: RunId::new(7), new, before: Vec::new() });
    assert!(screen.shows("com.android.calendar crashed for user 0"), "{}", screen.text());
    let seen = screen.effects.iter().filter(
        |e| matches!(e, Effect::Bench(BenchCommand::Session(0, SessionCommand::Seen(run, _))) if *run == RunId::new(7)),
    );
    assert_eq!(seen.count(), 2);
}

/// A plan is put together by what comes of its steps; each keeps the number by which it is sent.
#[test]
fn a_plan_is_shown_by_what_comes_of_it() {
    let mut screen = Screen::linked(120, 40);
    // To be uninstalled, disabled, quietened; and one that cannot be.
    screen.keys("\n/music\n /\x1b/webview\n ww");
    screen.keys("\n");
    let text = screen.text();
    let place = |words: &str| text.find(words).unwrap_or_else(|| panic!("{words}: {text}"));
    let (goes, back) = (place("What people have in them goes for good · 1"), place("Come back just as they were · 1"));
    assert!(
        goes < place("com.android.music") && place("com.android.music") < back && back < place("com.android.webview")
    );
    // What all of them have in common needs no heading.
    screen.keys("\x1be/music\n \n");
    assert!(!screen.shows("── What people"), "{}", screen.text());
}

/// What a policy forbids for one user is offered for another one who has it.
#[test]
fn another_user_is_a_choice() {
    let mut screen = Screen::linked(100, 30);
    let mut forbidden = run([Some(Outcome::Refused), Some(Outcome::Refused), Some(Outcome::Done)]);
    for step in &mut forbidden.steps {
        (step.way, step.user) = (Change::Uninstall, UserId::new(10));
        step.answer = Some(PlainText::new("Failure [DELETE_FAILED_USER_RESTRICTED]"));
    }
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(forbidden))));
    screen.keys("3O");
    assert!(screen.shows("for user 0 Crew instead"), "{}", screen.text());
    screen.keys("jj");
    screen.keys("\n");
    let review = screen.model.app.devices[0].reviewed().unwrap();
    let steps: Vec<_> = review.plan.steps.iter().map(|step| (step.id.as_str(), step.user, step.way)).collect();
    assert_eq!(
        steps,
        [
            ("com.android.calendar", UserId::OWNER, Change::Uninstall),
            ("com.android.music", UserId::OWNER, Change::Uninstall)
        ]
    );
}
