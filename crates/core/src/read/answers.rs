//! Who answers what Android needs, asked of the package service where manifests could not be read: `query-activities`,
//! `query-services`, `query-receivers`. For authorities of providers there is no such question.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId, shell_quoted};

use super::essential::read_answers;
use super::parts::{marked_request, parts};
use crate::android::{AndroidNeed, Capabilities, NeedPart, needs};
use crate::ask::Request;

/// What can be asked for: each need with its place in the table.
fn asked(
    capabilities: &Capabilities,
) -> impl Iterator<Item = (usize, &'static AndroidNeed, &'static str, &'static str)> {
    let sdk = capabilities.sdk;
    needs().iter().enumerate().filter(move |(_, need)| need.is_of(sdk)).filter_map(|(at, need)| {
        let command = match need.part? {
            NeedPart::Activity => "query-activities",
            NeedPart::Service => "query-services",
            NeedPart::Receiver => "query-receivers",
            NeedPart::Provider => return None,
        };
        // What is found by the end of a name cannot be asked for.
        need.by.as_deref().filter(|by| !by.starts_with('*')).map(|by| (at, need, command, by))
    })
}

/// What is asked for a user, in one command; `None` where the version has no words for it.
pub fn answers_request(capabilities: &Capabilities, user: UserId) -> Option<Request> {
    let command = |(at, need, command, by): (usize, &AndroidNeed, &str, &str)| {
        let category = need.category.as_deref().map(|c| format!(" -c {}", shell_quoted(c))).unwrap_or_default();
        (format!("n{at}"), format!("cmd package {command} --brief --user {user} -a {}{category}", shell_quoted(by)))
    };
    let commands: Vec<(String, String)> = asked(capabilities).map(command).collect();
    capabilities
        .answers_queries()
        .then(|| marked_request(commands.iter().map(|(name, command)| (name.as_str(), command.as_str()))))
}

/// Reads the answer to [`answers_request`]: who does what, by the name of the need.
pub fn read_answers_to_needs(text: &str, capabilities: &Capabilities) -> BTreeMap<String, BTreeSet<PackageId>> {
    let mut found = BTreeMap::new();
    for (name, body) in parts(text) {
        let need = asked(capabilities).find(|(at, ..)| name.strip_prefix('n') == Some(&at.to_string()));
        if let (Some((_, need, ..)), Some(who)) = (need, read_answers(body)) {
            found.insert(need.name.clone(), who);
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{capabilities, id};

    #[test]
    fn what_is_asked_and_what_is_answered() {
        let capabilities = capabilities(34);
        let command = answers_request(&capabilities, UserId::new(10)).unwrap().command();
        assert!(
            command.contains("cmd package query-services --brief --user 10 -a android.view.InputMethod"),
            "{command}"
        );
        assert!(!command.contains("-a *"), "{command}");
        let at = needs().iter().position(|need| need.name == "keyboard").unwrap();
        let text = format!(
            "wibbet-part:n{at}\n1 services found:\n  Service #0:\n    priority=0\n    com.corvane.keyboard/.Keys\nwibbet-part:n9999\nx/y\nwibbet-part:n\nno\n"
        );
        let found = read_answers_to_needs(&text, &capabilities);
        assert_eq!(found, BTreeMap::from([("keyboard".to_owned(), BTreeSet::from([id("com.corvane.keyboard")]))]));
        assert!(answers_request(&crate::testing::capabilities(23), UserId::OWNER).is_none());
    }
}
