//! Switching a part of a package, as root.

use wibbet_core::ask::{Output, PartName, PartSwitch};
use wibbet_core::package::SwitchedParts;
use wibbet_core::read::{DumpReader, read_back_request};
use wibbet_types::{PackageId, UserId};

use crate::device::{AskError, Device};

/// A part that somebody wants to be switched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WantedPart {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// Its class.
    pub part: PartName,
    /// How.
    pub to: PartSwitch,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Switched {
    /// What the device answered.
    pub said: Output,
    /// The parts that are not as the manifest says, as read back; `None` where the device did not tell.
    pub parts: Option<SwitchedParts>,
}

impl Switched {
    /// Whether it is read back so; `None` where the device did not tell.
    pub fn is_so(&self, wanted: &WantedPart) -> Option<bool> {
        let parts = self.parts.as_ref()?;
        Some(PartSwitch::of(Some(parts), wanted.part.as_str()) == wanted.to)
    }
}

/// Switches a part, once, and reads it back.
///
/// # Errors
/// When the device cannot be asked. Where that is behind the sending, it may have been done.
pub async fn switch_part<D: Device>(device: &D, wanted: &WantedPart) -> Result<Switched, AskError> {
    let said = device.ask(&wanted.to.request(&wanted.id, &wanted.part, wanted.user), &mut |_| {}).await?;
    let parts = switched_parts(device, &wanted.id, wanted.user).await?;
    Ok(Switched { said, parts })
}

/// The parts of a package that are not as its manifest says, for a user; `None` where the device does not tell.
///
/// # Errors
/// When the device cannot be asked.
pub async fn switched_parts<D: Device>(
    device: &D,
    id: &PackageId,
    user: UserId,
) -> Result<Option<SwitchedParts>, AskError> {
    let mut reader = DumpReader::default();
    device.ask(&read_back_request(&device.capabilities(), id), &mut |piece| reader.feed(piece)).await?;
    let told = reader.finish().packages.remove(id).filter(|told| told.states.contains_key(&user));
    Ok(told.map(|told| told.about.parts.get(&user).cloned().unwrap_or_default()))
}
