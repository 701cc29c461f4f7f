//! Sizes, memory and use of packages. From other sources than their states, and each may be missing.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use wibbet_types::{DeviceTime, PackageId, UserId};

/// Where metrics come from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Source {
    /// The device's clock.
    Clock,
    /// `dumpsys diskstats`.
    Sizes,
    /// `dumpsys meminfo`.
    Memory,
    /// `ps`.
    Running,
    /// `dumpsys usagestats`.
    Usage,
}

impl Source {
    /// Every one.
    pub const ALL: [Self; 5] = [Self::Clock, Self::Sizes, Self::Memory, Self::Running, Self::Usage];

    /// What is known of it, and how good that is.
    pub fn words(self) -> &'static str {
        match self {
            Self::Clock => "the device's clock",
            Self::Sizes => {
                "dumpsys diskstats: as of the last time the device was idle on its charger, all users together"
            }
            Self::Memory => "dumpsys meminfo, as it was read",
            Self::Running => "ps, as it was read",
            Self::Usage => {
                "dumpsys usagestats, as far back as the device remembers: a year at most, and less after each new year of its own"
            }
        }
    }
}

/// Bytes that a package takes up, for all users together, as far as they are told: 8.0 and 8.1 may leave the data out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Sizes {
    /// Its code.
    pub code: Option<u64>,
    /// Its data.
    pub data: Option<u64>,
    /// What it could do without.
    pub cache: Option<u64>,
}

impl Sizes {
    /// All of it, where all of it is told.
    pub fn total(self) -> Option<u64> {
        Some(self.code?.saturating_add(self.data?).saturating_add(self.cache?))
    }
}

/// How a package has been used by a user.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Usage {
    /// When it was last used; `None` where no use is remembered.
    pub last: Option<DeviceTime>,
    /// A moment was told in a form that is not understood.
    pub unreadable: bool,
    /// Seconds in front.
    pub seconds: u64,
}

/// What was measured on a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Metrics {
    /// When, on the device's clock.
    pub now: Option<DeviceTime>,
    /// Bytes on disk.
    pub sizes: BTreeMap<PackageId, Sizes>,
    /// Bytes of memory: its share of what its processes use.
    pub memory: BTreeMap<PackageId, u64>,
    /// What has a process, for whom.
    pub running: BTreeSet<(PackageId, UserId)>,
    /// What shares its user with others, whose processes run: it may live in one, here by name, or not.
    pub may_run: BTreeMap<PackageId, BTreeMap<UserId, Arc<str>>>,
    /// Usage, by user.
    pub usage: BTreeMap<UserId, BTreeMap<PackageId, Usage>>,
    /// Since when use is remembered, by user, where that is told.
    pub usage_since: BTreeMap<UserId, DeviceTime>,
    /// What the device did not tell, and why.
    pub gaps: BTreeMap<Source, String>,
    /// What has been asked for so far.
    pub asked: BTreeSet<Source>,
}

impl Metrics {
    /// Whether a source was read.
    pub fn tells(&self, source: Source) -> bool {
        self.asked.contains(&source) && !self.gaps.contains_key(&source)
    }

    /// Takes in what another reading told.
    pub fn merge(&mut self, other: Self) {
        self.now = other.now.or(self.now);
        for source in other.asked {
            self.asked.insert(source);
            self.gaps.remove(&source);
        }
        self.gaps.extend(other.gaps);
        self.sizes.extend(other.sizes);
        self.memory.extend(other.memory);
        self.running.extend(other.running);
        self.may_run.extend(other.may_run);
        self.usage.extend(other.usage);
        self.usage_since.extend(other.usage_since);
    }
}
