//! Every way to a bench device: pairing and the encrypted link, a cable with what can be wrong about one, and what the
//! owner does on the device's own screen.

use std::sync::Arc;
use std::time::Duration;

use wibbet_adb::pairing::{PairError, pair, qr_text};
use wibbet_adb::{
    AnnouncedKind, Collected, Encryption, HostKey, KeyRing, Link, LinkError, Service, SystemDialer, Timeouts,
    UsbBus as _, UsbOffer, UsbTrouble,
};
use wibbet_sim::{Allow, Options, OwnerAction, Scenario, SimBus, SimDevice, SimNetwork};

const PEM: &str = include_str!("../../adb/tests/key.pem");

fn keys() -> KeyRing {
    KeyRing::of(HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap())
}

fn limits() -> Timeouts {
    let long = Duration::from_secs(30);
    Timeouts { connect: long, answer: long, tap: long, idle: long, write: long }
}

async fn device(scenario: Scenario, network: Option<SimNetwork>) -> SimDevice {
    let options = Options { allow: Allow::After(Duration::ZERO), network, ..Options::default() };
    SimDevice::start(scenario, options).await.unwrap()
}

async fn by_air(device: &SimDevice) -> Result<Link, LinkError> {
    Link::connect_at(&SystemDialer, &device.address(), Encryption::WhereAsked, &keys(), &limits(), &mut |_| {}).await
}

async fn serial_over(link: &Link) -> String {
    let mut said = Collected::default();
    link.call(&Service::ShellV2("getprop ro.serialno".into()), &limits(), &mut said).await.unwrap();
    String::from_utf8(said.out).unwrap().trim().to_owned()
}

#[tokio::test]
async fn wireless_debugging_from_unpaired_to_linked() {
    let network = SimNetwork::default();
    let go = device(Scenario::seventh_hand(), Some(network.clone())).await;
    assert!(matches!(by_air(&go).await, Err(LinkError::NotPaired { .. })), "unknown");
    let seen = network.seen();
    let announced = seen.borrow()[0].clone();
    assert_eq!((announced.kind, announced.serial()), (AnnouncedKind::Connect, Some("TG-70007-7")));
    let connect_port = announced.addresses[0].to_string();
    let key = keys();
    let not_there = pair(&SystemDialer, &connect_port.parse().unwrap(), "123456", key.own(), &limits()).await;
    assert!(matches!(not_there, Err(PairError::NotPairing { .. })), "{not_there:?}");

    let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    let at = dialog.address.to_string();
    assert_eq!(dialog.code.len(), 6);
    assert!(seen.borrow().iter().any(|a| a.kind == AnnouncedKind::Pairing && a.addresses[0] == dialog.address));
    let wrong = if dialog.code == "000000" { "000001" } else { "000000" };
    let error = pair(&SystemDialer, &at.parse().unwrap(), wrong, key.own(), &limits()).await.unwrap_err();
    assert_eq!(error, PairError::WrongCode { at: at.clone() });
    let paired = pair(&SystemDialer, &at.parse().unwrap(), &dialog.code, key.own(), &limits()).await.unwrap();
    assert_eq!(paired.name, go.instance());
    let late = pair(&SystemDialer, &at.parse().unwrap(), &dialog.code, key.own(), &limits()).await.unwrap_err();
    assert!(matches!(late, PairError::NotOffered { .. }), "{late:?}");

    let link = by_air(&go).await.unwrap();
    assert!(link.is_encrypted());
    assert_eq!(serial_over(&link).await, "TG-70007-7");
    go.act(OwnerAction::WirelessDebugging(false)).await.unwrap();
    assert!(matches!(link.ended().await, LinkError::Lost { .. }));
    go.act(OwnerAction::WirelessDebugging(true)).await.unwrap();
    assert_eq!(serial_over(&by_air(&go).await.unwrap()).await, "TG-70007-7", "at another port, still known");
}

#[tokio::test]
async fn a_scanned_code_offers_pairing_under_its_own_name() {
    let network = SimNetwork::default();
    let go = device(Scenario::seventh_hand(), Some(network.clone())).await;
    let text = qr_text("wibbet-abcdef", "secret2345");
    let dialog = go.act(OwnerAction::Scan(text)).await.unwrap().unwrap();
    let seen = network.seen();
    assert!(seen.borrow().iter().any(|a| a.instance == "wibbet-abcdef" && a.addresses[0] == dialog.address));
    pair(&SystemDialer, &dialog.address.try_into().unwrap(), "secret2345", keys().own(), &limits()).await.unwrap();
    by_air(&go).await.unwrap();
    assert!(go.act(OwnerAction::Scan("https://example.invalid".into())).await.unwrap().is_none());
}

#[tokio::test]
async fn the_second_key_of_the_ring_is_tried_over_the_air_too() {
    let go = device(Scenario::seventh_hand(), None).await;
    let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    pair(&SystemDialer, &dialog.address.try_into().unwrap(), &dialog.code, keys().own(), &limits()).await.unwrap();
    let home = tempfile::tempdir().unwrap();
    std::fs::write(home.path().join("customary"), PEM).unwrap();
    let ring = KeyRing::open(home.path(), Some(&home.path().join("customary")), "a@b").unwrap();
    let link = Link::connect_at(&SystemDialer, &go.address(), Encryption::WhereAsked, &ring, &limits(), &mut |_| {})
        .await
        .unwrap();
    assert_eq!(serial_over(&link).await, "TG-70007-7");
}

#[tokio::test]
async fn a_cable_and_what_can_be_wrong_about_it() {
    let bus = Arc::new(SimBus::default());
    let phone = device(Scenario::crew_phone(), None).await;
    let serial = phone.serial();
    let place = bus.plug(&phone);
    assert_eq!(bus.seen().borrow()[0].serial.as_str(), serial);
    let open = async || Link::connect_usb(&*bus, &place, &keys(), &limits(), &mut |_| {}).await;

    bus.set_trouble(&serial, Some(UsbTrouble::NoPermission { node: "/dev/bus/usb/001/002".into() }));
    assert!(matches!(open().await, Err(LinkError::NoPermission { node, .. }) if node.ends_with("002")));
    bus.set_trouble(&serial, Some(UsbTrouble::Busy));
    assert!(matches!(open().await, Err(LinkError::Taken { .. })));
    bus.set_trouble(&serial, None);

    bus.leave_stale(&serial, 5300);
    let link = open().await.unwrap();
    assert_eq!(serial_over(&link).await, serial);
    assert!(matches!(open().await, Err(LinkError::Taken { .. })), "one at a time");
    // Answers and requests of every size around whole packets of the bus.
    for size in [1usize, 470, 487, 488, 489, 512, 1000, 1023, 1024, 1025, 4096, 70_000] {
        let word = "x".repeat(size);
        let mut said = Collected::default();
        link.call(&Service::Exec(format!("echo {word}")), &limits(), &mut said).await.unwrap();
        assert_eq!(said.out.len(), size + 1);
    }
    assert!(!phone.transcript().iter().any(|l| l.starts_with("usb:")), "{:?}", phone.transcript());

    bus.stall(&serial);
    assert!(matches!(link.ended().await, LinkError::Lost { .. }));
    drop(link);
    let link = open().await.unwrap();
    bus.unplug(&serial);
    match link.ended().await {
        LinkError::Lost { why, .. } => assert!(why.contains("cable"), "{why}"),
        other => panic!("{other}"),
    }
    drop(link);
    assert!(matches!(open().await, Err(LinkError::NoAnswer { .. })));
    assert!(bus.seen().borrow().is_empty());
}

#[tokio::test(start_paused = true)]
async fn a_cable_that_is_not_ready_yet_is_waited_for() {
    let bus = SimBus::default();
    let network = Some(SimNetwork::default());
    let options = Options { allow: Allow::After(Duration::ZERO), network, in_memory: true, ..Options::default() };
    let phone = SimDevice::start(Scenario::crew_phone(), options).await.unwrap();
    let serial = phone.serial();
    let place = bus.plug(&phone);
    let open = async || Link::connect_usb(&bus, &place, &keys(), &limits(), &mut |_| {}).await;

    // The system lists a device before it gives the rights to it.
    bus.set_trouble(&serial, Some(UsbTrouble::NoPermission { node: "/dev/bus/usb/001/002".into() }));
    let late = async {
        tokio::time::sleep(Duration::from_millis(400)).await;
        bus.set_trouble(&serial, None);
    };
    let (link, ()) = tokio::join!(open(), late);
    assert_eq!(serial_over(&link.unwrap()).await, serial);
    assert_eq!(bus.resets(&serial), 0);

    // A former host was killed in the middle of a packet. The first hello is taken for the rest of it.
    bus.leave_begun(&serial, 100_000);
    let link = open().await.unwrap();
    assert_eq!((serial_over(&link).await, bus.resets(&serial)), (serial.clone(), 1));
    drop(link);

    bus.set_trouble(&serial, Some(UsbTrouble::Bootloader));
    assert_eq!(bus.seen().borrow()[0].offers, UsbOffer::Bootloader);
    assert!(matches!(open().await, Err(LinkError::Bootloader { .. })));
    bus.set_trouble(&serial, None);

    // The framework crashes: the device leaves the bus for a moment, and is another number of it then.
    let link = open().await.unwrap();
    phone.crash_framework();
    assert!(matches!(link.ended().await, LinkError::Lost { why, .. } if why.contains("left the bus")));
    assert!(bus.seen().borrow().is_empty());
    bus.seen().wait_for(|seen| !seen.is_empty()).await.unwrap();
    let again = bus.seen().borrow()[0].place.clone();
    assert_ne!(again, place);
    drop(link);
    let link = Link::connect_usb(&bus, &again, &keys(), &limits(), &mut |_| {}).await.unwrap();
    assert_eq!(serial_over(&link).await, serial);
}

#[tokio::test]
async fn the_owner_allows_denies_and_switches() {
    let options = Options { allow: Allow::ByHand, ..Options::default() };
    let phone = SimDevice::start(Scenario::lost_phone(), options).await.unwrap();
    let at = phone.address().to_string();
    let connecting = tokio::spawn(async move {
        let limits = Timeouts { tap: Duration::from_secs(30), ..limits() };
        Link::connect_at(&SystemDialer, &at.parse().unwrap(), Encryption::WhereAsked, &keys(), &limits, &mut |_| {})
            .await
    });
    while !phone.screen(None).acts.contains(&OwnerAction::Allow) {
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
    assert!(phone.screen(None).lines.iter().any(|l| l.contains("Allow USB debugging?")));
    phone.act(OwnerAction::Allow).await.unwrap();
    let link = connecting.await.unwrap().unwrap();
    let try_it = async || {
        let mut said = Collected::default();
        let command = "cmd package default-state --user 0 com.android.htmlviewer";
        link.call(&Service::ShellV2(command.into()), &limits(), &mut said).await.unwrap();
        String::from_utf8([said.out, said.err].concat()).unwrap()
    };
    assert!(try_it().await.contains("Attempt to change component state"));
    phone.act(OwnerAction::SecondSwitch(true)).await.unwrap();
    assert!(try_it().await.contains("new state: default"));
    let mut said = Collected::default();
    let away = "cmd package uninstall --user 999 com.android.egg";
    link.call(&Service::ShellV2(away.into()), &limits(), &mut said).await.unwrap();
    assert!(String::from_utf8_lossy(&said.err).contains("does not have permission to access user 999"));
    phone.act(OwnerAction::UsbDebugging(false)).await.unwrap();
    assert!(matches!(link.ended().await, LinkError::Lost { .. }));
}

/// Between host and device, passing so many bytes of each direction on, then cutting.
async fn cut_after(to: std::net::SocketAddr, up: u64, down: u64) -> std::net::SocketAddr {
    use tokio::io::AsyncReadExt as _;
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap();
    tokio::spawn(async move {
        while let Ok((host, _)) = listener.accept().await {
            let Ok(device) = tokio::net::TcpStream::connect(to).await else { return };
            let (mut from_host, mut to_host) = host.into_split();
            let (mut from_device, mut to_device) = device.into_split();
            tokio::spawn(async move {
                let (mut up, mut down) = ((&mut from_host).take(up), (&mut from_device).take(down));
                tokio::select! {
                    _ = tokio::io::copy(&mut up, &mut to_device) => {}
                    _ = tokio::io::copy(&mut down, &mut to_host) => {}
                }
            });
        }
    });
    at
}

#[tokio::test]
async fn a_pairing_that_is_cut_anywhere_ends_in_words_and_can_be_done_again() {
    let go = device(Scenario::seventh_hand(), None).await;
    let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    let key = keys();
    // From within the TLS handshake to the host's introduction, in both directions; behind that the device knows it.
    for (up, down) in
        [(0, 9999), (100, 9999), (900, 99999), (2600, 99999), (4000, 99999), (99999, 0), (99999, 90), (99999, 1000)]
    {
        let at = cut_after(dialog.address, up, down).await.to_string();
        let error = pair(&SystemDialer, &at.parse().unwrap(), &dialog.code, key.own(), &limits()).await.unwrap_err();
        assert!(error.to_string().len() > 40, "{up} {down}: {error}");
        assert!(
            matches!(
                error,
                PairError::NotPairing { .. }
                    | PairError::Silent { .. }
                    | PairError::Lost { .. }
                    | PairError::WrongCode { .. }
            ),
            "{up} {down}: {error:?}"
        );
    }
    assert!(go.screen(None).lines.iter().any(|l| l.contains(&dialog.code)), "the dialog is still open");
    pair(&SystemDialer, &dialog.address.try_into().unwrap(), &dialog.code, key.own(), &limits()).await.unwrap();
    by_air(&go).await.unwrap();
}

#[tokio::test]
async fn a_dialog_closes_after_twenty_wrong_codes() {
    let go = device(Scenario::seventh_hand(), None).await;
    let dialog = go.act(OwnerAction::ShowCode).await.unwrap().unwrap();
    let at = dialog.address.to_string();
    let key = keys();
    let mut wrong = 0;
    loop {
        match pair(&SystemDialer, &at.parse().unwrap(), "no code", key.own(), &limits()).await.unwrap_err() {
            PairError::WrongCode { .. } => wrong += 1,
            PairError::NotOffered { .. } => break,
            other => panic!("{other}"),
        }
    }
    assert_eq!(wrong, 20);
    assert!(!go.screen(None).lines.iter().any(|l| l.contains("pairing code")));
}

#[tokio::test]
async fn the_settings_of_a_device_are_read_and_written() {
    let tablet = device(Scenario::desk_tablet(), None).await;
    let link = by_air(&tablet).await.unwrap();
    let say = async |command: &str| {
        let mut said = Collected::default();
        link.call(&Service::ShellV2(command.into()), &limits(), &mut said).await.unwrap();
        String::from_utf8(said.out).unwrap().trim().to_owned()
    };
    assert_eq!(say("settings get secure android_id").await, "5c1e9d70b2a4f836");
    assert_eq!(say("settings get global nothing").await, "null");
    say("settings put global stay_on_while_plugged_in 7").await;
    assert_eq!(say("settings get global stay_on_while_plugged_in").await, "7");
    assert!(say("dumpsys user").await.contains("State: RUNNING_UNLOCKED"));
    assert!(say("dumpsys nonsense").await.contains("Can't find service"));
    assert!(say("df /data").await.contains("61250000"));
}
