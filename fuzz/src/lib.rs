//! A function for each kind of bytes that come from outside: it takes any, and checks what must hold of the result.
//!
//! With `cargo fuzz` (which needs a nightly compiler, or `--sanitizer none`): `cargo fuzz run --features fuzzing packet`.
//! Without it the test of this crate runs the corpus.

use std::time::Duration;

use wibbet_adb::pairing::{
    MESSAGE_LEN, MOST_CONTENT, PAIRING_HEADER, PEER_INFO_LEN, PairingCipher, PeerInfo, Role, Spake2,
    read_pairing_header,
};
use wibbet_adb::{
    Banner, Collected, Command, Features, HostKey, KeyRing, Link, MAX_DATA, Packet, Service, ShellDecoder, Timeouts,
    read_packet, read_server_devices, read_sync_header, server_request, service_kind,
};

mod packages;

pub use packages::{
    apk, chains, dump, front, help, ids, lists, looks, manifest, measures, orders, properties, ranges, report,
    searches, table, ties, users,
};

/// Takes any bytes.
pub type Target = fn(&[u8]);

/// Every function, by the name of its target and of its corpus.
pub const TARGETS: [(&str, Target); 27] = [
    ("packet", packet),
    ("banner", banner),
    ("shell", shell),
    ("sync", sync),
    ("pairing", pairing),
    ("server", server),
    ("announced", announced),
    ("link", link),
    ("apk", apk),
    ("table", table),
    ("manifest", manifest),
    ("dump", dump),
    ("measures", measures),
    ("front", front),
    ("ranges", ranges),
    ("searches", searches),
    ("ids", ids),
    ("oldshell", oldshell),
    ("properties", properties),
    ("users", users),
    ("report", report),
    ("lists", lists),
    ("help", help),
    ("chains", chains),
    ("ties", ties),
    ("orders", orders),
    ("looks", looks),
];

fn runtime() -> tokio::runtime::Runtime {
    #[expect(clippy::expect_used, reason = "without one nothing can be tried")]
    tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime")
}

/// Packets of the protocol, until one is broken.
pub fn packet(data: &[u8]) {
    runtime().block_on(async {
        let mut from = data;
        while let Ok(Ok(packet)) = read_packet(&mut from, MAX_DATA, false).await {
            assert!(packet.data.len() <= MAX_DATA as usize);
            let again = packet.encode(true);
            let read = read_packet(&mut again.as_slice(), MAX_DATA, true).await;
            assert!(matches!(read, Ok(Ok(p)) if p == packet));
        }
    });
}

/// What a device says of itself.
pub fn banner(data: &[u8]) {
    let banner = Banner::read(data);
    for text in [banner.state, banner.model, banner.product] {
        assert!(!text.as_str().chars().any(char::is_control));
    }
}

/// Frames of the shell, cut into pieces at every place that the first byte says.
pub fn shell(data: &[u8]) {
    let Some((size, rest)) = data.split_first() else { return };
    let (mut whole, mut pieces) = (Vec::new(), Vec::new());
    ShellDecoder::default().feed(rest, &mut |id, bytes| whole.push((id, bytes.to_vec())));
    let mut decoder = ShellDecoder::default();
    for piece in rest.chunks(usize::from(*size).max(1)) {
        decoder.feed(piece, &mut |id, bytes| pieces.push((id, bytes.to_vec())));
    }
    let joined =
        |list: &[(wibbet_adb::ShellId, Vec<u8>)]| list.iter().flat_map(|(_, b)| b.clone()).collect::<Vec<u8>>();
    assert_eq!(joined(&whole), joined(&pieces));
}

/// What a command of an old device prints through its terminal, in pieces of the size that the first byte says.
pub fn oldshell(data: &[u8]) {
    const PEM: &str = include_str!("../../crates/adb/tests/key.pem");
    let Some((size, rest)) = data.split_first() else { return };
    let Ok(key) = HostKey::from_pem(PEM, "fuzz", "key.pem".as_ref()) else { return };
    let quick = Duration::from_secs(5);
    let limits = Timeouts { connect: quick, answer: quick, tap: quick, idle: quick, write: quick };
    let mut said = Packet::new(Command::Cnxn, 0x0100_0001, 4096, *b"device::").encode(true);
    said.extend(Packet::new(Command::Okay, 9, 1, []).encode(true));
    for piece in rest.chunks(usize::from(*size).max(1)).take(2000) {
        said.extend(Packet::new(Command::Wrte, 9, 1, piece).encode(true));
    }
    said.extend(Packet::new(Command::Clse, 9, 1, []).encode(true));
    runtime().block_on(async {
        let from = std::io::Cursor::new(said);
        // What is sent is not answered to: the stream is there before anything is asked.
        let made = Link::over(from, tokio::io::sink(), "fuzz", &KeyRing::of(key), &limits, &mut |_| {}).await;
        if let Ok(link) = made {
            let mut out = Collected::default();
            let code = link.call(&Service::OldShell("x".into()), &limits, &mut out).await;
            assert!(out.out.len() <= rest.len() && (code.is_err() || out.err.is_empty()));
        }
    });
}

/// Answers of the sync service.
pub fn sync(data: &[u8]) {
    let mut rest = data;
    while let Some((header, behind)) = rest.split_first_chunk::<8>() {
        let Some((_, length)) = read_sync_header(header) else { return };
        rest = behind.get(length as usize..).unwrap_or_default();
    }
}

/// Packets of a pairing and what is in them.
pub fn pairing(data: &[u8]) {
    if let Some((header, rest)) = data.split_first_chunk::<PAIRING_HEADER>()
        && let Ok((_, length)) = read_pairing_header(header)
    {
        assert!((1..=MOST_CONTENT).contains(&length));
        let content = &rest[..length.min(rest.len())];
        let key = Spake2::new(Role::Host, b"123456", &[7; 64]).finish(content);
        assert!(content.len() == MESSAGE_LEN || key.is_none());
        if let Some(key) = key {
            assert!(PairingCipher::new(&key).open(rest).is_none(), "a seal that nobody made");
        }
        assert!(content.len() == PEER_INFO_LEN || PeerInfo::read(content).is_none());
    }
    let mut padded = data.to_vec();
    padded.resize(PEER_INFO_LEN, 0);
    PeerInfo::read(&padded);
}

/// What a debugging server answers.
pub fn server(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    for device in read_server_devices(&text) {
        assert!(!device.serial.is_empty() && device.serial.chars().all(|c| c.is_ascii_graphic()));
        assert!(server_request(&device.serial).is_none_or(|r| r.len() == device.serial.len() + 4));
    }
    Features::read(&text);
}

/// Names in announcements on the network.
pub fn announced(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    if let Some((kind, instance)) = service_kind(&text) {
        assert!(instance.chars().all(|c| c.is_ascii_graphic()) && !kind.service().is_empty());
        let addresses = vec![([127, 0, 0, 1], 5555).into()];
        let announced = wibbet_adb::Announced { kind, instance, addresses };
        assert!(announced.serial().is_none_or(|s| !s.is_empty()));
    }
}

/// A whole connection with a device that says these bytes.
pub fn link(data: &[u8]) {
    const PEM: &str = include_str!("../../crates/adb/tests/key.pem");
    let Ok(key) = HostKey::from_pem(PEM, "fuzz", "key.pem".as_ref()) else { return };
    let quick = Duration::from_secs(5);
    let limits = Timeouts { connect: quick, answer: quick, tap: quick, idle: quick, write: quick };
    runtime().block_on(async {
        let from = std::io::Cursor::new(data.to_vec());
        let made = Link::over(from, tokio::io::sink(), "fuzz", &KeyRing::of(key), &limits, &mut |_| {}).await;
        if let Ok(link) = made {
            // Opening ends with the link, if the bytes do not answer it.
            let _ = link.open("shell:x", quick).await;
            link.ended().await;
        }
    });
}
