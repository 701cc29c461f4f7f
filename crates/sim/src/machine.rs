//! A device with its switches: what its owner has decided, what it listens at, what ends connections.

use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::Duration;

use tokio::sync::watch;
use tokio::task::JoinHandle;
use wibbet_adb::{AnnouncedKind, HostKey};

use crate::android::State;
use crate::line::SimNetwork;
use crate::scenario::ReachedBy;

/// Calls of the package service that fail after a restart, before it is up.
const CALLS_BEFORE_READY: u32 = 2;

/// How long the framework takes from a start to its death, where it does not come up.
const ROUND: Duration = Duration::from_secs(12);

/// How long the system still answers when what it cannot be without goes.
const DIES_WITHIN: Duration = Duration::from_millis(500);

/// How long a device is away from the bus while its framework starts anew.
const BUS_LEFT: Duration = Duration::from_secs(1);

/// How a computer comes to the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Access {
    /// The older kind of network link.
    Plain,
    /// A cable.
    Cable,
    /// Wireless debugging.
    Air,
}

/// The device goes down and stays down: nothing of Android runs, until somebody starts it.
pub(crate) fn leave(shared: &Arc<Shared>, orderly: bool) {
    {
        let mut state = shared.state();
        match orderly {
            true => drop(state.write_all()),
            false => state.lose_what_is_unwritten(),
        }
        state.down = true;
        state.calls_until_ready = CALLS_BEFORE_READY;
        state.start_anew();
        state.transcript.push("restart".into());
    }
    shared.end(&[Access::Plain, Access::Cable, Access::Air]);
    // It is off after a start, until somebody switches it on.
    shared.wireless_debugging_off();
    shared.cable_changes.send_modify(|n| *n += 1);
}

pub(crate) fn restart(shared: &Arc<Shared>, orderly: bool) {
    leave(shared, orderly);
    let away = {
        let state = shared.state();
        match state.window.filter(|_| state.looping.is_some()) {
            Some(window) => window.round.saturating_sub(window.reached),
            None => shared.restart,
        }
    };
    let shared = Arc::clone(shared);
    tokio::spawn(async move {
        tokio::time::sleep(away).await;
        shared.state().down = false;
        shared.cable_changes.send_modify(|n| *n += 1);
        begin_round(&shared);
    });
}

/// The framework has begun to start. Where something is off that it needs, it dies before it is up, and begins again, over and over
/// until that is back; what is put back counts from the next round on.
fn begin_round(shared: &Arc<Shared>) {
    let round = {
        let mut state = shared.state();
        let class = state.start_fails();
        // The package service never comes up, or is there until the system dies behind it.
        state.calls_until_ready = if class == Some(1) { u32::MAX } else { CALLS_BEFORE_READY };
        state.looping = class;
        state.begin_dying();
        state.round += 1;
        if class.is_some() && state.window.is_some() {
            state.service_is_up(false);
        }
        class.map(|class| (class, state.round, state.window))
    };
    let Some((class, round, window)) = round else { return };
    let shared = Arc::clone(shared);
    tokio::spawn(async move {
        let current = |shared: &Arc<Shared>| {
            let state = shared.state();
            state.round == round && !state.down
        };
        match window {
            Some(window) => {
                tokio::time::sleep(window.reached.saturating_sub(window.service)).await;
                if class == 2 && current(&shared) {
                    shared.state().service_is_up(true);
                }
                tokio::time::sleep(window.service).await;
            }
            None => tokio::time::sleep(ROUND).await,
        }
        if !current(&shared) {
            return;
        }
        let (kernel, asks) = {
            let mut state = shared.state();
            state.note_failed_start();
            (state.kernel_loops, state.asks_for_a_reset())
        };
        match (asks, kernel) {
            (true, _) => {
                leave(&shared, false);
                shared.state().asks_in_recovery = true;
            }
            (false, true) => restart(&shared, false),
            (false, false) => crash_framework(&shared),
        }
    });
}

/// Somebody has chosen “Try again” in its recovery.
pub(crate) fn try_again(shared: &Arc<Shared>) {
    {
        let mut state = shared.state();
        if !std::mem::take(&mut state.asks_in_recovery) {
            return;
        }
        state.forget_failed_starts();
        state.down = false;
    }
    shared.cable_changes.send_modify(|n| *n += 1);
    begin_round(shared);
}

/// Its owner installs the update of the system.
pub(crate) fn update_system(shared: &Arc<Shared>) {
    shared.state().update_system();
    restart(shared, true);
}

/// Its owner resets it to how it came out of its box: it knows no computer any more, and debugging is off.
pub(crate) fn factory_reset(shared: &Arc<Shared>) {
    shared.state().reset();
    restart(shared, true);
    shared.usb_debugging(false);
}

/// A change has been made: where the system dies of it at once, it does.
pub(crate) fn after_change(shared: &Arc<Shared>) {
    let dies = {
        let state = shared.state();
        state.looping.is_none() && !state.down && state.dies_at_once()
    };
    if dies {
        let shared = Arc::clone(shared);
        tokio::spawn(async move {
            // It has answered by then.
            tokio::time::sleep(DIES_WITHIN).await;
            shared.state().note_failed_start();
            crash_framework(&shared);
        });
    }
}

/// Android's framework crashes and starts anew. The daemon and its connections over the network stay; the USB side is set up
/// again, so that the device leaves a cable's bus for a moment and has another number there.
pub(crate) fn crash_framework(shared: &Arc<Shared>) {
    {
        let mut state = shared.state();
        state.crash_framework();
        state.away_from_bus = true;
        state.calls_until_ready = CALLS_BEFORE_READY;
        state.transcript.push("framework crash".into());
    }
    shared.end(&[Access::Cable]);
    shared.cable_changes.send_modify(|n| *n += 1);
    let shared = Arc::clone(shared);
    tokio::spawn(async move {
        tokio::time::sleep(BUS_LEFT).await;
        shared.state().away_from_bus = false;
        shared.cable_changes.send_modify(|n| *n += 1);
        begin_round(&shared);
    });
}

/// What happens when a computer that the device does not know asks to debug it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Allow {
    /// Somebody taps "Allow" after this time, with "always" ticked.
    After(Duration),
    /// Somebody does, without "always": the key is not stored, and the next connection is asked about again.
    Once(Duration),
    /// [`SimDevice::allow`] is the tap.
    ByHand,
    /// Nobody ever does.
    Never,
}

/// What server tasks share.
#[derive(Debug)]
pub(crate) struct Shared {
    pub(crate) state: Mutex<State>,
    pub(crate) allow: Allow,
    pub(crate) restart: Duration,
    /// The tap on "Allow", counted.
    pub(crate) taps: watch::Sender<u32>,
    /// Counted up at each restart and when debugging is switched off: connections of that kind and of a former count
    /// end.
    pub(crate) ends: watch::Sender<[u32; 3]>,
    /// Counted up when the device leaves a cable's bus, or comes back to it as another.
    pub(crate) cable_changes: watch::Sender<u32>,
    /// Counted up when somebody switches wireless debugging on over a link.
    pub(crate) wants_wireless: watch::Sender<u32>,
    pub(crate) network: Option<SimNetwork>,
    /// It is reached through that network, in memory.
    pub(crate) in_memory: bool,
    pub(crate) instance: String,
    pub(crate) own_key: OnceLock<HostKey>,
    pub(crate) dialog: Mutex<Option<JoinHandle<()>>>,
    /// The address that its ports are at.
    pub(crate) listens: IpAddr,
    /// Where the port of wireless debugging, or of the older network link, is; it changes when it is switched on.
    pub(crate) listening: Mutex<Option<(SocketAddr, JoinHandle<()>)>>,
}

/// The key of every bench device's certificate. A real device makes its own; here nothing depends on it being secret,
/// and making one takes its time.
const DEVICE_KEY: &str = include_str!("../scenarios/device-key.pem");

impl Shared {
    /// The name under which the device announces its encrypted link.
    pub(crate) fn instance(&self) -> String {
        self.instance.clone()
    }

    /// The name under which it announces itself now: numbered where its former announcements are in the way (RFC 6762, 9).
    pub(crate) fn announced_name(&self) -> String {
        match &mut self.state().renames {
            Some(number) => {
                *number += 1;
                format!("{} ({number})", self.instance)
            }
            None => self.instance.clone(),
        }
    }

    #[expect(clippy::expect_used, reason = "the file is part of the program and read in its tests")]
    pub(crate) fn own_key(&self) -> HostKey {
        self.own_key
            .get_or_init(|| HostKey::from_pem(DEVICE_KEY, "device", "device-key.pem".as_ref()).expect("a built-in key"))
            .clone()
    }

    /// The network in memory that it is reached through.
    pub(crate) fn memory(&self) -> Option<&SimNetwork> {
        self.network.as_ref().filter(|_| self.in_memory)
    }

    /// Ends every connection of some kinds.
    pub(crate) fn end(&self, kinds: &[Access]) {
        self.ends.send_modify(|counts| kinds.iter().for_each(|kind| counts[*kind as usize] += 1));
    }

    pub(crate) fn usb_debugging(&self, on: bool) {
        self.state().switches.usb_debugging = on;
        self.state().settings.insert("global/adb_enabled".into(), u8::from(on).to_string());
        if !on {
            self.end(&[Access::Plain, Access::Cable]);
        }
        self.cable_changes.send_modify(|n| *n += 1);
    }

    pub(crate) fn wireless_debugging_off(&self) {
        self.state().switches.wireless = false;
        self.state().settings.insert("global/adb_wifi_enabled".into(), "0".into());
        if self.state().scenario.reached_by != ReachedBy::Air {
            return;
        }
        self.close_dialog();
        self.end(&[Access::Air]);
        if let Some((_, task)) = self.listening.lock().unwrap_or_else(PoisonError::into_inner).take() {
            task.abort();
        }
        let withdraws = self.state().renames.is_none();
        if let Some(network) = self.network.as_ref().filter(|_| withdraws) {
            network.withdraw(AnnouncedKind::Connect, &self.instance);
        }
    }

    pub(crate) fn close_dialog(&self) {
        if let Some(task) = self.dialog.lock().unwrap_or_else(PoisonError::into_inner).take() {
            task.abort();
        }
        self.dialog_has_closed();
    }

    pub(crate) fn dialog_has_closed(&self) {
        let dialog = self.state().pairing.take();
        if let (Some(dialog), Some(network)) = (dialog, &self.network) {
            network.withdraw(AnnouncedKind::Pairing, &dialog.instance);
        }
    }

    pub(crate) fn state(&self) -> MutexGuard<'_, State> {
        // The state is consistent wherever its holder could panic.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
