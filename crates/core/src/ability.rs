//! What a version of Android lets a technician do. This is the one table of it.

/// What a device's debugging daemon offers, from its banner; a service that was announced and
/// refused is taken out again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Offered {
    /// Calls of services without a shell, framed.
    pub abb: bool,
    /// Calls of services without a shell, raw.
    pub abb_exec: bool,
    /// A `cmd` program.
    pub cmd: bool,
}

/// What can be done on a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Abilities {
    /// The API level.
    pub sdk: u32,
    /// What the daemon offers.
    pub offered: Offered,
    /// A package that is off for a user, but still on the device, can be installed for the user
    /// again without its APK.
    pub install_existing: bool,
    /// The enabled setting can go back to "as the package's manifest says".
    pub default_state: bool,
}

/// API levels by the release that people know.
const ANDROID_5: u32 = 21;
const ANDROID_7: u32 = 24;
const ANDROID_8: u32 = 26;
const ANDROID_10: u32 = 29;

impl Abilities {
    /// What is certain from the API level and the banner alone. Before Android 8 the package
    /// service's help tells more, see [`Abilities::learn_from_help`].
    pub fn new(sdk: u32, offered: Offered) -> Self {
        Self { sdk, offered, install_existing: sdk >= ANDROID_8, default_state: sdk >= ANDROID_8 }
    }

    /// Whether it takes a look at the package service's help to know what can be undone.
    pub fn needs_help_text(&self) -> bool {
        self.sdk < ANDROID_8
    }

    /// Learns from the text that `pm` prints when called without words. Commands came and went in
    /// makers' builds of these versions, so the device is believed over the version. False when
    /// the text is no help: a device that is still starting gives an error instead.
    pub fn learn_from_help(&mut self, help: &str) -> bool {
        let lists =
            |command: &str| help.split_whitespace().any(|word| word.trim_matches([':', ',', '[', ']']) == command);
        if !lists("uninstall") {
            return false;
        }
        self.install_existing = lists("install-existing");
        self.default_state = lists("default-state");
        true
    }

    /// Whether a package can be uninstalled for one user only. Before Android 5 it would go for
    /// all of them, or not at all.
    pub fn uninstall_per_user(&self) -> bool {
        self.sdk >= ANDROID_5
    }

    /// Whether the service itself takes the command, without a shell.
    pub(crate) fn takes_binder_calls(&self, command: &str) -> bool {
        self.sdk >= ANDROID_10 && self.has_cmd(command)
    }

    /// Whether `cmd package` knows the command. On Android 7 it came with a part of them only; the
    /// rest stayed with `pm`, which starts a runtime for each call.
    pub(crate) fn has_cmd(&self, command: &str) -> bool {
        self.sdk >= ANDROID_8
            || (self.sdk >= ANDROID_7
                && self.offered.cmd
                && matches!(command, "list" | "uninstall" | "suspend" | "unsuspend"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_help_of_old_versions_decides() {
        let mut old = Abilities::new(23, Offered::default());
        assert!(old.needs_help_text() && !old.install_existing && !old.default_state);
        assert!(
            old.learn_from_help("usage: pm uninstall PACKAGE\n       pm install-existing PACKAGE\npm enable: makes it")
        );
        assert!(old.install_existing && !old.default_state);
        assert!(!old.learn_from_help("Error: Could not access the Package Manager.  Is the system running?"));
        assert!(old.install_existing, "an error teaches nothing");
        assert!(old.learn_from_help("pm uninstall, pm uninstall-existing-ones"));
        assert!(!old.install_existing);
        let new = Abilities::new(34, Offered::default());
        assert!(!new.needs_help_text() && new.install_existing && new.default_state);
        assert!(!Abilities::new(19, Offered::default()).uninstall_per_user());
    }
}
