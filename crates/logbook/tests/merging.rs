//! Logbooks of two benches, taken into each other.

use std::path::{Path, PathBuf};

use proptest::prelude::*;
use wibbet_core::device::{DeviceFacts, Likeness};
use wibbet_core::package::{Note, PackageState, Scope};
use wibbet_core::plan::{Change, Job, Terms};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, StepEvent};
use wibbet_core::testing;
use wibbet_logbook::{Logbook, LogbookError, Merged, NewStep};
use wibbet_types::{DeviceId, RunId, StepIndex, Timestamp, UserId};

const NOW: Timestamp = Timestamp(1_000_000);

fn step(id: &str) -> NewStep {
    let words = format!("cmd package uninstall --user 0 {id}");
    NewStep::new(testing::id(id), UserId::OWNER, Change::Uninstall, words, PackageState::IN_USE)
}

/// A bench with its logbook.
struct Bench {
    folder: tempfile::TempDir,
    book: Logbook,
}

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let book = Logbook::open(folder.path()).unwrap();
        Self { folder, book }
    }

    fn meets(&mut self, serial: &str, model: &str) -> DeviceId {
        let facts = DeviceFacts {
            id: testing::device_id(serial),
            serial: serial.parse().unwrap(),
            model: model.into(),
            ..testing::facts()
        };
        self.book.note_device(&facts, Likeness::Alike, "192.0.2.7:5555", None, Timestamp(1)).unwrap().unwrap()
    }

    /// A run of a package, sent and done at a time.
    fn runs(&mut self, device: &DeviceId, id: &str, at: i64) -> RunId {
        let terms = Terms { job: Some(Job { ticket: "P-77".into(), ..Job::default() }), ..Terms::default() };
        let number = self.book.begin_run(device, (RunKind::TakeOut, &terms), &[step(id)], Timestamp(at)).unwrap();
        let out = PackageState { installed: false, ..PackageState::IN_USE };
        for event in [
            StepEvent::Sent { at: Timestamp(at + 1), order: 0 },
            StepEvent::Answered { text: "Success".into(), at: Timestamp(at + 2) },
            StepEvent::Settled {
                outcome: Outcome::Done,
                after: Some(out),
                remark: String::new(),
                at: Timestamp(at + 3),
            },
        ] {
            self.book.append(number, StepIndex::new(0), &event).unwrap();
        }
        self.book.set_run_state(number, RunState::Finished, Timestamp(at + 4)).unwrap();
        number
    }

    /// Its logbook as a file, as it is now.
    fn file(&self) -> PathBuf {
        let n = std::fs::read_dir(self.folder.path()).unwrap().count();
        let file = self.folder.path().join(format!("copy-{n}.sqlite"));
        self.book.back_up(&file).unwrap();
        file
    }

    fn takes(&mut self, other: &Path) -> Merged {
        self.book.merge(other, NOW).unwrap()
    }

    /// What it knows of runs, in the order in which their steps were sent, by the bench that they were made on.
    fn knows(&self) -> Vec<(String, i64, String, String)> {
        let own = self.book.bench().unwrap();
        let mut runs = self.book.runs(None).unwrap();
        runs.sort_by_key(|run| run.steps[0].order);
        let from = |run: &Run| run.taken_in.clone().unwrap_or((own.clone(), run.number));
        let told = |run: &Run| {
            let (bench, number) = from(run);
            (bench, number.number(), run.device.to_string(), format!("{:?} {:?}", run.job, run.steps[0].outcome))
        };
        runs.iter().map(told).collect()
    }
}

/// Two benches with a device of both, and one of each.
fn two() -> (Bench, Bench) {
    let (mut one, mut other) = (Bench::new(), Bench::new());
    let (both, own) = (one.meets("CT5-1", "Tarn 5"), one.meets("CT5-2", "Tarn 5"));
    one.runs(&both, "com.corvane.tips", 100);
    one.runs(&own, "com.corvane.fota", 300);
    let (both, own) = (other.meets("CT5-1", "Tarn 5"), other.meets("OS11-1", "Slate 11"));
    other.runs(&both, "com.android.music", 200);
    other.runs(&own, "com.android.egg", 50);
    (one, other)
}

#[test]
fn in_either_order_and_twice_it_is_the_same() {
    let (mut one, mut other) = two();
    let files = (one.file(), other.file());
    assert_eq!(one.takes(&files.1), Merged { devices: 1, runs: 2, ..Merged::default() });
    assert_eq!(other.takes(&files.0), Merged { devices: 1, runs: 2, ..Merged::default() });
    assert_eq!(one.knows(), other.knows());
    let order: Vec<i64> = one.knows().iter().map(|(_, number, ..)| *number).collect();
    // The clock of the other bench was put back between its two runs: its own order stands.
    assert_eq!(order, [1, 1, 2, 2], "by when they were sent");
    // Twice is as once, and what comes back is known.
    let before = one.knows();
    assert_eq!(one.takes(&files.1), Merged { already: 2, ..Merged::default() });
    let back = other.file();
    assert_eq!(one.takes(&back), Merged { already: 4, ..Merged::default() });
    assert_eq!(one.knows(), before);
    assert!(one.book.check().unwrap().is_empty());
    // What is sent from here on is behind all of it.
    let device = testing::device_id("CT5-1");
    one.runs(&device, "com.android.calendar", 120);
    assert_eq!(one.knows().last().map(|(_, number, ..)| *number), Some(5));
    let before = one.knows();
    // By way of a third bench it is the same too.
    let mut third = Bench::new();
    third.takes(&one.file());
    assert_eq!(third.takes(&files.1), Merged { already: 2, ..Merged::default() });
    assert_eq!(third.knows().len(), before.len());
    // What was taken in is no way to connect to anything, and is not carried on by the number that it has there.
    let known = one.book.devices().unwrap();
    assert_eq!(known.iter().find(|known| known.facts.id.as_str() == "OS11-1").unwrap().address, "");
}

#[test]
fn a_run_that_has_gone_on_there_takes_the_place_of_what_is_here() {
    let (mut one, mut other) = (Bench::new(), Bench::new());
    let device = other.meets("CT5-1", "Tarn 5");
    let number = other
        .book
        .begin_run(&device, (RunKind::TakeOut, &Terms::default()), &[step("com.corvane.tips")], Timestamp(5))
        .unwrap();
    one.takes(&other.file());
    assert_eq!(one.book.runs(None).unwrap()[0].state, RunState::Open);
    other.book.append(number, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(6), order: 0 }).unwrap();
    other.book.set_run_state(number, RunState::Stopped, Timestamp(9)).unwrap();
    assert_eq!(one.takes(&other.file()), Merged { runs_further: 1, ..Merged::default() });
    let run = one.book.runs(None).unwrap().pop().unwrap();
    assert_eq!((run.state, run.steps.len()), (RunState::Stopped, 1));
    assert!(run.steps[0].order > 0, "it was sent");
    // What was erased here does not come back to where it was made.
    let file = one.file();
    other.book.erase(&device).unwrap();
    assert_eq!(other.takes(&file), Merged { devices: 1, gone: 1, ..Merged::default() });
}

#[test]
fn notes_and_breaks_come_along() {
    let (mut one, other) = two();
    let facts = testing::facts();
    let note =
        |text: &str| Note { id: testing::id("com.corvane.tips"), scope: Scope::All, text: text.into(), star: true };
    one.book.write_note(&facts, &note("old"), Timestamp(1)).unwrap();
    other.book.write_note(&facts, &note("new"), Timestamp(2)).unwrap();
    let begun = wibbet_core::diagnosis::UpdateBreak {
        number: wibbet_types::BreakId::new(0),
        device: testing::device_id("CT5-1"),
        begun: Timestamp(400),
        build: "A".into(),
        items: Vec::new(),
        packages: [testing::id("com.corvane.tips")].into(),
        ended: None,
    };
    let number = other.book.begin_break(&begun).unwrap();
    let taken = one.takes(&other.file());
    assert_eq!((taken.notes, taken.breaks), (1, 1));
    assert_eq!(one.book.notes(&facts).unwrap()[0].text, "new");
    other.book.end_break(number, Timestamp(500)).unwrap();
    let taken = one.takes(&other.file());
    assert_eq!((taken.notes, taken.breaks), (0, 1));
    let breaks = one.book.breaks(&testing::device_id("CT5-1")).unwrap();
    assert_eq!((breaks.len(), breaks[0].ended), (1, Some(Timestamp(500))));
}

/// What was made here is told from here: another bench's word changes neither what its steps lead back to nor how far it has got.
#[test]
fn what_was_made_here_is_told_from_here() {
    let (mut one, mut other) = two();
    other.takes(&one.file());
    let file = other.file();
    let bench = one.book.bench().unwrap();
    let sql = format!(
        "UPDATE runs SET touched = 999999, state = 'open' WHERE bench = '{bench}'; UPDATE steps SET before = 'installed=0 hidden=0 suspended=0 enabled=3'"
    );
    rusqlite::Connection::open(&file).unwrap().execute_batch(&sql).unwrap();
    let before = one.book.runs(None).unwrap();
    assert_eq!(one.takes(&file), Merged { devices: 1, runs: 2, already: 2, ..Merged::default() });
    let own: Vec<Run> = one.book.runs(None).unwrap().into_iter().filter(|run| run.taken_in.is_none()).collect();
    let told =
        |runs: &[Run]| -> Vec<_> { runs.iter().map(|run| (run.number, run.state, run.steps[0].before)).collect() };
    assert_eq!(told(&own), told(&before));
}

/// Equal serials of different devices stay apart.
#[test]
fn devices_are_told_apart_by_what_they_are() {
    let (mut one, mut other) = (Bench::new(), Bench::new());
    one.meets("0123456789", "Tarn 5");
    let device = other.meets("0123456789", "Slate 11");
    other.runs(&device, "com.android.egg", 5);
    assert_eq!(one.takes(&other.file()).devices, 1);
    let run = one.book.runs(None).unwrap().pop().unwrap();
    assert_eq!(run.device.as_str(), "0123456789.2");
}

#[test]
fn what_cannot_be_taken_in_is_refused_and_changes_nothing() {
    let (mut one, other) = two();
    let before = one.knows();
    let file = other.file();
    let change = |sql: &str| {
        let bad = other.folder.path().join("bad.sqlite");
        std::fs::copy(&file, &bad).unwrap();
        rusqlite::Connection::open(&bad).unwrap().execute_batch(sql).unwrap();
        bad
    };
    for (sql, told) in [
        ("PRAGMA user_version = 3", "layout 3"),
        ("DROP TABLE notes; CREATE VIEW notes AS SELECT * FROM runs", "table of notes"),
        ("ALTER TABLE steps ADD COLUMN more TEXT", "table of steps"),
        ("DELETE FROM choices", "no rows"),
        ("DELETE FROM devices", "does not know"),
        ("UPDATE steps SET sent_order = 9223372036854775807", "no place in an order"),
        ("UPDATE steps SET sent_order = -5", "no place in an order"),
        ("UPDATE runs SET touched = 9223372036854775807", "a time that cannot be"),
        ("UPDATE runs SET begun = -1", "a time that cannot be"),
        ("UPDATE steps SET remark = hex(zeroblob(1000000))", "too big"),
        ("UPDATE choices SET value = '\u{1b}[2J' WHERE name = 'bench'", ""),
    ] {
        let result = one.book.merge(&change(sql), NOW);
        match result {
            Err(LogbookError::Other { why, .. }) => assert!(why.contains(told), "{sql}: {why}"),
            other => assert!(told.is_empty() && other.is_ok(), "{sql}: {other:?}"),
        }
        if !told.is_empty() {
            assert_eq!(one.knows(), before, "{sql}");
        }
    }
    for nothing in ["/dev/zero", "/no/such/file", "/tmp"] {
        let why = one.book.merge(Path::new(nothing), NOW).unwrap_err().to_string();
        assert!(why.contains("no such file"), "{nothing}: {why}");
    }
    // A copy of this logbook that has gone on apart is no other bench's.
    let mut one = Bench::new();
    let device = one.meets("CT5-1", "Tarn 5");
    let apart = one.file();
    let copy = tempfile::tempdir().unwrap();
    std::fs::copy(&apart, copy.path().join(Logbook::FILE)).unwrap();
    let mut copy = Bench { book: Logbook::open(copy.path()).unwrap(), folder: copy };
    one.runs(&device, "com.corvane.tips", 5);
    copy.runs(&device, "com.corvane.fota", 7);
    let why = one.book.merge(&copy.file(), NOW).unwrap_err().to_string();
    assert!(why.contains("a copy of the other"), "{why}");
}

/// Texts that steer a terminal do not get in.
#[test]
fn texts_become_harmless() {
    let (mut one, other) = two();
    let file = other.file();
    let sql = "UPDATE steps SET words = 'a\u{1b}]0;x\u{7}', remark = 'b\nc', given = 'x\u{1b}\ny'; UPDATE runs SET ticket = '\u{202e}t', order_name = '\u{9b}2J'";
    rusqlite::Connection::open(&file).unwrap().execute_batch(sql).unwrap();
    one.takes(&file);
    let harm = |text: &str| text.chars().any(|c| c.is_control() || c == '\u{202e}');
    for run in one.book.runs(None).unwrap() {
        assert!(!harm(&run.order) && !harm(&run.job.ticket), "{run:?}");
        assert!(run.steps.iter().all(|step| !harm(&step.words) && !harm(&step.remark)), "{run:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is changed in a file, it is taken in or refused, and what is here stays whole.
    #[test]
    fn any_bytes_are_refused_or_taken_in(at in 0_usize..60_000, bytes in proptest::collection::vec(any::<u8>(), 1..40), cut in any::<bool>()) {
        let (mut one, other) = two();
        let file = other.file();
        let mut all = std::fs::read(&file).unwrap();
        let at = at % all.len();
        if cut {
            all.truncate(at);
        } else {
            let end = (at + bytes.len()).min(all.len());
            all[at..end].copy_from_slice(&bytes[..end - at]);
        }
        std::fs::write(&file, all).unwrap();
        let before = one.knows();
        if one.book.merge(&file, NOW).is_err() {
            prop_assert_eq!(one.knows(), before);
        }
        prop_assert!(one.book.check().is_ok());
        let _ = one.book.runs(None).unwrap();
    }
}
