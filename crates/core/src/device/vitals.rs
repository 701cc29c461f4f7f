//! How a device is at the moment.

use std::time::Duration;

use wibbet_types::{PackageId, PlainText, UserId, bytes_words};

/// Less space than this is little: Android itself stops installing below some hundred megabytes.
const LITTLE: u64 = 500_000_000;

/// A battery.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Battery {
    /// How full, 0 to 100.
    pub percent: u8,
    /// Whether it is being fed.
    pub powered: bool,
}

/// Space for apps and their data, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Space {
    /// All of it.
    pub total: u64,
    /// What is free.
    pub free: u64,
}

/// Whether root is to be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Root {
    /// No sign of it.
    None,
    /// A `su` program is there; whether it lets anybody in is not known.
    Su,
    /// The debugging daemon itself runs as root.
    Daemon,
}

impl Root {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Su => "su",
            Self::Daemon => "daemon",
        }
    }
}

/// Somebody who manages the device, or a profile of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Managed {
    /// The profile; `None` for the whole device.
    pub user: Option<UserId>,
    /// The package that does it.
    pub package: PackageId,
}

/// What changes about a device by the hour. Each part is `None` where the device does not tell it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Vitals {
    /// Whether Android has started up fully (`sys.boot_completed`).
    pub started: Option<bool>,
    /// How often Android's framework has started since the device was switched on (`sys.system_server.start_count`, Android 10
    /// on). After a crash of it `started` stays as it was.
    pub framework_starts: Option<u32>,
    /// The user in front.
    pub current_user: Option<UserId>,
    /// The first user has no screen: people are users of their own.
    pub headless: bool,
    /// The name that its owner gave it.
    pub owners_name: Option<PlainText>,
    /// An update waits for the next start.
    pub staged: bool,
    /// Whether this computer's key is stored on the device, where that was asked.
    pub key_is_stored: Option<bool>,
    /// `stay_on_while_plugged_in`: a sum of 1 (mains), 2 (USB), 4 (wireless), 8 (dock); 0 lets it sleep.
    pub stays_awake: Option<u32>,
    /// Since the start.
    pub uptime: Option<Duration>,
    /// On `/data`.
    pub space: Option<Space>,
    /// The battery; TVs have none.
    pub battery: Option<Battery>,
    /// Whether root is to be had.
    pub root: Option<Root>,
    /// Who manages it.
    pub managed: Vec<Managed>,
    /// Accounts that somebody is signed in to, over all users. After a factory reset the device may ask for one.
    pub accounts: Option<u32>,
}

/// The user as whom some makers' devices are repaired.
const MAINTENANCE: UserId = UserId::new(77);

impl Vitals {
    /// Takes in what changes by the minute, as it is now.
    pub fn renew(&mut self, now: Self) {
        self.started = now.started.or(self.started);
        self.framework_starts = now.framework_starts.or(self.framework_starts);
        self.uptime = now.uptime.or(self.uptime);
        self.space = now.space.or(self.space);
        self.battery = now.battery.or(self.battery);
    }

    /// What to know before any work.
    pub fn warnings(&self) -> Vec<String> {
        let mut warnings = Vec::new();
        if let Some(crashes @ 1..) = self.framework_starts.map(|starts| starts.saturating_sub(1)) {
            let often = if crashes == 1 { "once".to_owned() } else { format!("{crashes} times") };
            warnings.push(format!("Android has crashed {often} since the device was switched on: find out why first"));
        }
        if self.started == Some(false) {
            warnings.push("Android has not started up fully: wait for that first".into());
        }
        if let Some(battery) = self.battery.filter(|battery| battery.percent < 20 && !battery.powered) {
            warnings.push(format!("its battery is at {} %, and it is not charging: plug it in first", battery.percent));
        }
        if let Some(space) = self.space.filter(|space| space.free < LITTLE && space.total > 0) {
            let free = bytes_words(space.free);
            warnings.push(format!("only {free} are free for apps: putting back what takes space may fail"));
        }
        if self.key_is_stored == Some(false) {
            warnings.push(
                "this computer was allowed once only: unplug the device, plug it in again and tick “Always allow”; \
                 otherwise it cannot be helped from here when it does not start any more"
                    .into(),
            );
        }
        if self.current_user == Some(MAINTENANCE) {
            warnings.push("the device is in its maintenance mode: what is changed may go when that ends".into());
        }
        if self.staged {
            warnings.push("an update waits for the next start of the device: restart it first, and look again".into());
        }
        for managed in &self.managed {
            warnings.push(match managed.user {
                None => format!("a company manages this device ({}): ask it before changing anything", managed.package),
                Some(user) => {
                    format!("user {user} is managed by {}: ask before changing anything there", managed.package)
                }
            });
        }
        if let Some(count @ 1..) = self.accounts {
            warnings.push(format!(
                "{count} account{} signed in: after a factory reset the device may stay locked without {}",
                if count == 1 { " is" } else { "s are" },
                if count == 1 { "it" } else { "them" }
            ));
        }
        warnings
    }
}
