//! A package, with what the package service reports of it. Each part may be missing.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use wibbet_types::{DevicePath, DeviceTime, PackageId, PlainText, UserId};

use super::given::Given;
use super::state::{Condition, PackageState};

/// Where a package comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum PackageKind {
    /// On the system partition.
    System,
    /// On the system partition, with an update on the data partition.
    UpdatedSystem,
    /// Installed by somebody.
    User,
    /// A static library: it came with an app that uses it, and goes by itself when none does.
    Library,
}

impl PackageKind {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::System => "system",
            Self::UpdatedSystem => "updated-system",
            Self::User => "user",
            Self::Library => "library",
        }
    }
}

/// A package of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Package {
    /// The id.
    pub id: PackageId,
    /// Where it comes from.
    pub kind: PackageKind,
    /// Where its code is: a folder, or the APK itself.
    pub path: Option<DevicePath>,
    /// Its base APK, as the device's list names it.
    pub apk: Option<DevicePath>,
    /// `versionName`; empty where there is none.
    pub version: PlainText,
    /// The states by user, as far as the device told them.
    pub states: BTreeMap<UserId, PackageState>,
    /// The rest of what the package service tells.
    pub about: PackageDetails,
}

impl Package {
    /// A package of which nothing is told but where it comes from and its states.
    pub fn bare(id: PackageId, kind: PackageKind, states: BTreeMap<UserId, PackageState>) -> Self {
        Self {
            id,
            kind,
            path: None,
            apk: None,
            version: PlainText::default(),
            states,
            about: PackageDetails::default(),
        }
    }

    /// The part of an APK that came apart, beside the base.
    pub fn split_path(&self, split: &str) -> Option<DevicePath> {
        let folder = self.path.as_ref()?.as_str();
        (!folder.ends_with(".apk")).then(|| format!("{folder}/split_{split}.apk").parse().ok()).flatten()
    }

    /// The state for a user; [`PackageState::UNREADABLE`] where the device told none.
    pub fn state(&self, user: UserId) -> PackageState {
        self.states.get(&user).copied().unwrap_or(PackageState::UNREADABLE)
    }

    /// What people have given it for a user, and would lose with it: permissions, roles, choices.
    pub fn given(&self, user: UserId) -> Vec<Given> {
        let asked = self.about.granted_to.get(&user).into_iter().flatten();
        let permissions = asked.filter(|name| self.about.requests.contains(name));
        let permissions = permissions.map(|name| Given::Permission(name.to_string()));
        // What cannot be written down again is none.
        let fits = |given: &Given| given.to_string().parse::<Given>().is_ok();
        permissions.filter(fits).chain(self.about.chosen.get(&user).into_iter().flatten().cloned()).collect()
    }

    /// What it is to a user, in a word: by its state and by what is told beside it.
    pub fn condition(&self, user: UserId) -> Condition {
        match self.state(user).condition() {
            Condition::InUse if self.about.off_by_manifest.contains(&user) => Condition::Dormant,
            Condition::Uninstalled if self.about.archived.contains(&user) => Condition::Archived,
            condition => condition,
        }
    }

    /// The partition that the code is on, from its path: "system", "product", "data" …
    pub fn partition(&self) -> &str {
        let mut parts = self.path.as_ref().map_or("", DevicePath::as_str).split('/').skip(1);
        match (parts.next().unwrap_or(""), parts.next()) {
            // Devices without a partition of that name have its files there.
            ("system", Some(name @ ("product" | "system_ext" | "vendor" | "odm" | "oem"))) => name,
            (first, _) => first,
        }
    }
}

/// What the package service tells of a package.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct PackageDetails {
    /// `versionCode`.
    pub version_code: Option<u64>,
    /// `minSdk`.
    pub min_sdk: Option<u32>,
    /// `targetSdk`.
    pub target_sdk: Option<u32>,
    /// The names of its parts beside the base, such as `config.de`.
    pub splits: Vec<String>,
    /// Who installed it: `installerPackageName`.
    pub installer: Option<PackageId>,
    /// The app id. The Unix uid is user × 100 000 + app id.
    pub uid: Option<u32>,
    /// The name that it shares its uid under.
    pub shared_user: Option<PlainText>,
    /// When it came, for the user it came to first where that is told apart.
    pub installed: Option<DeviceTime>,
    /// When it was last updated.
    pub updated: Option<DeviceTime>,
    /// Permissions that it declares itself.
    pub declares: Vec<Arc<str>>,
    /// Permissions that it asks for.
    pub requests: Vec<Arc<str>>,
    /// Permissions that it has for all users.
    pub granted: BTreeSet<Arc<str>>,
    /// Permissions that somebody gave it, by user.
    pub granted_to: BTreeMap<UserId, BTreeSet<Arc<str>>>,
    /// What else people have given it, by user: roles, choices in the settings.
    pub chosen: BTreeMap<UserId, Vec<Given>>,
    /// Its parts that are on or off otherwise than by its manifest, by user. The shell cannot set them.
    pub parts: BTreeMap<UserId, SwitchedParts>,
    /// Who has suspended it, by user.
    pub suspended_by: BTreeMap<UserId, PackageId>,
    /// Users for whom it is off by its own manifest, and nobody has switched it on.
    pub off_by_manifest: BTreeSet<UserId>,
    /// Users for whom it may do nothing while nobody looks at it.
    pub quiet: BTreeSet<UserId>,
    /// Users who have archived it.
    pub archived: BTreeSet<UserId>,
}

/// Classes of an app's parts that it has switched itself, mostly when it was set up.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct SwitchedParts {
    /// Those that are off.
    pub off: Vec<Arc<str>>,
    /// Those that are on.
    pub on: Vec<Arc<str>>,
}

impl PackageDetails {
    /// Whether it has a permission for a user.
    pub fn may(&self, permission: &str, user: UserId) -> bool {
        self.granted.contains(permission) || self.granted_to.get(&user).is_some_and(|g| g.contains(permission))
    }
}
