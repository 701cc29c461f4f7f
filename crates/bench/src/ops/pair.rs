//! Pairing, by code or by QR code.

use std::time::Duration;

use tokio::time::Instant;
use wibbet_adb::pairing::{PairError, Paired, pair, qr_secret, qr_text};
use wibbet_adb::{Announced, AnnouncedKind};

use wibbet_types::Address;

use crate::workplace::Workplace;

/// What a pairing tells while it goes on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PairNews {
    /// The text of the QR code that the device is to scan.
    Show(String),
    /// The device offers pairing; it is being done.
    Scanned,
}

/// Pairs with the device that offers it at `at` and shows `code`. Blanks in the code are skipped.
///
/// # Errors
/// See [`PairError`].
pub async fn pair_by_code(workplace: &Workplace, at: &Address, code: &str) -> Result<Paired, PairError> {
    let code: String = code.chars().filter(|c| !c.is_whitespace()).collect();
    pair(&*workplace.surroundings.network, at, &code, workplace.keys.own(), &workplace.limits).await
}

/// Shows a QR code and waits until a device has scanned it, `patience` at most.
///
/// # Errors
/// [`PairError::NotOffered`] when none has, or when devices on the network cannot be heard.
pub async fn pair_by_qr(
    workplace: &Workplace,
    patience: Duration,
    news: &mut (dyn FnMut(PairNews) + Send),
) -> Result<Paired, PairError> {
    let not_offered = |why: &str| PairError::NotOffered { at: "the QR code's name".into(), why: why.into() };
    let Some(mut announced) = workplace.surroundings.announced.clone() else {
        return Err(not_offered("announcements on the network cannot be heard here; use the code"));
    };
    let (name, password) = qr_secret();
    news(PairNews::Show(qr_text(&name, &password)));
    let until = Instant::now() + patience;
    let offers = |all: &Vec<Announced>| {
        let found = all.iter().find(|a| a.kind == AnnouncedKind::Pairing && a.instance == name);
        found.map(|a| a.addresses.clone())
    };
    let waiting = async { announced.wait_for(|all| offers(all).is_some()).await.map(|all| offers(&all)) };
    let addresses = match tokio::time::timeout_at(until, waiting).await {
        Ok(Ok(found)) => found.unwrap_or_default(),
        Ok(Err(_)) => return Err(not_offered("announcements are not heard any more")),
        Err(_) => return Err(not_offered("no device has scanned it")),
    };
    news(PairNews::Scanned);
    // A device with several addresses is reachable at one of them, as a rule the first.
    let mut failed = not_offered("it announced no address");
    for address in addresses {
        let Ok(address) = Address::try_from(address) else { continue };
        let network = &*workplace.surroundings.network;
        match pair(network, &address, &password, workplace.keys.own(), &workplace.limits).await {
            Err(error @ PairError::NotOffered { .. }) => failed = error,
            other => return other,
        }
    }
    Err(failed)
}
