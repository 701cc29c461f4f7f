//! A device and what is installed on it, as it was read at one moment.

use std::collections::BTreeMap;

use wibbet_types::{AndroidVersion, DevicePath, PackageId, PlainText, Serial, UserId};

use crate::state::PackageState;

/// What a device is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeviceFacts {
    /// `ro.serialno`; for a device that names none, made from its address.
    pub serial: Serial,
    /// `ro.product.manufacturer`.
    pub maker: PlainText,
    /// `ro.product.model`.
    pub model: PlainText,
    /// The version of Android.
    pub android: AndroidVersion,
    /// `ro.build.version.security_patch`, a date; empty before Android 6.
    pub patch: PlainText,
}

impl DeviceFacts {
    /// Maker and model, the maker left out where the model's name begins with it.
    pub fn name(&self) -> String {
        let (maker, model) = (self.maker.as_str(), self.model.as_str());
        if maker.is_empty() || model.to_lowercase().starts_with(&maker.to_lowercase()) {
            model.to_owned()
        } else {
            format!("{maker} {model}")
        }
    }
}

/// What a user is. Source: the flags of `UserInfo`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UserKind {
    /// The first user, who owns the device.
    Owner,
    /// A work profile or another profile of a user.
    Profile,
    /// A guest.
    Guest,
    /// A user of its own.
    Full,
}

impl UserKind {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::Owner => "owner",
            Self::Profile => "profile",
            Self::Guest => "guest",
            Self::Full => "user",
        }
    }
}

/// A user or profile of the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct User {
    /// The number.
    pub id: UserId,
    /// The name that somebody gave it.
    pub name: PlainText,
    /// What it is.
    pub kind: UserKind,
    /// Whether it runs at the moment.
    pub running: bool,
}

/// Where a package comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum PackageKind {
    /// On the system partition.
    System,
    /// On the system partition, with an update on the data partition.
    UpdatedSystem,
    /// Installed by somebody.
    User,
}

impl PackageKind {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::System => "system",
            Self::UpdatedSystem => "updated-system",
            Self::User => "user",
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
    /// Where its code is.
    pub path: Option<DevicePath>,
    /// `versionName`; empty where there is none.
    pub version: PlainText,
    /// The state for each user of the device, [`PackageState::ABSENT`] where the device tells of
    /// none.
    pub states: BTreeMap<UserId, PackageState>,
}

impl Package {
    /// The state for a user.
    pub fn state(&self, user: UserId) -> PackageState {
        self.states.get(&user).copied().unwrap_or(PackageState::ABSENT)
    }

    /// The partition that the code is on, from its path: "system", "product", "data" …
    pub fn partition(&self) -> &str {
        let path = self.path.as_ref().map_or("", DevicePath::as_str);
        path.split('/').nth(1).unwrap_or("")
    }
}

/// The packages of one device for all its users. Does not change once made, but for
/// [`Inventory::with_state`], which takes in what was read back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Inventory {
    /// The users, by number.
    pub users: Vec<User>,
    /// The packages, by id.
    pub packages: BTreeMap<PackageId, Package>,
    /// What could not be read, in words. Empty when everything was.
    pub gaps: Vec<String>,
}

impl Inventory {
    /// A package's state for a user; [`PackageState::ABSENT`] for one that is not on the device.
    pub fn state(&self, id: &PackageId, user: UserId) -> PackageState {
        self.packages.get(id).map_or(PackageState::ABSENT, |p| p.state(user))
    }

    /// The user of a number.
    pub fn user(&self, id: UserId) -> Option<&User> {
        self.users.iter().find(|u| u.id == id)
    }

    /// Takes in the states of one package as they were read back.
    pub fn with_state(&mut self, id: &PackageId, states: &BTreeMap<UserId, PackageState>) {
        if let Some(package) = self.packages.get_mut(id) {
            for user in &self.users {
                package.states.insert(user.id, states.get(&user.id).copied().unwrap_or(PackageState::ABSENT));
            }
        }
    }
}
