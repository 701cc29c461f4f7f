//! The host side against a script of bytes. Both sides of the bytes are built here by hand from the
//! protocol's documentation, without this crate's codec: a mistake in it cannot hide on both sides.

use std::time::Duration;

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _, DuplexStream, duplex};
use wibbet_adb::{CallError, Collected, HostKey, KeyRing, Link, LinkError, Service, Stream, Timeouts};

const PEM: &str = include_str!("key.pem");
const VECTORS: &str = include_str!("key-vectors.txt");

fn keys() -> KeyRing {
    KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap())
}

fn vector(name: &str) -> Vec<u8> {
    let hex = VECTORS.lines().find_map(|l| l.strip_prefix(name)).unwrap().trim();
    (0..hex.len()).step_by(2).map(|i| u8::from_str_radix(&hex[i..i + 2], 16).unwrap()).collect()
}

/// Header and data, with the byte sum as checksum or with 0.
fn packet(name: &[u8; 4], arg0: u32, arg1: u32, data: &[u8], sum: bool) -> Vec<u8> {
    let checksum = if sum { data.iter().map(|b| u32::from(*b)).sum() } else { 0 };
    let command = u32::from_le_bytes(*name);
    let mut out = Vec::new();
    for word in [command, arg0, arg1, data.len() as u32, checksum, command ^ 0xffff_ffff] {
        out.extend_from_slice(&word.to_le_bytes());
    }
    out.extend_from_slice(data);
    out
}

async fn expect(device: &mut DuplexStream, bytes: &[u8]) {
    let mut seen = vec![0; bytes.len()];
    device.read_exact(&mut seen).await.unwrap();
    assert_eq!(String::from_utf8_lossy(&seen), String::from_utf8_lossy(bytes));
    assert_eq!(seen, bytes);
}

fn limits() -> Timeouts {
    let long = Duration::from_secs(30);
    Timeouts { connect: long, answer: long, tap: long, idle: long, write: long }
}

/// A host that connects to the device's end of the wire.
fn host(wire: DuplexStream) -> tokio::task::JoinHandle<Result<Link, LinkError>> {
    let (from, to) = tokio::io::split(wire);
    tokio::spawn(async move { Link::over(from, to, "script", &keys(), &limits(), &mut |_| {}).await })
}

const HELLO: &[u8] = b"host::features=shell_v2,cmd,abb,abb_exec,stat_v2";

/// A new device: authorised by signature, no checksums once the version is known, large packets.
#[tokio::test]
async fn a_new_device() {
    let (wire, mut device) = duplex(1 << 20);
    let linking = host(wire);
    expect(&mut device, &packet(b"CNXN", 0x0100_0001, 1 << 20, HELLO, true)).await;
    // Packets that a former connection left behind come first.
    device.write_all(&packet(b"WRTE", 9, 9, b"stale", false)).await.unwrap();
    device.write_all(&packet(b"AUTH", 1, 0, &vector("token "), false)).await.unwrap();
    expect(&mut device, &packet(b"AUTH", 2, 0, &vector("signature "), true)).await;
    let banner = b"device::ro.product.name=n;ro.product.model=m;ro.product.device=d;features=shell_v2,cmd";
    device.write_all(&packet(b"CNXN", 0x0100_0001, 256 * 1024, banner, false)).await.unwrap();
    let link = linking.await.unwrap().unwrap();

    let calling = tokio::spawn({
        let link = link.clone();
        async move {
            let mut said = Collected::default();
            let code = link.call(&Service::ShellV2("id".into()), &limits(), &mut said).await;
            (code, said)
        }
    });
    expect(&mut device, &packet(b"OPEN", 1, 0, b"shell,v2,raw:id\0", false)).await;
    device.write_all(&packet(b"OKAY", 77, 1, b"", false)).await.unwrap();
    device.write_all(&packet(b"WRTE", 77, 1, b"\x01\x03\0\0\0yes\x02\x02\0\0\0no", false)).await.unwrap();
    expect(&mut device, &packet(b"OKAY", 1, 77, b"", false)).await;
    device.write_all(&packet(b"WRTE", 77, 1, b"\x03\x01\0\0\0\x2a", false)).await.unwrap();
    expect(&mut device, &packet(b"OKAY", 1, 77, b"", false)).await;
    device.write_all(&packet(b"CLSE", 77, 1, b"", false)).await.unwrap();
    let (code, said) = calling.await.unwrap();
    assert_eq!((code.unwrap(), said.out.as_slice(), said.err.as_slice()), (Some(42), &b"yes"[..], &b"no"[..]));

    // A service that is refused, and one that ends before its exit code.
    for (answer, cut_short) in [(packet(b"CLSE", 0, 2, b"", false), false), (packet(b"OKAY", 78, 3, b"", false), true)]
    {
        let link = link.clone();
        let calling = tokio::spawn(async move {
            link.call(&Service::ShellV2("x".into()), &limits(), &mut Collected::default()).await
        });
        let id = if cut_short { 3 } else { 2 };
        expect(&mut device, &packet(b"OPEN", id, 0, b"shell,v2,raw:x\0", false)).await;
        device.write_all(&answer).await.unwrap();
        if cut_short {
            device.write_all(&packet(b"CLSE", 78, 3, b"", false)).await.unwrap();
        }
        let error = calling.await.unwrap().unwrap_err();
        assert_eq!(matches!(error, CallError::CutShort { .. }), cut_short, "{error}");
        assert_eq!(matches!(error, CallError::Refused { .. }), !cut_short, "{error}");
    }
}

/// An old device: it does not know the key, asks its owner, wants checksums and small packets.
#[tokio::test]
async fn an_old_device() {
    let (wire, mut device) = duplex(1 << 20);
    let linking = host(wire);
    expect(&mut device, &packet(b"CNXN", 0x0100_0001, 1 << 20, HELLO, true)).await;
    device.write_all(&packet(b"AUTH", 1, 0, &vector("token "), true)).await.unwrap();
    expect(&mut device, &packet(b"AUTH", 2, 0, &vector("signature "), true)).await;
    device.write_all(&packet(b"AUTH", 1, 0, &[7; 20], true)).await.unwrap();
    let base64 = VECTORS.lines().find_map(|l| l.strip_prefix("public_key_base64 ")).unwrap().trim();
    expect(&mut device, &packet(b"AUTH", 3, 0, format!("{base64} test@bench\0").as_bytes(), true)).await;
    device.write_all(&packet(b"CNXN", 0x0100_0000, 4096, b"device::ro.product.model=m;\0", true)).await.unwrap();
    let link = linking.await.unwrap().unwrap();

    let writing = tokio::spawn({
        let link = link.clone();
        async move {
            let mut stream = link.open("sync:", limits().idle).await.unwrap();
            stream.write(&[b'z'; 5000], limits().idle).await.unwrap();
            stream
        }
    });
    expect(&mut device, &packet(b"OPEN", 1, 0, b"sync:\0", true)).await;
    device.write_all(&packet(b"OKAY", 5, 1, b"", true)).await.unwrap();
    expect(&mut device, &packet(b"WRTE", 1, 5, &[b'z'; 4096], true)).await;
    device.write_all(&packet(b"OKAY", 5, 1, b"", true)).await.unwrap();
    expect(&mut device, &packet(b"WRTE", 1, 5, &[b'z'; 904], true)).await;
    drop(writing.await.unwrap());
    expect(&mut device, &packet(b"CLSE", 1, 5, b"", true)).await;

    // What comes for a closed stream is answered by closing it; a wrong checksum ends the link.
    device.write_all(&packet(b"WRTE", 5, 1, b"late", true)).await.unwrap();
    expect(&mut device, &packet(b"CLSE", 1, 5, b"", true)).await;
    device.write_all(&packet(b"WRTE", 5, 1, b"sum", false)).await.unwrap();
    let end = link.ended().await;
    assert!(matches!(&end, LinkError::Broken { rule, .. } if rule.contains("checksum")), "{end}");
}

/// A link to a daemon with small packets, and its answer to a command that is being called on it.
async fn called(device: &mut DuplexStream, linking: tokio::task::JoinHandle<Result<Link, LinkError>>) -> Calling {
    expect(device, &packet(b"CNXN", 0x0100_0001, 1 << 20, HELLO, true)).await;
    device.write_all(&packet(b"CNXN", 0x0100_0001, 4096, b"device::features=shell_v2", false)).await.unwrap();
    let link = linking.await.unwrap().unwrap();
    let calling = tokio::spawn({
        let link = link.clone();
        async move {
            let mut said = Collected::default();
            let code = link.call(&Service::ShellV2("x".into()), &limits(), &mut said).await;
            (code, said)
        }
    });
    expect(device, &packet(b"OPEN", 1, 0, b"shell,v2,raw:x\0", false)).await;
    device.write_all(&packet(b"OKAY", 5, 1, b"", false)).await.unwrap();
    (link, calling)
}

type Calling = (Link, tokio::task::JoinHandle<(Result<Option<u8>, CallError>, Collected)>);

/// A command that ends with 150 kB unread: the platform's own daemon sends them in packets of the agreed size, with the
/// exit code and the end of the stream behind them, and waits for nothing.
#[tokio::test]
async fn the_last_data_of_a_command_come_without_waiting() {
    let (wire, mut device) = duplex(1 << 20);
    let linking = host(wire);
    let (_link, calling) = called(&mut device, linking).await;
    let mut said = vec![1];
    said.extend_from_slice(&150_000u32.to_le_bytes());
    said.extend_from_slice(&[b'z'; 150_000]);
    said.extend_from_slice(b"\x03\x01\0\0\0\x07");
    let mut all = Vec::new();
    said.chunks(4096).for_each(|piece| all.extend(packet(b"WRTE", 5, 1, piece, false)));
    all.extend(packet(b"CLSE", 5, 1, b"", false));
    assert_eq!(said.chunks(4096).count(), 37);
    device.write_all(&all).await.unwrap();
    let (code, said) = calling.await.unwrap();
    assert_eq!((code, said.out.len()), (Ok(Some(7)), 150_000));
}

/// A link with one stream, which both sides number as they do first, over a wire with a device that takes so much data a
/// packet.
async fn one_stream(wire: DuplexStream, device: &mut DuplexStream, most: u32) -> (Link, Stream) {
    let linking = host(wire);
    expect(device, &packet(b"CNXN", 0x0100_0001, 1 << 20, HELLO, true)).await;
    device.write_all(&packet(b"CNXN", 0x0100_0001, most, b"device::", false)).await.unwrap();
    let link = linking.await.unwrap().unwrap();
    let opening = tokio::spawn({
        let link = link.clone();
        async move { link.open("shell:x", limits().idle).await }
    });
    expect(device, &packet(b"OPEN", 1, 0, b"shell:x\0", false)).await;
    device.write_all(&packet(b"OKAY", 5, 1, b"", false)).await.unwrap();
    let stream = opening.await.unwrap().unwrap();
    (link, stream)
}

/// A device that never waits for its data to be taken would fill the memory of a stream that nobody reads; it is cut
/// off, whether its packets are large, small or empty.
#[tokio::test]
async fn more_than_a_socket_holds_ends_the_link() {
    for (size, fits, too_many) in [(4096, 64, 200), (1, 2000, 10_000), (0, 2000, 10_000)] {
        let (wire, mut device) = duplex(1 << 22);
        let (link, mut stream) = one_stream(wire, &mut device, 4096).await;
        let flood = |count: usize| packet(b"WRTE", 5, 1, &vec![b'z'; size], false).repeat(count);
        device.write_all(&flood(fits)).await.unwrap();
        for _ in 0..fits {
            assert_eq!(stream.read(limits().idle).await.unwrap().unwrap().len(), size);
            expect(&mut device, &packet(b"OKAY", 1, 5, b"", false)).await;
        }
        assert!(!link.is_ended(), "{fits} packets of {size} bytes are no reason");
        device.write_all(&flood(too_many)).await.unwrap();
        let end = link.ended().await;
        assert!(matches!(&end, LinkError::Broken { rule, .. } if rule.contains("acknowledged")), "{end}");
    }
}

/// A device that takes nothing any more is not there: the link ends, and whoever writes learns why.
#[tokio::test(start_paused = true)]
async fn a_device_that_takes_nothing_is_given_up() {
    let (wire, mut device) = duplex(1 << 16);
    let (link, mut stream) = one_stream(wire, &mut device, 1 << 20).await;
    // More than the wire holds; the device goes on breathing and reads nothing.
    let begun = tokio::time::Instant::now();
    stream.write(&[b'z'; 100_000], limits().idle).await.unwrap();
    let end = link.ended().await;
    assert!(matches!(&end, LinkError::Lost { why, .. } if why.contains("taken nothing for 30 s")), "{end}");
    assert_eq!(begun.elapsed().as_secs(), 30);
    assert!(link.open("shell:x", limits().idle).await.is_err());
}

/// Links a device that asks for nothing.
async fn linked(device: &mut DuplexStream, linking: tokio::task::JoinHandle<Result<Link, LinkError>>) -> Link {
    expect(device, &packet(b"CNXN", 0x0100_0001, 1 << 20, HELLO, true)).await;
    device.write_all(&packet(b"CNXN", 0x0100_0001, 256 * 1024, b"device::features=shell_v2", false)).await.unwrap();
    linking.await.unwrap().unwrap()
}

/// Who says a byte now and then comes to an end too, and who never stops saying as well.
#[tokio::test(start_paused = true)]
async fn an_answer_without_an_end_is_ended() {
    for (piece, pause) in [(&b"\x01\x01\0\0\0x"[..], Duration::from_secs(20)), (&[1; 256 * 1024][..], Duration::ZERO)] {
        let (wire, mut device) = duplex(1 << 20);
        let link = linked(&mut device, host(wire)).await;
        let served = tokio::spawn(async move {
            expect(&mut device, &packet(b"OPEN", 1, 0, b"shell,v2,raw:x\0", false)).await;
            device.write_all(&packet(b"OKAY", 7, 1, b"", false)).await.unwrap();
            for _ in 0..1000 {
                tokio::time::sleep(pause).await;
                let sent = device.write_all(&packet(b"WRTE", 7, 1, piece, false)).await;
                let mut okay = [0; 24];
                if sent.is_err() || device.read_exact(&mut okay).await.is_err() || &okay[..4] == b"CLSE" {
                    return;
                }
            }
            panic!("it was listened to all the time");
        });
        let begun = tokio::time::Instant::now();
        let service = Service::ShellV2("x".into());
        let error = link.call(&service, &limits(), &mut Collected::default()).await.unwrap_err();
        assert!(matches!(error, CallError::Endless { .. }), "{error}");
        assert!(begun.elapsed() <= limits().idle * 10, "{:?}", begun.elapsed());
        served.await.unwrap();
    }
}
