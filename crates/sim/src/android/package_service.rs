//! The package service: what is installed for whom, and the commands that change it, with the
//! outputs and refusals of the real one.

use super::installed::UserState;
use super::output::Output;
use super::state::State;
use crate::scenario::{Flaw, SimKind};

/// The feature of what is looked at from a sofa.
const TELEVISION: &str = "android.software.leanback";

/// By which program the package service is called.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Via {
    /// `pm`: a Java program of its own up to Android 8.1, a script that calls `cmd package` from 9 on.
    Pm,
    /// `cmd package`, or the service called without a shell: both end in the service's own shell.
    Cmd,
}

/// The options that the commands take, and the words that are none.
struct Words<'a> {
    user: Option<u32>,
    keep: bool,
    flags: Vec<&'a str>,
    rest: Vec<&'a str>,
}

impl<'a> Words<'a> {
    fn read(words: &'a [String]) -> Result<Self, Output> {
        let mut read = Self { user: None, keep: false, flags: Vec::new(), rest: Vec::new() };
        let mut words = words.iter().map(String::as_str);
        while let Some(word) = words.next() {
            match word {
                "--user" => {
                    let number = words.next().unwrap_or("");
                    read.user = match number {
                        "all" => None,
                        n => Some(n.parse().map_err(|_| Output::failed(1, format!("Error: Invalid user: {n}\n")))?),
                    };
                }
                "-k" => read.keep = true,
                flag if flag.starts_with('-') => read.flags.push(flag),
                other => read.rest.push(other),
            }
        }
        Ok(read)
    }

    fn has(&self, flag: &str) -> bool {
        self.flags.contains(&flag)
    }
}

impl State {
    fn is_old(&self) -> bool {
        self.scenario.android.sdk < 24
    }

    /// Up to Android 8.1 `pm` is a program of its own, with words and exit codes of its own.
    fn is_java_pm(&self, via: Via) -> bool {
        via == Via::Pm && self.scenario.android.sdk < 28
    }

    /// Whether the program has the command on this version. Up to Android 8.1 the service's own shell has a part of
    /// them only: what installs, uninstalls, suspends and lists (Android 7: `PackageManagerShellCommand`), and the
    /// older program has no `install-existing`.
    fn has_command(&self, command: &str, via: Via) -> bool {
        let sdk = self.scenario.android.sdk;
        if self.scenario.extra_commands.iter().any(|c| c == command) && (sdk < 24 || via == Via::Pm) {
            return true;
        }
        match (command, via) {
            _ if sdk >= 28 => true,
            ("install-existing" | "has-feature", Via::Cmd) => sdk >= 26,
            ("has-feature", Via::Pm) => false,
            ("list" | "help" | "uninstall" | "suspend" | "unsuspend", Via::Cmd) => true,
            ("install-create" | "install-write" | "install-commit" | "install-abandon", Via::Cmd) => true,
            ("query-activities" | "query-services" | "query-receivers", Via::Cmd) => true,
            (_, Via::Cmd) => false,
            ("query-activities" | "query-services" | "query-receivers", Via::Pm) => false,
            ("install-existing", Via::Pm) => false,
            ("default-state" | "suspend" | "unsuspend", Via::Pm) => sdk >= 24,
            (_, Via::Pm) => true,
        }
    }

    /// Whether the shell has the permission to enable and disable: it got it with Android 7, and some builds of 6 gave it.
    pub(crate) fn shell_may_disable(&self) -> bool {
        let by_version = self.scenario.android.sdk >= 24;
        !self.scenario.second_switch_off && self.scenario.shell_disables.unwrap_or(by_version)
    }

    /// A call of the package service, by whichever way it came.
    pub(crate) fn package_service(&mut self, words: &[String], via: Via) -> Output {
        let output = self.service_call(words, via);
        if !self.is_java_pm(via) || self.is_old() || output.code == 0 {
            return output;
        }
        // The program of 7 to 8.1 catches what the service throws and ends with 1.
        let thrown = output.err.lines().find(|l| l.starts_with("java.lang.")).map(|l| format!("Error: {l}\n"));
        Output { err: thrown.unwrap_or(output.err), code: 1, ..output }
    }

    fn service_call(&mut self, words: &[String], via: Via) -> Output {
        if let Some(text) = self.says.get(&format!("package {}", words.join(" "))) {
            return Output::ok(text.clone());
        }
        if self.calls_until_ready > 0 {
            self.calls_until_ready -= 1;
            return if self.is_java_pm(via) {
                Output::failed(1, "Error: Could not access the Package Manager.  Is the system running?\n")
            } else {
                Output::failed(20, "cmd: Can't find service: package\n")
            };
        }
        let Some((command, rest)) = words.split_first() else {
            return Output { err: self.help(via), code: 1, ..Output::default() };
        };
        let given = match Words::read(rest) {
            Ok(given) => given,
            Err(output) => return output,
        };
        let target = given.rest.first().copied().unwrap_or("");
        let forbidden = |user: u32, what: &str| {
            self.scenario.users.iter().any(|u| u.id == user && u.restrictions.iter().any(|r| r == what))
        };
        if command == "uninstall" && given.user.is_some_and(|user| forbidden(user, "no_uninstall_apps")) {
            return Output { out: "Failure [DELETE_FAILED_USER_RESTRICTED]\n".into(), code: 1, ..Output::default() };
        }
        // It says so whatever came of it.
        if command == "install-existing" && given.user.is_some_and(|user| forbidden(user, "no_install_apps")) {
            let user = given.user.unwrap_or(0);
            return Output::ok(format!("Package {target} installed for user: {user}\n"));
        }
        let away = |user: u32| self.scenario.users.iter().any(|u| u.id == user && u.locked_away);
        if let Some(user) = given.user.filter(|user| away(*user)) {
            return self.security_exception(command, &format!("Shell does not have permission to access user {user}"));
        }
        match command.as_str() {
            "help" if self.is_java_pm(via) => self.no_such("help", via),
            "help" => Output::ok(self.help(via)),
            c if !self.has_command(c, via) => self.no_such(c, via),
            "query-activities" | "query-services" | "query-receivers" => self.query(command, rest),
            "list" => self.list(&given, via),
            "has-feature" => Output::ok(format!("{}\n", self.has_feature(target))),
            "path" => match self.packages.get(target) {
                Some(package) => {
                    let apk = package.apk();
                    let folder = apk.rsplit_once('/').map_or("", |(folder, _)| folder);
                    let parts = package.splits().into_iter().map(|s| format!("package:{folder}/split_{s}.apk\n"));
                    Output::ok(format!("package:{apk}\n{}", parts.collect::<String>()))
                }
                None => Output { code: 1, ..Output::default() },
            },
            "uninstall" => {
                self.change(target, given.user.unwrap_or(0), |s| s.uninstall(target, given.user, given.keep))
            }
            "install" => {
                let user = given.user.unwrap_or(0);
                let id = self.packages.iter().find(|(_, p)| p.apk() == target).map(|(id, _)| id.clone());
                // `pm` says first what it is at.
                let head = if self.is_java_pm(via) { format!("\tpkg: {target}\n") } else { String::new() };
                let mut output = match id {
                    None => {
                        Output { out: "Failure [INSTALL_FAILED_INVALID_URI]\n".into(), code: 1, ..Output::default() }
                    }
                    Some(id) => self.change(&id.clone(), user, |s| s.install_over(&id, user)),
                };
                output.out.insert_str(0, &head);
                output
            }
            "install-create" | "install-write" | "install-commit" | "install-abandon" => {
                self.install_session(command, rest)
            }
            "install-existing" => {
                self.note_first_change();
                let user = given.user.unwrap_or(0);
                self.change(target, user, |s| s.install_existing(target, user))
            }
            "enable" | "disable" | "disable-user" | "disable-until-used" | "default-state" => {
                let user = given.user.unwrap_or(0);
                if let Some((id, class)) = target.split_once('/') {
                    return self.set_part(command, id, class, user);
                }
                self.change(target, user, |s| s.set_enabled(command, target, user))
            }
            "grant" | "revoke" => {
                let permission = given.rest.get(1).copied().unwrap_or("");
                self.grant(command, target, given.user.unwrap_or(0), permission)
            }
            "hide" | "unhide" if self.as_root => {
                let on = command == "hide";
                let user = given.user.unwrap_or(0);
                match self.user_state(target, user) {
                    Some(state) if state.installed => {
                        state.hidden = on;
                        if on {
                            self.deselect(target, user, false);
                        }
                        Output::ok(format!("Package {target} new hidden state: {on}\n"))
                    }
                    _ => self.unknown_package(command, target),
                }
            }
            "hide" | "unhide" => self.security_exception(
                command,
                "Neither user 2000 nor current process has android.permission.MANAGE_USERS.",
            ),
            "suspend" | "unsuspend" if self.scenario.android.sdk < 28 => self.security_exception(
                command,
                "Neither user 2000 nor current process has android.permission.MANAGE_USERS.",
            ),
            // The shell's own suspension is all that it can take back.
            "unsuspend" if self.packages.get(target).is_some_and(|p| p.data.suspended_by.is_some()) => {
                Output::ok(format!("Package {target} new suspended state: true\n"))
            }
            // Nothing is thrown: it tells the state that came of it. Source: `PackageManagerShellCommand.runSuspend`,
            // `PackageManagerService.canSuspendPackageForUserInternal`.
            "suspend" if self.is_kept_from_suspension(target) => {
                Output::ok(format!("Package {target} new suspended state: false\n"))
            }
            "suspend" | "unsuspend" => {
                let on = command == "suspend";
                match self.user_state(target, given.user.unwrap_or(0)) {
                    Some(state) => {
                        state.suspended = on;
                        Output::ok(format!("Package {target} new suspended state: {on}\n"))
                    }
                    None => self.unknown_package(command, target),
                }
            }
            "clear" if given.has("--cache-only") && self.scenario.android.sdk < 31 => {
                Output::failed(255, "Error: Unknown option: --cache-only\n")
            }
            "clear" if given.has("--cache-only") => Output::ok("Success\n"),
            "clear" => {
                let user = given.user.unwrap_or(0);
                self.change(target, user, |s| s.clear_data(target, user))
            }
            other => self.no_such(other, via),
        }
    }

    /// Home screen, dialler, administrators, and what installs or gives permissions are never suspended.
    fn is_kept_from_suspension(&self, id: &str) -> bool {
        const KEPT: [&str; 4] =
            ["com.android.packageinstaller", "com.android.permissioncontroller", "com.android.dialer", "android"];
        let admin = self.packages.get(id).is_some_and(|package| package.data.admin || package.data.protected);
        admin || KEPT.contains(&id) || crate::catalogue::usage::home_screen(&self.scenario) == id
    }

    fn help(&self, via: Via) -> String {
        let mut help = match via {
            Via::Pm if self.is_java_pm(via) => String::from("usage: "),
            _ => String::from("Package manager (package) commands:\n  help\n    Print this help text.\n"),
        };
        for (command, words) in [
            ("list", "packages [-f] [-d] [-e] [-s] [-3] [-i] [-u] [--user USER_ID] [FILTER]"),
            ("path", "[--user USER_ID] PACKAGE"),
            ("install-existing", "[--user USER_ID] PACKAGE"),
            ("uninstall", "[-k] [--user USER_ID] PACKAGE"),
            ("clear", "[--user USER_ID] PACKAGE"),
            ("enable", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("disable", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("disable-user", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("disable-until-used", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("default-state", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("hide", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("unhide", "[--user USER_ID] PACKAGE_OR_COMPONENT"),
            ("suspend", "[--user USER_ID] TARGET-PACKAGE"),
            ("unsuspend", "[--user USER_ID] TARGET-PACKAGE"),
        ] {
            if self.has_command(command, via) {
                let indent = if self.is_java_pm(via) { "       pm " } else { "  " };
                help.push_str(&format!("{indent}{command} {words}\n"));
            }
        }
        if self.is_java_pm(via) { help.replacen("       ", "", 1) } else { help }
    }

    fn no_such(&self, command: &str, via: Via) -> Output {
        if self.is_java_pm(via) {
            Output::failed(1, format!("Error: unknown command '{command}'\n{}", self.help(via)))
        } else {
            Output::failed(255, format!("Unknown command: {command}\n"))
        }
    }

    /// Makes a change unless the package's flaw or the device forbids it.
    fn change(&mut self, id: &str, user: u32, make: impl FnOnce(&mut Self) -> Output) -> Output {
        let flaw = self.packages.get(id).and_then(|p| p.data.flaw);
        let mut before = self.packages.get(id).cloned();
        if flaw == Some(Flaw::NeverAnswers) {
            return Output { hangs: true, ..Output::default() };
        }
        self.about_to_change(id, user);
        let output = make(self);
        let done = output.code == 0 && !output.out.contains("Failure");
        match flaw {
            Some(Flaw::SaysYes) if done => {
                if let Some(package) = before.take() {
                    self.packages.insert(id.to_owned(), package);
                }
            }
            Some(Flaw::ComesBack) if done => {
                if let Some(package) = self.packages.get_mut(id)
                    && package.users.get(&user).is_some_and(|u| !u.installed)
                {
                    package.returning = Some((user, false));
                }
            }
            Some(Flaw::ActsSilently) => return Output { hangs: true, ..output },
            _ => {}
        }
        output
    }

    pub(super) fn user_state(&mut self, id: &str, user: u32) -> Option<&mut UserState> {
        self.packages.get_mut(id)?.users.get_mut(&user)
    }

    fn uninstall(&mut self, id: &str, user: Option<u32>, keep: bool) -> Output {
        // Who may not is not told no: the service wants somebody to agree on the screen, and the shell's command has no words
        // for that. Source: `PackageManagerShellCommand.runUninstall`, `LocalIntentReceiver`.
        if self.scenario.second_switch_off {
            return Output { out: "Failure [null]\n".into(), code: 1, ..Output::default() };
        }
        let old = self.is_old();
        let sdk = self.scenario.android.sdk;
        let not_installed = |user: u32| {
            let text = if old {
                format!("Failure - not installed for {user}\n")
            } else {
                format!("Failure [not installed for {user}]\n")
            };
            Output { out: text, code: 1, ..Output::default() }
        };
        let failure = |reason: &str| Output { out: format!("Failure [{reason}]\n"), code: 1, ..Output::default() };
        let Some(package) = self.packages.get_mut(id) else { return not_installed(user.unwrap_or(0)) };
        let user = match user {
            Some(user) => user,
            // For all users a system package only loses its update.
            None if package.data.update.take().is_some() => return Output::ok("Success\n"),
            None if package.data.kind == SimKind::System => return failure("DELETE_FAILED_INTERNAL_ERROR"),
            None => {
                self.is_gone(id);
                return Output::ok("Success\n");
            }
        };
        match package.users.get_mut(&user) {
            Some(state) if state.installed => {
                if package.data.admin {
                    return failure("DELETE_FAILED_DEVICE_POLICY_MANAGER");
                }
                if let Some(reason) = &package.data.refuses {
                    return failure(reason);
                }
                let enabled = if self.scenario.keeps_settings { state.enabled } else { 0 };
                *state = UserState { enabled, ..UserState::default() };
                package.forget(user);
            }
            _ => return not_installed(user),
        }
        if !keep {
            self.data_go(id, user);
        }
        self.deselect(id, user, true);
        // What goes for the parent goes for the profile with the clones of its apps too, and nothing is said of it. Source:
        // `DeletePackageHelper.deletePackageX` (`deleteAppWithParent`), Android 14.
        let clones: Vec<u32> = self.scenario.users.iter().filter(|u| u.is_clone()).map(|u| u.id).collect();
        for clone in clones.into_iter().filter(|clone| user == 0 && sdk >= 34 && *clone != user) {
            let Some(package) = self.packages.get_mut(id) else { break };
            if let Some(state) = package.users.get_mut(&clone).filter(|state| state.installed) {
                *state = UserState::default();
                package.forget(clone);
                self.deselect(id, clone, true);
            }
        }
        let Some(package) = self.packages.get_mut(id) else { return Output::ok("Success\n") };
        let nobody = package.users.values().all(|u| !u.installed);
        match package.data.kind {
            SimKind::User if nobody && !keep => self.is_gone(id),
            SimKind::User if nobody => {
                package.code_gone = true;
                // Up to Android 13 the flag is set again, so that whoever listens is told.
                // Source: `DeletePackageHelper.deletePackageLIF`, where data are kept.
                if sdk <= 33
                    && let Some(state) = package.users.get_mut(&user)
                {
                    state.installed = true;
                }
            }
            // Since about Android 14 an update goes with its last user.
            SimKind::System if nobody && sdk >= 34 && !keep => package.data.update = None,
            _ => {}
        }
        Output::ok("Success\n")
    }

    /// A package has no user any more: its code goes with it.
    fn is_gone(&mut self, id: &str) {
        let Some(package) = self.packages.remove(id) else { return };
        let folder = format!("{}/", package.code_path());
        if folder.starts_with("/data/") {
            self.files.retain(|path, _| !path.starts_with(&folder));
        }
        self.gone.insert(id.to_owned(), package);
    }

    /// An APK of the system installed over itself: it is an update on the data partition from then on.
    fn install_over(&mut self, id: &str, user: u32) -> Output {
        if let Some(package) = self.packages.get_mut(id) {
            if package.data.kind == SimKind::System && package.data.update.is_none() {
                let (from, to) = (package.apk(), format!("/data/app/{id}-1"));
                package.data.update = Some(to);
                let copy = package.apk();
                if let Some(file) = self.files.get(&from).cloned() {
                    self.files.insert(copy, file);
                }
            }
            if let Some(state) = package.users.get_mut(&user) {
                (state.installed, state.hidden) = (true, false);
            }
        }
        self.write_of_user(user);
        Output::ok("Success\n")
    }

    fn install_existing(&mut self, id: &str, user: u32) -> Output {
        let gone = Output::failed(
            1,
            format!("android.content.pm.PackageManager$NameNotFoundException: Package {id} doesn't exist\n"),
        );
        match self.packages.get_mut(id) {
            // The code of a package of somebody's went with its last user, even where data were kept.
            Some(package) if package.code_gone => gone,
            Some(package) => match package.users.get_mut(&user) {
                Some(state) => {
                    state.installed = true;
                    state.hidden = false;
                    self.write_of_user(user);
                    Output::ok(format!("Package {id} installed for user: {user}\n"))
                }
                None => gone,
            },
            None => gone,
        }
    }

    /// What hardware and system have.
    fn has_feature(&self, name: &str) -> bool {
        name != TELEVISION || self.packages.contains_key("com.android.tv.settings")
    }

    pub(super) fn security_exception(&self, command: &str, text: &str) -> Output {
        self.exception(command, &format!("java.lang.SecurityException: {text}"))
    }

    pub(super) fn unknown_package(&self, command: &str, id: &str) -> Output {
        self.exception(command, &format!("java.lang.IllegalArgumentException: Unknown package: {id}"))
    }

    fn exception(&self, command: &str, text: &str) -> Output {
        if self.is_old() {
            Output::failed(1, format!("Error: {text}\n"))
        } else {
            let trace = "\tat com.android.server.pm.PackageManagerShellCommand.onCommand(PackageManagerShellCommand.java:248)\n";
            Output::failed(255, format!("\nException occurred while executing '{command}':\n{text}\n{trace}"))
        }
    }

    /// The user service's own list, to which `pm list users` is passed on.
    pub(crate) fn list_users(&self) -> Output {
        let mut out = String::from("Users:\n");
        for user in &self.scenario.users {
            let running = if user.running { " running" } else { "" };
            out.push_str(&format!("\tUserInfo{{{}:{}:{:x}}}{running}\n", user.id, user.name, user.flags));
        }
        Output::ok(out)
    }

    fn list(&self, given: &Words<'_>, via: Via) -> Output {
        match given.rest.first().copied() {
            Some("users") if via == Via::Pm || self.scenario.android.sdk >= 28 => self.list_users(),
            Some("packages") => self.list_packages(given),
            Some("features") => {
                let names = ["android.hardware.wifi", TELEVISION].into_iter().filter(|name| self.has_feature(name));
                Output::ok(names.map(|name| format!("feature:{name}\n")).collect::<String>())
            }
            Some("libraries") => Output::default(),
            other => {
                let text = format!("Error: unknown list type '{}'\n", other.unwrap_or(""));
                if self.is_java_pm(via) {
                    Output::failed(1, text)
                } else {
                    Output { out: text, code: 255, ..Output::default() }
                }
            }
        }
    }

    fn list_packages(&self, given: &Words<'_>) -> Output {
        let user = given.user.unwrap_or(0);
        let filter = given.rest.get(1).copied().unwrap_or("");
        let mut out = String::new();
        for package in self.packages.values() {
            let state = package.users.get(&user).copied().unwrap_or_default();
            let system = package.data.kind == SimKind::System;
            let off = matches!(state.enabled, 2..=4) || (state.enabled == 0 && package.data.off_by_manifest);
            let here = state.installed && !state.hidden && !package.code_gone;
            let id = package.listed_id();
            if !id.contains(filter)
                || (!here && !given.has("-u"))
                || (given.has("-s") && !system)
                || (given.has("-3") && system)
                || (given.has("-d") && !off)
                || (given.has("-e") && off)
            {
                continue;
            }
            out.push_str("package:");
            if given.has("-f") {
                out.push_str(&format!("{}=", package.apk()));
            }
            out.push_str(id);
            if given.has("-i") {
                out.push_str("  installer=null");
            }
            if given.has("-U") {
                out.push_str(&format!(" uid:{}", package.uid));
            }
            out.push('\n');
        }
        Output::ok(out)
    }
}
