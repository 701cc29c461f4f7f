//! A device and what is installed on it, as it was read at one moment.

use std::collections::BTreeMap;
use std::time::Duration;

use wibbet_types::{AndroidVersion, DevicePath, PackageId, PlainText, Serial, UserId};

use crate::about::About;
use crate::state::PackageState;

/// What kind of device it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum DeviceKind {
    /// A phone.
    Phone,
    /// A tablet.
    Tablet,
    /// A television, or a box for one.
    Tv,
    /// A watch, a car, glasses: something else that names itself.
    Other,
    /// Not told.
    #[default]
    Unknown,
}

impl DeviceKind {
    /// Every kind.
    pub const ALL: [Self; 5] = [Self::Phone, Self::Tablet, Self::Tv, Self::Other, Self::Unknown];

    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::Phone => "phone",
            Self::Tablet => "tablet",
            Self::Tv => "tv",
            Self::Other => "other",
            Self::Unknown => "unknown",
        }
    }

    /// The kind of a name; "unknown" for others.
    pub fn from_name(name: &str) -> Self {
        Self::ALL.into_iter().find(|kind| kind.name() == name).unwrap_or_default()
    }

    /// Reads `ro.build.characteristics`, which is a list such as `default,nosdcard` or `tablet`.
    pub fn from_characteristics(list: &str) -> Self {
        let has = |word: &str| list.split(',').any(|w| w.trim() == word);
        match () {
            () if list.trim().is_empty() => Self::Unknown,
            () if has("tv") => Self::Tv,
            () if has("tablet") => Self::Tablet,
            () if has("watch") || has("automotive") || has("embedded") => Self::Other,
            () => Self::Phone,
        }
    }
}

/// What a device is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeviceFacts {
    /// The name that tells it apart here: its serial, or the serial and a number where another device has the same.
    pub id: Serial,
    /// `ro.serialno`; for a device that names none, made from its address.
    pub serial: Serial,
    /// `ro.product.manufacturer`.
    pub maker: PlainText,
    /// `ro.product.model`.
    pub model: PlainText,
    /// Phone, tablet, TV.
    pub kind: DeviceKind,
    /// The version of Android.
    pub android: AndroidVersion,
    /// `ro.build.version.security_patch`, a date; empty before Android 6.
    pub patch: PlainText,
    /// `ro.build.display.id`, the build as the settings show it.
    pub build: PlainText,
    /// `settings get secure android_id`, which is made anew by a factory reset; `None` where it could not be read.
    pub android_id: Option<PlainText>,
}

/// A battery.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Battery {
    /// How full, 0 to 100.
    pub percent: u8,
    /// Whether it is being fed.
    pub powered: bool,
}

/// Space for apps and their data, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Space {
    /// All of it.
    pub total: u64,
    /// What is free.
    pub free: u64,
}

/// Whether root is to be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Root {
    /// No sign of it.
    None,
    /// A `su` program is there; whether it lets anybody in is not known.
    Su,
    /// The debugging daemon itself runs as root.
    Daemon,
}

impl Root {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Su => "su",
            Self::Daemon => "daemon",
        }
    }
}

/// Somebody who manages the device, or a profile of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Managed {
    /// The profile; `None` for the whole device.
    pub user: Option<UserId>,
    /// The package that does it.
    pub package: PackageId,
}

/// What changes about a device by the hour. Each part is `None` where the device does not tell it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Vitals {
    /// Whether Android has started up fully (`sys.boot_completed`).
    pub started: Option<bool>,
    /// The user in front.
    pub current_user: Option<UserId>,
    /// `stay_on_while_plugged_in`: a sum of 1 (mains), 2 (USB), 4 (wireless); 0 lets it sleep.
    pub stays_awake: Option<u32>,
    /// Since the start.
    pub uptime: Option<Duration>,
    /// On `/data`.
    pub space: Option<Space>,
    /// The battery; TVs have none.
    pub battery: Option<Battery>,
    /// Whether root is to be had.
    pub root: Option<Root>,
    /// Who manages it.
    pub managed: Vec<Managed>,
    /// Accounts that somebody is signed in to, over all users. After a factory reset the device may ask for one.
    pub accounts: Option<u32>,
}

impl Vitals {
    /// What to know before any work.
    pub fn warnings(&self) -> Vec<String> {
        let mut warnings = Vec::new();
        for managed in &self.managed {
            warnings.push(match managed.user {
                None => format!("a company manages this device ({}): ask it before changing anything", managed.package),
                Some(user) => {
                    format!("user {user} is managed by {}: ask before changing anything there", managed.package)
                }
            });
        }
        if let Some(count @ 1..) = self.accounts {
            warnings.push(format!(
                "{count} account{} signed in: after a factory reset the device may stay locked without {}",
                if count == 1 { " is" } else { "s are" },
                if count == 1 { "it" } else { "them" }
            ));
        }
        warnings
    }
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

    /// Whether what two devices say of themselves is what one and the same says: equal serial, maker and model, and
    /// not two different Android ids. Cheap boxes have equal serials.
    pub fn is_same_device(&self, other: &Self) -> bool {
        let ids_differ = match (&self.android_id, &other.android_id) {
            (Some(one), Some(two)) => one != two,
            _ => false,
        };
        (&self.serial, &self.maker, &self.model) == (&other.serial, &other.maker, &other.model) && !ids_differ
    }
}

/// What a user is. Source: the flags of `UserInfo`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UserKind {
    /// The first user, who owns the device.
    Owner,
    /// A work profile.
    Work,
    /// A profile for second copies of apps.
    Clone,
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
            Self::Work => "work profile",
            Self::Clone => "clone",
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
    /// Where its code is: a folder, or the APK itself.
    pub path: Option<DevicePath>,
    /// Its base APK, as the device's list names it.
    pub apk: Option<DevicePath>,
    /// `versionName`; empty where there is none.
    pub version: PlainText,
    /// The state for each user of the device, [`PackageState::ABSENT`] where the device tells of
    /// none.
    pub states: BTreeMap<UserId, PackageState>,
    /// The rest of what the package service tells.
    pub about: About,
}

impl Package {
    /// A package of which nothing is told but where it comes from and its states.
    pub fn bare(id: PackageId, kind: PackageKind, states: BTreeMap<UserId, PackageState>) -> Self {
        Self { id, kind, path: None, apk: None, version: PlainText::default(), states, about: About::default() }
    }

    /// The part of an APK that came apart, beside the base.
    pub fn split_path(&self, split: &str) -> Option<DevicePath> {
        let folder = self.path.as_ref()?.as_str();
        (!folder.ends_with(".apk")).then(|| format!("{folder}/split_{split}.apk").parse().ok()).flatten()
    }

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

    /// Takes in what was told of the users elsewhere.
    pub fn with_users(&mut self, told: &[crate::read::UserCondition]) {
        for user in &mut self.users {
            if let Some(told) = told.iter().find(|t| t.id == user.id) {
                user.kind = told.kind.unwrap_or(user.kind);
                user.running = told.running.unwrap_or(user.running);
                user.unlocked = told.unlocked;
            }
        }
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
