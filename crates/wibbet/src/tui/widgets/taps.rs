//! What a tap or a click means, wherever something was drawn that can be tapped.
//!
//! Drawing writes it down, so that a tap means what was on the screen when it came, whatever has changed since.

use std::cell::{Cell, RefCell};
use std::rc::Rc;

use crossterm::event::KeyEvent;
use ratatui::layout::{Position, Rect};

/// What a tap means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tap {
    /// The same as a key, pressed so many times.
    Keys(KeyEvent, usize),
    /// A row of a list, so many rows below the one under the cursor.
    Row(isize),
}

/// What can be tapped on a drawn screen. What was drawn later lies on top.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Tappable {
    places: Vec<(Rect, Tap)>,
    /// The words among them, in the order in which they stand.
    words: Vec<KeyEvent>,
}

impl Tappable {
    /// What a tap at a place means.
    pub(crate) fn at(&self, column: u16, line: u16) -> Option<Tap> {
        let place = Position::new(column, line);
        self.places.iter().rev().find(|(area, _)| area.contains(place)).map(|(_, tap)| *tap)
    }

    /// Whether there is a word for a key.
    pub(crate) fn has_word(&self, key: KeyEvent) -> bool {
        self.words.contains(&key)
    }

    /// The word beside another one, to the right or to the left; from none the first or the last.
    pub(crate) fn word_beside(&self, word: Option<KeyEvent>, right: bool) -> Option<KeyEvent> {
        let count = self.words.len().max(1);
        let at = word.and_then(|word| self.words.iter().position(|one| *one == word));
        let to = match (at, right) {
            (None, true) => 0,
            (None, false) => count - 1,
            (Some(n), true) => (n + 1) % count,
            (Some(n), false) => (n + count - 1) % count,
        };
        self.words.get(to).copied()
    }
}

/// Collects what can be tapped while a screen is drawn.
#[derive(Debug, Clone, Default)]
pub(crate) struct Taps {
    found: Rc<RefCell<Tappable>>,
    /// Words stand large enough for a finger.
    large: Rc<Cell<bool>>,
    /// The word that was chosen by arrow keys.
    chosen: Rc<Cell<Option<KeyEvent>>>,
}

impl Taps {
    /// For measuring how much room words take, large or not.
    pub(crate) fn sized(large: bool) -> Self {
        let taps = Self::default();
        taps.large.set(large);
        taps
    }

    /// A screen begins to be drawn.
    pub(crate) fn begin(&self, large: bool, chosen: Option<KeyEvent>) {
        self.cover();
        self.large.set(large);
        self.chosen.set(chosen);
    }

    /// Something is drawn over all of it: what lies below cannot be tapped any more.
    pub(crate) fn cover(&self) {
        self.found.take();
    }

    /// Words stand large enough for a finger.
    pub(crate) fn large(&self) -> bool {
        self.large.get()
    }

    /// Something that can be tapped.
    pub(crate) fn note(&self, area: Rect, tap: Tap) {
        self.found.borrow_mut().places.push((area, tap));
    }

    /// A word that stands for a key; whether it is the chosen one.
    pub(crate) fn note_word(&self, area: Rect, key: KeyEvent) -> bool {
        let mut found = self.found.borrow_mut();
        found.places.push((area, Tap::Keys(key, 1)));
        found.words.push(key);
        self.chosen.get() == Some(key)
    }

    /// What was drawn.
    pub(crate) fn drawn(&self) -> Tappable {
        self.found.take()
    }
}
