//! Switching a part of a package, as root.

use thiserror::Error;
use wibbet_core::ask::{Output, PartName, PartSwitch};
use wibbet_core::package::SwitchedParts;
use wibbet_core::read::{DumpReader, read_back_request};
use wibbet_logbook::LogbookError;
use wibbet_types::{DeviceId, PackageId, PlainText, UserId};

use crate::device::{AskError, Device};
use crate::logbook::{SharedLogbook, now};

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

/// Why it is not known what came of it.
#[derive(Debug, Error)]
pub enum SwitchError {
    /// It could not be written down that it is sent: nothing was.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
    /// The device could not be asked. It may have been done.
    #[error(transparent)]
    Ask(#[from] AskError),
}

/// Switches a part, once, and reads it back. That it is sent is written down before it is, and what was answered after.
///
/// # Errors
/// When that cannot be written down, or the device cannot be asked.
pub async fn switch_part<D: Device>(
    device: &D,
    book: &SharedLogbook,
    of: &DeviceId,
    wanted: &WantedPart,
) -> Result<Switched, SwitchError> {
    let request = wanted.to.request(&wanted.id, &wanted.part, wanted.user);
    let (of, words) = (of.clone(), request.words(&device.capabilities()));
    let number = book.with(move |book| book.add_command(&of, &words, now())).await?;
    let said = device.ask(&request, &mut |_| {}).await;
    let (answer, code) = match &said {
        Ok(said) => (PlainText::new(&said.text()), said.code),
        Err(error) => (PlainText::new(&format!("no answer: {error}")), None),
    };
    book.with(move |book| book.answer_command(number, &answer, code)).await?;
    let said = said?;
    let parts = switched_parts(device, &wanted.id, wanted.user).await?;
    Ok(Switched { said, parts })
}

/// The parts of a package that are not as its manifest says, for a user; `None` where the device does not tell.
///
/// # Errors
/// When the device cannot be asked.
async fn switched_parts<D: Device>(
    device: &D,
    id: &PackageId,
    user: UserId,
) -> Result<Option<SwitchedParts>, AskError> {
    let mut reader = DumpReader::default();
    device.ask(&read_back_request(&device.capabilities(), id), &mut |piece| reader.feed(piece)).await?;
    let told = reader.finish().packages.remove(id).filter(|told| told.states.contains_key(&user));
    Ok(told.map(|told| told.about.parts.get(&user).cloned().unwrap_or_default()))
}
