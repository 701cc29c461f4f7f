//! Packets of a pairing connection, and what is in them.

use thiserror::Error;

/// Bytes before a packet's content: version, kind, length (u32, big-endian).
pub const PAIRING_HEADER: usize = 6;
const VERSION: u8 = 1;
/// The most that a side accepts: twice the size of a peer's introduction.
pub const MOST_CONTENT: usize = 2 * PEER_INFO_LEN;
/// Bytes of an introduction, whatever is in it.
pub const PEER_INFO_LEN: usize = 8192;

/// What a pairing packet carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PairingKind {
    /// A message of the key exchange.
    Exchange,
    /// A sealed introduction.
    PeerInfo,
}

/// Why bytes are no pairing packet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum PairingPacketError {
    /// Another version of the protocol.
    #[error("version {0} of the pairing protocol")]
    Version(u8),
    /// An unknown kind.
    #[error("a pairing packet of the unknown kind {0}")]
    Kind(u8),
    /// More content than there may be, or none.
    #[error("a pairing packet of {0} bytes")]
    Length(u32),
}

/// Reads a header: the kind and the bytes of content that follow.
pub fn read_pairing_header(bytes: &[u8; PAIRING_HEADER]) -> Result<(PairingKind, usize), PairingPacketError> {
    let [version, kind, length @ ..] = *bytes;
    if version != VERSION {
        return Err(PairingPacketError::Version(version));
    }
    let kind = match kind {
        0 => PairingKind::Exchange,
        1 => PairingKind::PeerInfo,
        other => return Err(PairingPacketError::Kind(other)),
    };
    let length = u32::from_be_bytes(length);
    match length as usize {
        1..=MOST_CONTENT => Ok((kind, length as usize)),
        _ => Err(PairingPacketError::Length(length)),
    }
}

/// A packet, header and content.
pub fn pairing_packet(kind: PairingKind, content: &[u8]) -> Vec<u8> {
    let kind = match kind {
        PairingKind::Exchange => 0,
        PairingKind::PeerInfo => 1,
    };
    let mut out = vec![VERSION, kind];
    out.extend_from_slice(&u32::try_from(content.len()).unwrap_or(u32::MAX).to_be_bytes());
    out.extend_from_slice(content);
    out
}

/// What a side says of itself once the code has been proved.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PeerInfo {
    /// The line of a host's public key.
    HostKey(String),
    /// The name under which a device announces its connect service.
    DeviceName(String),
}

impl PeerInfo {
    /// The 8192 bytes of an introduction.
    pub fn encode(&self) -> Vec<u8> {
        let (kind, text) = match self {
            Self::HostKey(line) => (0, line),
            Self::DeviceName(name) => (1, name),
        };
        let mut out = vec![kind];
        out.extend_from_slice(&text.as_bytes()[..text.len().min(PEER_INFO_LEN - 2)]);
        out.resize(PEER_INFO_LEN, 0);
        out
    }

    /// Reads an introduction; `None` when it has another size or kind.
    pub fn read(bytes: &[u8]) -> Option<Self> {
        if bytes.len() != PEER_INFO_LEN {
            return None;
        }
        let (kind, rest) = bytes.split_first()?;
        let text = rest.split(|b| *b == 0).next().unwrap_or_default();
        let text = String::from_utf8_lossy(text).into_owned();
        match kind {
            0 => Some(Self::HostKey(text)),
            1 => Some(Self::DeviceName(text)),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn headers_and_their_rules() {
        let packet = pairing_packet(PairingKind::PeerInfo, b"abc");
        assert_eq!(packet, [1, 1, 0, 0, 0, 3, b'a', b'b', b'c']);
        assert_eq!(read_pairing_header(&[1, 0, 0, 0, 0, 32]), Ok((PairingKind::Exchange, 32)));
        assert_eq!(read_pairing_header(&[2, 0, 0, 0, 0, 32]), Err(PairingPacketError::Version(2)));
        assert_eq!(read_pairing_header(&[1, 2, 0, 0, 0, 32]), Err(PairingPacketError::Kind(2)));
        for length in [0u32, 16385, u32::MAX] {
            let [a, b, c, d] = length.to_be_bytes();
            assert_eq!(read_pairing_header(&[1, 0, a, b, c, d]), Err(PairingPacketError::Length(length)));
        }
    }

    proptest! {
        #[test]
        fn introductions_come_back(text in "[ -~]{0,9000}", host in any::<bool>()) {
            let info = if host { PeerInfo::HostKey(text.clone()) } else { PeerInfo::DeviceName(text.clone()) };
            let bytes = info.encode();
            prop_assert_eq!(bytes.len(), PEER_INFO_LEN);
            if text.len() <= PEER_INFO_LEN - 2 {
                prop_assert_eq!(PeerInfo::read(&bytes), Some(info));
            }
            prop_assert_eq!(PeerInfo::read(&bytes[1..]), None);
        }
    }
}
