//! The protocol over the bulk transfers of a USB cable: a packet's header and its data are a transfer each.

use std::fmt::Debug;
use std::future::Future;
use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::time::Duration;

use tokio::time::timeout;

use super::{PacketSink, PacketSource};
use crate::wire::{Command, Header, MAX_DATA, Packet, WireError};

/// A transfer that is under way.
pub type Transfer<'a, T> = Pin<Box<dyn Future<Output = io::Result<T>> + Send + 'a>>;

/// Both bulk endpoints of a debugging interface. Reads are asked for one at a time, and so are writes; both go on at
/// the same time.
pub trait BulkPipe: Debug + Send + Sync {
    /// The most bytes in a packet of the bus (512 at high speed). A transfer ends with a shorter one, which may be
    /// empty, or when it has all that was asked for.
    fn packet_size(&self) -> usize;

    /// Reads one transfer of at most `most` bytes, which is a multiple of the packet size. A read that is dropped
    /// stays under way, and the next one, which asks for as much, takes what it brings.
    fn read(&self, most: usize) -> Transfer<'_, Vec<u8>>;

    /// Writes one transfer, which may be empty.
    fn write(&self, data: Vec<u8>) -> Transfer<'_, ()>;
}

/// Packets out of a pipe.
pub(crate) struct BulkSource {
    pipe: Arc<dyn BulkPipe>,
    /// Until the first packet has been understood, what does not fit is what a former host left behind.
    fresh: bool,
}

/// So many transfers that a former host left behind are dropped before giving up.
const MOST_STALE: u32 = 4096;
/// A pipe is taken to be empty when nothing comes for so long.
const QUIET: Duration = Duration::from_millis(80);
/// The most that is asked for, or written, at once: more takes more memory of the system than it may give.
const MOST_AT_ONCE: usize = 256 * 1024;

impl BulkSource {
    pub(crate) fn new(pipe: Arc<dyn BulkPipe>) -> Self {
        Self { pipe, fresh: true }
    }

    fn round_up(&self, length: usize) -> usize {
        length.next_multiple_of(self.pipe.packet_size().max(1))
    }

    /// Drops what a former host did not fetch, before anything is said: a token among it would be answered in vain.
    pub(crate) async fn drain(&mut self) -> io::Result<()> {
        for _ in 0..MOST_STALE {
            match timeout(QUIET, self.pipe.read(self.round_up(Header::SIZE))).await {
                Ok(transfer) => drop(transfer?),
                Err(_) => return Ok(()),
            }
        }
        Err(too_much())
    }

    async fn header(&mut self) -> io::Result<Result<Header, WireError>> {
        for _ in 0..MOST_STALE {
            let transfer = self.pipe.read(self.round_up(Header::SIZE)).await?;
            if transfer.is_empty() {
                // Ends a transfer of whole packets that was full already.
                continue;
            }
            let read = match <[u8; Header::SIZE]>::try_from(transfer.as_slice()) {
                Ok(bytes) => Header::read(&bytes, MAX_DATA),
                Err(_) => Err(WireError::Transfer { bytes: transfer.len() }),
            };
            match read {
                Err(_) if self.fresh => {}
                read => return Ok(read),
            }
        }
        Err(too_much())
    }
}

fn too_much() -> io::Error {
    io::Error::other("it holds nothing but what a former connection left behind")
}

impl PacketSource for BulkSource {
    async fn next(&mut self, strict: bool) -> io::Result<Result<Packet, WireError>> {
        loop {
            let header = match self.header().await? {
                Ok(header) => header,
                Err(error) => return Ok(Err(error)),
            };
            let length = header.length as usize;
            let mut data = Vec::new();
            let mut broken = false;
            // A device may bring the data in several transfers; each but the last is of whole packets.
            while data.len() < length && !broken {
                let piece = self.pipe.read(self.round_up((length - data.len()).min(MOST_AT_ONCE))).await?;
                broken = piece.is_empty() || data.len() + piece.len() > length;
                data.extend_from_slice(&piece);
            }
            let packet = match broken {
                true => Err(WireError::Transfer { bytes: data.len() }),
                false => Packet::join(header, data, strict),
            };
            match packet {
                Err(_) if self.fresh => {}
                packet => {
                    let answers = |p: &Packet| matches!(p.command, Command::Cnxn | Command::Auth | Command::Stls);
                    self.fresh &= !packet.as_ref().is_ok_and(answers);
                    return Ok(packet);
                }
            }
        }
    }
}

/// Packets into a pipe.
pub(crate) struct BulkSink(pub(crate) Arc<dyn BulkPipe>);

impl PacketSink for BulkSink {
    async fn put(&mut self, packet: &Packet, checksum: bool) -> io::Result<()> {
        let bytes = packet.encode(checksum);
        let (header, data) = bytes.split_at(Header::SIZE);
        self.0.write(header.to_vec()).await?;
        if !data.is_empty() {
            let whole = data.len().is_multiple_of(self.0.packet_size().max(1));
            for piece in data.chunks(MOST_AT_ONCE) {
                self.0.write(piece.to_vec()).await?;
            }
            // Without it a device would wait for the rest of the transfer.
            if whole {
                self.0.write(Vec::new()).await?;
            }
        }
        Ok(())
    }
}
