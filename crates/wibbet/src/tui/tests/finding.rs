//! Finding and knowing packages.

use wibbet_core::ask::Opening;
use wibbet_core::catalog::Attribute;
use wibbet_core::package::{AppFacts, AppNames, HomeEntry, Metrics, Note, Scope, Sizes, Source, Usage};
use wibbet_types::{DeviceTime, PackageId};

use super::*;

fn id(text: &str) -> PackageId {
    text.parse().unwrap()
}

/// A phone of which labels, sizes and use are known.
fn known(columns: u16, lines: u16) -> Screen {
    let mut screen = Screen::linked(columns, lines);
    let mut names = AppNames::default();
    let mut metrics = Metrics { now: Some(DeviceTime(200 * 86_400)), ..Metrics::default() };
    metrics.asked.extend([Source::Clock, Source::Sizes, Source::Usage]);
    metrics.gaps.insert(Source::Memory, "“dumpsys meminfo” said nothing".into());
    metrics.asked.insert(Source::Memory);
    for (n, (text, label)) in [
        ("android", "Android System"),
        ("com.android.calendar", "カレンダー"),
        ("com.android.music", "Nebelhorn"),
        ("com.corvane.cleaner", "Besen"),
        ("fer.pellmoor.tides", "Gezeiten"),
    ]
    .into_iter()
    .enumerate()
    {
        let label = Some(PlainText::new(label));
        let class = PlainText::new(&format!("{text}.Main"));
        let home = vec![HomeEntry { class, label: None }];
        names.apps.insert(id(text), AppFacts { label, home, ..AppFacts::default() });
        let megabytes = 1_000_000 * 10u64.pow(n as u32 % 3);
        metrics.sizes.insert(id(text), Sizes { code: Some(megabytes), data: Some(5), cache: Some(0) });
        let last = DeviceTime((200 - 30 * n as i64) * 86_400);
        metrics
            .usage
            .entry(UserId::OWNER)
            .or_default()
            .insert(id(text), Usage { last: Some(last), seconds: 60, ..Usage::default() });
    }
    screen.tell(SessionEvent::Names(Arc::new(names)));
    screen.tell(SessionEvent::Metrics(Arc::new(metrics)));
    screen.keys("2");
    screen.effects.clear();
    screen
}

fn sent(screen: &Screen) -> Vec<SessionCommand> {
    let command = |e: &Effect| match e {
        Effect::Bench(BenchCommand::Session(_, command)) => Some(command.clone()),
        _ => None,
    };
    screen.effects.iter().filter_map(command).collect()
}

#[test]
fn labels_sizes_and_use_stand_in_the_table() {
    for (columns, lines) in [(160, 45), (128, 40), (80, 24)] {
        insta::assert_snapshot!(format!("known_{columns}x{lines}"), known(columns, lines).text());
    }
}

#[test]
fn an_app_is_found_by_a_name_that_its_id_does_not_have() {
    let mut screen = known(128, 40);
    screen.keys("/nebel");
    let device = &screen.model.app.devices[0];
    assert_eq!(device.under_cursor(), Some(&id("com.android.music")));
    assert!(screen.shows("1 of 7 found"));
    screen.keys("\x1b/:idle>50d :size>1.5M\n");
    let found: Vec<&str> = screen.model.app.devices[0].found.iter().map(PackageId::as_str).collect();
    assert_eq!(found, ["com.android.music", "fer.pellmoor.tides"]);
}

#[test]
fn facts_are_completed_and_trouble_is_shown_where_it_is() {
    let mut screen = known(128, 40);
    screen.keys("/:dis");
    assert!(screen.shows(":disabled") && screen.shows("installed, but disabled"));
    screen.keys("\t");
    assert_eq!(screen.model.app.devices[0].search.value(), ":disabled ");
    screen.keys(":siz\t");
    assert_eq!(screen.model.app.devices[0].search.value(), ":disabled :size>");
    assert!(screen.shows("a size belongs here"));
    screen.keys("5x");
    assert!(screen.shows("this is no size"));
    assert_eq!(screen.model.app.devices[0].found.len(), 1, "the rest of the line is searched for");
    screen.code(KeyCode::F(1));
    assert!(screen.shows("How to search") && screen.shows("not used for 90 days"));
}

#[test]
fn the_table_is_sorted_by_its_columns_and_the_cursor_stays() {
    let mut screen = known(128, 40);
    screen.code(KeyCode::Down);
    let before = screen.model.app.devices[0].under_cursor().cloned();
    // Only columns that are on the screen: label, id, state and size.
    let sizes = Attribute::FIRST.iter().position(|c| *c == Attribute::SIZE).unwrap() + 1;
    screen.keys(&">".repeat(sizes));
    let device = &screen.model.app.devices[0];
    assert_eq!(device.sort.0, Some(Attribute::SIZE));
    assert_eq!(device.under_cursor().cloned(), before);
    assert_eq!(device.found[0], id("com.android.music"), "the largest first");
    assert!(screen.shows("size ▼"));
    screen.keys("<");
    let found: Vec<&str> = screen.model.app.devices[0].found.iter().map(PackageId::as_str).collect();
    assert_eq!(
        found[4..],
        ["com.android.music", "com.android.webview", "com.corvane.usermanual"],
        "not told comes last"
    );
    assert!(screen.shows("size ▲"));
    // Rows that change leave cursor and marks where they are.
    screen.keys(" ");
    let (under, tray) = (screen.model.app.devices[0].under_cursor().cloned(), screen.model.app.devices[0].tray.clone());
    screen.tell(SessionEvent::Names(Arc::new(AppNames::default())));
    assert_eq!(
        (screen.model.app.devices[0].under_cursor().cloned(), screen.model.app.devices[0].tray.clone()),
        (under, tray)
    );
}

#[test]
fn the_devices_screen_is_followed_and_gone_to() {
    let mut screen = known(128, 40);
    screen.keys("f");
    assert_eq!(sent(&screen), [SessionCommand::Follow(true)]);
    screen.tell(SessionEvent::Front(Some((id("fer.pellmoor.tides"), UserId::OWNER))));
    assert!(screen.shows("◉~") || screen.shows("◉Gezeiten"), "{}", screen.text());
    screen.keys("/besen\nf");
    let device = &screen.model.app.devices[0];
    assert_eq!(device.under_cursor(), Some(&id("fer.pellmoor.tides")), "also when the search did not find it");
    screen.keys(".f");
    assert_eq!(sent(&screen).last(), Some(&SessionCommand::Follow(false)));
}

#[test]
fn opening_on_the_device_shows_the_words_first() {
    let mut screen = known(128, 40);
    screen.keys("/gezeiten\n.o");
    assert!(screen.shows("This goes to the device:") && screen.shows("fer.pellmoor.tides/fer.pellmoor.tides.Main"));
    assert!(sent(&screen).is_empty());
    screen.keys("_");
    assert!(screen.shows("APPLICATION_DETAILS_SETTINGS"));
    screen.keys("\n");
    assert!(matches!(&sent(&screen)[..], [SessionCommand::Open(Opening::About { .. })]));
}

#[test]
fn notes_and_stars_are_written_shown_and_found() {
    let mut screen = known(128, 40);
    screen.keys("/besen\n*.n");
    let star = Note { id: id("com.corvane.cleaner"), scope: Scope::All, text: String::new(), star: true };
    assert_eq!(sent(&screen), [SessionCommand::Note(star.clone())]);
    screen.keys("Leert Zwischenspeicher\tgilt");
    assert!(screen.shows("Leert Zwischenspeicher"));
    screen.keys("\n");
    let notes: Vec<Note> = sent(&screen)
        .into_iter()
        .filter_map(|c| match c {
            SessionCommand::Note(note) => Some(note),
            _ => None,
        })
        .collect();
    let written: Vec<(Scope, &str)> = notes[1..].iter().map(|n| (n.scope, n.text.as_str())).collect();
    assert_eq!(written, [(Scope::Device, "Leert Zwischenspeicher"), (Scope::Model, "gilt")]);
    screen.tell(SessionEvent::Notes(Arc::new(vec![star, notes[1].clone()])));
    assert!(screen.shows("★Besen"), "{}", screen.text());
    screen.keys("\x1b/zwischensp");
    assert!(screen.shows("1 of 7 found"));
}

#[test]
fn a_pasted_list_says_what_is_there_and_marks_it() {
    let mut screen = known(128, 40);
    let text = "# weg damit\ncom.android.music\ncom.corvane.usermanual, no.such.app\nUnsinn\n";
    update(&mut screen.model, Message::Terminal(Event::Paste(text.into())));
    for words in
        ["1 not on this device", "no.such.app", "1 no ids", "Unsinn", "1 not installed", "1 installed for user 0"]
    {
        assert!(screen.shows(words), "{words}: {}", screen.text());
    }
    screen.keys("android\n");
    assert!(screen.shows("2 installed for user 0"));
    screen.keys("\n");
    let tray: Vec<&str> = screen.model.app.devices[0].tray.iter().map(|i| i.id.as_str()).collect();
    assert_eq!(tray, ["com.android.music", "android"]);
    // One word is for the line that is typed into.
    screen.keys("/");
    update(&mut screen.model, Message::Terminal(Event::Paste("besen".into())));
    assert_eq!(screen.model.app.devices[0].search.value(), "besen");
}

#[test]
fn columns_searches_languages_and_exports() {
    let mut screen = known(128, 40);
    screen.keys(".c ");
    assert!(!screen.model.app.columns.contains(&Attribute::LABEL));
    screen.keys("0_+\n");
    assert_eq!(screen.model.app.columns[..2], [Attribute::ID, Attribute::LABEL]);
    assert!(matches!(&screen.effects[..], [Effect::Choose("columns", line)] if line.starts_with("id label states")));
    screen.keys("/:star\n.s+");
    assert!(matches!(screen.effects.last(), Some(Effect::Choose("searches", line)) if line == ":star"));
    screen.keys("\x1b\x1b.s\n");
    assert_eq!(screen.model.app.devices[0].search.value(), ":star");
    screen.keys("\x1b.gxx1\n");
    assert!(screen.shows("language of two or three letters"));
    screen.keys("\x1b/besen\n.x\n");
    let Some(Effect::Write(name, ".csv", text)) = screen.effects.last() else { panic!("{:?}", screen.effects) };
    assert_eq!(name, "packages-CT5-0417-2291");
    let lines: Vec<&str> = std::str::from_utf8(text).unwrap().lines().collect();
    assert!(lines[0].starts_with(r#""id","label","state_0","state_10","holds","size","idle""#), "{}", lines[0]);
    assert_eq!(lines.len(), 2, "what is found");
    assert!(
        lines[1].starts_with(r#""com.corvane.cleaner","Besen","disabled","in-use","","1000005","90""#),
        "{}",
        lines[1]
    );
    screen.keys(".x___\n");
    let Some(Effect::Write(_, ".json", text)) = screen.effects.last() else { panic!("{:?}", screen.effects) };
    let all: serde_json::Value = serde_json::from_slice(text).unwrap();
    assert_eq!(all.as_array().unwrap().len(), 7);
    assert_eq!(all[0]["size"], 1_000_005);
    assert!(all[0]["memory"].is_null(), "what is not told is null");
    screen.keys(".y");
    assert_eq!(screen.effects.last(), Some(&Effect::Copy("com.corvane.cleaner".into())));
}

#[test]
fn everything_known_says_from_where_and_why_not() {
    let mut screen = known(110, 60);
    screen.keys("/besen\nI");
    for words in
        ["Besen", "resource table", "dumpsys diskstats", "“dumpsys meminfo” said nothing", "user 10", "not reported"]
    {
        assert!(screen.shows(words), "{words}: {}", screen.text());
    }
    screen.keys("\x1b");
    assert!(screen.model.windows.is_empty() && screen.model.app.view == View::Packages);
}
