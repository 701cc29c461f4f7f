//! Every key that is named anywhere comes from the keymap, and does there what it says.

use super::*;

/// How keys are written, beside single characters.
const NAMES: [&str; 9] = ["Enter", "Esc", "Tab", "Space", "PgUp", "PgDn", "Home", "End", "F1"];

/// Keys that a text names by a word of their own.
fn named(text: &str) -> Vec<String> {
    let words = text.split(|c: char| !(c.is_alphanumeric() || c == '-'));
    let is_key = |w: &&str| NAMES.contains(w) || w.strip_prefix("Ctrl-").is_some_and(|c| c.len() == 1);
    words.filter(is_key).map(str::to_owned).collect()
}

fn keys_of(layers: &[Layer]) -> Vec<String> {
    let bindings = layers.iter().flat_map(|l| l.bindings());
    bindings.flat_map(|b| b.keys.iter().map(|k| k.name())).collect()
}

/// The screen in every view with all that it can show, and with each window open.
pub(super) fn screens(columns: u16, lines: u16) -> Vec<(String, Screen)> {
    let mut all = Vec::new();
    for view in View::ALL {
        let prepared = || {
            let mut screen = Screen::linked(columns, lines);
            screen.model.app.device_screens = vec![crate::demo::DemoScreen {
                serial: "CT5-0417-2291".into(),
                name: "Corvane Tarn 5".into(),
                lines: vec!["USB debugging: on".into()],
                acts: vec![crate::demo::DemoAct::Cable(false)],
            }];
            screen.keys("2/music\n ");
            if view == View::Run {
                screen.keys("\n");
            }
            let done = run([Some(Outcome::Done), Some(Outcome::Refused), None]);
            update(&mut screen.model, log(vec![done]));
            screen.model.app.view = view;
            screen
        };
        all.push((format!("{view:?}"), prepared()));
        for binding in by_name(view) {
            let mut screen = prepared();
            let mut effects = Vec::new();
            if let Some(window) = Window::open(&mut screen.model.app, binding.action, &mut effects) {
                screen.model.windows.push(window);
                all.push((format!("{view:?} with {}", binding.name), screen));
            }
        }
    }
    all
}

#[test]
fn no_text_on_the_screen_names_a_key_that_is_not_in_its_layer() {
    let mut seen = 0;
    for (what, mut screen) in screens(120, 40) {
        let view = screen.model.app.view;
        let window = screen.model.windows.last().map(Window::layer);
        if window == Some(Layer::Reading) {
            continue; // the help is made from all layers
        }
        let mut layers = vec![Layer::Everywhere, Layer::Room(view)];
        layers.extend(window);
        // The window alone, without what stands behind it, has keys of its own only.
        let known = keys_of(&layers);
        for key in named(&screen.text()) {
            seen += 1;
            assert!(known.contains(&key), "{what} names {key}, which does nothing there\n{}", screen.text());
        }
        // And what the bottom line says can be done does something.
        if window.is_none() {
            let line = screen.text().lines().last().unwrap_or_default().to_owned();
            for binding in in_room(view).filter(|b| !b.hint.is_empty() && line.contains(b.hint)) {
                assert!(crate::tui::rooms::is_enabled(&screen.model.app, binding.action), "{what}: {}", binding.hint);
            }
            screen.keys(".");
        }
    }
    assert!(seen > 50, "{seen}");
}

/// Sentences are made with the keymap: none holds the name of a key as a letter of its own.
#[test]
fn no_key_is_written_down_outside_of_the_keymap() {
    fn texts(folder: &std::path::Path, found: &mut Vec<String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            if path.is_dir() && !["keys", "tests", "snapshots"].contains(&name.as_str()) {
                texts(&path, found);
            } else if name.ends_with(".rs") {
                let source = std::fs::read_to_string(&path).unwrap();
                let code = source.split("#[cfg(test)]\nmod tests").next().unwrap_or("");
                let lines = code.lines().filter(|l| !l.trim_start().starts_with("//"));
                let code = lines.collect::<Vec<_>>().join("\n").replace("\\\"", "'");
                found.extend(code.split('"').skip(1).step_by(2).map(|text| format!("{name}: {text}")));
            }
        }
    }
    let mut found = Vec::new();
    texts(&std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src/tui"), &mut found);
    assert!(found.len() > 300, "the sources were read");
    // Not keys: words of English, and hours.
    let allowed = ["a", "A", "I", "h"];
    let mut written = Vec::new();
    for text in found {
        let words = text.split_once(": ").unwrap().1;
        assert!(named(words).is_empty(), "{text}");
        let alone = words.split(|c: char| !c.is_alphanumeric() && !"{}':_%-;]\\".contains(c));
        let letter = |w: &&str| w.len() == 1 && w.chars().all(char::is_alphabetic) && !allowed.contains(w);
        if words.len() > 2 && alone.into_iter().any(|w| letter(&w)) {
            written.push(text);
        }
    }
    assert!(written.is_empty(), "{}", written.join("\n"));
}

#[test]
fn every_window_is_opened_by_something_that_has_a_key() {
    let mut opening: Vec<Action> = Vec::new();
    for binding in View::ALL.into_iter().flat_map(by_name).filter(|b| Window::is_opened_by(b.action)) {
        if !opening.contains(&binding.action) {
            opening.push(binding.action);
        }
    }
    let opening = opening.len();
    assert_eq!(opening, Window::COUNT, "each window has an action of its own, and each of these a key");
}

#[test]
fn the_rarer_actions_are_in_a_small_menu() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("2.");
    for binding in menu_of(View::Packages) {
        assert!(screen.shows(binding.name), "{}", screen.text());
    }
    insta::assert_snapshot!("menu_100x30", screen.text());
    screen.keys("c");
    assert!(screen.shows("Columns") && screen.model.windows.len() == 1);
    screen.keys("\x1b.");
    // With the cursor, too; what does nothing here and now stays where it is.
    screen.keys("_\n");
    assert!(screen.shows("Columns"), "{}", screen.text());
    screen.keys("\x1b.f");
    assert!(screen.shows("More on the view Packages"), "nothing is being followed");
    assert_eq!(hint(View::Packages, Action::Columns), ". c");
}
