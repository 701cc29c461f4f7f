//! What breaks without what, as scenario files tell it.

use serde::Deserialize;

use super::lock::ScreenLock;

/// What kind of thing breaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum BreakKind {
    /// It does not start, or cannot be used.
    Start,
    /// Something that people need is gone.
    Role,
    /// Another app fails.
    Need,
}

/// When it shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum BreakMoment {
    /// At once.
    Once,
    /// At the next start.
    Start,
}

/// What breaks without what.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BreakRule {
    pub(crate) what: String,
    pub(crate) kind: BreakKind,
    pub(crate) class: Option<u8>,
    pub(crate) none: Vec<String>,
    #[serde(default, rename = "while")]
    pub(crate) only_while: Vec<String>,
    /// Only where the screen is locked with this.
    pub(crate) locked_with: Option<ScreenLock>,
    #[serde(default)]
    pub(crate) owner: bool,
    pub(crate) at: BreakMoment,
    pub(crate) sdk: Option<(u32, u32)>,
    /// Of a start: what the system's log says that it died with.
    pub(crate) dies_with: Option<String>,
}

impl BreakRule {
    /// Whether its parts fit together.
    pub(crate) fn is_whole(&self) -> bool {
        self.class.is_some() == (self.kind == BreakKind::Start) && !self.none.is_empty()
    }
}
