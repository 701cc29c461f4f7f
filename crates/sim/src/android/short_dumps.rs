//! The parts and the short forms of `dumpsys package`.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use super::installed::InstalledPackage;
use super::output::Output;
use super::state::State;
use crate::catalogue::usage;
use crate::scenario::SimKind;

impl State {
    /// `dumpsys package shared-users`.
    pub(crate) fn dump_shared_users(&self) -> Output {
        let sdk = self.scenario.android.sdk;
        let id_name = if sdk >= 33 { "appId" } else { "userId" };
        let mut by_name: BTreeMap<&str, Vec<(&String, &InstalledPackage)>> = BTreeMap::new();
        for (id, package) in &self.packages {
            if let Some(name) = package.shared_user() {
                by_name.entry(name).or_default().push((id, package));
            }
        }
        let mut out = String::from("Shared users:\n");
        for (name, members) in by_name {
            let uid = members.first().map_or(0, |(_, p)| p.uid);
            let _ = writeln!(out, "  SharedUser [{name}] ({:x}):\n    {id_name}={uid}", uid ^ 0x3c3c);
            if sdk >= 30 {
                out.push_str("    Packages\n");
                for (id, package) in &members {
                    let _ = writeln!(out, "      PackageSetting{{{:x} {id}/{uid}}}", package.uid ^ 0xa55a);
                }
            }
            let asks: BTreeSet<String> = members.iter().flat_map(|(id, _)| usage::permissions(id)).collect();
            let lasting = asks.iter().filter(|name| !usage::is_asked_for(name));
            if sdk < 23 {
                out.push_str("    grantedPermissions:\n");
                out.extend(asks.iter().map(|name| format!("      {name}\n")));
                continue;
            }
            out.push_str("    install permissions:\n");
            out.extend(lasting.map(|name| format!("      {name}: granted=true\n")));
            for user in &self.scenario.users {
                let _ = writeln!(out, "    User {}: \n      gids=[3003]\n      runtime permissions:", user.id);
                for name in asks.iter().filter(|name| usage::is_asked_for(name)) {
                    let given = members.iter().any(|(_, p)| p.given.get(&user.id).is_some_and(|g| g.contains(name)));
                    let _ = writeln!(out, "        {name}: granted={given}, flags=[ USER_SET ]");
                }
            }
        }
        Output::ok(out)
    }

    /// `dumpsys package --checkin`, of all packages or of one: `pkg,`, `pkg-splt,` where there is code, `pkg-usr,`, and `dis,` for
    /// the factory versions under updates. Source: `Settings.dumpPackageLPr`.
    pub(crate) fn dump_short(&mut self, wanted: Option<&str>) -> Output {
        if self.calls_until_ready > 0 {
            self.calls_until_ready -= 1;
            return Output::failed(0, "Can't find service: package\n");
        }
        let one = wanted.filter(|wanted| *wanted != "packages");
        let mut out = String::from("vers,1\n");
        if one.is_some() {
            // Libraries and features are listed whoever is asked for.
            out.push_str(
                "lib,android.test.base,jar,/system/framework/android.test.base.jar\nfeat,android.hardware.wifi\n",
            );
        }
        let ids: Vec<String> = self.packages.keys().filter(|id| one.is_none_or(|one| one == *id)).cloned().collect();
        let (sdk, version) = (self.scenario.android.sdk, self.scenario.android.sdk * 100);
        for id in &ids {
            let Some(package) = self.packages.get_mut(id) else { continue };
            package.is_looked_at();
            package.write_short(&mut out, "pkg", id, sdk, version);
        }
        for id in &ids {
            if let Some(package) = self.packages.get(id).filter(|p| p.data.update.is_some()) {
                package.write_short(&mut out, "dis", id, sdk, version);
            }
        }
        Output::ok(out)
    }

    /// `dumpsys package known-packages` (Android 11 on): what parts the system counts on, by what they are to it.
    pub(crate) fn known_packages(&self) -> Output {
        const KNOWN: [(&str, &[&str]); 8] = [
            ("System", &["android"]),
            ("Setup Wizard", &["com.corvane.setupwizard", "com.ostrel.setupwizard"]),
            ("Installer", &["com.android.packageinstaller"]),
            ("Uninstaller", &["com.android.packageinstaller"]),
            ("Browser", &["com.corvane.browser", "com.android.browser"]),
            ("Permission Controller", &["com.android.permissioncontroller"]),
            ("Documenter", &["com.android.documentsui"]),
            ("Overlay Config Signature", &[]),
        ];
        let mut out = String::from("Known Packages:\n");
        for (name, ids) in KNOWN {
            let there = ids.iter().filter(|id| self.packages.contains_key(**id) && self.here(id, 0)).take(1);
            let _ = writeln!(out, "  {name}:");
            let there: String = there.map(|id| format!("    {id}\n")).collect();
            out.push_str(if there.is_empty() { "    none\n" } else { &there });
        }
        Output::ok(out)
    }
}

impl InstalledPackage {
    fn write_short(&self, out: &mut String, tag: &str, id: &str, sdk: u32, version: u32) {
        let name = self.data.real_name.as_deref().unwrap_or(id);
        let first = if sdk < 33 { "1763630000000," } else { "" };
        let source = if sdk >= 33 { ",0" } else { "" };
        let installer = if self.code_path().starts_with("/data/") { "io.tidewrack.installer" } else { "?" };
        let _ = writeln!(out, "{tag},{name},{},{version},{first}1763640000000,{installer}{source}", self.uid);
        if !self.code_gone {
            let _ = writeln!(out, "{tag}-splt,base,0");
            out.extend(self.splits().iter().map(|split| format!("{tag}-splt,{split},0\n")));
        }
        let system = self.data.kind == SimKind::System;
        for (user, state) in &self.users {
            let mut flags = String::new();
            let letter = |yes: bool, letters: [&'static str; 2]| if yes { letters[0] } else { letters[1] };
            // Up to Android 13 the flag of an app whose code went with its last user stays as it was.
            let installed = state.installed || (self.code_gone && sdk < 34 && !system);
            flags.push_str(letter(installed, ["I", "i"]));
            flags.push_str(letter(state.hidden, ["B", "b"]));
            if sdk >= 24 {
                flags.push_str(letter(state.suspended, ["SU", "su"]));
            }
            flags.push_str("sL");
            if sdk >= 26 {
                flags.push_str("iavpi");
            }
            let by = if state.enabled == 3 { "com.android.shell" } else { "?" };
            let first = if sdk >= 33 { ",1763630000000" } else { "" };
            let _ = writeln!(out, "{tag}-usr,{user},{flags},{},{by}{first}", state.enabled);
        }
    }
}
