//! What a device says of who is engaged in what, beside what manifests declare and people have chosen: accounts, the web view,
//! administrators, whether a user's setting-up is over.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

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
    /// Whether roles and settings were told, from which [`super::PackageDetails::chosen`] is.
    pub choices_told: bool,
}
