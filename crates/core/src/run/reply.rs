//! What the answer to a change says: yes, no, or neither.

use super::refusal::{REFUSALS, Refusal};
use crate::ask::{Output, says_not_ready};
use crate::package::{Enabled, PackageState};
use crate::plan::Change;
use crate::read::says_placed;

/// What an answer says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reply {
    /// It says that it has been done. Not the same as done.
    Success,
    /// It says no.
    Refused(Refusal),
    /// It says nothing that means yes or no.
    Unclear,
}

/// Reads the answer to a change of a package that was so before.
pub fn read_reply(way: Change, before: PackageState, answer: &Output) -> Reply {
    let text = answer.text();
    if says_not_ready(&text) {
        return Reply::Refused(Refusal::NotReady);
    }
    if let Some((_, refusal)) = REFUSALS.iter().find(|(words, _)| text.contains(words)) {
        // The shell may set and leave these on every version: where it says that it may not, the maker's build does.
        let usual = matches!(before.enabled, Enabled::Default | Enabled::Enabled | Enabled::DisabledUser);
        return Reply::Refused(match refusal {
            Refusal::NeedsRoot if usual && way == Change::Disable => Refusal::MakersList,
            other => *other,
        });
    }
    if let Some(reason) = text.lines().find_map(failure_reason) {
        let number = reason.parse::<i64>().is_ok();
        return Reply::Refused(if number { Refusal::MakersCode } else { Refusal::Other });
    }
    let yes = match way {
        Change::Uninstall | Change::UninstallKeepData | Change::InstallFactory | Change::InstallCopy => {
            text.lines().any(|line| line.trim() == "Success")
        }
        Change::Reinstall => text.contains("installed for user"),
        Change::Disable | Change::DisableByRoot | Change::Enable | Change::DefaultState => text.contains("new state:"),
        Change::Hide => text.contains("new hidden state: true"),
        Change::Suspend => text.contains("new suspended state: true"),
        Change::Unhide => text.contains("new hidden state: false"),
        Change::Unsuspend => text.contains("new suspended state: false"),
        Change::RemoveFromSystem | Change::RestoreToSystem => says_placed(answer),
        Change::ClearData | Change::ClearCache => text.lines().any(|line| line.trim() == "Success"),
        // They say nothing where nothing is wrong.
        Change::ForceStop | Change::Quieten | Change::Unquieten => {
            text.trim().is_empty() && answer.code.is_none_or(|code| code == 0)
        }
    };
    let clears = matches!(way, Change::ClearData | Change::ClearCache);
    let says_failed = clears && text.lines().any(|line| line.trim() == "Failed");
    if yes {
        Reply::Success
    } else if way == Change::Suspend && text.contains("new suspended state: false") {
        Reply::Refused(Refusal::NotSuspended)
    } else if text.contains("Exception") || text.contains("Error") || answer.code.is_some_and(|c| c != 0) || says_failed
    {
        Reply::Refused(Refusal::Other)
    } else {
        Reply::Unclear
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
        use Reply::{Refused, Success, Unclear};
        for (way, text, said) in [
            (Change::Uninstall, "Success", Success),
            (Change::Uninstall, "Success\n", Success),
            (Change::Uninstall, "Successful failure", Unclear),
            (Change::Uninstall, "Failure [not installed for 0]", Refused(R::NotInstalled)),
            (Change::Uninstall, "Failure - not installed for 0", Refused(R::NotInstalled)),
            (Change::Uninstall, "Failure [DELETE_FAILED_INTERNAL_ERROR]", Refused(R::Internal)),
            (Change::Uninstall, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]", Refused(R::Administrator)),
            (Change::Uninstall, "Failure [-1000]", Refused(R::MakersCode)),
            (Change::Uninstall, "Failure [DELETE_FAILED_MOON]", Refused(R::Other)),
            (Change::Uninstall, "Failure", Refused(R::Other)),
            (
                Change::Uninstall,
                "java.lang.SecurityException: Neither user 2000 nor current process has android.permission.DELETE_PACKAGES.",
                Refused(R::SecondSwitch),
            ),
            // The words of `PackageManagerService` where the shell has not got the permission.
            (Change::Uninstall, "Failure [null]", Refused(R::SecondSwitch)),
            (
                Change::Disable,
                "java.lang.SecurityException: Attempt to change component state; pid=4711, uid=2000, package=com.a",
                Refused(R::SecondSwitch),
            ),
            (
                Change::Disable,
                "Error: java.lang.SecurityException: Permission Denial: attempt to change component state from pid=9, uid=2000, package uid=10012",
                Refused(R::MayNotDisable),
            ),
            (
                Change::Unhide,
                "java.lang.SecurityException: Neither user 2000 nor current process has android.permission.MANAGE_USERS.",
                Refused(R::NeedsRoot),
            ),
            (Change::Disable, "java.lang.SecurityException: Cannot disable system packages.", Refused(R::MakersList)),
            (
                Change::Disable,
                "java.lang.SecurityException: Shell cannot change component state for com.a/null to 3",
                Refused(R::MakersList),
            ),
            (Change::Uninstall, "Failure [DELETE_FAILED_ABORTED]", Refused(R::Aborted)),
            (Change::Uninstall, "Failure [DELETE_FAILED_INTERNAL_ERROR: it is the home]", Refused(R::Internal)),
            (Change::Reinstall, "Failure [INSTALL_FAILED_USER_RESTRICTED]", Refused(R::MayNotInstall)),
            (Change::Uninstall, "Error: Unknown option: -k", Refused(R::NoSuchCommand)),
            (
                Change::Uninstall,
                "java.lang.SecurityException: Shell does not have permission to access user 150",
                Refused(R::UserLocked),
            ),
            (Change::Disable, "Package com.a new state: disabled-user", Success),
            (
                Change::Disable,
                "Error: java.lang.SecurityException: Cannot disable a protected package: com.a",
                Refused(R::Protected),
            ),
            (Change::Disable, "java.lang.IllegalArgumentException: Unknown package: com.a", Refused(R::Unknown)),
            (
                Change::Enable,
                "java.lang.SecurityException: Shell cannot change component state for com.a/null to 1",
                Refused(R::NeedsRoot),
            ),
            (Change::Reinstall, "Package com.a installed for user: 0", Success),
            (
                Change::Reinstall,
                "android.content.pm.PackageManager$NameNotFoundException: Package com.a doesn't exist",
                Refused(R::Unknown),
            ),
            (Change::InstallFactory, "\tpkg: /system/app/A/A.apk\nSuccess\n", Success),
            (
                Change::InstallFactory,
                "\tpkg: /system/app/A/A.apk\nFailure [INSTALL_FAILED_INVALID_APK]\n",
                Refused(R::BadApk),
            ),
            (Change::Reinstall, "Error: unknown command 'install-existing'", Refused(R::NoSuchCommand)),
            (Change::Disable, "cmd: Can't find service: package", Refused(R::NotReady)),
            (Change::Suspend, "Package com.a new suspended state: true", Success),
            (Change::Suspend, "Package com.a new suspended state: false", Refused(R::NotSuspended)),
            (Change::Unhide, "Package com.a new hidden state: true", Unclear),
            (Change::Disable, "", Unclear),
        ] {
            let answer = Output { out: text.into(), ..Output::default() };
            assert_eq!(read_reply(way, PackageState::IN_USE, &answer), said, "{way}: {text}");
            let on_stderr = Output { err: text.into(), ..Output::default() };
            assert_eq!(read_reply(way, PackageState::IN_USE, &on_stderr), said, "{way}: {text}");
        }
        let failed = Output { code: Some(255), ..Output::default() };
        assert_eq!(read_reply(Change::Disable, PackageState::IN_USE, &failed), Refused(R::Other));
    }

    proptest! {
        #[test]
        fn any_text_has_a_meaning(text in any::<String>()) {
            read_reply(Change::Uninstall, PackageState::IN_USE, &Output { out: text.clone(), ..Output::default() });
            failure_reason(&text);
        }
    }
}
