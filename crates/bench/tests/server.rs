//! A device whose cable another program holds, used through that program's debugging server.
#![allow(clippy::unwrap_used, reason = "tests")]

mod support;

use std::sync::Arc;
use std::time::Duration;

use support::{device, keys, patience, workplace};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{mpsc, watch};
use tokio::time::timeout;
use wibbet_adb::{Limits, Link, UsbTrouble};
use wibbet_bench::{Bench, BenchEvent, Route, SessionEvent, Surroundings};
use wibbet_sim::{Scenario, SimBus};

const SERIAL: &str = "CT5-0417-2291";
const LONG: Duration = Duration::from_secs(60);

async fn request(socket: &mut TcpStream) -> Option<String> {
    let mut digits = [0; 4];
    socket.read_exact(&mut digits).await.ok()?;
    let length = usize::from_str_radix(std::str::from_utf8(&digits).ok()?, 16).ok()?;
    let mut text = vec![0; length];
    socket.read_exact(&mut text).await.ok()?;
    String::from_utf8(text).ok()
}

async fn say(socket: &mut TcpStream, text: &str) {
    let _ = socket.write_all(format!("{:04x}{text}", text.len()).as_bytes()).await;
}

/// One connection of a client, as the published protocol has it.
async fn serve(mut socket: TcpStream, link: Link, mut there: watch::Receiver<bool>) -> Option<()> {
    let line = |there: bool| if there { format!("{SERIAL}\tdevice usb:1-2 transport_id:1\n") } else { String::new() };
    loop {
        let wanted = request(&mut socket).await?;
        match wanted.as_str() {
            "host:devices-l" => {
                socket.write_all(b"OKAY").await.ok()?;
                let now = *there.borrow();
                say(&mut socket, &line(now)).await;
                return None;
            }
            "host:track-devices" => {
                socket.write_all(b"OKAY").await.ok()?;
                loop {
                    let now = *there.borrow_and_update();
                    say(&mut socket, &line(now)).await;
                    there.changed().await.ok()?;
                }
            }
            w if w == format!("host-serial:{SERIAL}:features") => {
                socket.write_all(b"OKAY").await.ok()?;
                say(&mut socket, "shell_v2,cmd,abb,abb_exec").await;
                return None;
            }
            w if w == format!("host:transport:{SERIAL}") && *there.borrow() => socket.write_all(b"OKAY").await.ok()?,
            w if w.starts_with("host") => {
                socket.write_all(b"FAIL").await.ok()?;
                say(&mut socket, "unknown host service").await;
                return None;
            }
            service => match link.open(service, LONG).await {
                Ok(mut stream) => {
                    socket.write_all(b"OKAY").await.ok()?;
                    while let Ok(Some(piece)) = stream.read(LONG).await {
                        socket.write_all(&piece).await.ok()?;
                    }
                    return None;
                }
                Err(_) => {
                    socket.write_all(b"FAIL").await.ok()?;
                    say(&mut socket, "closed").await;
                    return None;
                }
            },
        }
    }
}

#[tokio::test]
async fn what_another_program_holds_is_used_through_its_server() {
    let phone = device(Scenario::crew_phone(), 1).await;
    let limits = Limits { connect: LONG, answer: LONG, tap: LONG, idle: LONG };
    let link = Link::connect_tcp(&phone.address().to_string(), &keys(), &limits, &mut |_| {}).await.unwrap();
    let (tell, there) = watch::channel(true);
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let server = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move {
        while let Ok((socket, _)) = listener.accept().await {
            tokio::spawn(serve(socket, link.clone(), there.clone()));
        }
    });

    let bus = Arc::new(SimBus::default());
    bus.plug(&phone);
    bus.set_trouble(SERIAL, Some(UsbTrouble::Busy));
    let folder = tempfile::tempdir().unwrap();
    let mut workplace = workplace(folder.path(), patience(1));
    workplace.patience.pause = Duration::from_millis(20);
    let surroundings = Surroundings::simulated(Some(Arc::clone(&bus) as _), None);
    workplace.surroundings = Arc::new(surroundings.with_server(server));
    let (told, mut events) = mpsc::unbounded_channel();
    let _bench = Bench::start(workplace, Vec::new(), move |event| drop(told.send(event)));
    let mut until = async |name: &str| {
        let (mut last, mut kinds) = (String::new(), Vec::new());
        while last != name {
            match timeout(LONG * 2, events.recv()).await.unwrap().unwrap() {
                BenchEvent::Session(_, SessionEvent::Ladder(ladder)) => last = ladder.name().to_owned(),
                BenchEvent::Routes(_, routes) => kinds = routes.iter().map(Route::kind).collect(),
                _ => {}
            }
        }
        kinds
    };
    until("taken").await;
    assert_eq!(until("ready").await, ["cable", "server"]);
    // The server loses it: the cable is tried again, and is free by now.
    bus.set_trouble(SERIAL, None);
    tell.send_replace(false);
    until("unplugged").await;
    until("ready").await;
}
