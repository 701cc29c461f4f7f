//! `dumpsys package`, of which the packages and their states are read.
//!
//! The text is fed in pieces and read line by line; nothing but the packages is kept. The layout
//! as AOSP's `Settings.dumpPackagesLPr` prints it, from Android 4.4 to 15:
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

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{DevicePath, PackageId, PlainText, UserId};

use super::says_not_ready;
use crate::state::{Enabled, PackageState};

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
    /// The lines of the users.
    pub states: BTreeMap<UserId, PackageState>,
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

/// Reads a dump in pieces.
#[derive(Debug)]
pub struct DumpReader {
    line: Vec<u8>,
    section: Section,
    seen_packages: bool,
    open: Option<(PackageId, DumpedPackage)>,
    dump: PackageDump,
    odd_ids: usize,
}

impl Default for DumpReader {
    fn default() -> Self {
        Self {
            line: Vec::new(),
            section: Section::Other,
            seen_packages: false,
            open: None,
            dump: PackageDump::default(),
            odd_ids: 0,
        }
    }
}

impl DumpReader {
    /// A longer line is cut: none of those that are read comes near it.
    const LONGEST_LINE: usize = 16 * 1024;

    /// Reads a piece.
    pub fn feed(&mut self, piece: &[u8]) {
        for part in piece.split_inclusive(|b| *b == b'\n') {
            let (text, whole) = match part.strip_suffix(b"\n") {
                Some(text) => (text, true),
                None => (part, false),
            };
            let room = Self::LONGEST_LINE.saturating_sub(self.line.len());
            self.line.extend_from_slice(&text[..text.len().min(room)]);
            if whole {
                self.end_line();
            }
        }
    }

    /// Ends the dump.
    pub fn finish(mut self) -> PackageDump {
        if !self.line.is_empty() {
            self.end_line();
        }
        self.close_package();
        if !self.seen_packages && self.dump.not_found.is_empty() {
            self.dump.gaps.push("the device told nothing about its packages".into());
        }
        if self.odd_ids > 0 {
            self.dump.gaps.push(format!("{} packages have ids that cannot be ids", self.odd_ids));
        }
        self.dump
    }

    fn end_line(&mut self) {
        let bytes = std::mem::take(&mut self.line);
        let text = String::from_utf8_lossy(&bytes);
        self.read_line(text.trim_end_matches('\r'));
    }

    fn read_line(&mut self, line: &str) {
        if !line.starts_with(' ') && !line.is_empty() {
            self.close_package();
            self.section = match line.trim_end() {
                "Packages:" => Section::Packages,
                "Hidden system packages:" => Section::FactoryVersions,
                _ => Section::Other,
            };
            self.seen_packages |= self.section == Section::Packages;
            if let Some(id) = line.strip_prefix("Unable to find package:") {
                self.dump.not_found.extend(id.trim().parse::<PackageId>());
            }
            if line.contains("DUMP TIMEOUT") {
                self.dump.gaps.push("the device ran out of time while it told about its packages".into());
            }
            if says_not_ready(line) {
                self.dump.not_ready = true;
                self.dump.gaps.push("the package service is not up yet".into());
            }
            return;
        }
        match self.section {
            Section::Other => {}
            Section::Packages => self.read_package_line(line),
            Section::FactoryVersions => {
                if let Some(Ok(id)) = header(line) {
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
        let Some((_, package)) = &mut self.open else { return };
        let line = line.trim_start();
        if let Some(path) = line.strip_prefix("codePath=") {
            package.path = path.trim_end().parse().ok();
        } else if let Some(version) = line.strip_prefix("versionName=") {
            package.version = PlainText::new(version.trim_end());
        } else if let Some(flags) = line.strip_prefix("flags=[").or_else(|| line.strip_prefix("pkgFlags=[")) {
            for flag in flags.split([' ', ']']) {
                package.system |= flag == "SYSTEM";
                package.updated |= flag == "UPDATED_SYSTEM_APP";
            }
        } else if let Some((user, words)) = line.strip_prefix("User ").and_then(|l| l.split_once(':'))
            && let Ok(user) = user.parse::<UserId>()
            && let Some(state) = read_state(words)
        {
            package.states.insert(user, state);
        }
    }

    fn close_package(&mut self) {
        if let Some((id, package)) = self.open.take() {
            // The first one counts: a later one of the same id is a factory version.
            self.dump.packages.entry(id).or_insert(package);
        }
    }
}

/// The id in `  Package [ID] (hash):`.
fn header(line: &str) -> Option<Result<PackageId, ()>> {
    let rest = line.strip_prefix("  Package [")?;
    let (id, rest) = rest.split_once(']')?;
    rest.trim_start().starts_with('(').then(|| id.parse().map_err(|_| ()))
}

/// The words of a user's line. Without `installed=` it is none.
fn read_state(words: &str) -> Option<PackageState> {
    let mut state = PackageState { known: true, ..PackageState::ABSENT };
    let mut told = false;
    for (name, value) in words.split_whitespace().filter_map(|w| w.split_once('=')) {
        let yes = value == "true";
        match name {
            "installed" => {
                state.installed = yes;
                told = true;
            }
            // 4.4 called it "blocked".
            "hidden" | "blocked" => state.hidden = yes,
            "suspended" => state.suspended = yes,
            "enabled" => state.enabled = Enabled::from_number(value.parse().ok()?)?,
            _ => {}
        }
    }
    told.then_some(state)
}

/// What reading one package back gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ReadBack {
    /// Its states for the users, told by the device.
    States(BTreeMap<UserId, PackageState>),
    /// The device says that there is no such package any more.
    Gone,
    /// Nothing certain, for this reason.
    Unreadable(String),
}

impl ReadBack {
    /// The state for a user, as far as it is certain.
    pub fn state(&self, user: UserId) -> Option<PackageState> {
        match self {
            Self::States(states) => Some(states.get(&user).copied().unwrap_or(PackageState::ABSENT)),
            Self::Gone => Some(PackageState::ABSENT),
            Self::Unreadable(_) => None,
        }
    }
}

/// Reads the dump of one package. That nothing is said of it does not mean that it is gone: only
/// the device's explicit word does.
pub fn read_back(id: &PackageId, dump: PackageDump) -> ReadBack {
    let PackageDump { mut packages, not_found, gaps, .. } = dump;
    match packages.remove(id) {
        Some(package) if !package.states.is_empty() => ReadBack::States(package.states),
        Some(_) => ReadBack::Unreadable("the device told of the package, but not for which users".into()),
        None if not_found.contains(id) => ReadBack::Gone,
        None => ReadBack::Unreadable(
            gaps.into_iter().next().unwrap_or_else(|| "the device did not tell of the package".into()),
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const NEW: &str = "\
Activity Resolver Table:
  Package [com.decoy] (no):
Packages:
  Package [com.android.calendar] (1f2e3d):
    appId=10080
    pkg=Package{77 com.android.calendar}
    codePath=/data/app/~~a==/com.android.calendar-b==
    versionCode=34 minSdk=34 targetSdk=34
    versionName=14
    flags=[ SYSTEM HAS_CODE UPDATED_SYSTEM_APP ]
    User 0: ceDataInode=5 installed=true hidden=false suspended=false distractionFlags=0 stopped=false notLaunched=false enabled=3 instant=false virtual=false
      gids=[3003]
      lastDisabledCaller: com.android.shell
    User 10: ceDataInode=0 installed=false hidden=false suspended=false stopped=true enabled=0
  Package [we/ird] (2):
    User 0: installed=true
  Package [com.ostrel.notes] (3):
    pkgFlags=[ HAS_CODE ]
    User 0: installed=true hidden=true suspended=true enabled=0

Hidden system packages:
  Package [com.android.calendar] (99):
    codePath=/product/app/Calendar
    User 0: installed=true hidden=false enabled=0

Queries:
  Package [com.decoy] (no):
";

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
        assert!(matches!(back(""), ReadBack::Unreadable(_)));
        assert!(matches!(back("Packages:\n"), ReadBack::Unreadable(_)));
        assert!(matches!(back("Packages:\n  Package [com.a] (1):\n    User 0: insta"), ReadBack::Unreadable(_)));
        assert!(
            matches!(back("Can't find service: package\n"), ReadBack::Unreadable(why) if why.contains("not up yet"))
        );
        let states = back("Packages:\n  Package [com.a] (1):\n    User 0: installed=true enabled=0\n");
        assert_eq!(states.state(UserId::OWNER), Some(PackageState::IN_USE));
        assert_eq!(states.state(UserId::new(10)), Some(PackageState::ABSENT));
        assert_eq!(ReadBack::Unreadable(String::new()).state(UserId::OWNER), None);
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
