//! Packets as they are on the wire.

use thiserror::Error;
use tokio::io::{AsyncRead, AsyncReadExt};

/// The first version of the protocol; every packet carries a checksum.
pub const VERSION_MIN: u32 = 0x0100_0000;
/// From this version on both sides ignore checksums once it has been agreed.
pub const VERSION_SKIP_CHECKSUM: u32 = 0x0100_0001;
/// The most data that a packet may carry, in bytes; each side announces its own limit.
pub const MAX_DATA: u32 = 1024 * 1024;

/// What a packet is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Command {
    /// Connect: version, most data, banner.
    Cnxn,
    /// Authorise: token, signature or public key.
    Auth,
    /// Go on inside TLS.
    Stls,
    /// Open a stream to a service.
    Open,
    /// A stream is ready: it is open, or what was written has been taken.
    Okay,
    /// Data of a stream.
    Wrte,
    /// A stream is closed, or was never opened.
    Clse,
}

impl Command {
    const ALL: [(Self, [u8; 4]); 7] = [
        (Self::Cnxn, *b"CNXN"),
        (Self::Auth, *b"AUTH"),
        (Self::Stls, *b"STLS"),
        (Self::Open, *b"OPEN"),
        (Self::Okay, *b"OKAY"),
        (Self::Wrte, *b"WRTE"),
        (Self::Clse, *b"CLSE"),
    ];

    /// The word on the wire.
    pub fn word(self) -> u32 {
        let name = Self::ALL.iter().find(|(c, _)| *c == self).map_or(*b"????", |(_, name)| *name);
        u32::from_le_bytes(name)
    }

    fn from_word(word: u32) -> Option<Self> {
        Self::ALL.iter().find(|(_, name)| u32::from_le_bytes(*name) == word).map(|(c, _)| *c)
    }
}

/// Why bytes are not a packet.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum WireError {
    /// The first word is no command.
    #[error("unknown command {0:#010x}")]
    Command(u32),
    /// The last word of the header is not the first one inverted.
    #[error("the header's check word is {got:#010x}, expected {expected:#010x}")]
    Magic {
        /// What the command asks for.
        expected: u32,
        /// What was there.
        got: u32,
    },
    /// More data is announced than may come.
    #[error("{length} bytes of data announced, at most {most} agreed")]
    TooLong {
        /// Bytes announced.
        length: u32,
        /// Bytes agreed.
        most: u32,
    },
    /// Over a cable header and data are a transfer each, and this one is neither.
    #[error("a transfer of {bytes} bytes where a packet's header or the rest of its data was due")]
    Transfer {
        /// Its bytes.
        bytes: usize,
    },
    /// The data do not add up to the checksum.
    #[error("checksum {got:#x} does not fit the data, expected {expected:#x}")]
    Checksum {
        /// The sum of the data.
        expected: u32,
        /// What the header says.
        got: u32,
    },
}

/// The 24 bytes before a packet's data.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// What the packet is about.
    pub command: Command,
    /// First argument; a stream's id on the sender's side, mostly.
    pub arg0: u32,
    /// Second argument; a stream's id on the receiver's side, mostly.
    pub arg1: u32,
    /// Bytes of data that follow.
    pub length: u32,
    /// Byte sum of the data; may be 0 from [`VERSION_SKIP_CHECKSUM`] on.
    pub checksum: u32,
}

impl Header {
    /// The size on the wire, in bytes.
    pub const SIZE: usize = 24;

    /// Reads a header and checks what can be checked without the data. `most` is the data limit in
    /// bytes: nothing longer is ever allocated.
    pub fn read(bytes: &[u8; Self::SIZE], most: u32) -> Result<Self, WireError> {
        let word = |i: usize| u32::from_le_bytes([bytes[i * 4], bytes[i * 4 + 1], bytes[i * 4 + 2], bytes[i * 4 + 3]]);
        let command = Command::from_word(word(0)).ok_or(WireError::Command(word(0)))?;
        if word(5) != !word(0) {
            return Err(WireError::Magic { expected: !word(0), got: word(5) });
        }
        let length = word(3);
        if length > most {
            return Err(WireError::TooLong { length, most });
        }
        Ok(Self { command, arg0: word(1), arg1: word(2), length, checksum: word(4) })
    }

    /// The bytes on the wire.
    pub fn encode(&self) -> [u8; Self::SIZE] {
        let command = self.command.word();
        let words = [command, self.arg0, self.arg1, self.length, self.checksum, !command];
        let mut out = [0; Self::SIZE];
        for (chunk, word) in out.chunks_exact_mut(4).zip(words) {
            chunk.copy_from_slice(&word.to_le_bytes());
        }
        out
    }
}

/// A packet: header and data.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Packet {
    /// What the packet is about.
    pub command: Command,
    /// First argument.
    pub arg0: u32,
    /// Second argument.
    pub arg1: u32,
    /// The data.
    pub data: Vec<u8>,
}

impl Packet {
    /// A packet with data.
    pub fn new(command: Command, arg0: u32, arg1: u32, data: impl Into<Vec<u8>>) -> Self {
        Self { command, arg0, arg1, data: data.into() }
    }

    /// The bytes on the wire, with a real checksum where `checksum` is set and 0 otherwise.
    pub fn encode(&self, checksum: bool) -> Vec<u8> {
        let header = Header {
            command: self.command,
            arg0: self.arg0,
            arg1: self.arg1,
            length: u32::try_from(self.data.len()).unwrap_or(u32::MAX),
            checksum: if checksum { byte_sum(&self.data) } else { 0 },
        };
        let mut out = Vec::with_capacity(Header::SIZE + self.data.len());
        out.extend_from_slice(&header.encode());
        out.extend_from_slice(&self.data);
        out
    }

    /// Joins a header with its data. The checksum is checked when `strict`; else a checksum of 0
    /// passes as "none", which is how newer daemons answer before the version is agreed.
    pub fn join(header: Header, data: Vec<u8>, strict: bool) -> Result<Self, WireError> {
        let sum = byte_sum(&data);
        if header.checksum != sum && (strict || header.checksum != 0) {
            return Err(WireError::Checksum { expected: sum, got: header.checksum });
        }
        Ok(Self { command: header.command, arg0: header.arg0, arg1: header.arg1, data })
    }
}

fn byte_sum(data: &[u8]) -> u32 {
    data.iter().fold(0, |sum, b| sum.wrapping_add(u32::from(*b)))
}

/// Reads one packet. The outer error is the connection's, the inner one the packet's. A connection
/// that ends between two packets is an `UnexpectedEof` too.
pub async fn read_packet<R: AsyncRead + Unpin>(
    from: &mut R,
    most: u32,
    strict: bool,
) -> std::io::Result<Result<Packet, WireError>> {
    let mut head = [0; Header::SIZE];
    from.read_exact(&mut head).await?;
    let header = match Header::read(&head, most) {
        Ok(header) => header,
        Err(error) => return Ok(Err(error)),
    };
    let mut data = vec![0; header.length as usize];
    from.read_exact(&mut data).await?;
    Ok(Packet::join(header, data, strict))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The words as the protocol's own documentation prints them.
    #[test]
    fn commands_have_their_published_words() {
        for (command, word) in [
            (Command::Cnxn, 0x4e58_4e43),
            (Command::Auth, 0x4854_5541),
            (Command::Stls, 0x534c_5453),
            (Command::Open, 0x4e45_504f),
            (Command::Okay, 0x5941_4b4f),
            (Command::Wrte, 0x4554_5257),
            (Command::Clse, 0x4553_4c43),
        ] {
            assert_eq!(command.word(), word);
            assert_eq!(Command::from_word(word), Some(command));
        }
    }

    /// A packet worked out by hand from the documentation.
    #[test]
    fn a_known_packet() {
        let packet = Packet::new(Command::Open, 1, 0, *b"shell:\0");
        let bytes = packet.encode(true);
        let expected = [
            0x4f, 0x50, 0x45, 0x4e, 1, 0, 0, 0, 0, 0, 0, 0, 7, 0, 0, 0, 0x52, 0x02, 0, 0, 0xb0, 0xaf, 0xba, 0xb1, b's',
            b'h', b'e', b'l', b'l', b':', 0,
        ];
        assert_eq!(bytes, expected);
    }

    #[test]
    fn rules() {
        let good = Header { command: Command::Wrte, arg0: 1, arg1: 2, length: 10, checksum: 0 };
        assert_eq!(Header::read(&good.encode(), 10), Ok(good));
        assert_eq!(Header::read(&good.encode(), 9), Err(WireError::TooLong { length: 10, most: 9 }));
        let mut bad = good.encode();
        bad[20] ^= 1;
        assert!(matches!(Header::read(&bad, 10), Err(WireError::Magic { .. })));
        assert!(matches!(Header::read(b"HTTP/1.1 400 Bad Request", 10), Err(WireError::Command(_))));
        let header = Header { checksum: 1, length: 1, ..good };
        assert!(Packet::join(header, vec![2], false).is_err());
        assert!(Packet::join(Header { checksum: 0, ..header }, vec![2], false).is_ok());
        assert!(Packet::join(Header { checksum: 0, ..header }, vec![2], true).is_err());
    }

    #[tokio::test]
    async fn every_truncation_is_an_end_and_not_a_packet() {
        let bytes = Packet::new(Command::Wrte, 3, 4, *b"hello").encode(true);
        for n in 0..bytes.len() {
            let error = read_packet(&mut &bytes[..n], 100, true).await.unwrap_err();
            assert_eq!(error.kind(), std::io::ErrorKind::UnexpectedEof);
        }
    }

    proptest! {
        #[test]
        fn any_header_is_read_or_refused(bytes in any::<[u8; 24]>(), most in any::<u32>()) {
            if let Ok(header) = Header::read(&bytes, most) {
                prop_assert!(header.length <= most);
                prop_assert_eq!(header.encode(), bytes);
            }
        }
    }
}
