//! Who uses whose services and providers at this moment: `dumpsys activity services` and `providers`; and with what people lock
//! the screen: `dumpsys lock_settings`.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::parts::{marked_request, parts};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::{Binding, ScreenLock};

/// Bindings that are kept.
const MOST: usize = 20_000;

/// Bytes of the name of a class.
const LONGEST: usize = 300;

/// What is asked. By itself: it is long, and nothing that has to be known hangs on it.
pub fn bindings_request(capabilities: &Capabilities) -> Request {
    let asked = [("services", "activity services"), ("providers", "activity providers")];
    marked_request(asked.map(|(name, dump)| (name, capabilities.dump(dump))))
}

/// Reads the answer to [`bindings_request`].
pub fn read_bindings(text: &str) -> BTreeSet<Binding> {
    let mut all = BTreeSet::new();
    for (name, body) in parts(text) {
        all.extend(if name == "services" { read_services(body) } else { read_providers(body) });
    }
    all
}

/// The services in use: a record for each, `* ServiceRecord{a1b2 u0 com.x/.Y}`, below it a line for each process that is bound to it,
/// `* Client AppBindRecord{c3d4 ProcessRecord{e5f6 1234:com.z/u0a35}}`. Sources: `ServiceRecord.toString`,
/// `IntentBindRecord.dumpInService`, `ProcessRecord.toShortString`.
fn read_services(body: &str) -> BTreeSet<Binding> {
    read(body, "* ServiceRecord{", |line| {
        let rest = line.strip_prefix("* Client AppBindRecord{")?;
        rest.split_once("ProcessRecord{").map(|(_, process)| process)
    })
}

/// The providers that are held open: a record for each, `* ContentProviderRecord{a1b2 u0 com.x/.Y}`, below its `Connections:` a line for
/// each process, `-> c3d4 1234:com.z/u0a35 s1/1 u0/0 +2h`. Sources: `ContentProviderRecord.dump`,
/// `ContentProviderConnection.toClientString`.
fn read_providers(body: &str) -> BTreeSet<Binding> {
    read(body, "* ContentProviderRecord{", |line| line.strip_prefix("-> "))
}

fn read(body: &str, record: &str, client: impl Fn(&str) -> Option<&str>) -> BTreeSet<Binding> {
    let mut found = BTreeSet::new();
    let mut part = None;
    for line in body.lines().map(str::trim) {
        if let Some(rest) = line.strip_prefix(record) {
            part = component(rest);
        } else if let (Some((package, class)), Some((process, app))) = (&part, client(line).and_then(process))
            && found.len() < MOST
        {
            let (package, class) = (package.clone(), class.clone());
            found.insert(Binding { package, class, process: process.to_owned(), app: app.0, user: app.1 });
        }
    }
    found
}

/// `a1b2 u0 com.x/.Y}`: the package, and the class in full.
fn component(rest: &str) -> Option<(PackageId, String)> {
    let name = rest.split([' ', '}']).nth(2)?;
    let (package, class) = name.split_once('/')?;
    let package: PackageId = package.parse().ok()?;
    // It is shown to people: what no class can be named is none.
    let fits = |c: char| c.is_alphanumeric() || matches!(c, '.' | '_' | '$' | '-');
    if class.is_empty() || class.len() > LONGEST || !class.chars().all(fits) {
        return None;
    }
    let class = if class.starts_with('.') { format!("{package}{class}") } else { class.to_owned() };
    Some((package, class))
}

/// `e5f6 1234:com.z/u0a35}}`, `e5f6 640:system/1000`: the name of the process, its app id and its user.
fn process(rest: &str) -> Option<(&str, (u32, UserId))> {
    let word = rest.split(' ').nth(1)?.trim_end_matches('}');
    let (name, who) = word.split_once(':')?.1.rsplit_once('/')?;
    let number = |text: &str| text.parse::<u32>().ok();
    let who = match who.strip_prefix('u').and_then(|rest| rest.split_once('a')) {
        Some((user, app)) => (number(app)?.checked_add(10_000)?, UserId::new(number(user)?)),
        None => (number(who)? % 100_000, UserId::new(number(who)? / 100_000)),
    };
    Some((name, who))
}

/// With what the screen of each user is locked, which came with Android 11: `User 0` and below it `CredentialType: PIN`. Source:
/// `LockSettingsService.dump`.
pub(super) fn read_locks(body: &str) -> Vec<(UserId, ScreenLock)> {
    let mut found = Vec::new();
    let mut user = None;
    for line in body.lines().map(str::trim) {
        if let Some(number) = line.strip_prefix("User ") {
            user = number.parse().ok();
        } else if let (Some(user), Some(word)) = (user, line.strip_prefix("CredentialType: ")) {
            let lock = match word.to_ascii_lowercase().as_str() {
                "none" => ScreenLock::None,
                "pattern" => ScreenLock::Pattern,
                "pin" => ScreenLock::Pin,
                "password" => ScreenLock::Password,
                _ => continue,
            };
            found.push((user, lock));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SERVICES: &str = "ACTIVITY MANAGER SERVICES (dumpsys activity services)\n  User 0 active services:\n  \
* ServiceRecord{768 u0 com.corvane.keyboard/.Keys c:android}\n    intent={cmp=com.corvane.keyboard/.Keys}\n    app=ProcessRecord{1 9:com.corvane.keyboard/u0a5}\n    \
Bindings:\n    * IntentBindRecord{2 CREATE}:\n      * Client AppBindRecord{3 ProcessRecord{4 640:system/1000}}\n        Per-process Connections:\n          \
ConnectionRecord{5 u0 CR com.corvane.keyboard/.Keys:@6}\n  * ServiceRecord{769 u10 com.a/com.b.Far}\n      \
* Client AppBindRecord{3 ProcessRecord{4 641:com.c:remote/u10a77}}\n      * Client AppBindRecord{3 ProcessRecord{4 641:com.d/1010123}}\n";

    const PROVIDERS: &str = "  Published user 0 content providers (by class):\n  * ContentProviderRecord{1 u0 com.a/.Store}\n    package=com.a process=com.a\n    \
Connections:\n      -> 4be 1234:com.android.systemui/u0a35 s1/1 u0/0 +2d3h\n  * ContentProviderRecord{1 u0 android/no}\n      -> nobody\n";

    #[test]
    fn who_uses_whom() {
        let told = |found: BTreeSet<Binding>| -> Vec<String> {
            let line = |b: &Binding| format!("{} {} < {} {} of {}", b.package, b.class, b.process, b.app, b.user);
            found.iter().map(line).collect()
        };
        assert_eq!(
            told(read_services(SERVICES)),
            [
                "com.a com.b.Far < com.c:remote 10077 of 10",
                "com.a com.b.Far < com.d 10123 of 10",
                "com.corvane.keyboard com.corvane.keyboard.Keys < system 1000 of 0",
            ]
        );
        let odd = SERVICES.replace(".Keys ", ".K\u{1b}[2J ");
        assert_eq!(told(read_services(&odd)).len(), 2, "no class is named so");
        assert_eq!(told(read_providers(PROVIDERS)), ["com.a com.a.Store < com.android.systemui 10035 of 0"]);
    }

    #[test]
    fn how_screens_are_locked() {
        let text = "User State:\n  User 0\n    SID: 1\n    CredentialType: Password\n  User 10\n    CredentialType: ODD\n  User 11\n    CredentialType: NONE\n";
        let want = [(UserId::OWNER, ScreenLock::Password), (UserId::new(11), ScreenLock::None)];
        assert_eq!(read_locks(text), want);
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>(), at in 0..SERVICES.len(), line in "(\\* ServiceRecord\\{|-> |User |CredentialType: ).{0,40}") {
            for text in [&text, SERVICES.get(at..).unwrap_or(""), &format!("* ContentProviderRecord{{1 u0 a/b}}\n{line}")] {
                read_services(text);
                read_providers(text);
                read_locks(text);
            }
        }
    }
}
