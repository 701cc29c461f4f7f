//! Looking after the record: checked, copied, and what it has of a device erased.

use wibbet_core::ask::{NamedSetting, SettingsTable};
use wibbet_core::device::Likeness;
use wibbet_core::diagnosis::{Look, LookHead};
use wibbet_core::link::CloseStep;
use wibbet_core::package::{Note, PackageState, Scope};
use wibbet_core::plan::{Change, Terms, TrayItem};
use wibbet_core::run::{RunKind, SettingChange, SettingState};
use wibbet_core::testing;
use wibbet_logbook::{Logbook, LogbookError, NewStep};
use wibbet_types::{LookId, PlainText, Timestamp, UserId};

const MARK: &str = "com.secret.of.somebody";

/// Writes down something of everything for a device.
fn fill(book: &mut Logbook, serial: &str) -> wibbet_types::DeviceId {
    let facts = wibbet_core::device::DeviceFacts {
        id: serial.parse().unwrap(),
        serial: serial.parse().unwrap(),
        android_id: Some(PlainText::new(serial)),
        ..testing::facts()
    };
    let id = book.note_device(&facts, Likeness::Different, "192.0.2.7:5555", None, Timestamp(5)).unwrap().unwrap();
    let words = format!("package disable-user --user 0 {MARK}");
    let step = NewStep::new(testing::id(MARK), UserId::OWNER, Change::Disable, words, PackageState::IN_USE);
    let run = book.begin_run(&id, (RunKind::TakeOut, &Terms::default()), &[step], Timestamp(6)).unwrap();
    book.add_seen(run, &PlainText::new(&format!("{MARK} failed")), Timestamp(7)).unwrap();
    let head = LookHead {
        number: LookId::new(0),
        at: Timestamp(8),
        until: Timestamp(8),
        build: PlainText::new("B1"),
        boot: None,
    };
    book.keep_look(&id, &Look::from_lines(&head, &format!("system 1 {MARK} 0:1000\n"))).unwrap();
    book.keep_tray(&id, &[TrayItem { id: testing::id(MARK), user: UserId::OWNER, way: Change::Disable }]).unwrap();
    let closed = CloseStep { what: MARK.into(), done: true, known: "the link went with it".into() };
    book.note_closing(&id, std::slice::from_ref(&closed), Timestamp(9)).unwrap();
    assert_eq!(book.closing_since(&id, Timestamp(9)).unwrap(), Some(vec![closed]));
    assert_eq!(book.closing_since(&id, Timestamp(10)).unwrap(), None);
    let setting = SettingChange {
        number: 0,
        device: id.clone(),
        run: Some(run),
        order: "Crew".into(),
        note: MARK.into(),
        user: UserId::OWNER,
        setting: NamedSetting::new(SettingsTable::Secure, MARK).unwrap(),
        before: None,
        wanted: Some(MARK.into()),
        state: SettingState::Sent,
        remark: String::new(),
        at: Timestamp(9),
        undoes: false,
        back: None,
    };
    let number = book.begin_setting(&setting).unwrap();
    book.settle_setting(number, (SettingState::Done, MARK), Timestamp(10)).unwrap();
    let kept = book.settings(&id).unwrap();
    let done = SettingChange { number, state: SettingState::Done, remark: MARK.into(), ..setting };
    assert_eq!(kept, std::slice::from_ref(&done));
    // What puts it back takes it along.
    let back = SettingChange { undoes: true, wanted: None, order: String::new(), run: None, ..done };
    let number = book.begin_setting(&back).unwrap();
    book.settle_setting(number, (SettingState::NotDone, ""), Timestamp(11)).unwrap();
    assert!(book.settings(&id).unwrap().iter().all(|change| change.back.is_none()));
    book.settle_setting(number, (SettingState::Done, ""), Timestamp(12)).unwrap();
    assert!(book.settings(&id).unwrap().iter().all(|change| change.back == Some(Timestamp(12))));
    // What a later version has written locks nobody out.
    let raw = rusqlite::Connection::open(book.path()).unwrap();
    raw.execute("INSERT INTO settings SELECT number + 100, device, run, order_name, note, user, 'vendor', name, was, wanted, state, remark, at, undoes, back FROM settings WHERE device = ?1", [id.as_str()]).unwrap();
    assert_eq!(book.settings(&id).unwrap().len(), 2);
    let facts = wibbet_core::device::DeviceFacts { id: id.clone(), ..facts };
    let note = Note { id: testing::id(MARK), scope: Scope::Device, text: "leave it".into(), star: false };
    book.write_note(&facts, &note, Timestamp(9)).unwrap();
    id
}

#[test]
fn what_is_kept_of_a_device_is_erased_and_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let (one, other) = (fill(&mut book, "CT5-1"), fill(&mut book, "CT5-2"));
    let erased = book.erase(&one).unwrap();
    let words: Vec<&str> = erased.rows.iter().map(|(words, _)| *words).collect();
    let wanted =
        ["device", "steps", "sightings behind runs", "runs", "looks", "closed links", "settings", "notes", "choices"];
    assert_eq!(words, wanted, "{erased:?}");
    let left = |book: &Logbook, id| {
        (book.runs(Some(id)).unwrap().len(), book.looks(id).unwrap().len(), book.tray(id).unwrap().len())
    };
    assert_eq!((left(&book, &one), left(&book, &other)), ((0, 0, 0), (1, 1, 1)));
    assert_eq!(book.devices().unwrap().len(), 1);
    assert_eq!(book.erase(&one).unwrap().rows, [], "once more there is nothing");
    assert_eq!(book.check().unwrap(), [] as [String; 0]);
    // Nothing of it is in the bytes either, once the other one is gone as well.
    assert!(book.erase(&other).unwrap().overwritten);
    drop(book);
    for file in std::fs::read_dir(folder.path()).unwrap() {
        let path = file.unwrap().path();
        let bytes = std::fs::read(&path).unwrap_or_default();
        assert!(!bytes.windows(MARK.len()).any(|at| at == MARK.as_bytes()), "{}", path.display());
    }
}

/// Every table that names a device, or a run of one, is among those that are erased: a new one has to be thought of.
#[test]
fn no_table_with_a_device_is_forgotten() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let id = fill(&mut book, "CT5-1");
    let raw = rusqlite::Connection::open(book.path()).unwrap();
    let sql = "SELECT m.name, c.name FROM sqlite_master m, pragma_table_info(m.name) c WHERE m.type = 'table'";
    let mut statement = raw.prepare(sql).unwrap();
    let columns: Vec<(String, String)> =
        statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?))).unwrap().map(Result::unwrap).collect();
    let named = ["device", "serial", "run", "whose"];
    let mut tables: Vec<String> =
        columns.into_iter().filter(|(_, column)| named.contains(&column.as_str())).map(|(table, _)| table).collect();
    tables.sort();
    tables.dedup();
    let known = [
        "apps",
        "breaks",
        "closings",
        "commands",
        "copies",
        "devices",
        "finders",
        "jobs_at_hand",
        "looks",
        "notes",
        "runs",
        "seen_after",
        "settings",
        "steps",
    ];
    assert_eq!(tables, known);
    assert!(book.erase(&id).unwrap().rows.iter().any(|(words, _)| *words == "device"));
}

#[test]
fn a_copy_is_made_while_it_is_in_use() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let id = fill(&mut book, "CT5-1");
    let other = Logbook::open(folder.path()).unwrap();
    let to = folder.path().join("copy").with_extension("sqlite");
    other.back_up(&to).unwrap();
    let twice = other.back_up(&to).unwrap_err();
    assert!(matches!(twice, LogbookError::Disk { .. }), "{twice}");
    fill(&mut book, "CT5-2");
    let place = tempfile::tempdir().unwrap();
    std::fs::copy(&to, place.path().join(Logbook::FILE)).unwrap();
    let copy = Logbook::open(place.path()).unwrap();
    assert_eq!((copy.devices().unwrap().len(), copy.runs(Some(&id)).unwrap().len()), (1, 1));
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        assert_eq!(std::fs::metadata(&to).unwrap().permissions().mode() & 0o777, 0o600);
    }
    assert!(other.back_up(&folder.path().join("no/such/folder.sqlite")).is_err());
}
