//! What there is to know of a package: the one table. Columns, their heads and widths, sorting, comparisons of the search,
//! CSV, exported JSON and the page of everything known go by it. Another attribute is a row of it with its function.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::collections::BTreeSet;
use std::fmt;

use wibbet_types::DeviceTime;

use super::catalog::Catalog;
use super::entry::CatalogEntry;
use super::value::Value;
use crate::holds::{HoldKind, Judgement, RULES, Rule, Verdict};
use crate::package::{PackageKind, Sizes, Source};

/// What kind of value is compared with an attribute in a search.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CompareKind {
    /// Bytes: `50M`, `1.5G`, `300k`.
    Bytes,
    /// A time: `90d`, `2w`, `6mo`, `1y`, `3h`, `20min`.
    Duration,
    /// A number.
    Number,
    /// Text, of which `=` looks for a part.
    Text,
}

impl CompareKind {
    /// A comparison as an example: sign and value.
    pub fn example(self) -> &'static str {
        match self {
            Self::Bytes => ">50M",
            Self::Duration => ">90d",
            Self::Number => "=23",
            Self::Text => "=word",
        }
    }
}

/// How an attribute is compared in a search.
#[derive(Debug)]
pub struct Comparison {
    /// Its name behind the colon.
    pub name: &'static str,
    /// With what kind of value.
    pub kind: CompareKind,
    /// What that finds.
    pub doc: &'static str,
}

/// One thing to know of a package.
pub struct Attribute {
    /// The name for machines and for the record.
    pub name: &'static str,
    /// The word at the head of its column.
    pub title: &'static str,
    /// What it is.
    pub doc: &'static str,
    /// The cells that its column likes to have; 0 for what is no column.
    pub cells: u16,
    /// Whether it stands at the right margin of its column, as numbers do.
    pub right: bool,
    /// Where it comes from, if not from package service and APK.
    pub source: Option<Source>,
    /// How a search compares it.
    pub compared: Option<Comparison>,
    /// What it says of a package; `None` where that is not known.
    pub get: for<'a> fn(&CatalogEntry<'a>) -> Option<Value<'a>>,
}

impl fmt::Debug for Attribute {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

impl PartialEq for Attribute {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl Eq for Attribute {}

/// An attribute as a column of a table.
pub type Column = &'static Attribute;

macro_rules! attributes {
    ($($(#[$doc:meta])* $handle:ident = $row:expr;)*) => {
        impl Attribute {
            $(#[doc = concat!("See `", stringify!($handle), "` in the table.")] pub const $handle: &'static Self = &$row;)*

            /// Every one, in the order in which they are offered.
            pub const ALL: &'static [&'static Self] = &[$(Self::$handle),*];
        }
    };
}

/// A row that is text or a number from the package service, and nothing to compare.
const ROW: Attribute =
    Attribute { name: "", title: "", doc: "", cells: 0, right: false, source: None, compared: None, get: |_| None };

const fn compared(name: &'static str, kind: CompareKind, doc: &'static str) -> Option<Comparison> {
    Some(Comparison { name, kind, doc })
}

use CompareKind::{Bytes, Duration, Number, Text};

attributes! {
    LABEL = Attribute {
        name: "label", title: "label", doc: "the name that people know it by", cells: 24,
        compared: compared("label", Text, "its label"),
        get: |e| Some(Value::Name(e.name())), ..ROW
    };
    ID = Attribute {
        name: "id", title: "id", doc: "its id", cells: 34,
        compared: compared("id", Text, "its id"),
        get: |e| text(Some(e.package.id.as_str())), ..ROW
    };
    STATES = Attribute {
        name: "states", title: "state", doc: "its state for each user", cells: 14,
        get: |e| Some(Value::State(e.package.condition(e.user))), ..ROW
    };
    HOLDS = Attribute {
        name: "holds", title: "holds", doc: "what ties it: s start, r role, n need, h habit, each in its place; ? where not all was read",
        cells: 7,
        get: |e| e.tied().map(|one| one.map_or(Value::Nothing, |one| Value::Text(places(one).into()))), ..ROW
    };
    STOPS = Attribute {
        name: "stops", title: "stops without it", doc: "what stops when it goes", cells: 22,
        compared: compared("stops", Text, "what stops without it"),
        get: |e| e.tied().map(|one| one.map_or(Value::Nothing, |one| Value::Text(one.stops().into()))), ..ROW
    };
    ROLES = Attribute {
        name: "roles", title: "roles", doc: "what it does that people need, where it is the active or the last one", cells: 18,
        compared: compared("role", Text, "what it does that people need, where it is the active or the last one"),
        get: |e| e.tied().map(|one| one.map_or(Value::Nothing, roles)), ..ROW
    };
    LEANING = Attribute {
        name: "leaning", title: "leaning on it", doc: "the packages that lean on it", cells: 22,
        compared: compared("need", Text, "the packages that lean on it"),
        get: |e| e.tied().map(|one| one.map_or(Value::Nothing, leaning)), ..ROW
    };
    FROM = Attribute {
        name: "from", title: "from", doc: "the partition it came on, or who brought it", cells: 11,
        get: |e| text(Some(match e.package.kind {
            PackageKind::User => "user app",
            PackageKind::Library => "library",
            PackageKind::UpdatedSystem => "updated",
            PackageKind::System => e.package.partition(),
        })), ..ROW
    };
    SIZE = Attribute {
        name: "size", title: "size", doc: "code, data and cache together, all users",
        compared: compared("size", Bytes, "code, data and cache together"),
        get: |e| bytes(e, |s| s.total()), ..SIZES
    };
    CODE = Attribute {
        name: "code", title: "code", doc: "size of its code",
        compared: compared("code", Bytes, "size of the code"),
        get: |e| bytes(e, |s| s.code), ..SIZES
    };
    DATA = Attribute {
        name: "data", title: "data", doc: "size of its data, all users",
        compared: compared("data", Bytes, "size of the data"),
        get: |e| bytes(e, |s| s.data), ..SIZES
    };
    CACHE = Attribute {
        name: "cache", title: "cache", doc: "size of its cache, all users",
        compared: compared("cache", Bytes, "size of the cache"),
        get: |e| bytes(e, |s| s.cache), ..SIZES
    };
    MEMORY = Attribute {
        name: "memory", title: "memory", doc: "memory that its processes use now", cells: 9, right: true,
        source: Some(Source::Memory),
        compared: compared("memory", Bytes, "memory that its processes use now"),
        get: |e| e.memory().map(Value::Bytes)
    };
    RUNNING = Attribute {
        name: "running", title: "runs", doc: "whether it has a process now", cells: 5,
        source: Some(Source::Running),
        get: |e| e.running().map(Value::YesNo), ..ROW
    };
    IDLE = Attribute {
        name: "idle", title: "last use", doc: "how long ago it was last used", cells: 9, right: true,
        source: Some(Source::Usage),
        compared: compared("idle", Duration, "time since it was last used; none remembered is longer than any"),
        get: |e| e.last_use().map(Value::LastUse)
    };
    USE = Attribute {
        name: "use", title: "in use", doc: "time on the screen in all", cells: 9, right: true,
        source: Some(Source::Usage),
        compared: compared("use", Duration, "time on the screen in all"),
        get: |e| e.used_seconds().map(Value::Seconds)
    };
    VERSION = Attribute {
        name: "version", title: "version", doc: "its version", cells: 12,
        compared: compared("version", Text, "its version"),
        get: |e| text(Some(e.package.version.as_str())), ..ROW
    };
    TARGET = Attribute {
        name: "target", title: "target", doc: "API level that it was made for", cells: 6, right: true,
        compared: compared("target", Number, "API level that it was made for"),
        get: |e| e.package.about.target_sdk.map(|n| Value::Count(n.into())), ..ROW
    };
    INSTALLER = Attribute {
        name: "installer", title: "installer", doc: "what installed it", cells: 20,
        compared: compared("installer", Text, "was installed by"),
        get: |e| text(e.package.about.installer.as_ref().map(|id| id.as_str())), ..ROW
    };
    UID = Attribute {
        name: "uid", title: "uid", doc: "the app id; the Unix uid is user × 100 000 + app id", cells: 6, right: true,
        compared: compared("uid", Number, "the app id"),
        get: |e| e.package.about.uid.map(|n| Value::Count(n.into())), ..ROW
    };
    CAME = Attribute {
        name: "came", title: "installed", doc: "when it was installed", cells: 10,
        compared: compared("came", Duration, "time since it was installed"),
        get: |e| date(e, e.package.about.installed), ..ROW
    };
    UPDATED = Attribute {
        name: "updated", title: "updated", doc: "when it was last updated", cells: 10,
        compared: compared("update", Duration, "time since it was last updated"),
        get: |e| date(e, e.package.about.updated), ..ROW
    };
    PERMISSIONS = Attribute {
        name: "permissions", title: "may", doc: "permissions worth noting that it has", cells: 12,
        get: |e| {
            let about = &e.package.about;
            let has = about.requests.iter().filter(|p| about.may(p, e.user));
            Some(Value::Permissions(has.map(AsRef::as_ref).collect()))
        }, ..ROW
    };
    SPLITS = Attribute {
        name: "splits", title: "parts", doc: "the parts that it came in, beside the base", cells: 5, right: true,
        get: |e| names(e.package.about.splits.iter()), ..ROW
    };
    PATH = Attribute {
        name: "path", title: "path", doc: "where its code is", cells: 30,
        get: |e| Some(Value::Text(Cow::Borrowed(e.package.path.as_ref()?.as_str()))), ..ROW
    };
    NOTE = Attribute {
        name: "note", title: "note", doc: "what was noted of it", cells: 20,
        compared: compared("note", Text, "its notes"),
        get: |e| {
            let note = e.note();
            Some(Value::Text(if e.star() { format!("★ {note}").trim_end().to_owned().into() } else { note.into() }))
        }, ..ROW
    };
    REQUESTS = Attribute {
        name: "requests", title: "asks for", doc: "permissions that it asks for",
        compared: compared("permission", Text, "asks for a permission"),
        get: |e| names(e.package.about.requests.iter()), ..ROW
    };
    GRANTED = Attribute {
        name: "granted", title: "has", doc: "permissions that it has",
        compared: compared("granted", Text, "has a permission"),
        get: |e| {
            let about = &e.package.about;
            names(about.granted.iter().chain(about.granted_to.get(&e.user).into_iter().flatten()))
        }, ..ROW
    };
    PARTITION = Attribute {
        name: "partition", title: "partition", doc: "the partition that its code is on",
        compared: compared("partition", Text, "its code is on"),
        get: |e| text(Some(e.package.partition())), ..ROW
    };
    USERS = Attribute {
        name: "users", title: "for", doc: "the users that it is installed for",
        compared: compared("for", Number, "installed for the user of this number"),
        get: |e| Some(Value::Users(e.package.states.iter().filter(|(_, s)| s.installed).map(|(u, _)| *u).collect())),
        ..ROW
    };
}

/// The packages that lean on one.
fn leaning(judgement: &Judgement) -> Value<'static> {
    let ids: BTreeSet<&str> = judgement.holds.iter().flat_map(|hold| &hold.by).map(|id| id.as_str()).collect();
    match ids.is_empty() {
        true => Value::Nothing,
        false => Value::Text(ids.into_iter().collect::<Vec<_>>().join(" ").into()),
    }
}

/// What a package does that people need.
fn roles(judgement: &Judgement) -> Value<'static> {
    let names: BTreeSet<&str> =
        judgement.holds.iter().filter(|hold| hold.kind == HoldKind::Role).map(|hold| hold.what.as_str()).collect();
    match names.is_empty() {
        true => Value::Nothing,
        false => Value::Text(names.into_iter().collect::<Vec<_>>().join(", ").into()),
    }
}

/// The kinds of holds, each in its place.
fn places(judgement: &Judgement) -> String {
    let unread = judgement.verdict() == Verdict::Unread;
    let place = |rule: &Rule| match judgement.has(rule.kind) {
        true => rule.kind.name().chars().next().unwrap_or('·'),
        false if unread => '?',
        false => '·',
    };
    RULES.iter().map(place).collect()
}

/// A size.
const SIZES: Attribute = Attribute { cells: 9, right: true, source: Some(Source::Sizes), ..ROW };

fn text(text: Option<&str>) -> Option<Value<'_>> {
    Some(text.map_or(Value::Nothing, |text| Value::Text(Cow::Borrowed(text))))
}

fn names<'a, T: AsRef<str> + 'a>(all: impl Iterator<Item = &'a T>) -> Option<Value<'a>> {
    Some(Value::Names(all.map(AsRef::as_ref).collect()))
}

fn bytes<'a>(entry: &CatalogEntry<'_>, pick: fn(&Sizes) -> Option<u64>) -> Option<Value<'a>> {
    entry.size(pick).map(Value::Bytes)
}

fn date<'a>(entry: &CatalogEntry<'_>, date: Option<DeviceTime>) -> Option<Value<'a>> {
    let date = date?;
    Some(Value::Date(date, entry.metrics.now.map(|now| now.0 - date.0)))
}

impl Attribute {
    /// What is shown when nobody has chosen, most wanted first: as many as there is room for.
    pub const FIRST: [Column; 9] = [
        Self::LABEL,
        Self::ID,
        Self::STATES,
        Self::HOLDS,
        Self::SIZE,
        Self::IDLE,
        Self::STOPS,
        Self::MEMORY,
        Self::FROM,
    ];

    /// Those that can be columns, in the order in which they are offered.
    pub fn columns() -> impl Iterator<Item = Column> {
        Self::ALL.iter().copied().filter(|a| a.cells > 0)
    }

    /// The column of a name.
    pub fn column(name: &str) -> Option<Column> {
        Self::columns().find(|a| a.name == name)
    }

    /// Those that a search can compare, in the order of the table.
    pub fn comparisons() -> impl Iterator<Item = (Column, &'static Comparison)> {
        Self::ALL.iter().filter_map(|a| Some((*a, a.compared.as_ref()?)))
    }

    /// Why it says nothing of any package; `None` where it does, or where each package has its own reason.
    pub fn why_not(&self, catalog: &Catalog) -> Option<String> {
        self.source.and_then(|source| catalog.why_not(source))
    }

    /// What it says of a package, as people read it; `None` where that is not known.
    pub fn words(&self, entry: &CatalogEntry<'_>) -> Option<String> {
        (self.get)(entry).map(|value| value.words())
    }

    /// What it says of a package, as machines want it; `None` where that is not known, or there is none.
    pub fn text(&self, entry: &CatalogEntry<'_>) -> Option<String> {
        (self.get)(entry).and_then(|value| value.text())
    }

    /// How two packages stand to each other by it.
    pub fn order(&self, a: &CatalogEntry<'_>, b: &CatalogEntry<'_>, reversed: bool) -> Ordering {
        Value::order((self.get)(a).as_ref(), (self.get)(b).as_ref(), reversed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_is_whole_and_every_name_is_its_own() {
        for (n, attribute) in Attribute::ALL.iter().enumerate() {
            assert!(!attribute.title.is_empty() && !attribute.doc.is_empty(), "{attribute:?}");
            assert!(Attribute::ALL[..n].iter().all(|other| other.name != attribute.name), "{attribute:?} stands twice");
            assert!(attribute.cells > 0 || attribute.compared.is_some(), "{attribute:?} is of no use");
            assert_eq!(Attribute::column(attribute.name).is_some(), attribute.cells > 0);
        }
        let names: Vec<&str> = Attribute::comparisons().map(|(_, c)| c.name).collect();
        assert!((0..names.len()).all(|n| !names[..n].contains(&names[n])), "{names:?}");
        assert!(Attribute::FIRST.iter().all(|a| a.cells > 0));
    }
}
