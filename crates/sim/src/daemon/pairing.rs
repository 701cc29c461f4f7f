//! The device side of pairing.

use std::sync::Arc;
use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio_rustls::server::TlsStream;
use wibbet_adb::pairing::{
    EXPORT_LABEL, EXPORT_LEN, PAIRING_HEADER, PairingCipher, PairingKind, PeerInfo, Role, Spake2, pairing_packet,
    pairing_password, read_pairing_header,
};
use wibbet_adb::{ByteStream, PublicKey};

use super::tls::{Hosts, acceptor};
use crate::machine::Shared;

/// How long a pairing connection may take, so that a half-open one does not hold the dialog.
const PATIENCE: Duration = Duration::from_secs(30);

/// Serves one connection; true when a computer has been paired.
pub(crate) async fn pair_on(socket: Box<dyn ByteStream>, code: &str, shared: &Arc<Shared>) -> bool {
    match tokio::time::timeout(PATIENCE, one_pairing(socket, code, shared)).await {
        Ok(Some(key)) => {
            shared.state().trusted.insert(key.line());
            shared.state().transcript.push(format!("paired {}", key.fingerprint()));
            true
        }
        _ => {
            shared.state().transcript.push("pairing failed".into());
            false
        }
    }
}

/// One try; the computer's key when it knew the code.
async fn one_pairing(socket: Box<dyn ByteStream>, code: &str, shared: &Shared) -> Option<PublicKey> {
    let own = shared.own_key();
    let mut stream = acceptor(&own, Arc::new(Hosts { known_only: None }))?.accept(socket).await.ok()?;
    let exported: [u8; EXPORT_LEN] =
        stream.get_ref().1.export_keying_material([0; EXPORT_LEN], EXPORT_LABEL, None).ok()?;
    let mut seed = [0; 64];
    shared.state().random.fill(&mut seed);
    let exchange = Spake2::new(Role::Device, &pairing_password(code, &exported), &seed);
    stream.write_all(&pairing_packet(PairingKind::Exchange, exchange.message())).await.ok()?;
    let theirs = receive(&mut stream, PairingKind::Exchange).await?;
    let mut cipher = PairingCipher::new(&exchange.finish(&theirs)?);
    let sealed = receive(&mut stream, PairingKind::PeerInfo).await?;
    let PeerInfo::HostKey(line) = PeerInfo::read(&cipher.open(&sealed)?)? else { return None };
    let key = PublicKey::from_line(line.as_bytes()).ok()?;
    let name = PeerInfo::DeviceName(shared.instance()).encode();
    stream.write_all(&pairing_packet(PairingKind::PeerInfo, &cipher.seal(&name)?)).await.ok()?;
    stream.shutdown().await.ok()?;
    Some(key)
}

async fn receive(stream: &mut TlsStream<Box<dyn ByteStream>>, wanted: PairingKind) -> Option<Vec<u8>> {
    let mut header = [0; PAIRING_HEADER];
    stream.read_exact(&mut header).await.ok()?;
    let (kind, length) = read_pairing_header(&header).ok()?;
    let mut content = vec![0; length];
    stream.read_exact(&mut content).await.ok()?;
    (kind == wanted).then_some(content)
}
