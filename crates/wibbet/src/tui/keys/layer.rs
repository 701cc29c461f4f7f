//! Where keys have a meaning, and what they mean there.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use super::action::{Action, View};
use super::binding::Binding;
use super::{menus, rooms, windows};

/// A place in which keys have meanings of their own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layer {
    /// In every room.
    Everywhere,
    /// In one room.
    Room(View),
    /// In the menu of a room.
    Menu(View),
    /// While the search line is being typed into.
    SearchLine,
    /// While the search line of the logbook is.
    LogSearch,
    Address,
    Apps,
    Break,
    Catch,
    Catching,
    Changes,
    Close,
    Closed,
    Columns,
    DeviceScreens,
    Everything,
    Export,
    Files,
    Finder,
    FinderBegins,
    IdList,
    Languages,
    Life,
    Note,
    Open,
    Orders,
    OrderMaking,
    OrderWork,
    OrderAsked,
    OtherWays,
    Choices,
    Job,
    JobSheet,
    Pair,
    Here,
    Palette,
    PartAsked,
    Parts,
    Quit,
    Reading,
    Restart,
    SettingsBack,
    Shell,
    Start,
    Ties,
    Searches,
    Ways,
}

impl Layer {
    #[cfg(test)]
    pub(crate) fn all() -> Vec<Self> {
        let mut all = vec![Self::Everywhere, Self::SearchLine, Self::LogSearch];
        all.extend(View::ALL.into_iter().flat_map(|view| [Self::Room(view), Self::Menu(view)]));
        all.extend([
            Self::Address,
            Self::Apps,
            Self::Break,
            Self::Catch,
            Self::Catching,
            Self::Changes,
            Self::Close,
            Self::Closed,
            Self::Columns,
            Self::DeviceScreens,
            Self::Everything,
        ]);
        all.extend([
            Self::Export,
            Self::Files,
            Self::Finder,
            Self::FinderBegins,
            Self::IdList,
            Self::Languages,
            Self::Life,
            Self::Note,
            Self::Open,
            Self::OtherWays,
            Self::Choices,
            Self::Job,
            Self::JobSheet,
            Self::Pair,
            Self::Here,
        ]);
        all.extend([Self::Orders, Self::OrderMaking, Self::OrderWork, Self::OrderAsked]);
        all.extend([Self::Palette, Self::PartAsked, Self::Parts]);
        all.extend([
            Self::Quit,
            Self::Reading,
            Self::Restart,
            Self::Searches,
            Self::SettingsBack,
            Self::Shell,
            Self::Start,
            Self::Ties,
            Self::Ways,
        ]);
        all
    }

    /// Its tables, those of its own first.
    fn tables(self) -> &'static [&'static [Binding]] {
        match self {
            Self::Everywhere => &[rooms::EVERYWHERE, rooms::MOVING],
            Self::Room(View::Bench) => &[rooms::BENCH],
            Self::Room(View::Packages) => &[rooms::PACKAGES],
            Self::Room(View::Run) => &[rooms::RUN],
            Self::Room(View::Shelf) => &[rooms::SHELF],
            Self::Room(View::Logbook) => &[rooms::LOGBOOK],
            Self::Menu(View::Bench) => &[menus::BENCH_MENU, windows::MENU],
            Self::Menu(View::Packages) => &[menus::PACKAGES_MENU, windows::MENU],
            Self::Menu(View::Run) => &[menus::RUN_MENU, windows::MENU],
            Self::Menu(View::Shelf) => &[menus::SHELF_MENU, windows::MENU],
            Self::Menu(View::Logbook) => &[windows::MENU],
            Self::SearchLine => &[rooms::SEARCH_LINE, rooms::SEARCH_COMPLETES],
            Self::LogSearch => &[rooms::SEARCH_LINE],
            Self::Address => &[windows::ADDRESS],
            Self::Apps => &[windows::APPS],
            Self::Break => &[windows::BREAK, windows::READING],
            Self::Catch => &[windows::CATCH],
            Self::Catching => &[windows::CATCHING],
            Self::Changes => &[windows::CHANGES, windows::READING],
            Self::Close => &[windows::CLOSE],
            Self::Closed => &[windows::CLOSED],
            Self::Columns => &[windows::COLUMNS],
            Self::DeviceScreens => &[windows::DEVICE_SCREENS],
            Self::Everything => &[windows::EVERYTHING, windows::READING],
            Self::Export => &[windows::EXPORT],
            Self::Files => &[windows::FILES],
            Self::Finder => &[windows::FINDER],
            Self::FinderBegins => &[windows::FINDER_BEGINS],
            Self::IdList => &[windows::ID_LIST],
            Self::Languages => &[windows::LANGUAGES],
            Self::SettingsBack => &[windows::SETTINGS_BACK, windows::READING],
            Self::Life => &[windows::LIFE, windows::READING],
            Self::Note => &[windows::NOTE],
            Self::Open => &[windows::OPEN],
            Self::Orders => &[windows::ORDERS],
            Self::OrderMaking => &[windows::ORDER_MAKING],
            Self::OrderWork => &[windows::ORDER_WORK],
            Self::OrderAsked => &[windows::ORDER_ASKED, windows::READING],
            Self::OtherWays => &[windows::OTHER_WAYS],
            Self::Choices => &[windows::CHOICES],
            Self::Job => &[windows::JOB],
            Self::JobSheet => &[windows::JOB_SHEET, windows::READING],
            Self::Pair => &[windows::PAIR],
            Self::Here => &[windows::HERE],
            Self::Palette => &[windows::PALETTE],
            Self::PartAsked => &[windows::PART_ASKED],
            Self::Parts => &[windows::PARTS],
            Self::Quit => &[windows::QUIT],
            Self::Reading => &[windows::READING],
            Self::Restart => &[windows::RESTART],
            Self::Shell => &[windows::SHELL],
            Self::Start => &[windows::START],
            Self::Ties => &[windows::TIES],
            Self::Ways => &[windows::WAYS],
            Self::Searches => &[windows::SEARCHES],
        }
    }

    /// What is bound in it.
    pub(crate) fn bindings(self) -> impl Iterator<Item = &'static Binding> {
        self.tables().iter().flat_map(|table| table.iter())
    }

    /// What a key does in it.
    pub(crate) fn action_of(self, event: KeyEvent) -> Option<Action> {
        self.bindings().find(|b| b.keys.iter().any(|k| k.is(event))).map(|b| b.action)
    }

    /// The first key of an action in it, as people write it; empty for one that it does not have.
    pub(crate) fn hint(self, action: Action) -> String {
        self.key_of(action).unwrap_or_default()
    }

    /// The key for which a tap on the row under the cursor stands: Enter, or Space where Enter closes.
    pub(crate) fn tapped(self) -> KeyEvent {
        let pressed = |code| KeyEvent::new(code, KeyModifiers::NONE);
        match self.action_of(pressed(KeyCode::Enter)) {
            Some(Action::Leave) => pressed(KeyCode::Char(' ')),
            _ => pressed(KeyCode::Enter),
        }
    }

    /// As the terminal reports the first key of an action; `None` for one that it does not have.
    pub(crate) fn event_of(self, action: Action) -> Option<KeyEvent> {
        self.bindings().find(|b| b.action == action)?.keys.first().map(|key| key.event())
    }

    /// What a sentence calls an action in it, see [`called`].
    pub(crate) fn called(self, action: Action, by_word: bool) -> String {
        if by_word {
            self.bindings().find(|b| b.action == action).map_or_else(String::new, word)
        } else {
            self.hint(action)
        }
    }

    fn key_of(self, action: Action) -> Option<String> {
        self.bindings().find(|b| b.action == action).and_then(|b| b.keys.first()).map(|key| key.name())
    }
}

/// What can be done in a room only: its own actions, then the rarer ones in its menu.
pub(crate) fn own_of(view: View) -> impl Iterator<Item = &'static Binding> {
    Layer::Room(view).bindings().chain(menu_of(view))
}

/// The rarer actions of a room.
pub(crate) fn menu_of(view: View) -> impl Iterator<Item = &'static Binding> {
    Layer::Menu(view).bindings().filter(|b| !b.name.is_empty())
}

/// What can be done in a room without opening anything: its own first, then what is the same everywhere.
pub(crate) fn in_room(view: View) -> impl Iterator<Item = &'static Binding> {
    Layer::Room(view).bindings().chain(Layer::Everywhere.bindings())
}

/// All actions with a name, those of a room first, each once.
pub(crate) fn by_name(view: View) -> Vec<&'static Binding> {
    let others = View::ALL.into_iter().filter(|v| *v != view);
    let rooms = std::iter::once(view).chain(others);
    let all = rooms.flat_map(own_of).chain(Layer::Everywhere.bindings());
    let mut named: Vec<&Binding> = Vec::new();
    for binding in all {
        if !named.iter().any(|known| known.action == binding.action) {
            named.push(binding);
        }
    }
    named
}

/// The key of an action as people write it, where somebody is in a room: `b`, or `. n` for one in the room's menu. Empty for
/// what cannot be done from there.
pub(crate) fn hint(view: View, action: Action) -> String {
    let direct = Layer::Room(view).key_of(action).or_else(|| Layer::Everywhere.key_of(action));
    let by_menu = || {
        let letter = menu_of(view).find(|b| b.action == action)?.keys.first()?.name();
        Some(format!("{} {letter}", Layer::Everywhere.key_of(Action::Menu)?))
    };
    direct.or_else(by_menu).unwrap_or_default()
}

/// What a sentence calls an action, where somebody is in a room: by its key, or, where fingers do the work, by the word that is
/// tapped. Empty for what cannot be done from there.
pub(crate) fn called(view: View, action: Action, by_word: bool) -> String {
    if !by_word {
        return hint(view, action);
    }
    if let Action::Show(_) = action {
        // The stations at the top have their numbers on every screen.
        return format!("“{}”", hint(view, action));
    }
    in_room(view).chain(menu_of(view)).find(|b| b.action == action).map_or_else(String::new, word)
}

/// The word of an action on the bottom line, else its name among all actions, as a sentence has it.
fn word(binding: &Binding) -> String {
    format!("“{}”", if binding.hint.is_empty() { binding.name } else { binding.hint })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tui::keys::key::Key;

    /// Keys and what they mean, each key once.
    fn meanings(bindings: impl Iterator<Item = &'static Binding>, what: &str) -> Vec<(Key, Action)> {
        let mut seen: Vec<(Key, Action)> = Vec::new();
        for (key, action) in bindings.flat_map(|b| b.keys.iter().map(move |k| (*k, b.action))) {
            assert!(!seen.iter().any(|(k, _)| *k == key), "{} stands twice in {what}", key.name());
            seen.push((key, action));
        }
        seen
    }

    #[test]
    fn a_key_means_one_thing_wherever_one_is() {
        for layer in Layer::all() {
            meanings(layer.bindings(), &format!("{layer:?}"));
        }
        // And the same in every room.
        let mut all: Vec<(Key, Action)> = Vec::new();
        for view in View::ALL {
            for (key, action) in meanings(in_room(view), &format!("{view:?}")) {
                let known = all.iter().find(|(k, _)| *k == key);
                assert!(known.is_none_or(|(_, a)| *a == action), "{} means two things", key.name());
                all.push((key, action));
            }
        }
    }

    #[test]
    fn what_has_a_name_is_described() {
        for binding in View::ALL.into_iter().flat_map(by_name) {
            assert!(!binding.name.is_empty() && binding.doc.ends_with('.'), "{:?}", binding.action);
            assert!(binding.name.chars().count() <= 38, "{}: cut on 45 columns", binding.name);
        }
    }

    #[test]
    fn keys_are_found_whether_or_not_shift_is_reported() {
        let event = |code, modifiers| KeyEvent::new(code, modifiers);
        let everywhere = |code, modifiers| Layer::Everywhere.action_of(event(code, modifiers));
        for modifiers in [KeyModifiers::NONE, KeyModifiers::SHIFT] {
            assert_eq!(everywhere(KeyCode::Char('?'), modifiers), Some(Action::Help));
            assert_eq!(everywhere(KeyCode::BackTab, modifiers), Some(Action::PreviousView));
        }
        assert_eq!(everywhere(KeyCode::Char('c'), KeyModifiers::CONTROL), Some(Action::Quit));
        let run = Layer::Room(View::Run);
        assert_eq!(run.action_of(event(KeyCode::Char('c'), KeyModifiers::NONE)), Some(Action::CarryOn));
        assert_eq!(run.action_of(event(KeyCode::Char('s'), KeyModifiers::ALT)), None);
    }

    #[test]
    fn a_sentence_for_fingers_names_what_can_be_tapped() {
        assert_eq!(called(View::Packages, Action::Next, false), "Enter");
        assert_eq!(called(View::Packages, Action::Next, true), "“plan”");
        assert_eq!(called(View::Packages, Action::Columns, true), "“columns”");
        assert_eq!(called(View::Run, Action::UndoRun, true), "“Undo the last run”");
        assert_eq!(called(View::Run, Action::Show(View::Packages), true), "“2”");
        assert_eq!(called(View::Logbook, Action::Columns, true), "");
        assert_eq!(Layer::Close.called(Action::Forget, true), "“forgets it”");
        // What can be done by keys has a word, too.
        for view in View::ALL {
            for binding in in_room(view).chain(menu_of(view)).filter(|b| !b.name.is_empty()) {
                assert!(called(view, binding.action, true).chars().count() > 2, "{:?}", binding.action);
            }
        }
    }

    #[test]
    fn an_action_is_named_by_its_key_or_by_the_way_through_the_menu() {
        assert_eq!(hint(View::Shelf, Action::PutBack), "b");
        assert_eq!(hint(View::Packages, Action::Columns), ". c");
        assert_eq!(hint(View::Logbook, Action::Columns), "");
    }
}
