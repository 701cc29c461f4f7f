//! The host side of the protocol against bench devices: what is agreed, how a link fails, and the
//! services.

use std::time::Duration;

use tokio::io::AsyncWriteExt as _;
use tokio::net::TcpListener;
use wibbet_adb::{
    CallError, Collected, Encryption, HostKey, KeyRing, Link, LinkError, Progress, Service, SyncClient, SyncError,
    SystemDialer, Timeouts,
};
use wibbet_sim::{Allow, CutAt, Direction, Fault, Options, Scenario, SimDevice};

const PEM: &str = include_str!("../../adb/tests/key.pem");

fn keys() -> KeyRing {
    KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap())
}

fn quick() -> Timeouts {
    let long = Duration::from_secs(30);
    Timeouts { connect: long, answer: long, tap: long, idle: long, write: long }
}

async fn device(scenario: Scenario, allow: Allow) -> SimDevice {
    SimDevice::start(scenario, Options { allow, ..Options::default() }).await.unwrap()
}

async fn open(device: &SimDevice) -> Link {
    Link::connect_at(&SystemDialer, &device.address(), Encryption::WhereAsked, &keys(), &quick(), &mut |_| {})
        .await
        .unwrap()
}

const AT_ONCE: Allow = Allow::After(Duration::ZERO);

async fn say(link: &Link, service: Service) -> Result<(String, String, Option<u8>), CallError> {
    let mut said = Collected::default();
    let code = link.call(&service, &quick(), &mut said).await?;
    let text = |bytes| String::from_utf8(bytes).unwrap();
    Ok((text(said.out), text(said.err), code))
}

fn abb(words: &[&str]) -> Service {
    Service::Abb(words.iter().map(|w| (*w).to_owned()).collect())
}

#[tokio::test]
async fn the_new_protocol_and_its_services() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    let link = open(&device).await;
    assert_eq!(link.banner().model.as_str(), "Tarn 5");
    let (out, err, code) = say(&link, Service::ShellV2("getprop ro.serialno; nonsense".into())).await.unwrap();
    assert_eq!((out.as_str(), code), ("CT5-0417-2291\n", Some(127)));
    assert!(err.contains("not found"));
    let users = say(&link, abb(&["package", "list", "users"])).await.unwrap();
    assert!(users.0.contains("UserInfo{10:Pellmoor work:1030} running") && users.2 == Some(0));
    let raw = say(&link, Service::AbbExec(vec!["package".into(), "list".into(), "users".into()])).await.unwrap();
    assert_eq!((raw.0, raw.2), (users.0, None));
    let long = say(&link, Service::Exec("dumpsys package packages".into())).await.unwrap();
    assert!(long.0.len() > 100_000 && long.0.starts_with("Packages:\n"));
    assert!(matches!(say(&link, abb(&["activity"])).await, Err(CallError::Refused { .. })));
}

#[tokio::test]
async fn the_old_protocol_with_small_packets_and_a_terminal() {
    let device = device(Scenario::spare_handset(), AT_ONCE).await;
    let link = open(&device).await;
    let dump = say(&link, Service::OldShell("dumpsys package packages".into())).await.unwrap();
    assert!(dump.0.len() > 50_000 && !dump.0.contains('\r') && dump.2 == Some(0), "{}", dump.0.len());
    let failed = say(&link, Service::OldShell("cmd package list users".into())).await.unwrap();
    assert_eq!(failed.2, Some(127));
    assert!(matches!(say(&link, Service::ShellV2("id".into())).await, Err(CallError::Refused { .. })));
    assert!(matches!(say(&link, abb(&["package", "list", "users"])).await, Err(CallError::Refused { .. })));
}

#[tokio::test]
async fn many_streams_share_a_link() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    let link = open(&device).await;
    let mut tasks = tokio::task::JoinSet::new();
    for n in 0..40 {
        let link = link.clone();
        tasks.spawn(async move {
            let command = if n % 3 == 0 { "dumpsys package packages".to_owned() } else { format!("echo number {n}") };
            (n, say(&link, Service::ShellV2(command)).await.unwrap())
        });
    }
    let mut dumps = Vec::new();
    while let Some(done) = tasks.join_next().await {
        let (n, (out, _, code)) = done.unwrap();
        assert_eq!(code, Some(0));
        if n % 3 == 0 {
            dumps.push(out);
        } else {
            assert_eq!(out, format!("number {n}\n"));
        }
    }
    assert!(dumps.windows(2).all(|pair| pair[0] == pair[1]));
}

#[tokio::test]
async fn a_computer_is_asked_about_once() {
    let device = device(Scenario::crew_phone(), Allow::ByHand).await;
    let address = device.address().to_string();
    let (steps, mut seen) = tokio::sync::mpsc::unbounded_channel();
    let first = tokio::spawn(async move {
        let mut progress = |step| drop(steps.send(step));
        Link::connect_at(
            &SystemDialer,
            &address.parse().unwrap(),
            Encryption::WhereAsked,
            &keys(),
            &quick(),
            &mut progress,
        )
        .await
    });
    assert_eq!(seen.recv().await, Some(Progress::Reached));
    assert_eq!(seen.recv().await, Some(Progress::Speaks));
    let fingerprint = keys().own().public().fingerprint();
    assert_eq!(seen.recv().await, Some(Progress::AwaitingTap { fingerprint }));
    // The host says so before the device has read its key: the dialog comes a moment later.
    while device.dialogs() == 0 {
        tokio::task::yield_now().await;
    }
    device.allow();
    first.await.unwrap().unwrap();
    assert_eq!(seen.recv().await, Some(Progress::Authorised));
    open(&device).await;
    assert_eq!(device.dialogs(), 1);
}

#[tokio::test]
async fn a_device_that_trusts_the_customary_key_does_not_ask() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    open(&device).await;
    let folder = tempfile::tempdir().unwrap();
    let customary = folder.path().join("adbkey");
    std::fs::write(&customary, PEM).unwrap();
    let ring = KeyRing::open(&folder.path().join("own"), Some(&customary), "test@bench").unwrap();
    Link::connect_at(&SystemDialer, &device.address(), Encryption::WhereAsked, &ring, &quick(), &mut |_| {})
        .await
        .unwrap();
    assert_eq!(device.dialogs(), 1, "that of the first link");
}

#[tokio::test]
async fn the_ways_of_not_getting_a_link_are_told_apart() {
    let limits = Timeouts { answer: Duration::from_secs(2), tap: Duration::from_millis(300), ..quick() };
    let connect = async |at: String| {
        Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::WhereAsked, &keys(), &limits, &mut |_| {})
            .await
            .unwrap_err()
    };

    let unused = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = unused.local_addr().unwrap().to_string();
    drop(unused);
    assert!(matches!(connect(at).await, LinkError::NoAnswer { .. }));

    let never = device(Scenario::crew_phone(), Allow::Never).await;
    let error = connect(never.address().to_string()).await;
    assert!(matches!(&error, LinkError::NotAuthorised { .. }) && error.to_string().contains("no tap"), "{error}");

    for (answer, expected) in [
        (&b"HTTP/1.1 400 Bad Request\r\n\r\n"[..], "not a debugging daemon"),
        (&b""[..], "not a debugging daemon"),
        (&b"CNXN\0\0"[..], "not a debugging daemon"),
        (&b"STLS\0\0\0\x01\0\0\0\0\0\0\0\0\0\0\0\0\xac\xab\xb3\xac"[..], "Pair with it first"),
        (&b"CNXN\0\0\0\0\0\0\x10\0\0\0\0\0\0\0\0\0\xbc\xb1\xa7\xb1"[..], "broke a rule"),
    ] {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap().to_string();
        let answering = tokio::spawn(async move {
            let (mut socket, _) = listener.accept().await.unwrap();
            let mut hello = [0; 24];
            tokio::io::AsyncReadExt::read_exact(&mut socket, &mut hello).await.unwrap();
            socket.write_all(answer).await.unwrap();
            // What was not read yet would turn the close into a reset.
            let mut rest = vec![0; 4096];
            let _ =
                tokio::time::timeout(Duration::from_millis(50), tokio::io::AsyncReadExt::read(&mut socket, &mut rest))
                    .await;
        });
        let error = connect(at).await.to_string();
        assert!(error.contains(expected), "{answer:?}: {error}");
        answering.await.unwrap();
    }
}

#[tokio::test]
async fn a_link_that_goes_is_told_to_every_stream() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    let link = open(&device).await;
    device.set_fault(Fault::Mute);
    let (a, b) = (link.clone(), link.clone());
    let waiting = [a, b].map(|link| tokio::spawn(async move { say(&link, Service::ShellV2("getprop".into())).await }));
    while device.transcript().iter().filter(|line| line.contains("getprop")).count() < 2 {
        tokio::task::yield_now().await;
    }
    device.restart();
    for task in waiting {
        assert!(matches!(task.await.unwrap(), Err(CallError::Link(LinkError::Lost { .. }))));
    }
    assert!(matches!(link.ended().await, LinkError::Lost { .. }));
    assert!(matches!(say(&link, Service::ShellV2("id".into())).await, Err(CallError::Link(_))));
}

#[tokio::test]
async fn a_service_that_says_nothing_is_not_a_lost_link() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    let link = open(&device).await;
    device.set_fault(Fault::Mute);
    let limits = Timeouts { idle: Duration::from_millis(200), ..quick() };
    let error = link.call(&Service::ShellV2("getprop".into()), &limits, &mut Collected::default()).await.unwrap_err();
    assert!(matches!(error, CallError::Silent { .. }), "{error}");
    device.unmute();
    assert!(say(&link, Service::ShellV2("getprop".into())).await.is_ok());
}

#[tokio::test]
async fn a_connection_cut_in_the_middle_of_a_packet_is_lost_and_nothing_else() {
    let device = device(Scenario::crew_phone(), AT_ONCE).await;
    open(&device).await;
    for bytes in [0, 1, 23, 24, 30, 60, 100, 5000] {
        for way in [Direction::FromDevice, Direction::ToDevice] {
            device.set_fault(Fault::Cut(CutAt::Bytes(way, bytes)));
            let tried = Link::connect_at(
                &SystemDialer,
                &device.address(),
                Encryption::WhereAsked,
                &keys(),
                &quick(),
                &mut |_| {},
            )
            .await;
            match tried {
                Err(error) => {
                    let plain = matches!(error, LinkError::Lost { .. } | LinkError::NotADaemon { .. });
                    assert!(plain, "{way:?} {bytes}: {error}");
                }
                Ok(link) => {
                    let said = say(&link, Service::ShellV2("dumpsys package packages".into())).await;
                    assert!(
                        way == Direction::ToDevice || matches!(said, Err(CallError::Link(_))),
                        "{way:?} {bytes}: {said:?}"
                    );
                }
            }
        }
    }
}

#[tokio::test]
async fn files_are_looked_at_fetched_and_sent() {
    for scenario in [Scenario::crew_phone(), Scenario::spare_handset()] {
        let device = device(scenario, AT_ONCE).await;
        let link = open(&device).await;
        let mut sync = SyncClient::open(&link, Duration::from_secs(30)).await.unwrap();
        let path = |text: &str| text.parse::<wibbet_types::DevicePath>().unwrap();
        let framework = path("/system/framework/framework-res.apk");
        let seen = sync.stat(&framework).await.unwrap();
        assert_eq!(seen.mode, 0o100_644);
        let mut fetched = Vec::new();
        let total = sync.recv(&framework, u64::MAX, &mut |piece| fetched.extend_from_slice(piece)).await.unwrap();
        assert_eq!((total, fetched.len() as u64), (u64::from(seen.size), total));
        assert_eq!(sync.stat(&path("/nothing")).await.unwrap().mode, 0);
        assert!(matches!(sync.recv(&path("/nothing"), u64::MAX, &mut |_| {}).await, Err(SyncError::Failed { .. })));

        let data: Vec<u8> = (0..200_000u32).map(|n| n as u8).collect();
        let target = path("/data/local/tmp/wibbet-test");
        sync.send(&target, 0o600, 77, &data).await.unwrap();
        let mut back = Vec::new();
        sync.recv(&target, u64::MAX, &mut |piece| back.extend_from_slice(piece)).await.unwrap();
        assert!(back == data);
        let listed = sync.list(&path("/data/local/tmp")).await.unwrap();
        assert_eq!(
            listed.iter().map(|e| (e.name.as_str(), e.mode, e.size, e.time)).collect::<Vec<_>>(),
            [("wibbet-test", 0o100_666, 200_000, 77)]
        );
        let refused = sync.send(&path("/system/app/x"), 0o644, 0, b"x").await.unwrap_err();
        assert!(refused.to_string().contains("Permission denied"), "{refused}");
        assert!(sync.list(&path("/system")).await.unwrap().iter().any(|e| e.name.as_str() == "framework"));
    }
}

#[tokio::test]
async fn a_restarted_device_is_away_then_not_ready_then_as_before() {
    let options = Options { allow: AT_ONCE, restart: Duration::from_millis(50), ..Options::default() };
    let device = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    let link = open(&device).await;
    device.set_fault(wibbet_sim::Fault::LazyDisk);
    say(&link, abb(&["package", "uninstall", "--user", "0", "com.android.egg"])).await.unwrap();
    let written = say(&link, Service::ShellV2("dumpsys package write".into())).await.unwrap();
    assert_eq!(written.0, "Settings written.\n");
    say(&link, abb(&["package", "uninstall", "--user", "0", "com.android.music"])).await.unwrap();
    assert!(say(&link, Service::ShellV2("reboot".into())).await.is_err());
    let link = loop {
        match Link::connect_at(&SystemDialer, &device.address(), Encryption::WhereAsked, &keys(), &quick(), &mut |_| {})
            .await
        {
            Ok(link) => break link,
            Err(_) => tokio::time::sleep(Duration::from_millis(10)).await,
        }
    };
    let early = say(&link, abb(&["package", "list", "users"])).await.unwrap();
    assert!(early.1.contains("Can't find service"), "{early:?}");
    let mut tries = 0;
    while !say(&link, abb(&["package", "list", "users"])).await.unwrap().0.contains("UserInfo") {
        tries += 1;
        assert!(tries < 10);
    }
    assert_eq!(device.holds("com.android.egg", 0), Some((false, 0)));
    assert_eq!(device.holds("com.android.music", 0), Some((true, 0)), "it was not on the disk yet");
    assert_eq!(device.dialogs(), 1, "an authorised computer stays so");
}
