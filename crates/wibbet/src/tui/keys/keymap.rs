//! Every action of the screen, with its keys, its name and its description. Help, the bottom line
//! and the palette are made from this table, and nothing else looks at keys.

use crossterm::event::{KeyCode, KeyEvent};

use super::action::{Action, View};
use super::key::{Key, control, key, letter};

/// A line of the table.
#[derive(Debug)]
pub(crate) struct Binding {
    pub(crate) action: Action,
    pub(crate) keys: &'static [Key],
    /// The name in the palette.
    pub(crate) name: &'static str,
    /// The word on the bottom line; empty for what needs no mention there.
    pub(crate) hint: &'static str,
    /// The description in the help.
    pub(crate) doc: &'static str,
}

const fn bind(
    action: Action,
    keys: &'static [Key],
    name: &'static str,
    hint: &'static str,
    doc: &'static str,
) -> Binding {
    Binding { action, keys, name, hint, doc }
}

/// The keymap. The order is that of the bottom line: what leads on comes first.
pub(crate) static KEYMAP: [Binding; 56] = [
    bind(
        Action::Send,
        &[letter('s')],
        "Send the steps",
        "send",
        "Sends the steps of the plan that is shown. Nothing goes to a device before this key.",
    ),
    bind(
        Action::Stop,
        &[letter('x')],
        "Stop the run",
        "stop",
        "Stops the run after the step that is on its way. It can be carried on.",
    ),
    bind(
        Action::CarryOn,
        &[letter('c')],
        "Carry on with the run",
        "carry on",
        "Carries on with a stopped or interrupted run; what was refused is not asked again.",
    ),
    bind(
        Action::Mark,
        &[letter(' ')],
        "Mark or unmark",
        "mark",
        "Puts the package under the cursor into the tray, or takes it out; on the shelf, marks it.",
    ),
    bind(
        Action::NextWay,
        &[letter('w')],
        "Change the way",
        "way",
        "Changes the way for the package under the cursor: uninstall, uninstall but keep its data, disable.",
    ),
    bind(
        Action::GoOn,
        &[key(KeyCode::Enter)],
        "Go on",
        "go on",
        "Goes on to the next step of the work: from a device to its packages, from the tray to the plan. Never sends anything.",
    ),
    bind(
        Action::Search,
        &[letter('/')],
        "Search",
        "search",
        "Searches as you type: words of label, id and notes, facts such as :disabled, comparisons such as :size>50M. Tab completes.",
    ),
    bind(
        Action::PutBack,
        &[letter('b')],
        "Put back",
        "put back",
        "Shows the plan that puts back what is marked, or else what is under the cursor.",
    ),
    bind(
        Action::Undo,
        &[letter('z')],
        "Undo",
        "undo",
        "Takes back the last change to the tray; after a run, shows the plan that puts all of it back.",
    ),
    bind(
        Action::ToDisable,
        &[letter('d')],
        "Disable instead",
        "disable instead",
        "In a plan, turns uninstalling into disabling where it could not be undone; after a run, plans to disable what could not be uninstalled.",
    ),
    bind(
        Action::AllowNoWayBack,
        &[letter('o')],
        "Send also what has no way back",
        "allow no way back",
        "In a plan, sends also what could not be put back from here.",
    ),
    bind(Action::NextUser, &[letter('u')], "Next user", "user", "Works on the next user or profile of the device."),
    bind(
        Action::MarkFound,
        &[letter('m')],
        "Mark all found",
        "mark found",
        "Puts every package that the search finds and that is in use into the tray.",
    ),
    bind(Action::EmptyTray, &[letter('e')], "Empty the tray", "empty tray", "Takes everything out of the tray."),
    bind(
        Action::Words,
        &[letter('v')],
        "Show the words",
        "words",
        "Shows the words that go to the device under each step, and its answer.",
    ),
    bind(
        Action::Details,
        &[letter('i')],
        "Show details",
        "details",
        "Shows or hides what is known of the package under the cursor.",
    ),
    bind(
        Action::Follow,
        &[letter('f')],
        "Follow the device's screen",
        "on its screen",
        "Highlights the package that is on the device's screen while somebody touches the device; again, goes to it.",
    ),
    bind(
        Action::Unfollow,
        &[letter('F')],
        "Stop following the device's screen",
        "",
        "Asks the device no longer what is on its screen.",
    ),
    bind(
        Action::Open,
        &[letter('O')],
        "Open on the device",
        "open there",
        "Opens the app, or the page of the settings about it, on the device; shows the words first.",
    ),
    bind(
        Action::WholeSheet,
        &[letter('I')],
        "Show everything known of the package",
        "all of it",
        "Shows everything known of the package under the cursor, and from where.",
    ),
    bind(Action::CopyId, &[letter('y')], "Copy the id", "copy id", "Copies the id of the package to the clipboard."),
    bind(
        Action::Star,
        &[letter('*')],
        "Star or unstar",
        "star",
        "Gives the package a star for all devices, or takes it away.",
    ),
    bind(
        Action::Note,
        &[letter('N')],
        "Write a note",
        "note",
        "Writes a note on the package: for this device, for this model or for all devices.",
    ),
    bind(
        Action::Sort,
        &[letter('>')],
        "Sort by the next column",
        "sort",
        "Sorts the table by the next of its columns, and in the end as it was.",
    ),
    bind(Action::SortOtherWay, &[letter('<')], "Sort the other way round", "", "Turns the order of the table round."),
    bind(
        Action::Columns,
        &[letter('C')],
        "Choose columns",
        "columns",
        "Chooses the columns of the table and their order.",
    ),
    bind(
        Action::Searches,
        &[letter('S')],
        "Kept searches",
        "kept searches",
        "Uses a search that was kept, or keeps the one of now.",
    ),
    bind(
        Action::FromList,
        &[letter('L')],
        "Mark from a list of ids",
        "from list",
        "Marks what a pasted or typed list of ids names, and says what of it is not on the device.",
    ),
    bind(
        Action::Languages,
        &[letter('G')],
        "Language of labels",
        "",
        "Reads labels in another language than the device's own.",
    ),
    bind(
        Action::Export,
        &[letter('E')],
        "Export the table",
        "export",
        "Writes the table to a file, as CSV or JSON: what is found, or all.",
    ),
    bind(
        Action::AddDevice,
        &[letter('a')],
        "Add a device by address",
        "add device",
        "Adds a device by its address, HOST:PORT.",
    ),
    bind(
        Action::Pair,
        &[letter('p')],
        "Pair a device",
        "pair",
        "Pairs with a device for wireless debugging, by a QR code to scan or by the code that it shows.",
    ),
    bind(
        Action::Guide,
        &[letter('g')],
        "First steps",
        "first steps",
        "Shows how to get from nothing on the bench to a linked device.",
    ),
    bind(
        Action::CloseLink,
        &[letter('l')],
        "Close the link",
        "close link",
        "Shows what closing the link does: debugging off on the device, what was changed put back, the device forgotten on wish.",
    ),
    bind(
        Action::StayAwake,
        &[letter('h')],
        "Keep the device awake",
        "keep awake",
        "Keeps the device awake while it is charging, or lets it sleep as it did before; closing the link does that too.",
    ),
    bind(Action::NextDevice, &[letter('n')], "Next device", "next device", "Turns to the next device on the bench."),
    bind(
        Action::ReadAgain,
        &[letter('r')],
        "Read the packages again",
        "read again",
        "Reads the packages of the device again; without a link, tries it at once.",
    ),
    bind(
        Action::Back,
        &[key(KeyCode::Esc)],
        "Back",
        "back",
        "Leaves what is open: a search, a plan that was not sent, a window.",
    ),
    bind(
        Action::OwnScreens,
        &[letter('t')],
        "The devices' own screens (demo)",
        "device's own screen",
        "In the demo: shows what the simulated devices themselves show, and does what their owner does there.",
    ),
    bind(Action::Palette, &[letter(':')], "All actions by name", "actions", "Opens the list of all actions by name."),
    bind(
        Action::SearchHelp,
        &[key(KeyCode::F(1))],
        "Help on searching",
        "",
        "Opens the page about searching, also while one types.",
    ),
    bind(Action::Help, &[letter('?')], "Help", "help", "Opens this help."),
    bind(
        Action::Quit,
        &[letter('q'), control('c')],
        "Quit",
        "quit",
        "Ends Wibbet; asks first while a run is being carried out.",
    ),
    bind(
        Action::Show(View::Bench),
        &[letter('1')],
        "Show the bench",
        "",
        "The devices at hand and how far their links have got.",
    ),
    bind(Action::Show(View::Packages), &[letter('2')], "Show the packages", "", "What is installed, and the tray."),
    bind(Action::Show(View::Run), &[letter('3')], "Show the run", "", "The plan before it is sent, and the run."),
    bind(Action::Show(View::Shelf), &[letter('4')], "Show the shelf", "", "What is off and can be put back."),
    bind(Action::Show(View::Logbook), &[letter('5')], "Show the logbook", "", "The runs so far."),
    bind(Action::NextView, &[key(KeyCode::Tab)], "Next view", "", "Goes to the next view."),
    bind(Action::FormerView, &[key(KeyCode::BackTab)], "Former view", "", "Goes to the view before."),
    bind(Action::Up, &[key(KeyCode::Up), letter('k')], "Up", "", "One line up."),
    bind(Action::Down, &[key(KeyCode::Down), letter('j')], "Down", "", "One line down."),
    bind(Action::PageUp, &[key(KeyCode::PageUp)], "Page up", "", "A page up."),
    bind(Action::PageDown, &[key(KeyCode::PageDown)], "Page down", "", "A page down."),
    bind(Action::First, &[key(KeyCode::Home)], "First line", "", "To the first line."),
    bind(Action::Last, &[key(KeyCode::End)], "Last line", "", "To the last line."),
];

/// The action of a key.
pub(crate) fn action_of(event: KeyEvent) -> Option<Action> {
    KEYMAP.iter().find(|b| b.keys.iter().any(|k| k.is(event))).map(|b| b.action)
}

/// The first key of an action, as people write it.
pub(crate) fn key_of(action: Action) -> String {
    KEYMAP.iter().find(|b| b.action == action).and_then(|b| b.keys.first()).map_or_else(String::new, |k| k.name())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crossterm::event::KeyModifiers;

    #[test]
    fn every_key_means_one_thing() {
        let mut seen: Vec<Key> = Vec::new();
        for binding in &KEYMAP {
            for key in binding.keys {
                assert!(!seen.contains(key), "{} stands twice", key.name());
                seen.push(*key);
            }
            assert!(!binding.name.is_empty() && binding.doc.ends_with('.'), "{}", binding.name);
        }
    }

    #[test]
    fn keys_are_found_whether_or_not_shift_is_reported() {
        let event = |code, modifiers| KeyEvent::new(code, modifiers);
        for modifiers in [KeyModifiers::NONE, KeyModifiers::SHIFT] {
            assert_eq!(action_of(event(KeyCode::Char('?'), modifiers)), Some(Action::Help));
            assert_eq!(action_of(event(KeyCode::BackTab, modifiers)), Some(Action::FormerView));
        }
        assert_eq!(action_of(event(KeyCode::Char('c'), KeyModifiers::CONTROL)), Some(Action::Quit));
        assert_eq!(action_of(event(KeyCode::Char('c'), KeyModifiers::NONE)), Some(Action::CarryOn));
        assert_eq!(action_of(event(KeyCode::Char('s'), KeyModifiers::ALT)), None);
    }
}
