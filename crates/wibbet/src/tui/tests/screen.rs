//! What holds for the whole screen: sizes, keys, mouse, texts.

use super::*;

#[test]
fn the_views_at_their_sizes() {
    let mut screen = Screen::linked(100, 30);
    insta::assert_snapshot!("bench_100x30", screen.text());
    screen.keys("2/music\n ");
    screen.keys("/\x1bw");
    insta::assert_snapshot!("packages_100x30", screen.text());
    screen.model.app.size = (160, 45);
    screen.model.app.details = true;
    insta::assert_snapshot!("packages_160x45", screen.text());
    screen.model.app.size = (50, 20);
    insta::assert_snapshot!("packages_50x20", screen.text());
    screen.model.app.size = (80, 24);
    screen.keys("\nv");
    insta::assert_snapshot!("plan_80x24", screen.text());
    let done = run([Some(Outcome::Done), Some(Outcome::Refused), Some(Outcome::Unsettled)]);
    screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(done.clone()))));
    screen.tell(SessionEvent::Runs(Arc::new(vec![done.clone()])));
    insta::assert_snapshot!("run_80x24", screen.text());
    screen.keys("4");
    insta::assert_snapshot!("shelf_80x24", screen.text());
    update(&mut screen.model, log(vec![done]));
    screen.keys("5");
    insta::assert_snapshot!("logbook_80x24", screen.text());
}

#[test]
fn texts_of_a_device_cannot_steer_the_terminal() {
    let mut screen = Screen::linked(128, 40);
    let mut odd = testing::facts();
    odd.model = PlainText::new("Tarn\u{1b}[2J\u{202e}5");
    screen.tell(SessionEvent::Facts(Box::new(odd), Capabilities::new(34, DaemonFeatures::default())));
    screen.tell(SessionEvent::Note("\u{1b}]0;x\u{7}".into()));
    let text = screen.text();
    assert!(text.contains("Tarn␛[2J‹U+202E›5") && text.contains("␛]0;x␇"));
    assert!(!text.contains('\u{1b}') && !text.contains('\u{202e}'));
}

#[test]
fn the_mouse_finds_what_is_drawn() {
    let mut screen = Screen::linked(128, 40);
    let click = |screen: &mut Screen, column: usize, row: usize| {
        let event = MouseEvent {
            kind: MouseEventKind::Down(MouseButton::Left),
            column: column as u16,
            row: row as u16,
            modifiers: KeyModifiers::NONE,
        };
        update(&mut screen.model, Message::Terminal(Event::Mouse(event)));
    };
    let cells = |line: &str, text: &str| line.find(text).map(|at| width(&line[..at]));
    let top = screen.text().lines().next().unwrap().to_owned();
    click(&mut screen, cells(&top, "Packages").unwrap(), 0);
    assert_eq!(screen.model.app.view, View::Packages);
    let row = screen.text().lines().position(|l| l.contains("com.android.music")).unwrap();
    click(&mut screen, 10, row);
    assert_eq!(screen.model.app.devices[0].under_cursor().unwrap().as_str(), "com.android.music");
    screen.keys("4");
    let row = screen.text().lines().position(|l| l.contains("com.corvane.usermanual")).unwrap();
    click(&mut screen, 10, row);
    assert_eq!(
        screen.model.app.devices[0].shelf.entries[screen.model.app.devices[0].shelf_at].id.as_str(),
        "com.corvane.usermanual"
    );
}

#[test]
fn lists_are_moved_over_by_keys_and_wheel() {
    let mut screen = Screen::linked(80, 14);
    screen.keys("2__");
    assert_eq!(screen.model.app.devices[0].at, 2);
    screen.keys("^");
    screen.code(KeyCode::End);
    assert_eq!(screen.model.app.devices[0].at, 6);
    assert!(screen.shows("▌ ~ Tides"));
    screen.code(KeyCode::PageUp);
    let up = screen.model.app.devices[0].at;
    assert!(up < 6);
    let wheel = MouseEvent { kind: MouseEventKind::ScrollDown, column: 1, row: 5, modifiers: KeyModifiers::NONE };
    update(&mut screen.model, Message::Terminal(Event::Mouse(wheel)));
    assert_eq!(screen.model.app.devices[0].at, (up + 3).min(6));
    screen.code(KeyCode::Home);
    assert_eq!(screen.model.app.devices[0].at, 0);
    screen.keys("j k\t\t");
    assert_eq!(screen.model.app.view, View::Shelf);
    screen.code(KeyCode::BackTab);
    assert_eq!(screen.model.app.view, View::Run);
}

#[test]
fn a_page_shows_where_it_goes_on() {
    let mut screen = Screen::linked(80, 14);
    screen.keys("?");
    for (code, up, down) in [(KeyCode::Home, false, true), (KeyCode::PageDown, true, true), (KeyCode::End, true, false)]
    {
        screen.code(code);
        assert_eq!((screen.shows("↑┃"), screen.shows("↓┃")), (up, down), "{}", screen.text());
    }
    let mut screen = Screen::linked(128, 40);
    screen.keys("1g");
    assert!(screen.shows("First steps") && !screen.shows("↓┃"), "{}", screen.text());
}

#[test]
fn escape_and_a_key_in_one_piece_are_both() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("2/");
    let alt = |c| Message::Terminal(Event::Key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::ALT)));
    update(&mut screen.model, alt('?'));
    assert!(!screen.model.app.devices[0].searching, "Escape has left the line");
    assert!(matches!(screen.model.windows[..], [Window::Help(_)]), "and the key behind it was heard");
    update(&mut screen.model, alt('2'));
    assert!(screen.model.windows.is_empty());
}

/// What stands on the bottom line does something, and help and palette know every action.
#[test]
fn hints_help_and_palette_come_from_one_table() {
    let mut screen = Screen::linked(160, 200);
    screen.keys("?");
    for binding in View::ALL.into_iter().flat_map(by_name) {
        let doc: String = binding.doc.chars().take(40).collect();
        assert!(screen.shows(doc.trim()), "{}", binding.name);
    }
    screen.keys("\x1b");
    for binding in by_name(View::Bench) {
        screen.keys(&format!(":{}", binding.name));
        assert!(screen.shows(binding.name) && !screen.shows("No action has such a name"), "{}", binding.name);
        screen.keys("\x1b");
    }
    screen.keys(":shelf\n");
    assert_eq!(screen.model.app.view, View::Shelf);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    #[test]
    fn no_keys_and_no_size_bring_it_down(
        keys in "[1-5 a-zA-Z/:?<>*+=.\n\t^_\x1b-]{0,60}",
        columns in 0u16..170,
        lines in 0u16..50,
        depth in 0usize..3,
    ) {
        let mut screen = Screen::linked(columns, lines);
        for (n, key) in keys.chars().enumerate() {
            screen.keys(&key.to_string());
            match n % 9 {
                3 => screen.tell(SessionEvent::Run(RunNews::Stands(Arc::new(run([Some(Outcome::Done), None, None]))))),
                6 => screen.tell(SessionEvent::RunEnded(Some("gone".into()))),
                _ => {}
            }
            let mut terminal = Terminal::new(TestBackend::new(columns, lines)).unwrap();
            let theme = Theme::new([ColorDepth::None, ColorDepth::Sixteen, ColorDepth::Full][depth]);
            terminal.draw(|frame| draw(&screen.model, &theme, frame)).unwrap();
            hit(&screen.model.app, columns / 2, lines / 2);
        }
        // Whatever was sent had been shown as a plan, with at least one step.
        for effect in &screen.effects {
            if let Effect::Bench(BenchCommand::Session(_, SessionCommand::Run(_, plan))) = effect {
                prop_assert!(plan.to_send() > 0);
            }
        }
    }
}
