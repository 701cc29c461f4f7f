//! Who is engaged in what: `dumpsys account`, `webviewupdate`, `device_policy`, `lock_settings`, and a setting of each user.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

use super::bindings::read_locks;
use super::given::given_request;
use super::parts::{marked_request, parts};
use super::vitals::{active_admins, managed};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::Ties;

/// What is asked, for some users.
pub fn ties_request(capabilities: &Capabilities, users: &[UserId]) -> Request {
    let mut all = vec![("accounts".to_owned(), capabilities.dump("account"))];
    all.push(("policy".into(), capabilities.dump("device_policy")));
    if capabilities.has_web_view_service() {
        all.push(("web".into(), capabilities.dump("webviewupdate")));
    }
    if capabilities.tells_screen_locks() {
        all.push(("locks".into(), capabilities.dump("lock_settings")));
    }
    for user in users {
        all.push((format!("u{user}"), format!("settings --user {user} get secure user_setup_complete")));
    }
    marked_request(all.iter().map(|(name, command)| (name.as_str(), command.as_str())))
}

/// Reads the answer to [`ties_request`].
pub fn read_ties(text: &str, capabilities: &Capabilities, users: &[UserId]) -> Ties {
    let mut ties = Ties { choices_told: given_request(capabilities, users).is_some(), ..Ties::default() };
    for (name, body) in parts(text) {
        match name {
            "accounts" => ties.accounts = read_accounts(body),
            "policy" if body.contains("Device Policy Manager") => {
                let mut found: BTreeMap<UserId, BTreeSet<PackageId>> = BTreeMap::new();
                for (user, admins) in active_admins(body) {
                    found.entry(user).or_default().extend(admins);
                }
                for owner in managed(body) {
                    found.entry(owner.user.unwrap_or(UserId::OWNER)).or_default().insert(owner.package);
                }
                ties.admins = Some(found);
            }
            "web" => {
                ties.web_view_told = body.contains("Current WebView package");
                (ties.web_view, ties.web_views) = read_web_views(body);
            }
            "locks" => ties.locks.extend(read_locks(body)),
            _ => {
                let user = name.strip_prefix('u').and_then(|user| user.parse().ok());
                if let (Some(user), value @ ("0" | "1")) = (user, body.trim()) {
                    ties.set_up.insert(user, value == "1");
                }
            }
        }
    }
    ties
}

/// `User UserInfo{0:Crew:4c13}:`, below it a line for each account with its type, then who offers types:
/// `ServiceInfo: AuthenticatorDescription {type=com.x}, ComponentInfo{com.x/com.x.Signing}, uid 10050`. Sources:
/// `AccountManagerService.dumpUser`, `RegisteredServicesCache.dump`.
fn read_accounts(body: &str) -> Option<BTreeMap<UserId, BTreeMap<PackageId, u32>>> {
    #[derive(Default)]
    struct Told {
        counts: BTreeMap<String, u32>,
        offers: Vec<(String, PackageId)>,
        whole: bool,
    }
    let mut users: BTreeMap<UserId, Told> = BTreeMap::new();
    let mut user = None;
    for line in body.lines().map(str::trim) {
        if let Some(rest) = line.strip_prefix("User UserInfo{") {
            user = rest.split(':').next().and_then(|number| number.parse().ok());
            continue;
        }
        let Some(told) = user.map(|user| users.entry(user).or_default()) else { continue };
        let kind = |line: &str| {
            line.split_once("type=").map(|(_, rest)| rest.split([',', '}']).next().unwrap_or("").to_owned())
        };
        if line.starts_with("Account {") {
            // A name can hold anything: the type stands at the end.
            let at = line.rfind("type=").unwrap_or(0);
            if let Some(kind) = kind(&line[at..]) {
                *told.counts.entry(kind).or_default() += 1;
            }
        } else if line.starts_with("RegisteredServicesCache:") {
            told.whole = true;
        } else if let Some(rest) = line.strip_prefix("ServiceInfo: AuthenticatorDescription {") {
            let part = rest.split_once("ComponentInfo{").and_then(|(_, part)| part.split('/').next());
            if let (Some(kind), Some(Ok(id))) = (kind(rest), part.map(str::parse)) {
                told.offers.push((kind, id));
            }
        }
    }
    // Accounts of which nobody says who signs people in to them tell nothing of packages.
    if users.is_empty() || users.values().any(|told| !told.whole) {
        return None;
    }
    let of = |told: Told| {
        let mut found: BTreeMap<PackageId, u32> = BTreeMap::new();
        for (kind, id) in told.offers {
            *found.entry(id).or_default() += told.counts.get(&kind).copied().unwrap_or(0);
        }
        found
    };
    Some(users.into_iter().map(|(user, told)| (user, of(told))).collect())
}

/// `Current WebView package (name, version): (com.x, 126.0)` and `Valid package com.x (versionName: …) is  installed/enabled for
/// all users`. Source: `WebViewUpdateServiceImpl.dumpState`.
fn read_web_views(body: &str) -> (Option<PackageId>, BTreeSet<PackageId>) {
    let (mut current, mut all) = (None, BTreeSet::new());
    for line in body.lines().map(str::trim) {
        if let Some((head, rest)) = line.split_once("(name, version):").or_else(|| line.split_once("(name):")) {
            if head.starts_with("Current WebView package") {
                current =
                    rest.trim().trim_start_matches('(').split([',', ')']).next().and_then(|id| id.trim().parse().ok());
            }
        } else if let Some(rest) = line.strip_prefix("Valid package ")
            && !line.contains("is NOT")
        {
            all.extend(rest.split(' ').next().and_then(|id| id.parse().ok()));
        }
    }
    // "null" is none.
    (current.filter(|id: &PackageId| id.as_str() != "null"), all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{capabilities, id};
    use proptest::prelude::*;

    const TEXT: &str = "wibbet-part:accounts\nUser UserInfo{0:Crew:4c13}:\n  Accounts: 2\n    Account {name=a type=com.false, b, type=com.real}\n    \
Account {name=c, type=com.real}\n\n  RegisteredServicesCache: 2 services\n    ServiceInfo: AuthenticatorDescription {type=com.real}, ComponentInfo{com.signer/com.signer.A}, uid 10050\n    \
ServiceInfo: AuthenticatorDescription {type=com.other}, ComponentInfo{com.other/.B}, uid 10051\nUser UserInfo{10:Work:1030}:\n  Accounts: 0\n  RegisteredServicesCache: 0 services\n\
wibbet-part:policy\nCurrent Device Policy Manager state:\n  Enabled Device Admins (User 0, provisioningState: 0):\n    com.lock/com.lock.Admin:\n      uid=10100\n  Profile Owner (User 10): \n    admin=ComponentInfo{com.guard/com.guard.Admin}\n    package=com.guard\n\
wibbet-part:web\nCurrent WebView Update Service state\n  Current WebView package (name, version): (com.web, 126.0)\n  WebView packages:\n    Valid package com.web (versionName: 126.0) is  installed/enabled for all users\n    Valid package com.second (versionName: 1) is NOT installed/enabled for all users\n\
wibbet-part:u0\n1\nwibbet-part:u10\nnull\n";

    #[test]
    fn what_a_device_tells() {
        let users = [UserId::OWNER, UserId::new(10)];
        let ties = read_ties(TEXT, &capabilities(34), &users);
        let accounts = ties.accounts.unwrap();
        assert_eq!(accounts[&UserId::OWNER], BTreeMap::from([(id("com.signer"), 2), (id("com.other"), 0)]));
        assert!(accounts[&users[1]].is_empty());
        let admins = ties.admins.unwrap();
        assert_eq!(admins[&UserId::OWNER], BTreeSet::from([id("com.lock")]));
        assert_eq!(admins[&users[1]], BTreeSet::from([id("com.guard")]));
        assert!(ties.web_view_told);
        assert_eq!((ties.web_view, ties.web_views), (Some(id("com.web")), BTreeSet::from([id("com.web")])));
        assert_eq!((ties.set_up, ties.choices_told), (BTreeMap::from([(UserId::OWNER, true)]), true));
    }

    #[test]
    fn what_it_does_not_tell_is_not_known() {
        for text in [
            "",
            "wibbet-part:accounts\nCan't find service: account\nwibbet-part:policy\nno\nwibbet-part:web\nCan't find service: webviewupdate\n",
        ] {
            let ties = read_ties(text, &capabilities(23), &[UserId::OWNER]);
            assert_eq!(ties, Ties::default(), "{text}");
        }
        // That there is none is told as well.
        let none =
            read_ties("wibbet-part:web\n  Current WebView package (name, version): null\n", &capabilities(34), &[]);
        assert_eq!((none.web_view_told, none.web_view), (true, None));
        // Accounts without who offers them.
        assert_eq!(read_accounts("User UserInfo{0:Crew:4c13}:\n  Accounts: 1\n    Account {name=a, type=b}\n"), None);
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>(), part in "(accounts|policy|web|u0)", at in 0..TEXT.len()) {
            let capabilities = capabilities(34);
            read_ties(&format!("wibbet-part:{part}\n{text}"), &capabilities, &[UserId::OWNER]);
            read_ties(&TEXT[..at], &capabilities, &[UserId::OWNER]);
        }
    }
}
