//! Services: what is opened by name, and how its output is brought to the host.

use std::sync::Arc;
use std::time::Duration;

use tokio::sync::mpsc;
use wibbet_adb::{Command, Packet, ShellDecoder, ShellId, encode_shell};

use super::sync::{SyncSession, SyncStep};
use crate::android::{Effect, Output, State, Via};
use crate::machine::{Shared, restart};

pub(super) type Out = mpsc::UnboundedSender<Packet>;

/// What the socket between a command and the daemon holds, in bytes. When the command ends with so much unread, the
/// daemon takes the hang-up for something to read and sends all of it without waiting for an OKAY, although it had
/// stopped reading until then (observed on the platform's own daemon, 34.0.5).
const SOCKET_HOLDS: usize = 150_000;

/// How a command's output is brought to the host.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Framing {
    Frames,
    Terminal,
    Raw,
}

pub(crate) enum Service {
    Shell(String, Framing),
    Package(Vec<String>, Framing),
    Sync,
    Reboot,
}

impl Service {
    pub(super) fn read(name: &str, features: &[String], refused: &[String]) -> Option<Self> {
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
pub(crate) struct StreamOut {
    pub(super) shared: Arc<Shared>,
    pub(super) out: Out,
    pub(super) id: u32,
    pub(super) host: u32,
    pub(super) acks: mpsc::UnboundedReceiver<()>,
    pub(super) max_data: usize,
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
            tokio::time::sleep_until(arrives).await;
        }
    }

    fn close(self) {
        let _ = self.out.send(Packet::new(Command::Clse, self.id, self.host, []));
    }
}

pub(crate) async fn run(
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
    // What a command reads before it does anything.
    let input = match &service {
        Service::Shell(line, framing) => read_input(State::takes_input(line), *framing, &mut inbox).await,
        Service::Package(words, framing) => {
            read_input(State::takes_input(&words.join(" ")), *framing, &mut inbox).await
        }
        _ => Some(Vec::new()),
    };
    let Some(input) = input else { return };
    match service {
        Service::Shell(line, framing) if State::changes_several(&line) => {
            one_by_one(&shared, &line, framing, stream).await;
        }
        Service::Shell(line, framing) => {
            let takes = shared.state().work_of(&line);
            let changes = line.contains("uninstall ") || line.contains("disable");
            let run = move |state: &mut State| {
                state.input = input;
                let before = (state.programs, state.packed);
                let (output, effect) = state.shell(&line);
                let (programs, packed) = (state.programs - before.0, state.packed - before.1);
                (output, effect, state.traffic.start(programs, packed))
            };
            let Some((output, effect, done)) = at_work(&shared, takes, run).await else { return };
            if let Some(done) = done {
                tokio::time::sleep_until(done).await;
            }
            if changes {
                crate::machine::after_change(&shared);
            }
            match effect {
                Effect::None => {}
                Effect::Restart { orderly, comes_back: true } => restart(&shared, orderly),
                Effect::Restart { orderly, .. } => crate::machine::leave(&shared, orderly),
                Effect::UsbDebuggingOff => shared.usb_debugging(false),
                Effect::WirelessDebuggingOff => shared.wireless_debugging_off(),
                Effect::WirelessDebuggingOn => shared.wants_wireless.send_modify(|n| *n += 1),
                Effect::Events => return tell_events(output, framing, stream).await,
            }
            say(output, framing, stream).await;
        }
        Service::Package(words, framing) => {
            let takes = {
                let words: Vec<&str> = words.iter().map(String::as_str).collect();
                shared.state().work_at(&words)
            };
            let call = move |state: &mut State| {
                state.input = input;
                state.package_service(&words, Via::Cmd)
            };
            let Some(output) = at_work(&shared, takes, call).await else { return };
            crate::machine::after_change(&shared);
            say(output, framing, stream).await;
        }
        Service::Reboot => {
            restart(&shared, false);
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
                        SyncStep::Send(data) => answers.extend(data),
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

/// So many bytes of what the host writes to a command, or fewer where it ends before. `None` when the host has gone.
async fn read_input(
    wanted: Option<usize>,
    framing: Framing,
    inbox: &mut mpsc::UnboundedReceiver<Vec<u8>>,
) -> Option<Vec<u8>> {
    let Some(wanted) = wanted else { return Some(Vec::new()) };
    let (mut input, mut ended) = (Vec::new(), false);
    let mut decoder = ShellDecoder::default();
    while input.len() < wanted && !ended {
        let bytes = inbox.recv().await?;
        match framing {
            Framing::Frames => decoder.feed(&bytes, &mut |id, data| match id {
                ShellId::In => input.extend_from_slice(data),
                ShellId::CloseIn => ended = true,
                _ => {}
            }),
            _ => input.extend_from_slice(&bytes),
        }
    }
    input.truncate(wanted);
    Some(input)
}

/// Does something once the package service has got to it. Whoever asked may have gone by then: it is done all the same, unless
/// the device has started anew. `None` where it has.
async fn at_work<T: Send + 'static>(
    shared: &Arc<Shared>,
    takes: Duration,
    act: impl FnOnce(&mut State) -> T + Send + 'static,
) -> Option<T> {
    let Some(done) = shared.state().traffic.work(takes) else { return Some(act(&mut shared.state())) };
    let shared = Arc::clone(shared);
    let started = shared.state().boot_id.clone();
    let acting = tokio::spawn(async move {
        tokio::time::sleep_until(done).await;
        let mut state = shared.state();
        (state.boot_id == started).then(|| act(&mut state))
    });
    acting.await.ok().flatten()
}

/// Says what has happened, and then what happens, until the host has closed the stream.
async fn tell_events(output: Output, framing: Framing, mut stream: StreamOut) {
    let mut events = stream.shared.state().events.subscribe();
    let mut told = events.borrow_and_update().len();
    let mut text = output.out;
    loop {
        let bytes = match framing {
            Framing::Frames => encode_shell(ShellId::Out, text.as_bytes()),
            Framing::Terminal => text.replace('\n', "\r\n").into_bytes(),
            Framing::Raw => text.into_bytes(),
        };
        if !stream.send(&bytes).await || events.changed().await.is_err() {
            return;
        }
        let all = events.borrow_and_update();
        text = all.iter().skip(told).map(|event| format!("{event}\n")).collect();
        told = all.len();
    }
}

/// A line with several changes: a shell does one after the other and what each prints goes out at once, so that a system which dies in
/// the middle has done some of them, and those have been heard of.
async fn one_by_one(shared: &Arc<Shared>, line: &str, framing: Framing, mut stream: StreamOut) {
    let mut code = 0;
    for command in State::commands_of(line) {
        let command = command.replace("$?", &code.to_string());
        let takes = shared.state().work_of(&command);
        let run = move |state: &mut State| {
            let before = state.programs;
            let (output, _) = state.shell(&command);
            let programs = state.programs - before;
            (output, state.traffic.start(programs, 0))
        };
        let Some((output, done)) = at_work(shared, takes, run).await else { return };
        if let Some(done) = done {
            tokio::time::sleep_until(done).await;
        }
        crate::machine::after_change(shared);
        code = output.code;
        let piece = match framing {
            Framing::Frames => [(ShellId::Out, output.bytes()), (ShellId::Err, output.err.as_bytes())]
                .into_iter()
                .filter(|(_, bytes)| !bytes.is_empty())
                .flat_map(|(id, bytes)| encode_shell(id, bytes))
                .collect(),
            _ => framed(output, framing),
        };
        if !piece.is_empty() && !stream.send(&piece).await {
            return;
        }
    }
    let last = match framing {
        Framing::Frames => encode_shell(ShellId::Exit, &[code]),
        _ => Vec::new(),
    };
    stream.send_last(&last).await;
}

async fn say(output: Output, framing: Framing, stream: StreamOut) {
    if output.hangs {
        return std::future::pending().await;
    }
    // Only what is sent is kept while it is on its way.
    let bytes = framed(output, framing);
    stream.send_last(&bytes).await;
}

fn framed(output: Output, framing: Framing) -> Vec<u8> {
    let together = |output: Output| match output.raw {
        Some(raw) => raw,
        None => output.together().into_bytes(),
    };
    match framing {
        Framing::Frames => {
            let mut frames = Vec::with_capacity(output.bytes().len() + output.err.len() + 64);
            for (id, bytes) in [(ShellId::Out, output.bytes()), (ShellId::Err, output.err.as_bytes())] {
                // A command writes in pieces; one of them may still be larger than a packet.
                bytes.chunks(64 * 1024).for_each(|piece| frames.extend(encode_shell(id, piece)));
            }
            frames.extend(encode_shell(ShellId::Exit, &[output.code]));
            frames
        }
        Framing::Terminal => {
            let bytes = together(output);
            let mut shown = Vec::with_capacity(bytes.len() + bytes.len() / 16);
            for byte in bytes {
                if byte == b'\n' {
                    shown.push(b'\r');
                }
                shown.push(byte);
            }
            shown
        }
        Framing::Raw => together(output),
    }
}
