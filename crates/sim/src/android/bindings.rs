//! Who uses whose services and providers at this moment: `dumpsys activity services` and `dumpsys activity providers`. Sources:
//! `ActiveServices.newServiceDumperLocked`, `ServiceRecord.dump`, `IntentBindRecord.dumpInService`, `ProviderMap.dump`,
//! `ContentProviderConnection.toClientString`.

use std::fmt::Write as _;

use super::output::Output;
use super::state::State;
use crate::catalogue::manifests::Element;
use crate::catalogue::usage;
use crate::seed::mix;

/// What the system holds on to all the time, without "android.permission.BIND_". Screen savers and printers it holds while they are at
/// work, of keyboards the chosen one.
const HELD: [&str; 7] = [
    "CARRIER_SERVICES",
    "IMS_SERVICE",
    "INCALL_SERVICE",
    "NOTIFICATION_LISTENER_SERVICE",
    "TELECOM_CONNECTION_SERVICE",
    "VOICE_INTERACTION",
    "WALLPAPER",
];

/// A process as records show it: `pid:name/uid`.
fn shown(pid: usize, name: &str, uid: u32, user: u32) -> String {
    match uid {
        ..10_000 => format!("{pid}:{name}/{}", user * 100_000 + uid),
        _ => format!("{pid}:{name}/u{user}a{}", uid - 10_000),
    }
}

/// How an object is told apart from others: by a number that says nothing.
fn number(of: &str) -> String {
    format!("{:x}", mix(of) & 0x0fff_ffff)
}

/// The full name of a class as records shorten it: without the package where it begins with that.
fn short(id: &str, class: &str) -> String {
    let full = if class.starts_with('.') { format!("{id}{class}") } else { class.to_owned() };
    match full.strip_prefix(id).filter(|rest| rest.starts_with('.')) {
        Some(rest) => format!("{id}/{rest}"),
        None => format!("{id}/{full}"),
    }
}

impl State {
    /// Packages with a process of theirs, for a user.
    fn running(&self, user: u32) -> impl Iterator<Item = &String> + '_ {
        let runs = move |id: &&String| {
            let chosen = self.types(id, user);
            self.here(id, user)
                && (chosen || usage::memory(id).is_some() && !self.packages[*id].code_path().contains("/overlay/"))
        };
        self.packages.keys().filter(runs)
    }

    /// The process of a package.
    fn process_of(&self, id: &str, user: u32) -> String {
        let package = &self.packages[id];
        let (name, uid) = (package.process(), package.uid);
        let user = if name == "system" { 0 } else { user };
        let all = self.processes();
        let listed = all.iter().position(|(own, of, by, _)| own == name && *of == uid && *by == user);
        shown(listed.map_or_else(|| 2000 + (mix(name) % 3000) as usize, |at| 800 + at), name, uid, user)
    }

    /// Who of those that run asks for a name of a part, beside the package itself.
    fn asking(&self, part: &Element, of: &str, key: &str, by: &str, user: u32) -> Vec<String> {
        let names: Vec<&str> = part.all(by).flat_map(|names| names.split(';')).collect();
        let asks = |id: &&String| {
            let declared = self.scenario.declared(id);
            let mut asked = declared.iter().filter(|e| e.kind == "asks").flat_map(|e| e.all(key));
            **id != of && asked.any(|name| names.contains(&name))
        };
        self.running(user).filter(asks).map(|id| self.process_of(id, user)).collect()
    }

    pub(super) fn bound_services(&self) -> Output {
        let mut out = String::from("ACTIVITY MANAGER SERVICES (dumpsys activity services)\n");
        for user in self.scenario.users.iter().filter(|user| user.running) {
            let user = user.id;
            let _ = writeln!(out, "  User {user} active services:");
            for id in self.running(user) {
                for part in self.scenario.declared(id).into_iter().filter(|part| part.kind == "service") {
                    let mut clients = self.asking(part, id, "action", "action", user);
                    let guard = part.one("guard").and_then(|guard| guard.strip_prefix("android.permission.BIND_"));
                    if guard
                        .is_some_and(|guard| HELD.contains(&guard) || guard == "INPUT_METHOD" && self.types(id, user))
                    {
                        clients.insert(0, "640:system/1000".into());
                    }
                    if clients.is_empty() {
                        continue;
                    }
                    let name = short(id, &part.class);
                    let action = part.one("action").unwrap_or("");
                    let process = self.process_of(id, user);
                    let _ = write!(
                        out,
                        "  * ServiceRecord{{{} u{user} {name}}}\n    intent={{cmp={name}}}\n    packageName={id}\n    processName={}\n    \
                         baseDir={}\n    app=ProcessRecord{{{} {process}}}\n    createTime=-3h2m1s120ms startingBgTimeout=--\n    Bindings:\n    \
                         * IntentBindRecord{{{} CREATE}}:\n      intent={{act={action} cmp={name}}}\n      binder=android.os.BinderProxy@{}\n      \
                         requested=true received=true hasBound=true doRebind=false\n",
                        number(&name),
                        self.packages[id].process(),
                        self.packages[id].apk(),
                        number(&process),
                        number(action),
                        number(&format!("{name} binder")),
                    );
                    for client in &clients {
                        let _ = write!(
                            out,
                            "      * Client AppBindRecord{{{} ProcessRecord{{{} {client}}}}}\n        Per-process Connections:\n          \
                             ConnectionRecord{{{} u{user} CR {name}:@{}}}\n",
                            number(&format!("{name} {client}")),
                            number(client),
                            number(&format!("{client} {name}")),
                            number(client),
                        );
                    }
                    out.push_str("    All Connections:\n");
                    for client in &clients {
                        let from = number(&format!("{client} {name}"));
                        let _ = writeln!(out, "      ConnectionRecord{{{from} u{user} CR {name}:@{}}}", number(client));
                    }
                    out.push('\n');
                }
            }
        }
        Output::ok(out)
    }

    pub(super) fn open_providers(&self) -> Output {
        let mut out = String::from("ACTIVITY MANAGER CONTENT PROVIDERS (dumpsys activity providers)\n");
        for user in self.scenario.users.iter().filter(|user| user.running) {
            let user = user.id;
            let _ = writeln!(out, "  Published user {user} content providers (by class):");
            // A provider that somebody holds open runs for them.
            for id in self.packages.keys().filter(|id| self.here(id, user)) {
                for part in self.scenario.declared(id).into_iter().filter(|part| part.kind == "provider") {
                    let mut clients = self.asking(part, id, "authority", "authority", user);
                    // Settings are read by everybody, and first by the system itself.
                    if part.one("authority") == Some("settings") {
                        clients.extend(self.running(user).filter(|own| *own != id).map(|id| self.process_of(id, user)));
                        clients.sort();
                        clients.dedup();
                        clients.insert(0, "640:system/1000".into());
                    }
                    if clients.is_empty() {
                        continue;
                    }
                    let name = short(id, &part.class);
                    let process = self.process_of(id, user);
                    let _ = write!(
                        out,
                        "  * ContentProviderRecord{{{} u{user} {name}}}\n    package={id} process={}\n    proc=ProcessRecord{{{} {process}}}\n    \
                         uid={} provider=android.content.ContentProviderProxy@{}\n    authority={}\n    isSyncable=false multiprocess=false initOrder=0\n    Connections:\n",
                        number(&name),
                        self.packages[id].process(),
                        number(&process),
                        user * 100_000 + self.packages[id].uid,
                        number(&format!("{name} proxy")),
                        part.one("authority").unwrap_or(""),
                    );
                    for client in &clients {
                        let _ = writeln!(out, "      -> {} {client} s1/1 u0/0 +2h3m4s5ms", number(client));
                    }
                    out.push('\n');
                }
            }
        }
        Output::ok(out)
    }

    /// How each user's screen is locked, which came with Android 11; a profile's own word is made up by the system where people
    /// set none. Source: `LockSettingsService.dump`.
    pub(super) fn screen_locks(&self) -> Output {
        use crate::scenario::ScreenLock;
        let mut out = String::from("Current lock settings service state:\n\nUser State:\n");
        for user in &self.scenario.users {
            let (quality, word) = match self.scenario.locked_with {
                _ if user.flags & 0x20 != 0 => (327_680, "PASSWORD"),
                ScreenLock::None => (0, "NONE"),
                ScreenLock::Pattern => (65_536, "PATTERN"),
                ScreenLock::Pin => (131_072, "PIN"),
                ScreenLock::Password => (327_680, "PASSWORD"),
            };
            let _ = write!(
                out,
                "  User {}\n    SP Handle: 5c8a1f0e2b7d4c31\n    Last changed: 2026-10-02 08:11:40 (5c8a1f0e2b7d4c31)\n    SID: 1f2e3d4c5b6a7988\n    \
                 Quality: {quality}\n    CredentialType: {word}\n    SeparateChallenge: false\n",
                user.id
            );
        }
        Output::ok(out)
    }
}
