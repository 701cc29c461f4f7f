//! The facts that can be asked for, and the fields that can be compared.

use crate::catalog::CatalogEntry;
use crate::package::{Condition, PackageKind};

/// A fact that holds or does not.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fact {
    /// A state for the user at work.
    Is(Condition),
    /// Off in any way.
    Off,
    /// On the system partition, updated or not.
    System,
    /// On the system partition, with an update.
    Updated,
    /// Installed by somebody.
    User,
    /// Chosen.
    Tray,
    /// With a star.
    Star,
    /// With a note.
    Noted,
    /// With a process.
    Running,
    /// With an entry on the home screen.
    Home,
    /// Never in front.
    Unused,
    /// Without a label that could be read.
    Unnamed,
    /// Changes the look of another package.
    Overlay,
    /// On a partition.
    Partition(&'static str),
}

/// The facts, with what each finds.
pub const FACTS: [(&str, Fact, &str); 26] = [
    ("in-use", Fact::Is(Condition::InUse), "installed for the user, and on"),
    ("disabled", Fact::Is(Condition::Disabled), "installed, but disabled"),
    ("uninstalled", Fact::Is(Condition::Uninstalled), "uninstalled for the user, still on the device"),
    ("hidden", Fact::Is(Condition::Hidden), "hidden by an administrator or root"),
    ("suspended", Fact::Is(Condition::Suspended), "greyed out and not started"),
    ("off", Fact::Off, "disabled, uninstalled, hidden or suspended"),
    ("system", Fact::System, "came with the system, updated or not"),
    ("updated", Fact::Updated, "came with the system and was updated since"),
    ("user", Fact::User, "installed by somebody"),
    ("tray", Fact::Tray, "in the tray"),
    ("star", Fact::Star, "with a star"),
    ("noted", Fact::Noted, "with a note"),
    ("running", Fact::Running, "with a process now"),
    ("home", Fact::Home, "with an entry on the home screen"),
    ("unused", Fact::Unused, "never used, as far as the device remembers"),
    ("unnamed", Fact::Unnamed, "without a label that could be read"),
    ("overlay", Fact::Overlay, "changes the look of another package"),
    ("system_ext", Fact::Partition("system_ext"), "on the partition system_ext"),
    ("product", Fact::Partition("product"), "on the partition product"),
    ("vendor", Fact::Partition("vendor"), "on the partition vendor"),
    ("odm", Fact::Partition("odm"), "on the partition odm"),
    ("oem", Fact::Partition("oem"), "on the partition oem"),
    ("apex", Fact::Partition("apex"), "in a module of the system"),
    ("data", Fact::Partition("data"), "on the data partition"),
    ("preload", Fact::Partition("preload"), "on the partition preload"),
    ("cust", Fact::Partition("cust"), "on the partition cust"),
];

impl Fact {
    pub(crate) fn holds(self, sight: &CatalogEntry<'_>, chosen: bool) -> Option<bool> {
        let package = sight.package;
        let condition = package.state(sight.user).condition();
        Some(match self {
            Self::Is(wanted) => condition == wanted,
            Self::Off => condition.is_off(),
            Self::System => package.kind != PackageKind::User,
            Self::Updated => package.kind == PackageKind::UpdatedSystem,
            Self::User => package.kind == PackageKind::User,
            Self::Tray => chosen,
            Self::Star => sight.star(),
            Self::Noted => sight.notes.iter().any(|n| !n.text.is_empty()),
            Self::Running => sight.running()?,
            Self::Home => !sight.app?.home.is_empty(),
            Self::Unused => sight.idle_days()?.is_none(),
            Self::Unnamed => sight.label().is_none(),
            Self::Overlay => sight.app?.overlay_of.is_some(),
            Self::Partition(name) => package.partition() == name,
        })
    }
}

/// What kind of value a field has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FieldKind {
    /// Bytes: `50M`, `1.5G`, `300k`.
    Bytes,
    /// A time: `90d`, `2w`, `6mo`, `1y`, `3h`, `20min`.
    Duration,
    /// A number.
    Number,
    /// Text, of which `=` looks for a part.
    Text,
}

/// A fact that is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "FIELDS says what each is")]
pub enum Field {
    Size,
    Code,
    Data,
    Cache,
    Memory,
    Idle,
    Use,
    Came,
    Update,
    Target,
    Uid,
    Permission,
    Granted,
    Installer,
    Partition,
    Version,
    Label,
    Id,
    Note,
    For,
}

/// The fields, with their kinds and what each is.
pub const FIELDS: [(&str, Field, FieldKind, &str); 20] = [
    ("size", Field::Size, FieldKind::Bytes, "code, data and cache together"),
    ("code", Field::Code, FieldKind::Bytes, "size of the code"),
    ("data", Field::Data, FieldKind::Bytes, "size of the data"),
    ("cache", Field::Cache, FieldKind::Bytes, "size of the cache"),
    ("memory", Field::Memory, FieldKind::Bytes, "memory that its processes use now"),
    ("idle", Field::Idle, FieldKind::Duration, "time since it was last used; never is longer than any"),
    ("use", Field::Use, FieldKind::Duration, "time on the screen in all"),
    ("came", Field::Came, FieldKind::Duration, "time since it was installed"),
    ("update", Field::Update, FieldKind::Duration, "time since it was last updated"),
    ("target", Field::Target, FieldKind::Number, "API level that it was made for"),
    ("uid", Field::Uid, FieldKind::Number, "number of the app"),
    ("permission", Field::Permission, FieldKind::Text, "asks for a permission"),
    ("granted", Field::Granted, FieldKind::Text, "has a permission"),
    ("installer", Field::Installer, FieldKind::Text, "was installed by"),
    ("partition", Field::Partition, FieldKind::Text, "its code is on"),
    ("version", Field::Version, FieldKind::Text, "its version"),
    ("label", Field::Label, FieldKind::Text, "its label"),
    ("id", Field::Id, FieldKind::Text, "its id"),
    ("note", Field::Note, FieldKind::Text, "its notes"),
    ("for", Field::For, FieldKind::Number, "installed for the user of this number"),
];

impl Field {
    /// Bytes, seconds or a number, as the field has it.
    pub(super) fn number(self, sight: &CatalogEntry<'_>, wanted: f64) -> Option<f64> {
        let about = &sight.package.about;
        let since = |then: Option<wibbet_types::DeviceTime>| Some((sight.measures.now?.0 - then?.0).max(0) as f64);
        Some(match self {
            Self::Size => sight.size(|s| s.total())? as f64,
            Self::Code => sight.size(|s| s.code)? as f64,
            Self::Data => sight.size(|s| s.data)? as f64,
            Self::Cache => sight.size(|s| s.cache)? as f64,
            Self::Memory => sight.memory()? as f64,
            Self::Idle => {
                sight.idle_days()?;
                match sight.last_use() {
                    None => f64::INFINITY,
                    last => since(last)?,
                }
            }
            Self::Use => sight.used_seconds()? as f64,
            Self::Came => since(about.installed)?,
            Self::Update => since(about.updated)?,
            Self::Target => f64::from(about.target_sdk?),
            Self::Uid => f64::from(about.uid?),
            // True where the user of that number has it.
            Self::For => {
                let user = wibbet_types::UserId::new(wanted as u32);
                if sight.package.state(user).installed { wanted } else { f64::NAN }
            }
            _ => return None,
        })
    }

    pub(super) fn contains(self, sight: &CatalogEntry<'_>, wanted: &str) -> Option<bool> {
        let package = sight.package;
        let has = |text: &str| contains_ignoring_case(text, wanted);
        Some(match self {
            Self::Permission => package.about.requests.iter().any(|p| has(p)),
            Self::Granted => {
                let given =
                    package.about.granted.iter().chain(package.about.granted_to.get(&sight.user).into_iter().flatten());
                given.into_iter().any(|p| has(p))
            }
            Self::Installer => package.about.installer.as_ref().is_some_and(|i| has(i.as_str())),
            Self::Partition => has(package.partition()),
            Self::Version => has(package.version.as_str()),
            Self::Label => has(sight.label()?),
            Self::Id => has(package.id.as_str()),
            Self::Note => sight.notes.iter().any(|n| has(&n.text)),
            _ => return None,
        })
    }
}

/// `needle` is in lower case.
fn contains_ignoring_case(text: &str, needle: &str) -> bool {
    if text.is_ascii() && needle.is_ascii() {
        return needle.is_empty()
            || text.as_bytes().windows(needle.len()).any(|part| part.eq_ignore_ascii_case(needle.as_bytes()));
    }
    text.to_lowercase().contains(needle)
}
