//! The device side of the encrypted link.

use std::sync::Arc;

use rustls::pki_types::{CertificateDer, PrivateKeyDer, PrivatePkcs8KeyDer, UnixTime};
use rustls::server::danger::{ClientCertVerified, ClientCertVerifier};
use rustls::server::{ParsedCertificate, ServerConfig};
use rustls::{DigitallySignedStruct, DistinguishedName, SignatureScheme};
use tokio_rustls::TlsAcceptor;
use tokio_rustls::server::TlsStream;
use wibbet_adb::{ByteStream, HostKey, PublicKey};

use crate::machine::Shared;

pub(crate) fn acceptor(key: &HostKey, verifier: Arc<dyn ClientCertVerifier>) -> Option<TlsAcceptor> {
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
pub(crate) async fn encrypt(
    socket: Box<dyn ByteStream>,
    shared: &Arc<Shared>,
) -> Option<TlsStream<Box<dyn ByteStream>>> {
    let key = shared.own_key();
    let verifier = Arc::new(Hosts { known_only: Some(Arc::clone(shared)) });
    acceptor(&key, verifier)?.accept(socket).await.ok()
}

/// Who may connect: everybody, or the computers that have been paired.
#[derive(Debug)]
pub(crate) struct Hosts {
    pub(super) known_only: Option<Arc<Shared>>,
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
