//! Catch: a device that starts over and over.

use super::*;
use std::time::Duration;
use wibbet_bench::catch::CatchNews;
use wibbet_bench::run::Control;
use wibbet_core::diagnosis::CatchView;
use wibbet_core::run::OfRuns;

/// A phone of which run 7 has taken out three packages, one of which its start needs.
fn taken_out(columns: u16, lines: u16) -> Screen {
    let mut screen = Screen::linked(columns, lines);
    let mut run = run([Some(Outcome::Done); 3]);
    run.steps[1].start = Some(2);
    screen.tell(SessionEvent::Runs(Arc::new(vec![run])));
    screen
}

fn view() -> CatchView {
    CatchView {
        rounds: 2,
        windows: 1,
        longest: Duration::from_millis(3200),
        steps: 3,
        back: 1,
        rescue: Some(4),
        crash: Some(PlainText::new("java.lang.RuntimeException: Unable to find provider info")),
        ..CatchView::default()
    }
}

fn seen(view: CatchView) -> SessionEvent {
    SessionEvent::Catch(CatchNews::Seen(Box::new(view), Duration::from_secs(30)))
}

#[test]
fn a_device_that_loops_is_told_and_caught_by_keys() {
    let mut screen = taken_out(128, 40);
    screen.keys("C");
    assert!(!screen.shows("Catch Corvane"), "there is no need: {}", screen.text());
    screen.tell(SessionEvent::Looping(true));
    assert!(screen.shows("C catches it") && screen.shows("loops: C catches it"), "{}", screen.text());
    screen.keys("C");
    insta::assert_snapshot!(screen.text());
    screen.keys("\n");
    assert!(screen.effects.is_empty(), "Enter never sends");
    screen.keys(" s");
    let wanted = [Effect::Bench(BenchCommand::Session(0, SessionCommand::Catch(OfRuns::All)))];
    assert_eq!(screen.effects, wanted);
    assert!(screen.shows("Waiting for the device on every way"), "{}", screen.text());
    screen.tell(seen(view()));
    insta::assert_snapshot!(screen.text());
    // It goes on behind other views, and can be looked at again.
    screen.keys("\x1b3");
    assert!(screen.model.app.devices[0].running);
    screen.keys("1");
    assert!(screen.shows("catch: 1 of 3"), "{}", screen.text());
    screen.keys("Cx");
    assert!(matches!(screen.effects[1], Effect::Bench(BenchCommand::Control(0, Control::Stop))));
    screen.tell(SessionEvent::CatchEnded(Some(RunId::new(8)), Some("stopped before anything was sent".into())));
    screen.tell(SessionEvent::RunEnded(Some("stopped".into())));
    assert!(!screen.model.app.devices[0].is_catching());
}

#[test]
fn what_is_seen_fits_small_screens_and_what_cannot_be_helped_is_said() {
    for (columns, lines) in [(80, 24), (100, 30), (60, 24)] {
        let mut screen = taken_out(columns, lines);
        screen.tell(SessionEvent::Looping(true));
        screen.keys("Cs");
        screen.tell(SessionEvent::Catch(CatchNews::Waiting("waiting for the device: it is away".into())));
        assert!(screen.shows("it is away"), "{}", screen.text());
        screen.tell(seen(CatchView { never_comes: true, windows: 0, ..view() }));
        for part in ["1 of 3", "does not come up at all", "pull", "x stops it"] {
            assert!(screen.shows(part), "{columns}: {part}\n{}", screen.text());
        }
        screen.tell(SessionEvent::Catch(CatchNews::Stands));
        assert!(screen.shows("It stands"), "{}", screen.text());
        screen.tell(SessionEvent::CatchEnded(Some(RunId::new(8)), None));
        assert!(screen.shows("stood for two minutes") && !screen.shows("x stops it"), "{}", screen.text());
    }
}

#[test]
fn there_is_nothing_to_catch_where_nothing_is_out() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("C");
    assert!(!screen.shows("Catch Corvane"), "{}", screen.text());
    screen.tell(SessionEvent::Looping(true));
    assert!(screen.shows("starts over and over") && !screen.shows("catches it"), "{}", screen.text());
}
