//! A package as it is installed, and for whom.

use std::collections::BTreeMap;

use crate::apk::Plan;
use crate::scenario::{Scenario, SimPackage};

/// A package's state for a user.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct UserState {
    pub(crate) installed: bool,
    pub(crate) hidden: bool,
    pub(crate) suspended: bool,
    pub(crate) enabled: u8,
}

/// A package on the device.
#[derive(Debug, Clone)]
pub(crate) struct InstalledPackage {
    pub(crate) data: SimPackage,
    pub(crate) users: BTreeMap<u32, UserState>,
    pub(crate) uid: u32,
    /// A user for whom the package is going to be back when it is looked at again, and whether it has been looked at.
    pub(super) returning: Option<(u32, bool)>,
}

impl InstalledPackage {
    pub(crate) fn all_of(scenario: &Scenario) -> BTreeMap<String, Self> {
        let all_users: Vec<u32> = scenario.users.iter().map(|u| u.id).collect();
        let holding = |(n, data): (usize, &SimPackage)| {
            let users = scenario.users.iter().map(|user| {
                let has = data.users.as_ref().unwrap_or(&all_users).contains(&user.id);
                let state = UserState {
                    installed: has && !data.gone_for.contains(&user.id),
                    hidden: data.hidden.contains(&user.id),
                    suspended: data.suspended.contains(&user.id),
                    enabled: data.enabled.get(&user.id.to_string()).copied().unwrap_or(0),
                };
                (user.id, state)
            });
            let uid = 10_000 + u32::try_from(n).unwrap_or(0);
            (data.id.clone(), Self { users: users.collect(), uid, data: data.clone(), returning: None })
        };
        scenario.inventory.packages.iter().enumerate().map(holding).collect()
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
        match Plan::has_splits(&self.data) {
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
