//! What the package service's answers mean.

use crate::read::says_not_ready;
use crate::request::Answer;
use crate::way::Way;

/// Why a device refused, read from its answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Refusal {
    /// The package is not installed for the user, or the user is not there.
    NotInstalled,
    /// The device does not know the package.
    Unknown,
    /// The package belongs to those that Android itself protects.
    Protected,
    /// An administrator app, mostly of a company, is active in it.
    Administrator,
    /// A policy of the company or of the owner forbids changes for this user.
    UserRestricted,
    /// The owner of the device or profile has blocked it.
    OwnerBlocked,
    /// Another package uses it as a library.
    SharedLibrary,
    /// It is pinned to the screen.
    Pinned,
    /// The maker's second switch for changes over debugging is off.
    SecondSwitch,
    /// The user is locked away from debugging.
    UserLocked,
    /// Leaving this state takes root.
    NeedsRoot,
    /// The service has no such command on this version.
    NoSuchCommand,
    /// The package service is not up yet.
    NotReady,
    /// The package manager itself failed.
    Internal,
    /// A number of the maker's own.
    MakersCode,
    /// Something that is not known yet.
    Other,
}

impl Refusal {
    /// What it means, in words.
    pub fn meaning(self) -> &'static str {
        match self {
            Self::NotInstalled => "it is not installed for this user",
            Self::Unknown => "the device does not know this package",
            Self::Protected => "Android itself protects this package",
            Self::Administrator => "it is an active device administrator",
            Self::UserRestricted => "a policy forbids changes to apps for this user",
            Self::OwnerBlocked => "the owner of the device or work profile has blocked it",
            Self::SharedLibrary => "another package uses it as a library",
            Self::Pinned => "it is pinned to the screen",
            Self::SecondSwitch => "the maker's second switch for changes over debugging is off",
            Self::UserLocked => "debugging may not act for this user",
            Self::NeedsRoot => "leaving this state takes root",
            Self::NoSuchCommand => "this version of Android has no such command",
            Self::NotReady => "the package service is not up yet",
            Self::Internal => "the package manager itself failed",
            Self::MakersCode => "the maker's build refuses it with a number of its own",
            Self::Other => "it gave an answer that is not known yet",
        }
    }

    /// What may work instead.
    pub fn advice(self) -> &'static str {
        match self {
            Self::NotInstalled => "read the packages again",
            Self::Unknown => "check the id; read the packages again",
            Self::Protected => "uninstalling for the user may work where disabling does not",
            Self::Administrator => {
                "on the device, look for “Device admin apps” in the security settings and switch it off there"
            }
            Self::UserRestricted => "ask whoever manages the device; another user may be free of it",
            Self::OwnerBlocked => "ask whoever manages the device",
            Self::SharedLibrary => "take out the packages that use it first",
            Self::Pinned => "unpin it on the device: hold Back and Overview",
            Self::SecondSwitch => {
                "in the developer options, under “USB debugging”, switch on the maker's second switch for changes, then retry"
            }
            Self::UserLocked => "unlock the profile on the device, then retry",
            Self::NeedsRoot => "change it on the device, in the app's settings page",
            Self::NoSuchCommand => "what can't be had this way needs the APK",
            Self::NotReady => "wait until the device has started, then retry",
            Self::Internal | Self::MakersCode => "disabling instead of uninstalling may work",
            Self::Other => "the answer is kept in the logbook word for word",
        }
    }
}

/// What an answer says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Said {
    /// It says that it has been done. Not the same as done.
    Success,
    /// It says no.
    Refused(Refusal),
    /// It says nothing that means yes or no.
    Unclear,
}

/// Words that mean a refusal, most telling first.
const REFUSALS: &[(&str, Refusal)] = &[
    ("DELETE_FAILED_DEVICE_POLICY_MANAGER", Refusal::Administrator),
    ("DELETE_FAILED_USER_RESTRICTED", Refusal::UserRestricted),
    ("DELETE_FAILED_OWNER_BLOCKED", Refusal::OwnerBlocked),
    ("DELETE_FAILED_USED_SHARED_LIBRARY", Refusal::SharedLibrary),
    ("DELETE_FAILED_APP_PINNED", Refusal::Pinned),
    ("DELETE_FAILED_INTERNAL_ERROR", Refusal::Internal),
    ("Cannot disable a protected package", Refusal::Protected),
    ("CHANGE_COMPONENT_ENABLED_STATE", Refusal::SecondSwitch),
    ("DELETE_PACKAGES", Refusal::SecondSwitch),
    ("does not have permission to access user", Refusal::UserLocked),
    ("Shell cannot change component state", Refusal::NeedsRoot),
    ("not installed for", Refusal::NotInstalled),
    ("NameNotFoundException", Refusal::Unknown),
    ("Unknown package", Refusal::Unknown),
    ("doesn't exist", Refusal::Unknown),
    ("Unknown command", Refusal::NoSuchCommand),
    ("unknown command", Refusal::NoSuchCommand),
];

/// Reads the answer to a change.
pub fn read_answer(way: Way, answer: &Answer) -> Said {
    let text = answer.text();
    if says_not_ready(&text) {
        return Said::Refused(Refusal::NotReady);
    }
    if let Some((_, refusal)) = REFUSALS.iter().find(|(words, _)| text.contains(words)) {
        return Said::Refused(*refusal);
    }
    if let Some(reason) = text.lines().find_map(failure_reason) {
        let number = reason.parse::<i64>().is_ok();
        return Said::Refused(if number { Refusal::MakersCode } else { Refusal::Other });
    }
    let yes = match way {
        Way::Uninstall | Way::UninstallKeepData => text.lines().any(|line| line.trim() == "Success"),
        Way::Reinstall => text.contains("installed for user"),
        Way::Disable | Way::Enable | Way::DefaultState => text.contains("new state:"),
        Way::Unhide => text.contains("new hidden state: false"),
        Way::Unsuspend => text.contains("new suspended state: false"),
    };
    if yes {
        Said::Success
    } else if text.contains("Exception") || text.contains("Error") || answer.code.is_some_and(|c| c != 0) {
        Said::Refused(Refusal::Other)
    } else {
        Said::Unclear
    }
}

/// The reason in `Failure [REASON]`, or in `Failure - REASON` of old versions.
fn failure_reason(line: &str) -> Option<&str> {
    let rest = line.trim().strip_prefix("Failure")?.trim();
    Some(rest.trim_start_matches(['[', '-', ' ']).trim_end_matches(']').trim()).map(|reason| {
        if rest.starts_with("[-") || rest.starts_with("- -") { rest.trim_matches(['[', ']']).trim() } else { reason }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn answers_of_all_versions() {
        use Refusal as R;
        use Said::{Refused, Success, Unclear};
        for (way, text, said) in [
            (Way::Uninstall, "Success", Success),
            (Way::Uninstall, "Success\n", Success),
            (Way::Uninstall, "Successful failure", Unclear),
            (Way::Uninstall, "Failure [not installed for 0]", Refused(R::NotInstalled)),
            (Way::Uninstall, "Failure - not installed for 0", Refused(R::NotInstalled)),
            (Way::Uninstall, "Failure [DELETE_FAILED_INTERNAL_ERROR]", Refused(R::Internal)),
            (Way::Uninstall, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]", Refused(R::Administrator)),
            (Way::Uninstall, "Failure [-1000]", Refused(R::MakersCode)),
            (Way::Uninstall, "Failure [DELETE_FAILED_MOON]", Refused(R::Other)),
            (Way::Uninstall, "Failure", Refused(R::Other)),
            (
                Way::Uninstall,
                "java.lang.SecurityException: Neither user 2000 nor current process has android.permission.DELETE_PACKAGES.",
                Refused(R::SecondSwitch),
            ),
            (
                Way::Uninstall,
                "java.lang.SecurityException: Shell does not have permission to access user 150",
                Refused(R::UserLocked),
            ),
            (Way::Disable, "Package com.a new state: disabled-user", Success),
            (
                Way::Disable,
                "Error: java.lang.SecurityException: Cannot disable a protected package: com.a",
                Refused(R::Protected),
            ),
            (Way::Disable, "java.lang.IllegalArgumentException: Unknown package: com.a", Refused(R::Unknown)),
            (
                Way::Enable,
                "java.lang.SecurityException: Shell cannot change component state for com.a/null to 1",
                Refused(R::NeedsRoot),
            ),
            (Way::Reinstall, "Package com.a installed for user: 0", Success),
            (
                Way::Reinstall,
                "android.content.pm.PackageManager$NameNotFoundException: Package com.a doesn't exist",
                Refused(R::Unknown),
            ),
            (Way::Reinstall, "Error: unknown command 'install-existing'", Refused(R::NoSuchCommand)),
            (Way::Disable, "cmd: Can't find service: package", Refused(R::NotReady)),
            (Way::Unhide, "Package com.a new hidden state: true", Unclear),
            (Way::Disable, "", Unclear),
        ] {
            let answer = Answer { out: text.into(), ..Answer::default() };
            assert_eq!(read_answer(way, &answer), said, "{way}: {text}");
            let on_stderr = Answer { err: text.into(), ..Answer::default() };
            assert_eq!(read_answer(way, &on_stderr), said, "{way}: {text}");
        }
        let failed = Answer { code: Some(255), ..Answer::default() };
        assert_eq!(read_answer(Way::Disable, &failed), Refused(R::Other));
    }

    proptest! {
        #[test]
        fn any_text_has_a_meaning(text in any::<String>()) {
            read_answer(Way::Uninstall, &Answer { out: text.clone(), ..Answer::default() });
            failure_reason(&text);
        }
    }
}
