//! The right to change a device.

use std::path::Path;

use wibbet_core::device::DeviceFacts;
use wibbet_logbook::{Claim, ClaimError, MeetingPlaces};

/// The claims on a device, for this logbook by its id, and for the programs with another one by what the device is,
/// whichever way leads to it.
#[derive(Debug)]
pub(crate) struct DeviceClaims {
    held: Vec<Claim>,
    meeting: MeetingPlaces,
    /// What it is claimed as between programs.
    name: String,
}

impl DeviceClaims {
    /// # Errors
    /// [`ClaimError::Held`] when another program, or another part of this one, has the device.
    pub(crate) fn take(own: &Path, meeting: MeetingPlaces, facts: &DeviceFacts) -> Result<Self, ClaimError> {
        let shown = facts.id.as_str();
        let held = vec![Claim::take(own, shown, shown)?];
        let mut claims = Self { held, meeting, name: String::new() };
        claims.follow(facts)?;
        Ok(claims)
    }

    /// The device is claimed as what it is now, too: a restart gives it another boot id.
    pub(crate) fn follow(&mut self, facts: &DeviceFacts) -> Result<(), ClaimError> {
        let name = name(facts);
        if self.name == name {
            return Ok(());
        }
        for place in self.meeting.folders() {
            match Claim::take(place, &name, facts.id.as_str()) {
                Ok(claim) => self.held.push(claim),
                Err(held @ ClaimError::Held { .. }) => return Err(held),
                // A place that cannot be used is no reason to leave a device broken: the others are still there.
                Err(ClaimError::File { .. }) => {}
            }
        }
        self.name = name;
        Ok(())
    }
}

/// What a device goes by between programs: its boot id, which no other device has; where it is not told all that is, and
/// then boxes that are alike to the last letter count as one.
fn name(facts: &DeviceFacts) -> String {
    match &facts.boot_id {
        Some(id) => format!("boot {id}"),
        None => {
            let android_id = facts.android_id.as_ref().map_or("", |id| id.as_str());
            [facts.serial.as_str(), facts.maker.as_str(), facts.model.as_str(), android_id].join("\n")
        }
    }
}
