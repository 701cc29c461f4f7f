//! The fault finder on the screen.

use super::*;
use wibbet_bench::finder::FindFault;
use wibbet_core::diagnosis::{Evaluation, FaultFinder, Next, Round, Suspect};
use wibbet_types::{FinderId, Timestamp};

/// A phone of which run 7 has taken out what is off now.
fn screen(columns: u16, lines: u16) -> Screen {
    let mut screen = Screen::linked(columns, lines);
    let mut run = run([None, None, Some(Outcome::Done)]);
    run.steps.truncate(1);
    let of = |n, id: &str, way| Step {
        way,
        before: IN,
        after: Some(if way == Change::Disable { OFF } else { OUT }),
        ..testing::settled(n, id, Outcome::Done)
    };
    run.steps = vec![of(0, "com.corvane.cleaner", Change::Disable), of(1, "com.corvane.usermanual", Change::Uninstall)];
    run.state = RunState::Finished;
    screen.tell(SessionEvent::Runs(Arc::new(vec![run])));
    screen
}

fn finder(rounds: &[Round]) -> FaultFinder {
    let suspect = |(id, way): (&str, Change)| Suspect {
        id: id.parse().unwrap(),
        user: UserId::OWNER,
        way,
        before: IN,
        weight: 1,
    };
    FaultFinder {
        number: FinderId::new(1),
        device: "CT5-0417-2291".parse().unwrap(),
        begun: Timestamp(0),
        what: PlainText::new("no sound in the evening"),
        check: None,
        suspects: [("com.corvane.cleaner", Change::Disable), ("com.corvane.usermanual", Change::Uninstall)]
            .map(suspect)
            .to_vec(),
        rounds: rounds.to_vec(),
        ended: None,
    }
}

fn sent(screen: &mut Screen) -> Vec<FindFault> {
    let of = |effect: Effect| match effect {
        Effect::Bench(BenchCommand::Session(0, SessionCommand::FindFault(wanted))) => Some(wanted),
        _ => None,
    };
    std::mem::take(&mut screen.effects).into_iter().filter_map(of).collect()
}

/// What the device has after a round.
fn states(screen: &mut Screen, back: &[bool]) {
    let mut now = inventory();
    for (suspect, back) in finder(&[]).suspects.iter().zip(back) {
        let off = if suspect.way == Change::Disable { OFF } else { OUT };
        now.set_states(&suspect.id, |_| if *back { IN } else { off });
    }
    screen.tell(SessionEvent::Inventory(Arc::new(now)));
}

/// What tells it by itself is typed into the second line; what is no check begins nothing.
#[test]
fn what_tells_it_by_itself_is_typed() {
    use wibbet_core::diagnosis::Check;
    for (typed, shows, check) in [
        ("com.corvane.cleaner", "Looked at by itself", Some(Check::Fails("com.corvane.cleaner".parse().unwrap()))),
        (
            "android.intent.action.SEND",
            "whether anybody answers",
            Some(Check::Answered("android.intent.action.SEND".into())),
        ),
        ("starts", "whether the device starts up", Some(Check::Starts)),
        ("it is dark", "neither the id of a package", None),
    ] {
        for (columns, lines) in [(128, 40), (80, 24)] {
            let mut screen = screen(columns, lines);
            screen.keys("4F_");
            screen.keys(typed);
            assert!(screen.shows(shows), "{}", screen.text());
            screen.keys("\n");
            let begun = sent(&mut screen);
            match &check {
                Some(check) => {
                    let [FindFault::Begin(_, _, Some(found))] = begun.as_slice() else { panic!("{begun:?}") };
                    assert_eq!(found, check);
                }
                None => assert!(begun.is_empty(), "{begun:?}"),
            }
        }
    }
}

/// What is refused leaves the window where it was, to be begun another way.
#[test]
fn what_is_not_begun_can_be_begun_another_way() {
    let mut screen = screen(100, 30);
    screen.keys("4F_starts\n");
    assert!(screen.shows("Beginning."), "{}", screen.text());
    screen.tell(SessionEvent::Finder(None));
    screen.tell(SessionEvent::Note("The fault finder: by that it is not broken now".into()));
    assert!(screen.shows("told by itself") && screen.shows("starts"), "{}", screen.text());
    sent(&mut screen);
    screen.keys("\n");
    assert_eq!(sent(&mut screen).len(), 1);
    screen.tell(SessionEvent::Finder(Some(Arc::new(finder(&[])))));
    assert!(screen.shows("Round 1:") && !screen.shows("told by itself"), "{}", screen.text());
}

#[test]
fn what_broke_it_is_found_by_keys() {
    let mut screen = screen(128, 40);
    screen.keys("4F");
    assert!(screen.shows("2 suspects: what run 7 took out"), "{}", screen.text());
    screen.keys("no sound in the evening\n");
    let begun = sent(&mut screen);
    let [FindFault::Begin(suspects, what, None)] = begun.as_slice() else { panic!("{begun:?}") };
    assert_eq!((suspects.len(), what.as_str()), (2, "no sound in the evening"));
    let mut rounds = Vec::new();
    for (n, seen, key) in [(1, Evaluation::Gone, "n"), (2, Evaluation::Still, "y")] {
        let now = finder(&rounds);
        let Next::Try(back) = now.next() else { panic!("{:?}", now.next()) };
        screen.tell(SessionEvent::Finder(Some(Arc::new(now))));
        assert!(screen.shows(&format!("Round {n}:")) && screen.shows("1 back:"), "{}", screen.text());
        if n == 1 {
            insta::assert_snapshot!(screen.text());
        }
        screen.keys("yn");
        assert!(sent(&mut screen).is_empty(), "nothing has been tried yet");
        screen.keys("s");
        assert_eq!(sent(&mut screen), [FindFault::Try(back.clone())]);
        assert!(screen.shows("being carried out"), "{}", screen.text());
        states(&mut screen, &back);
        screen.tell(SessionEvent::RunEnded(None));
        assert!(screen.shows("is it still broken?"), "{}", screen.text());
        screen.keys("s");
        assert!(sent(&mut screen).is_empty(), "it has been sent");
        screen.keys(key);
        assert_eq!(sent(&mut screen), [FindFault::Seen(seen)]);
        rounds.push(Round { back, seen });
    }
    // The first one back, and the other one alone: it is the first.
    let now = finder(&rounds);
    let Next::Found(cause) = now.next() else { panic!("{:?}", now.next()) };
    let back = now.in_the_end(cause);
    screen.tell(SessionEvent::Finder(Some(Arc::new(now))));
    assert!(screen.shows("It is due to"), "{}", screen.text());
    screen.keys("b");
    assert_eq!(sent(&mut screen), [FindFault::TakeBack]);
    screen.keys("s");
    assert_eq!(sent(&mut screen), [FindFault::Try(back.clone())]);
    states(&mut screen, &back);
    screen.tell(SessionEvent::RunEnded(None));
    assert!(screen.shows("Ending it notes that"), "{}", screen.text());
    screen.keys("e");
    assert_eq!(sent(&mut screen), [FindFault::End(Some(cause))]);
    screen.tell(SessionEvent::Finder(None));
    assert!(!screen.shows("Fault finder on"));
}

#[test]
fn it_fits_small_screens_and_says_what_cannot_be_told() {
    for (columns, lines) in [(80, 24), (60, 24), (100, 30)] {
        let mut screen = screen(columns, lines);
        let contradicting = [Evaluation::Gone, Evaluation::Still].map(|seen| Round { back: vec![true, false], seen });
        let rounds: Vec<Round> = contradicting.iter().cycle().take(42).cloned().collect();
        screen.tell(SessionEvent::Finder(Some(Arc::new(finder(&rounds)))));
        screen.keys("4F");
        assert!(screen.shows("cannot be told for certain") && screen.shows("ends it"), "{}", screen.text());
        screen.keys("e");
        assert_eq!(sent(&mut screen), [FindFault::End(None)]);
    }
    // What a round wanted and did not reach keeps nobody from answering.
    let mut stuck = screen(100, 30);
    stuck.tell(SessionEvent::Finder(Some(Arc::new(finder(&[])))));
    stuck.keys("4Fs");
    stuck.tell(SessionEvent::RunEnded(None));
    assert!(stuck.shows("could not be done"), "{}", stuck.text());
    sent(&mut stuck);
    stuck.keys("c");
    assert_eq!(sent(&mut stuck), [FindFault::Seen(Evaluation::CannotTell)]);
    // Nothing is out: there is nothing to find.
    let mut screen = Screen::linked(80, 24);
    screen.keys("4F");
    assert!(!screen.shows("Fault finder on"), "{}", screen.text());
}
