//! A key.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Key(KeyCode, KeyModifiers);

pub(crate) const fn key(code: KeyCode) -> Key {
    Key(code, KeyModifiers::NONE)
}

pub(crate) const fn letter(c: char) -> Key {
    Key(KeyCode::Char(c), KeyModifiers::NONE)
}

pub(crate) const fn control(c: char) -> Key {
    Key(KeyCode::Char(c), KeyModifiers::CONTROL)
}

impl Key {
    pub(super) fn is(self, event: KeyEvent) -> bool {
        // Shift is part of a character, and terminals differ in whether they report it beside it.
        let mut modifiers = event.modifiers;
        if matches!(event.code, KeyCode::Char(_)) || event.code == KeyCode::BackTab {
            modifiers.remove(KeyModifiers::SHIFT);
        }
        self.0 == event.code && self.1 == modifiers
    }

    /// As the terminal reports it.
    pub(crate) fn event(self) -> KeyEvent {
        KeyEvent::new(self.0, self.1)
    }

    /// The key as people write it.
    pub(crate) fn name(self) -> String {
        let bare = match self.0 {
            KeyCode::Char(' ') => "Space".to_owned(),
            KeyCode::Char(c) => c.to_string(),
            KeyCode::Up => "↑".into(),
            KeyCode::Down => "↓".into(),
            KeyCode::PageUp => "PgUp".into(),
            KeyCode::PageDown => "PgDn".into(),
            KeyCode::Left => "←".into(),
            KeyCode::Right => "→".into(),
            KeyCode::Home => "Home".into(),
            KeyCode::End => "End".into(),
            KeyCode::Enter => "Enter".into(),
            KeyCode::Esc => "Esc".into(),
            KeyCode::Tab => "Tab".into(),
            KeyCode::BackTab => "Shift-Tab".into(),
            KeyCode::F(n) => format!("F{n}"),
            other => format!("{other:?}"),
        };
        if self.1.contains(KeyModifiers::CONTROL) { format!("Ctrl-{}", bare.to_uppercase()) } else { bare }
    }
}
