//! Notes, choices, and what APKs have told.

use wibbet_core::device::{DeviceFacts, DeviceKind};
use wibbet_core::package::{ApkFingerprint, AppFacts, Declared, HomeEntry, Note, Scope};
use wibbet_logbook::Logbook;
use wibbet_types::{AndroidVersion, PlainText, Timestamp};

fn device(id: &str, model: &str) -> DeviceFacts {
    DeviceFacts {
        id: id.parse().unwrap(),
        serial: id.parse().unwrap(),
        maker: "Corvane".into(),
        model: model.into(),
        market: PlainText::default(),
        kind: DeviceKind::Phone,
        android: AndroidVersion::new(34, "14"),
        patch: "".into(),
        build: "CTN5".into(),
        android_id: None,
        boot_id: None,
    }
}

fn note(id: &str, scope: Scope, text: &str, star: bool) -> Note {
    Note { id: id.parse().unwrap(), scope, text: text.into(), star }
}

#[test]
fn notes_hold_for_the_devices_that_they_are_for() {
    let folder = tempfile::tempdir().unwrap();
    let book = Logbook::open(folder.path()).unwrap();
    let [own, same_model, other] = [device("A1", "Tarn 5"), device("A2", "Tarn 5"), device("B1", "Rill 2")];
    for scope in Scope::ALL {
        book.write_note(&own, &note("com.a", scope, scope.word(), false), Timestamp(1)).unwrap();
    }
    let scopes = |device| book.notes(device).unwrap().iter().map(|n| n.scope).collect::<Vec<_>>();
    assert_eq!(scopes(&own), Scope::ALL);
    assert_eq!(scopes(&same_model), [Scope::Model, Scope::All]);
    assert_eq!(scopes(&other), [Scope::All]);
}

#[test]
fn a_note_replaces_the_one_of_its_scope_and_an_empty_one_takes_it_out() {
    let folder = tempfile::tempdir().unwrap();
    let own = device("A1", "Tarn 5");
    {
        let book = Logbook::open(folder.path()).unwrap();
        book.write_note(&own, &note("com.a", Scope::Device, "first", false), Timestamp(1)).unwrap();
        book.write_note(&own, &note("com.a", Scope::Device, "second ' ; --", true), Timestamp(2)).unwrap();
        book.write_note(&own, &note("com.b", Scope::Device, "", true), Timestamp(3)).unwrap();
    }
    let book = Logbook::open(folder.path()).unwrap();
    let kept = book.notes(&own).unwrap();
    assert_eq!(kept, [note("com.a", Scope::Device, "second ' ; --", true), note("com.b", Scope::Device, "", true)]);
    book.write_note(&own, &note("com.a", Scope::Device, "", false), Timestamp(4)).unwrap();
    assert_eq!(book.notes(&own).unwrap(), kept[1..]);
}

#[test]
fn choices_are_remembered() {
    let folder = tempfile::tempdir().unwrap();
    let book = Logbook::open(folder.path()).unwrap();
    assert_eq!(book.choice("columns").unwrap(), None);
    book.choose("columns", "id label").unwrap();
    book.choose("columns", "label").unwrap();
    book.choose("searches", ":star\n:off").unwrap();
    let again = Logbook::open(folder.path()).unwrap();
    assert_eq!(again.choice("columns").unwrap().as_deref(), Some("label"));
    assert_eq!(again.choice("searches").unwrap().as_deref(), Some(":star\n:off"));
}

fn mark(path: &str, size: u32) -> ApkFingerprint {
    ApkFingerprint { path: path.into(), size, time: 7, version: u64::MAX - 1 }
}

fn facts(label: &str) -> AppFacts {
    AppFacts {
        label: Some(PlainText::new(label)),
        locale: "zh-Hant-TW".parse().unwrap(),
        home: vec![
            HomeEntry { class: "com.a.Main".into(), label: None },
            HomeEntry { class: "com.a.Other".into(), label: Some("Другий".into()) },
        ],
        parts: [1, 2, 3, 40],
        overlay_of: Some("com.android.systemui".parse().unwrap()),
        libraries: vec!["org.one".into(), "org.two".into()],
        declared: std::sync::Arc::new(Declared::from_record(
            "1 cx\ns\tcom.a.Keys\tandroid.view.InputMethod\t\t0\tbe\tandroid.permission.BIND_INPUT_METHOD\n?\tcom.b\t\twords",
        )),
        trouble: None,
    }
}

#[test]
fn what_apks_told_is_found_again_by_file_build_and_languages() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let one = wibbet_core::testing::device_id("CT5-1");
    let none = AppFacts { trouble: Some("it is cut".into()), ..AppFacts::default() };
    let all = [
        (mark("/system/app/A/A.apk", 100), "com.a".to_owned(), facts("壁紙")),
        (mark("/system/app/B/B.apk", u32::MAX), "com.b".to_owned(), none.clone()),
    ];
    book.note_apps("CTN5", "zh-TW,en", &one, &all).unwrap();
    let known = book.apps("CTN5", "zh-TW,en", &one).unwrap();
    assert_eq!(known.len(), 2);
    assert_eq!(known[&mark("/system/app/A/A.apk", 100)], facts("壁紙"));
    assert_eq!(known[&mark("/system/app/B/B.apk", u32::MAX)], none);
    assert!(book.apps("CTN6", "zh-TW,en", &one).unwrap().is_empty(), "another build");
    assert!(book.apps("CTN5", "de", &one).unwrap().is_empty(), "other languages");
    // Another file in the place of one is another file, and takes its place.
    book.note_apps("CTN5", "zh-TW,en", &one, &[(mark("/system/app/A/A.apk", 101), "com.a".into(), facts("Neu"))])
        .unwrap();
    let known = book.apps("CTN5", "zh-TW,en", &one).unwrap();
    assert_eq!((known.len(), known.contains_key(&mark("/system/app/A/A.apk", 100))), (2, false));
}

/// Whoever is on a network can say that they are of any build, and name its packages as they like.
#[test]
fn what_one_device_tells_is_not_what_its_like_are_shown() {
    let folder = tempfile::tempdir().unwrap();
    let mut book = Logbook::open(folder.path()).unwrap();
    let device = wibbet_core::testing::device_id;
    let told = |label: &str| [(mark("/system/app/A/A.apk", 100), "com.a".to_owned(), facts(label))];
    let shown = |book: &Logbook, of: &str| {
        let known = book.apps("CTN5", "en", &device(of)).unwrap();
        known.values().next().and_then(|facts| facts.label.clone()).map(|label| label.to_string())
    };
    book.note_apps("CTN5", "en", &device("liar"), &told("Weather")).unwrap();
    assert_eq!(shown(&book, "CT5-3"), None);
    book.note_apps("CTN5", "en", &device("CT5-1"), &told("Telephony")).unwrap();
    book.note_apps("CTN5", "en", &device("CT5-2"), &told("Telephony")).unwrap();
    assert_eq!(shown(&book, "CT5-3"), None, "they contradict each other");
    assert_eq!(shown(&book, "liar").as_deref(), Some("Weather"), "each is believed of itself");
    book.note_apps("CTN5", "en", &device("liar"), &told("Telephony")).unwrap();
    assert_eq!(shown(&book, "CT5-3").as_deref(), Some("Telephony"));
}
