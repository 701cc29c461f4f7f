//! A bench device: its state, and the handle by which it is started and told how to behave.

use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};

use tokio::net::TcpListener;
use tokio::sync::watch;
use tokio::task::JoinHandle;
use wibbet_adb::{AnnouncedKind, HostKey};

use crate::fault::{Cutter, Fault};
use crate::packages::Holding;
use crate::scenario::{ReachedBy, Scenario};
use crate::screen::OwnersAct;
use crate::server::Access;
use crate::wireless::{PairingDialog, SimNetwork};
use crate::{fault, server, wireless};

/// What happens when a computer that the device does not know asks to debug it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Allow {
    /// Somebody taps "Allow" after this time.
    After(Duration),
    /// [`SimDevice::allow`] is the tap.
    ByHand,
    /// Nobody ever does.
    Never,
}

/// How a bench device is set up.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where to listen; port 0 takes a free one.
    pub listen: SocketAddr,
    /// Who taps "Allow".
    pub allow: Allow,
    /// From where everything random comes.
    pub seed: u64,
    /// How long the device is away when it restarts.
    pub restart: Duration,
    /// Where it announces itself.
    pub network: Option<SimNetwork>,
}

/// The switches in the developer options.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Switches {
    /// Over a cable, and over the older kind of network link.
    pub(crate) usb_debugging: bool,
    /// Over the encrypted kind.
    pub(crate) wireless: bool,
}

impl Default for Options {
    fn default() -> Self {
        Self {
            listen: SocketAddr::from(([127, 0, 0, 1], 0)),
            allow: Allow::After(Duration::from_millis(1500)),
            seed: 1,
            restart: Duration::from_secs(2),
            network: None,
        }
    }
}

/// The state of a device.
#[derive(Debug)]
pub(crate) struct State {
    pub(crate) scenario: Scenario,
    pub(crate) packages: BTreeMap<String, Holding>,
    /// Key lines, without their remark, of the computers that the device has accepted.
    pub(crate) trusted: BTreeSet<String>,
    pub(crate) random: fastrand::Rng,
    pub(crate) cutter: Cutter,
    pub(crate) latency: Duration,
    pub(crate) traffic: crate::fault::Traffic,
    pub(crate) mute: bool,
    pub(crate) no_tools: bool,
    pub(crate) transcript: Vec<String>,
    /// So many calls of the package service fail yet, because the device has just started.
    pub(crate) calls_until_ready: u32,
    pub(crate) files: BTreeMap<String, crate::files::File>,
    /// How often "Allow this computer?" was shown.
    pub(crate) dialogs: u32,
    /// The device is restarting and does not answer.
    pub(crate) down: bool,
    pub(crate) switches: Switches,
    /// `settings`, by namespace and name.
    pub(crate) settings: BTreeMap<String, String>,
    pub(crate) started: Instant,
    /// The package on the device's screen, and the user whose it is.
    pub(crate) front: (String, u32),
    /// The fingerprint in the dialog that asks whether to allow a computer.
    pub(crate) asks: Option<String>,
    pub(crate) pairing: Option<PairingDialog>,
}

impl State {
    /// A device as it comes out of its box.
    pub(crate) fn new(scenario: Scenario, seed: u64) -> Self {
        Self {
            packages: Holding::all_of(&scenario),
            trusted: BTreeSet::new(),
            random: fastrand::Rng::with_seed(seed),
            cutter: Cutter::default(),
            latency: Duration::ZERO,
            traffic: crate::fault::Traffic::default(),
            mute: false,
            no_tools: false,
            transcript: Vec::new(),
            calls_until_ready: 0,
            files: crate::files::first_files(&scenario),
            dialogs: 0,
            down: false,
            switches: Switches { usb_debugging: true, wireless: scenario.reached_by == ReachedBy::Air },
            settings: BTreeMap::from([
                ("global/adb_enabled".to_owned(), "1".to_owned()),
                ("global/stay_on_while_plugged_in".to_owned(), "0".to_owned()),
            ]),
            started: Instant::now(),
            front: (crate::habits::home_screen(&scenario), 0),
            asks: None,
            pairing: None,
            scenario,
        }
    }

    /// Sets a fault of the device or its line.
    pub(crate) fn set_fault(&mut self, fault: Fault) {
        match fault {
            Fault::Latency(time) => self.latency = time,
            Fault::Line(line) => self.traffic.line = line,
            Fault::Cut(at) => self.cutter.set(at),
            Fault::Mute => self.mute = true,
            Fault::NoTools => self.no_tools = true,
            Fault::Package(id, flaw) => {
                if let Some(package) = self.packages.get_mut(id.as_str()) {
                    package.data.flaw = Some(flaw);
                }
            }
            Fault::Refuse(id, reason) => {
                if let Some(package) = self.packages.get_mut(id.as_str()) {
                    package.data.refuses = Some(reason);
                }
            }
        }
    }

    /// A package's state for a user: installed and the enabled setting. `None` where there is no such package.
    pub(crate) fn holds(&self, id: &str, user: u32) -> Option<(bool, u8)> {
        self.packages.get(id)?.users.get(&user).map(|u| (u.installed, u.enabled))
    }
}

/// What server tasks share.
#[derive(Debug)]
pub(crate) struct Shared {
    state: Mutex<State>,
    pub(crate) allow: Allow,
    pub(crate) restart: Duration,
    /// The tap on "Allow", counted.
    pub(crate) taps: watch::Sender<u32>,
    /// Counted up at each restart and when debugging is switched off: connections of that kind and of a former count
    /// end.
    pub(crate) ends: watch::Sender<[u32; 3]>,
    /// Counted up when the device leaves a cable's bus, or comes back to it as another.
    pub(crate) cable_changes: watch::Sender<u32>,
    network: Option<SimNetwork>,
    instance: String,
    own_key: OnceLock<HostKey>,
    dialog: Mutex<Option<JoinHandle<()>>>,
    /// Where the port of wireless debugging, or of the older network link, is; it changes when it is switched on.
    listening: Mutex<Option<(SocketAddr, JoinHandle<()>)>>,
}

/// The key of every bench device's certificate. A real device makes its own; here nothing depends on it being secret,
/// and making one takes its time.
const DEVICE_KEY: &str = include_str!("../scenarios/device-key.pem");

impl Shared {
    /// The name under which the device announces its encrypted link.
    pub(crate) fn instance(&self) -> String {
        self.instance.clone()
    }

    #[expect(clippy::expect_used, reason = "the file is part of the program and read in its tests")]
    pub(crate) fn own_key(&self) -> HostKey {
        self.own_key
            .get_or_init(|| HostKey::from_pem(DEVICE_KEY, "device", "device-key.pem".as_ref()).expect("a built-in key"))
            .clone()
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
        if let Some(network) = &self.network {
            network.withdraw(AnnouncedKind::Connect, &self.instance);
        }
    }

    /// Listens, and announces where.
    async fn listen(self: &Arc<Self>, at: SocketAddr, access: Access) -> std::io::Result<SocketAddr> {
        let listener = TcpListener::bind(at).await?;
        let address = listener.local_addr()?;
        let task = tokio::spawn(server::serve(listener, Arc::clone(self), access));
        let former = self.listening.lock().unwrap_or_else(PoisonError::into_inner).replace((address, task));
        if let Some((_, task)) = former {
            task.abort();
        }
        if let Some(network) = &self.network {
            match access {
                Access::Air => network.announce(AnnouncedKind::Connect, &self.instance, address),
                Access::Plain => network.announce(AnnouncedKind::Plain, &self.instance, address),
                Access::Cable => {}
            }
        }
        Ok(address)
    }

    pub(crate) fn close_dialog(&self) {
        if let Some(task) = self.dialog.lock().unwrap_or_else(PoisonError::into_inner).take() {
            task.abort();
        }
        self.dialog_has_closed();
    }

    fn dialog_has_closed(&self) {
        let dialog = self.state().pairing.take();
        if let (Some(dialog), Some(network)) = (dialog, &self.network) {
            network.withdraw(AnnouncedKind::Pairing, &dialog.instance);
        }
    }

    /// Opens the dialog that offers pairing under a name.
    async fn open_dialog(
        self: &Arc<Self>,
        code: String,
        instance: String,
        scanned: bool,
    ) -> std::io::Result<PairingDialog> {
        self.close_dialog();
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let dialog = PairingDialog { code: code.clone(), address: listener.local_addr()?, scanned, instance };
        self.state().pairing = Some(dialog.clone());
        if let Some(network) = &self.network {
            network.announce(AnnouncedKind::Pairing, &dialog.instance, dialog.address);
        }
        let shared = Arc::clone(self);
        let task = tokio::spawn(async move {
            wireless::offer(listener, code, Arc::clone(&shared)).await;
            shared.dialog_has_closed();
        });
        *self.dialog.lock().unwrap_or_else(PoisonError::into_inner) = Some(task);
        Ok(dialog)
    }

    pub(crate) fn state(&self) -> MutexGuard<'_, State> {
        // The state is consistent wherever its holder could panic.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

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
            network: options.network,
            instance,
            own_key: OnceLock::new(),
            dialog: Mutex::default(),
            listening: Mutex::default(),
        });
        let at = shared.listen(options.listen, access).await?;
        Ok(Self { shared, at })
    }

    pub(crate) fn shared(&self) -> Arc<Shared> {
        Arc::clone(&self.shared)
    }

    /// Where it listens, or last did.
    pub fn address(&self) -> SocketAddr {
        let listening = self.shared.listening.lock().unwrap_or_else(PoisonError::into_inner);
        listening.as_ref().map_or(self.at, |(address, _)| *address)
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
    pub async fn act(&self, act: OwnersAct) -> std::io::Result<Option<PairingDialog>> {
        let (air, second) = {
            let state = self.shared.state();
            (state.scenario.reached_by == ReachedBy::Air, state.scenario.second_switch)
        };
        match act {
            // What this device does not have cannot be touched.
            OwnersAct::ShowCode | OwnersAct::Scan(_) | OwnersAct::WirelessDebugging(_) if !air => {}
            OwnersAct::SecondSwitch(_) if !second => {}
            OwnersAct::Allow => self.allow(),
            OwnersAct::Deny => self.shared.state().asks = None,
            OwnersAct::ShowCode => {
                let code: String = {
                    let mut state = self.shared.state();
                    (0..6).map(|_| state.random.digit(10)).collect()
                };
                return self.shared.open_dialog(code, self.shared.instance(), false).await.map(Some);
            }
            OwnersAct::CloseDialog => self.shared.close_dialog(),
            OwnersAct::Scan(text) => {
                let field = |name: &str| {
                    text.strip_prefix("WIFI:")?.split(';').find_map(|f| f.strip_prefix(name)).map(str::to_owned)
                };
                if let (Some("ADB"), Some(name), Some(password)) = (field("T:").as_deref(), field("S:"), field("P:")) {
                    return self.shared.open_dialog(password, name, true).await.map(Some);
                }
            }
            OwnersAct::SecondSwitch(on) => self.shared.state().scenario.second_switch_off = !on,
            OwnersAct::UsbDebugging(on) => self.shared.usb_debugging(on),
            OwnersAct::WirelessDebugging(false) => self.shared.wireless_debugging_off(),
            OwnersAct::WirelessDebugging(true) => {
                self.shared.state().switches.wireless = true;
                self.shared.listen(([127, 0, 0, 1], 0).into(), Access::Air).await?;
            }
            OwnersAct::Restart => self.restart(),
            OwnersAct::Touch(id) => {
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

    /// Sets a fault.
    pub fn set_fault(&self, fault: Fault) {
        self.shared.state().set_fault(fault);
    }

    /// Takes away that no command is answered.
    pub fn unmute(&self) {
        self.shared.state().mute = false;
    }

    /// What has been asked of the device, a line for each service that was opened.
    pub fn transcript(&self) -> Vec<String> {
        self.shared.state().transcript.clone()
    }

    /// Packets in a direction since the last cut was set, or since the start.
    pub fn packets(&self, way: fault::Direction) -> u64 {
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

    /// Restarts the device: connections end, it is away for a while, and its package service is up
    /// only some calls after its daemon.
    pub fn restart(&self) {
        server::restart(&self.shared);
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
