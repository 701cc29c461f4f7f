//! What people choose among apps: roles, keyboards, listeners, overlays, and what is left out of saving the battery.

use std::collections::{BTreeMap, BTreeSet};

use crate::catalogue::usage;
use crate::scenario::Scenario;

/// Roles of which one package holds each, and who holds them when the device comes, the likelier first. Source: `roles.xml` of the
/// permission controller.
const ROLES: [(&str, &[&str]); 5] = [
    ("android.app.role.ASSISTANT", &["com.corvane.assistant", "com.ostrel.assistant"]),
    ("android.app.role.BROWSER", &["com.corvane.browser", "com.android.browser"]),
    ("android.app.role.DIALER", &["com.android.dialer"]),
    ("android.app.role.HOME", &[]),
    ("android.app.role.SMS", &["com.android.messaging"]),
];

/// Settings that name apps: with a list of several, or with one.
pub(super) const LISTS: [&str; 3] =
    ["enabled_accessibility_services", "enabled_input_methods", "enabled_notification_listeners"];

/// Keyboards, the likelier to be chosen first.
pub(super) const KEYBOARDS: [&str; 2] =
    ["com.corvane.keyboard/.CorvaneKeys", "com.android.inputmethod.latin/.LatinIME"];

/// An app that reads notifications.
const LISTENER: &str = "com.corvane.share/com.corvane.share.Listener";

/// What the users of a device have chosen.
#[derive(Debug, Clone, Default)]
pub(crate) struct Selections {
    /// Holders of roles, by user and role.
    pub(super) roles: BTreeMap<(u32, String), Vec<String>>,
    /// Secure settings, by user and name.
    pub(super) secure: BTreeMap<(u32, String), String>,
    /// Overlays that are on, by user.
    pub(super) overlays: BTreeSet<(u32, String)>,
    /// What the owner has left out of saving the battery: one list for all users.
    pub(super) battery: BTreeSet<String>,
}

impl Selections {
    pub(crate) fn first(scenario: &Scenario) -> Self {
        let mut all = Self::default();
        let there = |id: &&&str| scenario.inventory.packages.iter().any(|p| p.id == ***id);
        let home = usage::home_screen(scenario);
        for user in scenario.users.iter().map(|user| user.id) {
            for (role, holders) in ROLES {
                let holder =
                    if role.ends_with("HOME") { Some(home.as_str()) } else { holders.iter().find(there).copied() };
                all.roles.insert((user, role.into()), holder.into_iter().map(str::to_owned).collect());
            }
            let has = |component: &&&str| {
                scenario.inventory.packages.iter().any(|p| component.starts_with(&format!("{}/", p.id)))
            };
            let keyboards: Vec<&str> = KEYBOARDS.iter().filter(has).copied().collect();
            if let Some(chosen) = keyboards.first() {
                all.secure.insert((user, "default_input_method".into()), (*chosen).into());
                all.secure.insert((user, "enabled_input_methods".into()), keyboards.join(":"));
            }
            if user == 0 && has(&&LISTENER) {
                all.secure.insert((user, "enabled_notification_listeners".into()), LISTENER.into());
                all.battery.extend(LISTENER.split('/').next().map(str::to_owned));
            }
            for package in scenario.inventory.packages.iter().filter(|p| p.id.contains(".overlay.")) {
                all.overlays.insert((user, package.id.clone()));
            }
        }
        all
    }
}
