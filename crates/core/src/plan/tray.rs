//! What is chosen on one device.

use wibbet_types::{PackageId, UserId};

use super::change::Change;

/// A package that is chosen, with the way and the user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrayItem {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The way.
    pub way: Change,
}
