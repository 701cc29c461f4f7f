//! The columns of a table of packages.

use std::cmp::Ordering;

use wibbet_types::{DeviceTime, bytes_words};

use super::catalog::Catalog;
use super::entry::CatalogEntry;
use crate::package::{PackageKind, Source};

/// A column.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs, reason = "`doc` says what each is")]
pub enum Column {
    Label,
    Id,
    States,
    From,
    Size,
    Code,
    Data,
    Cache,
    Memory,
    Running,
    Idle,
    Use,
    Version,
    Target,
    Installer,
    Uid,
    Came,
    Updated,
    Permissions,
    Splits,
    Path,
    Note,
}

impl Column {
    /// Every one, in the order in which they are offered.
    pub const ALL: [Self; 22] = [
        Self::Label,
        Self::Id,
        Self::States,
        Self::From,
        Self::Size,
        Self::Code,
        Self::Data,
        Self::Cache,
        Self::Memory,
        Self::Running,
        Self::Idle,
        Self::Use,
        Self::Version,
        Self::Target,
        Self::Installer,
        Self::Uid,
        Self::Came,
        Self::Updated,
        Self::Permissions,
        Self::Splits,
        Self::Path,
        Self::Note,
    ];

    /// What is shown when nobody has chosen, most wanted first: as many as there is room for.
    pub const FIRST: [Self; 7] =
        [Self::Label, Self::Id, Self::States, Self::Size, Self::Idle, Self::Memory, Self::From];

    const NAMES: [(&'static str, &'static str, &'static str, u16); 22] = [
        ("label", "label", "the name that people know it by", 24),
        ("id", "id", "its id", 34),
        ("states", "state", "its state for each user", 14),
        ("from", "from", "the partition it came on, or who brought it", 11),
        ("size", "size", "code, data and cache together, all users", 9),
        ("code", "code", "size of its code", 9),
        ("data", "data", "size of its data, all users", 9),
        ("cache", "cache", "size of its cache, all users", 9),
        ("memory", "memory", "memory that its processes use now", 9),
        ("running", "runs", "whether it has a process now", 5),
        ("idle", "last use", "how long ago it was last used", 9),
        ("use", "in use", "time on the screen in all", 9),
        ("version", "version", "its version", 12),
        ("target", "target", "API level that it was made for", 6),
        ("installer", "installer", "what installed it", 20),
        ("uid", "uid", "number of the app; with that of the user the Unix user it runs as", 6),
        ("came", "installed", "when it was installed", 10),
        ("updated", "updated", "when it was last updated", 10),
        ("permissions", "may", "permissions worth noting that it has", 12),
        ("splits", "parts", "the parts that it came in, beside the base", 5),
        ("path", "path", "where its code is", 30),
        ("note", "note", "what was noted of it", 20),
    ];

    /// The name for machines and for the record.
    pub fn name(self) -> &'static str {
        Self::NAMES[self as usize].0
    }

    /// The word at its head.
    pub fn title(self) -> &'static str {
        Self::NAMES[self as usize].1
    }

    /// What it is.
    pub fn doc(self) -> &'static str {
        Self::NAMES[self as usize].2
    }

    /// How many cells it likes to have.
    pub fn cells(self) -> u16 {
        Self::NAMES[self as usize].3
    }

    /// The column of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|c| c.name() == name)
    }

    /// Where it comes from, if not from the package service.
    pub fn source(self) -> Option<Source> {
        match self {
            Self::Size | Self::Code | Self::Data | Self::Cache => Some(Source::Sizes),
            Self::Memory => Some(Source::Memory),
            Self::Running => Some(Source::Running),
            Self::Idle | Self::Use => Some(Source::Use),
            _ => None,
        }
    }

    /// Whether numbers stand in it, which are put at the right margin.
    pub fn is_number(self) -> bool {
        matches!(
            self,
            Self::Size
                | Self::Code
                | Self::Data
                | Self::Cache
                | Self::Memory
                | Self::Use
                | Self::Target
                | Self::Uid
                | Self::Splits
        )
    }

    /// Why it tells nothing of any package; `None` where it does, or where each package has its own reason.
    pub fn why_not(self, sheet: &Catalog) -> Option<String> {
        self.source().and_then(|source| sheet.why_not(source))
    }

    /// What it says of a package, in words; `None` where that is not told.
    pub fn words(self, sight: &CatalogEntry<'_>) -> Option<String> {
        let about = &sight.package.about;
        Some(match self {
            Self::Label => sight.name().0,
            Self::States => sight.package.state(sight.user).condition().word().to_owned(),
            Self::Running => if sight.running()? { "yes" } else { "" }.to_owned(),
            Self::Size | Self::Code | Self::Data | Self::Cache | Self::Memory => match self.number(sight)? {
                0 => String::new(),
                bytes => bytes_words(bytes.unsigned_abs()),
            },
            Self::Idle => match sight.idle_days()? {
                None => "never".to_owned(),
                Some(0) => "today".to_owned(),
                Some(1) => "yesterday".to_owned(),
                Some(days @ ..=99) => format!("{days} days"),
                Some(days) => format!("{} months", days / 30),
            },
            Self::Use => match sight.used_seconds()? {
                0..=59 => String::new(),
                seconds @ ..3600 => format!("{} min", seconds / 60),
                seconds => format!("{} h", seconds / 3600),
            },
            Self::Came => about.installed?.date(),
            Self::Updated => about.updated?.date(),
            Self::Permissions => {
                let has = about
                    .requests
                    .iter()
                    .filter(|p| about.may(p, sight.user) && crate::android::permission_words(p).is_some());
                has.count().to_string()
            }
            Self::Splits => match about.splits.len() {
                0 => String::new(),
                n => n.to_string(),
            },
            _ => self.value(sight)?,
        })
    }

    /// What it says of a package, as machines want it: bytes, days, seconds, dates; `None` where that is not told.
    pub fn value(self, sight: &CatalogEntry<'_>) -> Option<String> {
        let (package, about) = (sight.package, &sight.package.about);
        Some(match self {
            Self::Label => sight.label()?.to_owned(),
            Self::Id => package.id.to_string(),
            Self::States => package.state(sight.user).condition().name().to_owned(),
            Self::From => match package.kind {
                PackageKind::User => "user app".to_owned(),
                PackageKind::UpdatedSystem => "updated".to_owned(),
                PackageKind::System => package.partition().to_owned(),
            },
            Self::Running => sight.running()?.to_string(),
            Self::Idle => sight.idle_days()?.map_or_else(|| "never".to_owned(), |days| days.to_string()),
            Self::Version => package.version.to_string(),
            Self::Installer => about.installer.as_ref()?.to_string(),
            Self::Came => about.installed?.date(),
            Self::Updated => about.updated?.date(),
            Self::Permissions => {
                let has = about.requests.iter().filter(|p| about.may(p, sight.user));
                has.cloned().collect::<Vec<_>>().join(" ")
            }
            Self::Splits => about.splits.join(" "),
            Self::Path => package.path.as_ref()?.to_string(),
            Self::Note => match (sight.star(), sight.note()) {
                (true, note) => format!("★ {note}").trim_end().to_owned(),
                (false, note) => note,
            },
            _ => self.number(sight)?.to_string(),
        })
    }

    fn number(self, sight: &CatalogEntry<'_>) -> Option<i64> {
        let about = &sight.package.about;
        let whole = |n: u64| i64::try_from(n).unwrap_or(i64::MAX);
        Some(match self {
            Self::Size => whole(sight.size(|s| s.total())?),
            Self::Code => whole(sight.size(|s| s.code)?),
            Self::Data => whole(sight.size(|s| s.data)?),
            Self::Cache => whole(sight.size(|s| s.cache)?),
            Self::Memory => whole(sight.memory()?),
            Self::Running => i64::from(sight.running()?),
            // The latest use first when the largest comes first.
            Self::Idle => -sight.idle_days()?.unwrap_or(i64::MAX / 2),
            Self::Use => whole(sight.used_seconds()?),
            Self::Target => i64::from(about.target_sdk?),
            Self::Uid => i64::from(about.uid?),
            Self::Came => about.installed.map(|DeviceTime(s)| s)?,
            Self::Updated => about.updated.map(|DeviceTime(s)| s)?,
            Self::States => sight.package.state(sight.user).condition() as i64,
            _ => return None,
        })
    }

    /// How two packages stand to each other: numbers from large to small, words from A to Z, or the other way; what is
    /// not told last in any case.
    pub fn order(self, a: &CatalogEntry<'_>, b: &CatalogEntry<'_>, other_way: bool) -> Ordering {
        let last = |a: bool, b: bool| a.cmp(&b);
        let turned = |order: Ordering| if other_way { order.reverse() } else { order };
        let numbers = match self {
            Self::Permissions | Self::Splits => {
                let count = |s: &CatalogEntry<'_>| match self {
                    Self::Splits => s.package.about.splits.len(),
                    _ => s.package.about.requests.iter().filter(|p| s.package.about.may(p, s.user)).count(),
                };
                Some((Some(count(a) as i64), Some(count(b) as i64)))
            }
            Self::States => Some((self.number(a).map(|n| -n), self.number(b).map(|n| -n))),
            _ => (self.is_number() || matches!(self, Self::Running | Self::Idle | Self::Came | Self::Updated))
                .then(|| (self.number(a), self.number(b))),
        };
        match numbers {
            Some((a, b)) => last(a.is_none(), b.is_none()).then(turned(b.cmp(&a))),
            None => {
                let text = |s: &CatalogEntry<'_>| self.words(s).unwrap_or_default().to_lowercase();
                let (a, b) = (text(a), text(b));
                last(a.is_empty(), b.is_empty()).then(turned(a.cmp(&b)))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_named_once_and_in_order() {
        for (n, column) in Column::ALL.into_iter().enumerate() {
            assert_eq!(column as usize, n);
            assert_eq!(Column::from_name(column.name()), Some(column));
        }
        assert_eq!(Column::Path.title(), "path");
    }
}
