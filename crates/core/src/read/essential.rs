//! Who answers the questions that the package service asks itself when it starts: `query-activities`, `query-services`.

use std::collections::BTreeSet;

use wibbet_types::PackageId;

use super::parts::{marked_request, parts};
use crate::android::{Capabilities, Essential};
use crate::ask::{Output, Request};

/// The parts of an answer, what they are about and what is asked for each. Source: the intents of
/// `PackageManagerService.getRequiredInstallerLPr`, `getRequiredUninstallerLPr`, `getRequiredPermissionControllerLPr` and
/// `getRequiredSdkSandboxPackageName`.
const QUESTIONS: [(&str, Essential, &str); 4] = [
    (
        "installer",
        Essential::Installer,
        "cmd package query-activities --brief --user 0 -a android.intent.action.INSTALL_PACKAGE \
         -c android.intent.category.DEFAULT -d content://com.example/foo.apk -t application/vnd.android.package-archive",
    ),
    (
        "removal",
        Essential::Uninstaller,
        "cmd package query-activities --brief --user 0 -a android.intent.action.UNINSTALL_PACKAGE \
         -c android.intent.category.DEFAULT -d package:foo.bar",
    ),
    (
        "permissions",
        Essential::Permissions,
        "cmd package query-activities --brief --user 0 -a android.intent.action.MANAGE_PERMISSIONS \
         -c android.intent.category.DEFAULT",
    ),
    (
        "sandbox",
        Essential::Sandbox,
        "cmd package query-services --brief --user 0 -a com.android.sdksandbox.SdkSandboxService",
    ),
];

/// What is asked, in one command; `None` where the version has no words for it.
pub fn essential_request(capabilities: &Capabilities) -> Option<Request> {
    let asked = QUESTIONS.iter().filter(|(_, what, _)| *what != Essential::Sandbox || capabilities.has_sandbox());
    capabilities.answers_queries().then(|| marked_request(asked.map(|(name, _, command)| (*name, *command))))
}

/// Who answers each; `None` where it did not tell.
pub fn read_essential(said: &Output) -> Vec<(Essential, Option<BTreeSet<PackageId>>)> {
    let of = |name: &str| parts(&said.out).find(|(part, _)| *part == name).and_then(|(_, body)| read_answers(body));
    QUESTIONS.iter().map(|(name, what, _)| (*what, of(name))).collect()
}

/// The packages of lines like `    com.android.packageinstaller/.InstallStart`. `None` where it is no answer.
fn read_answers(body: &str) -> Option<BTreeSet<PackageId>> {
    let line = |line: &str| line.trim().split_once('/')?.0.parse().ok();
    let found: BTreeSet<PackageId> = body.lines().filter_map(line).collect();
    let none = ["No activities found", "No services found"].iter().any(|words| body.trim() == *words);
    (none || !found.is_empty()).then_some(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn answers_of_several_forms() {
        let said = "wibbet-part:installer\n1 activities found:\n  Activity #0:\n    priority=0 preferredOrder=0 match=0x608000 specificIndex=-1 isDefault=true\n    \
                    com.android.packageinstaller/.InstallStart\nwibbet-part:removal\ncom.corvane.remover/com.corvane.Remove\r\n\
                    wibbet-part:permissions\nNo activities found\nwibbet-part:sandbox\nUnknown command: query-services\n";
        let read = read_essential(&Output { out: said.into(), ..Output::default() });
        let ids = |who: &Option<BTreeSet<PackageId>>| who.as_ref().map(|w| w.iter().map(|id| id.to_string()).collect());
        let seen: Vec<(Essential, Option<Vec<String>>)> = read.iter().map(|(what, who)| (*what, ids(who))).collect();
        assert_eq!(
            seen,
            [
                (Essential::Installer, Some(vec!["com.android.packageinstaller".into()])),
                (Essential::Uninstaller, Some(vec!["com.corvane.remover".into()])),
                (Essential::Permissions, Some(vec![])),
                (Essential::Sandbox, None),
            ]
        );
    }

    #[test]
    fn what_a_version_is_asked() {
        let asked = |sdk| essential_request(&crate::testing::capabilities(sdk)).map(|request| request.command());
        assert_eq!(asked(23), None);
        assert!(asked(26).is_some_and(|command| !command.contains("query-services")));
        assert!(asked(34).is_some_and(|command| command.contains("query-services")));
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_essential(&Output { out: format!("wibbet-part:installer\n{text}"), ..Output::default() });
        }
    }
}
