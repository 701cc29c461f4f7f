//! A look at a device, kept in short: which packages it had, in which version, and what they were to each user.

use std::collections::BTreeMap;
use std::str::FromStr;

use wibbet_types::{PackageId, PlainText, Timestamp, UserId, named};

use crate::package::{Inventory, PackageKind, PackageState};

/// Where a package came from, as far as looks tell that apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Source {
    /// It came with the device.
    System,
    /// It came with the device and has an update over it.
    Updated,
    /// Somebody installed it.
    User,
}

named!(Source { System => "system", Updated => "updated", User => "user" });

/// One package as it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookedAt {
    /// Where it came from.
    pub source: Source,
    /// `versionCode`, where it was told.
    pub version: Option<u64>,
    /// What it was to each user.
    pub states: BTreeMap<UserId, PackageState>,
}

/// A look at a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Look {
    /// When.
    pub at: Timestamp,
    /// The build of its system, by the name that its maker gives it.
    pub build: PlainText,
    /// Its packages, but for those of which a state could not be read.
    pub packages: BTreeMap<PackageId, LookedAt>,
}

impl Look {
    /// Of what was read of a device.
    pub fn of(inventory: &Inventory, build: &PlainText, at: Timestamp) -> Self {
        let packages = inventory.packages.values().filter_map(|package| {
            let source = match package.kind {
                PackageKind::System => Source::System,
                PackageKind::UpdatedSystem => Source::Updated,
                PackageKind::User => Source::User,
                // It goes and comes with those that use it.
                PackageKind::Library => return None,
            };
            let told = package.states.values().all(|state| !state.unreadable);
            let states: BTreeMap<UserId, PackageState> =
                package.states.iter().filter(|(_, state)| state.known).map(|(user, state)| (*user, *state)).collect();
            let looked_at = LookedAt { source, version: package.about.version_code, states };
            told.then(|| (package.id.clone(), looked_at))
        });
        Self { at, build: build.clone(), packages: packages.collect() }
    }

    /// Whether it shows the same as another one.
    pub fn shows_the_same(&self, other: &Self) -> bool {
        self.build == other.build && self.packages == other.packages
    }

    /// As it is kept: a line for each package, `SOURCE VERSION ID USER:STATE…`, where a state is four digits: installed, hidden, suspended,
    /// enabled.
    pub fn lines(&self) -> String {
        let mut text = String::new();
        for (id, package) in &self.packages {
            let version = package.version.map_or_else(|| "-".to_owned(), |version| version.to_string());
            text.push_str(&format!("{} {version} {id}", package.source));
            for (user, state) in &package.states {
                let bit = u8::from;
                text.push_str(&format!(
                    " {user}:{}{}{}{}",
                    bit(state.installed),
                    bit(state.hidden),
                    bit(state.suspended),
                    state.enabled.number()
                ));
            }
            text.push('\n');
        }
        text
    }

    /// From what was kept; lines that are not understood, since another version wrote them, are left out.
    pub fn from_lines(at: Timestamp, build: PlainText, text: &str) -> Self {
        Self { at, build, packages: text.lines().filter_map(read_line).collect() }
    }
}

fn read_line(line: &str) -> Option<(PackageId, LookedAt)> {
    let mut words = line.split(' ');
    let source = Source::from_name(words.next()?)?;
    let version = match words.next()? {
        "-" => None,
        number => Some(number.parse().ok()?),
    };
    let id = words.next()?.parse().ok()?;
    let states = words.map(|word| {
        let (user, digits) = word.split_once(':')?;
        let [installed, hidden, suspended, enabled] = <[char; 4]>::try_from(digits.chars().collect::<Vec<_>>()).ok()?;
        let text = format!("installed={installed} hidden={hidden} suspended={suspended} enabled={enabled}");
        Some((user.parse().ok()?, PackageState::from_str(&text).ok()?))
    });
    Some((id, LookedAt { source, version, states: states.collect::<Option<_>>()? }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::testing;
    use proptest::prelude::*;

    #[test]
    fn what_was_kept_is_read_again() {
        let users = [testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        let states = [(0, testing::IN_USE), (10, testing::UNINSTALLED)];
        let mut notes = testing::package("com.ostrel.notes", PackageKind::UpdatedSystem, "", &states);
        notes.about.version_code = Some(12);
        let tides = testing::package("fer.pellmoor.tides", PackageKind::User, "", &[(0, testing::DISABLED)]);
        let unread = testing::package("a.unread", PackageKind::System, "", &[(0, PackageState::UNREADABLE)]);
        let inventory = testing::inventory(&users, [notes, tides, unread]);
        let look = Look::of(&inventory, &PlainText::new("RILL3-8.1.5"), Timestamp(5));
        assert_eq!(look.lines(), "updated 12 com.ostrel.notes 0:1000 10:0000\nuser - fer.pellmoor.tides 0:1003\n");
        let again = Look::from_lines(Timestamp(5), PlainText::new("RILL3-8.1.5"), &look.lines());
        assert_eq!(again, look);
        assert!(again.shows_the_same(&Look { at: Timestamp(9), ..look }));
    }

    proptest! {
        #[test]
        fn any_lines_are_read(text in ".{0,200}") {
            let look = Look::from_lines(Timestamp(0), PlainText::default(), &text);
            prop_assert!(look.packages.len() <= text.lines().count());
        }
    }
}
