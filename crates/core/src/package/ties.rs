//! What a device says of who is engaged in what, beside what manifests declare and people have chosen: accounts, the web view,
//! administrators, whether a user's setting-up is over.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

/// With what people lock a screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ScreenLock {
    /// With nothing.
    None,
    /// With a pattern, drawn on a pad of its own.
    Pattern,
    /// With digits, on a pad of their own.
    Pin,
    /// With a word, which takes a keyboard.
    Password,
}

/// A part of a package that a process uses at the moment when that was read.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Binding {
    /// Whose part it is.
    pub package: PackageId,
    /// Its class, in full.
    pub class: String,
    /// The name of the process that uses it.
    pub process: String,
    /// The app id as which that runs.
    pub app: u32,
    /// The user of that.
    pub user: UserId,
}

/// What a device says of who is engaged in what. A part that it did not tell is `None`.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ties {
    /// For each user: who signs people in, and to how many accounts of its kind. Nothing of the accounts themselves is kept.
    pub accounts: Option<BTreeMap<UserId, BTreeMap<PackageId, u32>>>,
    /// The package that shows web content in apps, for all users.
    pub web_view: Option<PackageId>,
    /// Whether that was told at all.
    pub web_view_told: bool,
    /// Who could, that one included.
    pub web_views: BTreeSet<PackageId>,
    /// For each user: who is an active administrator, and who owns the profile or the device.
    pub admins: Option<BTreeMap<UserId, BTreeSet<PackageId>>>,
    /// For each user: whether the device has been set up.
    pub set_up: BTreeMap<UserId, bool>,
    /// For each user: with what the screen is locked, where that was told.
    pub locks: BTreeMap<UserId, ScreenLock>,
    /// Who uses whose services and providers at the moment. That somebody does shows something; that nobody does, nothing.
    pub bindings: BTreeSet<Binding>,
    /// For each user: who answers what Android needs, by the name of that, where the device was asked since manifests could not be
    /// read.
    pub answers: BTreeMap<UserId, BTreeMap<String, BTreeSet<PackageId>>>,
    /// Whether roles and settings were told, from which [`super::PackageDetails::chosen`] is.
    pub choices_told: bool,
}
