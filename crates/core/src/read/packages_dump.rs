//! `dumpsys package`, of which the packages and their states are read.
//!
//! The text is fed in pieces and read line by line; nothing but the packages is kept. The layout
//! as AOSP's `Settings.dumpPackagesLPr` prints it, from Android 4.4 to 16:
//!
//! ```text
//! Packages:
//!   Package [com.android.calendar] (1f2e3d):
//!     codePath=/system/app/Calendar
//!     versionName=14
//!     flags=[ SYSTEM HAS_CODE ]
//!     User 0: ceDataInode=1 installed=true hidden=false suspended=false stopped=false enabled=0
//! Hidden system packages:
//!   Package [com.android.calendar] (4a5b6c):
//! ```

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

use wibbet_types::{DevicePath, DeviceTime, PackageId, PlainText, UserId};

use super::lines::Lines;
use crate::ask::says_not_ready;
use crate::package::{Enabled, PackageDetails, PackageKind, PackageState};

/// A package as the dump shows it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DumpedPackage {
    /// `codePath`.
    pub path: Option<DevicePath>,
    /// `versionName`.
    pub version: PlainText,
    /// The flag `SYSTEM`.
    pub system: bool,
    /// The flag `UPDATED_SYSTEM_APP`.
    pub updated: bool,
    /// The lines of the users: [`PackageState::UNREADABLE`] for one that is not whole, or is not the only one of its
    /// user.
    pub states: BTreeMap<UserId, PackageState>,
    /// The name of a static library, as its manifest and lists have it.
    pub library: Option<PackageId>,
    /// Its code is there.
    pub has_code: bool,
    /// Its code has gone; what is told are its settings.
    pub code_gone: bool,
    /// The rest of what is told.
    pub about: PackageDetails,
}

/// What a dump shows.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PackageDump {
    /// The packages.
    pub packages: BTreeMap<PackageId, DumpedPackage>,
    /// Packages with a factory version under an update.
    pub factory_versions: BTreeSet<PackageId>,
    /// Packages that the service says it cannot find.
    pub not_found: Vec<PackageId>,
    /// Not a word came.
    pub silent: bool,
    /// The package service is not up yet.
    pub not_ready: bool,
    /// What is missing or could not be read, in words.
    pub gaps: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Section {
    Other,
    Packages,
    FactoryVersions,
}

/// A list within a package.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum List {
    /// Permissions that it declares.
    Declared,
    /// Permissions that it asks for.
    Requested,
    /// Permissions given to all users, or to one.
    Granted(Option<UserId>),
    /// Classes of parts that are off, or on, otherwise than by its manifest.
    Parts(UserId, bool),
    /// What names a static library.
    Library,
}

/// The most permissions of a package that are kept.
const MOST_PERMISSIONS: usize = 4000;

/// The most parts of a package that are kept for a user.
const MOST_PARTS: usize = 500;

/// The most packages that are kept. Devices have some hundreds.
const MOST_PACKAGES: usize = 20_000;

/// The most users whose states of a package are kept. Android has no more than some tens.
pub(super) const MOST_USERS: usize = 200;

/// How much is kept of what a dump tells, in bytes, roughly: more than a device with 2,000 packages has.
const MOST_KEPT: usize = 16 << 20;

/// What a word or a state takes in memory beside its bytes, roughly.
const BESIDE: usize = 32;

/// Reads a dump in pieces.
#[derive(Debug)]
pub struct DumpReader {
    lines: Lines,
    section: Section,
    list: Option<List>,
    user: Option<UserId>,
    seen_packages: bool,
    /// Anything but empty lines has come.
    spoken: bool,
    open: Option<(PackageId, DumpedPackage)>,
    dump: PackageDump,
    odd_ids: usize,
    twice: usize,
    too_many: bool,
    /// How much may still be kept.
    room: usize,
    /// Permissions that were named before: most apps ask for the same ones.
    names: HashSet<Arc<str>>,
}

impl Default for DumpReader {
    fn default() -> Self {
        Self {
            lines: Lines::default(),
            section: Section::Other,
            list: None,
            user: None,
            seen_packages: false,
            spoken: false,
            open: None,
            dump: PackageDump::default(),
            odd_ids: 0,
            twice: 0,
            too_many: false,
            room: MOST_KEPT,
            names: HashSet::new(),
        }
    }
}

impl DumpReader {
    /// Reads a piece.
    pub fn feed(&mut self, piece: &[u8]) {
        let mut lines = std::mem::take(&mut self.lines);
        lines.feed(piece, 0, &mut |line| self.read_line(line));
        self.lines = lines;
    }

    /// Ends the dump.
    pub fn finish(mut self) -> PackageDump {
        let mut lines = std::mem::take(&mut self.lines);
        let cut = lines.is_within_a_line();
        lines.finish(&mut |line| self.read_line(line));
        if cut {
            self.doubt_open();
        }
        self.close_package();
        self.dump.silent = !self.spoken;
        if !self.seen_packages && self.dump.not_found.is_empty() {
            self.dump.gaps.push("the device reported nothing about its packages".into());
        }
        if self.odd_ids > 0 {
            self.dump.gaps.push(format!("{} packages have ids that cannot be ids", self.odd_ids));
        }
        if self.twice > 0 {
            self.dump.gaps.push(format!("{} packages are reported more than once, and not believed", self.twice));
        }
        if self.too_many {
            self.dump.gaps.push("the device reported more about its packages than any device has to tell".into());
        }
        self.dump
    }

    /// Whether there is room for so many bytes more.
    fn keep(&mut self, bytes: usize) -> bool {
        match self.room.checked_sub(bytes + BESIDE) {
            Some(room) => self.room = room,
            None => self.too_many = true,
        }
        !self.too_many
    }

    /// The name of a permission, kept once however many ask for it.
    fn name(&mut self, name: &str) -> Option<Arc<str>> {
        let known = self.names.get(name).cloned();
        if !self.keep(if known.is_some() { 0 } else { name.len() }) {
            return None;
        }
        known.or_else(|| {
            let name: Arc<str> = name.into();
            self.names.insert(name.clone());
            Some(name)
        })
    }

    /// The package that is being read was not told to its end.
    fn doubt_open(&mut self) {
        if let Some((_, package)) = &mut self.open {
            package.doubt();
        }
    }

    fn read_line(&mut self, line: &str) {
        self.spoken |= !line.trim().is_empty();
        // From Android 7 to 12 the sections about compiling say it, further in.
        if self.section == Section::Other
            && let Some(id) = line.trim_start().strip_prefix("Unable to find package:")
        {
            let id = id.trim().parse::<PackageId>().ok();
            let id = id.filter(|id| !self.dump.not_found.contains(id) && self.dump.not_found.len() < 100);
            self.dump.not_found.extend(id);
        }
        if !line.starts_with(' ') && !line.is_empty() {
            let out_of_time = line.contains("DUMP TIMEOUT");
            if out_of_time {
                self.doubt_open();
            }
            self.close_package();
            self.section = match line.trim_end() {
                "Packages:" => Section::Packages,
                "Hidden system packages:" => Section::FactoryVersions,
                _ => Section::Other,
            };
            self.seen_packages |= self.section == Section::Packages;
            if out_of_time && self.dump.gaps.len() < 100 {
                self.dump.gaps.push("the device ran out of time while it reported its packages".into());
            }
            if says_not_ready(line) && !self.dump.not_ready {
                self.dump.not_ready = true;
                self.dump.gaps.push("the package service is not up yet".into());
            }
            return;
        }
        match self.section {
            Section::Other => {}
            Section::Packages => self.read_package_line(line),
            Section::FactoryVersions => {
                if let Some(Ok(id)) = header(line)
                    && self.keep(id.as_str().len())
                {
                    self.dump.factory_versions.insert(id);
                }
            }
        }
    }

    fn read_package_line(&mut self, line: &str) {
        if let Some(id) = header(line) {
            self.close_package();
            match id {
                Ok(id) => self.open = Some((id, DumpedPackage::default())),
                Err(()) => self.odd_ids += 1,
            }
            return;
        }
        if self.open.is_none() {
            return;
        }
        let line = line.trim_start();
        if let Some(list) = list_head(line, self.user) {
            self.list = Some(list);
        } else if let Some((user, words)) = line.strip_prefix("User ").and_then(|l| l.split_once(':')) {
            self.list = None;
            self.user = user.parse::<UserId>().ok();
            if let Some(user) = self.user
                && self.keep(0)
                && let Some((_, package)) = &mut self.open
            {
                if package.states.len() >= MOST_USERS && !package.states.contains_key(&user) {
                    self.too_many = true;
                    return;
                }
                let known = package.states.entry(user);
                // Of two lines of one user none is believed: an app may have written one of them about itself.
                known.and_modify(|state| *state = PackageState::UNREADABLE).or_insert_with(|| read_state(words));
            }
        } else if let (Some(List::Parts(user, on)), true) = (self.list, is_class(line)) {
            if let Some(class) = self.name(line.trim_end())
                && let Some((_, package)) = &mut self.open
            {
                let parts = package.about.parts.entry(user).or_default();
                let parts = if on { &mut parts.on } else { &mut parts.off };
                if parts.len() < MOST_PARTS {
                    parts.push(class);
                }
            }
        } else if let (Some(List::Library), Some(name)) = (self.list, line.strip_prefix("name:")) {
            self.list = None;
            if let Some((_, package)) = &mut self.open {
                package.library = name.split(' ').next().and_then(|name| name.parse().ok());
            }
        } else if let Some(id) = line.strip_prefix("compat name=").map(|id| id.trim_end().parse()) {
            // The header has the name of its manifest; the system goes on keeping it under this one.
            // It stands right below the header: what comes later an app may have written, in the name of its version.
            if let (Some((known, package)), Ok(id)) = (&mut self.open, id)
                && *package == DumpedPackage::default()
            {
                *known = id;
            }
        } else if let (Some(list), Some((name, given))) = (self.list, permission(line)) {
            if (given || list == List::Requested || list == List::Declared)
                && let Some(name) = self.name(name)
                && let Some((_, package)) = &mut self.open
            {
                take_permission(&mut package.about, list, name);
            }
        } else {
            self.list = None;
            if let (Some(user), Some((_, package))) = (self.user, &mut self.open) {
                read_fact_of_user(package, user, line);
            }
            if (!is_long_fact(line) || self.keep(line.len()))
                && let Some((_, package)) = &mut self.open
            {
                read_fact(package, line);
            }
        }
    }

    fn close_package(&mut self) {
        (self.list, self.user) = (None, None);
        let Some((id, mut package)) = self.open.take() else { return };
        if package.code_gone {
            // Up to Android 13 the flag of the last user says the contrary.
            package.states.values_mut().for_each(|state| state.installed = false);
        }
        if let Some(first) = self.dump.packages.get_mut(&id) {
            first.doubt();
            self.twice += 1;
        } else if self.dump.packages.len() < MOST_PACKAGES && self.keep(size_of::<DumpedPackage>()) {
            self.dump.packages.insert(id, package);
        } else {
            self.too_many = true;
        }
    }
}

impl DumpedPackage {
    /// Where it comes from; `factory` where a factory version stands under it.
    pub fn kind(&self, factory: bool) -> PackageKind {
        // What is on the data partition without a version under it came from elsewhere, whatever else it says of itself.
        let came_later = self.path.as_ref().is_some_and(|path| path.as_str().starts_with("/data/app/")) && !factory;
        match (self.system && !came_later, self.updated || factory) {
            _ if self.library.is_some() => PackageKind::Library,
            (true, true) => PackageKind::UpdatedSystem,
            (true, false) => PackageKind::System,
            (false, _) => PackageKind::User,
        }
    }

    /// Nothing that was told of its states is believed.
    fn doubt(&mut self) {
        self.states.values_mut().for_each(|state| *state = PackageState::UNREADABLE);
    }
}

/// The id in `  Package [ID] (hash):`.
fn header(line: &str) -> Option<Result<PackageId, ()>> {
    let rest = line.strip_prefix("  Package [")?;
    let (id, rest) = rest.split_once(']')?;
    // A number that tells objects apart, in hex.
    let number = rest.trim().strip_prefix('(')?.strip_suffix("):")?;
    let is_number = !number.is_empty() && number.bytes().all(|b| b.is_ascii_hexdigit());
    is_number.then(|| id.parse().map_err(|_| ()))
}

pub(super) fn take_permission(about: &mut PackageDetails, list: List, name: Arc<str>) {
    match list {
        List::Declared if about.declares.len() < MOST_PERMISSIONS => about.declares.push(name),
        List::Requested if about.requests.len() < MOST_PERMISSIONS => about.requests.push(name),
        List::Granted(None) if about.granted.len() < MOST_PERMISSIONS => {
            about.granted.insert(name);
        }
        List::Granted(Some(user)) => {
            let granted = about.granted_to.entry(user).or_default();
            if granted.len() < MOST_PERMISSIONS {
                granted.insert(name);
            }
        }
        _ => {}
    }
}

pub(super) fn list_head(line: &str, user: Option<UserId>) -> Option<List> {
    Some(match line.trim_end() {
        "declared permissions:" => List::Declared,
        "requested permissions:" => List::Requested,
        "install permissions:" | "grantedPermissions:" => List::Granted(None),
        "runtime permissions:" => List::Granted(user),
        "disabledComponents:" => List::Parts(user?, false),
        "enabledComponents:" => List::Parts(user?, true),
        "static library:" => List::Library,
        _ => return None,
    })
}

/// A permission's name and whether it is given: `android.permission.CAMERA: granted=false, flags=[ … ]`. Old dumps
/// list only those that are given.
pub(super) fn permission(line: &str) -> Option<(&str, bool)> {
    let (name, rest) = line.trim_end().split_once(':').unwrap_or((line.trim_end(), ""));
    let is_name =
        name.contains('.') && name.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'-'));
    is_name.then(|| (name, !rest.contains("granted=false")))
}

/// Whether a line can be the name of a class.
fn is_class(line: &str) -> bool {
    let name = line.trim_end();
    let fits = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$' | b'-');
    !name.is_empty() && name.len() <= 500 && name.bytes().all(fits)
}

/// What stands under the line of a user.
fn read_fact_of_user(package: &mut DumpedPackage, user: UserId, line: &str) {
    let Some((name, value)) = line.split_once('=') else { return };
    let value = value.split_whitespace().next().unwrap_or("");
    match name {
        // `PackageManager.UNINSTALL_REASON_USER_TYPE`: it is not meant for users of that kind, and never was there.
        "uninstallReason" if value == "1" => {
            if let Some(state) = package.states.get_mut(&user).filter(|state| !state.installed && !state.unreadable) {
                *state = PackageState::ABSENT;
            }
        }
        // Android 15 on: its code went, its icon and data stayed.
        "archiveTime" | "archiveActivityInfo" | "archiveState"
            if package.states.get(&user).is_some_and(|state| !state.installed && !state.unreadable) =>
        {
            package.about.archived.insert(user);
        }
        "suspendingPackage" => {
            if let Ok(by) = value.parse() {
                package.about.suspended_by.insert(user, by);
            }
        }
        _ => {}
    }
}

/// Android lets letters, digits, `_` and `.` be in the name of a part (`FrameworkParsingPackageUtils.validateName`); languages
/// with a script have a `+` in it. Whatever else a device says is none.
fn is_split_name(name: &str) -> bool {
    !name.is_empty()
        && name.len() <= 255
        && name.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'+' | b'-'))
}

/// Whether a line is a fact of which text is kept.
fn is_long_fact(line: &str) -> bool {
    ["codePath=", "versionName=", "sharedUser=", "splits=", "installerPackageName="]
        .iter()
        .any(|name| line.starts_with(name))
}

/// A line like `versionCode=34 minSdk=34 targetSdk=34`.
fn read_fact(package: &mut DumpedPackage, line: &str) {
    let Some((name, value)) = line.split_once('=') else { return };
    let value = value.trim_end();
    let about = &mut package.about;
    match name {
        "pkg" if value == "null" => package.code_gone = !package.has_code,
        "pkg" => package.has_code = true,
        // It stands before all that an app may have written itself.
        "codePath" if package.path.is_none() => package.path = value.parse().ok(),
        "versionName" => package.version = PlainText::new(value),
        "flags" | "pkgFlags" => {
            for flag in value.split(['[', ' ', ']']) {
                package.system |= flag == "SYSTEM";
                package.updated |= flag == "UPDATED_SYSTEM_APP";
            }
        }
        "versionCode" => {
            let mut words = value.split(' ');
            about.version_code = words.next().and_then(|n| n.parse().ok());
            for (name, number) in words.filter_map(|w| w.split_once('=')) {
                match name {
                    "minSdk" => about.min_sdk = number.parse().ok(),
                    "targetSdk" => about.target_sdk = number.parse().ok(),
                    _ => {}
                }
            }
        }
        // Android 5 to 12 call it userId, although it is the app's.
        "appId" | "userId" => about.uid = value.split(' ').next().and_then(|n| n.parse().ok()),
        "sharedUser" => {
            // SharedUserSetting{1f2e3d android.uid.system/1000}
            let name = value.split_once(' ').and_then(|(_, rest)| rest.split('/').next());
            about.shared_user = name.map(PlainText::new);
        }
        "splits" => {
            let names = value.trim_matches(['[', ']']).split(',').map(|s| s.split(':').next().unwrap_or("").trim());
            about.splits = names.filter(|s| is_split_name(s) && *s != "base").take(1000).map(str::to_owned).collect();
        }
        "installerPackageName" => about.installer = value.parse().ok(),
        "firstInstallTime" => {
            let first = DeviceTime::read(value);
            about.installed = about.installed.into_iter().chain(first).min();
        }
        "lastUpdateTime" => about.updated = DeviceTime::read(value),
        // Newer dumps have it on the line of the reason, for each user.
        "installReason" => {
            let first = value.split_once("firstInstallTime=").and_then(|(_, time)| DeviceTime::read(time));
            about.installed = about.installed.into_iter().chain(first).min();
        }
        _ => {}
    }
}

/// The words of a user's line: [`PackageState::UNREADABLE`] unless `installed` and `enabled` are there, and all that
/// counts has a value of those that Android prints.
fn read_state(words: &str) -> PackageState {
    let mut state = PackageState { known: true, ..PackageState::ABSENT };
    let (mut installed, mut enabled) = (None, None);
    for (name, value) in words.split_whitespace().filter_map(|w| w.split_once('=')) {
        let truth = value.parse::<bool>().ok();
        let whole = match name {
            "installed" => {
                installed = truth;
                truth.is_some()
            }
            // 4.4 called it "blocked".
            "hidden" | "blocked" => truth.map(|yes| state.hidden = yes).is_some(),
            "suspended" => truth.map(|yes| state.suspended = yes).is_some(),
            "enabled" => {
                enabled = value.parse().ok().and_then(Enabled::from_number);
                enabled.is_some()
            }
            _ => true,
        };
        if !whole {
            return PackageState::UNREADABLE;
        }
    }
    match (installed, enabled) {
        (Some(installed), Some(enabled)) => PackageState { installed, enabled, ..state },
        _ => PackageState::UNREADABLE,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::read_back::{ReadBack, read_back};
    use proptest::prelude::*;

    const NEW: &str = "\
Activity Resolver Table:
  Package [com.decoy] (0):
Packages:
  Package [com.android.calendar] (1f2e3d):
    appId=10080
    pkg=Package{77 com.android.calendar}
    sharedUser=SharedUserSetting{9a8b7c android.uid.calendar/10080}
    codePath=/data/app/~~a==/com.android.calendar-b==
    versionCode=34 minSdk=24 targetSdk=34
    versionName=14
    splits=[base, config.de, config.xxhdpi:34]
    flags=[ SYSTEM HAS_CODE UPDATED_SYSTEM_APP ]
    timeStamp=2026-01-12 08:00:00
    lastUpdateTime=2026-02-01 09:30:00
    installerPackageName=com.ostrel.market
    declared permissions:
      com.android.calendar.permission.SYNC: prot=signature, INSTALLED
    requested permissions:
      android.permission.INTERNET
      android.permission.READ_CALENDAR: restricted=true
    install permissions:
      android.permission.INTERNET: granted=true
      android.permission.VIBRATE: granted=false
    User 0: ceDataInode=5 installed=true hidden=false suspended=false distractionFlags=0 stopped=false notLaunched=false enabled=3 instant=false virtual=false
      installReason=0 firstInstallTime=2026-01-12 08:00:01
      gids=[3003]
      runtime permissions:
        android.permission.READ_CALENDAR: granted=true, flags=[ USER_SET ]
        android.permission.CAMERA: granted=false, flags=[ ]
      lastDisabledCaller: com.android.shell
    User 10: ceDataInode=0 installed=false hidden=false suspended=false stopped=true enabled=0
  Package [we/ird] (2):
    User 0: installed=true enabled=0
  Package [com.ostrel.notes] (3):
    pkgFlags=[ HAS_CODE ]
    User 0: installed=true hidden=true suspended=true enabled=0

Hidden system packages:
  Package [com.android.calendar] (99):
    codePath=/product/app/Calendar
    User 0: installed=true hidden=false enabled=0

Queries:
  Package [com.decoy] (0):
";

    /// What the names of lists, the code and the parts of a package have to do with its state. Text of Android 13.
    const ODD: &str = "\
Packages:
  Package [com.corvane.renamed] (1):
    compat name=com.corvane.dialer
    userId=10012
    pkg=Package{77 com.corvane.renamed}
    flags=[ SYSTEM HAS_CODE ]
    User 0: ceDataInode=5 installed=true hidden=false suspended=true stopped=false enabled=0
      installReason=0
      firstInstallTime=2026-01-12 08:00:01
      uninstallReason=0
      Suspend params:
        suspendingPackage=com.corvane.guardian dialogInfo=null
      lastDisabledCaller: com.android.shell
      gids=[3003]
      runtime permissions:
        android.permission.CAMERA: granted=true, flags=[ USER_SET ]
      disabledComponents:
        com.corvane.dialer.Setup
        com.corvane.dialer.Outer$Inner
      enabledComponents:
        com.corvane.dialer.Fax
    User 10: ceDataInode=0 installed=false hidden=false suspended=false stopped=true enabled=0
      uninstallReason=1
    User 11: ceDataInode=0 installed=true hidden=false suspended=false stopped=true enabled=0
      uninstallReason=1
  Package [com.ostrel.kept] (2):
    userId=10099
    pkg=null
    codePath=/data/app/com.ostrel.kept-1
    User 0: ceDataInode=5 installed=true hidden=false suspended=false stopped=false enabled=0
  Package [io.tidewrack.library_653310938] (3):
    userId=10100
    static library:
      name:io.tidewrack.library version:653310938
    flags=[ HAS_CODE ]
    requested permissions:
      android.permission.INTERNET
    User 0: ceDataInode=5 installed=true hidden=false suspended=false stopped=false enabled=0
";

    /// The name of a version may have several lines, and say what it likes.
    #[test]
    fn an_app_does_not_call_itself_gone_or_another() {
        let text = "Packages:\n  Package [com.mal] (1):\n    userId=10012\n    pkg=Package{77 com.mal}\n    versionName=1\n    pkg=null\n    \
                    compat name=com.ostrel.notes\n    User 0: ceDataInode=5 installed=true hidden=false suspended=false stopped=false enabled=0\n";
        let packages = dump(text).packages;
        assert_eq!(packages.keys().map(PackageId::as_str).collect::<Vec<_>>(), ["com.mal"]);
        assert!(packages[&id("com.mal")].states[&UserId::new(0)].installed);
    }

    #[test]
    fn renamed_kept_and_shared_packages() {
        let mut packages = dump(ODD).packages;
        let dialer = packages.remove(&id("com.corvane.dialer")).unwrap();
        let user = UserId::new;
        let parts = &dialer.about.parts[&user(0)];
        assert_eq!(
            (&*parts.off[0], &*parts.off[1], parts.off.len()),
            ("com.corvane.dialer.Setup", "com.corvane.dialer.Outer$Inner", 2)
        );
        assert_eq!((&*parts.on[0], parts.on.len(), dialer.about.parts.len()), ("com.corvane.dialer.Fax", 1, 1));
        assert_eq!(dialer.about.suspended_by[&user(0)].as_str(), "com.corvane.guardian");
        assert_eq!(dialer.about.granted_to[&user(0)].len(), 1);
        // Not meant for the one user; for the other it is, whatever was once the reason.
        assert_eq!([10, 11].map(|n| dialer.states[&user(n)].installed), [false, true]);
        assert_eq!(dialer.states[&user(10)], PackageState::ABSENT);
        let kept = packages.remove(&id("com.ostrel.kept")).unwrap();
        assert_eq!((kept.kind(false), kept.states[&user(0)].installed), (PackageKind::User, false));
        let library = packages.remove(&id("io.tidewrack.library_653310938")).unwrap();
        assert_eq!((library.kind(false), library.library), (PackageKind::Library, Some(id("io.tidewrack.library"))));
        assert_eq!((library.about.requests.len(), packages.len()), (1, 0));
    }

    fn dump(text: &str) -> PackageDump {
        let mut reader = DumpReader::default();
        reader.feed(text.as_bytes());
        reader.finish()
    }

    fn id(text: &str) -> PackageId {
        text.parse().unwrap()
    }

    #[test]
    fn a_dump_is_read() {
        let dump = dump(NEW);
        assert_eq!(dump.packages.len(), 2);
        let calendar = &dump.packages[&id("com.android.calendar")];
        assert_eq!(calendar.path.as_ref().unwrap().as_str(), "/data/app/~~a==/com.android.calendar-b==");
        assert!(calendar.system && calendar.updated && calendar.version.as_str() == "14");
        let records: Vec<String> = calendar.states.values().map(ToString::to_string).collect();
        assert_eq!(
            records,
            ["installed=1 hidden=0 suspended=0 enabled=3", "installed=0 hidden=0 suspended=0 enabled=0"]
        );
        assert_eq!(
            dump.packages[&id("com.ostrel.notes")].states[&UserId::OWNER].to_string(),
            "installed=1 hidden=1 suspended=1 enabled=0"
        );
        assert!(dump.factory_versions.contains(&id("com.android.calendar")));
        assert_eq!(dump.gaps, ["1 packages have ids that cannot be ids"]);
    }

    #[test]
    fn facts_and_permissions() {
        let about = dump(NEW).packages[&id("com.android.calendar")].about.clone();
        assert_eq!((about.version_code, about.min_sdk, about.target_sdk), (Some(34), Some(24), Some(34)));
        assert_eq!(about.splits, ["config.de", "config.xxhdpi"]);
        assert_eq!(about.installer.as_ref().map(PackageId::as_str), Some("com.ostrel.market"));
        assert_eq!(about.shared_user.as_ref().map(PlainText::as_str), Some("android.uid.calendar"));
        assert_eq!(about.uid, Some(10080));
        assert_eq!(about.updated.map(DeviceTime::date).as_deref(), Some("2026-02-01"));
        assert_eq!(about.installed.map(DeviceTime::date).as_deref(), Some("2026-01-12"));
        let texts = |names: &[Arc<str>]| names.iter().map(ToString::to_string).collect::<Vec<_>>();
        assert_eq!(texts(&about.declares), ["com.android.calendar.permission.SYNC"]);
        assert_eq!(texts(&about.requests), ["android.permission.INTERNET", "android.permission.READ_CALENDAR"]);
        for (name, owner, other) in [
            ("INTERNET", true, true),
            ("VIBRATE", false, false),
            ("READ_CALENDAR", true, false),
            ("CAMERA", false, false),
        ] {
            let name = format!("android.permission.{name}");
            assert_eq!([0, 10].map(|u| about.may(&name, UserId::new(u))), [owner, other], "{name}");
        }
    }

    #[test]
    fn names_of_parts_hold_nothing_else() {
        let odd = "a\x1b]52;c;eA==\x07, b\u{202e}c, config.b+sr+Latn, x/../y, feature_1";
        let text = format!(
            "Packages:\n  Package [com.a] (1):\n    splits=[base, {odd}]\n    User 0: installed=true enabled=0\n"
        );
        assert_eq!(dump(&text).packages[&id("com.a")].about.splits, ["config.b+sr+Latn", "feature_1"]);
    }

    /// The lines in which the layouts of Android's versions differ, each as that version prints it.
    #[test]
    fn layouts_of_several_versions() {
        for (android, text) in [
            (
                5,
                "    userId=10012 gids=[3003]\n    versionCode=22 targetSdk=22\n    firstInstallTime=2015-01-01 10:00:00\n    grantedPermissions:\n      android.permission.INTERNET\n    User 0:  installed=true hidden=false stopped=false notLaunched=false enabled=0\n",
            ),
            (
                6,
                "    userId=10012\n    versionCode=22 targetSdk=22\n    splits=[base]\n    firstInstallTime=2015-01-01 10:00:00\n    install permissions:\n      android.permission.INTERNET: granted=true\n    User 0:  installed=true hidden=false stopped=false notLaunched=false enabled=0\n      runtime permissions:\n        android.permission.CAMERA: granted=true, flags=[ ]\n",
            ),
            (
                9,
                "    userId=10012\n    versionCode=22 minSdk=21 targetSdk=22\n    firstInstallTime=2015-01-01 10:00:00\n    requested permissions:\n      android.permission.INTERNET\n    install permissions:\n      android.permission.INTERNET: granted=true\n    User 0: ceDataInode=1 installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0 instant=false virtual=false\n",
            ),
            (
                12,
                "    userId=10012\n    versionCode=22 minSdk=21 targetSdk=22\n    firstInstallTime=2015-01-01 10:00:00\n    install permissions:\n      android.permission.INTERNET: granted=true\n    User 0: ceDataInode=1 installed=true hidden=false suspended=false distractionFlags=0 stopped=false notLaunched=false enabled=0 instant=false virtual=false\n    overlay paths:\n      /product/overlay/X.apk\n",
            ),
            (
                14,
                "    appId=10012\n    versionCode=22 minSdk=21 targetSdk=22\n    timeStamp=2015-01-01 10:00:00\n    lastUpdateTime=2015-01-01 10:00:00\n    install permissions:\n      android.permission.INTERNET: granted=true\n    User 0: ceDataInode=1 deDataInode=2 installed=true hidden=false suspended=false distractionFlags=0 stopped=false notLaunched=false enabled=0 instant=false virtual=false\n      installReason=0\n      firstInstallTime=2015-01-01 10:00:00\n      uninstallReason=0\n",
            ),
            (
                16,
                "    appId=10012\n    versionCode=22 minSdk=21 targetSdk=22\n    install permissions:\n      android.permission.INTERNET: granted=true\n    User 0: ceDataInode=1 deDataInode=2 installed=true hidden=false suspended=false distractionFlags=0 stopped=false notLaunched=false enabled=0 instant=false virtual=false quarantined=false\n      installReason=0 firstInstallTime=2015-01-01 10:00:00\n",
            ),
        ] {
            let text = format!("Packages:\n  Package [com.a] (1):\n{text}");
            let a = &dump(&text).packages[&id("com.a")];
            assert_eq!(
                (a.about.uid, a.about.version_code, a.about.target_sdk),
                (Some(10012), Some(22), Some(22)),
                "{android}"
            );
            assert_eq!(a.states[&UserId::OWNER], PackageState::IN_USE, "{android}");
            assert_eq!(a.about.installed.map(DeviceTime::date).as_deref(), Some("2015-01-01"), "{android}");
            assert!(a.about.may("android.permission.INTERNET", UserId::OWNER), "{android}");
        }
    }

    #[test]
    fn old_layouts() {
        let text = "Packages:\r\n  Package [com.a] (4):\r\n    pkgFlags=[ SYSTEM HAS_CODE ]\r\n    User 0:  installed=true blocked=true stopped=false notLaunched=false enabled=2\r\n";
        let dump = dump(text);
        let a = &dump.packages[&id("com.a")];
        assert!(a.system);
        assert_eq!(a.states[&UserId::OWNER].to_string(), "installed=1 hidden=1 suspended=0 enabled=2");
    }

    #[test]
    fn gone_is_only_what_the_device_says_is_gone() {
        let back = |text| read_back(&id("com.a"), dump(text));
        assert_eq!(back("Unable to find package: com.a\n"), ReadBack::Gone);
        assert!(matches!(back("Unable to find package: com.b\n"), ReadBack::Unreadable(_)));
        let inside =
            "\nDexopt state:\n  Unable to find package: com.a\n\nCompiler stats:\n  Unable to find package: com.a\n";
        assert_eq!(back(inside), ReadBack::Gone);
        assert_eq!((back(""), back("\n \n")), (ReadBack::Silent, ReadBack::Silent));
        let written = "Packages:\n  Package [com.a] (1):\n    Unable to find package: com.a\n";
        assert!(matches!(back(written), ReadBack::Unreadable(_)), "what a package writes about itself");
        assert!(matches!(back("Packages:\n"), ReadBack::Unreadable(_)));
        let cut = back("Packages:\n  Package [com.a] (1):\n    User 0: insta");
        assert_eq!(cut.state(UserId::OWNER), PackageState::UNREADABLE);
        assert!(
            matches!(back("Can't find service: package\n"), ReadBack::Unreadable(why) if why.contains("not up yet"))
        );
        let states = back("Packages:\n  Package [com.a] (1):\n    User 0: installed=true enabled=0\n");
        assert_eq!(states.state(UserId::OWNER), PackageState::IN_USE);
        assert_eq!(states.state(UserId::new(10)), PackageState::UNREADABLE, "nothing was said of this user");
        assert_eq!(ReadBack::Gone.state(UserId::OWNER), PackageState::ABSENT);
        assert_eq!(ReadBack::Unreadable(String::new()).state(UserId::OWNER), PackageState::UNREADABLE);
    }

    /// The state that a dump gives which ends so, behind the beginning of a package.
    fn state_of(rest: &str) -> PackageState {
        let dump = dump(&format!("Packages:\n  Package [com.a] (1f):\n    versionName=1\n{rest}"));
        dump.packages[&id("com.a")].states.get(&UserId::OWNER).copied().unwrap_or(PackageState::UNREADABLE)
    }

    #[test]
    fn absence_has_to_be_told() {
        let out = PackageState { installed: false, ..PackageState::IN_USE };
        for (line, state) in [
            ("installed=false hidden=false enabled=0", out),
            ("hidden=false enabled=0", PackageState::UNREADABLE),
            ("installed=false hidden=false", PackageState::UNREADABLE),
            ("installed=tr enabled=0", PackageState::UNREADABLE),
            ("installed=False enabled=0", PackageState::UNREADABLE),
            ("installed=true hidden= enabled=0", PackageState::UNREADABLE),
            ("installed=true suspended=0 enabled=0", PackageState::UNREADABLE),
            // A number of a maker's own.
            ("installed=true hidden=false enabled=7", PackageState::UNREADABLE),
            ("installed=true hidden=false enabled=", PackageState::UNREADABLE),
        ] {
            assert_eq!(state_of(&format!("    User 0: {line}\n")), state, "{line}");
            assert_eq!(state_of(&format!("    User 0: {line}")), PackageState::UNREADABLE, "{line}, cut behind it");
        }
        assert_eq!(state_of(""), PackageState::UNREADABLE);
        assert_eq!(state_of("    User 10: installed=false enabled=0\n"), PackageState::UNREADABLE);
    }

    #[test]
    fn a_dump_that_ran_out_of_time_leaves_its_last_package_unreadable() {
        let line = "    User 0: installed=false hidden=false enabled=0\n";
        let end = "\n*** SERVICE 'package' DUMP TIMEOUT (10000ms) EXPIRED ***\n\n";
        assert_eq!(state_of(&format!("{line}{end}")), PackageState::UNREADABLE);
        let more = format!("{line}  Package [com.b] (2):\n    User 0: installed=true enabled=0\n{end}");
        assert!(!state_of(&more).installed && !state_of(&more).unreadable, "the one before it was told whole");
    }

    #[test]
    fn what_is_told_twice_is_not_believed() {
        let (lie, truth) = ("    User 0: installed=false enabled=0\n", "    User 0: installed=true enabled=0\n");
        assert_eq!(state_of(&format!("{lie}{truth}")), PackageState::UNREADABLE);
        // The version of another app has a package in it.
        let text = format!("Packages:\n  Package [com.b] (2):\n    versionName=1\n  Package [com.a] (0):\n{lie}");
        let whole = dump(&format!("{text}  Package [com.a] (1f):\n{truth}"));
        assert_eq!(whole.packages[&id("com.a")].states[&UserId::OWNER], PackageState::UNREADABLE);
        assert_eq!(whole.gaps, ["1 packages are reported more than once, and not believed"]);
        // Whoever does not know how Android writes the line is not even read.
        let dump = dump(&format!("Packages:\n  Package [com.a] (1f):\n{truth}  Package [com.b] (no):\n"));
        assert_eq!(dump.packages.len(), 1);
    }

    #[test]
    fn packages_and_users_without_end_are_told_and_not_kept() {
        let mut reader = DumpReader::default();
        reader.feed(b"Packages:\n");
        for n in 0..30_000 {
            reader.feed(format!("  Package [com.p{n}] (1):\n    User 0: installed=true enabled=0\n").as_bytes());
        }
        let found = reader.finish();
        assert!(found.packages.len() <= MOST_PACKAGES && found.gaps.len() == 1, "{:?}", found.gaps);
        let mut reader = DumpReader::default();
        reader.feed(b"Packages:\n  Package [com.a] (1):\n");
        for n in 0..400_000 {
            reader.feed(format!("    User {n}: installed=true enabled=0\n").as_bytes());
        }
        let found = reader.finish();
        let states: usize = found.packages.values().map(|p| p.states.len()).sum();
        assert!(states <= MOST_USERS && found.gaps.len() == 1, "{states}");
    }

    #[test]
    fn time_running_out_is_told() {
        let text = "Packages:\n  Package [com.a] (1):\n*** SERVICE 'package' DUMP TIMEOUT (10000ms) EXPIRED ***\n";
        assert!(dump(text).gaps[0].contains("ran out of time"));
    }

    proptest! {
        #[test]
        fn cuts_do_not_matter(cut in 0..NEW.len()) {
            let mut reader = DumpReader::default();
            reader.feed(&NEW.as_bytes()[..cut]);
            reader.feed(&NEW.as_bytes()[cut..]);
            prop_assert_eq!(reader.finish(), dump(NEW));
        }

        #[test]
        fn any_bytes_are_read(bytes in any::<Vec<u8>>(), text in "(Packages:\n|  Package \\[[a.;]*\\] \\(1\\):\n|    User [0-9]{0,12}: (installed|enabled)=[a-z0-9]{0,5}\n){0,12}") {
            let mut reader = DumpReader::default();
            reader.feed(text.as_bytes());
            reader.feed(&bytes);
            reader.finish();
        }
    }
}
