//! Looks at devices and update breaks, on disk.

use std::collections::BTreeSet;

use wibbet_core::diagnosis::{BreakItem, Look, LookHead, UpdateBreak};
use wibbet_core::plan::Change;
use wibbet_core::testing;
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_types::{BreakId, LookId, PlainText, Timestamp, UserId};

const DAY: i64 = 24 * 60 * 60 * 1000;

fn look(at: i64, build: &str, lines: &str) -> Look {
    let (at, build) = (Timestamp(at), PlainText::new(build));
    Look::from_lines(&LookHead { number: LookId::new(0), at, until: at, build, boot: None }, lines)
}

#[test]
fn what_shows_the_same_is_kept_once() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let (device, other) = (testing::device_id("CT5-0417-2291"), testing::device_id("CT5-0417-2292"));
    let first = look(10, "B1", "system 1 a.one 0:1000\n");
    let one = book.keep_look(&device, &first).unwrap();
    assert_eq!(book.keep_look(&device, &look(20, "B1", "system 1 a.one 0:1000\n")).unwrap(), one);
    // A clock that jumped back leaves what was seen.
    assert_eq!(book.keep_look(&device, &look(5, "B1", "system 1 a.one 0:1000\n")).unwrap(), one);
    let restarted = Look { boot: Some(PlainText::new("b2")), ..look(20, "B1", "system 1 a.one 0:1000\n") };
    assert_eq!(book.keep_look(&device, &restarted).unwrap(), one, "a start alone is no change");
    assert_eq!(book.looks(&device).unwrap()[0].boot, restarted.boot);
    let second = look(30, "B2", "system 1 a.one 0:0000\n");
    let two = book.keep_look(&device, &second).unwrap();
    assert!(two != one && book.looks(&other).unwrap().is_empty());
    drop(book);
    let book = Logbook::open(folder.path()).unwrap();
    let heads = book.looks(&device).unwrap();
    let of = |head: &LookHead| (head.number, head.at.0, head.until.0);
    assert_eq!(heads.iter().map(of).collect::<Vec<_>>(), [(one, 10, 20), (two, 30, 30)]);
    assert_eq!(book.look(&heads[0]).unwrap(), Some(Look { until: Timestamp(20), boot: restarted.boot, ..first }));
    assert_eq!(book.look(&heads[1]).unwrap(), Some(second));
    assert_eq!(book.look(&LookHead { number: LookId::new(99), ..heads[0].clone() }).unwrap(), None);
}

#[test]
fn old_looks_go_and_odd_ones_harm_nobody() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let device = testing::device_id("S");
    // Four a day, each another one, for a hundred days.
    for n in 0..400 {
        book.keep_look(&device, &look(n * DAY / 4, "B1", &format!("system {n} a.one 0:1000\n"))).unwrap();
    }
    let kept = book.looks(&device).unwrap();
    assert!((14 * 4 + 76..=14 * 4 + 84).contains(&kept.len()), "{}", kept.len());
    assert_eq!(kept[0].at, Timestamp(0), "the first one stays");
    let raw = rusqlite::Connection::open(book.path()).unwrap();
    raw.execute("UPDATE looks SET packed = x'ff00ff' WHERE number = ?1", [kept[3].number.number()]).unwrap();
    assert_eq!(book.look(&kept[3]).unwrap(), None);
    let last = kept.last().unwrap();
    raw.execute("UPDATE looks SET packed = x'' WHERE number = ?1", [last.number.number()]).unwrap();
    let after = book.keep_look(&device, &look(101 * DAY, "B1", "system 1 a.one 0:1000\n")).unwrap();
    assert!(after > last.number);
}

#[test]
fn a_device_is_on_one_break_at_a_time() {
    let folder = tempfile::tempdir().unwrap();
    let book = Logbook::open(folder.path()).unwrap();
    let item = BreakItem {
        id: testing::id("com.corvane.tips"),
        user: UserId::new(10),
        way: Change::Disable,
        target: testing::IN_USE,
        holds: BTreeSet::from(["need a.b".to_owned()]),
    };
    let begun = UpdateBreak {
        number: BreakId::new(0),
        device: testing::device_id("S"),
        begun: Timestamp(7),
        build: PlainText::new("B1"),
        items: vec![item],
        packages: ["com.corvane.tips", "android"].map(testing::id).into(),
        ended: None,
    };
    let number = book.begin_break(&begun).unwrap();
    let twice = book.begin_break(&begun).unwrap_err();
    assert!(matches!(twice, LogbookError::BreakGoesOn { .. }), "{twice}");
    assert_eq!(book.breaks(&begun.device).unwrap(), [UpdateBreak { number, ..begun.clone() }]);
    book.end_break(number, Timestamp(9)).unwrap();
    book.end_break(number, Timestamp(11)).unwrap();
    assert_eq!(book.breaks(&begun.device).unwrap()[0].ended, Some(Timestamp(9)), "when it first ended");
    assert!(book.begin_break(&begun).unwrap() > number);
}
