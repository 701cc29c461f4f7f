//! What may be set of a package for a user, and who may: its enabled state, that of its parts, and permissions.

use super::output::Output;
use super::state::State;

impl State {
    /// A part of a package, by its class: root alone may set that.
    pub(super) fn set_part(&mut self, command: &str, id: &str, class: &str, user: u32) -> Output {
        let (number, name) = match command {
            "default-state" => (0, "default"),
            "enable" => (1, "enabled"),
            "disable" => (2, "disabled"),
            _ => return self.security_exception(command, &format!("Unknown component: {id}/{class}")),
        };
        if !self.as_root {
            let words = format!("Shell cannot change component state for {id}/{class} to {number}");
            return self.security_exception(command, &words);
        }
        if self.user_state(id, user).is_none_or(|state| !state.installed) {
            return self.unknown_package(command, id);
        }
        if let Some(package) = self.packages.get_mut(id) {
            let [off, on] = package.parts.entry(user).or_default();
            off.retain(|part| part != class);
            on.retain(|part| part != class);
            match number {
                1 => on.push(class.to_owned()),
                2 => off.push(class.to_owned()),
                _ => {}
            }
        }
        Output::ok(format!("Component {{{id}/{class}}} new state: {name}\n"))
    }

    pub(super) fn set_enabled(&mut self, command: &str, id: &str, user: u32) -> Output {
        let (number, name) = match command {
            "default-state" => (0, "default"),
            "enable" => (1, "enabled"),
            "disable" => (2, "disabled"),
            "disable-user" => (3, "disabled-user"),
            _ => (4, "disabled-until-used"),
        };
        let protected = self.packages.get(id).is_some_and(|p| p.data.protected);
        let now = match self.user_state(id, user) {
            Some(state) if state.installed => state.enabled,
            _ => return self.unknown_package(command, id),
        };
        // As in the system: first whether the package is there, then whether the caller may, and only then whether
        // there is anything to change.
        if !self.as_root && !self.shell_may_disable() {
            let uid = self.packages.get(id).map_or(0, |p| p.uid);
            let denial = match self.scenario.android.sdk {
                26.. => format!("Attempt to change component state; pid=4711, uid=2000, package={id}"),
                _ => format!(
                    "Permission Denial: attempt to change component state from pid=4711, uid=2000, package uid={uid}"
                ),
            };
            return self.security_exception(command, &denial);
        }
        // Whatever it would be set to, also to what it is.
        if protected {
            return self.security_exception(command, &format!("Cannot disable a protected package: {id}"));
        }
        // The shell may set and leave 0, 1 and 3 only.
        if !self.as_root && (matches!(number, 2 | 4) || matches!(now, 2 | 4)) {
            return self.security_exception(
                command,
                &format!("Shell cannot change component state for {id}/null to {number}"),
            );
        }
        if let Some(state) = self.user_state(id, user) {
            state.enabled = number;
        }
        if matches!(number, 2 | 3) {
            self.deselect(id, user, false);
        }
        Output::ok(format!("Package {id} new state: {name}\n"))
    }

    /// Gives a package a permission that it asks for, or takes it away.
    pub(super) fn grant(&mut self, command: &str, id: &str, user: u32, permission: &str) -> Output {
        let asked = crate::catalogue::usage::permissions(id).iter().any(|p| p == permission);
        match self.packages.get_mut(id) {
            None => self.unknown_package(command, id),
            Some(_) if !asked => {
                let text = format!("Package {id} has not requested permission {permission}");
                self.security_exception(command, &text)
            }
            Some(_) if !crate::catalogue::usage::is_asked_for(permission) => {
                let text = format!("Permission {permission} requested by {id} is not a changeable permission type");
                self.security_exception(command, &text)
            }
            Some(package) => {
                let given = package.given.entry(user).or_default();
                if command == "grant" {
                    given.insert(permission.to_owned());
                } else {
                    given.remove(permission);
                }
                Output::default()
            }
        }
    }
}
