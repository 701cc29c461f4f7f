//! A bench device: its state, and the handle by which it is started and told how to behave.

use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use tokio::net::TcpListener;
use tokio::sync::watch;
use tokio::task::JoinHandle;

use crate::fault::{Cutter, Fault};
use crate::packages::Holding;
use crate::scenario::Scenario;
use crate::{fault, server};

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
}

impl Default for Options {
    fn default() -> Self {
        Self {
            listen: SocketAddr::from(([127, 0, 0, 1], 0)),
            allow: Allow::After(Duration::from_millis(1500)),
            seed: 1,
            restart: Duration::from_secs(2),
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
    pub(crate) mute: bool,
    pub(crate) transcript: Vec<String>,
    /// So many calls of the package service fail yet, because the device has just started.
    pub(crate) calls_until_ready: u32,
    pub(crate) files: BTreeMap<String, crate::files::File>,
    /// How often "Allow this computer?" was shown.
    pub(crate) dialogs: u32,
    /// The device is restarting and does not answer.
    pub(crate) down: bool,
}

/// What server tasks share.
#[derive(Debug)]
pub(crate) struct Shared {
    state: Mutex<State>,
    pub(crate) allow: Allow,
    pub(crate) restart: Duration,
    /// The tap on "Allow", counted.
    pub(crate) taps: watch::Sender<u32>,
    /// Counted up at each restart: connections of a former count end.
    pub(crate) starts: watch::Sender<u32>,
}

impl Shared {
    pub(crate) fn state(&self) -> MutexGuard<'_, State> {
        // The state is consistent wherever its holder could panic.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// A running bench device. It ends when this is dropped.
#[derive(Debug)]
pub struct SimDevice {
    shared: Arc<Shared>,
    address: SocketAddr,
    task: JoinHandle<()>,
}

impl SimDevice {
    /// Starts a device.
    ///
    /// # Errors
    /// When the address cannot be listened at.
    pub async fn start(scenario: Scenario, options: Options) -> std::io::Result<Self> {
        let listener = TcpListener::bind(options.listen).await?;
        let address = listener.local_addr()?;
        let packages = Holding::all_of(&scenario);
        let files = crate::files::first_files(&scenario, options.seed);
        let shared = Arc::new(Shared {
            state: Mutex::new(State {
                packages,
                trusted: BTreeSet::new(),
                random: fastrand::Rng::with_seed(options.seed),
                cutter: Cutter::default(),
                latency: Duration::ZERO,
                mute: false,
                transcript: Vec::new(),
                calls_until_ready: 0,
                files,
                dialogs: 0,
                down: false,
                scenario,
            }),
            allow: options.allow,
            restart: options.restart,
            taps: watch::Sender::new(0),
            starts: watch::Sender::new(0),
        });
        let task = tokio::spawn(server::serve(listener, Arc::clone(&shared)));
        Ok(Self { shared, address, task })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
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

    /// The tap on "Allow".
    pub fn allow(&self) {
        self.shared.taps.send_modify(|taps| *taps += 1);
    }

    /// Sets a fault.
    pub fn set_fault(&self, fault: Fault) {
        let mut state = self.shared.state();
        match fault {
            Fault::Latency(time) => state.latency = time,
            Fault::Cut(at) => state.cutter.set(at),
            Fault::Mute => state.mute = true,
            Fault::Package(id, flaw) => {
                if let Some(package) = state.packages.get_mut(id.as_str()) {
                    package.data.flaw = Some(flaw);
                }
            }
            Fault::Refuse(id, reason) => {
                if let Some(package) = state.packages.get_mut(id.as_str()) {
                    package.data.refuses = Some(reason);
                }
            }
        }
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
        let state = self.shared.state();
        state.packages.get(id)?.users.get(&user).map(|u| (u.installed, u.enabled))
    }

    /// Restarts the device: connections end, it is away for a while, and its package service is up
    /// only some calls after its daemon.
    pub fn restart(&self) {
        server::restart(&self.shared);
    }
}

impl Drop for SimDevice {
    fn drop(&mut self) {
        self.task.abort();
    }
}
