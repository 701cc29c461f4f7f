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

/// What the package service has found for itself when it started, by its own names for it: it says so even where its commands
/// answer nothing. Source: `PackageManagerService.dump`, `known-packages`.
const KNOWN: &str = "known";

/// What its names mean.
const KNOWN_NAMES: [(&str, Essential); 3] = [
    ("Installer", Essential::Installer),
    ("Uninstaller", Essential::Uninstaller),
    ("Permission Controller", Essential::Permissions),
];

/// What is asked, in one command; `None` where the version has no words for it.
pub fn essential_request(capabilities: &Capabilities) -> Option<Request> {
    let asked = QUESTIONS.iter().filter(|(_, what, _)| *what != Essential::Sandbox || capabilities.has_sandbox());
    let known = capabilities.tells_known_packages().then(|| (KNOWN, capabilities.dump("package known-packages")));
    let asked = asked.map(|(name, _, command)| (*name, (*command).to_owned())).chain(known);
    capabilities.answers_queries().then(|| marked_request(asked))
}

/// Who answers each; `None` where it did not tell.
pub fn read_essential(said: &Output) -> Vec<(Essential, Option<BTreeSet<PackageId>>)> {
    let body = |name: &str| parts(&said.out).find(|(part, _)| *part == name).map(|(_, body)| body);
    let known = body(KNOWN).map(read_known).unwrap_or_default();
    let of = |name: &str, what: Essential| {
        let answered = body(name).and_then(read_answers);
        let named: BTreeSet<PackageId> = known.iter().filter(|(of, _)| *of == what).map(|(_, id)| id.clone()).collect();
        match (answered, named.is_empty()) {
            (answered, true) => answered,
            (answered, false) => Some(answered.into_iter().flatten().chain(named).collect()),
        }
    };
    QUESTIONS.iter().map(|(name, what, _)| (*what, of(name, *what))).collect()
}

/// Reads `  Installer:` and the ids below it, which stand further in.
fn read_known(body: &str) -> Vec<(Essential, PackageId)> {
    let mut found = Vec::new();
    let mut what = None;
    for line in body.lines() {
        let text = line.trim();
        match text.strip_suffix(':') {
            Some(name) => what = KNOWN_NAMES.iter().find(|(known, _)| *known == name).map(|(_, what)| *what),
            None => found.extend(what.zip(text.parse().ok().filter(|_| text != "none"))),
        }
    }
    found
}

/// The packages of lines like `    com.android.packageinstaller/.InstallStart`. `None` where it is no answer.
pub(crate) fn read_answers(body: &str) -> Option<BTreeSet<PackageId>> {
    let line = |line: &str| line.trim().split_once('/')?.0.parse().ok();
    let found: BTreeSet<PackageId> = body.lines().filter_map(line).collect();
    let none =
        ["No activities found", "No services found", "No receivers found"].iter().any(|words| body.trim() == *words);
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
    fn what_the_service_knows_itself_counts_beside_its_answers() {
        let said = "wibbet-part:installer\nUnknown command: query-activities\nwibbet-part:removal\ncom.corvane.remover/.R\n\
                    wibbet-part:known\nKnown Packages:\n  System:\n    android\n  Installer:\r\n    com.ostrel.installer\r\n  Uninstaller:\n    com.ostrel.installer\n  \
                    Permission Controller:\n    none\n  Browser:\n    com.ostrel.browser\n";
        let read = read_essential(&Output { out: said.into(), ..Output::default() });
        let ids = |who: &Option<BTreeSet<PackageId>>| who.as_ref().map(|w| w.iter().map(|id| id.to_string()).collect());
        let seen: Vec<(Essential, Option<Vec<String>>)> = read.iter().map(|(what, who)| (*what, ids(who))).collect();
        assert_eq!(
            seen,
            [
                (Essential::Installer, Some(vec!["com.ostrel.installer".into()])),
                (Essential::Uninstaller, Some(vec!["com.corvane.remover".into(), "com.ostrel.installer".into()])),
                (Essential::Permissions, None),
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
            read_essential(&Output { out: format!("wibbet-part:known\n  Installer:\n{text}"), ..Output::default() });
        }
    }
}
