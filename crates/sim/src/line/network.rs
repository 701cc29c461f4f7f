//! What is announced on a network.

use std::net::SocketAddr;
use std::sync::Arc;

use tokio::sync::watch;
use wibbet_adb::{Announced, AnnouncedKind};

/// A network without multicast: bench devices announce themselves here, and whoever looks for devices listens here.
#[derive(Debug, Clone, Default)]
pub struct SimNetwork(Arc<watch::Sender<Vec<Announced>>>);

impl SimNetwork {
    /// What is announced.
    pub fn seen(&self) -> watch::Receiver<Vec<Announced>> {
        self.0.subscribe()
    }

    pub(crate) fn announce(&self, kind: AnnouncedKind, instance: &str, address: SocketAddr) {
        self.0.send_modify(|all| {
            all.retain(|a| (a.kind, a.instance.as_str()) != (kind, instance));
            all.push(Announced { kind, instance: instance.to_owned(), addresses: vec![address] });
            all.sort();
        });
    }

    pub(crate) fn withdraw(&self, kind: AnnouncedKind, instance: &str) {
        self.0.send_modify(|all| all.retain(|a| (a.kind, a.instance.as_str()) != (kind, instance)));
    }
}
