//! The table and the tray.

use super::*;

#[test]
fn marks_are_for_one_user_and_can_be_undone() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2u/calend\n ");
    assert!(screen.model.app.devices[0].tray.is_empty());
    assert!(screen.shows("is uninstalled for user 10 作業用; there is nothing to take out"));
    screen.keys("u ");
    assert_eq!(screen.model.app.devices[0].tray[0].user, UserId::OWNER);
    screen.keys("/\x1b:mark all found\n");
    assert_eq!(
        screen.model.app.devices[0].tray.len(),
        1,
        "without a search everything is found; that is not marked at once"
    );
    screen.keys("/android\nm");
    assert_eq!(screen.model.app.devices[0].tray.len(), 4);
    screen.keys("z");
    assert_eq!(screen.model.app.devices[0].tray.len(), 1);
    screen.keys("zz");
    assert!(screen.model.app.devices[0].tray.is_empty());
}

#[test]
fn what_is_pasted_is_one_harmless_line() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/");
    update(&mut screen.model, Message::Terminal(Event::Paste("mus\u{1b}ic\nreboot".into())));
    assert_eq!(screen.model.app.devices[0].search.value(), "mus␛ic");
    screen.keys("\x1b");
    assert_eq!(screen.model.app.devices[0].found.len(), 7);
    update(&mut screen.model, Message::Terminal(Event::Paste("s".into())));
    assert!(screen.model.app.devices[0].search.value().is_empty(), "nobody is typing");
}

#[test]
fn the_cursor_keeps_its_package() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/webview\n");
    screen.keys("/\x1b");
    assert_eq!(screen.model.app.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    let mut fewer = inventory();
    fewer.packages.remove("android");
    screen.tell(SessionEvent::Inventory(Arc::new(fewer)));
    assert_eq!(screen.model.app.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    screen.keys("/:disabled\n");
    assert_eq!(screen.model.app.devices[0].found.len(), 1);
    assert!(screen.shows("1 of 6 found"));
}

/// What is chosen is kept with each change, taken in where nothing has been chosen since, undone and done again.
#[test]
fn a_tray_outlives_the_program_and_goes_both_ways() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/music\n ");
    let kept = screen.kept.last().cloned().unwrap();
    assert_eq!(kept.iter().map(ToString::to_string).collect::<Vec<_>>(), ["uninstall 0 com.android.music"]);
    screen.keys("z");
    assert!(screen.kept.last().unwrap().is_empty());
    screen.keys("Y");
    assert_eq!(screen.kept.last(), Some(&kept));

    let mut other = Screen::linked(128, 40);
    other.tell(SessionEvent::Tray(kept.clone()));
    other.keys("2");
    assert!(other.shows("1 chosen: uninstall 1"), "{}", other.text());
    assert!(other.kept.is_empty(), "it is as it was kept");
    // What somebody chooses meanwhile is not thrown away for it.
    let mut busy = Screen::linked(128, 40);
    busy.keys("2/calend\n ");
    busy.tell(SessionEvent::Tray(kept));
    assert_eq!(busy.model.app.devices[0].tray.len(), 1);
    assert_eq!(busy.model.app.devices[0].tray[0].id.as_str(), "com.android.calendar");
}
