//! What is asked for a survey, and the inventory from the answers.

use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;

use wibbet_types::PackageId;

use super::packages_dump::{DumpedPackage, MOST_USERS, PackageDump};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::device::User;
use crate::package::{Essentials, Inventory, Package, PackageKind, PackageState};

/// What is asked for a survey, beside the users.
pub fn survey_dump(capabilities: &Capabilities) -> Request {
    Request::shell(capabilities.dump("package packages"))
}

/// The list that the dump is checked against.
pub fn survey_list() -> Request {
    Request::look(&["list", "packages", "-f", "-u", "--user", "0"])
}

/// Puts an inventory together from the users, the dump and the list that it is checked against.
pub fn inventory(
    users: Vec<User>,
    dump: PackageDump,
    listed: &[(PackageId, Option<wibbet_types::DevicePath>)],
) -> Inventory {
    let mut gaps = dump.gaps;
    if users.len() >= MOST_USERS {
        gaps.push(format!("the device lists {MOST_USERS} users or more: only so many are shown"));
    }
    // Lists have the name of a library's manifest, once for each version of it.
    let libraries: HashSet<PackageId> = dump.packages.values().filter_map(|p| p.library.clone()).collect();
    let missing = listed.iter().filter(|(id, _)| !dump.packages.contains_key(id) && !libraries.contains(id)).count();
    let apks: std::collections::HashMap<_, _> = listed.iter().map(|(id, apk)| (id, apk)).collect();
    if missing > 0 {
        gaps.push(format!("{missing} packages are on the device's list, but their state was not reported"));
    }
    let is_listed = |id: &PackageId, package: &DumpedPackage| apks.contains_key(package.library.as_ref().unwrap_or(id));
    let unlisted = dump.packages.iter().filter(|(id, package)| !is_listed(id, package)).count();
    if !listed.is_empty() && unlisted > 0 {
        gaps.push(format!("{unlisted} packages are reported, but are not on the device's list: they are not believed"));
    }
    let mut packages = BTreeMap::new();
    for (id, mut dumped) in dump.packages {
        // What the list has under its own name is an app that calls itself a library.
        if apks.contains_key(&id) {
            dumped.library = None;
        }
        let kind = dumped.kind(dump.factory_versions.contains(&id));
        let somewhere = dumped.states.values().any(|s| s.installed);
        let believed = listed.is_empty() || is_listed(&id, &dumped);
        let told = |user: &User| dumped.states.get(&user.id).copied().filter(|_| believed);
        let states = users
            .iter()
            .filter_map(|user| {
                let state = told(user)?;
                // What somebody installed for one user was never there for another. Only what
                // nobody has any more, and is still known, is what uninstalling left behind.
                let never = kind == PackageKind::User && !state.installed && !state.unreadable && somewhere;
                Some((user.id, if never { PackageState::ABSENT } else { state }))
            })
            .collect();
        let apk = apks.get(&id).and_then(|apk| (*apk).clone());
        let DumpedPackage { path, version, about, .. } = dumped;
        packages.insert(id.clone(), Arc::new(Package { id, kind, path, apk, version, states, about }));
    }
    Inventory { users, packages, essential: Essentials::default(), gaps }
}

#[cfg(test)]
mod tests {
    use super::*;
    use wibbet_types::{PlainText, UserId};

    use crate::device::UserKind;
    use crate::package::Condition;
    use crate::read::packages_dump::DumpReader;

    const DUMP: &str = "\
Packages:
  Package [sys] (1):
    codePath=/system/app/Sys
    flags=[ SYSTEM ]
    User 0: installed=true enabled=0
    User 10: installed=false enabled=0
  Package [upd] (2):
    flags=[ SYSTEM UPDATED_SYSTEM_APP ]
    User 0: installed=true enabled=0
  Package [old.upd] (3):
    pkgFlags=[ SYSTEM ]
    User 0: installed=true enabled=0
  Package [app] (4):
    flags=[ HAS_CODE ]
    User 0: installed=true enabled=0
    User 10: installed=false enabled=0
  Package [kept] (5):
    flags=[ HAS_CODE ]
    User 0: installed=false enabled=0
    User 10: installed=false enabled=0
  Package [made.up] (7):
    flags=[ SYSTEM ]
    User 0: installed=false enabled=0
    User 10: installed=false enabled=0
  Package [lib_12] (8):
    static library:
      name:lib version:12
    User 0: installed=true enabled=0
    User 10: installed=true enabled=0
  Package [mal_7] (9):
    static library:
      name:app version:7
    User 0: installed=true enabled=0
    User 10: installed=true enabled=0
Hidden system packages:
  Package [old.upd] (6):
";

    #[test]
    fn kinds_and_conditions_come_from_several_places() {
        let users = [0, 10].map(|n| User {
            id: UserId::new(n),
            name: PlainText::default(),
            kind: UserKind::Owner,
            running: true,
            unlocked: None,
            forbidden: crate::device::Forbidden::default(),
            admins: Vec::new(),
        });
        let mut reader = DumpReader::default();
        reader.feed(DUMP.as_bytes());
        let listed =
            ["sys", "upd", "old.upd", "app", "kept", "missing", "lib", "mal_7"].map(|id| (id.parse().unwrap(), None));
        let inventory = inventory(users.to_vec(), reader.finish(), &listed);
        use Condition::{Absent, InUse, Uninstalled, Unreadable};
        for (id, kind, conditions) in [
            ("sys", PackageKind::System, [InUse, Uninstalled]),
            ("upd", PackageKind::UpdatedSystem, [InUse, Unreadable]),
            ("old.upd", PackageKind::UpdatedSystem, [InUse, Unreadable]),
            ("app", PackageKind::User, [InUse, Absent]),
            ("kept", PackageKind::User, [Uninstalled, Uninstalled]),
            ("mal_7", PackageKind::User, [InUse, InUse]),
            ("lib_12", PackageKind::Library, [InUse, InUse]),
            ("made.up", PackageKind::System, [Unreadable, Unreadable]),
        ] {
            let package = &inventory.packages[id];
            assert_eq!(package.kind, kind, "{id}");
            assert_eq!([0, 10].map(|n| package.state(UserId::new(n)).condition()), conditions, "{id}");
        }
        assert_eq!(inventory.packages["sys"].partition(), "system");
        assert_eq!(
            inventory.gaps,
            [
                "1 packages are on the device's list, but their state was not reported",
                "1 packages are reported, but are not on the device's list: they are not believed"
            ]
        );
    }
}
