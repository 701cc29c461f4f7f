//! A look at a device, kept in short: which packages it had, in which version, what they were to each user, and who had which role.

use std::collections::{BTreeMap, BTreeSet};
use std::str::FromStr;

use wibbet_types::{LookId, PackageId, PlainText, Timestamp, UserId, named};

use crate::device::DeviceFacts;
use crate::package::{Given, Inventory, PackageKind, PackageState};

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
    /// What it was to each user, as far as that could be read.
    pub states: BTreeMap<UserId, PackageState>,
}

/// Something that one package has for a user, and mostly one at a time.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Role {
    /// For whom.
    pub user: UserId,
    /// What it is, for people: "the role of home", "the chosen keyboard".
    pub what: PlainText,
}

/// A look at a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Look {
    /// When it was first so.
    pub at: Timestamp,
    /// When it was last seen to be so.
    pub until: Timestamp,
    /// The build of its system, by the name that its maker gives it.
    pub build: PlainText,
    /// Which start of its kernel it was, when it was last seen so; where that was told.
    pub boot: Option<PlainText>,
    /// Its packages.
    pub packages: BTreeMap<PackageId, LookedAt>,
    /// Who had which role.
    pub roles: BTreeMap<Role, BTreeSet<PackageId>>,
    /// Whether everything could be read: else what is missing may be there.
    pub whole: bool,
}

/// What is known of a look that is kept, without what it saw.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookHead {
    /// Its number in the logbook.
    pub number: LookId,
    /// When it was first so.
    pub at: Timestamp,
    /// When it was last seen to be so.
    pub until: Timestamp,
    /// The build of the system.
    pub build: PlainText,
    /// Which start of its kernel it was, when it was last seen so; where that was told.
    pub boot: Option<PlainText>,
}

impl Look {
    /// Of what was read of a device.
    pub fn of(inventory: &Inventory, facts: &DeviceFacts, at: Timestamp) -> Self {
        let mut roles: BTreeMap<Role, BTreeSet<PackageId>> = BTreeMap::new();
        // What is meant to stay unseen is not written down.
        let users: BTreeSet<UserId> = inventory.users_to_tell(None).map(|user| user.id).collect();
        let packages = inventory.packages.values().filter_map(|package| {
            let source = match package.kind {
                PackageKind::System => Source::System,
                PackageKind::UpdatedSystem => Source::Updated,
                PackageKind::User => Source::User,
                // It goes and comes with those that use it.
                PackageKind::Library => return None,
            };
            let told =
                package.states.iter().filter(|(user, state)| users.contains(user) && state.known && !state.unreadable);
            let states: BTreeMap<UserId, PackageState> = told.map(|(user, state)| (*user, *state)).collect();
            if package.kind == PackageKind::User && states.is_empty() {
                return None;
            }
            for (user, given) in package.about.chosen.iter().filter(|(user, _)| users.contains(user)) {
                for what in given.iter().filter(|given| is_role(given)).map(Given::words) {
                    let role = Role { user: *user, what: PlainText::new(&what) };
                    roles.entry(role).or_default().insert(package.id.clone());
                }
            }
            Some((package.id.clone(), LookedAt { source, version: package.about.version_code, states }))
        });
        let packages = packages.collect();
        let (build, boot) = (facts.build.clone(), facts.boot_id.clone());
        Self { at, until: at, build, boot, packages, roles, whole: inventory.gaps.is_empty() }
    }

    /// Whether it shows the same as another one, whenever and behind whatever start.
    pub fn shows_the_same(&self, other: &Self) -> bool {
        let of = |look: &Self| (look.whole, look.build.clone());
        of(self) == of(other) && self.packages == other.packages && self.roles == other.roles
    }

    /// As it is kept: a line for each package, `SOURCE VERSION ID USER:STATE…`, where a state is four digits: installed, hidden, suspended,
    /// enabled; a line for each role of a package, `role USER ID WHAT`; and `gaps` where not everything could be read.
    pub fn lines(&self) -> String {
        let mut text = if self.whole { String::new() } else { "gaps\n".to_owned() };
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
        for (role, ids) in &self.roles {
            for id in ids {
                text.push_str(&format!("role {} {id} {}\n", role.user, role.what.as_str().replace('\n', " ")));
            }
        }
        text
    }

    /// From what was kept; lines that are not understood, since another version wrote them, are left out.
    pub fn from_lines(head: &LookHead, text: &str) -> Self {
        let mut roles: BTreeMap<Role, BTreeSet<PackageId>> = BTreeMap::new();
        for (role, id) in text.lines().filter_map(read_role) {
            roles.entry(role).or_default().insert(id);
        }
        Self {
            at: head.at,
            until: head.until,
            build: head.build.clone(),
            boot: head.boot.clone(),
            packages: text.lines().filter_map(read_line).collect(),
            roles,
            whole: text.lines().all(|line| line != "gaps"),
        }
    }
}

/// Whether something that an app was given is one that mostly one app has at a time.
fn is_role(given: &Given) -> bool {
    matches!(
        given,
        Given::Role(_)
            | Given::Home(_)
            | Given::Dialer
            | Given::ChosenKeyboard(_)
            | Given::Setting(..)
            | Given::Accessibility(_)
    )
}

fn read_role(line: &str) -> Option<(Role, PackageId)> {
    let mut words = line.strip_prefix("role ")?.splitn(3, ' ');
    let (user, id) = (words.next()?.parse().ok()?, words.next()?.parse().ok()?);
    Some((Role { user, what: PlainText::new(words.next()?) }, id))
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
        let users = [(0, UserKind::Owner), (10, UserKind::Work), (11, UserKind::Private)];
        let users = users.map(|(number, kind)| testing::user(number, "", kind));
        let states = [(0, testing::IN_USE), (10, testing::UNINSTALLED)];
        let mut notes = testing::package("com.ostrel.notes", PackageKind::UpdatedSystem, "", &states);
        notes.about.version_code = Some(12);
        notes.about.chosen.insert(UserId::OWNER, vec![Given::Role("android.app.role.HOME".into()), Given::Overlay]);
        let tides = testing::package("fer.pellmoor.tides", PackageKind::User, "", &[(0, testing::DISABLED)]);
        let unread = testing::package("a.unread", PackageKind::System, "", &[(0, PackageState::UNREADABLE)]);
        let secret = testing::package("a.secret", PackageKind::User, "", &[(11, testing::IN_USE)]);
        let inventory = testing::inventory(&users, [notes, tides, unread, secret]);
        let (build, boot) = (PlainText::new("RILL3-8.1.5"), Some(PlainText::new("b1")));
        let facts = DeviceFacts { build, boot_id: boot, ..testing::facts() };
        let look = Look::of(&inventory, &facts, Timestamp(5));
        assert_eq!(
            look.lines(),
            "system - a.unread\nupdated 12 com.ostrel.notes 0:1000 10:0000\nuser - fer.pellmoor.tides 0:1003\n\
             role 0 com.ostrel.notes the role of the home screen\n"
        );
        let head = head(5, 7, "RILL3-8.1.5");
        let again = Look::from_lines(&head, &look.lines());
        assert_eq!(again, Look { until: Timestamp(7), ..look.clone() });
        assert!(again.shows_the_same(&Look { at: Timestamp(9), ..look.clone() }));
        let other = Look { roles: BTreeMap::new(), ..look.clone() };
        assert!(!again.shows_the_same(&other));
        let gaps = Look { whole: false, ..look };
        assert_eq!(Look::from_lines(&head, &gaps.lines()), Look { until: Timestamp(7), ..gaps });
    }

    fn head(at: i64, until: i64, build: &str) -> LookHead {
        let (at, until, boot) = (Timestamp(at), Timestamp(until), Some(PlainText::new("b1")));
        LookHead { number: LookId::new(1), at, until, build: PlainText::new(build), boot }
    }

    proptest! {
        #[test]
        fn any_lines_are_read(text in ".{0,200}") {
            let look = Look::from_lines(&head(0, 0, ""), &text);
            prop_assert!(look.packages.len() <= text.lines().count());
            let again = Look::from_lines(&head(0, 0, ""), &look.lines());
            prop_assert_eq!(again, look);
        }
    }
}
