//! Which packages processes belong to. The names of processes are chosen by the apps and are often not their ids; who a
//! process runs as is given by the system: the app id of its package, or of several that share it.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use crate::android::uid_named;
use crate::package::{Inventory, Metrics};

/// Processes of which something is kept.
const MOST: usize = 20_000;

/// App ids and the packages that run under each. Source of the numbers: `appId`, up to Android 12 `userId`, of the dump.
#[derive(Debug, Clone, Default)]
pub struct ProcessOwners {
    by_app: HashMap<u32, Vec<PackageId>>,
    ids: HashSet<PackageId>,
}

impl ProcessOwners {
    /// The packages of an inventory.
    pub fn of(inventory: &Inventory) -> Self {
        let mut by_app: HashMap<u32, Vec<PackageId>> = HashMap::new();
        for package in inventory.packages.values() {
            if let Some(uid) = package.about.uid {
                by_app.entry(uid).or_default().push(package.id.clone());
            }
        }
        Self { by_app, ids: inventory.packages.keys().cloned().collect() }
    }
}

/// A process, as `ps` lists it.
#[derive(Debug, Clone)]
struct Process {
    pid: u32,
    parent: u32,
    owner: Option<Owner>,
    name: String,
}

/// Who a process runs as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Owner {
    user: UserId,
    /// `None` for a process that is kept apart from its app, as those of web pages are.
    app: Option<u32>,
}

/// Who `ps` names: `u0_a123`, `u10_system`, `radio`, `1010123`; for what is kept apart `u0_i7`, `u0_ai7`.
fn owner(word: &str) -> Option<Owner> {
    let (user, name) = match word.strip_prefix('u').and_then(|rest| rest.split_once('_')) {
        Some((user, name)) => (user.parse().ok()?, name),
        None => (UserId::OWNER, word),
    };
    let number = |text: &str| text.parse::<u32>().ok();
    if let Some(app) = name.strip_prefix('a').and_then(number) {
        return Some(Owner { user, app: Some(app.checked_add(10_000)?) });
    }
    if name.trim_start_matches(['a', 'i']).parse::<u32>().is_ok() && name.starts_with(['a', 'i']) {
        return Some(Owner { user, app: None });
    }
    if let Some(uid) = number(name) {
        return Some(Owner { user: UserId::new(uid / 100_000), app: Some(uid % 100_000) });
    }
    uid_named(name).map(|app| Owner { user, app: Some(app) })
}

/// What of a process's memory was told.
#[derive(Debug, Clone)]
struct Share {
    pid: u32,
    name: String,
    kib: u64,
}

/// The processes of a device and what they hold, as they are told.
#[derive(Debug, Clone, Default)]
pub(super) struct Processes {
    all: Vec<Process>,
    shares: Vec<Share>,
}

/// The packages that may own a process.
enum Owned<'a> {
    By(&'a PackageId),
    /// By one or several of those that share a user.
    ByOneOfThem,
    Unknown,
}

impl Processes {
    /// A line of `ps`: who, number, number of the parent, and last the name.
    pub(super) fn read_process(&mut self, line: &str) {
        let words: Vec<&str> = line.split_whitespace().collect();
        let [who, pid, parent, .., name] = words.as_slice() else { return };
        let (Ok(pid), Ok(parent)) = (pid.parse(), parent.parse()) else { return };
        if self.all.len() < MOST {
            self.all.push(Process { pid, parent, owner: owner(who), name: (*name).to_owned() });
        }
    }

    /// A line of the list of `meminfo`: `345,678K: com.android.systemui (pid 1234)`; older `345678 kB: com.x (pid 1234 / activities)`.
    pub(super) fn read_share(&mut self, line: &str) {
        let Some((number, rest)) = line.trim().split_once(": ") else { return };
        let digits: String = number.chars().filter(char::is_ascii_digit).take(12).collect();
        let (name, after) = rest.split_once(' ').unwrap_or((rest, ""));
        let pid = after.trim_start().strip_prefix("(pid ").map(|pid| pid.split([' ', ')']).next().unwrap_or(""));
        if let (Ok(kib), Some(Ok(pid))) = (digits.parse(), pid.map(str::parse))
            && self.shares.len() < MOST
        {
            self.shares.push(Share { pid, name: name.to_owned(), kib });
        }
    }

    /// Whether any was listed.
    pub(super) fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    /// Whether the memory of any was.
    pub(super) fn has_shares(&self) -> bool {
        !self.shares.is_empty()
    }

    /// Apps begin as copies of a process of the system; what else runs is no app's.
    fn of_apps(&self) -> impl Iterator<Item = &Process> {
        let nests: HashSet<u32> = self.all.iter().filter(|p| p.name.contains("zygote")).map(|p| p.pid).collect();
        let is_app = move |p: &&Process| match nests.is_empty() {
            true => p.name.contains('.') || p.name == "system_server",
            false => nests.contains(&p.parent) && !p.name.contains("zygote"),
        };
        self.all.iter().filter(is_app)
    }

    /// Writes down what runs, and the memory that it uses.
    pub(super) fn tell(&self, owners: &ProcessOwners, metrics: &mut Metrics) {
        let framework: Option<PackageId> = "android".parse().ok();
        let owned = |process: &Process| match (&process.owner, &framework) {
            (_, Some(id)) if process.name == "system_server" || process.name == "system" => {
                owners.ids.get(id).map_or(Owned::Unknown, Owned::By)
            }
            (None, _) => Owned::Unknown,
            (Some(owner), _) => owners.owned(*owner, &process.name),
        };
        let mut by_pid: HashMap<u32, &Process> = HashMap::new();
        // Which processes the packages have that share a user.
        let mut shared: HashMap<Owner, &str> = HashMap::new();
        for process in self.of_apps() {
            by_pid.insert(process.pid, process);
            let Some(owner) = process.owner else { continue };
            match owned(process) {
                Owned::By(id) => {
                    metrics.running.insert((id.clone(), owner.user));
                    shared.entry(owner).or_insert(&process.name);
                }
                // The name of what nobody can be told apart in says more than that of another's own.
                Owned::ByOneOfThem => drop(shared.insert(owner, &process.name)),
                Owned::Unknown => {}
            }
        }
        for (owner, name) in shared {
            let members = owner.app.and_then(|app| owners.by_app.get(&app)).filter(|members| members.len() > 1);
            let name: Arc<str> = name.into();
            for id in members.into_iter().flatten() {
                if !metrics.running.contains(&(id.clone(), owner.user)) {
                    metrics.may_run.entry(id.clone()).or_default().insert(owner.user, Arc::clone(&name));
                }
            }
        }
        for share in &self.shares {
            let process = by_pid
                .get(&share.pid)
                .filter(|p| p.name == share.name || (share.name == "system" && p.name == "system_server"));
            let id = match process.map(|p| owned(p)) {
                Some(Owned::By(id)) => Some(id),
                Some(_) => None,
                // It was not there yet when processes were listed.
                None if share.name == "system" => framework.as_ref().and_then(|id| owners.ids.get(id)),
                None => owners.named(&share.name),
            };
            if let Some(id) = id {
                let sum = metrics.memory.entry(id.clone()).or_default();
                *sum = sum.saturating_add(share.kib.saturating_mul(1024));
            }
        }
    }
}

impl ProcessOwners {
    /// The package that a process is named after.
    fn named(&self, process: &str) -> Option<&PackageId> {
        let id: PackageId = process.split(':').next()?.parse().ok()?;
        self.ids.get(&id)
    }

    fn owned(&self, owner: Owner, name: &str) -> Owned<'_> {
        // `com.x:remote` and `com.x.push` are com.x's, if nobody has a longer name.
        let begins = |id: &&PackageId| {
            name.strip_prefix(id.as_str()).is_some_and(|rest| rest.is_empty() || rest.starts_with([':', '.']))
        };
        let Some(app) = owner.app else {
            return self.named(name).map_or(Owned::Unknown, Owned::By);
        };
        match self.by_app.get(&app).map(Vec::as_slice) {
            None | Some([]) => Owned::Unknown,
            Some([only]) => Owned::By(only),
            Some(members) => match members.iter().filter(begins).max_by_key(|id| id.as_str().len()) {
                Some(id) => Owned::By(id),
                None => Owned::ByOneOfThem,
            },
        }
    }
}

#[cfg(test)]
pub(super) mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use crate::package::{Package, PackageKind};

    pub(in crate::read) fn owners(all: &[(&str, u32)]) -> ProcessOwners {
        let packages = all.iter().map(|(id, uid)| {
            let mut package = Package::bare(id.parse().unwrap(), PackageKind::System, BTreeMap::new());
            package.about.uid = Some(*uid);
            (package.id.clone(), Arc::new(package))
        });
        ProcessOwners::of(&Inventory {
            users: Vec::new(),
            packages: packages.collect(),
            essential: crate::package::Essentials::default(),
            gaps: Vec::new(),
        })
    }

    /// From a phone's list: what shares a user, processes with names of their own, native ones, web pages.
    const LIST: &str = "USER           PID  PPID    RSS NAME\nroot             1     0   9000 init\nroot           400     1  50000 zygote64\n\
system         310     1   9000 surfaceflinger\nsystem         700   400 300000 system_server\nradio          801   400  90000 com.android.phone\n\
u0_a55         802   400  90000 com.vendor.persistent\nu0_a66         803   400  90000 android.process.acore\nu10_a66        804   400  90000 android.process.acore\n\
u0_i12         805   400  90000 com.browser:sandboxed_process0:org.chromium.content.app.SandboxedProcessService0:0\nu0_a70         806   400  90000 com.browser\n\
1010070        807   400  90000 com.browser:push\nu0_a99         808   400  90000 com.nobody\nu0_a55         809   310  90000 com.vendor.tool\n";

    fn known() -> ProcessOwners {
        owners(&[
            ("android", 1000),
            ("com.android.settings", 1000),
            ("com.android.phone", 1001),
            ("com.android.providers.telephony", 1001),
            ("com.vendor.services", 10_055),
            ("com.android.providers.contacts", 10_066),
            ("com.android.providers.userdictionary", 10_066),
            ("com.browser", 10_070),
            ("com.idle", 10_071),
        ])
    }

    #[test]
    fn processes_belong_to_whom_they_run_as() {
        let mut processes = Processes::default();
        LIST.lines().for_each(|line| processes.read_process(line));
        for line in [
            "  345,678K: com.vendor.persistent (pid 802)",
            "  1,000K: android.process.acore (pid 803)",
            "  2,000K: system (pid 700)",
            "  3,000K: com.browser:push (pid 807)",
            "  4,000K: com.browser:sandboxed_process0 (pid 999 / activities)",
            "  5,000K: surfaceflinger (pid 310)",
            "  7,000K: com.idle (pid 802)",
        ] {
            processes.read_share(line);
        }
        let mut told = Metrics::default();
        processes.tell(&known(), &mut told);
        let running: Vec<String> = told.running.iter().map(|(id, user)| format!("{id} {user}")).collect();
        assert_eq!(
            running,
            ["android 0", "com.android.phone 0", "com.browser 0", "com.browser 10", "com.vendor.services 0"]
        );
        let may: Vec<String> = told
            .may_run
            .iter()
            .flat_map(|(id, users)| users.iter().map(move |(user, name)| format!("{id} {user} {name}")))
            .collect();
        assert_eq!(
            may,
            [
                "com.android.providers.contacts 0 android.process.acore",
                "com.android.providers.contacts 10 android.process.acore",
                "com.android.providers.telephony 0 com.android.phone",
                "com.android.providers.userdictionary 0 android.process.acore",
                "com.android.providers.userdictionary 10 android.process.acore",
                "com.android.settings 0 system_server",
            ]
        );
        let memory: Vec<String> = told.memory.iter().map(|(id, bytes)| format!("{id} {}", bytes / 1024)).collect();
        // The number has been given to another process since: its name says whose.
        assert_eq!(memory, ["android 2000", "com.browser 7000", "com.idle 7000", "com.vendor.services 345678"]);
    }

    #[test]
    fn who_a_process_runs_as() {
        for (word, expected) in [
            ("u0_a123", Some((0, Some(10_123)))),
            ("u10_a5", Some((10, Some(10_005)))),
            ("u10_system", Some((10, Some(1000)))),
            ("radio", Some((0, Some(1001)))),
            ("1010123", Some((10, Some(10_123)))),
            ("u0_i12", Some((0, None))),
            ("u0_ai3", Some((0, None))),
            ("u0_a4294967295", None),
            ("logd", None),
            ("ux_a1", None),
            ("", None),
        ] {
            assert_eq!(owner(word).map(|o| (o.user.number(), o.app)), expected, "{word}");
        }
    }

    proptest::proptest! {
        #[test]
        fn any_lines_are_read(lines in proptest::collection::vec("(u0_a[0-9]{1,5}|root|.{0,9}) [0-9]{1,6} [0-9]{1,6} .{0,20}|.{0,60}", 0..20)) {
            let mut processes = Processes::default();
            for line in &lines {
                processes.read_process(line);
                processes.read_share(line);
            }
            processes.tell(&known(), &mut Metrics::default());
        }
    }
}
