//! `dumpsys package`.

use std::fmt::Write as _;

use crate::device::State;
use crate::habits;
use crate::measures::days_ago;
use crate::packages::{Holding, Output};
use crate::scenario::SimKind;

impl State {
    /// `dumpsys` of the other services.
    pub(crate) fn dump_system(&self, service: &str) -> Output {
        let s = &self.scenario;
        let mut out = String::new();
        match service {
            "battery" => {
                let (level, powered) = s.battery.map_or((0, true), |b| (b.level, b.powered));
                let _ = write!(
                    out,
                    "Current Battery Service state:\n  AC powered: false\n  USB powered: {powered}\n  Wireless powered: false\n  status: {}\n  health: 2\n  present: {}\n  level: {level}\n  scale: 100\n",
                    if powered { 2 } else { 3 },
                    s.battery.is_some(),
                );
            }
            "user" if s.android.sdk >= 24 => {
                out.push_str("Users:\n");
                for user in &s.users {
                    let kind = match user.flags {
                        _ if user.id == 0 => "full.SYSTEM",
                        f if f & 0x20 != 0 && user.id >= 900 => "profile.CLONE",
                        f if f & 0x20 != 0 => "profile.MANAGED",
                        f if f & 0x4 != 0 => "full.GUEST",
                        _ => "full.SECONDARY",
                    };
                    let _ =
                        writeln!(out, "  UserInfo{{{}:{}:{:x}}} serialNo={}", user.id, user.name, user.flags, user.id);
                    if s.android.sdk >= 30 {
                        let _ = writeln!(out, "    Type: android.os.usertype.{kind}");
                    }
                    let _ = writeln!(out, "    State: {}", if user.running { "RUNNING_UNLOCKED" } else { "-1" });
                }
            }
            "device_policy" => {
                out.push_str("Current Device Policy Manager state:\n");
                for owner in &s.managed {
                    match owner.user {
                        None => out.push_str("  Device Owner: \n"),
                        Some(user) => drop(writeln!(out, "  Profile Owner (User {user}): ")),
                    }
                    let _ = writeln!(out, "    admin=ComponentInfo{{{0}/{0}.Admin}}\n    package={0}", owner.package);
                }
            }
            "account" => {
                for user in &s.users {
                    let count = if user.id == 0 { s.accounts } else { 0 };
                    let _ = writeln!(
                        out,
                        "User UserInfo{{{}:{}:{:x}}}:\n  Accounts: {count}",
                        user.id, user.name, user.flags
                    );
                    for n in 0..count {
                        let _ = writeln!(out, "    Account {{name=owner{n}@mail.invalid, type=net.skerry.account}}");
                    }
                }
            }
            other => drop(writeln!(out, "Can't find service: {other}")),
        }
        Output::ok(out)
    }

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
                write_package(&mut out, id, package, sdk, &version);
                package.was_looked_at();
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

fn write_package(out: &mut String, id: &str, package: &Holding, sdk: u32, device_version: &str) {
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
    let id_name = if sdk >= 33 { "appId" } else { "userId" };
    let _ = writeln!(out, "  Package [{id}] ({:x}):", package.uid ^ 0xa55a);
    let _ = writeln!(out, "    {id_name}={}", package.uid);
    let _ = writeln!(out, "    pkg=Package{{{:x} {id}}}", package.uid ^ 0x0ff0);
    let _ = writeln!(out, "    codePath={path}\n    resourcePath={path}");
    let code = sdk * 100 + (crate::apk::mix(id) % 100) as u32;
    let min = if old { String::new() } else { format!(" minSdk={}", sdk.min(23)) };
    let _ = writeln!(out, "    versionCode={code}{min} targetSdk={sdk}\n    versionName={version}");
    if old {
        let _ = writeln!(out, "    flags=[ {flags}]\n    dataDir=/data/user/0/{id}\n    pkgFlags=[ {flags}]");
    } else {
        let _ = writeln!(out, "    flags=[ {flags}]\n    privateFlags=[ ]\n    dataDir=/data/user/0/{id}");
    }
    write_facts(out, id, package, sdk);
    for (user, state) in &package.users {
        if old {
            let _ = writeln!(
                out,
                "    User {user}:  installed={} hidden={} stopped=false notLaunched=false enabled={}",
                state.installed, state.hidden, state.enabled
            );
        } else {
            let inode = if state.installed { package.uid * 7 } else { 0 };
            let _ = writeln!(
                out,
                "    User {user}: ceDataInode={inode} installed={} hidden={} suspended={} distractionFlags=0 stopped=false notLaunched=false enabled={} instant=false virtual=false",
                state.installed, state.hidden, state.suspended, state.enabled
            );
            if sdk >= 33 {
                let _ = writeln!(out, "      installReason=0\n      firstInstallTime={}", came(id, system));
            }
            if state.enabled == 3 {
                out.push_str("      lastDisabledCaller: com.android.shell\n");
            }
            out.push_str("      gids=[3003]\n");
            write_granted(out, id, *user);
        }
    }
}

/// When a package came: with the device, or some time since.
fn came(id: &str, system: bool) -> String {
    days_ago(if system { 700 } else { crate::apk::mix(id) % 600 })
}

fn write_facts(out: &mut String, id: &str, package: &Holding, sdk: u32) {
    let system = package.data.kind == SimKind::System;
    let updated =
        if package.code_path().starts_with("/data/") { days_ago(crate::apk::mix(id) % 200) } else { came(id, system) };
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
    let permissions = habits::permissions(id);
    let _ = writeln!(out, "    declared permissions:\n      {id}.permission.INNER: prot=signature, INSTALLED");
    if sdk >= 23 {
        out.push_str("    requested permissions:\n");
        out.extend(permissions.iter().map(|p| format!("      {p}\n")));
        out.push_str("    install permissions:\n");
        for name in permissions.iter().filter(|p| !habits::is_asked_for(p)) {
            let _ = writeln!(out, "      {name}: granted=true");
        }
    } else {
        out.push_str("    grantedPermissions:\n");
        out.extend(permissions.iter().map(|p| format!("      {p}\n")));
    }
}

/// What the owner agreed to, more for the first user than for others.
fn write_granted(out: &mut String, id: &str, user: u32) {
    out.push_str("      runtime permissions:\n");
    for name in habits::permissions(id).iter().filter(|p| habits::is_asked_for(p)) {
        let given = (crate::apk::mix(name) ^ crate::apk::mix(id)) % 3 > u64::from(user > 0);
        let _ = writeln!(out, "        {name}: granted={given}, flags=[ USER_SET ]");
    }
}
