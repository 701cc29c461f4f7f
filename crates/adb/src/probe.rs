//! Whether a debugging daemon is at an address, without making a link.

use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::time::timeout;
use wibbet_types::Address;

use crate::banner::Banner;
use crate::transport::network::Dialer;
use crate::wire::{Command, Header, MAX_DATA, Packet, VERSION_SKIP_CHECKSUM};

/// How a daemon at an address wants to be spoken to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DaemonKind {
    /// Encrypted: wireless debugging of Android 11 and later.
    Encrypted,
    /// In the clear, as older ones and those that were switched to a port.
    Plain,
}

/// Introduces this computer at an address and looks at the first answer; then hangs up. No key is sent and nobody is asked. `None` where
/// nothing answers within `patience`, or not as a debugging daemon does.
pub async fn probe(network: &dyn Dialer, at: &Address, patience: Duration) -> Option<DaemonKind> {
    let look = async {
        let mut stream = network.dial(at).await.ok()?;
        // Until a version is agreed the checksum is a real one.
        let hello = Packet::new(Command::Cnxn, VERSION_SKIP_CHECKSUM, MAX_DATA, Banner::of_host()).encode(true);
        stream.write_all(&hello).await.ok()?;
        let mut head = [0; Header::SIZE];
        stream.read_exact(&mut head).await.ok()?;
        match Header::read(&head, MAX_DATA).ok()?.command {
            Command::Stls => Some(DaemonKind::Encrypted),
            Command::Auth | Command::Cnxn => Some(DaemonKind::Plain),
            _ => None,
        }
    };
    timeout(patience, look).await.ok().flatten()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::transport::network::SystemDialer;
    use tokio::net::TcpListener;

    /// What is made of a listener that answers with some bytes.
    async fn seen(answer: &'static [u8]) -> Option<DaemonKind> {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at: Address = listener.local_addr().unwrap().to_string().parse().unwrap();
        let serve = async {
            let (mut stream, _) = listener.accept().await.unwrap();
            let mut heard = [0; 24];
            stream.read_exact(&mut heard).await.unwrap();
            assert_eq!(&heard[..4], b"CNXN");
            stream.write_all(answer).await.unwrap();
            // It is hung up on.
            let _ = stream.read_to_end(&mut Vec::new()).await;
        };
        let (kind, ()) = tokio::join!(probe(&SystemDialer, &at, Duration::from_secs(20)), serve);
        kind
    }

    #[tokio::test]
    async fn daemons_are_told_from_others() {
        // Command, two arguments, length, checksum, the command turned round.
        let packet = |name: &[u8; 4]| {
            let word = u32::from_le_bytes(*name);
            let all = [word, 0x0100_0000, 0, 0, 0, word ^ u32::MAX];
            let bytes: Vec<u8> = all.iter().flat_map(|word| word.to_le_bytes()).collect();
            &*bytes.leak()
        };
        assert_eq!(seen(packet(b"STLS")).await, Some(DaemonKind::Encrypted));
        assert_eq!(seen(packet(b"AUTH")).await, Some(DaemonKind::Plain));
        assert_eq!(seen(packet(b"CNXN")).await, Some(DaemonKind::Plain));
        assert_eq!(seen(packet(b"OKAY")).await, None);
        assert_eq!(seen(b"HTTP/1.1 400 Bad Request\r\n\r\n").await, None);
        assert_eq!(seen(b"short").await, None);
        let nobody: Address = "127.0.0.1:1".parse().unwrap();
        assert_eq!(probe(&SystemDialer, &nobody, Duration::from_secs(20)).await, None);
    }
}
