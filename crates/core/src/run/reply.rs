//! What the answer to a change says: yes, no, or neither.

use super::refusal::{REFUSALS, Refusal};
use crate::ask::{Answer, says_not_ready};
use crate::plan::Way;

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
