//! The single changes that can be made to a package for one user.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, DevicePath, PackageId, UserId};

use crate::ask::Request;
use crate::package::{Enabled, PackageState};

/// One change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Change {
    /// Uninstall for the user; the app's data go.
    Uninstall,
    /// Uninstall for the user; the app's data stay.
    UninstallKeepData,
    /// Disable for the user.
    Disable,
    /// Suspend for the user: it stays as it is, greyed out, cannot be opened and shows nothing.
    Suspend,
    /// Hide from the user, as root: it stays with its data, and nothing of it is to be seen.
    Hide,
    /// Disable as the system does, as root: nothing but root leads out of that.
    DisableByRoot,
    /// Take its folder away from the partition of the system, as root: it goes for everybody, once Android starts anew.
    RemoveFromSystem,
    /// Have its folder on the partition of the system again, as root, out of the copy that is kept of it.
    RestoreToSystem,
    /// Install what is still on the device for the user again.
    Reinstall,
    /// Install the APK that is on the device for the user, over itself: the way back where there is no other command for it.
    InstallFactory,
    /// Install the copy of its APKs that is kept on this computer.
    InstallCopy,
    /// Set to "enabled".
    Enable,
    /// Set to "as the package's manifest says".
    DefaultState,
    /// Take the hiding away.
    Unhide,
    /// Take the suspension away.
    Unsuspend,
    /// End all that runs of it, until somebody or something starts it again.
    ForceStop,
    /// Throw away what it keeps for being quick.
    ClearCache,
    /// Throw away what it keeps for the user; it is as if it had just been installed.
    ClearData,
    /// It may do nothing while nobody looks at it.
    Quieten,
    /// It may again.
    Unquieten,
}

impl Change {
    const ALL: [Self; 20] = [
        Self::Uninstall,
        Self::UninstallKeepData,
        Self::Disable,
        Self::Suspend,
        Self::Hide,
        Self::DisableByRoot,
        Self::RemoveFromSystem,
        Self::RestoreToSystem,
        Self::Reinstall,
        Self::InstallFactory,
        Self::InstallCopy,
        Self::Enable,
        Self::DefaultState,
        Self::Unhide,
        Self::Unsuspend,
        Self::ForceStop,
        Self::ClearCache,
        Self::ClearData,
        Self::Quieten,
        Self::Unquieten,
    ];

    /// The ways of taking out, in the order in which the screen offers them.
    pub const TAKE_OUT: [Self; 4] = [Self::Uninstall, Self::UninstallKeepData, Self::Disable, Self::Suspend];

    /// The ways of taking out that take root. They are offered only where somebody has asked for it.
    pub const BY_ROOT: [Self; 3] = [Self::Hide, Self::DisableByRoot, Self::RemoveFromSystem];

    /// What can be done to a package that stays in use, beside that.
    pub const ACTS: [Self; 4] = [Self::Quieten, Self::ForceStop, Self::ClearCache, Self::ClearData];

    /// The word for machines and for the record.
    pub fn name(self) -> &'static str {
        match self {
            Self::Uninstall => "uninstall",
            Self::UninstallKeepData => "uninstall-keep-data",
            Self::Disable => "disable",
            Self::Suspend => "suspend",
            Self::Hide => "hide",
            Self::DisableByRoot => "disable-by-root",
            Self::RemoveFromSystem => "remove-from-system",
            Self::RestoreToSystem => "restore-to-system",
            Self::Reinstall => "reinstall",
            Self::InstallFactory => "install-factory",
            Self::InstallCopy => "install-copy",
            Self::Enable => "enable",
            Self::DefaultState => "default-state",
            Self::Unhide => "unhide",
            Self::Unsuspend => "unsuspend",
            Self::ForceStop => "force-stop",
            Self::ClearCache => "clear-cache",
            Self::ClearData => "clear-data",
            Self::Quieten => "quieten",
            Self::Unquieten => "unquieten",
        }
    }

    /// The words for people.
    pub fn label(self) -> &'static str {
        match self {
            Self::UninstallKeepData => "uninstall, keep data",
            Self::DefaultState => "set to default",
            Self::InstallFactory => "install anew",
            Self::InstallCopy => "install its copy",
            Self::DisableByRoot => "disable as root",
            Self::Hide => "hide as root",
            Self::RemoveFromSystem => "remove from the system",
            Self::RestoreToSystem => "restore to the system",
            Self::ForceStop => "force stop",
            Self::ClearCache => "clear cache",
            Self::ClearData => "clear data",
            Self::Quieten => "quieten",
            Self::Unquieten => "let run again",
            other => other.name(),
        }
    }

    /// Whether it takes something away.
    pub fn takes_out(self) -> bool {
        Self::TAKE_OUT.contains(&self) || Self::BY_ROOT.contains(&self)
    }

    /// Whether no state of the package tells that it was done.
    pub fn is_act(self) -> bool {
        Self::ACTS.contains(&self) || self == Self::Unquieten
    }

    /// Whether it is about what lies on the partition of the system. Such changes are made one after the other: each lets the partition
    /// be written, and no longer than it takes.
    pub fn is_about_the_system(self) -> bool {
        matches!(self, Self::RemoveFromSystem | Self::RestoreToSystem)
    }

    /// Whether something else than a state of the package tells that it was done: an act, or what lies on a partition.
    pub fn is_told_aside(self) -> bool {
        self.is_act() || self.is_about_the_system()
    }

    /// Whether it can be chosen for a package that is marked.
    pub fn is_a_way(self) -> bool {
        self.takes_out() || Self::ACTS.contains(&self)
    }

    /// Whether sending it a second time could do what the first time did not.
    pub fn may_be_sent_again(self) -> bool {
        self != Self::ClearData
    }

    /// Whether the package is not installed for the user afterwards.
    pub fn uninstalls(self) -> bool {
        matches!(self, Self::Uninstall | Self::UninstallKeepData)
    }

    /// The request that makes the change; of [`Change::InstallCopy`], which takes several, the last one's name only (see
    /// `read::install`); so too of those that are about the partition of the system (see `read::placed`). `apk` is what
    /// [`Change::InstallFactory`] installs; nothing else needs it.
    pub fn request(self, id: &PackageId, user: UserId, apk: Option<&DevicePath>) -> Request {
        if let (Self::InstallFactory, Some(apk)) = (self, apk) {
            let words = ["install", "-r", "--user"].map(str::to_owned).into_iter();
            return Request::change(words.chain([user.to_string(), apk.as_str().to_owned()]).collect());
        }
        match self {
            Self::ForceStop => return Request::change_by_shell(format!("am force-stop --user {user} {id}")),
            Self::Quieten | Self::Unquieten => {
                let mode = if self == Self::Quieten { "ignore" } else { "default" };
                let words = format!("cmd appops set --user {user} {id} RUN_ANY_IN_BACKGROUND {mode}");
                return Request::change_by_shell(words);
            }
            Self::ClearCache => {
                let words = ["clear", "--user", &user.to_string(), "--cache-only", id.as_str()];
                return Request::change(words.map(str::to_owned).to_vec());
            }
            _ => {}
        }
        let command: &[&str] = match self {
            Self::DisableByRoot => &["disable"],
            Self::ClearData => &["clear"],
            Self::Uninstall => &["uninstall"],
            Self::UninstallKeepData => &["uninstall", "-k"],
            Self::Disable => &["disable-user"],
            Self::Reinstall => &["install-existing"],
            other => &[other.name()],
        };
        let mut words: Vec<String> = command.iter().map(|w| (*w).to_owned()).collect();
        words.extend(["--user".to_owned(), user.to_string(), id.to_string()]);
        let request = Request::change(words);
        match self {
            // What root has done only root takes back; what the shell could do it does alike.
            Self::Hide | Self::DisableByRoot | Self::Unhide | Self::Enable | Self::DefaultState => request.by_root(),
            _ => request,
        }
    }

    /// The state that it leads to from another one, where it is done.
    #[must_use]
    pub fn leads_to(self, from: PackageState) -> PackageState {
        match self {
            Self::Uninstall | Self::UninstallKeepData => PackageState { installed: false, ..from },
            Self::Disable => PackageState { enabled: Enabled::DisabledUser, ..from },
            Self::DisableByRoot => PackageState { enabled: Enabled::Disabled, ..from },
            Self::Suspend => PackageState { suspended: true, ..from },
            Self::Hide => PackageState { hidden: true, ..from },
            Self::RemoveFromSystem => PackageState::ABSENT,
            Self::Reinstall | Self::InstallFactory | Self::InstallCopy => {
                PackageState { installed: true, hidden: false, ..from }
            }
            Self::Enable => PackageState { enabled: Enabled::Enabled, ..from },
            Self::DefaultState => PackageState { enabled: Enabled::Default, ..from },
            Self::Unhide => PackageState { hidden: false, ..from },
            Self::Unsuspend => PackageState { suspended: false, ..from },
            Self::RestoreToSystem
            | Self::ForceStop
            | Self::ClearCache
            | Self::ClearData
            | Self::Quieten
            | Self::Unquieten => from,
        }
    }

    /// Whether a state is what this change aims at. One that was not told never is.
    pub fn is_met_by(self, state: PackageState) -> bool {
        if state.unreadable {
            return false;
        }
        match self {
            Self::Uninstall | Self::UninstallKeepData => !state.installed,
            Self::Disable => state.installed && state.enabled.is_off(),
            Self::Suspend => state.installed && state.suspended,
            Self::Hide => state.installed && state.hidden,
            Self::DisableByRoot => state.installed && state.enabled == Enabled::Disabled,
            Self::Reinstall | Self::InstallFactory | Self::InstallCopy => state.installed && !state.hidden,
            Self::Enable => state.installed && state.enabled == Enabled::Enabled,
            Self::DefaultState => state.installed && state.enabled == Enabled::Default,
            Self::Unhide => state.installed && !state.hidden,
            Self::Unsuspend => state.installed && !state.suspended,
            // That is told by something else.
            Self::ForceStop | Self::ClearCache | Self::ClearData | Self::Quieten | Self::Unquieten => false,
            // Android knows nothing of it any more.
            Self::RemoveFromSystem => !state.known,
            Self::RestoreToSystem => false,
        }
    }
}

impl fmt::Display for Change {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for Change {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        Self::ALL.into_iter().find(|way| way.name() == s).ok_or_else(|| BadId {
            kind: "way",
            given: s.chars().take(40).collect(),
            rule: "no way of that name is known",
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ask::Call;

    #[test]
    fn the_words_that_go_to_the_device() {
        let id: PackageId = "com.ostrel.notes".parse().unwrap();
        for (way, words) in [
            (Change::Uninstall, "uninstall --user 10 com.ostrel.notes"),
            (Change::UninstallKeepData, "uninstall -k --user 10 com.ostrel.notes"),
            (Change::Disable, "disable-user --user 10 com.ostrel.notes"),
            (Change::Suspend, "suspend --user 10 com.ostrel.notes"),
            (Change::Reinstall, "install-existing --user 10 com.ostrel.notes"),
            (Change::Enable, "enable --user 10 com.ostrel.notes"),
            (Change::DefaultState, "default-state --user 10 com.ostrel.notes"),
            (Change::ClearData, "clear --user 10 com.ostrel.notes"),
            (Change::ClearCache, "clear --user 10 --cache-only com.ostrel.notes"),
        ] {
            let request = way.request(&id, UserId::new(10), None);
            assert!(request.changes);
            assert_eq!(request.call, Call::Package(words.split(' ').map(str::to_owned).collect()));
            assert_eq!(way.name().parse::<Change>().unwrap(), way);
        }
        let apk: DevicePath = "/system/app/Notes/Notes.apk".parse().unwrap();
        let request = Change::InstallFactory.request(&id, UserId::new(10), Some(&apk));
        assert_eq!(request.command(), "install -r --user 10 /system/app/Notes/Notes.apk");
        assert_eq!("install-factory".parse::<Change>().unwrap(), Change::InstallFactory);
        assert!("delete".parse::<Change>().is_err());
    }

    #[test]
    fn aims() {
        let on = PackageState::IN_USE;
        let out = PackageState { installed: false, ..on };
        let off = PackageState { enabled: Enabled::DisabledUser, ..on };
        let set = PackageState { enabled: Enabled::Enabled, ..on };
        let table: [(Change, [bool; 4]); 5] = [
            (Change::Uninstall, [false, true, false, false]),
            (Change::Disable, [false, false, true, false]),
            (Change::Reinstall, [true, false, true, true]),
            (Change::Enable, [false, false, false, true]),
            (Change::DefaultState, [true, false, false, false]),
        ];
        for (way, met) in table {
            assert_eq!([on, out, off, set].map(|s| way.is_met_by(s)), met, "{way}");
            assert!(!way.is_met_by(PackageState::UNREADABLE), "{way}");
        }
    }
}
