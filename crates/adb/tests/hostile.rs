//! What a hostile daemon costs: a clear error, and little memory. One test for all of them, since the memory of the
//! whole process is measured.

#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, reason = "tests")]

#[path = "support/memory.rs"]
mod memory;

use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use wibbet_adb::pairing::pair;
use wibbet_adb::{CallError, Command, Encryption, HostKey, KeyRing, Link, LinkError, Packet, SystemDialer, Timeouts};

use memory::{Peak, resident};

const PEM: &str = include_str!("key.pem");
/// How much a flood sends, far more than may be held.
const FLOOD: u64 = 256 * 1024 * 1024;
/// What it may cost above idle.
const MOST: u64 = 32 * 1024 * 1024;

fn keys() -> KeyRing {
    KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap())
}

fn limits() -> Timeouts {
    let long = Duration::from_secs(60);
    Timeouts { connect: long, answer: Duration::from_secs(3), tap: long, idle: Duration::from_secs(3), write: long }
}

#[derive(Debug, Clone, Copy)]
enum Daemon {
    /// A banner that never ends, in bytes that trickle in and in packets that follow one another.
    EndlessBanner,
    /// A packet that announces 4 GiB.
    HugeLength,
    /// Tokens without end.
    EndlessTokens,
    /// Data for streams that were never opened.
    StrangeStreams,
    /// Streams opened to the host without end; nothing of what is answered is read.
    OpensEverything,
    /// The opening acknowledged over and over.
    Okays,
    /// Something else than TLS where TLS was asked for.
    TlsGarbage,
    /// More data before the last were acknowledged.
    Impatient,
    /// An endless answer, which the reader passes over.
    EndlessAnswer,
}

const ALL: [Daemon; 9] = [
    Daemon::EndlessBanner,
    Daemon::HugeLength,
    Daemon::EndlessTokens,
    Daemon::StrangeStreams,
    Daemon::OpensEverything,
    Daemon::Okays,
    Daemon::TlsGarbage,
    Daemon::Impatient,
    Daemon::EndlessAnswer,
];

async fn flood(socket: &mut TcpStream, piece: &[u8]) {
    // The other side may have had enough at any time.
    let mut block = piece.to_vec();
    while block.len() < 64 * 1024 {
        block.extend_from_slice(piece);
    }
    for _ in 0..FLOOD / block.len() as u64 {
        if socket.write_all(&block).await.is_err() {
            return;
        }
    }
}

async fn serve(daemon: Daemon, mut socket: TcpStream) {
    let mut hello = [0; 24];
    let _ = socket.read_exact(&mut hello).await;
    let welcome = Packet::new(Command::Cnxn, 0x0100_0001, 1024 * 1024, *b"device::features=shell_v2").encode(true);
    let okay = Packet::new(Command::Okay, 9, 1, []).encode(true);
    let wrte =
        |remote: u32, local: u32, size: usize| Packet::new(Command::Wrte, remote, local, vec![7; size]).encode(true);
    match daemon {
        Daemon::EndlessBanner => {
            let mut header = Packet::new(Command::Cnxn, 0x0100_0001, 4096, []).encode(true);
            header[12..16].copy_from_slice(&(900 * 1024u32).to_le_bytes());
            let _ = socket.write_all(&header).await;
            flood(&mut socket, b"ro.product.model=x;").await;
        }
        Daemon::HugeLength => {
            let mut header = Packet::new(Command::Cnxn, 0x0100_0001, 4096, []).encode(true);
            header[12..16].copy_from_slice(&u32::MAX.to_le_bytes());
            let _ = socket.write_all(&header).await;
            flood(&mut socket, b"x").await;
        }
        Daemon::EndlessTokens => {
            flood(&mut socket, &Packet::new(Command::Auth, 1, 0, [1; 20]).encode(true)).await;
        }
        Daemon::TlsGarbage => {
            let _ = socket.write_all(&Packet::new(Command::Stls, 0x0100_0000, 0, []).encode(true)).await;
            flood(&mut socket, b"\x16\x03\x03\x40\x00garbage that never becomes a record").await;
        }
        _ => {
            let _ = socket.write_all(&welcome).await;
            // The first stream is opened; then it goes wrong.
            let mut said = Vec::new();
            while !said.windows(4).any(|w| w == b"OPEN") || !said.ends_with(b"\0") {
                if !matches!(socket.read_buf(&mut said).await, Ok(1..)) {
                    return;
                }
            }
            let _ = socket.write_all(&okay).await;
            match daemon {
                Daemon::StrangeStreams => flood(&mut socket, &wrte(5, 77, 4096)).await,
                Daemon::OpensEverything => {
                    flood(&mut socket, &Packet::new(Command::Open, 5, 0, *b"x\0").encode(true)).await;
                }
                Daemon::Okays => flood(&mut socket, &okay).await,
                Daemon::Impatient => flood(&mut socket, &wrte(9, 1, 64 * 1024)).await,
                Daemon::EndlessAnswer => {
                    // As the protocol has it: the next piece when the last was acknowledged.
                    let piece = wrte(9, 1, 256 * 1024);
                    let mut answer = [0; 24];
                    for _ in 0..FLOOD / piece.len() as u64 {
                        if socket.write_all(&piece).await.is_err() || socket.read_exact(&mut answer).await.is_err() {
                            return;
                        }
                    }
                }
                _ => {}
            }
        }
    }
    // Held open until the host goes.
    let _ = tokio::time::timeout(Duration::from_secs(5), socket.read(&mut [0; 1])).await;
}

/// How it ended for the host, whether or not it reads what comes.
async fn meet(at: &str, reads: bool) -> Result<(), String> {
    let link =
        Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::WhereAsked, &keys(), &limits(), &mut |_| {})
            .await
            .map_err(|e| {
                assert!(
                    matches!(
                        e,
                        LinkError::Broken { .. }
                            | LinkError::NotADaemon { .. }
                            | LinkError::Lost { .. }
                            | LinkError::NotPaired { .. }
                    ),
                    "{e:?}"
                );
                e.to_string()
            })?;
    let mut stream = link.open("shell,v2,raw:x", limits().idle).await.map_err(|e: CallError| e.to_string())?;
    if !reads {
        return Err(link.ended().await.to_string());
    }
    let mut read = 0u64;
    loop {
        match stream.read(limits().idle).await {
            Ok(Some(piece)) => read += piece.len() as u64,
            Ok(None) => return Ok(()),
            Err(_) if read > FLOOD / 2 => return Ok(()),
            Err(error) => return Err(error.to_string()),
        }
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_hostile_daemon_gets_a_clear_error_and_little_memory() {
    let peak = Peak::watch();
    for daemon in ALL {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let server = tokio::spawn(async move {
            while let Ok((socket, _)) = listener.accept().await {
                tokio::spawn(serve(daemon, socket));
            }
        });
        let idle = resident();
        peak.reset();
        // Data that come before the last were acknowledged do no harm to whoever reads them; nobody does here.
        let ended = meet(&at, !matches!(daemon, Daemon::Impatient)).await;
        let cost = peak.above(idle);
        println!("{daemon:?}: {} KiB above idle; {}", cost / 1024, ended.as_ref().err().map_or("taken", |e| e));
        assert!(cost < MOST, "{daemon:?} costs {} MiB", cost >> 20);
        match daemon {
            Daemon::EndlessAnswer => assert!(ended.is_ok()),
            _ => assert!(ended.unwrap_err().len() > 20),
        }
        server.abort();
        // The same for pairing: none of them is a pairing service.
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let server = tokio::spawn(async move {
            while let Ok((mut socket, _)) = listener.accept().await {
                tokio::spawn(async move { flood(&mut socket, &[daemon as u8; 64]).await });
            }
        });
        let error = pair(&SystemDialer, &at.parse().unwrap(), "123456", keys().own(), &limits()).await.unwrap_err();
        assert!(error.to_string().contains("does not offer pairing"), "{error}");
        server.abort();
    }
}
