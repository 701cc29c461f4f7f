//! A device whose cable another program holds, used through that program's debugging server.

use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use crate::support::{device, id, keys, patience, workplace};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{mpsc, watch};
use tokio::time::timeout;
use wibbet_adb::{Encryption, Link, SystemDialer, Timeouts, UsbTrouble};
use wibbet_bench::around::{Route, Surroundings};
use wibbet_bench::device::Device as _;
use wibbet_bench::fleet::{Bench, BenchEvent};
use wibbet_bench::ops::survey;
use wibbet_bench::run::{Control, Runner, begin_run};
use wibbet_bench::session::SessionEvent;
use wibbet_core::plan::{Change, TrayItem, plan_take_out};
use wibbet_core::run::{Outcome, RunKind, RunState};
use wibbet_sim::{Scenario, SimBus};
use wibbet_types::UserId;

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

/// What happens to the cable during a change.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Pull {
    Never,
    /// The device has done it, and nobody hears.
    Done,
    /// It never gets there.
    Undone,
    /// It never gets there, and the server says so in the words that it has for a service that is not there.
    Closed,
    /// The device has done it, and the server has words of its own for that.
    DoneWithOtherWords,
}

/// A debugging server of another program.
#[derive(Clone)]
struct Server {
    link: Link,
    features: &'static str,
    there: watch::Sender<bool>,
    /// Counted up each time that the device comes back.
    transport: Arc<AtomicU32>,
    /// The cable is pulled at the second change, once.
    pull: Arc<Mutex<Pull>>,
    changes: Arc<AtomicU32>,
}

impl Server {
    fn new(link: Link, features: &'static str) -> Self {
        let (pull, there) = (Arc::new(Mutex::new(Pull::Never)), watch::Sender::new(true));
        Self { link, features, there, transport: Arc::default(), pull, changes: Arc::default() }
    }

    async fn start(&self) -> String {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let server = self.clone();
        tokio::spawn(async move {
            while let Ok((socket, _)) = listener.accept().await {
                tokio::spawn(serve(socket, server.clone()));
            }
        });
        at
    }

    /// Whether it is at this service that the cable is pulled.
    fn pulled_at(&self, service: &str) -> Option<Pull> {
        let change = ["uninstall", "disable-user"].iter().any(|word| service.contains(word));
        if !change || self.changes.fetch_add(1, Ordering::SeqCst) != 1 {
            return None;
        }
        Some(std::mem::replace(&mut *self.pull.lock().unwrap(), Pull::Never)).filter(|pull| *pull != Pull::Never)
    }

    /// Streams are ended before the device goes off the list, and it is back soon.
    fn pull_the_cable(&self) {
        let server = self.clone();
        tokio::spawn(async move {
            tokio::time::sleep(Duration::from_millis(20)).await;
            server.there.send_replace(false);
            tokio::time::sleep(Duration::from_millis(50)).await;
            server.transport.fetch_add(1, Ordering::SeqCst);
            server.there.send_replace(true);
        });
    }
}

/// One connection of a client, as the published protocol has it.
async fn serve(mut socket: TcpStream, server: Server) -> Option<()> {
    let number = Arc::clone(&server.transport);
    let line = |there: bool| {
        let number = number.load(Ordering::SeqCst);
        if there { format!("{SERIAL}\tdevice usb:1-2 transport_id:{number}\n") } else { String::new() }
    };
    let mut there = server.there.subscribe();
    let link = &server.link;
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
                say(&mut socket, server.features).await;
                return None;
            }
            w if w == format!("host:transport:{SERIAL}") && *there.borrow() => socket.write_all(b"OKAY").await.ok()?,
            w if w.starts_with("host") => {
                socket.write_all(b"FAIL").await.ok()?;
                say(&mut socket, "unknown host service").await;
                return None;
            }
            service => {
                let pull = server.pulled_at(service);
                if pull == Some(Pull::Undone) {
                    socket.write_all(b"OKAY").await.ok()?;
                    server.pull_the_cable();
                    return None;
                }
                if pull == Some(Pull::Closed) {
                    server.pull_the_cable();
                    socket.write_all(b"FAIL").await.ok()?;
                    say(&mut socket, "closed").await;
                    return None;
                }
                if pull == Some(Pull::DoneWithOtherWords) {
                    let mut stream = link.open(service, LONG).await.ok()?;
                    while let Ok(Some(_)) = stream.read(LONG).await {}
                    socket.write_all(b"FAIL").await.ok()?;
                    say(&mut socket, "protocol fault (no status)").await;
                    return None;
                }
                match link.open(service, LONG).await {
                    Ok(mut stream) => {
                        socket.write_all(b"OKAY").await.ok()?;
                        while let Ok(Some(piece)) = stream.read(LONG).await {
                            if pull.is_none() {
                                socket.write_all(&piece).await.ok()?;
                            }
                        }
                        if pull.is_some() {
                            server.pull_the_cable();
                        }
                        return None;
                    }
                    Err(_) => {
                        socket.write_all(b"FAIL").await.ok()?;
                        say(&mut socket, "closed").await;
                        return None;
                    }
                }
            }
        }
    }
}

#[tokio::test]
async fn what_another_program_holds_is_used_through_its_server() {
    let phone = device(Scenario::crew_phone(), 1).await;
    let limits = Timeouts { connect: LONG, answer: LONG, tap: LONG, idle: LONG, write: LONG };
    let link = Link::connect_at(&SystemDialer, &phone.address(), Encryption::WhereAsked, &keys(), &limits, &mut |_| {})
        .await
        .unwrap();
    let other = Server::new(link, "shell_v2,cmd,abb,abb_exec");
    let server = other.start().await;

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
    other.there.send_replace(false);
    until("unplugged").await;
    until("ready").await;
}

/// The server ends a stream just the same whether the device has ended it or has gone. In which way the change was called
/// does not matter: what it came to is found out by looking, and what was not done is sent again.
#[tokio::test]
async fn a_device_that_goes_in_the_middle_of_a_change_is_looked_at() {
    for features in ["shell_v2,cmd,abb,abb_exec", "shell_v2,cmd", "cmd", "cmd,abb_exec"] {
        for pull in [Pull::Done, Pull::Undone, Pull::Closed, Pull::DoneWithOtherWords] {
            let phone = device(Scenario::crew_phone(), 1).await;
            let limits = Timeouts { connect: LONG, answer: LONG, tap: LONG, idle: LONG, write: LONG };
            let link = Link::connect_at(
                &SystemDialer,
                &phone.address(),
                Encryption::WhereAsked,
                &keys(),
                &limits,
                &mut |_| {},
            )
            .await
            .unwrap();
            let other = Server::new(link, features);
            *other.pull.lock().unwrap() = pull;
            let folder = tempfile::tempdir().unwrap();
            let mut workplace = workplace(folder.path(), patience(1));
            workplace.surroundings = Arc::new(Surroundings::default().with_server(other.start().await));
            let device = workplace.device_by(vec![Route::Server(SERIAL.into())]);
            device.connect(&mut |_| {}).await.unwrap();
            let inventory = survey(&device, &mut |_| {}).await.unwrap();
            let ways = [
                ("com.android.music", Change::Uninstall),
                ("com.android.deskclock", Change::Disable),
                ("com.android.email", Change::Uninstall),
            ];
            let tray = ways.map(|(i, way)| TrayItem { id: id(i), user: UserId::OWNER, way });
            let plan = plan_take_out(&inventory, &device.capabilities(), &tray, false);
            let serial = device.facts().unwrap().id;
            let capabilities = device.capabilities();
            let number = begin_run(&workplace, &serial, RunKind::TakeOut, &plan, &capabilities).await.unwrap();
            let (_stop, stopped) = watch::channel(Control::Go);
            let run = Runner::carry_out(&device, &workplace.book, workplace.patience, number, stopped, &|_| {});
            let run = run.await.unwrap();
            let what = format!("{features} {pull:?}: {:?}", run.steps);
            assert_eq!(run.state, RunState::Finished, "{what}");
            assert!(run.steps.iter().all(|s| s.outcome == Some(Outcome::Done)), "{what}");
            assert_eq!(phone.holds("com.android.deskclock", 0), Some((true, 3)), "{what}");
            let sent = if matches!(pull, Pull::Done | Pull::DoneWithOtherWords) { 3 } else { 4 };
            assert_eq!(other.changes.load(Ordering::SeqCst), sent, "{what}");
        }
    }
}
