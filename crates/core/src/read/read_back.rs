//! One package read back after a change.

use std::collections::BTreeMap;

use wibbet_types::{PackageId, UserId};

use super::packages_dump::{DumpedPackage, PackageDump};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::{PackageKind, PackageState};

/// What reading one package back gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ReadBack {
    /// Where it comes from, and its states for the users, as the device told them.
    States(PackageKind, BTreeMap<UserId, PackageState>),
    /// The device says that there is no such package any more.
    Gone,
    /// The device said nothing at all, as Android 6 and older do of a package that is gone: the list of packages tells.
    Silent,
    /// Nothing certain, for this reason.
    Unreadable(String),
}

impl ReadBack {
    /// The state for a user; [`PackageState::UNREADABLE`] where it is not certain.
    pub fn state(&self, user: UserId) -> PackageState {
        match self {
            Self::States(_, states) => states.get(&user).copied().unwrap_or(PackageState::UNREADABLE),
            Self::Gone => PackageState::ABSENT,
            Self::Silent | Self::Unreadable(_) => PackageState::UNREADABLE,
        }
    }
}

/// Reads the dump of one package. That nothing is said of it does not mean that it is gone: only
/// the device's explicit word does.
pub fn read_back(id: &PackageId, dump: PackageDump) -> ReadBack {
    let PackageDump { mut packages, factory_versions, not_found, gaps, silent, .. } = dump;
    match packages.remove(id) {
        Some(package) => told(package, factory_versions.contains(id)),
        None if not_found.contains(id) => ReadBack::Gone,
        None if silent => ReadBack::Silent,
        None => ReadBack::Unreadable(
            gaps.into_iter().next().unwrap_or_else(|| "the device reported nothing about the package".into()),
        ),
    }
}

/// What a dump of all packages tells of each.
pub fn read_back_all(dump: PackageDump) -> BTreeMap<PackageId, ReadBack> {
    let PackageDump { packages, factory_versions, .. } = dump;
    let told = |(id, package)| {
        let factory = factory_versions.contains(&id);
        (id, told(package, factory))
    };
    packages.into_iter().map(told).collect()
}

fn told(package: DumpedPackage, factory: bool) -> ReadBack {
    match package.states.is_empty() {
        true => ReadBack::Unreadable("the device reported the package, but not for which users".into()),
        false => ReadBack::States(package.kind(factory), package.states),
    }
}

/// What is asked to read one package back.
pub fn read_back_request(capabilities: &Capabilities, id: &PackageId) -> Request {
    Request::shell(capabilities.dump(&format!("package {id}")))
}
