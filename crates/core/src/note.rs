//! What a technician writes down about a package.

use wibbet_types::PackageId;

/// For which devices a note holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Scope {
    /// For this device.
    Device,
    /// For all devices of this maker and model.
    Model,
    /// For all devices.
    All,
}

impl Scope {
    /// Every one, from narrow to wide.
    pub const ALL: [Self; 3] = [Self::Device, Self::Model, Self::All];

    /// The word for people and for the record.
    pub fn word(self) -> &'static str {
        ["this device", "this model", "all devices"][self as usize]
    }
}

/// A note.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Note {
    /// The package.
    pub id: PackageId,
    /// For which devices.
    pub scope: Scope,
    /// What was written; maybe nothing, where there is only a star.
    pub text: String,
    /// Whether it has a star.
    pub star: bool,
}
