//! A running device as its owner holds it.

use std::net::SocketAddr;
use std::sync::{Arc, Mutex, OnceLock, PoisonError, Weak};

use tokio::sync::watch;
use wibbet_adb::AnnouncedKind;
use wibbet_types::Address;

use super::options::Options;
use super::screen::{OwnerAction, OwnersScreen};
use crate::android::{PairingDialog, State};
use crate::line::Fault;
use crate::machine::{Access, Shared};
use crate::reach::{listen, open_dialog};
use crate::scenario::{ReachedBy, Scenario};

/// A running bench device. It ends when this is dropped.
#[derive(Debug)]
pub struct SimDevice {
    shared: Arc<Shared>,
    at: SocketAddr,
}

impl SimDevice {
    /// Starts a device.
    ///
    /// # Errors
    /// When the address cannot be listened at.
    pub async fn start(scenario: Scenario, options: Options) -> std::io::Result<Self> {
        let access = if scenario.reached_by == ReachedBy::Air { Access::Air } else { Access::Plain };
        let mut random = fastrand::Rng::with_seed(options.seed);
        let suffix: String = (0..6).map(|_| random.alphanumeric()).collect();
        let instance = format!("adb-{}-{suffix}", scenario.serial);
        let shared = Arc::new(Shared {
            state: Mutex::new(State::new(scenario, options.seed)),
            allow: options.allow,
            restart: options.restart,
            taps: watch::Sender::new(0),
            ends: watch::Sender::new([0; 3]),
            cable_changes: watch::Sender::new(0),
            wants_wireless: watch::Sender::new(0),
            network: options.network,
            in_memory: options.in_memory,
            instance,
            own_key: OnceLock::new(),
            dialog: Mutex::default(),
            listening: Mutex::default(),
            listens: options.listen.ip(),
        });
        let at = listen(&shared, options.listen, access).await?;
        if access == Access::Air {
            tokio::spawn(switched_on_from_afar(Arc::downgrade(&shared), shared.wants_wireless.subscribe()));
        }
        Ok(Self { shared, at })
    }

    pub(crate) fn shared(&self) -> Arc<Shared> {
        Arc::clone(&self.shared)
    }

    /// Where it listens, or last did.
    #[expect(clippy::expect_used, reason = "something listens there, so it is not port 0")]
    pub fn address(&self) -> Address {
        let listening = self.shared.listening.lock().unwrap_or_else(PoisonError::into_inner);
        listening.as_ref().map_or(self.at, |(address, _)| *address).try_into().expect("an address that is listened at")
    }

    /// The name under which it announces its encrypted link.
    pub fn instance(&self) -> String {
        self.shared.instance()
    }

    /// Does what its owner does on its screen. What comes of it shows there, and in what is returned: the dialog, where
    /// one was opened.
    ///
    /// # Errors
    /// When no port is to be had.
    pub async fn act(&self, act: OwnerAction) -> std::io::Result<Option<PairingDialog>> {
        let (air, second) = {
            let state = self.shared.state();
            (state.scenario.reached_by == ReachedBy::Air, state.scenario.second_switch)
        };
        match act {
            // What this device does not have cannot be touched.
            OwnerAction::ShowCode | OwnerAction::Scan(_) | OwnerAction::WirelessDebugging(_) if !air => {}
            OwnerAction::SecondSwitch(_) if !second => {}
            OwnerAction::Allow => self.allow(),
            OwnerAction::Deny => self.shared.state().asks = None,
            OwnerAction::ShowCode => {
                let code: String = {
                    let mut state = self.shared.state();
                    (0..6).map(|_| state.random.digit(10)).collect()
                };
                return open_dialog(&self.shared, code, self.shared.instance(), false).await.map(Some);
            }
            OwnerAction::CloseDialog => self.shared.close_dialog(),
            OwnerAction::Scan(text) => {
                let field = |name: &str| {
                    text.strip_prefix("WIFI:")?.split(';').find_map(|f| f.strip_prefix(name)).map(str::to_owned)
                };
                if let (Some("ADB"), Some(name), Some(password)) = (field("T:").as_deref(), field("S:"), field("P:")) {
                    return open_dialog(&self.shared, password, name, true).await.map(Some);
                }
            }
            OwnerAction::SecondSwitch(on) => self.shared.state().scenario.second_switch_off = !on,
            OwnerAction::UsbDebugging(on) => self.shared.usb_debugging(on),
            OwnerAction::WirelessDebugging(false) => self.shared.wireless_debugging_off(),
            OwnerAction::WirelessDebugging(true) => wireless_debugging_on(&self.shared).await?,
            OwnerAction::Restart => crate::machine::restart(&self.shared, true),
            OwnerAction::TryAgain => crate::machine::try_again(&self.shared),
            OwnerAction::UpdateSystem => crate::machine::update_system(&self.shared),
            OwnerAction::UpdateApps => self.shared.state().update_from_store(),
            OwnerAction::FactoryReset => crate::machine::factory_reset(&self.shared),
            OwnerAction::RemoveUser(user) => self.remove_user(user),
            OwnerAction::Touch(id) => {
                self.shared.state().show(&id, 0);
            }
        }
        Ok(None)
    }

    /// How the demo workshop reaches it.
    pub fn reached_by(&self) -> ReachedBy {
        self.shared.state().scenario.reached_by
    }

    /// Its serial.
    pub fn serial(&self) -> String {
        self.shared.state().scenario.serial.clone()
    }

    /// Maker and model.
    pub fn model(&self) -> String {
        let state = self.shared.state();
        format!("{} {}", state.scenario.maker, state.scenario.model)
    }

    /// Makes all of its files now, rather than when somebody reads them. The device serves others meanwhile.
    pub fn make_files(&self) {
        self.files_to_make()();
    }

    /// What makes them, to be run elsewhere.
    pub fn files_to_make(&self) -> impl FnOnce() + Send + use<> {
        let all: Vec<_> = self.shared.state().files.values().map(|file| file.data.clone()).collect();
        move || {
            for data in all {
                data.len();
                data.read(0, 1);
            }
        }
    }

    /// The tap on "Allow".
    pub fn allow(&self) {
        self.shared.taps.send_modify(|taps| *taps += 1);
    }

    /// Answers from now on are what is so again, after [`Fault::Says`].
    pub fn forget_says(&self) {
        self.shared.state().says.clear();
    }

    /// Sets a package's state for a user, as somebody else would have: installed and the enabled setting.
    pub fn set_state(&self, id: &str, user: u32, installed: bool, enabled: u8) {
        self.shared.state().set_state(id, user, installed, enabled);
    }

    /// Removes a user, with all that is theirs.
    pub fn remove_user(&self, user: u32) {
        self.shared.state().remove_user(user);
    }

    /// Sets a fault.
    pub fn set_fault(&self, fault: Fault) {
        self.shared.state().set_fault(fault);
    }

    /// Lets the device answer again after [`Fault::Mute`].
    pub fn unmute(&self) {
        self.shared.state().mute = false;
    }

    /// Makes room again after [`Fault::Full`].
    pub fn make_room(&self) {
        self.shared.state().make_room();
    }

    /// What has been asked of the device, a line for each service that was opened.
    pub fn transcript(&self) -> Vec<String> {
        self.shared.state().transcript.clone()
    }

    /// How long its package service has been at work in all, where that was set to take time.
    pub fn worked(&self) -> std::time::Duration {
        self.shared.state().traffic.worked
    }

    /// Packets in a direction since the last cut was set, or since the start.
    pub fn packets(&self, way: crate::line::Direction) -> u64 {
        self.shared.state().cutter.packets(way)
    }

    /// How often "Allow this computer?" was shown.
    pub fn dialogs(&self) -> u32 {
        self.shared.state().dialogs
    }

    /// A package's state for a user as the device keeps it: installed and the enabled setting.
    /// `None` where there is no such package.
    pub fn holds(&self, id: &str, user: u32) -> Option<(bool, u8)> {
        self.shared.state().holds(id, user)
    }

    /// What is chosen of a package for a user: the roles that it holds, the settings that name it, `overlay` where it is one that
    /// is on, and the permissions that somebody gave it.
    pub fn chosen(&self, id: &str, user: u32) -> Vec<String> {
        self.shared.state().chosen(id, user)
    }

    /// What is so of every package for every user, in a line each: state, version, parts that are switched, what was given and chosen.
    pub fn account(&self) -> std::collections::BTreeMap<(String, u32), String> {
        self.shared.state().account()
    }

    /// What lies in a package's folder on the partition of the system, by path; of a device that has root.
    pub fn lies_on_the_partition(&self, id: &str) -> Vec<String> {
        self.shared.state().lies_on_the_partition(id)
    }

    /// What lies where whoever debugs may write.
    pub fn files_of_the_shell(&self) -> Vec<String> {
        let state = self.shared.state();
        state.files.keys().filter(|path| path.starts_with("/data/local/tmp/")).cloned().collect()
    }

    /// How often a package has lost its data for a user since the device came.
    pub fn data_lost(&self, id: &str, user: u32) -> u32 {
        self.shared.state().data_lost(id, user)
    }

    /// Its owner revokes what computers were allowed: each is asked about again when it connects the next time.
    pub fn forget_computers(&self) {
        self.shared.state().trusted.clear();
    }

    /// Nobody taps "Allow" on it from now on.
    pub fn allow_never(&self) {
        self.shared.state().nobody_allows = true;
    }

    /// What is broken now that was not when the device came, for each of its users: what its people would find, at once or after the
    /// next start.
    pub fn broken(&self) -> Vec<crate::catalogue::consequences::Broken> {
        self.shared.state().broken()
    }

    /// How many of its starts have failed one after the other, as its own rescue counts them.
    pub fn failed_starts(&self) -> u32 {
        self.shared.state().failed_starts()
    }

    /// Whether its recovery asks what is to become of it.
    pub fn asks_in_recovery(&self) -> bool {
        self.shared.state().asks_in_recovery
    }

    /// How long its package service had been up when something was first changed, in each round of a loop with windows.
    pub fn changed_after(&self) -> Vec<std::time::Duration> {
        self.shared.state().changed_after()
    }

    /// How often its framework has begun to start, where that fails.
    pub fn rounds(&self) -> u64 {
        self.shared.state().round
    }

    /// Its framework crashes and starts anew, while the device itself runs on.
    pub fn crash_framework(&self) {
        crate::machine::crash_framework(&self.shared);
    }

    /// The device restarts without having been told to: what is not on its disk yet is lost. Connections end, it is away
    /// for a while, and its package service is up only some calls after its daemon.
    pub fn restart(&self) {
        crate::machine::restart(&self.shared, false);
    }
}

/// Wireless debugging goes on: at another port.
async fn wireless_debugging_on(shared: &Arc<Shared>) -> std::io::Result<()> {
    {
        let mut state = shared.state();
        state.switches.wireless = true;
        state.settings.insert("global/adb_wifi_enabled".into(), "1".into());
    }
    listen(shared, (shared.listens, 0).into(), Access::Air).await.map(drop)
}

/// Switches wireless debugging on whenever a computer tells it to over another link.
async fn switched_on_from_afar(shared: Weak<Shared>, mut wants: watch::Receiver<u32>) {
    while wants.changed().await.is_ok() {
        let Some(shared) = shared.upgrade() else { return };
        if !shared.state().switches.wireless {
            // Without a port it stays off, as the device's own screen shows.
            let _ = wireless_debugging_on(&shared).await;
        }
    }
}

impl Drop for SimDevice {
    fn drop(&mut self) {
        self.shared.close_dialog();
        self.shared.end(&[Access::Plain, Access::Cable, Access::Air]);
        if let Some((_, task)) = self.shared.listening.lock().unwrap_or_else(PoisonError::into_inner).take() {
            task.abort();
        }
        if let Some(network) = &self.shared.network {
            network.withdraw(AnnouncedKind::Connect, &self.shared.instance);
            network.withdraw(AnnouncedKind::Plain, &self.shared.instance);
        }
    }
}

impl SimDevice {
    /// What the device's own screen shows now. `qr` is the text of the code that the computer's screen shows, if it
    /// shows one.
    pub fn screen(&self, qr: Option<&str>) -> OwnersScreen {
        // It asks for the state too.
        let name = self.model();
        let (lines, acts) = {
            let shared = self.shared();
            let state = shared.state();
            let switch = |on: bool| if on { "on" } else { "off" };
            let mut lines = vec![format!("USB debugging: {}", switch(state.switches.usb_debugging))];
            let mut acts = Vec::new();
            if state.asks_in_recovery {
                let lines = [
                    "Can't load Android system. Your data may be corrupt. If you continue to get this message, you may need to",
                    "perform a factory data reset and erase all user data stored on this device.",
                    "  Try again  ·  Factory data reset",
                ];
                let lines = lines.map(str::to_owned).to_vec();
                return OwnersScreen { name, lines, acts: vec![OwnerAction::TryAgain] };
            }
            if state.down {
                return OwnersScreen { name, lines: vec!["It is restarting.".into()], acts };
            }
            if let Some(fingerprint) = &state.asks {
                lines.push("Allow USB debugging? The computer's key:".into());
                lines.push(fingerprint.clone());
                acts.extend([OwnerAction::Allow, OwnerAction::Deny]);
            }
            if state.scenario.second_switch {
                lines.push(format!("Second switch, for changes: {}", switch(!state.scenario.second_switch_off)));
                acts.push(OwnerAction::SecondSwitch(state.scenario.second_switch_off));
            }
            if state.scenario.reached_by == ReachedBy::Air {
                lines.push(format!("Wireless debugging: {}", switch(state.switches.wireless)));
                if state.switches.wireless {
                    lines.push(format!("IP address and port: {}", self.address()));
                    match &state.pairing {
                        Some(dialog) if !dialog.scanned => {
                            lines.push(format!("Wi-Fi pairing code: {}", dialog.code));
                            lines.push(format!("IP address and port: {}", dialog.address));
                            acts.push(OwnerAction::CloseDialog);
                        }
                        Some(_) => lines.push("Pairing…".into()),
                        None => {
                            acts.push(OwnerAction::ShowCode);
                            if let Some(text) = qr {
                                acts.push(OwnerAction::Scan(text.to_owned()));
                            }
                        }
                    }
                }
                lines.push(format!("Computers it knows: {}", state.trusted.len()));
                acts.push(OwnerAction::WirelessDebugging(!state.switches.wireless));
            } else {
                acts.push(OwnerAction::UsbDebugging(!state.switches.usb_debugging));
            }
            lines.push(format!("On the screen: {}", crate::catalogue::labels::label(&state.front.0, "")));
            acts.extend(state.touchable().into_iter().map(OwnerAction::Touch));
            acts.push(OwnerAction::Restart);
            if state.has_update() {
                lines.push("A system update is ready.".into());
                acts.push(OwnerAction::UpdateSystem);
            }
            if !state.scenario.store_brings_back.is_empty() {
                acts.push(OwnerAction::UpdateApps);
            }
            acts.push(OwnerAction::FactoryReset);
            (lines, acts)
        };
        OwnersScreen { name, lines, acts }
    }
}
