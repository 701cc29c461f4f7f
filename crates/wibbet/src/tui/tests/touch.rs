//! A screen that is tapped: a phone's own, 45 columns wide, and with a mouse on any.

use super::*;

impl Screen {
    /// Draws the screen and taps a place on it, columns and lines counted from 0.
    fn tap_at(&mut self, column: usize, line: usize) {
        self.drawn();
        let event = MouseEvent {
            kind: MouseEventKind::Down(MouseButton::Left),
            column: column as u16,
            row: line as u16,
            modifiers: KeyModifiers::NONE,
        };
        let effects = update(&mut self.model, Message::Terminal(Event::Mouse(event)));
        self.take(effects);
    }

    /// Taps a text on the screen, the last one of them.
    pub(super) fn tap(&mut self, text: &str) {
        let shown = self.text();
        let (line, row) = shown.lines().enumerate().filter(|(_, row)| row.contains(text)).last().unwrap_or_else(|| {
            panic!("{text} is not on the screen:\n{shown}");
        });
        let column = width(&row[..row.rfind(text).unwrap()]) + width(text) / 2;
        self.tap_at(column, line);
    }

    /// Draws the screen, so that it can be tapped.
    pub(super) fn drawn(&mut self) {
        let (columns, lines) = self.model.app.size;
        let theme = Theme::new(ColorDepth::Full);
        let mut terminal = Terminal::new(TestBackend::new(columns, lines)).unwrap();
        terminal.draw(|frame| draw(&self.model, &theme, frame)).unwrap();
        self.model.tappable = theme.taps.drawn();
    }
}

#[test]
fn a_job_by_taps_alone() {
    let mut screen = Screen::linked(45, 40);
    screen.tap("to its packages");
    insta::assert_snapshot!("packages_45x40", screen.text());
    // At the beginning of its line a package is marked at once; elsewhere the second tap does it.
    let row = |screen: &Screen, label: &str| screen.text().lines().position(|l| l.contains(label)).unwrap();
    let music = row(&screen, "Music");
    screen.tap_at(1, music);
    assert_eq!(screen.model.app.devices[0].tray.len(), 1);
    let calendar = row(&screen, "Calendar");
    screen.tap_at(20, calendar);
    assert_eq!(screen.model.app.devices[0].tray.len(), 1, "the first tap only goes there");
    screen.tap_at(20, calendar);
    assert_eq!(screen.model.app.devices[0].tray.len(), 2);
    screen.tap("plan");
    assert_eq!(screen.model.app.view, View::Run);
    insta::assert_snapshot!("plan_45x40", screen.text());
    assert!(screen.effects.is_empty(), "nothing is sent by going there: {:?}", screen.effects);
    screen.tap("send the steps");
    assert!(
        screen.effects.iter().any(|effect| format!("{effect:?}").contains("com.android.music")),
        "{:?}",
        screen.effects
    );
    // The stations at the top.
    for view in View::ALL {
        let number = (view as usize + 1).to_string();
        let top = screen.text().lines().next().unwrap().to_owned();
        screen.tap_at(width(&top[..top.find(&number).unwrap()]), 0);
        assert_eq!(screen.model.app.view, view);
    }
}

#[test]
fn every_action_that_can_be_had_is_behind_the_last_word() {
    for view in View::ALL {
        let mut screen = Screen::linked(45, 40);
        screen.keys(&(view as usize + 1).to_string());
        let enabled: Vec<&str> = by_name(view)
            .into_iter()
            .filter(|b| crate::tui::rooms::is_enabled(&screen.model.app, b.action))
            .filter(|b| !b.hint.is_empty() || matches!(b.action, Action::Quit | Action::UndoRun))
            .map(|b| b.name)
            .collect();
        screen.tap("more");
        assert!(matches!(screen.model.windows[..], [Window::Palette(_)]), "{view:?}");
        let mut seen = screen.text();
        for _ in 0..12 {
            let wheel =
                MouseEvent { kind: MouseEventKind::ScrollDown, column: 9, row: 9, modifiers: KeyModifiers::NONE };
            update(&mut screen.model, Message::Terminal(Event::Mouse(wheel)));
            seen.push_str(&screen.text());
        }
        for name in enabled {
            assert!(seen.contains(name), "{view:?}: {name}\n{seen}");
        }
    }
}

#[test]
fn an_action_in_a_list_of_them_is_done_by_one_tap() {
    let mut screen = Screen::linked(45, 40);
    screen.keys("2");
    screen.tap("more");
    screen.tap("Choose columns");
    assert!(matches!(screen.model.windows[..], [Window::Columns(_)]), "{}", screen.text());
    let before = screen.model.app.columns.len();
    screen.tap("shows or hides");
    assert_ne!(screen.model.app.columns.len(), before);
    // The row under the cursor is switched by a tap; another one is gone to first.
    screen.tap("done");
    assert!(screen.model.windows.is_empty());
}

#[test]
fn what_lies_under_a_window_is_not_tapped() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("2?");
    let views = screen.model.app.view;
    screen.tap_at(12, 0);
    assert_eq!((screen.model.app.view, screen.model.windows.len()), (views, 1));
    screen.tap("closes");
    assert!(screen.model.windows.is_empty());
}

#[test]
fn words_at_the_bottom_are_tapped_where_keys_stand_too() {
    let mut screen = Screen::linked(128, 40);
    screen.tap("to its packages");
    assert_eq!(screen.model.app.view, View::Packages);
    screen.tap("search");
    assert!(screen.model.app.devices[0].searching);
    screen.keys("music");
    screen.tap("to the list");
    assert!(!screen.model.app.devices[0].searching && screen.model.app.devices[0].found.len() == 1);
}

#[test]
fn a_remote_control_reaches_every_word() {
    let mut screen = Screen::linked(100, 30);
    screen.drawn();
    screen.code(KeyCode::Right);
    assert_eq!(screen.model.app.word.map(|key| key.code), Some(KeyCode::Enter), "to its packages");
    screen.drawn();
    screen.code(KeyCode::Enter);
    assert_eq!((screen.model.app.view, screen.model.app.word), (View::Packages, None));
    // From the first to the side is the last one; moving over the list leaves the words.
    screen.drawn();
    screen.code(KeyCode::Left);
    assert_eq!(screen.model.app.word.map(|key| key.code), Some(KeyCode::Char('?')));
    // A word that has gone meanwhile does nothing, whatever stands there now.
    let word = screen.model.app.word;
    screen.model.tappable = crate::tui::widgets::Tappable::default();
    screen.code(KeyCode::Enter);
    assert_eq!((screen.model.app.view, screen.model.windows.len()), (View::Packages, 0));
    screen.model.app.word = word;
    screen.code(KeyCode::Down);
    assert_eq!((screen.model.app.word, screen.model.app.devices[0].at), (None, 1));
    // From a text that is typed into, too, once its end is reached.
    screen.keys("1a");
    screen.keys("192");
    screen.drawn();
    screen.code(KeyCode::Left);
    assert_eq!(screen.model.app.word, None, "over its letters");
    screen.code(KeyCode::End);
    screen.code(KeyCode::Right);
    screen.drawn();
    screen.code(KeyCode::Right);
    screen.drawn();
    screen.code(KeyCode::Enter);
    assert!(screen.model.windows.is_empty(), "not now: {}", screen.text());
    screen.keys("2");
    // Enter alone does what it always does.
    screen.keys(" \n");
    assert_eq!(screen.model.app.view, View::Run);
}

#[test]
fn sentences_name_what_can_be_tapped_or_pressed() {
    let mut wide = Screen::linked(128, 40);
    let mut narrow = Screen::linked(45, 40);
    let mut both = |keys: &str, by_key: &str, by_word: &str| {
        wide.keys(keys);
        narrow.keys(keys);
        assert!(wide.shows(by_key) && !wide.shows(by_word), "{}", wide.text());
        // There a sentence goes over several lines.
        let said = narrow.text().replace(['┃', '\n'], " ");
        let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(said.contains(by_word) && !said.contains(by_key), "{}", narrow.text());
    };
    both("3", "Enter shows the plan", "“plan” shows the plan");
    both("2", "w changes that", "“way” changes that");
    both("/zzz\n", "Esc clears the search", "“clear search” clears");
    both("\x1b/music\n \n", "s sends it", "“send” sends it");
    both("?", "Keys everywhere", "A swipe");
    let (mut wide, mut narrow) = (Screen::empty(128, 40), Screen::empty(45, 40));
    wide.model.app.devices.clear();
    narrow.model.app.devices.clear();
    assert!(wide.shows("p  pairs a device") && narrow.shows("“add device”"), "{}{}", wide.text(), narrow.text());
    // A device itself has no keys either, however wide its terminal is.
    let mut tv = Screen::linked(128, 40);
    tv.model.app.on_itself = true;
    tv.keys("2");
    assert!(tv.shows("“way” changes that"), "{}", tv.text());
    tv.keys("1?");
    assert!(tv.shows("Carry on with the run  "), "its name is not cut: {}", tv.text());
}

/// What would be sent is read whole.
#[test]
fn what_closing_sends_is_not_cut() {
    let mut screen = Screen::linked(45, 40);
    screen.keys("1.l");
    let whole: String = screen.text().split(['┃', '\n']).map(str::trim).collect::<Vec<_>>().join(" ");
    let whole = whole.split_whitespace().collect::<Vec<_>>().join(" ");
    for words in ["⟩ settings put global adb_wifi_enabled 0", "⟩ settings put global adb_enabled 0"] {
        assert!(whole.contains(words), "{words}\n{}", screen.text());
    }
}

#[test]
fn the_other_field_of_a_window_is_tapped() {
    let mut screen = Screen::linked(60, 40);
    screen.keys("1.j");
    assert!(screen.shows("⟩ technician"), "{}", screen.text());
    screen.tap("  ticket");
    screen.keys("P-77");
    assert!(screen.shows("⟩ ticket") && screen.shows("P-77"), "{}", screen.text());
}

#[test]
fn the_screen_on_the_device_itself() {
    let mut screen = Screen::empty(45, 40);
    screen.keys("H");
    assert!(screen.model.windows.is_empty(), "elsewhere there is no such thing");
    screen.model.app.on_itself = true;
    screen.keys("H");
    let effects = std::mem::take(&mut screen.effects);
    assert_eq!(effects, [Effect::Bench(BenchCommand::FindHere)]);
    screen.bench(BenchEvent::Here(None));
    insta::assert_snapshot!("here_45x40", screen.text());
    screen.tap(" pair ");
    assert!(screen.shows("six digits") && screen.effects.is_empty());
    // Digits alone; behind the sixth the port is asked for, and of an address its port is taken.
    screen.keys("59x2781");
    update(&mut screen.model, Message::Terminal(Event::Paste("192.0.2.7:41235".into())));
    screen.tap(" pair ");
    let at = "127.0.0.1:41235".parse().unwrap();
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::Pair { at, code: "592781".into() })]);
    screen.effects.clear();
    // What was typed stays, also when it was of no use.
    screen.bench(BenchEvent::Paired(Err(("the code is not the one".into(), true))));
    assert!(screen.shows("592781") && screen.shows("41235") && screen.shows("not the one"), "{}", screen.text());
    screen.bench(BenchEvent::Paired(Ok("adb-CT5".into())));
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::FindHere)]);
    screen.effects.clear();
    // It is found, linked, and the window closes.
    screen.bench(BenchEvent::Here(Some("127.0.0.1:40001".parse().unwrap())));
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::AddHere("127.0.0.1:40001".parse().unwrap()))]);
    screen.tell(SessionEvent::Ladder(Box::new(ready())));
    assert!(screen.model.windows.is_empty() && screen.shows("This device is linked"), "{}", screen.text());
    // When the link goes it is looked for again: its port is another one by then.
    screen.effects.clear();
    let trouble = Some(LinkTrouble::new(Rung::Reached, Advice::CheckNetwork, "gone"));
    let lost = Ladder { trouble, ..Ladder::default() };
    screen.tell(SessionEvent::Ladder(Box::new(lost)));
    assert_eq!(screen.effects, [Effect::Bench(BenchCommand::FindHere)]);
    screen.bench(BenchEvent::Here(None));
    assert!(screen.shows("own debugging"), "{}", screen.text());
}

/// What a device says to a code whose dialog was closed, as long as such words get.
const NOT_OFFERED: &str = "nothing offers pairing at 127.0.0.1:41235 (Connection refused (os error 111)). The device does so only while its \
    dialog with the code is open, and at another port each time: open the dialog again and take address and code from it";

/// What the window in front says, in one line, without the signs that there is more of it.
fn said(screen: &Screen) -> String {
    in_the_window(screen).replace(['↑', '↓'], " ").split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Half of a phone's screen is under a keyboard, or beside the settings that show the code.
#[test]
fn what_becomes_of_a_code_is_in_sight_on_half_a_phones_screen() {
    let mut screen = Screen::empty(45, 16);
    screen.model.app.on_itself = true;
    screen.keys("H");
    screen.bench(BenchEvent::Here(None));
    assert!(said(&screen).contains("1 Settings, Developer options"), "{}", screen.text());
    screen.keys("59278\n");
    assert!(said(&screen).contains("▲ the code has six digits"), "{}", screen.text());
    screen.keys("141235\n");
    assert!(said(&screen).contains("pairing"), "{}", screen.text());
    screen.bench(BenchEvent::Paired(Err((NOT_OFFERED.into(), false))));
    let shown = said(&screen);
    assert!(shown.contains("code 592781 ⟩ port 41235") && shown.contains(NOT_OFFERED), "{}", screen.text());
    // The rest of what it says is a swipe away, in both directions; what is typed next is seen.
    let swipe = |screen: &mut Screen, kind| {
        for _ in 0..9 {
            let wheel = MouseEvent { kind, column: 9, row: 9, modifiers: KeyModifiers::NONE };
            update(&mut screen.model, Message::Terminal(Event::Mouse(wheel)));
        }
    };
    swipe(&mut screen, MouseEventKind::ScrollDown);
    assert!(said(&screen).contains("cannot catch itself: that takes another one."), "{}", screen.text());
    swipe(&mut screen, MouseEventKind::ScrollUp);
    assert!(said(&screen).contains("1 Settings, Developer options"), "{}", screen.text());
    screen.code(KeyCode::Backspace);
    assert!(said(&screen).contains("code 592781 ⟩ port 4123 "), "{}", screen.text());
    screen.bench(BenchEvent::Here(Some("127.0.0.1:40001".parse().unwrap())));
    assert!(said(&screen).contains("Its debugging is at port 40001"), "{}", screen.text());
}

#[test]
fn a_plan_is_read_whole_on_half_a_phones_screen() {
    let mut screen = Screen::linked(45, 13);
    screen.keys("2/music\n \nv");
    assert!(screen.shows("↓ the step is below"), "{}", screen.text());
    let mut seen = screen.text();
    for _ in 0..9 {
        screen.code(KeyCode::Down);
        seen.push_str(&screen.text());
    }
    let seen = seen.split_whitespace().collect::<Vec<_>>().join(" ");
    for words in ["Plan: take out", "1 comes back without its data", "⟩ package uninstall --user 0 com.android.music"]
    {
        assert!(seen.contains(words), "{words}\n{seen}");
    }
    assert!(screen.shows("⟩ dumpsys package write"), "its very end: {}", screen.text());
    assert!(!screen.shows("Plan: take out"));
    screen.code(KeyCode::Home);
    assert!(screen.shows("Plan: take out"), "{}", screen.text());
}

#[test]
fn what_is_sent_is_not_cut_without_a_word() {
    let mut screen = Screen::linked(45, 40);
    screen.keys("1.r");
    assert!(screen.shows("⟩ svc power reboot") && !screen.shows("higher screen"), "{}", screen.text());
    screen.model.app.size = (45, 12);
    assert!(
        !screen.shows("⟩ svc power reboot") && screen.shows("more lines need a higher screen"),
        "{}",
        screen.text()
    );
}

#[test]
fn pairing_another_device_says_what_became_of_it_there_too() {
    for lines in [14, 40] {
        let mut screen = Screen::empty(45, lines);
        screen.keys("p");
        update(&mut screen.model, Message::Terminal(Event::Paste("127.0.0.1:41235".into())));
        screen.code(KeyCode::Tab);
        screen.keys("592781\n");
        assert!(said(&screen).contains("pairing"), "{}", screen.text());
        screen.bench(BenchEvent::Paired(Err((NOT_OFFERED.into(), false))));
        let shown = said(&screen);
        assert!(shown.contains("address 127.0.0.1:41235") && shown.contains(NOT_OFFERED), "{}", screen.text());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is tapped, in whatever order and at whatever size, nothing breaks, and only a word that says so sends anything.
    #[test]
    fn any_taps_at_all(taps in prop::collection::vec((0usize..60, 0usize..44), 1..40), size in (8u16..70, 5u16..44)) {
        let mut screen = Screen::linked(size.0, size.1);
        for (column, line) in taps {
            screen.tap_at(column, line);
        }
        screen.text();
    }
}

/// What stands in the frame that lies on top.
fn in_the_window(screen: &Screen) -> String {
    let shown = screen.text();
    let rows: Vec<Vec<char>> = shown.lines().map(|line| line.chars().collect()).collect();
    let signs = |row: &[char]| row.iter().enumerate().filter(|(_, c)| **c == '┏').map(|(x, _)| x).collect::<Vec<_>>();
    let corners = rows.iter().enumerate().flat_map(|(y, row)| signs(row).into_iter().map(move |x| (x, y)));
    let (left, top) = corners.max().unwrap_or_else(|| panic!("no window:\n{shown}"));
    let inside = rows[top + 1..].iter().take_while(|row| row.get(left) == Some(&'┃'));
    let inside = inside.map(|row| row[left + 1..].iter().take_while(|c| **c != '┃').collect::<String>());
    inside.collect::<Vec<_>>().join("\n")
}

/// What a window says on a desk's screen it says on a phone's, but for what is scrolled there.
#[test]
fn windows_are_not_cut_on_a_phone() {
    // These scroll there, or say of the line under the cursor alone what they say of each on a desk, or list only what can be done; pairing says it shorter.
    let others = [Layer::Reading, Layer::Everything, Layer::Palette, Layer::Ways, Layer::Columns, Layer::Pair];
    let is_other = |layer| others.contains(&layer) || matches!(layer, Layer::Menu(_));
    // What is pressed there is tapped here, and a finger moves by swiping.
    let keys = ["Enter", "Space", "Esc", "Tab", "Ctrl", "PgDn", "moves"];
    let mut seen = 0;
    let pairs = super::keys::screens(45, 40).into_iter().zip(super::keys::screens(160, 50));
    for ((what, phone), (_, desk)) in pairs.filter(|((what, _), _)| what.starts_with("Packages with")) {
        let layer = phone.model.windows.last().map(Window::layer).unwrap();
        if is_other(layer) {
            continue;
        }
        seen += 1;
        let (phone, desk) = (in_the_window(&phone), in_the_window(&desk));
        // Which device is meant is said at the top of the screen there.
        let desk = desk.replace("(Corvane Tarn 5)", "");
        let joined: String = phone.chars().filter(|c| !c.is_whitespace()).collect();
        let words = desk.split(|c: char| !c.is_alphanumeric()).filter(|w| w.len() > 1);
        let missing: Vec<&str> = words.filter(|w| !joined.contains(w) && !keys.contains(w)).collect();
        assert!(missing.is_empty(), "{what} does not say {missing:?}:\n{phone}");
        assert!(!phone.contains('…'), "{what}:\n{phone}");
    }
    assert!(seen > 20, "{seen}");
}

/// What happens on a device while a finger is on its way moves no line from under it.
#[test]
fn a_list_of_actions_stands_still() {
    let mut screen = Screen::linked(45, 40);
    screen.tap("more");
    let row = |screen: &Screen| screen.text().lines().position(|line| line.contains("Orders:"));
    let before = row(&screen);
    assert!(before.is_some() && screen.shows("Restart the device"), "{}", screen.text());
    // The link is lost, and with it what takes one.
    screen.tell(SessionEvent::Ladder(Box::default()));
    assert_eq!(row(&screen), before, "{}", screen.text());
}
