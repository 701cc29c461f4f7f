//! `dumpsys package`.

use std::fmt::Write as _;

use super::installed::InstalledPackage;
use super::metrics::days_ago;
use super::output::Output;
use super::state::State;
use crate::catalogue::{identity, usage};
use crate::scenario::SimKind;

impl State {
    /// `dumpsys package`, with `packages` for the packages only, or with an id for one of them.
    pub(crate) fn dump_packages(&mut self, wanted: Option<&str>) -> Output {
        if self.calls_until_ready > 0 {
            self.calls_until_ready -= 1;
            return Output::failed(0, "Can't find service: package\n");
        }
        let one = wanted.filter(|w| *w != "packages");
        let mut out = String::new();
        if wanted.is_none() {
            out.push_str("Database versions:\n  Internal:\n    sdkVersion=");
            let _ = writeln!(out, "{}\n", self.scenario.android.sdk);
        }
        if let Some(id) = one
            && !self.packages.contains_key(id)
        {
            // Who says it, and whether anybody does, changed over the versions.
            return Output::ok(match self.scenario.android.sdk {
                33.. => format!("Unable to find package: {id}\n"),
                24..33 => format!(
                    "\nDexopt state:\n  Unable to find package: {id}\n\nCompiler stats:\n  Unable to find package: {id}\n"
                ),
                _ => "\n".to_owned(),
            });
        }
        let shown: Vec<String> = self.packages.keys().filter(|id| one.is_none_or(|w| w == *id)).cloned().collect();
        out.push_str("Packages:\n");
        for id in &shown {
            let sdk = self.scenario.android.sdk;
            let version = self.scenario.version.clone();
            if let Some(package) = self.packages.get_mut(id) {
                package.is_looked_at();
                write_package(&mut out, id, package, sdk, &version);
            }
        }
        let updated: Vec<&String> =
            shown.iter().filter(|id| self.packages.get(*id).is_some_and(|p| p.data.update.is_some())).collect();
        if !updated.is_empty() {
            out.push_str("\nHidden system packages:\n");
            for id in updated {
                if let Some(package) = self.packages.get(id) {
                    let _ = writeln!(
                        out,
                        "  Package [{id}] ({:x}):\n    codePath={}",
                        package.uid ^ 0x5aa5,
                        package.data.path
                    );
                }
            }
        }
        if self.scenario.android.sdk >= 30 && one.is_none() {
            out.push_str("\nQueries:\n  system apps queryable: false\n  queries via forceQueryable:\n");
        }
        Output::ok(out)
    }
}

impl State {
    /// `dumpsys package check-permission PERMISSION PACKAGE [USER]`: `PackageManager.PERMISSION_GRANTED` or `_DENIED`.
    pub(crate) fn check_permission(&self, given: &[String]) -> Output {
        let [permission, package, ..] = given else {
            return Output::ok("Error: check-permission missing permission argument\n");
        };
        let granted = package == "com.android.shell"
            && match permission.as_str() {
                "android.permission.DELETE_PACKAGES" => !self.scenario.second_switch_off,
                "android.permission.CHANGE_COMPONENT_ENABLED_STATE" => self.shell_may_disable(),
                _ => false,
            };
        Output::ok(if granted { "0\n" } else { "-1\n" })
    }
}

fn write_package(out: &mut String, id: &str, package: &InstalledPackage, sdk: u32, device_version: &str) {
    let old = sdk < 24;
    let data = &package.data;
    let path = package.code_path();
    let version = data.version.as_deref().unwrap_or(device_version);
    let system = data.kind == SimKind::System;
    let mut flags = String::new();
    if system {
        flags.push_str("SYSTEM ");
    }
    flags.push_str("HAS_CODE ALLOW_CLEAR_USER_DATA ");
    if data.update.is_some() {
        flags.push_str("UPDATED_SYSTEM_APP ");
    }
    if identity::is_persistent(id) {
        flags.push_str("PERSISTENT ");
    }
    let id_name = if sdk >= 33 { "appId" } else { "userId" };
    let _ = writeln!(out, "  Package [{}] ({:x}):", data.real_name.as_deref().unwrap_or(id), package.uid ^ 0xa55a);
    if data.real_name.is_some() {
        let _ = writeln!(out, "    compat name={id}");
    }
    let _ = writeln!(out, "    {id_name}={}", package.uid);
    if let Some(name) = package.shared_user() {
        let _ = writeln!(out, "    sharedUser=SharedUserSetting{{{:x} {name}/{}}}", package.uid ^ 0x3c3c, package.uid);
    }
    if package.code_gone {
        // What is left of it are its settings.
        let _ = writeln!(out, "    pkg=null\n    codePath={path}\n    resourcePath={path}");
        write_users(out, id, package, sdk);
        return;
    }
    let _ = writeln!(out, "    pkg=Package{{{:x} {id}}}", package.uid ^ 0x0ff0);
    let _ = writeln!(out, "    codePath={path}\n    resourcePath={path}");
    let code = package.version_code(sdk);
    let min = if old { String::new() } else { format!(" minSdk={}", sdk.min(23)) };
    let _ = writeln!(out, "    versionCode={code}{min} targetSdk={sdk}\n    versionName={version}");
    if old {
        let _ = writeln!(out, "    flags=[ {flags}]\n    dataDir=/data/user/0/{id}\n    pkgFlags=[ {flags}]");
    } else {
        let _ = writeln!(out, "    flags=[ {flags}]\n    privateFlags=[ ]\n    dataDir=/data/user/0/{id}");
    }
    if let Some(version) = data.static_library {
        let _ = writeln!(out, "    static library:\n      name:{} version:{version}", package.listed_id());
    }
    write_facts(out, id, package, sdk);
    write_users(out, id, package, sdk);
}

fn write_users(out: &mut String, id: &str, package: &InstalledPackage, sdk: u32) {
    let old = sdk < 24;
    let data = &package.data;
    let system = data.kind == SimKind::System;
    for (user, state) in &package.users {
        let stopped = package.stopped.contains(user);
        if old {
            let _ = writeln!(
                out,
                "    User {user}:  installed={} hidden={} stopped={stopped} notLaunched=false enabled={}",
                state.installed, state.hidden, state.enabled
            );
        } else {
            let inode = if state.installed { package.uid * 7 } else { 0 };
            let _ = writeln!(
                out,
                "    User {user}: ceDataInode={inode} installed={} hidden={} suspended={} distractionFlags=0 stopped={stopped} notLaunched=false enabled={} instant=false virtual=false",
                state.installed, state.hidden, state.suspended, state.enabled
            );
            if sdk >= 26 {
                out.push_str("      installReason=0\n");
            }
            if sdk >= 33 {
                let _ = writeln!(out, "      firstInstallTime={}", came(id, system));
            }
            if sdk >= 30 {
                let never = data.not_given.contains(user) && !state.installed;
                let _ = writeln!(out, "      uninstallReason={}", u8::from(never));
            }
            if data.archived && !state.installed && sdk >= 35 {
                let _ = writeln!(out, "        archiveTime={}\n        unarchiveInstallerTitle=Market", days_ago(30));
            }
            if state.suspended && sdk >= 28 {
                let by = data.suspended_by.as_deref().unwrap_or("com.android.shell");
                if sdk >= 29 {
                    out.push_str("      Suspend params:\n");
                }
                let _ = writeln!(out, "        suspendingPackage={by} dialogInfo=null");
            }
            if state.enabled == 3 {
                out.push_str("      lastDisabledCaller: com.android.shell\n");
            }
            out.push_str("      gids=[3003]\n");
            write_granted(out, id, package, *user);
            for (n, title) in ["disabledComponents:", "enabledComponents:"].into_iter().enumerate() {
                let parts = package.parts.get(user).map_or(&[][..], |parts| parts[n].as_slice());
                if !parts.is_empty() {
                    let _ = writeln!(out, "      {title}");
                    out.extend(parts.iter().map(|part| format!("        {part}\n")));
                }
            }
        }
    }
}

/// When a package came: with the device, or some time since.
fn came(id: &str, system: bool) -> String {
    days_ago(if system { 700 } else { crate::seed::mix(id) % 600 })
}

fn write_facts(out: &mut String, id: &str, package: &InstalledPackage, sdk: u32) {
    let system = package.data.kind == SimKind::System;
    let updated =
        if package.code_path().starts_with("/data/") { days_ago(crate::seed::mix(id) % 200) } else { came(id, system) };
    let splits = package.splits();
    if sdk >= 23 {
        let parts: String = splits.iter().map(|s| format!(", {s}")).collect();
        let _ = writeln!(out, "    splits=[base{parts}]");
    }
    let _ = writeln!(out, "    timeStamp={updated}");
    if sdk < 33 {
        let _ = writeln!(out, "    firstInstallTime={}", came(id, system));
    }
    let _ = writeln!(out, "    lastUpdateTime={updated}");
    if package.code_path().starts_with("/data/") {
        let _ = writeln!(out, "    installerPackageName=io.tidewrack.installer");
    }
    let permissions = usage::permissions(id);
    let _ = writeln!(out, "    declared permissions:\n      {id}.permission.INNER: prot=signature, INSTALLED");
    if sdk >= 23 {
        out.push_str("    requested permissions:\n");
        out.extend(permissions.iter().map(|p| format!("      {p}\n")));
        // Those of a user that is shared are told with that user.
        if package.shared_user().is_none() {
            out.push_str("    install permissions:\n");
            for name in permissions.iter().filter(|p| !usage::is_asked_for(p)) {
                let _ = writeln!(out, "      {name}: granted=true");
            }
        }
    } else if package.shared_user().is_none() {
        out.push_str("    grantedPermissions:\n");
        out.extend(permissions.iter().map(|p| format!("      {p}\n")));
    }
}

/// What the user agreed to.
fn write_granted(out: &mut String, id: &str, package: &InstalledPackage, user: u32) {
    if package.shared_user().is_some() {
        return;
    }
    out.push_str("      runtime permissions:\n");
    let agreed = package.given.get(&user);
    for name in usage::permissions(id).iter().filter(|p| usage::is_asked_for(p)) {
        let given = agreed.is_some_and(|agreed| agreed.contains(name));
        let _ = writeln!(out, "        {name}: granted={given}, flags=[ USER_SET ]");
    }
}
