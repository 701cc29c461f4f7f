//! A link: one way to a device that is open, shared by any number of streams.

use std::sync::Arc;
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncReadExt as _, AsyncWrite, AsyncWriteExt as _};
use tokio::sync::watch;
use tokio::task::JoinHandle;
use tokio::time::{Instant, sleep, timeout};
use wibbet_types::{Address, PlainText};

use crate::banner::Banner;
use crate::error::{CallError, LinkError};
use crate::handshake::{Opening, Progress, Shaken, shake_hands};
use crate::keys::{HostKey, KeyRing};
use crate::mux::{Connection, Mux, MuxStream};
use crate::terms::Agreed;
use crate::timeouts::Timeouts;
use crate::tls;
use crate::transport::bulk::{BulkPipe, BulkSink, BulkSource};
use crate::transport::network::{ByteStream, Dialer};
use crate::transport::server::{self, ServerError};
use crate::transport::usb::{UsbBus, UsbPlace, UsbTrouble};
use crate::transport::{Bytes, plain_io, tls_error};

/// How often, and how far apart, a cable's interface that is held is tried again.
const RELEASE_TRIES: u32 = 6;

const RELEASE_PAUSE: Duration = Duration::from_millis(50);

/// The system gives the rights to a device some 100 ms after it has listed it. So long they are waited for.
const RIGHTS_COME: Duration = Duration::from_secs(2);

/// How often they are asked for.
const RIGHTS_PAUSE: Duration = Duration::from_millis(100);

/// Within this a debugging server has noticed that a device has gone whose streams it has ended.
const SERVER_NOTICES: Duration = Duration::from_millis(500);

/// A connection to a device on which services can be called. Cheap to clone; the connection is
/// closed when the last clone goes.
#[derive(Debug, Clone)]
pub struct Link {
    way: Arc<Transport>,
    banner: Arc<Banner>,
    encrypted: bool,
}

#[derive(Debug)]
enum Transport {
    /// A connection of our own.
    Own(Connection),
    /// Through a server that owns the cable.
    Server(ServerLink),
}

#[derive(Debug)]
struct ServerLink {
    at: String,
    serial: String,
    /// The server's number of the connection.
    transport: String,
    limit: Duration,
    ended: watch::Receiver<bool>,
    task: JoinHandle<()>,
}

impl Drop for ServerLink {
    fn drop(&mut self) {
        self.task.abort();
    }
}

impl ServerLink {
    /// Whether the server still has the device, over the connection that it had.
    async fn has_it(&self) -> bool {
        let same = |d: &server::ServerDevice| {
            d.serial == self.serial && d.state.as_str() == "device" && d.transport == self.transport
        };
        let devices = server::server_devices(&self.at, self.limit).await;
        !*self.ended.borrow() && devices.is_ok_and(|devices| devices.iter().any(same))
    }

    fn lost(&self) -> LinkError {
        LinkError::lost(&through_server(&self.serial), format!("the debugging server at {} has it no longer", self.at))
    }

    fn lost_with(&self, said: &PlainText) -> LinkError {
        LinkError::lost(&through_server(&self.serial), format!("the debugging server at {} says “{said}”", self.at))
    }
}

/// What such a device is called in messages.
fn through_server(serial: &str) -> String {
    format!("{ON_CABLE}, through another program's server ({serial})")
}

/// What the name of a device on a cable begins with.
const ON_CABLE: &str = "USB";

/// Whether the device that is called so in an error is on a cable.
pub fn is_on_cable(at: &str) -> bool {
    at.starts_with(ON_CABLE)
}

/// What is demanded of whatever answers at an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Encryption {
    /// A daemon that asks for it gets an encrypted connection: for an address that a person named.
    WhereAsked,
    /// Whoever does not ask for it gets no answer: for what has announced an encrypted link. A signature would serve
    /// somebody in between who passes it on to a device that trusts this computer.
    Demanded,
}

impl Link {
    /// Connects to a daemon at an address, telling `progress` how far it has got.
    ///
    /// # Errors
    /// Each way in which there can be no link is a [`LinkError`] of its own; a peer that does not encrypt where that is
    /// demanded is [`LinkError::Broken`].
    pub async fn connect_at(
        network: &dyn Dialer,
        at: &Address,
        encryption: Encryption,
        keys: &KeyRing,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let opening = match encryption {
            Encryption::WhereAsked => Opening::Hello,
            Encryption::Demanded => Opening::HelloEncrypted,
        };
        // An encrypted link offers one key a connection.
        let mut refused = None;
        for key in keys.all() {
            match Self::try_at(network, at, (keys, key), limits, opening, progress).await {
                Err(error @ LinkError::NotPaired { .. }) => refused = Some(error),
                other => return other,
            }
        }
        Err(refused.unwrap_or_else(|| LinkError::lost(&at.to_string(), "there is no key to try")))
    }

    async fn try_at(
        network: &dyn Dialer,
        address: &Address,
        (keys, key): (&KeyRing, &HostKey),
        limits: &Timeouts,
        opening: Opening,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let at = &address.to_string();
        let no_answer = |why: String| LinkError::NoAnswer { at: at.clone(), why };
        let socket = match timeout(limits.connect, network.dial(address)).await {
            Err(_) => return Err(no_answer(format!("nothing came within {} s", limits.connect.as_secs()))),
            Ok(Err(error)) => return Err(no_answer(plain_io(&error))),
            Ok(Ok(socket)) => socket,
        };
        progress(Progress::Reached);
        let (from, to) = tokio::io::split(socket);
        let (mut from, mut to) = (Bytes(from), Bytes(to));
        match shake_hands(&mut from, &mut to, opening, at, keys, limits, progress).await? {
            Shaken::Agreed(agreed) => Ok(Self::own(Mux::start(from, to, at, &agreed, limits), agreed, false)),
            // Packets are never read beyond their end, so the stream is whole between two of them.
            Shaken::WantsTls => Self::encrypted(from.0.unsplit(to.0), at, keys, key, limits, progress).await,
        }
    }

    async fn encrypted(
        socket: Box<dyn ByteStream>,
        at: &str,
        keys: &KeyRing,
        key: &HostKey,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let not_paired = |why: String| LinkError::NotPaired { at: at.to_owned(), why };
        let broken = |rule: String| LinkError::Broken { at: at.to_owned(), rule };
        let said_no = |error: &std::io::Error| match tls_error(error) {
            Some(rustls::Error::AlertReceived(alert)) => Some(format!("it said {alert:?}")),
            Some(_) => None,
            None => Some(plain_io(error)),
        };
        let stream = match timeout(limits.answer, tls::connect(socket, key)).await {
            Err(_) => return Err(LinkError::lost(at, "the device fell silent while encrypting")),
            Ok(Err(tls::TlsError::Key(why))) => return Err(broken(why)),
            Ok(Err(tls::TlsError::Io(error))) => {
                return Err(said_no(&error).map_or_else(|| broken(plain_io(&error)), not_paired));
            }
            Ok(Ok(stream)) => stream,
        };
        let (from, to) = tokio::io::split(stream);
        let (mut from, mut to) = (Bytes(from), Bytes(to));
        // A device that does not know the key says so now, or just closes.
        match shake_hands(&mut from, &mut to, Opening::Encrypted, at, keys, limits, progress).await {
            Ok(Shaken::Agreed(agreed)) => Ok(Self::own(Mux::start(from, to, at, &agreed, limits), agreed, true)),
            Ok(Shaken::WantsTls) => Err(broken("it asks for encryption within the encrypted connection".into())),
            Err(LinkError::Lost { why, .. }) => Err(not_paired(why)),
            Err(other) => Err(other),
        }
    }

    /// Connects to a device on a cable.
    ///
    /// # Errors
    /// Beside those of the other ways: no permission, or the interface is held by another program.
    pub async fn connect_usb(
        bus: &dyn UsbBus,
        place: &UsbPlace,
        keys: &KeyRing,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let at = format!("{ON_CABLE} {place}");
        progress(Progress::Reached);
        let mut source = BulkSource::new(open_usb(bus, place, &at).await?);
        progress(Progress::Free);
        let made = Self::over_source(&mut source, &at, keys, limits, progress).await;
        let Err(error) = made else { return made };
        if source.has_been_answered() {
            return Err(error);
        }
        // Nothing has come: its daemon may still wait for the rest of what a killed host was sending it.
        drop(source);
        if bus.reset(place).await.is_err() {
            return Err(error);
        }
        let mut source = BulkSource::new(open_usb(bus, place, &at).await?);
        Self::over_source(&mut source, &at, keys, limits, progress).await
    }

    /// Makes a link over an open bulk pipe; `at` names it in messages.
    pub async fn over_bulk(
        pipe: Arc<dyn BulkPipe>,
        at: &str,
        keys: &KeyRing,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        Self::over_source(&mut BulkSource::new(pipe), at, keys, limits, progress).await
    }

    async fn over_source(
        from: &mut BulkSource,
        at: &str,
        keys: &KeyRing,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let mut to = BulkSink(from.pipe());
        from.drain().await.map_err(|e| LinkError::lost(at, plain_io(&e)))?;
        match shake_hands(from, &mut to, Opening::Hello, at, keys, limits, progress).await? {
            Shaken::Agreed(agreed) => Ok(Self::own(Mux::start(from.take(), to, at, &agreed, limits), agreed, false)),
            Shaken::WantsTls => Err(LinkError::Broken { at: at.into(), rule: "it asks for TLS on a cable".into() }),
        }
    }

    /// Makes a link over any open stream of bytes; `at` names it in messages.
    pub async fn over<R, W>(
        from: R,
        to: W,
        at: &str,
        keys: &KeyRing,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError>
    where
        R: AsyncRead + Unpin + Send + 'static,
        W: AsyncWrite + Unpin + Send + 'static,
    {
        let (mut from, mut to) = (Bytes(from), Bytes(to));
        match shake_hands(&mut from, &mut to, Opening::Hello, at, keys, limits, progress).await? {
            Shaken::Agreed(agreed) => Ok(Self::own(Mux::start(from, to, at, &agreed, limits), agreed, false)),
            Shaken::WantsTls => Err(LinkError::Broken { at: at.into(), rule: "it asks for TLS".into() }),
        }
    }

    /// Uses a device that a debugging server at `server` has, by the server's name for it.
    pub async fn connect_server(
        server: &str,
        serial: &str,
        limits: &Timeouts,
        progress: &mut (dyn FnMut(Progress) + Send),
    ) -> Result<Self, LinkError> {
        let at = through_server(serial);
        let trouble = |error: ServerError| match error {
            ServerError::NoServer { why, .. } => LinkError::NoAnswer { at: at.clone(), why },
            ServerError::Refused(said) if said.as_str().contains("unauthorized") => {
                LinkError::NotAuthorised { at: at.clone(), why: said.into_string() }
            }
            other => LinkError::lost(&at, other),
        };
        let devices = server::server_devices(server, limits.answer).await.map_err(&trouble)?;
        progress(Progress::Reached);
        let device = devices.into_iter().find(|d| d.serial == serial);
        match device.as_ref().map_or("", |d| d.state.as_str()) {
            "device" => {}
            "unauthorized" | "authorizing" => {
                return Err(LinkError::NotAuthorised { at, why: "the server's key is not allowed yet".into() });
            }
            "no permissions" => return Err(LinkError::NoPermission { at, node: "the server's device".into() }),
            "" => return Err(LinkError::NoAnswer { at, why: "the server does not have it".into() }),
            other => return Err(LinkError::lost(&at, format!("the server says that it is {other}"))),
        }
        progress(Progress::Free);
        let features = server::features(server, serial, limits.answer).await.map_err(&trouble)?;
        progress(Progress::Authorised);
        let (tell, ended) = watch::channel(false);
        let task = tokio::spawn(server::watch_device(server.to_owned(), serial.to_owned(), limits.answer, tell));
        let transport = device.map(|d| d.transport).unwrap_or_default();
        let (at, serial) = (server.to_owned(), serial.to_owned());
        let way = ServerLink { at, serial, transport, limit: limits.answer, ended, task };
        let banner = Banner { state: PlainText::new("device"), features, ..Banner::default() };
        Ok(Self { way: Arc::new(Transport::Server(way)), banner: Arc::new(banner), encrypted: false })
    }

    fn own(connection: Connection, agreed: Agreed, encrypted: bool) -> Self {
        Self { way: Arc::new(Transport::Own(connection)), banner: Arc::new(agreed.banner), encrypted }
    }

    /// What the device said of itself.
    pub fn banner(&self) -> &Banner {
        &self.banner
    }

    /// Whether it is encrypted, which it is with wireless debugging.
    pub fn is_encrypted(&self) -> bool {
        self.encrypted
    }

    /// Whether the link is known to have ended.
    pub fn is_ended(&self) -> bool {
        match &*self.way {
            Transport::Own(connection) => connection.is_ended(),
            Transport::Server(server) => *server.ended.borrow(),
        }
    }

    /// Waits until the link has ended, and says why.
    pub async fn ended(&self) -> LinkError {
        match &*self.way {
            Transport::Own(connection) => connection.ended().await,
            Transport::Server(server) => {
                // A sender that has gone has ended too.
                let _ = server.ended.clone().wait_for(|ended| *ended).await;
                server.lost()
            }
        }
    }

    /// Whether the end of a stream may be believed to be the device's doing. A server that owns the device ends it just
    /// the same when the device has gone, and has to be asked; `whole` says that what came before it was whole.
    ///
    /// # Errors
    /// When the link has gone.
    pub(crate) async fn believe_end(&self, whole: bool) -> Result<(), LinkError> {
        let Transport::Server(server) = &*self.way else { return Ok(()) };
        if !server.has_it().await {
            return Err(server.lost());
        }
        if !whole {
            // It may end the streams of a device before it takes it off its list.
            let mut ended = server.ended.clone();
            // A sender that has gone has ended too.
            let gone = timeout(SERVER_NOTICES, ended.wait_for(|ended| *ended)).await.is_ok();
            if gone || !server.has_it().await {
                return Err(server.lost());
            }
        }
        Ok(())
    }

    /// Ends the link from this side: nothing answers over it any more. Whatever waits on it learns of that; what was
    /// written and not taken is not waited for.
    pub fn give_up(&self, why: &str) {
        if let Transport::Own(connection) = &*self.way {
            connection.give_up(why);
        }
    }

    /// The longest name of a service that can be opened, in bytes: it has to fit into a packet, and over another
    /// program's server into its four digits.
    pub fn longest_name(&self) -> usize {
        match &*self.way {
            Transport::Own(connection) => connection.max_data().saturating_sub(1),
            Transport::Server(_) => 0xffff,
        }
    }

    /// Opens a stream to a service, waiting at most `limit` for the device to accept it.
    pub async fn open(&self, service: &str, limit: Duration) -> Result<Stream, CallError> {
        match &*self.way {
            Transport::Own(connection) => Ok(Stream(Kind::Mux(connection.open(service, limit).await?))),
            Transport::Server(server) => {
                let name = PlainText::short(service);
                let request = format!("host:transport:{}", server.serial);
                let lost = |_| CallError::Link(server.lost());
                let mut socket = server::ask(&server.at, &request, server.limit).await.map_err(lost)?;
                match server::say(&mut socket, service, limit).await {
                    Ok(()) => Ok(Stream(Kind::Socket { socket, name })),
                    // So it says that the device has closed the stream at once, which it does for a service that it does not
                    // have; but also when it goes.
                    Err(ServerError::Refused(said)) if said.as_str() == "closed" => {
                        self.believe_end(false).await?;
                        Err(CallError::Refused { service: name })
                    }
                    // Any other words leave open whether the service was begun.
                    Err(ServerError::Refused(said)) => Err(server.lost_with(&said).into()),
                    Err(_) => Err(server.lost().into()),
                }
            }
        }
    }
}

/// Opens a device on a cable.
async fn open_usb(bus: &dyn UsbBus, place: &UsbPlace, at: &str) -> Result<Arc<dyn BulkPipe>, LinkError> {
    let at = at.to_owned();
    let mut held = 0;
    let until = Instant::now() + RIGHTS_COME;
    loop {
        let trouble = match bus.open(place).await {
            Ok(pipe) => return Ok(pipe),
            Err(trouble) => trouble,
        };
        return Err(match trouble {
            // A link of our own that has just been dropped lets go of the interface a moment later.
            UsbTrouble::Busy if held < RELEASE_TRIES => {
                held += 1;
                sleep(RELEASE_PAUSE).await;
                continue;
            }
            UsbTrouble::NoPermission { .. } if Instant::now() < until => {
                sleep(RIGHTS_PAUSE).await;
                continue;
            }
            UsbTrouble::Gone => LinkError::NoAnswer { at, why: "it is not on the bus any more".into() },
            UsbTrouble::NoInterface => LinkError::NoInterface { at },
            UsbTrouble::Bootloader => LinkError::Bootloader { at },
            UsbTrouble::NoPermission { node } => LinkError::NoPermission { at, node },
            UsbTrouble::NoDriver => LinkError::NoDriver { at },
            UsbTrouble::Busy => LinkError::Taken { at },
            UsbTrouble::Other(why) => LinkError::NoAnswer { at, why },
        });
    }
}

/// One stream of a link: an open service.
#[derive(Debug)]
pub struct Stream(Kind);

#[derive(Debug)]
enum Kind {
    Mux(MuxStream),
    Socket { socket: tokio::net::TcpStream, name: PlainText },
}

impl Stream {
    /// The service, for messages.
    pub fn name(&self) -> &PlainText {
        match &self.0 {
            Kind::Mux(stream) => &stream.name,
            Kind::Socket { name, .. } => name,
        }
    }

    /// The next piece of data, or `None` when the device has closed the stream. Waits at most
    /// `idle`. Taking a piece is what lets the device send the next one.
    pub async fn read(&mut self, idle: Duration) -> Result<Option<Vec<u8>>, CallError> {
        match &mut self.0 {
            Kind::Mux(stream) => stream.read(idle).await,
            Kind::Socket { socket, name } => {
                let mut piece = vec![0; 64 * 1024];
                match timeout(idle, socket.read(&mut piece)).await {
                    Err(_) => Err(CallError::Silent { service: name.clone(), waited: idle }),
                    Ok(Err(error)) => Err(LinkError::lost(name.as_str(), plain_io(&error)).into()),
                    Ok(Ok(0)) => Ok(None),
                    Ok(Ok(count)) => {
                        piece.truncate(count);
                        Ok(Some(piece))
                    }
                }
            }
        }
    }

    /// Writes all of `data`, in packets of the agreed size, waiting at most `idle` for each to be
    /// taken.
    pub async fn write(&mut self, data: &[u8], idle: Duration) -> Result<(), CallError> {
        match &mut self.0 {
            Kind::Mux(stream) => stream.write(data, idle).await,
            Kind::Socket { socket, name } => match timeout(idle, socket.write_all(data)).await {
                Err(_) => Err(CallError::Silent { service: name.clone(), waited: idle }),
                Ok(written) => written.map_err(|e| LinkError::lost(name.as_str(), plain_io(&e)).into()),
            },
        }
    }
}
