//! Many streams over one connection: who may send when, and what becomes of packets that nobody waits for.

use std::collections::{BTreeMap, VecDeque};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::sync::{mpsc, watch};
use tokio::task::JoinHandle;
use tokio::time::timeout;
use wibbet_types::PlainText;

use crate::error::{CallError, LinkError};
use crate::terms::Agreed;
use crate::timeouts::Timeouts;
use crate::transport::{PacketSink, PacketSource, plain_io};
use crate::wire::{Command, Packet};

/// So many packets may wait to be sent. What this side sends by itself stays far below; a device that makes it answer
/// more than it takes is not served any longer.
const MOST_QUEUED: usize = 4096;
/// The most data that is written in one packet, whatever the device takes.
const MOST_WRITTEN: usize = 256 * 1024;

/// So many bytes of one stream may come beyond a whole packet before they are acknowledged.
///
/// By the rule it would be none. The platform's own daemon sends what a command has left in its socket when it ends, and
/// the exit code behind it, without waiting (observed on 34.0.5: about 150 kB, in packets of the agreed size). This is
/// also what bounds the memory that an unread stream takes.
const MOST_AHEAD: usize = 512 * 1024;
/// What a packet counts beside its data, so that empty ones are bounded too.
const PACKET_COST: usize = 64;

/// What the reader passes on to a stream.
#[derive(Debug)]
enum Event {
    /// The other side is ready: the stream is open, or what was written has been taken.
    Ready,
    Data(Vec<u8>),
}

#[derive(Debug)]
struct Slot {
    events: mpsc::UnboundedSender<Event>,
    remote: Option<u32>,
    /// An OKAY is due: for the opening, or for what was written. Others are skipped.
    awaits_okay: bool,
    /// Bytes that have come and are not acknowledged yet, [`PACKET_COST`] for each packet included.
    unacknowledged: usize,
}

#[derive(Debug)]
pub(crate) struct Mux {
    at: String,
    out: mpsc::UnboundedSender<Packet>,
    queued: AtomicUsize,
    table: Mutex<Table>,
    /// The most data in a packet to the device.
    max_data: usize,
    /// The most bytes of one stream that may be on hold, see [`MOST_AHEAD`].
    most_held: usize,
    ended: watch::Sender<bool>,
    tasks: Mutex<Vec<JoinHandle<()>>>,
}

#[derive(Debug, Default)]
struct Table {
    slots: BTreeMap<u32, Slot>,
    last_id: u32,
    /// Why the link has ended, once it has.
    end: Option<LinkError>,
}

impl Mux {
    pub(crate) fn start<R, W>(from: R, to: W, at: &str, agreed: &Agreed, limits: &Timeouts) -> Connection
    where
        R: PacketSource + 'static,
        W: PacketSink + 'static,
    {
        let (out, queue) = mpsc::unbounded_channel();
        let mux = Arc::new(Self {
            at: at.to_owned(),
            out,
            queued: AtomicUsize::new(0),
            table: Mutex::default(),
            max_data: (agreed.max_data as usize).min(MOST_WRITTEN),
            most_held: agreed.max_data as usize + PACKET_COST + MOST_AHEAD,
            ended: watch::Sender::new(false),
            tasks: Mutex::default(),
        });
        let tasks = vec![
            tokio::spawn(read_all(from, Arc::clone(&mux), agreed.checksum)),
            tokio::spawn(write_all(to, queue, Arc::clone(&mux), agreed.checksum, limits.write)),
        ];
        *mux.tasks.lock().unwrap_or_else(PoisonError::into_inner) = tasks;
        Connection(mux)
    }

    fn table(&self) -> MutexGuard<'_, Table> {
        // The table is consistent at every point where its holder could panic.
        self.table.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Marks the link as ended; every stream learns of it because its sender goes.
    fn end(&self, error: LinkError) {
        let mut table = self.table();
        table.end.get_or_insert(error);
        table.slots.clear();
        drop(table);
        self.ended.send_replace(true);
    }

    fn why_ended(&self) -> LinkError {
        self.table().end.clone().unwrap_or_else(|| LinkError::lost(&self.at, "the link was closed"))
    }

    /// Queues a packet; false when the link has ended.
    fn send(&self, packet: Packet) -> bool {
        self.queued.fetch_add(1, Ordering::Relaxed);
        self.out.send(packet).is_ok()
    }
}

/// The hold on a connection: it ends when the last one goes, although its tasks and streams know it too.
#[derive(Debug)]
pub(crate) struct Connection(Arc<Mux>);

impl Drop for Connection {
    fn drop(&mut self) {
        let tasks = std::mem::take(&mut *self.0.tasks.lock().unwrap_or_else(PoisonError::into_inner));
        tasks.iter().for_each(JoinHandle::abort);
        self.0.end(LinkError::lost(&self.0.at, "the link was closed"));
    }
}

impl Connection {
    /// The most data in a packet to the device.
    pub(crate) fn max_data(&self) -> usize {
        self.0.max_data
    }

    pub(crate) fn give_up(&self, why: &str) {
        self.0.end(LinkError::lost(&self.0.at, why));
        // The socket goes with the tasks.
        self.0.tasks.lock().unwrap_or_else(PoisonError::into_inner).iter().for_each(JoinHandle::abort);
    }

    pub(crate) fn is_ended(&self) -> bool {
        self.0.table().end.is_some()
    }

    pub(crate) async fn ended(&self) -> LinkError {
        // The sender lives as long as this does, so waiting cannot fail.
        let _ = self.0.ended.subscribe().wait_for(|ended| *ended).await;
        self.0.why_ended()
    }

    pub(crate) async fn open(&self, service: &str, limit: Duration) -> Result<MuxStream, CallError> {
        let mux = &self.0;
        let (events, inbox) = mpsc::unbounded_channel();
        let id = {
            let mut table = mux.table();
            if let Some(error) = &table.end {
                return Err(error.clone().into());
            }
            // Ids are never 0 and are not used again while their stream is open.
            loop {
                table.last_id = table.last_id.wrapping_add(1);
                if table.last_id != 0 && !table.slots.contains_key(&table.last_id) {
                    break;
                }
            }
            let id = table.last_id;
            table.slots.insert(id, Slot { events, remote: None, awaits_okay: true, unacknowledged: 0 });
            id
        };
        let name = PlainText::short(service);
        let mut stream =
            MuxStream { mux: Arc::clone(mux), name, id, inbox, may_write: false, waiting: VecDeque::new() };
        if !mux.send(Packet::new(Command::Open, id, 0, format!("{service}\0"))) {
            return Err(mux.why_ended().into());
        }
        match timeout(limit, stream.inbox.recv()).await {
            Err(_) => Err(CallError::Silent { service: stream.name.clone(), waited: limit }),
            Ok(Some(Event::Ready)) => {
                stream.may_write = true;
                Ok(stream)
            }
            Ok(Some(Event::Data(_))) => {
                Err(CallError::Garbled { service: stream.name.clone(), rule: "data before the stream was open".into() })
            }
            Ok(None) => match mux.table().end.clone() {
                Some(error) => Err(error.into()),
                None => Err(CallError::Refused { service: stream.name.clone() }),
            },
        }
    }
}

/// One stream of a connection.
#[derive(Debug)]
pub(crate) struct MuxStream {
    mux: Arc<Mux>,
    pub(crate) name: PlainText,
    id: u32,
    inbox: mpsc::UnboundedReceiver<Event>,
    may_write: bool,
    waiting: VecDeque<Vec<u8>>,
}

impl MuxStream {
    pub(crate) async fn read(&mut self, idle: Duration) -> Result<Option<Vec<u8>>, CallError> {
        loop {
            if let Some(data) = self.waiting.pop_front() {
                self.acknowledge(data.len());
                return Ok(Some(data));
            }
            if !self.take_event(idle).await? {
                return Ok(None);
            }
        }
    }

    pub(crate) async fn write(&mut self, data: &[u8], idle: Duration) -> Result<(), CallError> {
        for piece in data.chunks(self.mux.max_data) {
            while !self.may_write {
                if !self.take_event(idle).await? {
                    return Err(CallError::CutShort { service: self.name.clone() });
                }
            }
            self.may_write = false;
            let remote = self.mux.table().slots.get_mut(&self.id).and_then(|slot| {
                slot.awaits_okay = true;
                slot.remote
            });
            let Some(remote) = remote else {
                return Err(CallError::CutShort { service: self.name.clone() });
            };
            if !self.mux.send(Packet::new(Command::Wrte, self.id, remote, piece)) {
                return Err(self.mux.why_ended().into());
            }
        }
        Ok(())
    }

    /// Takes one event; false when the stream has been closed by the device.
    async fn take_event(&mut self, idle: Duration) -> Result<bool, CallError> {
        match timeout(idle, self.inbox.recv()).await {
            Err(_) => Err(CallError::Silent { service: self.name.clone(), waited: idle }),
            Ok(Some(Event::Ready)) => {
                self.may_write = true;
                Ok(true)
            }
            Ok(Some(Event::Data(data))) => {
                self.waiting.push_back(data);
                Ok(true)
            }
            Ok(None) => match self.mux.table().end.clone() {
                Some(error) => Err(error.into()),
                None => Ok(false),
            },
        }
    }

    fn acknowledge(&self, bytes: usize) {
        if self.mux.queued.load(Ordering::Relaxed) >= MOST_QUEUED {
            let rule = "it sends and does not take what is answered".to_owned();
            return self.mux.end(LinkError::Broken { at: self.mux.at.clone(), rule });
        }
        let mut table = self.mux.table();
        if let Some(slot) = table.slots.get_mut(&self.id)
            && let Some(remote) = slot.remote
        {
            slot.unacknowledged = slot.unacknowledged.saturating_sub(bytes + PACKET_COST);
            // A closed queue means that the link has ended; the next read says so.
            self.mux.send(Packet::new(Command::Okay, self.id, remote, []));
        }
    }
}

impl Drop for MuxStream {
    fn drop(&mut self) {
        if let Some(slot) = self.mux.table().slots.remove(&self.id) {
            // A stream whose opening has not been answered is closed with remote id 0: the daemon
            // ignores that, and its late OKAY is answered by a CLSE in `dispatch`.
            self.mux.send(Packet::new(Command::Clse, self.id, slot.remote.unwrap_or(0), []));
        }
    }
}

async fn read_all<R: PacketSource>(mut from: R, mux: Arc<Mux>, strict: bool) {
    let end = loop {
        match from.next(strict).await {
            Err(error) => break LinkError::lost(&mux.at, plain_io(&error)),
            Ok(Err(error)) => break LinkError::Broken { at: mux.at.clone(), rule: error.to_string() },
            Ok(Ok(packet)) => {
                if let Err(end) = dispatch(&mux, packet) {
                    break end;
                }
            }
        }
    };
    mux.end(end);
}

fn dispatch(mux: &Mux, packet: Packet) -> Result<(), LinkError> {
    let broken = |rule: &str| LinkError::Broken { at: mux.at.clone(), rule: rule.into() };
    let (remote, local) = (packet.arg0, packet.arg1);
    let answer = |packet| match mux.queued.load(Ordering::Relaxed) {
        0..MOST_QUEUED => {
            mux.send(packet);
            Ok(())
        }
        _ => Err(broken("it asks for answers faster than it takes them")),
    };
    let mut table = mux.table();
    let slot = table.slots.get_mut(&local);
    match packet.command {
        Command::Okay => match slot {
            Some(slot) if slot.remote.is_none_or(|r| r == remote) && remote != 0 && slot.awaits_okay => {
                slot.remote = Some(remote);
                slot.awaits_okay = false;
                let _ = slot.events.send(Event::Ready);
            }
            None if remote != 0 => answer(Packet::new(Command::Clse, local, remote, []))?,
            _ => {}
        },
        Command::Wrte => match slot {
            Some(slot) if slot.remote == Some(remote) => {
                slot.unacknowledged += packet.data.len() + PACKET_COST;
                if slot.unacknowledged > mux.most_held {
                    return Err(broken("it sends data without waiting for the former ones to be acknowledged"));
                }
                let _ = slot.events.send(Event::Data(packet.data));
            }
            Some(_) => {}
            None => answer(Packet::new(Command::Clse, local, remote, []))?,
        },
        // Old daemons close with remote id 0 even after opening; the local id decides.
        Command::Clse => {
            table.slots.remove(&local);
        }
        Command::Cnxn | Command::Auth | Command::Stls => {
            return Err(LinkError::lost(&mux.at, "the device began the connection anew"));
        }
        // A device opens streams to the host only for reverse forwarding, which is never asked for.
        Command::Open => answer(Packet::new(Command::Clse, 0, remote, []))?,
    }
    Ok(())
}

async fn write_all<W: PacketSink>(
    mut to: W,
    mut queue: mpsc::UnboundedReceiver<Packet>,
    mux: Arc<Mux>,
    checksum: bool,
    limit: Duration,
) {
    while let Some(packet) = queue.recv().await {
        let written = timeout(limit, to.put(&packet, checksum)).await;
        mux.queued.fetch_sub(1, Ordering::Relaxed);
        let why = match written {
            Ok(Ok(())) => continue,
            Ok(Err(error)) => plain_io(&error),
            Err(_) => format!("the device has taken nothing for {} s", limit.as_secs()),
        };
        return mux.end(LinkError::lost(&mux.at, why));
    }
}
