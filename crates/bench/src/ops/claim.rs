//! The right to change a device.

use std::path::PathBuf;

use wibbet_logbook::{Claim, ClaimError};
use wibbet_types::DeviceId;

use crate::logbook::SharedLogbook;

/// Claims a device: by its serial for this logbook, and by its address for all others of this
/// computer's user.
pub fn claim(book: &SharedLogbook, id: &DeviceId, address: &str) -> Result<Vec<Claim>, ClaimError> {
    let mut claims = vec![Claim::take(&book.folder().join("claims"), id.as_str())?];
    // A program with another logbook is kept out too, but only where `XDG_RUNTIME_DIR` exists; without it both programs
    // still read every change back.
    if let Some(folder) = meeting_place() {
        match Claim::take(&folder, address) {
            Ok(claim) => claims.push(claim),
            Err(held @ ClaimError::Held { .. }) => return Err(held),
            Err(ClaimError::File { .. }) => {}
        }
    }
    Ok(claims)
}

fn meeting_place() -> Option<PathBuf> {
    std::env::var_os("XDG_RUNTIME_DIR").map(PathBuf::from).filter(|p| p.is_dir()).map(|p| p.join("wibbet"))
}
