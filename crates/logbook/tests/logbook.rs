//! The record as its users see it.

use std::path::Path;

use wibbet_core::device::{DeviceFacts, DeviceKind, Likeness};
use wibbet_core::package::PackageState;
use wibbet_core::plan::{Change, Job, OnRefusal, Terms, TrayItem};
use wibbet_core::run::{Outcome, RunKind, RunState, StepEvent, StepState};
use wibbet_logbook::{Logbook, LogbookError, NewStep};
use wibbet_types::{AndroidVersion, DeviceId, PlainText, RunId, StepIndex, Timestamp, UserId};

const OUT: PackageState = PackageState { installed: false, ..PackageState::IN_USE };

fn device() -> DeviceId {
    "CT5-1".parse().unwrap()
}

fn facts(model: &str) -> DeviceFacts {
    DeviceFacts {
        id: device(),
        serial: "CT5-1".parse().unwrap(),
        kind: DeviceKind::Phone,
        build: PlainText::default(),
        android_id: None,
        boot_id: None,
        maker: "Corvane".into(),
        model: model.into(),
        market: PlainText::default(),
        android: AndroidVersion::new(34, "14"),
        patch: "2026-09-05".into(),
    }
}

fn step(id: &str, skip: Option<&str>) -> NewStep {
    let words = format!("cmd package uninstall --user 10 {id}");
    let step = NewStep::new(id.parse().unwrap(), UserId::new(10), Change::Uninstall, words, PackageState::IN_USE);
    NewStep { skip: skip.map(str::to_owned), ..step }
}

fn settled(after: PackageState, remark: &str, at: i64) -> StepEvent {
    StepEvent::Settled { outcome: Outcome::Done, after: Some(after), remark: remark.into(), at: Timestamp(at) }
}

fn begin(folder: &Path) -> (Logbook, RunId) {
    let mut book = Logbook::open(folder).unwrap();
    let steps = [step("a", None), step("b", Some("it is so already"))];
    let number = book.begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &steps, Timestamp(5)).unwrap();
    (book, number)
}

#[test]
fn a_run_is_kept_step_by_step() {
    let folder = tempfile::tempdir().unwrap();
    let (mut book, number) = begin(folder.path());
    let seen = |book: &Logbook| book.run(number).unwrap().unwrap();
    let run = seen(&book);
    assert_eq!((run.kind, run.state, run.begun), (RunKind::TakeOut, RunState::Open, Timestamp(5)));
    assert_eq!(run.steps[0].state, StepState::Waiting);
    assert_eq!((run.steps[1].state, run.steps[1].outcome), (StepState::Settled, Some(Outcome::Skipped)));
    assert!(run.has_open_steps() && !run.steps[0].is_open_question());

    book.append(number, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(6), order: 0 }).unwrap();
    // Another program, or the same one after a kill, sees what was written.
    let other = Logbook::open(folder.path()).unwrap();
    assert!(seen(&other).steps[0].is_open_question());

    let text = PlainText::new("Success\u{1b}");
    book.append(number, StepIndex::new(0), &StepEvent::Answered { text, at: Timestamp(7) }).unwrap();
    book.append(number, StepIndex::new(0), &settled(OUT, "well", 8)).unwrap();
    book.set_run_state(number, RunState::Finished, Timestamp(9)).unwrap();
    let run = seen(&other);
    let first = &run.steps[0];
    assert_eq!(first.answer.as_ref().unwrap().as_str(), "Success␛");
    assert_eq!((first.after, first.outcome, first.remark.as_str()), (Some(OUT), Some(Outcome::Done), "well"));
    assert_eq!((run.state, run.touched, run.is_unfinished()), (RunState::Finished, Timestamp(9), false));

    // Sending again forgets what the first sending brought.
    book.append(number, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(10), order: 0 }).unwrap();
    assert_eq!((seen(&book).steps[0].answer.clone(), seen(&book).steps[0].outcome), (None, None));
    assert!(matches!(
        book.append(number, StepIndex::new(9), &StepEvent::Sent { at: Timestamp(0), order: 0 }),
        Err(LogbookError::NoSuchStep { .. })
    ));
}

/// Meets a device where a person has chosen what is there.
fn note(
    book: &mut Logbook,
    facts: &DeviceFacts,
    address: &str,
    known_as: Option<&str>,
    now: Timestamp,
) -> Result<DeviceId, LogbookError> {
    book.note_device(facts, Likeness::Alike, address, known_as, now).map(Option::unwrap)
}

#[test]
fn what_proves_nothing_is_not_noted_where_anybody_may_be() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let with_id = |id: &str| DeviceFacts { android_id: Some(id.into()), ..facts("Tarn 5") };
    let mut heard = |facts: &DeviceFacts| {
        let met = book.note_device(facts, Likeness::SameInstallation, "", None, Timestamp(1)).unwrap();
        met.map(|id| id.to_string())
    };
    assert_eq!(heard(&facts("Tarn 5")), None, "it could not be told from another one later");
    assert_eq!(heard(&with_id("aaaaaaaaaaaaaaaa")).as_deref(), Some("CT5-1"));
    assert_eq!(heard(&facts("Tarn 5")), None);
    assert_eq!(heard(&with_id("bbbbbbbbbbbbbbbb")).as_deref(), Some("CT5-1.2"), "another one says so");
    assert_eq!(heard(&with_id("aaaaaaaaaaaaaaaa")).as_deref(), Some("CT5-1"));
    assert_eq!(book.devices().unwrap().len(), 2);
}

#[test]
#[cfg(unix)]
fn the_record_is_for_its_owner() {
    use std::os::unix::fs::PermissionsExt as _;
    let mode = |path: &std::path::Path| std::fs::metadata(path).unwrap().permissions().mode() & 0o777;
    let place = tempfile::tempdir().unwrap();
    let folder = place.path().join("new/folder");
    let mut book = Logbook::open(&folder).unwrap();
    note(&mut book, &facts("Tarn 5"), "USB 1-4", Some("0123456789"), Timestamp(1)).unwrap();
    assert_eq!(book.devices().unwrap()[0].known_as.as_deref(), Some("0123456789"));
    let _claim = wibbet_logbook::Claim::take(&folder.join("claims"), "S", "S").unwrap();
    for part in [".", "claims"] {
        assert_eq!(mode(&folder.join(part)), 0o700, "{part}");
    }
    for file in ["", "-wal", "-shm"] {
        assert_eq!(mode(&folder.join(format!("logbook.sqlite{file}"))), 0o600, "{file}");
    }
    // Whoever shares a logbook on purpose has it stay so.
    std::fs::set_permissions(folder.join("logbook.sqlite"), std::fs::Permissions::from_mode(0o660)).unwrap();
    drop(Logbook::open(&folder).unwrap());
    assert_eq!(mode(&folder.join("logbook.sqlite")), 0o660);
}

#[test]
fn devices_are_met_again() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(&folder.path().join("new/folder")).unwrap();
    note(&mut book, &facts("Tarn 5"), "127.0.0.1:5555", None, Timestamp(1)).unwrap();
    let updated = DeviceFacts { patch: "2026-10-05".into(), ..facts("Tarn 5") };
    note(&mut book, &updated, "127.0.0.1:6000", None, Timestamp(2)).unwrap();
    let devices = book.devices().unwrap();
    assert_eq!(devices.len(), 1);
    assert_eq!(
        (devices[0].facts.clone(), devices[0].address.as_str(), devices[0].seen),
        (updated, "127.0.0.1:6000", Timestamp(2))
    );
}

/// What is remembered of a device's like: the same model and build, and not the device itself.
#[test]
fn runs_of_other_devices_of_a_model_are_found() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let facts_of = |serial: &str, model: &str, build: &str| DeviceFacts {
        id: serial.parse().unwrap(),
        serial: serial.parse().unwrap(),
        build: build.into(),
        ..facts(model)
    };
    let mine = facts_of("CT5-1", "Tarn 5", "14.1");
    for (serial, model, build) in [
        ("CT5-1", "Tarn 5", "14.1"),
        ("CT5-2", "Tarn 5", "14.1"),
        ("CT5-3", "Tarn 5", "14.2"),
        ("CR3-1", "Rill 3", "14.1"),
    ] {
        let own = facts_of(serial, model, build);
        note(&mut book, &own, "", None, Timestamp(1)).unwrap();
        book.begin_run(&own.id, (RunKind::TakeOut, &Terms::default()), &[step("a", None)], Timestamp(5)).unwrap();
    }
    let like: Vec<String> = book.runs_of_its_like(&mine).unwrap().iter().map(|run| run.device.to_string()).collect();
    assert_eq!(like, ["CT5-2"]);
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
fn looking_writes_nothing_and_needs_nothing_to_be_written() {
    let folder = tempfile::tempdir().unwrap();
    assert!(Logbook::open_to_look(&folder.path().join("none")).unwrap().is_none());
    assert!(!folder.path().join("none").exists());
    let (book, number) = begin(folder.path());
    let look = || Logbook::open_to_look(folder.path()).unwrap().unwrap();
    // While another program writes, and when it has gone.
    assert_eq!(look().runs(None).unwrap().len(), 1);
    let mut looking = look();
    let refused = looking.begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &[], Timestamp(1)).unwrap_err();
    assert!(matches!(refused, LogbookError::ReadOnly { .. }), "{refused}");
    drop((book, looking));
    assert_eq!(look().runs(None).unwrap()[0].number, number);
}

#[test]
fn two_programs_write_at_once_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let write = |folder: &Path| {
        let mut book = Logbook::open(folder).unwrap();
        for _ in 0..20 {
            let number = book
                .begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &[step("a", None)], Timestamp(1))
                .unwrap();
            book.append(number, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(2), order: 0 }).unwrap();
            book.append(number, StepIndex::new(0), &settled(OUT, "", 3)).unwrap();
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(|| write(folder.path()));
        scope.spawn(|| write(folder.path()));
    });
    let runs = Logbook::open(folder.path()).unwrap().runs(Some(&device())).unwrap();
    assert_eq!(runs.len(), 40);
    assert!(runs.iter().all(|run| run.steps[0].outcome == Some(Outcome::Done)));
}

#[test]
fn devices_of_equal_serial_are_told_apart_and_forgotten_ones_come_back() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let with_id = |id: &str| DeviceFacts { android_id: Some(id.into()), ..facts("Tarn 5") };
    // What does not tell its Android id yet is taken for the one that is known.
    let first = note(&mut book, &facts("Tarn 5"), "USB 1-4", None, Timestamp(1)).unwrap();
    assert_eq!(note(&mut book, &with_id("aaaaaaaaaaaaaaaa"), "h:1", None, Timestamp(2)).unwrap(), first);
    let second = note(&mut book, &with_id("bbbbbbbbbbbbbbbb"), "h:2", None, Timestamp(3)).unwrap();
    let third = note(&mut book, &facts("Tarn 5 Lite"), "h:3", None, Timestamp(4)).unwrap();
    assert_eq!([first.as_str(), second.as_str(), third.as_str()], ["CT5-1", "CT5-1.2", "CT5-1.3"]);
    assert_eq!(note(&mut book, &with_id("bbbbbbbbbbbbbbbb"), "h:9", None, Timestamp(5)).unwrap(), second);
    let known = book.devices().unwrap();
    assert_eq!((known.len(), known[0].address.as_str(), known[0].facts.id.as_str()), (3, "h:9", "CT5-1.2"));
    let of = |book: &Logbook, id: &DeviceId| book.devices().unwrap().into_iter().find(|d| d.facts.id == *id).unwrap();
    assert_eq!(of(&book, &first).facts.android_id.as_ref().map(PlainText::as_str), Some("aaaaaaaaaaaaaaaa"));

    // A serial that leaves no room for a number names one device only; the search for another id ends.
    let long = |model: &str| DeviceFacts { serial: "9".repeat(128).parse().unwrap(), ..facts(model) };
    note(&mut book, &long("Tarn 5"), "h:4", None, Timestamp(4)).unwrap();
    let clash = note(&mut book, &long("Rill 2"), "h:5", None, Timestamp(4));
    assert!(matches!(clash, Err(LogbookError::NoIdLeft { .. })), "{clash:?}");
    let known = book.devices().unwrap().into_iter().find(|d| d.address == "h:4").unwrap();
    book.forget_device(&known.facts.id).unwrap();

    book.forget_device(&second).unwrap();
    book.set_awake_before(&second, Some(3)).unwrap();
    assert!(of(&book, &second).forgotten && !of(&book, &first).forgotten);
    note(&mut book, &with_id("bbbbbbbbbbbbbbbb"), "h:9", None, Timestamp(6)).unwrap();
    assert!(!of(&book, &second).forgotten, "met again");
    assert_eq!(of(&book, &second).awake_before, Some(3), "what is to be put back stays");
    book.set_awake_before(&second, None).unwrap();
    assert_eq!(of(&book, &second).awake_before, None);
}

#[test]
fn a_logbook_of_the_first_layout_is_taken_over() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(Logbook::FILE);
    let old = rusqlite::Connection::open(&file).unwrap();
    old.execute_batch(
        "CREATE TABLE devices (serial TEXT PRIMARY KEY, maker TEXT NOT NULL, model TEXT NOT NULL, sdk INTEGER NOT NULL, release TEXT NOT NULL,
            patch TEXT NOT NULL, address TEXT NOT NULL, first_seen INTEGER NOT NULL, last_seen INTEGER NOT NULL) STRICT;
         CREATE TABLE runs (number INTEGER PRIMARY KEY AUTOINCREMENT, serial TEXT NOT NULL, kind TEXT NOT NULL, state TEXT NOT NULL,
            begun INTEGER NOT NULL, touched INTEGER NOT NULL) STRICT;
         CREATE INDEX runs_of_device ON runs (serial, number);
         CREATE TABLE steps (run INTEGER NOT NULL REFERENCES runs (number), place INTEGER NOT NULL, package TEXT NOT NULL, user INTEGER NOT NULL,
            way TEXT NOT NULL, words TEXT NOT NULL, before TEXT NOT NULL, state TEXT NOT NULL, tries INTEGER NOT NULL DEFAULT 0,
            sent INTEGER, answered INTEGER, settled INTEGER, answer TEXT, after TEXT, outcome TEXT, remark TEXT NOT NULL DEFAULT '',
            PRIMARY KEY (run, place)) STRICT, WITHOUT ROWID;
         INSERT INTO devices VALUES ('CT5-1', 'Corvane', 'Tarn 5', 34, '14', '2026-09-05', '127.0.0.1:5555', 1, 2);
         INSERT INTO runs VALUES (7, 'CT5-1', 'take-out', 'finished', 1, 2);
         PRAGMA user_version = 1;",
    )
    .unwrap();
    drop(old);
    let old = || rusqlite::Connection::open(folder.path().join("logbook.layout-1.sqlite")).unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let known = book.devices().unwrap();
    assert_eq!((known.len(), known[0].facts.id.as_str(), known[0].address.as_str()), (1, "CT5-1", "127.0.0.1:5555"));
    assert_eq!((known[0].facts.kind, known[0].forgotten), (DeviceKind::Unknown, false));
    assert_eq!(book.runs(Some(&device())).unwrap()[0].number, RunId::new(7));
    // Met again, it is the same device, of which more is known now.
    let met = DeviceFacts { android_id: Some("aaaaaaaaaaaaaaaa".into()), ..facts("Tarn 5") };
    assert_eq!(note(&mut book, &met, "USB 1-2", None, Timestamp(9)).unwrap(), device());
    assert_eq!(book.devices().unwrap()[0].facts.kind, DeviceKind::Phone);
    // The older program can go on with what it wrote.
    let kept: (i64, i64) = old()
        .query_row("SELECT (SELECT count(*) FROM runs), (SELECT user_version FROM pragma_user_version)", [], |row| {
            Ok((row.get(0)?, row.get(1)?))
        })
        .unwrap();
    assert_eq!(kept, (1, 1));
}

/// A word of a later version locks nobody out, and is left as it is.
#[test]
fn a_row_that_is_not_understood_is_shown_and_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    note(&mut book, &facts("Tarn 5"), "h:1", None, Timestamp(1)).unwrap();
    let well =
        book.begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &[step("a.b", None)], Timestamp(1)).unwrap();
    let odd = book
        .begin_run(
            &device(),
            (RunKind::TakeOut, &Terms::default()),
            &[step("c.d", None), step("e.f", None)],
            Timestamp(2),
        )
        .unwrap();
    let odder =
        book.begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &[step("g.h", None)], Timestamp(3)).unwrap();
    let raw = rusqlite::Connection::open(folder.path().join(Logbook::FILE)).unwrap();
    raw.execute("UPDATE steps SET way = 'freeze' WHERE run = ?1 AND place = 0", [odd.number()]).unwrap();
    raw.execute("UPDATE runs SET kind = 'catch', state = 'adrift' WHERE number = ?1", [odder.number()]).unwrap();
    raw.execute("INSERT INTO devices (id, serial, maker, model, kind, sdk, release, patch, build, address, first_seen, last_seen) VALUES ('CT5-1.2', 'not a
serial', '', '', '', 1, '', '', '', '', 1, 1)", []).unwrap();
    let runs = book.runs(Some(&device())).unwrap();
    let shown: Vec<_> = runs.iter().map(|run| (run.number, run.steps.len(), run.not_understood.len())).collect();
    assert_eq!(shown, [(odder, 1, 2), (odd, 1, 1), (well, 1, 0)]);
    assert!(runs[1].not_understood[0].contains("step 1") && runs[1].not_understood[0].contains("freeze"), "{runs:?}");
    assert_eq!(runs[0].kind, RunKind::Unknown);
    assert!(!runs[0].is_unfinished() && !runs[1].is_unfinished() && runs[2].is_unfinished());
    // What goes on beside it goes on; no id is given away a second time.
    book.append(well, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(4), order: 0 }).unwrap();
    let other = DeviceFacts { android_id: Some("bbbbbbbbbbbbbbbb".into()), model: "Other".into(), ..facts("Tarn 5") };
    assert_eq!(note(&mut book, &other, "h:2", None, Timestamp(5)).unwrap().as_str(), "CT5-1.3");
    let kept: String =
        raw.query_row("SELECT way FROM steps WHERE run = ?1 AND place = 0", [odd.number()], |r| r.get(0)).unwrap();
    assert_eq!(kept, "freeze");
    let serial: String = raw.query_row("SELECT serial FROM devices WHERE id = 'CT5-1.2'", [], |r| r.get(0)).unwrap();
    assert_eq!(serial, "not a\nserial");
}

#[test]
fn what_is_sent_has_an_order_that_no_clock_changes() {
    let folder = tempfile::tempdir().unwrap();
    let (mut book, first) = begin(folder.path());
    let second =
        book.begin_run(&device(), (RunKind::TakeOut, &Terms::default()), &[step("a.b", None)], Timestamp(1)).unwrap();
    let sent = |book: &mut Logbook, run, at| match book
        .append(run, StepIndex::new(0), &StepEvent::Sent { at: Timestamp(at), order: 0 })
        .unwrap()
    {
        StepEvent::Sent { order, .. } => order,
        other => panic!("{other:?}"),
    };
    assert_eq!(sent(&mut book, second, 1_000_000), 1);
    assert_eq!(sent(&mut book, first, 5), 2, "the clock was put back");
    // Another program goes on behind it, and what is sent again is the latest.
    let mut other = Logbook::open(folder.path()).unwrap();
    assert_eq!(sent(&mut other, second, 6), 3);
    let orders = [first, second].map(|run| book.run(run).unwrap().unwrap().steps[0].order);
    assert_eq!(orders, [2, 3]);
}

/// Whatever happens to the steps of a run in whatever order: what the logbook shows is its beginning with all of it
/// applied, by the same rule that the runner and the screen go by.
#[test]
fn the_events_of_a_run_give_what_the_logbook_shows() {
    let mut random = fastrand::Rng::with_seed(11);
    let folder = tempfile::tempdir().unwrap();
    let (mut book, number) = begin(folder.path());
    let mut run = book.run(number).unwrap().unwrap();
    for at in 10..400 {
        let index = random.usize(0..run.steps.len());
        let state = [OUT, PackageState::IN_USE, PackageState::ABSENT][random.usize(0..3)];
        let word = ["", "well", "\u{1b}odd"][random.usize(0..3)];
        let event = match random.u8(0..5) {
            0 => StepEvent::BeforeWas(state),
            1 => StepEvent::Sent { at: Timestamp(at), order: 0 },
            2 => StepEvent::Answered { text: PlainText::new(word), at: Timestamp(at) },
            3 => StepEvent::Settled {
                outcome: [Outcome::Done, Outcome::Unsettled, Outcome::NoEffect][random.usize(0..3)],
                after: random.bool().then_some(state),
                remark: word.into(),
                at: Timestamp(at),
            },
            _ => StepEvent::WaitsAgain { remark: word.into() },
        };
        let event = book.append(number, StepIndex::new(index), &event).unwrap();
        run.apply(StepIndex::new(index), &event);
        assert_eq!(book.run(number).unwrap().unwrap(), run, "after {event:?}");
    }
}

/// A run is part of the job that its device is at, or of the one that is named; another way in the place of a refused step waits behind
/// all others.
#[test]
fn jobs_and_other_ways_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let job = |ticket: &str| Job {
        technician: "Ines".into(),
        ticket: ticket.into(),
        customer: "the ferry office".into(),
        note: String::new(),
    };
    book.set_job_at_hand(&device(), &job("P-77")).unwrap();
    let policy: OnRefusal = "disable".parse().unwrap();
    let names = [("a".parse().unwrap(), "Tips".into())].into();
    let missed = Some(vec!["stops: printing".into()]);
    let terms = Terms { on_refusal: policy, job: None, order: "Crew phones".into(), names, missed };
    let first = book.begin_run(&device(), (RunKind::TakeOut, &terms), &[step("a", None)], Timestamp(1)).unwrap();
    let named = Terms { job: Some(job("P-78")), ..Terms::default() };
    let second = book.begin_run(&device(), (RunKind::TakeOut, &named), &[step("b", None)], Timestamp(2)).unwrap();
    book.set_job_at_hand(&device(), &Job::default()).unwrap();
    let third = book.begin_run(&device(), (RunKind::TakeOut, &terms), &[step("c", None)], Timestamp(3)).unwrap();
    let read = |book: &Logbook, number| book.run(number).unwrap().unwrap();
    let jobs = [first, second, third].map(|number| read(&book, number).job.ticket);
    assert_eq!(jobs, ["P-77", "P-78", ""]);
    assert_eq!(read(&book, first).on_refusal, policy);
    let noted = read(&book, first);
    assert_eq!((noted.order.as_str(), &noted.names, &noted.missed), ("Crew phones", &terms.names, &terms.missed));
    assert_eq!(read(&book, second).missed, None);
    book.set_job(third, &job("P-79")).unwrap();
    assert!(read(&book, third).is_about("p-79 ines FERRY tips") && !read(&book, third).is_about("p-79 nobody"));

    let tray: Vec<TrayItem> = ["disable 10 a.b", "uninstall 0 c.d"].map(|item| item.parse().unwrap()).to_vec();
    book.keep_tray(&device(), &tray).unwrap();
    assert_eq!(book.tray(&device()).unwrap(), tray);
    book.keep_tray(&device(), &[]).unwrap();
    assert!(book.tray(&device()).unwrap().is_empty());

    let added = book.replace(first, StepIndex::new(0), Change::Disable, "package disable-user --user 0 a").unwrap();
    let run = read(&book, first);
    assert_eq!((added.index.get(), run.steps.len()), (1, 2));
    assert_eq!((run.steps[1].way, run.steps[1].state), (Change::Disable, StepState::Waiting));
    assert_eq!((&run.steps[1].id, run.steps[1].user), (&run.steps[0].id, run.steps[0].user));
    assert!(book.replace(first, StepIndex::new(9), Change::Disable, "").is_err());
}
