//! A link: one connection to a device, shared by any number of streams.

use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt as _};
use tokio::net::TcpStream;
use tokio::sync::{mpsc, watch};
use tokio::task::JoinHandle;
use tokio::time::timeout;
use wibbet_types::PlainText;

use crate::banner::Banner;
use crate::error::{CallError, LinkError};
use crate::handshake::{Agreed, Progress, shake_hands};
use crate::keys::KeyRing;
use crate::wire::{Command, MAX_DATA, Packet, read_packet};

/// How long to wait for what.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// For the network connection.
    pub connect: Duration,
    /// For each packet of the device while the connection is made.
    pub answer: Duration,
    /// For somebody to tap "Allow" on the device.
    pub tap: Duration,
    /// For the next sign of life within a call.
    pub idle: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            connect: Duration::from_secs(6),
            answer: Duration::from_secs(10),
            tap: Duration::from_secs(180),
            idle: Duration::from_secs(30),
        }
    }
}

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
    /// A packet of the device has not been acknowledged yet; it must not send another before.
    /// That bounds what an unread stream holds to one packet.
    unacknowledged: bool,
}

#[derive(Debug)]
struct Shared {
    at: String,
    out: mpsc::UnboundedSender<Packet>,
    table: Mutex<Table>,
    max_data: u32,
    ended: watch::Sender<bool>,
}

#[derive(Debug, Default)]
struct Table {
    slots: HashMap<u32, Slot>,
    last_id: u32,
    /// Why the link has ended, once it has.
    end: Option<LinkError>,
}

impl Shared {
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
}

/// A connection to a device on which services can be called. Cheap to clone; the connection is
/// closed when the last clone goes.
#[derive(Debug, Clone)]
pub struct Link {
    shared: Arc<Shared>,
    banner: Arc<Banner>,
    _tasks: Arc<Tasks>,
}

#[derive(Debug)]
struct Tasks([JoinHandle<()>; 2]);

impl Drop for Tasks {
    fn drop(&mut self) {
        self.0.iter().for_each(JoinHandle::abort);
    }
}

impl Link {
    /// Connects to a daemon on TCP (`HOST:PORT`), telling `progress` how far it has got.
    ///
    /// # Errors
    /// Each way in which there can be no link is a [`LinkError`] of its own.
    pub async fn connect_tcp(
        at: &str,
        keys: &KeyRing,
        limits: &Limits,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let no_answer = |why: String| LinkError::NoAnswer { at: at.to_owned(), why };
        let socket = match timeout(limits.connect, TcpStream::connect(at)).await {
            Err(_) => return Err(no_answer(format!("nothing came within {} s", limits.connect.as_secs()))),
            Ok(Err(error)) => return Err(no_answer(plain_io(&error))),
            Ok(Ok(socket)) => socket,
        };
        // Small packets go to and fro; waiting to fill a segment would cost 40 ms each.
        socket.set_nodelay(true).map_err(|e| LinkError::lost(at, e))?;
        progress(Progress::Reached);
        let (from, to) = socket.into_split();
        Self::over(from, to, at, keys, limits, progress).await
    }

    /// Makes a link over any open transport; `at` names it in messages.
    pub async fn over<R, W>(
        mut from: R,
        mut to: W,
        at: &str,
        keys: &KeyRing,
        limits: &Limits,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError>
    where
        R: AsyncRead + Unpin + Send + 'static,
        W: AsyncWrite + Unpin + Send + 'static,
    {
        let agreed = shake_hands(&mut from, &mut to, at, keys, limits, progress).await?;
        let (out, queue) = mpsc::unbounded_channel();
        let shared = Arc::new(Shared {
            at: at.to_owned(),
            out,
            table: Mutex::default(),
            max_data: agreed.max_data,
            ended: watch::Sender::new(false),
        });
        let reader = tokio::spawn(read_all(from, Arc::clone(&shared), agreed.checksum));
        let writer = tokio::spawn(write_all(to, queue, Arc::clone(&shared), agreed.checksum));
        let Agreed { banner, .. } = agreed;
        Ok(Self { shared, banner: Arc::new(banner), _tasks: Arc::new(Tasks([reader, writer])) })
    }

    /// What the device said of itself.
    pub fn banner(&self) -> &Banner {
        &self.banner
    }

    /// Whether the link is known to have ended.
    pub fn is_ended(&self) -> bool {
        self.shared.table().end.is_some()
    }

    /// Waits until the link has ended, and says why.
    pub async fn ended(&self) -> LinkError {
        // The sender lives as long as this link does, so waiting cannot fail.
        let _ = self.shared.ended.subscribe().wait_for(|ended| *ended).await;
        self.shared.why_ended()
    }

    /// Opens a stream to a service, waiting at most `limit` for the device to accept it.
    pub async fn open(&self, service: &str, limit: Duration) -> Result<Stream, CallError> {
        let (events, inbox) = mpsc::unbounded_channel();
        let id = {
            let mut table = self.shared.table();
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
            table.slots.insert(id, Slot { events, remote: None, unacknowledged: false });
            id
        };
        let mut stream = Stream {
            shared: Arc::clone(&self.shared),
            name: PlainText::new(service),
            id,
            inbox,
            may_write: false,
            waiting: VecDeque::new(),
        };
        let open = Packet::new(Command::Open, id, 0, format!("{service}\0"));
        if self.shared.out.send(open).is_err() {
            return Err(self.shared.why_ended().into());
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
            Ok(None) => match self.shared.table().end.clone() {
                Some(error) => Err(error.into()),
                None => Err(CallError::Refused { service: stream.name.clone() }),
            },
        }
    }
}

/// One stream of a link: an open service.
#[derive(Debug)]
pub struct Stream {
    shared: Arc<Shared>,
    name: PlainText,
    id: u32,
    inbox: mpsc::UnboundedReceiver<Event>,
    may_write: bool,
    waiting: VecDeque<Vec<u8>>,
}

impl Stream {
    /// The service, for messages.
    pub fn name(&self) -> &PlainText {
        &self.name
    }

    /// The next piece of data, or `None` when the device has closed the stream. Waits at most
    /// `idle`. Taking a piece is what lets the device send the next one.
    pub async fn read(&mut self, idle: Duration) -> Result<Option<Vec<u8>>, CallError> {
        loop {
            if let Some(data) = self.waiting.pop_front() {
                self.acknowledge();
                return Ok(Some(data));
            }
            if !self.take_event(idle).await? {
                return Ok(None);
            }
        }
    }

    /// Writes all of `data`, in packets of the agreed size, waiting at most `idle` for each to be
    /// taken.
    pub async fn write(&mut self, data: &[u8], idle: Duration) -> Result<(), CallError> {
        for piece in data.chunks(self.shared.max_data as usize) {
            while !self.may_write {
                if !self.take_event(idle).await? {
                    return Err(CallError::CutShort { service: self.name.clone() });
                }
            }
            self.may_write = false;
            let Some(remote) = self.remote() else {
                return Err(CallError::CutShort { service: self.name.clone() });
            };
            let packet = Packet::new(Command::Wrte, self.id, remote, piece);
            if self.shared.out.send(packet).is_err() {
                return Err(self.shared.why_ended().into());
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
            Ok(None) => match self.shared.table().end.clone() {
                Some(error) => Err(error.into()),
                None => Ok(false),
            },
        }
    }

    fn remote(&self) -> Option<u32> {
        self.shared.table().slots.get(&self.id).and_then(|slot| slot.remote)
    }

    fn acknowledge(&self) {
        let mut table = self.shared.table();
        if let Some(slot) = table.slots.get_mut(&self.id)
            && let Some(remote) = slot.remote
        {
            slot.unacknowledged = false;
            // A closed queue means that the link has ended; the next read says so.
            let _ = self.shared.out.send(Packet::new(Command::Okay, self.id, remote, []));
        }
    }
}

impl Drop for Stream {
    fn drop(&mut self) {
        if let Some(slot) = self.shared.table().slots.remove(&self.id) {
            // A stream whose opening has not been answered is closed with remote id 0: the daemon
            // ignores that, and its late OKAY is answered by a CLSE in `dispatch`.
            let _ = self.shared.out.send(Packet::new(Command::Clse, self.id, slot.remote.unwrap_or(0), []));
        }
    }
}

async fn read_all<R: AsyncRead + Unpin>(mut from: R, shared: Arc<Shared>, strict: bool) {
    let end = loop {
        match read_packet(&mut from, MAX_DATA, strict).await {
            Err(error) => break LinkError::lost(&shared.at, plain_io(&error)),
            Ok(Err(error)) => break LinkError::Broken { at: shared.at.clone(), rule: error.to_string() },
            Ok(Ok(packet)) => {
                if let Err(end) = dispatch(&shared, packet) {
                    break end;
                }
            }
        }
    };
    shared.end(end);
}

fn dispatch(shared: &Shared, packet: Packet) -> Result<(), LinkError> {
    let (remote, local) = (packet.arg0, packet.arg1);
    let mut table = shared.table();
    let slot = table.slots.get_mut(&local);
    match packet.command {
        Command::Okay => match slot {
            Some(slot) if slot.remote.is_none_or(|r| r == remote) && remote != 0 => {
                slot.remote = Some(remote);
                let _ = slot.events.send(Event::Ready);
            }
            Some(_) => {}
            None if remote != 0 => {
                let _ = shared.out.send(Packet::new(Command::Clse, local, remote, []));
            }
            None => {}
        },
        Command::Wrte => match slot {
            Some(slot) if slot.remote == Some(remote) => {
                if slot.unacknowledged {
                    return Err(LinkError::Broken {
                        at: shared.at.clone(),
                        rule: "it sent data before the former ones were acknowledged".into(),
                    });
                }
                slot.unacknowledged = true;
                let _ = slot.events.send(Event::Data(packet.data));
            }
            Some(_) => {}
            None => {
                let _ = shared.out.send(Packet::new(Command::Clse, local, remote, []));
            }
        },
        // Old daemons close with remote id 0 even after opening; the local id decides.
        Command::Clse => {
            table.slots.remove(&local);
        }
        Command::Cnxn | Command::Auth | Command::Stls => {
            return Err(LinkError::lost(&shared.at, "the device began the connection anew"));
        }
        // A device opens streams to the host only for reverse forwarding, which is never asked for.
        Command::Open => {
            let _ = shared.out.send(Packet::new(Command::Clse, 0, remote, []));
        }
    }
    Ok(())
}

async fn write_all<W: AsyncWrite + Unpin>(
    mut to: W,
    mut queue: mpsc::UnboundedReceiver<Packet>,
    shared: Arc<Shared>,
    checksum: bool,
) {
    while let Some(packet) = queue.recv().await {
        let written = async {
            to.write_all(&packet.encode(checksum)).await?;
            to.flush().await
        };
        if let Err(error) = written.await {
            shared.end(LinkError::lost(&shared.at, plain_io(&error)));
            return;
        }
    }
}

/// What the system said of a connection, in words.
fn plain_io(error: &std::io::Error) -> String {
    use std::io::ErrorKind as Kind;
    match error.kind() {
        Kind::ConnectionRefused => "the connection was refused".into(),
        Kind::UnexpectedEof => "the other side closed it".into(),
        Kind::ConnectionReset | Kind::BrokenPipe | Kind::ConnectionAborted => "it was reset".into(),
        Kind::HostUnreachable | Kind::NetworkUnreachable => "there is no way to it on the network".into(),
        Kind::TimedOut => "nothing came in time".into(),
        _ => error.to_string(),
    }
}
