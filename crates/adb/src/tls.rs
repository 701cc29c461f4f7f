//! The encrypted link of wireless debugging, host side: TLS 1.3, this computer's key in a certificate of its own.
//!
//! The device decides by the certificate's key alone whether it knows this computer. The device's own certificate is
//! made anew whenever debugging is switched on and vouched for by nobody, so there is nothing to check it against;
//! pairing is protected by the code, which both sides mix with what they know of this very connection.

use std::net::{IpAddr, Ipv4Addr};
use std::sync::Arc;

use rustls::client::Resumption;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{ClientConfig, DigitallySignedStruct, SignatureScheme};
use tokio::io::{AsyncRead, AsyncWrite};
use tokio_rustls::TlsConnector;
use tokio_rustls::client::TlsStream;

use crate::keys::{HostKey, certificate};

/// Why there is no encrypted connection.
#[derive(Debug)]
pub(crate) enum TlsError {
    /// This computer's key cannot be used for one.
    Key(String),
    /// The other side, or the connection, did not want to.
    Io(std::io::Error),
}

fn configuration(key: &HostKey) -> Result<ClientConfig, TlsError> {
    let (certificate, private) = certificate(key).map_err(|e| TlsError::Key(e.to_string()))?;
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let schemes = provider.signature_verification_algorithms.supported_schemes();
    let mut configuration = ClientConfig::builder_with_provider(provider)
        .with_protocol_versions(&[&rustls::version::TLS13])
        .and_then(|builder| {
            builder
                .dangerous()
                .with_custom_certificate_verifier(Arc::new(AnyDevice { schemes }))
                .with_client_auth_cert(vec![certificate], private)
        })
        .map_err(|e| TlsError::Key(e.to_string()))?;
    configuration.enable_sni = false;
    configuration.resumption = Resumption::disabled();
    Ok(configuration)
}

/// Makes the connection. That it is made does not mean that the device knows the key: with TLS 1.3 it says no only
/// afterwards, in place of its first data.
pub(crate) async fn connect<S>(stream: S, key: &HostKey) -> Result<TlsStream<S>, TlsError>
where
    S: AsyncRead + AsyncWrite + Unpin,
{
    let connector = TlsConnector::from(Arc::new(configuration(key)?));
    // An address in place of a name: nothing is announced, and nothing is compared.
    let nobody = ServerName::from(IpAddr::V4(Ipv4Addr::LOCALHOST));
    connector.connect(nobody, stream).await.map_err(TlsError::Io)
}

/// `N` bytes that only the two ends of a connection know, by a label.
pub(crate) fn exported<S, const N: usize>(stream: &TlsStream<S>, label: &[u8]) -> Result<[u8; N], String> {
    let (_, connection) = stream.get_ref();
    connection.export_keying_material([0; N], label, None).map_err(|e| e.to_string())
}

#[derive(Debug)]
struct AnyDevice {
    schemes: Vec<SignatureScheme>,
}

impl ServerCertVerifier for AnyDevice {
    fn verify_server_cert(
        &self,
        _end_entity: &CertificateDer<'_>,
        _intermediates: &[CertificateDer<'_>],
        _server_name: &ServerName<'_>,
        _ocsp_response: &[u8],
        _now: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        _message: &[u8],
        _cert: &CertificateDer<'_>,
        _dss: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        Err(rustls::Error::General("TLS 1.2 is not spoken".into()))
    }

    /// A signature proves that the other side holds the certificate's key, and that key is anybody's.
    fn verify_tls13_signature(
        &self,
        _message: &[u8],
        _cert: &CertificateDer<'_>,
        _dss: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        Ok(HandshakeSignatureValid::assertion())
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.schemes.clone()
    }
}
