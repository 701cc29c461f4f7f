//! The very device that the program runs on.

use std::collections::BTreeSet;
use std::sync::Arc;

use wibbet_adb::{Dialer, SystemDialer};
use wibbet_bench::around::Surroundings;
use wibbet_bench::fleet::{Bench, BenchCommand, BenchEvent};
use wibbet_bench::ops::{find_here, survey};
use wibbet_bench::session::SessionEvent;
use wibbet_core::android::Essential;
use wibbet_core::link::Rung;
use wibbet_sim::Scenario;
use wibbet_types::UserId;

use crate::support::{device, id, patience, workplace};

/// Among ports at which other things listen, or nothing does, the encrypted daemon is found, and no other: anything may listen in the clear.
#[tokio::test]
async fn its_own_daemon_is_found_among_what_else_listens() {
    let silent = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let (plain, wireless) = (device(Scenario::waiting_room_tv(), 1).await, device(Scenario::seventh_hand(), 2).await);
    let port = |at: &wibbet_types::Address| at.port();
    let other = silent.local_addr().unwrap().port();
    let listed = |all: &[u16]| Some(all.iter().copied().collect::<BTreeSet<u16>>());
    let (plain, wireless) = (plain.address(), wireless.address());
    let all = listed(&[1, other, port(&plain), port(&wireless)]);
    let network: &dyn Dialer = &SystemDialer;
    assert_eq!(find_here(network, &[], all).await.unwrap().port(), wireless.port());
    // Where it was the last time is looked at first.
    assert_eq!(find_here(network, &[wireless.port()], listed(&[])).await.unwrap().port(), wireless.port());
    assert_eq!(find_here(network, &[1, port(&plain)], listed(&[other, port(&plain)])).await, None);
}

/// What answers where this device was found has to be encrypted: what is in the clear by then gets no signature.
#[tokio::test]
async fn what_is_found_on_the_loopback_gets_no_signature_in_the_clear() {
    let plain = device(Scenario::waiting_room_tv(), 1).await;
    let folder = tempfile::tempdir().unwrap();
    let (tell, mut told) = tokio::sync::mpsc::unbounded_channel();
    let bench = Bench::start(workplace(folder.path(), patience(1)), Vec::new(), move |event| drop(tell.send(event)));
    bench.send(BenchCommand::AddHere(plain.address()));
    loop {
        if let BenchEvent::Session(_, SessionEvent::Ladder(ladder)) = told.recv().await.unwrap()
            && let Some(trouble) = &ladder.trouble
        {
            assert!(!ladder.holds(Rung::Authorised), "{trouble:?}");
            break;
        }
    }
    assert_eq!(plain.dialogs(), 0, "nobody is asked, and no key was sent");
}

/// The app in whose terminal the program runs could put nothing back: on the device itself it is never taken out, on others it may be.
#[tokio::test]
async fn the_ground_that_one_stands_on_stays() {
    let own = || Some(id("com.wrenandkelp.radio"));
    let sim = device(Scenario::crew_phone(), 1).await;
    for (ground, why) in [(own(), Some(Essential::Ground)), (None, None)] {
        let folder = tempfile::tempdir().unwrap();
        let mut here = workplace(folder.path(), patience(1));
        here.surroundings = Arc::new(Surroundings::default().with_ground(ground));
        let device = here.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        let inventory = survey(&device, &mut |_| {}).await.unwrap();
        assert_eq!(inventory.essential.why(&id("com.wrenandkelp.radio"), UserId::OWNER), why);
        assert!(inventory.packages.contains_key(&id("com.wrenandkelp.radio")));
    }
}
