//! Reading what a device printed: one module for each command.

mod dump;
mod list;
mod props;
mod users;

pub use dump::{DumpReader, DumpedPackage, PackageDump, ReadBack, read_back};
pub use list::read_package_list;
pub use props::Properties;
pub use users::read_users;

use std::collections::BTreeMap;

use wibbet_types::PackageId;

use crate::model::{Inventory, Package, PackageKind, User};
use crate::request::Request;
use crate::state::PackageState;

/// What is asked for a survey, beside the users.
pub fn survey_dump() -> Request {
    Request::shell("dumpsys package packages")
}

/// The list that the dump is checked against.
pub fn survey_list() -> Request {
    Request::look(&["list", "packages", "-u", "--user", "0"])
}

/// What is asked to read one package back.
pub fn read_back_request(id: &PackageId) -> Request {
    Request::shell(format!("dumpsys package {id}"))
}

/// Puts an inventory together from the users, the dump and the list that it is checked against.
pub fn inventory(users: Vec<User>, dump: PackageDump, listed: &[PackageId]) -> Inventory {
    let mut gaps = dump.gaps;
    let missing = listed.iter().filter(|id| !dump.packages.contains_key(*id)).count();
    if missing > 0 {
        gaps.push(format!("{missing} packages are on the device's list, but their state was not told"));
    }
    let mut packages = BTreeMap::new();
    for (id, dumped) in dump.packages {
        let kind = match (dumped.system, dumped.updated || dump.factory_versions.contains(&id)) {
            (true, true) => PackageKind::UpdatedSystem,
            (true, false) => PackageKind::System,
            (false, _) => PackageKind::User,
        };
        let somewhere = dumped.states.values().any(|s| s.installed);
        let states = users
            .iter()
            .map(|user| {
                let state = dumped.states.get(&user.id).copied().unwrap_or(PackageState::ABSENT);
                // What somebody installed for one user was never there for another. Only what
                // nobody has any more, and is still known, is what uninstalling left behind.
                let never = kind == PackageKind::User && !state.installed && somewhere;
                (user.id, if never { PackageState::ABSENT } else { state })
            })
            .collect();
        packages.insert(id.clone(), Package { id, kind, path: dumped.path, version: dumped.version, states });
    }
    Inventory { users, packages, gaps }
}
