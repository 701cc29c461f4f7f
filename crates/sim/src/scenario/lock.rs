//! How screens are locked.

use serde::Deserialize;

/// With what people lock a screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Default)]
#[serde(rename_all = "lowercase")]
pub enum ScreenLock {
    /// With nothing.
    #[default]
    None,
    /// With a pattern, drawn on a pad of its own.
    Pattern,
    /// With digits, on a pad of their own.
    Pin,
    /// With a word, which takes a keyboard.
    Password,
}
