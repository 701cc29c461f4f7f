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
