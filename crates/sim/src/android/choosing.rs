//! Choosing among apps, and who loses it when it is off.

use std::fmt::Write as _;

use super::output::Output;
use super::selections::{KEYBOARDS, LISTS};
use super::state::State;

impl State {
    /// A package is off for a user: whatever named it names another, or nobody. An overlay and a listener stay named while it is
    /// only disabled. Sources: `RoleUserState`, `InputMethodManagerService`, `OverlayManagerService`, `ManagedServices`.
    pub(super) fn deselect(&mut self, id: &str, user: u32, uninstalled: bool) {
        for ((of, _), holders) in &mut self.selections.roles {
            if *of == user {
                holders.retain(|holder| holder != id);
            }
        }
        let is_its = |component: &str| component.split('/').next() == Some(id);
        for name in LISTS {
            if uninstalled || name == "enabled_input_methods" {
                let key = (user, name.to_owned());
                if let Some(list) = self.selections.secure.get_mut(&key) {
                    *list = list.split(':').filter(|component| !is_its(component)).collect::<Vec<_>>().join(":");
                }
            }
        }
        let rest = self.selections.secure.get(&(user, "enabled_input_methods".into())).cloned().unwrap_or_default();
        for ((of, name), value) in &mut self.selections.secure {
            if *of == user && !LISTS.contains(&name.as_str()) && is_its(value) {
                *value = if name == "default_input_method" {
                    rest.split(':').next().unwrap_or("").into()
                } else {
                    String::new()
                };
            }
        }
        if uninstalled {
            self.selections.overlays.remove(&(user, id.to_owned()));
            // It listens to what happens to packages of the first user only.
            if user == 0 {
                self.selections.battery.remove(id);
            }
        }
    }

    /// `cmd deviceidle whitelist [+PACKAGE|-PACKAGE]`. Source: `DeviceIdleController`, which knows packages that are on the device
    /// for its own user, the first.
    pub(super) fn device_idle(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        match words.as_slice() {
            ["whitelist"] => {
                let uid = |id: &str| self.packages.get(id).map_or(0, |package| package.uid);
                let mut out = format!("system-excidle,com.android.shell,{}\n", uid("com.android.shell"));
                out.push_str(&format!("system,com.android.phone,{}\n", uid("com.android.phone")));
                out.extend(self.selections.battery.iter().map(|id| format!("user,{id},{}\n", uid(id))));
                Output::ok(out)
            }
            ["whitelist", change] => match (change.strip_prefix('+'), change.strip_prefix('-')) {
                (Some(id), _) if self.here(id, 0) => {
                    self.selections.battery.insert(id.to_owned());
                    Output::ok(format!("Added: {id}\n"))
                }
                (Some(id), _) => Output::ok(format!("Unknown package: {id}\n")),
                (_, Some(id)) => {
                    self.selections.battery.remove(id);
                    Output::ok(format!("Removed: {id}\n"))
                }
                _ => Output::failed(255, "Package must be prefixed with +, -, or =\n"),
            },
            _ => Output::failed(255, "Device idle controller (deviceidle) commands:\n"),
        }
    }

    /// `dumpsys role` (Android 10 on).
    pub(super) fn dump_roles(&self) -> Output {
        let mut out = String::from("ROLE MANAGER STATE (dumpsys role):\n{\n  user_states=[\n");
        for user in &self.scenario.users {
            let _ = writeln!(
                out,
                "    {{\n      user_id={}\n      version=1\n      packages_hash=7A5C\n      roles=[",
                user.id
            );
            for ((of, role), holders) in self.selections.roles.iter().filter(|((of, _), _)| *of == user.id) {
                debug_assert_eq!(*of, user.id);
                let _ = writeln!(out, "        {{\n          name={role}");
                out.extend(holders.iter().map(|holder| format!("          holders={holder}\n")));
                out.push_str("        }\n");
            }
            out.push_str("      ]\n    }\n");
        }
        out.push_str("  ]\n}\n");
        Output::ok(out)
    }

    /// `cmd role add-role-holder|remove-role-holder --user N ROLE PACKAGE`.
    pub(super) fn role(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let (command, user, role, id) = match words.as_slice() {
            [command, "--user", user, role, id, ..] => (*command, user.parse().unwrap_or(0), *role, *id),
            [command, role, id, ..] => (*command, 0, *role, *id),
            _ => return Output::failed(255, "Error: Argument expected after\n"),
        };
        let here = self.here(id, user);
        match (self.selections.roles.get_mut(&(user, role.to_owned())), command) {
            (Some(holders), "add-role-holder") if here => {
                *holders = vec![id.to_owned()];
                Output::default()
            }
            (Some(holders), "remove-role-holder") => {
                holders.retain(|holder| holder != id);
                Output::default()
            }
            _ => Output::failed(255, "Error: see logcat for details.\n"),
        }
    }

    /// `ime enable|set [--user N] COMPONENT`; the option came with Android 10.
    pub(super) fn ime(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let (command, user, component) = match words.as_slice() {
            [command, "--user", user, component] if self.scenario.android.sdk >= 29 => {
                (*command, user.parse().unwrap_or(0), *component)
            }
            [command, component] => (*command, self.scenario.in_front, *component),
            _ => return Output::failed(255, "Unknown argument\n"),
        };
        let id = component.split('/').next().unwrap_or("");
        if !self.here(id, user) || !self.is_keyboard(component) {
            return Output::failed(
                255,
                format!("Unknown input method {component} cannot be enabled for user #{user}\n"),
            );
        }
        let enabled = self.selections.secure.entry((user, "enabled_input_methods".into())).or_default();
        let known = enabled.split(':').any(|one| one == component);
        match command {
            "enable" => {
                if !known {
                    *enabled = [enabled.as_str(), component]
                        .into_iter()
                        .filter(|part| !part.is_empty())
                        .collect::<Vec<_>>()
                        .join(":");
                }
                Output::ok(format!("Input method {component}: now enabled for user #{user}\n"))
            }
            "set" if known => {
                self.selections.secure.insert((user, "default_input_method".into()), component.into());
                Output::ok(format!("Input method {component} selected for user #{user}\n"))
            }
            _ => Output::failed(255, format!("Unknown input method {component} cannot be selected for user #{user}\n")),
        }
    }

    /// Whether a part is a keyboard, by the manifest of its package.
    fn is_keyboard(&self, component: &str) -> bool {
        let Some((id, class)) = component.split_once('/') else { return false };
        let whole = |class: &str| if class.starts_with('.') { format!("{id}{class}") } else { class.to_owned() };
        let is_it =
            |part: &&crate::scenario::Element| part.all("action").any(|action| action == "android.view.InputMethod");
        let declared = self.scenario.declared(id);
        KEYBOARDS.contains(&component)
            || declared.into_iter().filter(is_it).any(|part| whole(&part.class) == whole(class))
    }

    /// `cmd notification allow_listener COMPONENT [USER]` (Android 8 on).
    pub(super) fn allow_listener(&mut self, words: &[String]) -> Output {
        let [_, component, rest @ ..] = words else { return Output::failed(255, "usage\n") };
        let user = rest.first().and_then(|user| user.parse().ok()).unwrap_or(self.scenario.in_front);
        let listed = self.selections.secure.entry((user, "enabled_notification_listeners".into())).or_default();
        if !listed.split(':').any(|one| one == component) {
            *listed =
                [listed.as_str(), component].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(":");
        }
        Output::default()
    }

    /// `cmd overlay list|enable|disable --user N [PACKAGE]` (Android 8 on).
    pub(super) fn overlay(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let user =
            words.iter().position(|w| *w == "--user").and_then(|at| words.get(at + 1)?.parse().ok()).unwrap_or(0);
        let last = words.last().copied().unwrap_or("");
        match words.first().copied() {
            Some("list") => {
                let mut out = String::from("com.android.systemui\n");
                for id in self.packages.keys().filter(|id| id.contains(".overlay.") && self.here(id, user)) {
                    let on = self.selections.overlays.contains(&(user, id.clone()));
                    let _ = writeln!(out, "{} {id}", if on { "[x]" } else { "[ ]" });
                }
                Output::ok(out)
            }
            Some("enable") if self.here(last, user) && last.contains(".overlay.") => {
                self.selections.overlays.insert((user, last.to_owned()));
                Output::default()
            }
            Some("disable") => {
                self.selections.overlays.remove(&(user, last.to_owned()));
                Output::default()
            }
            _ => Output::failed(1, "Error: Failed to enable overlay\n"),
        }
    }

    /// A secure setting of a user that names apps.
    pub(super) fn selection(&self, user: u32, name: &str) -> Option<String> {
        self.selections.secure.get(&(user, name.to_owned())).cloned()
    }

    /// Sets one.
    pub(super) fn select(&mut self, user: u32, name: &str, value: &str) {
        self.selections.secure.insert((user, name.to_owned()), value.to_owned());
    }

    /// All of a user, as `settings list secure` prints them.
    pub(super) fn list_selections(&self, user: u32) -> String {
        let of = self.selections.secure.iter().filter(|((of, _), _)| *of == user);
        of.map(|((_, name), value)| format!("{name}={value}\n")).collect()
    }

    /// What is chosen of a package for a user, for tests: the roles it holds, the settings that name it, `overlay`,
    /// `battery`.
    pub(crate) fn chosen(&self, id: &str, user: u32) -> Vec<String> {
        let holds =
            self.selections.roles.iter().filter(|((of, _), holders)| *of == user && holders.iter().any(|h| h == id));
        let names = |value: &String| value.split(':').any(|part| part.split('/').next() == Some(id));
        let named = self.selections.secure.iter().filter(|((of, _), value)| *of == user && names(value));
        let overlay = self.selections.overlays.contains(&(user, id.to_owned())).then(|| "overlay".to_owned());
        let battery = (user == 0 && self.selections.battery.contains(id)).then(|| "battery".to_owned());
        let given = self.packages.get(id).and_then(|p| p.given.get(&user)).into_iter().flatten().cloned();
        holds
            .map(|((_, role), _)| role.clone())
            .chain(named.map(|((_, name), _)| name.clone()))
            .chain(overlay)
            .chain(battery)
            .chain(given)
            .collect()
    }
}
