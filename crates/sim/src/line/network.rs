//! A network in memory: what is announced on it, and connections that need no port of this computer.

use std::collections::BTreeMap;
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};

use tokio::io::{DuplexStream, duplex};
use tokio::sync::{mpsc, watch};
use wibbet_adb::{Announced, AnnouncedKind, ByteStream, Dialer, Dialling};
use wibbet_types::Address;

/// Bytes that are on their way in one direction before the sender waits.
const ON_THE_WAY: usize = 64 * 1024;

/// A network without multicast: bench devices announce themselves here, and whoever looks for devices listens here. Devices
/// may also be reached through it, see [`Options::in_memory`](crate::Options::in_memory); then no byte leaves the program,
/// and time may be stopped.
#[derive(Debug, Clone, Default)]
pub struct SimNetwork(Arc<Inner>);

#[derive(Debug, Default)]
struct Inner {
    announced: watch::Sender<Vec<Announced>>,
    /// Addresses that every device has beside the one that it is reached at, and names first.
    out_of_reach: Mutex<Vec<IpAddr>>,
    /// Who listens where.
    listening: Mutex<BTreeMap<SocketAddr, mpsc::UnboundedSender<DuplexStream>>>,
}

impl SimNetwork {
    /// What is announced.
    pub fn seen(&self) -> watch::Receiver<Vec<Announced>> {
        self.0.announced.subscribe()
    }

    /// What is announced from now on names these addresses before the one that is reached from here.
    pub fn set_out_of_reach(&self, addresses: Vec<IpAddr>) {
        *self.0.out_of_reach.lock().unwrap_or_else(PoisonError::into_inner) = addresses;
    }

    pub(crate) fn announce(&self, kind: AnnouncedKind, instance: &str, address: SocketAddr) {
        let others = self.0.out_of_reach.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let at = |ip: IpAddr| SocketAddr::new(ip, address.port());
        let addresses = others.into_iter().map(at).chain([address]).collect::<Vec<_>>();
        self.0.announced.send_modify(|all| {
            all.retain(|a| (a.kind, a.instance.as_str()) != (kind, instance));
            all.push(Announced { kind, instance: instance.to_owned(), addresses });
            all.sort();
        });
    }

    /// Something is announced no more.
    pub fn withdraw(&self, kind: AnnouncedKind, instance: &str) {
        self.0.announced.send_modify(|all| all.retain(|a| (a.kind, a.instance.as_str()) != (kind, instance)));
    }

    /// Listens at an address of the network that nobody has, until the listener is dropped.
    pub(crate) fn listen(&self) -> (SocketAddr, MemoryListener) {
        let (sender, inbox) = mpsc::unbounded_channel();
        let mut listening = self.0.listening.lock().unwrap_or_else(PoisonError::into_inner);
        // Addresses of documentation, one after the other, so that a new one is another one.
        let last = listening.last_key_value().map_or(40_000, |(at, _)| at.port());
        let at = SocketAddr::from(([192, 0, 2, 1], last + 1));
        listening.insert(at, sender);
        (at, MemoryListener { at, inbox, network: self.clone() })
    }
}

/// Takes connections that are made through the network in memory.
#[derive(Debug)]
pub(crate) struct MemoryListener {
    at: SocketAddr,
    inbox: mpsc::UnboundedReceiver<DuplexStream>,
    network: SimNetwork,
}

impl MemoryListener {
    pub(crate) async fn accept(&mut self) -> io::Result<DuplexStream> {
        self.inbox.recv().await.ok_or_else(|| io::Error::other("the network has gone"))
    }
}

impl Drop for MemoryListener {
    fn drop(&mut self) {
        self.network.0.listening.lock().unwrap_or_else(PoisonError::into_inner).remove(&self.at);
    }
}

impl Dialer for SimNetwork {
    fn dial<'a>(&'a self, at: &'a Address) -> Dialling<'a> {
        let refused = || io::Error::from(io::ErrorKind::ConnectionRefused);
        let connect = || {
            let at: SocketAddr = at.to_string().parse().map_err(|_| refused())?;
            let listening = self.0.listening.lock().unwrap_or_else(PoisonError::into_inner);
            let listener = listening.get(&at).ok_or_else(refused)?;
            let (near, far) = duplex(ON_THE_WAY);
            listener.send(far).map_err(|_| refused())?;
            Ok(Box::new(near) as Box<dyn ByteStream>)
        };
        let made = connect();
        Box::pin(async move { made })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};

    #[tokio::test]
    async fn bytes_go_to_whoever_listens() {
        let network = SimNetwork::default();
        let (at, mut listener) = network.listen();
        let address = Address::try_from(at).unwrap();
        let mut near = network.dial(&address).await.unwrap();
        let mut far = listener.accept().await.unwrap();
        near.write_all(b"hello").await.unwrap();
        let mut heard = [0; 5];
        far.read_exact(&mut heard).await.unwrap();
        assert_eq!(&heard, b"hello");
        drop(far);
        assert_eq!(near.read(&mut heard).await.unwrap(), 0, "the other side closed it");
        let (other, _other) = network.listen();
        assert_ne!(at, other);
        drop(listener);
        assert_eq!(network.dial(&address).await.err().unwrap().kind(), io::ErrorKind::ConnectionRefused);
        // A name is nobody's here.
        assert!(network.dial(&"tv.local:5555".parse().unwrap()).await.is_err());
    }
}
