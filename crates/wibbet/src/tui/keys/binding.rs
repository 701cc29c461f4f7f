//! A line of a keymap.

use super::action::Action;
use super::key::Key;

/// A line of a keymap.
#[derive(Debug)]
pub(crate) struct Binding {
    pub(crate) action: Action,
    pub(crate) keys: &'static [Key],
    /// The name in the palette and in menus; empty for what only windows do.
    pub(crate) name: &'static str,
    /// The word on the bottom line, or at the foot of the window; empty for what needs no mention there.
    pub(crate) hint: &'static str,
    /// The description in the help.
    pub(crate) doc: &'static str,
}

/// A line of a room.
pub(super) const fn bind(
    action: Action,
    keys: &'static [Key],
    name: &'static str,
    hint: &'static str,
    doc: &'static str,
) -> Binding {
    Binding { action, keys, name, hint, doc }
}

/// A line of a window.
pub(super) const fn foot(action: Action, keys: &'static [Key], hint: &'static str) -> Binding {
    Binding { action, keys, name: "", hint, doc: "" }
}
