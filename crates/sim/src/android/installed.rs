//! A package as it is installed, and for whom.

use std::collections::{BTreeMap, BTreeSet};

use crate::apk::Plan;
use crate::catalogue::{identity, labels, usage};
use crate::scenario::{Scenario, SimKind, SimPackage};

/// A package's state for a user.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct UserState {
    pub(crate) installed: bool,
    pub(crate) hidden: bool,
    pub(crate) suspended: bool,
    pub(crate) enabled: u8,
}

/// What is on the disk yet of packages that have changed since.
#[derive(Debug, Clone)]
pub(crate) struct Unwritten {
    pub(super) since: tokio::time::Instant,
    pub(super) before: BTreeMap<(String, u32), UserState>,
}

/// A package on the device.
#[derive(Debug, Clone)]
pub(crate) struct InstalledPackage {
    pub(crate) data: SimPackage,
    pub(crate) users: BTreeMap<u32, UserState>,
    pub(crate) uid: u32,
    /// Classes of its parts that are off and on otherwise than by its manifest, for each user.
    pub(super) parts: BTreeMap<u32, [Vec<String>; 2]>,
    /// What somebody gave it, for each user.
    pub(super) given: BTreeMap<u32, BTreeSet<String>>,
    /// Users for whom it was ended, and not opened since.
    pub(super) stopped: BTreeSet<u32>,
    /// It was uninstalled with its data kept, and its code went with its last user.
    pub(super) code_gone: bool,
    /// Whether it comes in parts, where that was seen when it was installed.
    pub(super) comes_apart: Option<bool>,
    /// Its version, where it was installed.
    pub(super) version_code: Option<u32>,
    /// A user for whom the package is going to be back when it is looked at again, and whether it has been looked at.
    pub(super) returning: Option<(u32, bool)>,
}

impl InstalledPackage {
    pub(crate) fn all_of(scenario: &Scenario) -> BTreeMap<String, Self> {
        let all_users: Vec<u32> = scenario.users.iter().map(|u| u.id).collect();
        let mut shared_numbers = BTreeMap::new();
        let holding = |(n, data): (usize, &SimPackage)| {
            let users = scenario.users.iter().map(|user| {
                let has = data.users.as_ref().unwrap_or(&all_users).contains(&user.id)
                    && !data.not_given.contains(&user.id)
                    && !(user.few_apps && left_out_of_profiles(data));
                let state = UserState {
                    installed: has && !data.gone_for.contains(&user.id),
                    hidden: data.hidden.contains(&user.id),
                    suspended: data.suspended.contains(&user.id),
                    enabled: data.enabled.get(&user.id.to_string()).copied().unwrap_or(0),
                };
                (user.id, state)
            });
            let own = 10_000 + u32::try_from(n).unwrap_or(0);
            let uid = match (&data.shared_user, identity::shared_user(&data.id)) {
                (Some(name), _) => *shared_numbers.entry(name.clone()).or_insert(own),
                (None, Some((_, Some(number)))) => number,
                (None, Some((name, None))) => *shared_numbers.entry(name.to_owned()).or_insert(own),
                (None, None) => own,
            };
            let users: BTreeMap<u32, UserState> = users.collect();
            let has: Vec<u32> = users.iter().filter(|(_, state)| state.installed).map(|(user, _)| *user).collect();
            let parts = match data.parts_off.is_empty() && data.parts_on.is_empty() {
                true => BTreeMap::new(),
                false => has.iter().map(|user| (*user, [data.parts_off.clone(), data.parts_on.clone()])).collect(),
            };
            let given = has.iter().map(|user| (*user, usage::given(&data.id, *user))).collect();
            let package = Self { users, parts, given, ..Self::new(data.clone(), uid) };
            (data.id.clone(), package)
        };
        scenario.inventory.packages.iter().enumerate().map(holding).collect()
    }

    /// One that nobody has yet.
    pub(super) fn new(data: SimPackage, uid: u32) -> Self {
        Self {
            data,
            users: BTreeMap::new(),
            uid,
            parts: BTreeMap::new(),
            given: BTreeMap::new(),
            stopped: BTreeSet::new(),
            code_gone: false,
            comes_apart: None,
            version_code: None,
            returning: None,
        }
    }

    /// Its version: an update is newer than what came with the system.
    pub(crate) fn version_code(&self, sdk: u32) -> u32 {
        let own = self.version_code.filter(|_| self.data.kind == SimKind::User || self.data.update.is_some());
        own.unwrap_or_else(|| Plan::version_code(&self.data, sdk))
    }

    /// Whether it is in use for a user.
    pub(super) fn is_here(&self, user: u32) -> bool {
        let by_manifest = self.data.off_by_manifest || self.code_gone;
        let state = self.users.get(&user);
        state.is_some_and(|u| u.installed && !matches!(u.enabled, 2..=4) && !(by_manifest && u.enabled == 0))
    }

    /// The user that it shares.
    pub(crate) fn shared_user(&self) -> Option<&str> {
        self.data.shared_user.as_deref().or_else(|| identity::shared_user(&self.data.id).map(|(name, _)| name))
    }

    /// The name of its process.
    pub(crate) fn process(&self) -> &str {
        self.data.process.as_deref().unwrap_or_else(|| identity::process(&self.data.id))
    }

    /// What goes with it when it is uninstalled for a user, beside its data.
    pub(super) fn forget(&mut self, user: u32) {
        self.parts.remove(&user);
        self.given.remove(&user);
    }

    /// The id of its manifest, by which lists name it.
    pub(crate) fn listed_id(&self) -> &str {
        match self.data.static_library {
            Some(_) => self.data.id.rsplit_once('_').map_or(self.data.id.as_str(), |(name, _)| name),
            None => &self.data.id,
        }
    }

    pub(crate) fn code_path(&self) -> &str {
        self.data.update.as_deref().unwrap_or(&self.data.path)
    }

    /// The APK of the code path.
    pub(crate) fn apk(&self) -> String {
        let path = self.code_path();
        if path.ends_with(".apk") {
            return path.to_owned();
        }
        let folder = path.rsplit('/').next().unwrap_or("base");
        let name = if path.starts_with("/data/") { "base" } else { folder };
        format!("{path}/{name}.apk")
    }

    /// The names of its parts beside the base.
    pub(crate) fn splits(&self) -> Vec<&'static str> {
        match self.comes_apart.unwrap_or_else(|| Plan::has_splits(&self.data)) {
            true => vec!["config.de", "config.en", "config.ja", "config.xxhdpi"],
            false => Vec::new(),
        }
    }

    /// Somebody looks: what comes back is back when they look again.
    pub(crate) fn is_looked_at(&mut self) {
        match self.returning.take() {
            Some((user, false)) => self.returning = Some((user, true)),
            Some((user, true)) => {
                if let Some(state) = self.users.get_mut(&user) {
                    state.installed = true;
                }
            }
            None => {}
        }
    }
}

/// Whether a part of the system is left out of a profile that is set up with few apps: whatever has an icon, but for what
/// profiles need. Source: `required_apps_managed_profile` of the provisioning app.
fn left_out_of_profiles(package: &SimPackage) -> bool {
    const REQUIRED: [&str; 6] = [
        "com.android.contacts",
        "com.android.dialer",
        "com.android.documentsui",
        "com.android.managedprovisioning",
        "com.android.providers.downloads.ui",
        "com.android.settings",
    ];
    package.kind == SimKind::System
        && !package.admin
        && labels::has_icon(&package.id)
        && !REQUIRED.contains(&package.id.as_str())
}
