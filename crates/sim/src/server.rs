//! The device side of the protocol: a connection, its authorisation and its streams.

use std::collections::HashMap;
use std::future::Future;
use std::sync::Arc;

use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt as _, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use wibbet_adb::{
    Command, Header, MAX_DATA, Packet, PublicKey, ShellId, TOKEN_LEN, VERSION_SKIP_CHECKSUM, encode_shell, read_packet,
};

use crate::command::Effect;
use crate::device::{Allow, Shared};
use crate::fault::{Direction, Passage};
use crate::files::{SyncSession, SyncStep};
use crate::packages::{Output, Via};

/// Calls of the package service that fail after a restart, before it is up.
const CALLS_BEFORE_READY: u32 = 2;
/// What the socket between a command and the daemon holds, in bytes. When the command ends with so much unread, the
/// daemon takes the hang-up for something to read and sends all of it without waiting for an OKAY, although it had
/// stopped reading until then (observed on the platform's own daemon, 34.0.5).
const SOCKET_HOLDS: usize = 150_000;

/// How a computer comes to the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Access {
    /// The older kind of network link.
    Plain,
    /// A cable.
    Cable,
    /// Wireless debugging.
    Air,
}

pub(crate) async fn serve(listener: TcpListener, shared: Arc<Shared>, access: Access) {
    let mut connections = JoinSet::new();
    while let Ok((socket, _)) = listener.accept().await {
        // A restarting device does not answer; closing at once comes nearest to that.
        let closed = {
            let state = shared.state();
            state.down || (access == Access::Plain && !state.switches.usb_debugging)
        };
        if closed || socket.set_nodelay(true).is_err() {
            continue;
        }
        let shared = Arc::clone(&shared);
        connections.spawn(async move {
            match access {
                Access::Air => wireless(socket, &shared).await,
                _ => connection(socket, &shared, access).await,
            }
        });
        while connections.try_join_next().is_some() {}
    }
}

/// The beginning of wireless debugging: hello, encrypt, encrypted; then the device introduces itself.
async fn wireless(mut socket: TcpStream, shared: &Arc<Shared>) {
    let Ok(Ok(hello)) = read_packet(&mut socket, MAX_DATA, false).await else { return };
    if hello.command != Command::Cnxn {
        return;
    }
    let please = Packet::new(Command::Stls, 0x0100_0000, 0, []);
    if socket.write_all(&please.encode(false)).await.is_err() {
        return;
    }
    match read_packet(&mut socket, MAX_DATA, false).await {
        Ok(Ok(yes)) if yes.command == Command::Stls => {}
        _ => return,
    }
    if let Some(stream) = crate::wireless::encrypt(socket, shared).await {
        until_ended(shared, Access::Air, talk(stream, shared, Some(hello.arg1))).await;
    }
}

/// A connection on which the computer introduces itself first.
pub(crate) async fn connection<S>(stream: S, shared: &Arc<Shared>, access: Access)
where
    S: AsyncRead + AsyncWrite + Send + Unpin,
{
    if !shared.state().down {
        until_ended(shared, access, talk(stream, shared, None)).await;
    }
}

async fn until_ended(shared: &Shared, access: Access, talk: impl Future<Output = ()>) {
    let mut ends = shared.ends.subscribe();
    let now = ends.borrow_and_update()[access as usize];
    tokio::select! {
        () = talk => {}
        _ = ends.wait_for(|counts| counts[access as usize] != now) => {}
    }
}

pub(crate) fn restart(shared: &Arc<Shared>) {
    {
        let mut state = shared.state();
        state.down = true;
        state.calls_until_ready = CALLS_BEFORE_READY;
        state.transcript.push("restart".into());
    }
    shared.end(&[Access::Plain, Access::Cable, Access::Air]);
    shared.cable_changes.send_modify(|n| *n += 1);
    let shared = Arc::clone(shared);
    tokio::spawn(async move {
        tokio::time::sleep(shared.restart).await;
        shared.state().down = false;
        shared.cable_changes.send_modify(|n| *n += 1);
    });
}

type Out = mpsc::UnboundedSender<Packet>;

/// `welcomed` is how much the computer takes, when it has introduced itself and is known already.
async fn talk<S>(stream: S, shared: &Arc<Shared>, welcomed: Option<u32>)
where
    S: AsyncRead + AsyncWrite + Send + Unpin,
{
    let (from, to) = tokio::io::split(stream);
    let (out, queue) = mpsc::unbounded_channel();
    let checksum = shared.state().scenario.protocol.version < VERSION_SKIP_CHECKSUM;
    tokio::select! {
        () = read_all(BufReader::new(from), shared, out, checksum, welcomed) => {}
        () = write_all(to, queue, shared, checksum) => {}
    }
}

async fn write_all<W: AsyncWrite + Unpin>(
    mut to: W,
    mut queue: mpsc::UnboundedReceiver<Packet>,
    shared: &Shared,
    checksum: bool,
) {
    while let Some(packet) = queue.recv().await {
        let bytes = packet.encode(checksum);
        let passage = shared.state().cutter.pass(Direction::FromDevice, bytes.len());
        let (pass, cut) = match passage {
            Passage::Whole => (bytes.len(), false),
            Passage::Cut(n) => (n, true),
        };
        if to.write_all(&bytes[..pass]).await.is_err() || to.flush().await.is_err() || cut {
            return;
        }
    }
}

/// One stream, as the connection sees it.
struct Open {
    host: u32,
    acknowledged: mpsc::UnboundedSender<()>,
    input: mpsc::UnboundedSender<Vec<u8>>,
}

struct Connection<'a> {
    shared: &'a Arc<Shared>,
    out: Out,
    max_data: usize,
    token: [u8; TOKEN_LEN],
    authorised: bool,
    streams: HashMap<u32, Open>,
    last_id: u32,
    tasks: JoinSet<()>,
}

async fn read_all<R: AsyncRead + Unpin>(
    mut from: R,
    shared: &Arc<Shared>,
    out: Out,
    checksum: bool,
    welcomed: Option<u32>,
) {
    let mut connection = Connection {
        shared,
        out,
        max_data: 4096,
        token: [0; TOKEN_LEN],
        authorised: false,
        streams: HashMap::new(),
        last_id: 0,
        tasks: JoinSet::new(),
    };
    if let Some(takes) = welcomed {
        connection.agree(takes);
        connection.welcome();
    }
    while let Ok(Ok(packet)) = read_packet(&mut from, MAX_DATA, checksum).await {
        let size = Header::SIZE + packet.data.len();
        if shared.state().cutter.pass(Direction::ToDevice, size) != Passage::Whole {
            return;
        }
        connection.handle(packet).await;
        while connection.tasks.try_join_next().is_some() {}
    }
}

impl Connection<'_> {
    fn send(&self, command: Command, arg0: u32, arg1: u32, data: impl Into<Vec<u8>>) {
        // A closed queue means that the connection is ending.
        let _ = self.out.send(Packet::new(command, arg0, arg1, data));
    }

    async fn handle(&mut self, packet: Packet) {
        let (host, local) = (packet.arg0, packet.arg1);
        match packet.command {
            Command::Cnxn => {
                self.agree(packet.arg1);
                self.send_token();
            }
            Command::Auth => self.authorise(packet).await,
            Command::Open if self.authorised => self.open(host, &packet.data),
            Command::Okay => {
                if let Some(stream) = self.streams.get(&local) {
                    let _ = stream.acknowledged.send(());
                }
            }
            Command::Wrte => match self.streams.get(&local) {
                Some(stream) if stream.host == host => {
                    let _ = stream.input.send(packet.data);
                    self.send(Command::Okay, local, host, []);
                }
                _ => self.send(Command::Clse, 0, host, []),
            },
            Command::Clse => drop(self.streams.remove(&local)),
            Command::Open | Command::Stls => {}
        }
    }

    fn agree(&mut self, takes: u32) {
        let own = self.shared.state().scenario.protocol.max_data;
        self.max_data = takes.min(own).max(1) as usize;
    }

    fn send_token(&mut self) {
        let mut token = [0; TOKEN_LEN];
        self.shared.state().random.fill(&mut token);
        self.token = token;
        self.send(Command::Auth, 1, 0, token);
    }

    async fn authorise(&mut self, packet: Packet) {
        match packet.arg0 {
            2 => {
                let trusted = self.shared.state().trusted.clone();
                let known = trusted
                    .iter()
                    .filter_map(|line| PublicKey::from_line(line.as_bytes()).ok())
                    .any(|key| key.verify(&self.token, &packet.data));
                if known { self.welcome() } else { self.send_token() }
            }
            3 => {
                let Ok(key) = PublicKey::from_line(&packet.data) else { return };
                {
                    let mut state = self.shared.state();
                    state.dialogs += 1;
                    state.transcript.push(format!("dialog: allow {}?", key.fingerprint()));
                    state.asks = Some(key.fingerprint());
                }
                // The dialog goes with the connection that it is about.
                let _shown = Shown(self.shared);
                let mut taps = self.shared.taps.subscribe();
                taps.mark_unchanged();
                match self.shared.allow {
                    Allow::After(time) => tokio::time::sleep(time).await,
                    Allow::ByHand => drop(taps.changed().await),
                    Allow::Never => std::future::pending().await,
                }
                // Denied: nothing is ever said.
                if self.shared.state().asks.is_none() {
                    return std::future::pending().await;
                }
                self.shared.state().trusted.insert(key.line());
                self.welcome();
            }
            _ => {}
        }
    }

    fn welcome(&mut self) {
        self.authorised = true;
        let (banner, version, max_data) = {
            let s = &self.shared.state().scenario;
            let mut banner = format!(
                "{}::ro.product.name={};ro.product.model={};ro.product.device={};",
                s.protocol.mode, s.product, s.model, s.product
            );
            if !s.protocol.features.is_empty() {
                banner.push_str(&format!("features={}", s.protocol.features.join(",")));
            }
            (banner, s.protocol.version, s.protocol.max_data)
        };
        self.send(Command::Cnxn, version, max_data, banner);
    }

    fn open(&mut self, host: u32, data: &[u8]) {
        let name = String::from_utf8_lossy(data).trim_end_matches('\0').to_owned();
        let service = {
            let mut state = self.shared.state();
            state.transcript.push(format!("open {}", name.replace('\0', " ").replace('\u{1}', "^A")));
            Service::read(&name, &state.scenario.protocol.features, &state.scenario.protocol.refused)
        };
        let Some(service) = service else {
            self.send(Command::Clse, 0, host, []);
            return;
        };
        self.last_id += 1;
        let id = self.last_id;
        let (acknowledged, acks) = mpsc::unbounded_channel();
        let (input, inbox) = mpsc::unbounded_channel();
        self.streams.insert(id, Open { host, acknowledged, input });
        self.send(Command::Okay, id, host, []);
        let shared = Arc::clone(self.shared);
        let stream = StreamOut { shared, out: self.out.clone(), id, host, acks, max_data: self.max_data };
        self.tasks.spawn(run(service, stream, inbox, Arc::clone(self.shared)));
    }
}

struct Shown<'a>(&'a Shared);

impl Drop for Shown<'_> {
    fn drop(&mut self) {
        self.0.state().asks = None;
    }
}

/// How a command's output is brought to the host.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Framing {
    Frames,
    Terminal,
    Raw,
}

enum Service {
    Shell(String, Framing),
    Package(Vec<String>, Framing),
    Sync,
    Reboot,
}

impl Service {
    fn read(name: &str, features: &[String], refused: &[String]) -> Option<Self> {
        let (kind, rest) = name.split_once(':')?;
        let has = |feature: &str| features.iter().any(|f| f == feature);
        if refused.iter().any(|r| r == kind) {
            return None;
        }
        let call = |framing| {
            let mut words = rest.split('\0').map(str::to_owned);
            (words.next().as_deref() == Some("package")).then(|| Self::Package(words.collect(), framing))
        };
        match kind {
            "shell" => Some(Self::Shell(rest.into(), Framing::Terminal)),
            "shell,v2,raw" if has("shell_v2") => Some(Self::Shell(rest.into(), Framing::Frames)),
            "exec" => Some(Self::Shell(rest.into(), Framing::Raw)),
            "abb" if has("abb") => call(Framing::Frames),
            "abb_exec" if has("abb_exec") => call(Framing::Raw),
            "sync" => Some(Self::Sync),
            "reboot" => Some(Self::Reboot),
            _ => None,
        }
    }
}

/// The sending end of a stream.
struct StreamOut {
    shared: Arc<Shared>,
    out: Out,
    id: u32,
    host: u32,
    acks: mpsc::UnboundedReceiver<()>,
    max_data: usize,
}

impl StreamOut {
    /// Sends all that a command said and ends the stream: each packet only when the one before has been taken, up to
    /// what is still in the command's socket when it ends, which leaves together.
    async fn send_last(mut self, data: &[u8]) {
        let paced = data.len().saturating_sub(SOCKET_HOLDS).next_multiple_of(self.max_data).min(data.len());
        let (paced, together) = data.split_at(paced);
        if !self.send(paced).await {
            return;
        }
        for piece in together.chunks(self.max_data) {
            let _ = self.out.send(Packet::new(Command::Wrte, self.id, self.host, piece));
        }
        self.pass(together.len()).await;
        self.close();
    }

    /// Sends data, each packet only when the one before has been taken. False when the host has
    /// closed the stream.
    async fn send(&mut self, data: &[u8]) -> bool {
        for piece in data.chunks(self.max_data) {
            let _ = self.out.send(Packet::new(Command::Wrte, self.id, self.host, piece));
            if self.acks.recv().await.is_none() {
                return false;
            }
            self.pass(piece.len()).await;
        }
        true
    }

    /// Waits as long as a real line takes for so many bytes.
    async fn pass(&self, bytes: usize) {
        let arrives = self.shared.state().traffic.send(bytes);
        if let Some(arrives) = arrives {
            tokio::time::sleep_until(arrives.into()).await;
        }
    }

    fn close(self) {
        let _ = self.out.send(Packet::new(Command::Clse, self.id, self.host, []));
    }
}

async fn run(
    service: Service,
    mut stream: StreamOut,
    mut inbox: mpsc::UnboundedReceiver<Vec<u8>>,
    shared: Arc<Shared>,
) {
    let (latency, mute) = {
        let state = shared.state();
        (state.latency, state.mute)
    };
    if mute {
        return std::future::pending().await;
    }
    tokio::time::sleep(latency).await;
    stream.pass(0).await;
    match service {
        Service::Shell(line, framing) => {
            let (output, effect) = shared.state().shell(&line);
            match effect {
                Effect::None => {}
                Effect::Restart => restart(&shared),
                Effect::UsbDebuggingOff => shared.usb_debugging(false),
                Effect::WirelessDebuggingOff => shared.wireless_debugging_off(),
            }
            say(output, framing, stream).await;
        }
        Service::Package(words, framing) => {
            let output = shared.state().package_service(&words, Via::Cmd);
            say(output, framing, stream).await;
        }
        Service::Reboot => {
            restart(&shared);
            stream.close();
        }
        Service::Sync => {
            let mut session = SyncSession::default();
            while let Some(bytes) = inbox.recv().await {
                session.feed(&bytes);
                // What is answered while the host has not taken the last packet goes into the next one.
                let mut answers = Vec::new();
                let ends = loop {
                    let step = session.step(&mut shared.state());
                    match step {
                        SyncStep::More => break false,
                        SyncStep::End => break true,
                        SyncStep::Answer(data) => answers.extend(data),
                    }
                };
                if !answers.is_empty() && !stream.send(&answers).await {
                    return;
                }
                if ends {
                    return stream.close();
                }
            }
        }
    }
}

async fn say(output: Output, framing: Framing, stream: StreamOut) {
    if output.hangs {
        return std::future::pending().await;
    }
    let bytes = match framing {
        Framing::Frames => {
            // A command writes in pieces; one of them may still be larger than a packet.
            let pieces =
                |id, bytes: &[u8]| bytes.chunks(64 * 1024).flat_map(|p| encode_shell(id, p)).collect::<Vec<u8>>();
            let mut frames = pieces(ShellId::Out, output.bytes());
            frames.extend(pieces(ShellId::Err, output.err.as_bytes()));
            frames.extend(encode_shell(ShellId::Exit, &[output.code]));
            frames
        }
        Framing::Terminal => {
            let bytes = output.raw.clone().unwrap_or_else(|| output.together().into_bytes());
            bytes.iter().flat_map(|b| if *b == b'\n' { vec![b'\r', b'\n'] } else { vec![*b] }).collect()
        }
        Framing::Raw => output.raw.clone().unwrap_or_else(|| output.together().into_bytes()),
    };
    stream.send_last(&bytes).await;
}
