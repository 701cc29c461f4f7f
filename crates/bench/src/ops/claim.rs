//! The right to change a device.

use wibbet_logbook::ClaimError;

use crate::device::{AdbDevice, Claimed, DeviceClaims};
use crate::workplace::Workplace;

/// The folder beside the logbook with the claims.
pub(super) const CLAIMS: &str = "claims";

/// Claims a device that has its name in the logbook, for as long as what is given back lives. Meanwhile a way that nobody
/// has chosen leads to it only if it shows the boot id that is known of it.
///
/// # Errors
/// [`ClaimError::Held`] when another program, or another part of this one, has it.
pub fn claim<'a>(workplace: &Workplace, device: &'a AdbDevice) -> Result<Option<Claimed<'a>>, ClaimError> {
    let Some(facts) = device.facts().filter(|_| device.is_noted()) else { return Ok(None) };
    let own = workplace.book.folder().join(CLAIMS);
    let claims = DeviceClaims::take(&own, workplace.meeting.clone(), &facts)?;
    Ok(Some(device.claimed(claims)))
}
