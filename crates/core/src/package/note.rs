//! What technicians write down about packages.

use std::collections::BTreeMap;

use wibbet_types::PackageId;

/// The notes of a device by package.
pub fn notes_by_package(notes: Vec<Note>) -> BTreeMap<PackageId, Vec<Note>> {
    let mut all: BTreeMap<PackageId, Vec<Note>> = BTreeMap::new();
    for note in notes {
        all.entry(note.id.clone()).or_default().push(note);
    }
    all.values_mut().for_each(|notes| notes.sort_by_key(|n| n.scope));
    all
}

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
