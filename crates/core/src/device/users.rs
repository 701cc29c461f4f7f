//! Users and profiles of a device.

use wibbet_types::{PackageId, PlainText, UserId};

/// What a user is. Source: the flags of `UserInfo`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UserKind {
    /// The first user, who owns the device.
    Owner,
    /// The first user of a device whose people all come after it: the system's own, which nobody sees.
    System,
    /// A work profile.
    Work,
    /// A profile for second copies of apps.
    Clone,
    /// A private space: whoever does not open it is not to know of it.
    Private,
    /// Another profile of a user.
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
            Self::System => "system",
            Self::Work => "work profile",
            Self::Clone => "clone",
            Self::Private => "private space",
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
    /// Whether its data have been unlocked since the start; `None` where that is not told.
    pub unlocked: Option<bool>,
    /// What is forbidden for it.
    pub forbidden: Forbidden,
    /// Apps that are active administrators there: they cannot be uninstalled before somebody takes that from them.
    pub admins: Vec<PackageId>,
}

/// What whoever manages a user has forbidden. Source: the names in `UserManager` (`DISALLOW_*`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Forbidden {
    /// `no_debugging_features`: no command of the shell's reaches the user.
    pub debugging: bool,
    /// `no_uninstall_apps`.
    pub uninstalling: bool,
    /// `no_install_apps`: putting back fails, and says that it was done.
    pub installing: bool,
}

impl Forbidden {
    /// Takes in a name.
    pub(crate) fn note(&mut self, name: &str) {
        match name {
            "no_debugging_features" => self.debugging = true,
            "no_uninstall_apps" => self.uninstalling = true,
            "no_install_apps" => self.installing = true,
            _ => {}
        }
    }
}

/// A user's condition as `dumpsys user` tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UserCondition {
    /// The user.
    pub id: UserId,
    /// What it is: by its type (Android 11 on), by its flags, and by who manages it.
    pub kind: Option<UserKind>,
    /// Whether it runs, where that is told.
    pub running: Option<bool>,
    /// Whether its data have been unlocked since the start, where that is told.
    pub unlocked: Option<bool>,
    /// What is forbidden for it (Android 7 on).
    pub forbidden: Forbidden,
    /// Apps that are active administrators there.
    pub admins: Vec<PackageId>,
}
