//! The encrypted link against a daemon that is put together here from a TLS library and bytes, so that a mistake shared
//! by the host's code and the bench devices' would show.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use rustls::pki_types::{CertificateDer, PrivateKeyDer, PrivatePkcs8KeyDer, UnixTime};
use rustls::server::danger::{ClientCertVerified, ClientCertVerifier};
use rustls::server::{ParsedCertificate, ServerConfig};
use rustls::{DigitallySignedStruct, DistinguishedName, SignatureScheme};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio_rustls::TlsAcceptor;
use wibbet_adb::{Encryption, HostKey, KeyRing, Link, LinkError, Progress, PublicKey, SystemDialer, Timeouts};

const PEM: &str = include_str!("key.pem");
/// `STLS`, version 0x01000000, no data; worked out by hand.
const STLS: [u8; 24] = [b'S', b'T', b'L', b'S', 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xac, 0xab, 0xb3, 0xac];

fn key() -> HostKey {
    HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap()
}

fn limits() -> Timeouts {
    let long = Duration::from_secs(30);
    Timeouts { connect: long, answer: long, tap: long, idle: long, write: long }
}

/// What the daemon does once the connection is encrypted.
#[derive(Debug, Clone, Copy)]
enum Then {
    Welcome,
    Close,
    Garbage,
    /// It never gets there: the certificate is refused.
    Refuse,
    /// Another agreement to encrypt, within the encrypted connection.
    Again,
    /// It wants a token signed, within the encrypted connection.
    Token,
}

/// Takes any certificate, or none, and keeps the keys that it has seen.
#[derive(Debug)]
struct Verifier {
    refuse: bool,
    seen: Arc<Mutex<Vec<PublicKey>>>,
}

impl ClientCertVerifier for Verifier {
    fn root_hint_subjects(&self) -> &[DistinguishedName] {
        &[]
    }

    fn verify_client_cert(
        &self,
        certificate: &CertificateDer<'_>,
        _intermediates: &[CertificateDer<'_>],
        _now: UnixTime,
    ) -> Result<ClientCertVerified, rustls::Error> {
        let spki = ParsedCertificate::try_from(certificate)?.subject_public_key_info();
        self.seen.lock().unwrap().push(PublicKey::from_spki(&spki).unwrap());
        match self.refuse {
            true => Err(rustls::Error::InvalidCertificate(rustls::CertificateError::UnknownIssuer)),
            false => Ok(ClientCertVerified::assertion()),
        }
    }

    fn verify_tls12_signature(
        &self,
        _message: &[u8],
        _cert: &CertificateDer<'_>,
        _dss: &DigitallySignedStruct,
    ) -> Result<rustls::client::danger::HandshakeSignatureValid, rustls::Error> {
        Err(rustls::Error::General("TLS 1.2".into()))
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

fn acceptor(verifier: Verifier) -> TlsAcceptor {
    // A device's certificate is of a key of its own, of another kind here.
    let own = rcgen::KeyPair::generate().unwrap();
    let certificate = rcgen::CertificateParams::new(vec!["device".into()]).unwrap().self_signed(&own).unwrap();
    let private = PrivateKeyDer::Pkcs8(PrivatePkcs8KeyDer::from(own.serialize_der()));
    let configuration = ServerConfig::builder_with_provider(Arc::new(rustls::crypto::ring::default_provider()))
        .with_protocol_versions(&[&rustls::version::TLS13])
        .unwrap()
        .with_client_cert_verifier(Arc::new(verifier))
        .with_single_cert(vec![certificate.der().clone()], private)
        .unwrap();
    TlsAcceptor::from(Arc::new(configuration))
}

/// A packet put together by hand.
fn packet(command: &[u8; 4], arg0: u32, arg1: u32, data: &[u8]) -> Vec<u8> {
    let mut out = command.to_vec();
    let sum = data.iter().map(|b| u32::from(*b)).sum::<u32>();
    for word in [arg0, arg1, data.len() as u32, sum, !u32::from_le_bytes(*command)] {
        out.extend_from_slice(&word.to_le_bytes());
    }
    out.extend_from_slice(data);
    out
}

async fn daemon(mut socket: TcpStream, then: Then, seen: Arc<Mutex<Vec<PublicKey>>>) {
    let mut hello = [0; 24];
    socket.read_exact(&mut hello).await.unwrap();
    assert_eq!(&hello[..4], b"CNXN");
    let mut banner = vec![0; u32::from_le_bytes(hello[12..16].try_into().unwrap()) as usize];
    socket.read_exact(&mut banner).await.unwrap();
    assert!(banner.starts_with(b"host::"));
    socket.write_all(&STLS).await.unwrap();
    let mut agreed = [0; 24];
    socket.read_exact(&mut agreed).await.unwrap();
    assert_eq!(agreed, STLS, "the host agrees in the same words");
    let verifier = Verifier { refuse: matches!(then, Then::Refuse), seen };
    let Ok(mut tls) = acceptor(verifier).accept(socket).await else { return };
    assert_eq!(tls.get_ref().1.server_name(), None, "no name is announced");
    assert_eq!(tls.get_ref().1.protocol_version(), Some(rustls::ProtocolVersion::TLSv1_3));
    match then {
        Then::Welcome => {
            // The device introduces itself without having been asked once more.
            let welcome = packet(b"CNXN", 0x0100_0001, 1 << 20, b"device::ro.product.model=Tarn 5;features=shell_v2");
            tls.write_all(&welcome).await.unwrap();
            let mut open = [0; 24];
            tls.read_exact(&mut open).await.unwrap();
            assert_eq!(&open[..4], b"OPEN");
            let mut service = vec![0; u32::from_le_bytes(open[12..16].try_into().unwrap()) as usize];
            tls.read_exact(&mut service).await.unwrap();
            assert_eq!(service, b"exec:x\0");
            for answer in [packet(b"OKAY", 5, 1, b""), packet(b"WRTE", 5, 1, b"hello"), packet(b"CLSE", 5, 1, b"")] {
                tls.write_all(&answer).await.unwrap();
            }
            tls.flush().await.unwrap();
            let _ = tls.read(&mut [0; 64]).await;
        }
        Then::Garbage => tls.write_all(&[b'x'; 100]).await.unwrap(),
        Then::Token => tls.write_all(&packet(b"AUTH", 1, 0, &[7; 20])).await.unwrap(),
        Then::Again => tls.write_all(&STLS).await.unwrap(),
        Then::Close | Then::Refuse => {}
    }
    let _ = tls.shutdown().await;
}

/// How it goes, and the keys that the daemon has seen.
async fn meet(then: Then, keys: &KeyRing) -> (Result<Link, LinkError>, Vec<PublicKey>, Vec<Progress>) {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap().to_string();
    let seen = Arc::new(Mutex::new(Vec::new()));
    let of_daemon = Arc::clone(&seen);
    tokio::spawn(async move {
        while let Ok((socket, _)) = listener.accept().await {
            tokio::spawn(daemon(socket, then, Arc::clone(&of_daemon)));
        }
    });
    let mut steps = Vec::new();
    let made =
        Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::WhereAsked, keys, &limits(), &mut |step| {
            steps.push(step)
        })
        .await;
    let seen = seen.lock().unwrap().clone();
    (made, seen, steps)
}

#[tokio::test]
async fn the_encrypted_link_is_made_with_the_hosts_own_key() {
    let (made, seen, steps) = meet(Then::Welcome, &KeyRing::of(key())).await;
    let link = made.unwrap();
    assert!(link.is_encrypted());
    assert_eq!(link.banner().model.as_str(), "Tarn 5");
    let lines: Vec<String> = seen.iter().map(|k| k.line().trim().to_owned()).collect();
    assert_eq!(lines, [key().public().line().replace(" test@bench", "")]);
    assert_eq!(steps, [Progress::Reached, Progress::Speaks, Progress::Authorised]);
    let mut stream = link.open("exec:x", limits().idle).await.unwrap();
    assert_eq!(stream.read(limits().idle).await.unwrap().unwrap(), b"hello");
    assert_eq!(stream.read(limits().idle).await.unwrap(), None);
}

#[tokio::test]
async fn the_ways_of_saying_no_are_told_apart() {
    for then in [Then::Refuse, Then::Close] {
        let (made, ..) = meet(then, &KeyRing::of(key())).await;
        assert!(matches!(made, Err(LinkError::NotPaired { .. })), "{then:?}: {made:?}");
    }
    for then in [Then::Garbage, Then::Again, Then::Token] {
        let (made, ..) = meet(then, &KeyRing::of(key())).await;
        assert!(matches!(made, Err(LinkError::Broken { .. })), "{then:?}: {made:?}");
    }
}

/// A peer that announces an encrypted link and then passes on what a device that trusts this computer says: it is told
/// nothing but hello.
#[tokio::test]
async fn what_was_announced_as_encrypted_gets_no_signature_without_it() {
    let token = packet(b"AUTH", 1, 0, &[7; 20]);
    let welcome = packet(b"CNXN", 0x0100_0001, 1 << 20, b"device::");
    for says in [token, welcome] {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let heard = tokio::spawn(async move {
            let (mut socket, _) = listener.accept().await.unwrap();
            let mut hello = [0; 24];
            socket.read_exact(&mut hello).await.unwrap();
            let mut banner = vec![0; u32::from_le_bytes(hello[12..16].try_into().unwrap()) as usize];
            socket.read_exact(&mut banner).await.unwrap();
            socket.write_all(&says).await.unwrap();
            let mut rest = Vec::new();
            let _ = socket.read_to_end(&mut rest).await;
            rest
        });
        let keys = KeyRing::of(key());
        let made =
            Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::Demanded, &keys, &limits(), &mut |_| {})
                .await;
        assert!(matches!(&made, Err(LinkError::Broken { rule, .. }) if rule.contains("does not encrypt")), "{made:?}");
        assert_eq!(heard.await.unwrap(), b"");
    }
}

#[tokio::test]
async fn every_key_of_the_ring_is_offered_one_a_connection() {
    let home = tempfile::tempdir().unwrap();
    std::fs::write(home.path().join("customary"), PEM).unwrap();
    let ring = KeyRing::open(home.path(), Some(&home.path().join("customary")), "a@b").unwrap();
    let (made, seen, _) = meet(Then::Refuse, &ring).await;
    assert!(matches!(made, Err(LinkError::NotPaired { .. })), "{made:?}");
    let expected: Vec<_> = ring.all().map(|k| k.public().fingerprint()).collect();
    assert_eq!(seen.iter().map(PublicKey::fingerprint).collect::<Vec<_>>(), expected);
}
