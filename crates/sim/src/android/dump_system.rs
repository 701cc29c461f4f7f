//! `dumpsys` of the other services.

use std::fmt::Write as _;

use super::output::Output;
use super::state::State;

impl State {
    /// The computers that were allowed for good. Who is allowed once only is not among them. Source: `AdbDebuggingManager.dump`,
    /// up to Android 9 within `dumpsys usb`.
    pub(crate) fn stored_keys(&self) -> Output {
        let lines = |between: &str| self.trusted.iter().map(|line| format!("{line}{between}")).collect::<String>();
        Output::ok(match self.scenario.android.sdk {
            29.. => format!(
                "ADB MANAGER STATE (dumpsys adb):\n{{\n  debugging_manager={{\n    connected_to_adb=true\n    user_keys={}\n    system_keys=\n  }}\n}}\n",
                lines("\n")
            ),
            _ => format!(
                "USB MANAGER STATE (dumpsys usb):\n  USB Debugging State:\n    Connected to adbd: true\n    User keys:\n{}\n    System keys:\nIOException: java.io.FileNotFoundException\n",
                lines("\n")
            ),
        })
    }

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
                        _ if user.private => "profile.PRIVATE",
                        _ if user.id == 0 && s.headless => "system.HEADLESS",
                        _ if user.id == 0 => "full.SYSTEM",
                        _ if user.is_clone() => "profile.CLONE",
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
                    let debugging = user.locked_away.then_some("no_debugging_features");
                    let forbidden: Vec<&str> =
                        debugging.into_iter().chain(user.restrictions.iter().map(String::as_str)).collect();
                    out.push_str("    Restrictions:\n      none\n    Effective restrictions:\n");
                    match forbidden.is_empty() {
                        true => out.push_str("      none\n"),
                        false => out.extend(forbidden.iter().map(|name| format!("      {name}\n"))),
                    }
                }
            }
            "device_policy" => {
                out.push_str("Current Device Policy Manager state:\n");
                for user in &s.users {
                    let admins = self.packages.iter().filter(|(_, p)| p.data.admin && self.here_for(p, user.id));
                    let admins: String =
                        admins.map(|(id, _)| format!("    {id}/{id}.Admin:\n      uid=10100\n")).collect();
                    let _ = write!(out, "  Enabled Device Admins (User {}, provisioningState: 0):\n{admins}", user.id);
                }
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
                    let offers = |id: &&String| {
                        let services = s.declared(id);
                        let authenticator = "android.accounts.AccountAuthenticator";
                        self.here(id, user.id) && services.iter().any(|e| e.all("action").any(|a| a == authenticator))
                    };
                    let kinds: Vec<&String> = self.packages.keys().filter(offers).collect();
                    let _ =
                        writeln!(out, "\n  Active Sessions: 0\n\n  RegisteredServicesCache: {} services", kinds.len());
                    for id in kinds {
                        let uid = user.id * 100_000 + self.packages.get(id).map_or(0, |package| package.uid);
                        let _ = writeln!(
                            out,
                            "    ServiceInfo: AuthenticatorDescription {{type={id}}}, ComponentInfo{{{id}/{id}.AccountService}}, uid {uid}"
                        );
                    }
                }
            }
            "webviewupdate" if s.android.sdk >= 26 => {
                let web = "com.android.webview";
                let state = if self.here(web, 0) {
                    "is  installed/enabled for all users"
                } else {
                    "is NOT installed/enabled for all users"
                };
                let current = if self.here(web, 0) { format!("({web}, 126.0.6478.71)") } else { "null".into() };
                let _ = writeln!(
                    out,
                    "Current WebView Update Service state\n  Multiprocess enabled: true\n  Current WebView package (name, version): {current}\n  \
                     WebView packages:\n    Valid package {web} (versionName: 126.0.6478.71, versionCode: 647807130, targetSdkVersion: 34) {state}"
                );
            }
            other => drop(writeln!(out, "Can't find service: {other}")),
        }
        Output::ok(out)
    }
}
