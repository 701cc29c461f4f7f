//! Pairing from the bench.

use std::sync::Arc;
use std::time::Duration;

use super::event::BenchEvent;
use super::task::{Card, Events, FleetTask};
use crate::around::Route;

impl FleetTask {
    pub(super) fn start_pairing<F>(&mut self, pairing: impl FnOnce(Events) -> F + Send + 'static)
    where
        F: Future<Output = Result<wibbet_adb::pairing::Paired, wibbet_adb::pairing::PairError>> + Send + 'static,
    {
        if let Some(former) = self.pairing.take() {
            former.abort();
        }
        let events = Arc::clone(&self.events);
        // What is reached by air and has no link need not wait for its next try once a device is paired.
        let by_air = |c: &&Card| c.session.device().routes().iter().any(|route| matches!(route, Route::Air { .. }));
        let waiting: Vec<_> =
            self.cards.values().filter(|c| !c.linked).filter(by_air).map(|c| c.session.waker()).collect();
        let pairing = pairing(Arc::clone(&events));
        self.pairing = Some(tokio::spawn(async move {
            match pairing.await {
                Ok(paired) => {
                    events(BenchEvent::Paired(Ok(paired.name)));
                    // The device's daemon hears of the key from another part of Android, which takes a moment.
                    for pause in [0, 500, 1000, 2000, 4000] {
                        tokio::time::sleep(Duration::from_millis(pause)).await;
                        waiting.iter().for_each(|waker| waker.notify_one());
                    }
                }
                Err(error) => {
                    let only_the_code = matches!(error, wibbet_adb::pairing::PairError::WrongCode { .. });
                    events(BenchEvent::Paired(Err((error.to_string(), only_the_code))));
                }
            }
        }));
    }
}
