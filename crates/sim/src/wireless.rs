//! Wireless debugging, device side: the encrypted link, pairing, and what is announced on the network.

use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use rustls::pki_types::{CertificateDer, PrivateKeyDer, PrivatePkcs8KeyDer, UnixTime};
use rustls::server::danger::{ClientCertVerified, ClientCertVerifier};
use rustls::server::{ParsedCertificate, ServerConfig};
use rustls::{DigitallySignedStruct, DistinguishedName, SignatureScheme};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::watch;
use tokio_rustls::TlsAcceptor;
use tokio_rustls::server::TlsStream;
use wibbet_adb::pairing::{
    EXPORT_LABEL, EXPORT_LEN, PAIRING_HEADER, PairingCipher, PairingKind, PeerInfo, Role, Spake2, pairing_packet,
    pairing_password, read_pairing_header,
};
use wibbet_adb::{Announced, AnnouncedKind, HostKey, PublicKey};

use crate::device::Shared;

/// A dialog takes so many wrong codes before it closes.
const MOST_TRIES: u32 = 20;
/// How long a pairing connection may take, so that a half-open one does not hold the dialog.
const PATIENCE: Duration = Duration::from_secs(30);

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

fn acceptor(key: &HostKey, verifier: Arc<dyn ClientCertVerifier>) -> Option<TlsAcceptor> {
    let (certificate, private) = key.certificate().ok()?;
    let configuration = ServerConfig::builder_with_provider(Arc::new(rustls::crypto::ring::default_provider()))
        .with_protocol_versions(&[&rustls::version::TLS13])
        .ok()?
        .with_client_cert_verifier(verifier)
        .with_single_cert(
            vec![CertificateDer::from(certificate)],
            PrivateKeyDer::Pkcs8(PrivatePkcs8KeyDer::from(private)),
        )
        .ok()?;
    Some(TlsAcceptor::from(Arc::new(configuration)))
}

/// Encrypts a connection; `None` when the other side is not a computer that the device knows.
pub(crate) async fn encrypt(socket: TcpStream, shared: &Arc<Shared>) -> Option<TlsStream<TcpStream>> {
    let key = shared.own_key();
    let verifier = Arc::new(Hosts { known_only: Some(Arc::clone(shared)) });
    acceptor(&key, verifier)?.accept(socket).await.ok()
}

/// Who may connect: everybody, or the computers that have been paired.
#[derive(Debug)]
struct Hosts {
    known_only: Option<Arc<Shared>>,
}

impl ClientCertVerifier for Hosts {
    fn root_hint_subjects(&self) -> &[DistinguishedName] {
        &[]
    }

    fn verify_client_cert(
        &self,
        certificate: &CertificateDer<'_>,
        _intermediates: &[CertificateDer<'_>],
        _now: UnixTime,
    ) -> Result<ClientCertVerified, rustls::Error> {
        let Some(device) = &self.known_only else { return Ok(ClientCertVerified::assertion()) };
        let parsed = ParsedCertificate::try_from(certificate)?;
        let known = PublicKey::from_spki(&parsed.subject_public_key_info()).is_ok_and(|key| {
            device.state().trusted.iter().any(|line| line.split(' ').next() == key.line().split(' ').next())
        });
        if known {
            Ok(ClientCertVerified::assertion())
        } else {
            Err(rustls::Error::InvalidCertificate(rustls::CertificateError::ApplicationVerificationFailure))
        }
    }

    fn verify_tls12_signature(
        &self,
        _message: &[u8],
        _cert: &CertificateDer<'_>,
        _dss: &DigitallySignedStruct,
    ) -> Result<rustls::client::danger::HandshakeSignatureValid, rustls::Error> {
        Err(rustls::Error::General("TLS 1.3 only".into()))
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        cert: &CertificateDer<'_>,
        dss: &DigitallySignedStruct,
    ) -> Result<rustls::client::danger::HandshakeSignatureValid, rustls::Error> {
        let algorithms = rustls::crypto::ring::default_provider().signature_verification_algorithms;
        rustls::crypto::verify_tls13_signature(message, cert, dss, &algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        rustls::crypto::ring::default_provider().signature_verification_algorithms.supported_schemes()
    }
}

/// The dialog that offers pairing, as long as it is open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PairingDialog {
    /// The six digits; for a scanned QR code its password, which the screen does not show.
    pub code: String,
    /// Where pairing is offered.
    pub address: SocketAddr,
    /// It came of a scanned QR code.
    pub scanned: bool,
    /// The name under which it is announced.
    pub(crate) instance: String,
}

/// Serves pairing until a computer has been paired, too many codes were wrong, or the dialog is closed (the task is
/// dropped then).
pub(crate) async fn offer(listener: TcpListener, code: String, shared: Arc<Shared>) {
    for _ in 0..MOST_TRIES {
        let Ok((socket, _)) = listener.accept().await else { return };
        match tokio::time::timeout(PATIENCE, one_pairing(socket, &code, &shared)).await {
            Ok(Some(key)) => {
                shared.state().trusted.insert(key.line());
                shared.state().transcript.push(format!("paired {}", key.fingerprint()));
                return;
            }
            _ => shared.state().transcript.push("pairing failed".into()),
        }
    }
}

/// One try; the computer's key when it knew the code.
async fn one_pairing(socket: TcpStream, code: &str, shared: &Shared) -> Option<PublicKey> {
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

async fn receive(stream: &mut TlsStream<TcpStream>, wanted: PairingKind) -> Option<Vec<u8>> {
    let mut header = [0; PAIRING_HEADER];
    stream.read_exact(&mut header).await.ok()?;
    let (kind, length) = read_pairing_header(&header).ok()?;
    let mut content = vec![0; length];
    stream.read_exact(&mut content).await.ok()?;
    (kind == wanted).then_some(content)
}
