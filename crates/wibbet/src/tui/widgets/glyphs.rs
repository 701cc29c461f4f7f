//! Shapes for states, and one that turns while something is waited for.

use wibbet_core::package::Condition;

/// The shape of a condition: how much of the package is left to the user.
pub(crate) fn glyph(condition: Condition) -> &'static str {
    match condition {
        Condition::InUse => "●",
        Condition::Dormant => "◔",
        Condition::Disabled => "◐",
        Condition::Suspended => "◑",
        Condition::Hidden => "◌",
        Condition::Archived => "◎",
        Condition::Uninstalled => "○",
        Condition::Absent => "·",
        Condition::Unreadable => "?",
    }
}

/// The spinner sign of something that is being waited for.
pub(crate) fn spinner(tick: u64) -> &'static str {
    ["◴", "◷", "◶", "◵"][(tick % 4) as usize]
}
