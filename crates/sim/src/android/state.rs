//! The state of a device.

use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::time::Duration;

use tokio::sync::watch;
use tokio::time::Instant;

use super::installed::InstalledPackage;
use crate::line::{Cutter, Fault, Window};
use crate::scenario::{ReachedBy, Scenario};

/// The dialog that offers pairing, as long as it is open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PairingDialog {
    /// The six digits; for a scanned QR code its password, which the screen does not show.
    pub code: String,
    /// Where pairing is offered.
    pub address: SocketAddr,
    /// It came of a scanned QR code.
    pub scanned: bool,
    /// The name under which it is announced.
    pub(crate) instance: String,
}

/// The switches in the developer options.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Switches {
    /// Over a cable, and over the older kind of network link.
    pub(crate) usb_debugging: bool,
    /// Over the encrypted kind.
    pub(crate) wireless: bool,
}

/// What has room for apps at first, in bytes.
const FREE: u64 = 40 << 30;

/// The state of a device.
#[derive(Debug)]
pub(crate) struct State {
    pub(crate) scenario: Scenario,
    pub(crate) packages: BTreeMap<String, InstalledPackage>,
    /// What was in use when the device came, and for whom.
    pub(super) first_in_use: BTreeSet<(String, u32)>,
    /// Key lines, without their remark, of the computers that the device has accepted.
    pub(crate) trusted: BTreeSet<String>,
    pub(crate) random: fastrand::Rng,
    pub(crate) cutter: Cutter,
    pub(crate) latency: Duration,
    pub(crate) traffic: crate::line::Traffic,
    pub(crate) mute: bool,
    /// So many connections have been made, and so many of the first ones are dead.
    pub(crate) connections: u64,
    pub(crate) adrift: u64,
    pub(crate) no_tools: bool,
    pub(super) lazy_disk: bool,
    /// How often the framework has started since the device did.
    pub(super) framework_starts: u32,
    /// How long dumps take, in seconds.
    pub(super) dumps_take: u32,
    /// Programs that a shell has started.
    pub(crate) programs: u64,
    /// Bytes that were packed.
    pub(crate) packed: u64,
    pub(crate) transcript: Vec<String>,
    /// Commands that are answered with these words, whatever is so.
    pub(crate) says: BTreeMap<String, String>,
    /// So many calls of the package service fail yet, because the device has just started.
    pub(crate) calls_until_ready: u32,
    /// It starts over and over: 1 its package service never comes up, 2 the system dies behind it.
    pub(crate) looping: Option<u8>,
    /// How often the framework has begun to start.
    pub(crate) round: u64,
    /// Where it starts over and over the whole device does, not its framework alone.
    pub(crate) kernel_loops: bool,
    /// When it is to be reached then.
    pub(crate) window: Option<Window>,
    /// Starts that failed, of the last minutes.
    pub(super) starts_failed: Vec<Instant>,
    /// What it is dying of in this round.
    pub(super) dying_of: Option<String>,
    /// What its log has of crashes of the system.
    pub(super) crashes: Vec<String>,
    /// Its recovery asks what is to become of it, until somebody chooses on its screen.
    pub(crate) asks_in_recovery: bool,
    /// Since when its package service is up in this round, until something is changed; and how long that took, round by round.
    pub(super) up_since: Option<Instant>,
    pub(super) changed_after: Vec<Duration>,
    pub(crate) files: BTreeMap<String, crate::android::File>,
    /// How often "Allow this computer?" was shown.
    pub(crate) dialogs: u32,
    /// It forgets the computers that it has allowed whenever it starts.
    pub(crate) forgets_keys: bool,
    /// Nobody taps "Allow" any more.
    pub(crate) nobody_allows: bool,
    /// The device is restarting and does not answer.
    pub(crate) down: bool,
    /// Its framework is starting anew, which sets its USB side up again: it is away from the bus meanwhile.
    pub(crate) away_from_bus: bool,
    pub(crate) switches: Switches,
    /// What people have chosen among apps.
    pub(super) selections: super::selections::Selections,
    /// `settings`, by namespace and name.
    pub(crate) settings: BTreeMap<String, String>,
    pub(crate) started: Instant,
    /// When its kernel last started, and how long it had been up before the simulation began.
    pub(super) booted: (Instant, Duration),
    /// `/proc/sys/kernel/random/boot_id`, another one after each start.
    pub(crate) boot_id: String,
    /// The package on the device's screen, and the user whose it is.
    pub(crate) front: (String, u32),
    /// What the log of events has told of what came to the front since the start.
    pub(crate) events: watch::Sender<Vec<String>>,
    /// The number of the name under which it announces itself next, where it is renamed each time.
    pub(crate) renames: Option<u32>,
    /// The shell sees nothing of that log.
    pub(super) log_is_kept_back: bool,
    /// The fingerprint in the dialog that asks whether to allow a computer.
    pub(crate) asks: Option<String>,
    pub(crate) pairing: Option<PairingDialog>,
    /// When the job that works sizes out will have done so, where it has not yet.
    pub(super) sizes_from: Option<Option<Instant>>,
    /// Packages that are gone with their last user, as they were: their APKs may be installed again.
    pub(super) gone: BTreeMap<String, InstalledPackage>,
    /// Install sessions that have not been committed, and the number of the last.
    pub(super) sessions: BTreeMap<u32, super::sessions::InstallSession>,
    pub(super) last_session: u32,
    /// What was written to the command that is carried out.
    pub(crate) input: Vec<u8>,
    /// What has room on the partition with the apps.
    pub(super) free_bytes: u64,
    /// What is carried out is as root.
    pub(super) as_root: bool,
    /// What lies on the partition with the system's packages, where somebody can be root there.
    pub(super) nodes: BTreeMap<String, super::nodes::Node>,
    /// Packages that were there and are not any more.
    pub(super) off_the_partition: BTreeMap<String, InstalledPackage>,
    /// That partition is verified when the device starts, and cannot be written.
    pub(super) verified: bool,
    /// Apps that may do nothing while nobody looks at them.
    pub(super) quiet: BTreeSet<(String, u32)>,
    /// What its log of events has of apps that failed, and which have.
    pub(super) logged: Vec<super::clock::LoggedEvent>,
    pub(super) failed: BTreeMap<(String, u32, String), Instant>,
    /// How often apps have lost their data, for each user.
    pub(super) data_lost: BTreeMap<(String, u32), u32>,
    /// Changes that are not on the disk yet.
    pub(super) unwritten: Option<super::installed::Unwritten>,
}

impl State {
    /// A device as it comes out of its box.
    pub(crate) fn new(scenario: Scenario, seed: u64) -> Self {
        let packages = InstalledPackage::all_of(&scenario);
        let first_in_use = packages
            .iter()
            .flat_map(|(id, package)| package.users.keys().map(move |user| (id, package, *user)))
            .filter(|(_, package, user)| package.is_here(*user))
            .map(|(id, _, user)| (id.clone(), user))
            .collect();
        Self {
            packages,
            first_in_use,
            trusted: BTreeSet::new(),
            random: fastrand::Rng::with_seed(seed),
            cutter: Cutter::default(),
            latency: Duration::ZERO,
            traffic: crate::line::Traffic::default(),
            mute: false,
            connections: 0,
            adrift: 0,
            no_tools: false,
            lazy_disk: false,
            framework_starts: 1,
            dumps_take: 0,
            programs: 0,
            packed: 0,
            transcript: Vec::new(),
            calls_until_ready: 0,
            looping: None,
            round: 0,
            kernel_loops: false,
            window: None,
            starts_failed: Vec::new(),
            dying_of: None,
            crashes: Vec::new(),
            asks_in_recovery: false,
            up_since: None,
            changed_after: Vec::new(),
            says: BTreeMap::new(),
            files: super::files::first_files(&scenario),
            dialogs: 0,
            forgets_keys: false,
            nobody_allows: false,
            down: false,
            away_from_bus: false,
            switches: Switches { usb_debugging: true, wireless: scenario.reached_by == ReachedBy::Air },
            selections: super::selections::Selections::first(&scenario),
            settings: BTreeMap::from([
                ("global/adb_enabled".to_owned(), "1".to_owned()),
                ("global/stay_on_while_plugged_in".to_owned(), "0".to_owned()),
                ("system/0/screen_off_timeout".to_owned(), "60000".to_owned()),
            ]),
            started: Instant::now(),
            booted: (Instant::now(), Duration::from_secs(26 * 3600)),
            boot_id: new_boot_id(),
            front: (crate::catalogue::usage::home_screen(&scenario), 0),
            events: watch::Sender::new(Vec::new()),
            log_is_kept_back: false,
            renames: None,
            asks: None,
            pairing: None,
            sizes_from: scenario.sizes_not_worked_out.then_some(None),
            gone: BTreeMap::new(),
            sessions: BTreeMap::new(),
            last_session: 0,
            input: Vec::new(),
            free_bytes: FREE,
            logged: super::clock::first_logged(super::clock::first_clock()),
            as_root: false,
            nodes: super::nodes::first_nodes(&scenario),
            off_the_partition: BTreeMap::new(),
            verified: false,
            failed: BTreeMap::new(),
            quiet: BTreeSet::new(),
            data_lost: BTreeMap::new(),
            unwritten: None,
            scenario,
        }
    }

    /// Whether it is not to be seen on a cable's bus now.
    pub(crate) fn is_off_bus(&self) -> bool {
        self.down || self.away_from_bus
    }

    /// The framework crashes and starts anew: what it had not written is lost.
    pub(crate) fn crash_framework(&mut self) {
        self.lose_what_is_unwritten();
        self.framework_starts += 1;
    }

    /// What is so only until the device starts anew.
    pub(crate) fn start_anew(&mut self) {
        self.boot_id = new_boot_id();
        self.booted = (Instant::now(), Duration::ZERO);
        self.framework_starts = 1;
        if self.forgets_keys {
            self.trusted.clear();
        }
        self.scan_the_partition();
    }

    /// There is room for apps again.
    pub(crate) fn make_room(&mut self) {
        self.free_bytes = FREE;
    }

    /// Sets a fault of the device or its line.
    pub(crate) fn set_fault(&mut self, fault: Fault) {
        match fault {
            Fault::Latency(time) => self.latency = time,
            Fault::Line(line) => self.traffic.line = line,
            Fault::Work(work) => self.traffic.work = work,
            Fault::Cut(at) => self.cutter.set(at),
            Fault::Mute => self.mute = true,
            Fault::Adrift => self.adrift = self.connections,
            Fault::NoTools => self.no_tools = true,
            Fault::LazyDisk => self.lazy_disk = true,
            Fault::KernelLoops => self.kernel_loops = true,
            Fault::Window(window) => (self.kernel_loops, self.window) = (true, Some(window)),
            Fault::NoLog => self.log_is_kept_back = true,
            Fault::ForgetsKeys => self.forgets_keys = true,
            Fault::Renames => self.renames = Some(1),
            Fault::FrameworkCrashes(times) => self.framework_starts += times,
            Fault::Full => self.free_bytes = 0,
            Fault::Verified => self.verified = true,
            Fault::SlowDumps(seconds) => self.dumps_take = seconds,
            Fault::Says(command, answer) => {
                self.says.insert(command, answer);
            }
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

    /// Somebody has set a package so for a user.
    pub(crate) fn set_state(&mut self, id: &str, user: u32, installed: bool, enabled: u8) {
        if let Some(state) = self.packages.get_mut(id).and_then(|package| package.users.get_mut(&user)) {
            (state.installed, state.enabled) = (installed, enabled);
        }
    }

    /// A user goes, with all that is theirs.
    pub(crate) fn remove_user(&mut self, user: u32) {
        if user != 0 {
            self.scenario.users.retain(|known| known.id != user);
            for package in self.packages.values_mut() {
                package.users.remove(&user);
            }
        }
    }

    /// A package's state for a user: installed and the enabled setting. `None` where there is no such package.
    pub(crate) fn holds(&self, id: &str, user: u32) -> Option<(bool, u8)> {
        self.packages.get(id)?.users.get(&user).map(|u| (u.installed, u.enabled))
    }
}

/// A random UUID as the kernel makes one. Not out of the seed: no two devices and no two starts ever have the same.
fn new_boot_id() -> String {
    let n = fastrand::Rng::new().u128(..);
    let (a, b, c, d, e) = (n >> 96, (n >> 80) & 0xffff, (n >> 64) & 0xfff, (n >> 48) & 0x3fff, n & 0xffff_ffff_ffff);
    format!("{a:08x}-{b:04x}-4{c:03x}-{:04x}-{e:012x}", d | 0x8000)
}
