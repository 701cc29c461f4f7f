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

    /// The pipe that it reads.
    pub(crate) fn pipe(&self) -> Arc<dyn BulkPipe> {
        Arc::clone(&self.pipe)
    }

    /// Itself, for whoever goes on reading; what is left has been answered no more and no less.
    pub(crate) fn take(&mut self) -> Self {
        Self { pipe: self.pipe(), fresh: self.fresh }
    }

    /// Whether the device has answered this host at all.
    pub(crate) fn has_been_answered(&self) -> bool {
        !self.fresh
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::VecDeque;
    use std::sync::Mutex;

    /// A pipe that gives what it was given, and keeps what is written.
    #[derive(Debug, Default)]
    struct Given {
        transfers: Mutex<VecDeque<Vec<u8>>>,
        written: Mutex<Vec<usize>>,
    }

    impl Given {
        fn new(transfers: impl IntoIterator<Item = Vec<u8>>) -> Arc<Self> {
            Arc::new(Self { transfers: Mutex::new(transfers.into_iter().collect()), ..Self::default() })
        }
    }

    impl BulkPipe for Given {
        fn packet_size(&self) -> usize {
            64
        }

        fn read(&self, most: usize) -> Transfer<'_, Vec<u8>> {
            assert!(most > 0 && most.is_multiple_of(64), "a read of {most}");
            let mut transfers = self.transfers.lock().unwrap();
            let next = transfers.pop_front().map(|mut transfer| {
                if transfer.len() > most {
                    transfers.push_front(transfer.split_off(most));
                }
                transfer
            });
            Box::pin(async move { next.ok_or_else(|| io::Error::from(io::ErrorKind::NotConnected)) })
        }

        fn write(&self, data: Vec<u8>) -> Transfer<'_, ()> {
            self.written.lock().unwrap().push(data.len());
            Box::pin(async { Ok(()) })
        }
    }

    fn transfers_of(packet: &Packet) -> Vec<Vec<u8>> {
        let bytes = packet.encode(true);
        let (header, data) = bytes.split_at(Header::SIZE);
        match data {
            [] => vec![header.to_vec()],
            data => vec![header.to_vec(), data.to_vec()],
        }
    }

    fn welcome() -> Packet {
        Packet::new(Command::Cnxn, 0x0100_0001, 4096, *b"device::")
    }

    #[tokio::test]
    async fn what_a_former_host_left_is_passed_over_until_the_answer() {
        let mut stale = vec![vec![7; 200], vec![7; 24], Vec::new()];
        // A whole packet and one whose data are cut short: neither is an answer.
        stale.extend(transfers_of(&Packet::new(Command::Wrte, 1, 2, vec![1; 100])));
        stale.extend(transfers_of(&Packet::new(Command::Wrte, 1, 2, vec![1; 100])).into_iter().take(1));
        stale.push(vec![1; 60]);
        stale.push(Vec::new());
        stale.extend(transfers_of(&welcome()));
        let mut source = BulkSource::new(Given::new(stale));
        let mut seen = Vec::new();
        while let Ok(Ok(packet)) = source.next(false).await {
            seen.push(packet.command);
        }
        assert_eq!(seen, [Command::Wrte, Command::Cnxn]);
    }

    #[tokio::test]
    async fn once_it_is_answered_what_does_not_fit_is_an_error() {
        for (rubbish, what) in [(vec![7; 200], "header"), (vec![9; 24], "command")] {
            let mut transfers = transfers_of(&welcome());
            transfers.push(rubbish);
            let mut source = BulkSource::new(Given::new(transfers));
            assert!(source.next(false).await.unwrap().is_ok());
            let error = source.next(false).await.unwrap().unwrap_err().to_string();
            assert!(error.contains(what), "{error}");
        }
    }

    #[tokio::test]
    async fn whole_packets_of_the_bus_are_ended_when_written() {
        let pipe = Given::new([]);
        let mut sink = BulkSink(Arc::clone(&pipe) as _);
        for size in [0, 1, 63, 64, 65, 128] {
            sink.put(&Packet::new(Command::Wrte, 1, 2, vec![0; size]), false).await.unwrap();
        }
        let written = pipe.written.lock().unwrap().clone();
        assert_eq!(written, [24, 24, 1, 24, 63, 24, 64, 0, 24, 65, 24, 128, 0]);
    }

    proptest! {
        #[test]
        fn packets_come_through_in_pieces_of_any_size(sizes in proptest::collection::vec(0usize..400, 0..6), cut in 1usize..5) {
            let runtime = tokio::runtime::Builder::new_current_thread().build().unwrap();
            let mut packets = vec![welcome()];
            packets.extend(sizes.iter().map(|n| Packet::new(Command::Wrte, 3, 4, vec![5; *n])));
            let mut transfers = Vec::new();
            for packet in &packets {
                for transfer in transfers_of(packet) {
                    // A device may bring its data in several transfers of whole packets of the bus.
                    let whole = transfer.len() > 64 * cut;
                    if whole {
                        transfers.push(transfer[..64 * cut].to_vec());
                        transfers.push(transfer[64 * cut..].to_vec());
                    } else {
                        transfers.push(transfer);
                    }
                }
            }
            let mut source = BulkSource::new(Given::new(transfers));
            for packet in &packets {
                let read = runtime.block_on(source.next(true)).unwrap().unwrap();
                prop_assert_eq!(&read, packet);
            }
        }

        #[test]
        fn any_transfers_give_packets_or_errors(transfers in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..80), 0..12)) {
            let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build().unwrap();
            let mut source = BulkSource::new(Given::new(transfers));
            while runtime.block_on(source.next(false)).is_ok() {}
        }
    }
}
