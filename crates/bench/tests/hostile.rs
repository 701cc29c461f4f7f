//! What a whole survey of a hostile device costs: users, packages, sizes, use and labels are asked for as ever, and what
//! comes back is made to cost as much as it can. One test for all of them, since the memory of the whole process is measured.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, reason = "tests")]

#[path = "../../adb/tests/support/memory.rs"]
mod memory;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::mpsc;
use wibbet_adb::{HostKey, KeyRing, Timeouts};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{details, device_languages, read_labels, read_metrics, survey};
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::workplace::Workplace;

use memory::{Peak, resident};

const PEM: &str = include_str!("../../adb/tests/key.pem");
/// What any of them may cost above idle.
const MOST: u64 = 32 << 20;
/// How much a flood brings: as much as an answer may, and more.
const FLOODS: [usize; 2] = [48 << 20, 80 << 20];
/// The most bytes that an answer may have.
const MOST_OF_AN_ANSWER: usize = 64 << 20;
const PIECE: usize = 128 * 1024;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Daemon {
    /// As a device should be: what it costs is what any survey costs.
    Honest,
    /// Its properties do not end.
    Properties,
    /// Users without end.
    Users,
    /// Few packages, each with the state of fifty thousand users, all of whom are listed.
    UsersOfPackages,
    /// A dump of packages without end.
    Packages,
    /// One package with permissions and paths without end.
    Parts,
    /// A dump that is one line.
    Line,
    /// A list of packages without end.
    List,
    /// The report on the device, sizes and use do not end.
    Measures,
    /// What files hold does not end.
    Files,
    /// Carriage returns without end, through the terminal of an old device.
    Returns,
}

use Daemon::{Files, Honest, Line, List, Measures, Packages, Parts, Properties, Returns, Users, UsersOfPackages};

const ALL: [Daemon; 11] =
    [Honest, Properties, Users, UsersOfPackages, Packages, Parts, Line, List, Measures, Files, Returns];

/// Text that goes on: `line` says what its line `n` is.
fn endless(flood: usize, line: impl Fn(usize) -> String + Send + 'static) -> Box<dyn Iterator<Item = Vec<u8>> + Send> {
    let mut n = 0;
    let mut sent = 0;
    Box::new(std::iter::from_fn(move || {
        let mut piece = Vec::new();
        while piece.len() < PIECE && sent < flood {
            let line = line(n);
            n += 1;
            sent += line.len();
            piece.extend_from_slice(line.as_bytes());
        }
        (!piece.is_empty()).then_some(piece)
    }))
}

fn text(text: impl Into<String>) -> Box<dyn Iterator<Item = Vec<u8>> + Send> {
    let text: String = text.into();
    Box::new(text.into_bytes().chunks(PIECE).map(<[u8]>::to_vec).collect::<Vec<_>>().into_iter())
}

fn package(n: usize, users: &str) -> String {
    format!(
        "  Package [com.odd.p{n}] ({n:x}):\n    userId={}\n    codePath=/system/app/p{n}\n    versionCode=1 minSdk=1 targetSdk=30\n    \
         versionName=1\n    flags=[ SYSTEM HAS_CODE ]\n{users}",
        10_000 + n % 9000
    )
}

fn user(n: usize) -> String {
    format!(
        "    User {n}: ceDataInode=1 installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0\n"
    )
}

const COUNT: usize = 40;

/// What the device says to a command, in Android's own forms.
fn answer(daemon: Daemon, flood: usize, command: &str) -> Box<dyn Iterator<Item = Vec<u8>> + Send> {
    let has = |word: &str| command.contains(word);
    match daemon {
        Returns if !has("getprop") && !has("boot_id") => return endless(flood, |_| "\r".repeat(4096)),
        Properties if has("getprop") => return endless(flood, |n| format!("[ro.odd.{n}]: [{}]\n", "x".repeat(200))),
        Users if has("list users") => return endless(flood, |n| format!("\tUserInfo{{{n}:Odd {n}:c13}} running\n")),
        UsersOfPackages if has("list users") => {
            let line = |n| format!("\tUserInfo{{{n}:Odd {n}:c13}} running\n");
            return text(format!("Users:\n{}", (0..50_000).map(line).collect::<String>()));
        }
        UsersOfPackages if has("package packages") => {
            return endless(flood, |n| match n {
                0 => "Packages:\n".into(),
                n if n % 50_001 == 1 => package(n / 50_001, ""),
                n => user(n % 50_001),
            });
        }
        Packages if has("package packages") => {
            return endless(flood, |n| if n == 0 { "Packages:\n".into() } else { package(n, &user(0)) });
        }
        Parts if has("package packages") => {
            return endless(flood, |n| match n {
                0 => format!("Packages:\n{}    requested permissions:\n", package(1, "")),
                n if n % 3 == 0 => format!("    splits=[base, {}]\n", "s".repeat(300)),
                n => format!("      android.permission.ODD_{n}\n"),
            });
        }
        Line if has("package packages") => {
            return endless(flood, |n| if n == 0 { "Packages:\n".into() } else { "x".repeat(4096) });
        }
        List if has("list packages") || has("list\0packages") => {
            return endless(flood, |n| format!("package:/system/app/p{n}/p{n}.apk=com.odd.p{n}\n"));
        }
        Measures if has("diskstats") || has("usagestats") || has("meminfo") || has("dumpsys battery") => {
            return endless(flood, |n| match n % 3 {
                0 => format!("wibbet-part:odd{n}\nPackage Names: [\"{}\"]\n", "com.odd".repeat(500)),
                1 => format!("      package=com.odd.p{n} totalTime=\"1\" lastTime=\"2026-01-01 10:00:00\"\n"),
                _ => format!("    {n}K: com.odd.p{n} (pid {n})\n"),
            });
        }
        Files if has("dd ") || has("od ") || has("tail") => return endless(flood, |_| "\u{3}\u{4}zip?".repeat(700)),
        _ => {}
    }
    match () {
        () if has("getprop") => text(
            "[ro.build.version.sdk]: [34]\n[ro.build.version.release]: [14]\n[ro.product.manufacturer]: [Corvane]\n\
             [ro.product.model]: [Odd 1]\n[ro.serialno]: [ODD-1]\n[ro.build.display.id]: [ODD.1]\n",
        ),
        () if has("boot_id") => text("7c1e0a52-9f6d-4b35-8d21-5e0f3a9c4471\n9f3c2b1a00e4d5c6\n"),
        () if has("list users") || has("list\0users") => text("Users:\n\tUserInfo{0:Crew:c13} running\n"),
        () if has("package packages") => {
            text(format!("Packages:\n{}", (0..COUNT).map(|n| package(n, &user(0))).collect::<String>()))
        }
        () if has("packages") => {
            text((0..COUNT).map(|n| format!("package:/system/app/p{n}/p{n}.apk=com.odd.p{n}\n")).collect::<String>())
        }
        () => text(""),
    }
}

fn packet(name: &[u8; 4], arg0: u32, arg1: u32, data: &[u8]) -> Vec<u8> {
    let command = u32::from_le_bytes(*name);
    let mut out = Vec::with_capacity(24 + data.len());
    for word in [command, arg0, arg1, data.len() as u32, 0, command ^ 0xffff_ffff] {
        out.extend_from_slice(&word.to_le_bytes());
    }
    out.extend_from_slice(data);
    out
}

type Acks = Arc<Mutex<HashMap<u32, mpsc::UnboundedSender<Vec<u8>>>>>;

async fn serve(daemon: Daemon, flood: usize, socket: TcpStream) {
    let (mut from, mut to) = socket.into_split();
    let (out, mut queue) = mpsc::channel::<Vec<u8>>(8);
    tokio::spawn(async move {
        while let Some(packet) = queue.recv().await {
            if to.write_all(&packet).await.is_err() {
                return;
            }
        }
    });
    let streams = Acks::default();
    loop {
        let mut head = [0; 24];
        if from.read_exact(&mut head).await.is_err() {
            return;
        }
        let word = |at: usize| u32::from_le_bytes(head[at..at + 4].try_into().unwrap());
        let mut data = vec![0; word(12) as usize];
        if from.read_exact(&mut data).await.is_err() {
            return;
        }
        match &head[..4] {
            b"CNXN" => {
                let features = if daemon == Returns { "" } else { "shell_v2,cmd" };
                let banner =
                    format!("device::ro.product.name=o;ro.product.model=o;ro.product.device=o;features={features}");
                let _ = out.send(packet(b"CNXN", 0x0100_0001, 256 * 1024, banner.as_bytes())).await;
            }
            b"OPEN" => {
                let (acks, taken) = mpsc::unbounded_channel();
                let host = word(4);
                streams.lock().unwrap().insert(host, acks);
                let name = String::from_utf8_lossy(&data).trim_end_matches('\0').to_owned();
                tokio::spawn(stream(daemon, flood, name, host, out.clone(), taken));
            }
            // The host's number of a stream is the device's too.
            b"OKAY" | b"WRTE" => {
                if head[..4] == *b"WRTE" {
                    let _ = out.send(packet(b"OKAY", word(8), word(4), b"")).await;
                }
                if let Some(acks) = streams.lock().unwrap().get(&word(8)) {
                    let _ = acks.send(data);
                }
            }
            b"CLSE" => drop(streams.lock().unwrap().remove(&word(8))),
            _ => return,
        }
    }
}

async fn stream(
    daemon: Daemon,
    flood: usize,
    name: String,
    id: u32,
    out: mpsc::Sender<Vec<u8>>,
    mut taken: mpsc::UnboundedReceiver<Vec<u8>>,
) {
    let _ = out.send(packet(b"OKAY", id, id, b"")).await;
    if name == "sync:" {
        // Each file that is asked for is there, and large.
        let mut said = Vec::new();
        while let Some(piece) = taken.recv().await {
            said.extend_from_slice(&piece);
            while said.len() >= 8 {
                let length = u32::from_le_bytes(said[4..8].try_into().unwrap()) as usize;
                if said.len() < 8 + length {
                    break;
                }
                said.drain(..8 + length);
                let mut entry = b"STAT".to_vec();
                [0o100_644u32, 30 << 20, 1_600_000_000]
                    .iter()
                    .for_each(|word| entry.extend_from_slice(&word.to_le_bytes()));
                let _ = out.send(packet(b"WRTE", id, id, &entry)).await;
            }
        }
        return;
    }
    let framed = name.starts_with("shell,v2");
    let frame = |kind: u8, data: &[u8]| {
        let mut out = vec![kind];
        out.extend_from_slice(&(data.len() as u32).to_le_bytes());
        out.extend_from_slice(data);
        out
    };
    let end = if framed { frame(3, &[0]) } else { b"\x01wibbet:0\r\n".to_vec() };
    let pieces = answer(daemon, flood, &name).map(|piece| if framed { frame(1, &piece) } else { piece });
    for piece in pieces.chain([end]) {
        if out.send(packet(b"WRTE", id, id, &piece)).await.is_err() || taken.recv().await.is_none() {
            return;
        }
    }
    let _ = out.send(packet(b"CLSE", id, id, b"")).await;
}

/// All that is read of a device at its first link, and how it ended.
async fn look(workplace: &Workplace, at: &str) -> String {
    let device = workplace.device(at.parse().unwrap());
    if let Err(error) = device.connect(&mut |_| {}).await {
        return format!("no link: {error}");
    }
    let details = details(&device).await;
    let inventory = match survey(&device, &mut |_| {}).await {
        Ok(inventory) => inventory,
        Err(error) => return format!("no survey: {error}"),
    };
    let metrics = read_metrics(&device, &inventory, &mut |_| {}).await.map(|metrics| metrics.sizes.len());
    let languages = device_languages(&device, wibbet_types::UserId::OWNER).await.unwrap_or_default();
    let labels = read_labels(&device, &workplace.book, &inventory, &languages, &mut |_| {}).await;
    format!(
        "{} packages, {} users, {} gaps; sizes of {}, labels of {}; vitals: {}",
        inventory.packages.len(),
        inventory.users.len(),
        inventory.gaps.len(),
        metrics.map_or_else(|error| error.to_string(), |count| count.to_string()),
        labels.map_or_else(|error| error.to_string(), |(names, _)| names.apps.len().to_string()),
        details.is_some()
    )
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_survey_of_a_hostile_device_ends_and_costs_little() {
    let folder = tempfile::tempdir().unwrap();
    let (long, short) = (Duration::from_secs(60), Duration::from_secs(20));
    let limits = Timeouts { connect: long, answer: long, tap: long, idle: long, write: long };
    let key = HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap();
    let workplace = Workplace {
        book: SharedLogbook::open(folder.path()).unwrap(),
        technician: Arc::default(),
        meeting: wibbet_logbook::MeetingPlaces::only(folder.path()),
        keys: Arc::new(KeyRing::of(key)),
        limits,
        patience: RunPolicy {
            change: short,
            look: short,
            link: short,
            pause: Duration::from_millis(1),
            tries: 1,
            window: 1,
        },
        surroundings: Arc::default(),
    };
    let peak = Peak::watch();
    // What is freed may stay with the process: all of them together cost no more than one may.
    let idle = resident();
    for (daemon, flood) in ALL.into_iter().flat_map(|daemon| FLOODS.map(|flood| (daemon, flood))) {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let server = tokio::spawn(async move {
            while let Ok((socket, _)) = listener.accept().await {
                tokio::spawn(serve(daemon, flood, socket));
            }
        });
        peak.reset();
        let begun = std::time::Instant::now();
        let ended = look(&workplace, &at).await;
        let cost = peak.above(idle);
        println!(
            "{daemon:?} {} MiB: {} KiB above idle, {:.1} s; {ended}",
            flood >> 20,
            cost / 1024,
            begun.elapsed().as_secs_f32()
        );
        assert!(cost < MOST, "{daemon:?} costs {} MiB: {ended}", cost >> 20);
        match daemon {
            // Whatever could be read is shown, and what could not is said.
            Honest | Measures | Files => assert!(ended.starts_with("40 packages, 1 users, 0 gaps"), "{ended}"),
            _ if flood > MOST_OF_AN_ANSWER => assert!(ended.contains("did not come to an end"), "{ended}"),
            _ => assert!(!ended.contains(" 0 gaps") || daemon == Properties, "{ended}"),
        }
        server.abort();
    }
}
