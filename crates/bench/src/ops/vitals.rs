//! Reading how a device is.

use wibbet_core::device::{UserCondition, Vitals};
use wibbet_core::read::{read_report, read_stored_keys, report_request, stored_keys_request, vitals_request};

use crate::device::{AdbDevice, Device as _};

/// What a device tells of its present condition.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Details {
    /// What changes by the hour.
    pub vitals: Vitals,
    /// Its users, where `dumpsys user` tells of them.
    pub users: Vec<UserCondition>,
    /// The features of its debugging daemon.
    pub features: Vec<&'static str>,
    /// The commands of its package service.
    pub commands: Vec<String>,
    /// Whether the link is encrypted.
    pub encrypted: bool,
}

/// Bytes of a report that are kept; what is of use comes in the first few.
const MOST_REPORT: usize = 1024 * 1024;

/// Asks a device how it is. `None` when it cannot be asked; a part that it does not tell is missing in the answer.
pub async fn details(device: &AdbDevice) -> Option<Details> {
    let mut bytes = Vec::new();
    let mut take = |piece: &[u8]| {
        if bytes.len() < MOST_REPORT {
            bytes.extend_from_slice(piece);
        }
    };
    device.ask(&report_request(&device.capabilities()), &mut take).await.ok()?;
    // That the commands cannot be learned is told by an empty list.
    let _ = device.learn_commands().await;
    let (mut vitals, users) = read_report(&String::from_utf8_lossy(&bytes));
    if device.was_tapped()
        && let Ok(said) = device.ask(&stored_keys_request(&device.capabilities()), &mut |_| {}).await
    {
        let lines = device.key_lines();
        vitals.key_is_stored = read_stored_keys(&said.out, lines.iter().map(String::as_str));
    }
    let (features, commands) = device.offers().await;
    let encrypted = device.is_encrypted().await.unwrap_or(false);
    Some(Details { vitals, users, features, commands, encrypted })
}

/// Asks a device for what changes by the minute. `None` when it cannot be asked.
pub async fn vitals(device: &AdbDevice) -> Option<Vitals> {
    let said = device.ask(&vitals_request(), &mut |_| {}).await.ok()?;
    Some(read_report(&said.out).0)
}
