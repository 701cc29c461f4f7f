//! The record as its users see it.

#![allow(clippy::unwrap_used, reason = "tests")]

use std::path::Path;

use wibbet_core::{DeviceFacts, DeviceKind, Outcome, PackageState, RunKind, RunState, StepState, Time, Way};
use wibbet_logbook::{Logbook, LogbookError, NewStep};
use wibbet_types::{AndroidVersion, PlainText, Serial, UserId};

const OUT: PackageState = PackageState { installed: false, ..PackageState::IN_USE };

fn serial() -> Serial {
    "CT5-1".parse().unwrap()
}

fn facts(model: &str) -> DeviceFacts {
    DeviceFacts {
        id: serial(),
        serial: serial(),
        kind: DeviceKind::Phone,
        build: PlainText::default(),
        android_id: None,
        maker: "Corvane".into(),
        model: model.into(),
        android: AndroidVersion::new(34, "14"),
        patch: "2026-09-05".into(),
    }
}

fn step(id: &str, skip: Option<&str>) -> NewStep {
    NewStep {
        id: id.parse().unwrap(),
        user: UserId::new(10),
        way: Way::Uninstall,
        words: format!("cmd package uninstall --user 10 {id}"),
        before: PackageState::IN_USE,
        skip: skip.map(str::to_owned),
    }
}

fn begin(folder: &Path) -> (Logbook, i64) {
    let mut book = Logbook::open(folder).unwrap();
    let steps = [step("a", None), step("b", Some("it is so already"))];
    let number = book.begin_run(&serial(), RunKind::TakeOut, &steps, Time(5)).unwrap();
    (book, number)
}

#[test]
fn a_run_is_kept_step_by_step() {
    let folder = tempfile::tempdir().unwrap();
    let (book, number) = begin(folder.path());
    let seen = |book: &Logbook| book.run(number).unwrap().unwrap();
    let run = seen(&book);
    assert_eq!((run.kind, run.state, run.begun), (RunKind::TakeOut, RunState::Open, Time(5)));
    assert_eq!(run.steps[0].state, StepState::Waiting);
    assert_eq!((run.steps[1].state, run.steps[1].outcome), (StepState::Settled, Some(Outcome::Skipped)));
    assert!(run.has_open_steps() && !run.steps[0].is_open_question());

    book.step_sent(number, 0, Time(6)).unwrap();
    // Another program, or the same one after a kill, sees what was written.
    let other = Logbook::open(folder.path()).unwrap();
    assert!(seen(&other).steps[0].is_open_question());

    book.step_answered(number, 0, &PlainText::new("Success\u{1b}"), Time(7)).unwrap();
    book.step_settled(number, 0, Outcome::Done, Some(OUT), "well", Time(8)).unwrap();
    book.set_run_state(number, RunState::Finished, Time(9)).unwrap();
    let run = seen(&other);
    let first = &run.steps[0];
    assert_eq!(first.answer.as_ref().unwrap().as_str(), "Success␛");
    assert_eq!((first.after, first.outcome, first.remark.as_str()), (Some(OUT), Some(Outcome::Done), "well"));
    assert_eq!((run.state, run.touched, run.is_unfinished()), (RunState::Finished, Time(9), false));

    // Sending again forgets what the first sending brought.
    book.step_sent(number, 0, Time(10)).unwrap();
    assert_eq!((seen(&book).steps[0].answer.clone(), seen(&book).steps[0].outcome), (None, None));
    assert!(matches!(book.step_sent(number, 9, Time(0)), Err(LogbookError::NoSuchStep { place: 9, .. })));
}

#[test]
fn devices_are_met_again() {
    let folder = tempfile::tempdir().unwrap();
    let book = Logbook::open(&folder.path().join("new/folder")).unwrap();
    book.note_device(&facts("Tarn 5"), "127.0.0.1:5555", Time(1)).unwrap();
    book.note_device(&facts("Tarn 5 b"), "127.0.0.1:6000", Time(2)).unwrap();
    let devices = book.devices().unwrap();
    assert_eq!(devices.len(), 1);
    assert_eq!(
        (devices[0].facts.clone(), devices[0].address.as_str(), devices[0].seen),
        (facts("Tarn 5 b"), "127.0.0.1:6000", Time(2))
    );
}

#[test]
fn files_that_are_no_logbook_are_told_and_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(Logbook::FILE);
    std::fs::write(&file, vec![b'x'; 5000]).unwrap();
    assert!(matches!(Logbook::open(folder.path()), Err(LogbookError::Damaged { .. })));
    assert_eq!(std::fs::read(&file).unwrap(), vec![b'x'; 5000]);
    std::fs::remove_file(&file).unwrap();
    drop(Logbook::open(folder.path()).unwrap());
    let raw = rusqlite::Connection::open(&file).unwrap();
    raw.pragma_update(None, "user_version", 99).unwrap();
    assert!(matches!(Logbook::open(folder.path()), Err(LogbookError::Newer { found: 99, .. })));
}

#[test]
fn two_programs_write_at_once_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let write = |folder: &Path| {
        let mut book = Logbook::open(folder).unwrap();
        for _ in 0..20 {
            let number = book.begin_run(&serial(), RunKind::TakeOut, &[step("a", None)], Time(1)).unwrap();
            book.step_sent(number, 0, Time(2)).unwrap();
            book.step_settled(number, 0, Outcome::Done, Some(OUT), "", Time(3)).unwrap();
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(|| write(folder.path()));
        scope.spawn(|| write(folder.path()));
    });
    let runs = Logbook::open(folder.path()).unwrap().runs(Some(&serial())).unwrap();
    assert_eq!(runs.len(), 40);
    assert!(runs.iter().all(|run| run.steps[0].outcome == Some(Outcome::Done)));
}
