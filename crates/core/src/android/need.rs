//! What Android needs of its packages, and how whoever does it is found on a device.

use serde::Deserialize;

/// What becomes of the device without.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum NeedKind {
    /// It does not start, or cannot be used.
    Start,
    /// People miss it.
    Role,
}

/// By what kind of part it is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum NeedPart {
    Activity,
    Service,
    Receiver,
    Provider,
}

/// Something that Android needs. A row of `data/android.toml`, whose comment says what each field means.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct AndroidNeed {
    pub(crate) name: String,
    pub(crate) kind: NeedKind,
    pub(crate) class: Option<u8>,
    pub(crate) part: Option<NeedPart>,
    pub(crate) by: Option<String>,
    pub(crate) category: Option<String>,
    pub(crate) guard: Option<String>,
    pub(crate) id: Option<String>,
    pub(crate) chosen: Option<String>,
    pub(crate) stops: String,
    pub(crate) lift: Option<String>,
    #[serde(default)]
    pub(crate) owner: bool,
    #[serde(default)]
    pub(crate) optional: bool,
    #[serde(default)]
    pub(crate) boot: bool,
    #[serde(default)]
    pub(crate) password: bool,
    #[serde(default)]
    from: u32,
    to: Option<u32>,
    pub(crate) place: Option<String>,
}

impl AndroidNeed {
    /// Whether an API level has it.
    pub(crate) fn is_of(&self, sdk: u32) -> bool {
        sdk >= self.from && self.to.is_none_or(|to| sdk <= to)
    }

    /// Whether a name of a part is the one by which it is found.
    pub(crate) fn is_named(&self, name: &str) -> bool {
        match self.by.as_deref() {
            Some(by) => by.strip_prefix('*').map_or(by == name, |end| name.ends_with(end)),
            None => false,
        }
    }

    /// The role of Android's that says who is chosen, without "android.app.role.".
    pub(crate) fn role(&self) -> Option<&str> {
        self.chosen.as_deref()?.strip_prefix("role:")
    }

    #[cfg(test)]
    pub(super) fn check(&self) {
        assert_eq!(self.class.is_some(), self.kind == NeedKind::Start, "{}", self.name);
        assert_eq!(self.part.is_some(), self.by.is_some(), "{}", self.name);
        assert!(self.by.is_some() != self.id.is_some(), "{}", self.name);
        assert!(!self.stops.is_empty() && !self.stops.ends_with('.'), "{}", self.name);
    }
}

/// A text of the framework that names who does something on this device. A row of `data/android.toml`.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct NamedText {
    pub(crate) name: String,
    pub(crate) kind: NeedKind,
    pub(crate) class: Option<u8>,
    /// What it does, as [`AndroidNeed::name`].
    pub(crate) what: String,
    pub(crate) stops: String,
    #[serde(default)]
    from: u32,
}

impl NamedText {
    /// Whether an API level goes by it.
    pub(crate) fn is_of(&self, sdk: u32) -> bool {
        sdk >= self.from
    }

    #[cfg(test)]
    pub(super) fn check(&self) {
        assert_eq!(self.class.is_some(), self.kind == NeedKind::Start, "{}", self.name);
        assert!(self.name.starts_with("config_") && !self.stops.is_empty() && !self.stops.ends_with('.'));
    }
}
