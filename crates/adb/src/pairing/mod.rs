//! Pairing for wireless debugging: proving a six-digit code (or the password of a QR code) to a device, which from then
//! on knows this computer's key.
//!
//! The device offers pairing at a port of its own, only while its dialog is open. Both sides make a TLS 1.3 connection
//! with certificates that nobody vouches for, mix what only the two ends of that connection know into the code, and run
//! [`Spake2`] over it: whoever sits between them, or does not know the code, ends up with another key.

mod cipher;
mod packet;
mod spake2;

use std::time::Duration;

use thiserror::Error;
use tokio::io::{AsyncRead, AsyncReadExt as _, AsyncWrite, AsyncWriteExt as _};
use tokio::time::timeout;
use wibbet_types::{Address, PlainText};

pub use cipher::{PairingCipher, SEAL_LEN};
pub use packet::{
    MOST_CONTENT, PAIRING_HEADER, PEER_INFO_LEN, PairingKind, PairingPacketError, PeerInfo, pairing_packet,
    read_pairing_header,
};
pub use spake2::{KEY_LEN, MESSAGE_LEN, Role, Spake2};

use crate::keys::{HostKey, KeyError};
use crate::timeouts::Timeouts;
use crate::tls;
use crate::transport::network::Dialer;
use crate::transport::plain_io;

/// The label under which both sides export what only they know of the connection; with its zero byte, as the system
/// does it.
pub const EXPORT_LABEL: &[u8] = b"adb-label\0";
/// Bytes exported.
pub const EXPORT_LEN: usize = 64;

/// Why a pairing did not come about.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum PairError {
    /// Nothing listens there: the dialog with the code has been closed, or the address is wrong.
    #[error(
        "nothing offers pairing at {at} ({why}). The device does so only while its dialog with the code is open, and at \
         another port each time: open the dialog again and take address and code from it"
    )]
    NotOffered {
        /// The address.
        at: String,
        /// What the system said.
        why: String,
    },
    /// What listens there is not the pairing service.
    #[error(
        "{at} answers, but does not offer pairing: {why}. The address for pairing is the one in the dialog with the code, not the one on the page behind it"
    )]
    NotPairing {
        /// The address.
        at: String,
        /// What came instead.
        why: String,
    },
    /// The code is wrong.
    #[error("the code is not the one that {at} shows. Type it again; it stays good while its dialog is open")]
    WrongCode {
        /// The address.
        at: String,
    },
    /// The device said nothing more, and the connection stayed.
    #[error("{at} said nothing more within {} s in the middle of the pairing. Look at its screen: if its dialog is open, try again", waited.as_secs())]
    Silent {
        /// The address.
        at: String,
        /// How long was waited.
        waited: Duration,
    },
    /// The connection went in the middle.
    #[error("the pairing with {at} was cut off: {why}. The dialog may have been closed; open it again")]
    Lost {
        /// The address.
        at: String,
        /// How.
        why: String,
    },
    /// The other side broke a rule of the protocol.
    #[error("{at} broke a rule of the pairing protocol: {rule}")]
    Broken {
        /// The address.
        at: String,
        /// The rule.
        rule: String,
    },
    /// This computer's key cannot be used.
    #[error("{0}")]
    Key(String),
}

impl From<KeyError> for PairError {
    fn from(error: KeyError) -> Self {
        Self::Key(error.to_string())
    }
}

/// What a pairing brought.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Paired {
    /// The name under which the device announces its connect service, `adb-SERIAL-xxxxxx` mostly; empty where it told
    /// none.
    pub name: String,
}

/// The password of the exchange: the code's characters and what was exported from the connection.
pub fn pairing_password(code: &str, exported: &[u8; EXPORT_LEN]) -> Vec<u8> {
    [code.as_bytes(), exported].concat()
}

/// Pairs this computer's `key` with the device that offers pairing at an address and shows `code`.
///
/// # Errors
/// Each way to fail is a [`PairError`] of its own; a wrong code can be tried again on the same address.
pub async fn pair(
    network: &dyn Dialer,
    address: &Address,
    code: &str,
    key: &HostKey,
    limits: &Timeouts,
) -> Result<Paired, PairError> {
    let at = &*address.to_string();
    let not_offered = |why: String| PairError::NotOffered { at: at.into(), why };
    let socket = match timeout(limits.connect, network.dial(address)).await {
        Err(_) => return Err(not_offered(format!("nothing came within {} s", limits.connect.as_secs()))),
        Ok(Err(error)) => return Err(not_offered(plain_io(&error))),
        Ok(Ok(socket)) => socket,
    };
    let not_pairing = |why: String| PairError::NotPairing { at: at.into(), why: PlainText::short(&why).into_string() };
    let made = timeout(limits.answer, tls::connect(socket, key)).await;
    let (mut stream, exported) = match made {
        Err(_) => return Err(not_pairing("it says nothing".into())),
        Ok(Err(tls::TlsError::Key(why))) => return Err(PairError::Key(why)),
        Ok(Err(tls::TlsError::Io(error))) => return Err(not_pairing(plain_io(&error))),
        Ok(Ok(stream)) => {
            let exported = tls::exported(&stream, EXPORT_LABEL).map_err(&not_pairing)?;
            (stream, exported)
        }
    };
    let mut talk = Talk { stream: &mut stream, at, limit: limits.answer };
    let mut seed = [0; 64];
    rsa::rand_core::RngCore::fill_bytes(&mut rsa::rand_core::OsRng, &mut seed);
    let own = Spake2::new(Role::Host, &pairing_password(code, &exported), &seed);
    talk.send(PairingKind::Exchange, own.message()).await?;
    let theirs = talk.receive(PairingKind::Exchange).await?;
    let broken = |rule: &str| PairError::Broken { at: at.into(), rule: rule.into() };
    let agreed = own.finish(&theirs).ok_or_else(|| broken("its message is no point of the curve"))?;
    let mut cipher = PairingCipher::new(&agreed);
    let own_info = PeerInfo::HostKey(key.public().line()).encode();
    let sealed = cipher.seal(&own_info).ok_or_else(|| broken("nothing can be sealed"))?;
    // From here on a wrong code shows: the device cannot open what it is sent and closes, or this side cannot. One that
    // falls silent has not said so.
    let wrong = |error| match error {
        PairError::Lost { at, .. } => PairError::WrongCode { at },
        other => other,
    };
    talk.send(PairingKind::PeerInfo, &sealed).await.map_err(wrong)?;
    let theirs = talk.receive(PairingKind::PeerInfo).await.map_err(wrong)?;
    let info = cipher.open(&theirs).ok_or_else(|| PairError::WrongCode { at: at.into() })?;
    match PeerInfo::read(&info) {
        Some(PeerInfo::DeviceName(name)) => Ok(Paired { name: PlainText::short(&name).into_string() }),
        Some(PeerInfo::HostKey(_)) => Err(broken("it introduced itself as a computer")),
        None => Err(broken("its introduction has the wrong size")),
    }
}

struct Talk<'a, S> {
    stream: &'a mut S,
    at: &'a str,
    limit: Duration,
}

impl<S: AsyncRead + AsyncWrite + Unpin> Talk<'_, S> {
    fn lost(&self, why: String) -> PairError {
        PairError::Lost { at: self.at.into(), why }
    }

    async fn send(&mut self, kind: PairingKind, content: &[u8]) -> Result<(), PairError> {
        let packet = pairing_packet(kind, content);
        let sent = async {
            self.stream.write_all(&packet).await?;
            self.stream.flush().await
        };
        match timeout(self.limit, sent).await {
            Ok(sent) => sent.map_err(|error| self.lost(plain_io(&error))),
            Err(_) => Err(PairError::Silent { at: self.at.into(), waited: self.limit }),
        }
    }

    async fn receive(&mut self, wanted: PairingKind) -> Result<Vec<u8>, PairError> {
        let (at, limit) = (self.at, self.limit);
        let read = async {
            let mut header = [0; PAIRING_HEADER];
            self.stream.read_exact(&mut header).await?;
            let (kind, length) = match read_pairing_header(&header) {
                Ok((kind, length)) => (kind, length),
                Err(rule) => return Ok(Err(rule.to_string())),
            };
            if kind != wanted {
                return Ok(Err(format!("{kind:?} where {wanted:?} was due")));
            }
            let mut content = vec![0; length];
            self.stream.read_exact(&mut content).await?;
            Ok::<_, std::io::Error>(Ok(content))
        };
        match timeout(limit, read).await {
            Ok(Ok(Ok(content))) => Ok(content),
            Ok(Ok(Err(rule))) => Err(PairError::Broken { at: at.into(), rule }),
            Ok(Err(error)) => Err(self.lost(plain_io(&error))),
            Err(_) => Err(PairError::Silent { at: at.into(), waited: limit }),
        }
    }
}

/// The text of the QR code that a host shows to be paired: the device offers pairing under `name`, with `password` in
/// place of a typed code.
pub fn qr_text(name: &str, password: &str) -> String {
    format!("WIFI:T:ADB;S:{name};P:{password};;")
}

/// Name and password for a QR code, from a secure random source. The name begins with `wibbet-`, and both hold letters
/// and digits only, so that nothing in the code's text has to be escaped.
pub fn qr_secret() -> (String, String) {
    let word = |count: usize| -> String {
        const LETTERS: &[u8; 32] = b"abcdefghijkmnpqrstuvwxyz23456789";
        let mut bytes = vec![0; count];
        rsa::rand_core::RngCore::fill_bytes(&mut rsa::rand_core::OsRng, &mut bytes);
        bytes.iter().map(|b| char::from(LETTERS[usize::from(b % 32)])).collect()
    };
    (format!("wibbet-{}", word(6)), word(12))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn qr_codes_hold_nothing_that_needs_escaping() {
        let (name, password) = qr_secret();
        assert!(name.starts_with("wibbet-") && password.len() == 12);
        assert!(!format!("{name}{password}").contains([';', ':', '\\', '"', ',']));
        assert_ne!(qr_secret(), (name.clone(), password.clone()));
        assert_eq!(qr_text("n", "p"), "WIFI:T:ADB;S:n;P:p;;");
    }
}
