//! The device side of the protocol: a connection, its authorisation and its streams.

use std::collections::BTreeMap;
use std::future::Future;
use std::sync::Arc;

use tokio::io::{AsyncBufRead, AsyncBufReadExt as _, AsyncRead, AsyncWrite, AsyncWriteExt as _, BufReader};
use tokio::sync::mpsc;
use tokio::task::JoinSet;
use wibbet_adb::{Command, Header, MAX_DATA, Packet, PublicKey, TOKEN_LEN, VERSION_SKIP_CHECKSUM, read_packet};

use super::services::{Out, Service, StreamOut, run};
use crate::line::{Direction, Passage};
use crate::machine::{Access, Allow, Shared};

/// A connection on which the computer introduces itself first.
pub(crate) async fn connection<S>(stream: S, shared: &Arc<Shared>, access: Access)
where
    S: AsyncRead + AsyncWrite + Send + Unpin,
{
    if !shared.state().down {
        until_ended(shared, access, talk(stream, shared, None)).await;
    }
}

pub(crate) async fn until_ended(shared: &Shared, access: Access, talk: impl Future<Output = ()>) {
    let mut ends = shared.ends.subscribe();
    let now = ends.borrow_and_update()[access as usize];
    tokio::select! {
        biased;
        () = talk => {}
        _ = ends.wait_for(|counts| counts[access as usize] != now) => {}
    }
}

/// `welcomed` is how much the computer takes, when it has introduced itself and is known already.
pub(crate) async fn talk<S>(stream: S, shared: &Arc<Shared>, welcomed: Option<u32>)
where
    S: AsyncRead + AsyncWrite + Send + Unpin,
{
    let (from, to) = tokio::io::split(stream);
    let (out, queue) = mpsc::unbounded_channel();
    let checksum = shared.state().scenario.protocol.version < VERSION_SKIP_CHECKSUM;
    let number = {
        let mut state = shared.state();
        state.connections += 1;
        state.connections
    };
    // In this order, so that a seed leads to the same course each time.
    tokio::select! {
        biased;
        () = read_all(BufReader::new(from), shared, (out, number), checksum, welcomed) => {}
        () = write_all(to, queue, shared, (checksum, number)) => {}
    }
}

pub(crate) async fn write_all<W: AsyncWrite + Unpin>(
    mut to: W,
    mut queue: mpsc::UnboundedReceiver<Packet>,
    shared: &Shared,
    (checksum, number): (bool, u64),
) {
    while let Some(packet) = queue.recv().await {
        if number <= shared.state().adrift {
            continue;
        }
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
    streams: BTreeMap<u32, Open>,
    last_id: u32,
    tasks: JoinSet<()>,
}

/// Waits until the computer ends the connection while nothing is read from it.
async fn hangs_up<R: AsyncBufRead + Unpin>(from: &mut R) {
    if from.fill_buf().await.is_ok_and(|ahead| !ahead.is_empty()) {
        std::future::pending().await
    }
}

async fn read_all<R: AsyncBufRead + Unpin>(
    mut from: R,
    shared: &Arc<Shared>,
    (out, number): (Out, u64),
    checksum: bool,
    welcomed: Option<u32>,
) {
    let mut connection = Connection {
        shared,
        out,
        max_data: 4096,
        token: [0; TOKEN_LEN],
        authorised: false,
        streams: BTreeMap::new(),
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
        if number <= shared.state().adrift {
            continue;
        }
        // A dialog goes with the computer that it is about.
        tokio::select! {
            biased;
            () = connection.handle(packet) => {}
            () = hangs_up(&mut from) => return,
        }
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
                let nobody = self.shared.state().nobody_allows;
                match if nobody { Allow::Never } else { self.shared.allow } {
                    Allow::After(time) | Allow::Once(time) => tokio::time::sleep(time).await,
                    Allow::ByHand => drop(taps.changed().await),
                    Allow::Never => std::future::pending().await,
                }
                // Denied: nothing is ever said.
                if self.shared.state().asks.is_none() {
                    return std::future::pending().await;
                }
                if !matches!(self.shared.allow, Allow::Once(_)) {
                    self.shared.state().trusted.insert(key.line());
                }
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
