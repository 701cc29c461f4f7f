//! `dumpsys package --checkin`: the states of packages in a tenth of the words. As AOSP's `Settings.dumpPackageLPr` prints it,
//! from Android 4.3 to 16:
//!
//! ```text
//! vers,1
//! pkg,com.android.calendar,10080,34,1763640000000,?,0
//! pkg-splt,base,0
//! pkg-usr,0,IbsuSLiavpi,0,?
//! dis,com.android.calendar,10080,30,1763640000000,?,0
//! ```
//!
//! It does not say everything that the whole form says: what a package is, and whether it was ever meant for a user. So it is used
//! only on a device where both forms have been read side by side and said the same, and what the short one leaves out is taken
//! from there. A package that it does not name, or names twice, is asked for in full.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use wibbet_types::{PackageId, UserId};

use super::packages_dump::MOST_USERS;
use super::read_back::ReadBack;
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::{Enabled, Inventory, PackageKind, PackageState};

/// Packages that are kept. Devices have some hundreds.
const MOST: usize = 20_000;

/// What is asked, of one package or of all.
pub fn short_dump_request(capabilities: &Capabilities, id: Option<&PackageId>) -> Request {
    let of = id.map_or("packages", PackageId::as_str);
    Request::shell(capabilities.dump(&format!("package --checkin {of}")))
}

/// A package as the short form has it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct ShortPackage {
    /// A line of its parts: where its code has gone there is none.
    has_code: bool,
    states: BTreeMap<UserId, PackageState>,
}

/// What a short dump shows. Nothing that is not whole is in it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ShortDump {
    packages: HashMap<PackageId, ShortPackage>,
    factory_versions: BTreeSet<PackageId>,
}

/// Reads the answer to [`short_dump_request`].
pub fn read_short_dump(text: &str) -> ShortDump {
    let mut dump = ShortDump::default();
    let mut twice: BTreeSet<PackageId> = BTreeSet::new();
    let mut open: Option<(PackageId, ShortPackage)> = None;
    // A last line without its end may be half of one.
    let whole = text.rfind('\n').map_or("", |end| &text[..end]);
    let cut = whole.len() + 1 < text.len() || whole.contains("DUMP TIMEOUT");
    let mut close = |open: &mut Option<(PackageId, ShortPackage)>, dump: &mut ShortDump| {
        let Some((id, package)) = open.take() else { return };
        if dump.packages.len() < MOST && dump.packages.insert(id.clone(), package).is_some() {
            twice.insert(id);
        }
    };
    for line in whole.lines().map(str::trim_end) {
        let Some((tag, rest)) = line.split_once(',') else { continue };
        let mut fields = rest.split(',');
        match tag {
            "pkg" => {
                close(&mut open, &mut dump);
                open = fields.next().and_then(|id| id.parse().ok()).map(|id| (id, ShortPackage::default()));
            }
            "dis" => {
                close(&mut open, &mut dump);
                dump.factory_versions.extend(fields.next().and_then(|id| id.parse::<PackageId>().ok()));
            }
            "pkg-splt" => {
                if let Some((_, package)) = &mut open {
                    package.has_code = true;
                }
            }
            "pkg-usr" => {
                if let (Some((_, package)), Some(Ok(user))) = (&mut open, fields.next().map(str::parse::<UserId>))
                    && package.states.len() < MOST_USERS
                {
                    let state = read_flags(fields.next().unwrap_or(""), fields.next().unwrap_or(""));
                    let known = package.states.entry(user);
                    known.and_modify(|state| *state = PackageState::UNREADABLE).or_insert(state);
                }
            }
            _ => {}
        }
    }
    // What was cut in the middle may lack users.
    if !cut {
        close(&mut open, &mut dump);
    }
    dump.packages.retain(|id, _| !twice.contains(id));
    dump
}

/// `I` or `i` installed, `B` or `b` hidden, from Android 7 on `SU` or `su` suspended, then what does not count here; and the enabled
/// setting. [`PackageState::UNREADABLE`] for anything else.
fn read_flags(flags: &str, enabled: &str) -> PackageState {
    let mut letters = flags.chars();
    let installed = match letters.next() {
        Some('I') => true,
        Some('i') => false,
        _ => return PackageState::UNREADABLE,
    };
    let hidden = match letters.next() {
        Some('B') => true,
        Some('b') => false,
        _ => return PackageState::UNREADABLE,
    };
    let suspended = letters.as_str().starts_with("SU");
    match enabled.parse().ok().and_then(Enabled::from_number) {
        Some(enabled) => PackageState { unreadable: false, known: true, installed, hidden, suspended, enabled },
        None => PackageState::UNREADABLE,
    }
}

/// What the short form leaves out, of packages of which it has said the same as the whole one.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ShortForm {
    known: HashMap<PackageId, Known>,
    /// Whose states were told.
    users: BTreeSet<UserId>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Known {
    kind: PackageKind,
    /// Users for whom it never was there.
    absent: BTreeSet<UserId>,
}

impl ShortForm {
    /// What can be left to the short form on a device: `None` where it says something else than the whole one, or next to
    /// nothing. `inventory` is what the whole form says, read at about the same time.
    pub fn proven(inventory: &Inventory, short: &ShortDump) -> Option<Self> {
        let mut known = HashMap::new();
        for package in inventory.packages.values() {
            // Static libraries have several names, and other ones under it have too: they are asked for in full.
            let Some(told) = short.packages.get(&package.id).filter(|_| package.kind != PackageKind::Library) else {
                continue;
            };
            let mut absent = BTreeSet::new();
            let mut whole = true;
            for (user, state) in &package.states {
                match told.states.get(user) {
                    Some(short) if !short.installed && !state.known && !state.unreadable => {
                        absent.insert(*user);
                    }
                    Some(short) if told.has_code && *short == *state => {}
                    // Its code has gone: the flag of the last user may say anything.
                    Some(_) if !told.has_code => whole = false,
                    None => whole = false,
                    Some(_) if state.unreadable => whole = false,
                    Some(_) => return None,
                }
            }
            if whole {
                known.insert(package.id.clone(), Known { kind: package.kind, absent });
            }
        }
        (known.len() * 2 > inventory.packages.len())
            .then_some(Self { known, users: inventory.users.iter().map(|user| user.id).collect() })
    }

    /// What a short dump tells of each package that can be left to it.
    pub fn read_back_all(&self, dump: &ShortDump) -> BTreeMap<PackageId, ReadBack> {
        let ids = dump.packages.keys();
        ids.filter_map(|id| Some((id.clone(), self.read_back(id, dump)?))).collect()
    }

    /// What a short dump tells of a package; `None` where it has to be asked for in full.
    pub fn read_back(&self, id: &PackageId, dump: &ShortDump) -> Option<ReadBack> {
        let (known, told) = (self.known.get(id)?, dump.packages.get(id)?);
        let all = self.users.iter().all(|user| told.states.contains_key(user));
        if !told.has_code || !all || told.states.values().any(|state| state.unreadable) {
            return None;
        }
        let kind = match known.kind {
            PackageKind::System | PackageKind::UpdatedSystem if dump.factory_versions.contains(id) => {
                PackageKind::UpdatedSystem
            }
            PackageKind::UpdatedSystem => PackageKind::System,
            kind => kind,
        };
        let state = |(user, state): (&UserId, &PackageState)| match known.absent.contains(user) && !state.installed {
            true => (*user, PackageState::ABSENT),
            false => (*user, *state),
        };
        Some(ReadBack::States(kind, told.states.iter().map(state).collect()))
    }

    /// How many packages can be left to it.
    pub fn len(&self) -> usize {
        self.known.len()
    }

    /// Whether none can.
    pub fn is_empty(&self) -> bool {
        self.known.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::*;
    use crate::device::UserKind;
    use crate::package::{Essentials, Package};
    use crate::testing;
    use proptest::prelude::*;

    const TEXT: &str = "vers,1\npkg,com.a,10001,3400,1763640000000,?,0\npkg-splt,base,0\npkg-splt,config.de,0\npkg-usr,0,IbsuSLiavpi,0,?,1763630000000\n\
pkg-usr,10,ibsusLiavpi,0,?\npkg,com.b,1000,3400,1763640000000,?,0\npkg-splt,base,0\npkg-usr,0,IBSUsL,3,com.android.shell\npkg-usr,10,Ibsu,0,?\n\
pkg,com.gone,10007,1,1,?,0\npkg-usr,0,Ibsus,0,?\npkg,com.twice,1,1,1,?\npkg-splt,base,0\npkg-usr,0,Ibsu,0,?\npkg,com.twice,1,1,1,?\npkg-splt,base,0\npkg-usr,0,ibsu,0,?\n\
pkg,com.last,2,1,1,?\npkg-splt,base,0\npkg-usr,0,Ibsu,9,?\npkg-usr,10,Ibsu,0,?\npkg-usr,10,Ibsu,0,?\ndis,com.a,10001,3000,1,?,0\ndis-splt,base,0\ndis-usr,0,Ibsu,0,?\n";

    fn states(dump: &ShortDump, id: &str) -> Option<Vec<String>> {
        let package = dump.packages.get(&id.parse::<PackageId>().unwrap())?;
        Some(package.states.iter().map(|(user, state)| format!("{user}: {state}")).collect())
    }

    #[test]
    fn states_in_short() {
        let dump = read_short_dump(TEXT);
        let line = |user: u32, words: &str| format!("{user}: {words}");
        assert_eq!(
            states(&dump, "com.a").unwrap(),
            [
                line(0, "installed=1 hidden=0 suspended=0 enabled=0"),
                line(10, "installed=0 hidden=0 suspended=0 enabled=0")
            ]
        );
        assert_eq!(states(&dump, "com.b").unwrap()[0], line(0, "installed=1 hidden=1 suspended=1 enabled=3"));
        assert_eq!(states(&dump, "com.last").unwrap(), [line(0, "unreadable"), line(10, "unreadable")]);
        assert!(!dump.packages["com.gone"].has_code);
        assert_eq!(states(&dump, "com.twice"), None);
        assert_eq!(dump.factory_versions.len(), 1);
        // Android 5 has no letters for what is suspended: what follows is not taken for them.
        let old = read_short_dump("pkg,a,1,1,1,?\npkg-splt,base,0\npkg-usr,0,IbSL,0,?\n");
        assert_eq!(states(&old, "a").unwrap(), [line(0, "installed=1 hidden=0 suspended=0 enabled=0")]);
    }

    /// Wherever it is cut, nothing else is told than in the whole.
    #[test]
    fn a_cut_dump_tells_of_whole_lines_only() {
        let whole = read_short_dump(TEXT);
        for at in 0..TEXT.len() {
            for end in ["", "\n\n*** SERVICE 'package' DUMP TIMEOUT (10000ms) EXPIRED ***\n\n"] {
                let cut = read_short_dump(&format!("{}{end}", &TEXT[..at]));
                for (id, package) in &cut.packages {
                    // The second of two comes after the cut.
                    if id.as_str() != "com.twice" {
                        let all = &whole.packages[id].states;
                        // The second line of a user comes after the cut too.
                        let same =
                            |(user, state): (&UserId, &PackageState)| all[user] == *state || all[user].unreadable;
                        assert!(package.states.iter().all(same), "cut at {at}{end}: {id}");
                    }
                }
            }
        }
    }

    fn inventory(rows: &[(&str, PackageKind, [PackageState; 2])]) -> Inventory {
        let package = |(id, kind, states): &(&str, PackageKind, [PackageState; 2])| {
            let states = [0, 10].map(UserId::new).into_iter().zip(*states).collect();
            Arc::new(Package::bare(id.parse().unwrap(), *kind, states))
        };
        Inventory {
            users: vec![testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)],
            packages: rows.iter().map(package).map(|p| (p.id.clone(), p)).collect(),
            essential: Essentials::default(),
            gaps: Vec::new(),
        }
    }

    const GONE: PackageState = PackageState { installed: false, ..PackageState::IN_USE };
    const OFF: PackageState =
        PackageState { hidden: true, suspended: true, enabled: Enabled::DisabledUser, ..PackageState::IN_USE };

    #[test]
    fn it_is_used_where_it_says_the_same() {
        let (a, b) = ("com.a", "com.b");
        let said = read_short_dump(TEXT);
        let same = |a_10, b_0| {
            inventory(&[
                (a, PackageKind::UpdatedSystem, [PackageState::IN_USE, a_10]),
                (b, PackageKind::System, [b_0, PackageState::IN_USE]),
            ])
        };
        let form = ShortForm::proven(&same(GONE, OFF), &said).unwrap();
        assert_eq!(form.len(), 2);
        assert_eq!(ShortForm::proven(&same(GONE, PackageState::IN_USE), &said), None, "another state");
        assert_eq!(ShortForm::proven(&same(GONE, OFF), &ShortDump::default()), None, "nothing");
        let state = |form: &ShortForm, id: &str, dump: &ShortDump| {
            form.read_back(&id.parse().unwrap(), dump).map(|told| told.state(UserId::new(10)))
        };
        assert_eq!(state(&form, a, &said), Some(GONE));
        assert_eq!(state(&form, "com.gone", &said), None);
        // What never was there for a user is no uninstalled app, as long as it is not there.
        let form = ShortForm::proven(&same(PackageState::ABSENT, OFF), &said).unwrap();
        assert_eq!(state(&form, a, &said), Some(PackageState::ABSENT));
        let since = read_short_dump(&TEXT.replace("pkg-usr,10,ibsusLiavpi", "pkg-usr,10,IbsusLiavpi"));
        assert_eq!(state(&form, a, &since), Some(PackageState::IN_USE));
        // An update that was taken off, and code that has gone since.
        let back = read_short_dump(&TEXT.replace("dis,com.a", "dis,com.x"));
        assert!(matches!(form.read_back(&a.parse().unwrap(), &back), Some(ReadBack::States(PackageKind::System, _))));
        let gone = read_short_dump(&TEXT.replace("pkg-splt,base,0\npkg-splt,config.de,0\n", ""));
        assert_eq!(state(&form, a, &gone), None);
        assert_eq!(form.read_back_all(&gone).len(), 1);
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>(), lines in proptest::collection::vec("(pkg|pkg-usr|pkg-splt|dis|vers),[a-zA-Z0-9.,?-]{0,30}", 0..20)) {
            read_short_dump(&text);
            read_short_dump(&lines.join("\n"));
        }
    }
}
