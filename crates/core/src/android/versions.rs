//! What a version of Android lets a technician do, and what each version's programs know. The only place with API levels.

use wibbet_types::shell_quoted;

/// What a device's debugging daemon offers, from its banner; a service that was announced and
/// refused is taken out again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct DaemonFeatures {
    /// Calls of services without a shell, framed.
    pub abb: bool,
    /// Calls of services without a shell, raw.
    pub abb_exec: bool,
    /// A `cmd` program.
    pub cmd: bool,
}

/// What can be done on a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Capabilities {
    /// The API level.
    pub sdk: u32,
    /// What the daemon offers.
    pub offered: DaemonFeatures,
    /// A package that is off for a user, but still on the device, can be installed for the user
    /// again without its APK.
    pub install_existing: bool,
    /// The enabled setting can go back to "as the package's manifest says".
    pub default_state: bool,
    /// The shell may enable and disable packages, as far as is known.
    pub disables: bool,
    /// By which way commands are carried out as root, once somebody has asked for that and the device has let them.
    pub root: Option<RootWay>,
}

/// How the shell gets to be root on a device that has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum RootWay {
    /// It is: the debugging daemon runs as root.
    Daemon,
    /// `su -c COMMAND`, as on devices that somebody has made theirs.
    SuCommand,
    /// `su 0 sh -c COMMAND`, as on development builds of the platform.
    SuUser,
}

impl RootWay {
    /// All ways, in the order in which they are tried.
    pub const ALL: [Self; 3] = [Self::Daemon, Self::SuCommand, Self::SuUser];

    /// A command of the shell as it is carried out as root.
    pub fn command(self, command: &str) -> String {
        match self {
            Self::Daemon => command.to_owned(),
            Self::SuCommand => format!("su -c {}", shell_quoted(command)),
            Self::SuUser => format!("su 0 sh -c {}", shell_quoted(command)),
        }
    }
}

/// API levels by the release that people know.
const ANDROID_5: u32 = 21;

const ANDROID_6: u32 = 23;

const ANDROID_7: u32 = 24;

const ANDROID_8: u32 = 26;

const ANDROID_9: u32 = 28;

const ANDROID_10: u32 = 29;

const ANDROID_11: u32 = 30;

const ANDROID_12: u32 = 31;

const ANDROID_13: u32 = 33;

const ANDROID_14: u32 = 34;
const ANDROID_15: u32 = 35;

/// A program by which the package service is called through a shell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Program {
    /// `cmd package`: the service's own shell.
    Cmd,
    /// `pm`: a Java program of its own up to Android 8.1, which takes 0.3 to 1.5 s to start; from 9 on a script that
    /// calls `cmd package`.
    Pm,
}

impl Program {
    /// What makes it print its help. Without words `pm` does, on every version.
    pub(crate) fn help(self) -> &'static str {
        match self {
            Self::Cmd => "cmd package help",
            Self::Pm => "pm",
        }
    }

    /// The words before those for the service.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Cmd => "cmd package",
            Self::Pm => "pm",
        }
    }
}

/// Whether the developer options of a phone or tablet are under “System” in its settings; before they are at its end.
pub(crate) fn has_system_settings(sdk: u32) -> bool {
    sdk >= ANDROID_8
}

impl Capabilities {
    /// What is certain from the API level and the banner alone. Before Android 8 the help of `pm` tells more, see
    /// [`Capabilities::learn_from_help`].
    pub fn new(sdk: u32, offered: DaemonFeatures) -> Self {
        Self {
            sdk,
            offered,
            install_existing: sdk >= ANDROID_8,
            default_state: sdk >= ANDROID_7,
            disables: true,
            root: None,
        }
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

    /// Whether it has to be asked whether the shell may enable and disable packages: it was given the permission with
    /// Android 7. Source: the manifest of `com.android.shell`; some builds of 6 give it.
    pub fn may_lack_disabling(&self) -> bool {
        self.sdk < ANDROID_7
    }

    /// Whether the package service can be asked who answers an intent.
    pub(crate) fn answers_queries(&self) -> bool {
        self.sdk >= ANDROID_7
    }

    /// Whether its package service looks for a sandbox when it starts.
    pub(crate) fn has_sandbox(&self) -> bool {
        self.sdk >= ANDROID_13
    }

    /// The command that has a service print what it knows. From Android 7 on the client gives up after 10 s, in which a slow line
    /// counts too, unless it is told otherwise; before it takes no option.
    pub(crate) fn dump(&self, words: &str) -> String {
        match self.sdk {
            ANDROID_7.. => format!("dumpsys -t 60 {words}"),
            _ => format!("dumpsys {words}"),
        }
    }

    /// Whether an APK that is on the device can be installed for one user, over itself.
    pub fn installs_what_is_there(&self) -> bool {
        self.sdk >= ANDROID_5
    }

    /// The command that lists processes: who, number, number of the parent, …, name. Up to Android 7 it lists everything anyway
    /// and takes a word for a name to look for.
    pub(crate) fn processes(&self) -> &'static str {
        match self.sdk {
            ANDROID_8.. => "ps -A -o USER,PID,PPID,RSS,NAME",
            _ => "ps",
        }
    }

    /// Whether some permissions are asked for and can be given by the shell.
    pub(crate) fn asks_for_permissions(&self) -> bool {
        self.sdk >= ANDROID_6
    }

    /// Whether apps hold roles.
    pub(crate) fn has_roles(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether the shell can keep an app from working in the background (`RUN_ANY_IN_BACKGROUND` of `AppOpsManager`).
    pub fn quietens(&self) -> bool {
        self.sdk >= ANDROID_9
    }

    /// Whether the cache of one app can be cleared alone (`--cache-only` of `PackageManagerShellCommand`).
    pub fn clears_caches(&self) -> bool {
        self.sdk >= ANDROID_12
    }

    /// Whether a keyboard can be chosen for a user who is not in front.
    pub(crate) fn chooses_keyboards_per_user(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether settings can be listed, all in one.
    pub(crate) fn lists_settings(&self) -> bool {
        self.sdk >= ANDROID_7
    }

    /// Whether the services for notifications, overlays and launchers have shells of their own.
    pub(crate) fn has_service_shells(&self) -> bool {
        self.sdk >= ANDROID_8
    }

    /// Whether the device ever works out how large packages are.
    pub fn sizes_packages(&self) -> bool {
        self.sdk >= ANDROID_8
    }

    /// Whether updates may wait for the next start.
    pub(crate) fn stages_updates(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether debugging is a service of its own; before it was a part of that for USB.
    pub(crate) fn has_debugging_service(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether use is also told in plain numbers.
    pub(crate) fn tells_use_in_numbers(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether the shell can take a package's hiding away: from Android 5.1 on that takes a permission that it has not got.
    pub(crate) fn unhides(&self) -> bool {
        self.sdk <= ANDROID_5 || self.root.is_some()
    }

    /// Whether the shell can take back a suspension, which must be its own. Before it takes a permission that it has not got.
    pub(crate) fn unsuspends(&self) -> bool {
        self.suspends()
    }

    /// Whether the paths of a package are asked for by user.
    pub(crate) fn names_paths_by_user(&self) -> bool {
        self.sdk >= ANDROID_7
    }

    /// Whether apps that were made for a very old Android are not installed unless that is asked for. Source:
    /// `InstallPackageHelper`, `MIN_INSTALLABLE_TARGET_SDK`.
    pub(crate) fn blocks_old_targets(&self) -> bool {
        self.sdk >= ANDROID_14
    }

    /// Whether the update of a part of the system goes with its last user. Source: `DeletePackageHelper.deletePackageLIF`.
    pub(crate) fn drops_updates_with_their_last_user(&self) -> bool {
        self.sdk >= ANDROID_14
    }

    /// Whether the shell may suspend packages. Source: `PackageManagerService.setPackagesSuspendedAsUser`; before it took the
    /// permission to manage users.
    pub fn suspends(&self) -> bool {
        self.sdk >= ANDROID_9
    }

    /// Whether a package can be uninstalled for one user only. Before Android 5 it would go for
    /// all of them, or not at all.
    pub fn uninstall_per_user(&self) -> bool {
        self.sdk >= ANDROID_5
    }

    /// Whether what is uninstalled for a user goes for the profile with the clones of their apps too. Source:
    /// `UserProperties.getDeleteAppWithParent`.
    pub(crate) fn uninstalls_clones_too(&self) -> bool {
        self.sdk >= ANDROID_13
    }

    /// Whether data of the system's own apps stay when they are uninstalled for a user with the wish to keep them: the
    /// package service remembers since Android 14 that they are there. Source: `PackageUserState.dataExists`.
    pub(crate) fn keeps_data_of_system_apps(&self) -> bool {
        self.sdk >= ANDROID_14
    }

    /// Whether they lie there at least until the next start, when what belongs to nobody is cleared away. Up to Android 10
    /// the wish is passed over. Source: `PackageManagerService`, `clearPackageStateForUser` and `reconcileAppsData`.
    pub(crate) fn keeps_data_until_the_next_start(&self) -> bool {
        self.sdk >= ANDROID_11
    }

    /// Whether the service itself is called, without a shell. The framing of arguments that is spoken here came with
    /// `abb_exec`: Android 10 has `abb` alone, and splits at blanks.
    pub(crate) fn takes_binder_calls(&self) -> bool {
        self.sdk >= ANDROID_10 && self.offered.abb_exec
    }

    /// The programs that may know a command of the package service, the likelier first.
    ///
    /// Up to Android 8.1 the service's own shell has a part of the commands only: what lists packages, installs,
    /// uninstalls and suspends, and on 8.x `install-existing`, which `pm` lacks there. The rest stayed with `pm`. From 9
    /// on both are the same. A program that does not know a command says so without doing anything.
    pub(crate) fn programs(&self, words: &[String]) -> Vec<Program> {
        let word = |n: usize| words.get(n).map_or("", String::as_str);
        let early = match word(0) {
            "list" => word(1) != "users",
            "uninstall" | "suspend" | "unsuspend" => true,
            "install-create" | "install-write" | "install-commit" | "install-abandon" => true,
            "query-activities" | "query-services" | "query-receivers" | "resolve-activity" | "set-home-activity" => {
                true
            }
            "install-existing" => self.sdk >= ANDROID_8,
            _ => false,
        };
        match self.sdk {
            ANDROID_9.. => vec![Program::Cmd],
            ANDROID_7..ANDROID_9 if !self.offered.cmd => vec![Program::Pm],
            ANDROID_7..ANDROID_9 if early => vec![Program::Cmd, Program::Pm],
            ANDROID_7..ANDROID_9 => vec![Program::Pm, Program::Cmd],
            _ => vec![Program::Pm],
        }
    }

    /// Whether wireless debugging can be switched on and off.
    pub fn has_wireless_debugging(&self) -> bool {
        self.sdk >= ANDROID_11
    }

    /// Whether a dock is a way of charging of its own.
    pub(crate) fn charges_in_docks(&self) -> bool {
        self.sdk >= ANDROID_13
    }

    /// Whether there is a service that says which package shows web content in apps (`webviewupdate`).
    pub(crate) fn has_web_view_service(&self) -> bool {
        self.sdk >= ANDROID_8
    }

    /// Whether it tells with what people lock the screen (`CredentialType` of `dumpsys lock_settings`).
    pub(crate) fn tells_screen_locks(&self) -> bool {
        self.sdk >= ANDROID_11
    }

    /// Whether the package service tells whom it counts on (`dumpsys package known-packages`).
    pub(crate) fn tells_known_packages(&self) -> bool {
        self.sdk >= ANDROID_11
    }

    /// Whether `dumpsys window displays` tells which window has the keys, without the rest of that dump.
    pub fn tells_focus_by_display(&self) -> bool {
        self.sdk >= ANDROID_10
    }

    /// Whether each command of `pm`, `settings` and the like starts a Java runtime of its own, which takes its time.
    pub fn starts_a_runtime_for_each_command(&self) -> bool {
        self.sdk < ANDROID_7
    }

    /// After how many failed starts, about, the system's own rescue (`RescueParty`, from Android 8 on) asks for a factory reset in the
    /// recovery. An estimate: what a count leads to has changed with versions, and makers' builds differ.
    pub(crate) fn asks_for_a_reset_after(&self) -> Option<u32> {
        match self.sdk {
            ..ANDROID_8 => None,
            ANDROID_8..ANDROID_12 => Some(20),
            ANDROID_12..ANDROID_15 => Some(25),
            ANDROID_15 => Some(17),
            _ => Some(7),
        }
    }

    /// Whether the user service has a shell of its own, in which its users are listed.
    pub(crate) fn has_user_service_shell(&self) -> bool {
        self.sdk >= ANDROID_7 && self.offered.cmd
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_help_of_old_versions_decides() {
        let mut old = Capabilities::new(23, DaemonFeatures::default());
        assert!(old.needs_help_text() && !old.install_existing && !old.default_state);
        assert!(
            old.learn_from_help("usage: pm uninstall PACKAGE\n       pm install-existing PACKAGE\npm enable: makes it")
        );
        assert!(old.install_existing && !old.default_state);
        assert!(!old.learn_from_help("Error: Could not access the Package Manager.  Is the system running?"));
        assert!(old.install_existing, "an error teaches nothing");
        assert!(old.learn_from_help("pm uninstall, pm uninstall-existing-ones"));
        assert!(!old.install_existing);
        let new = Capabilities::new(34, DaemonFeatures::default());
        assert!(!new.needs_help_text() && new.install_existing && new.default_state);
        assert!(!Capabilities::new(19, DaemonFeatures::default()).uninstall_per_user());
    }

    #[test]
    fn the_programs_of_each_version() {
        use Program::{Cmd, Pm};
        let offered = DaemonFeatures { cmd: true, ..DaemonFeatures::default() };
        for (command, android_7, android_8) in [
            ("list packages", vec![Cmd, Pm], vec![Cmd, Pm]),
            ("list users", vec![Pm, Cmd], vec![Pm, Cmd]),
            ("uninstall", vec![Cmd, Pm], vec![Cmd, Pm]),
            ("install-existing", vec![Pm, Cmd], vec![Cmd, Pm]),
            ("disable-user", vec![Pm, Cmd], vec![Pm, Cmd]),
            ("default-state", vec![Pm, Cmd], vec![Pm, Cmd]),
            ("path", vec![Pm, Cmd], vec![Pm, Cmd]),
        ] {
            let words: Vec<String> = command.split(' ').map(str::to_owned).collect();
            let programs = |sdk, offered| Capabilities::new(sdk, offered).programs(&words);
            assert_eq!(programs(23, DaemonFeatures::default()), [Pm], "{command}");
            for sdk in [24, 25] {
                assert_eq!(programs(sdk, offered), android_7, "{command}");
            }
            for sdk in [26, 27] {
                assert_eq!(programs(sdk, offered), android_8, "{command}");
                assert_eq!(programs(sdk, DaemonFeatures::default()), [Pm], "{command}");
            }
            assert_eq!(programs(28, DaemonFeatures::default()), [Cmd], "{command}");
        }
        let binder = |sdk, abb_exec| {
            Capabilities::new(sdk, DaemonFeatures { abb: true, abb_exec, cmd: true }).takes_binder_calls()
        };
        assert!(binder(30, true) && !binder(29, false) && !binder(28, true));
    }
}
