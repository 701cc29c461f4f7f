//! How a device is at the moment: one shell command that asks for all of it, and the reading of what it
//! prints. Each part may be missing on a given device.

use std::collections::BTreeMap;
use std::time::Duration;

use wibbet_types::{PackageId, PlainText, UserId};

use super::parts::{marked_request, parts};
use super::users::read_user;
use crate::android::Capabilities;
use crate::ask::Request;
use crate::device::{Battery, Forbidden, Managed, Root, Space, UserCondition, UserKind, Vitals};

/// What changes by the minute: a name and the command.
const QUICK: [(&str, &str); 5] = [
    ("booted", "getprop sys.boot_completed"),
    ("starts", "getprop sys.system_server.start_count"),
    ("uptime", "cat /proc/uptime"),
    ("space", "df /data"),
    ("battery", "dumpsys battery"),
];

/// What changes by the day, or when somebody changes it. `dumpsys account` names people's accounts; only their number is
/// kept.
const SLOW: [(&str, &str); 9] = [
    ("current", "am get-current-user"),
    ("awake", "settings get global stay_on_while_plugged_in"),
    ("name", "settings get global device_name"),
    ("who", "id"),
    ("su", "ls /system/bin/su /system/xbin/su /sbin/su /su/bin/su"),
    ("headless", "getprop ro.fw.mu.headless_system_user"),
    ("users", "dumpsys user"),
    ("policy", "dumpsys device_policy"),
    ("accounts", "dumpsys account"),
];

/// What is asked for all of it.
pub fn report_request(capabilities: &Capabilities) -> Request {
    let staged = capabilities.stages_updates().then_some(("staged", "cmd package list staged-sessions --only-ready"));
    marked_request(QUICK.into_iter().chain(SLOW).chain(staged))
}

/// What is asked for what changes by the minute. It starts no Java runtime on any version.
pub fn vitals_request() -> Request {
    marked_request(QUICK)
}

/// Whether this computer's key is among those that the device has stored: the text of the debugging service names them. Allowed
/// without “always”, it is not.
pub fn stored_keys_request(capabilities: &Capabilities) -> Request {
    Request::shell(capabilities.dump(if capabilities.has_debugging_service() { "adb" } else { "usb" }))
}

/// Reads the answer to [`stored_keys_request`] for some keys, each the line of one (with or without a remark); `None` where it
/// tells of no keys at all.
pub fn read_stored_keys<'a>(text: &str, keys: impl IntoIterator<Item = &'a str>) -> Option<bool> {
    let tells = ["user_keys", "User keys"].iter().any(|heading| text.contains(heading));
    let stored = |line: &str| line.split(' ').next().is_some_and(|key| key.len() > 100 && text.contains(key));
    tells.then(|| keys.into_iter().any(stored))
}

/// Reads a device's answer to [`report_request`] or to [`vitals_request`].
pub fn read_report(text: &str) -> (Vitals, Vec<UserCondition>) {
    let mut vitals = Vitals::default();
    let mut users = Vec::new();
    let mut policy_told = false;
    let mut admins = BTreeMap::new();
    for (name, body) in parts(text) {
        let first = body.lines().next().unwrap_or("").trim();
        match name {
            // Empty while Android is starting; an error text says nothing either way.
            "booted" => vitals.started = (first.len() <= 1).then_some(first == "1"),
            "starts" => vitals.framework_starts = first.parse().ok().filter(|count| *count > 0),
            "current" => vitals.current_user = first.parse().ok(),
            "name" => vitals.owners_name = owners_name(first),
            "headless" => vitals.headless = first == "true",
            "staged" => {
                vitals.staged = body.lines().any(|line| line.contains("appPackageName") || line.contains("sessionId"))
            }
            "awake" => vitals.stays_awake = first.parse().ok(),
            "uptime" => vitals.uptime = uptime(first),
            "space" => vitals.space = space(body),
            "battery" => vitals.battery = battery(body),
            "who" if first.starts_with("uid=0(") => vitals.root = Some(Root::Daemon),
            "su" if vitals.root.is_none() => {
                let found = body.lines().any(|l| l.trim().starts_with('/') && l.trim().ends_with("/su"));
                vitals.root = Some(if found { Root::Su } else { Root::None });
            }
            "users" => users = user_conditions(body),
            "policy" => {
                vitals.managed = managed(body);
                admins = active_admins(body);
                policy_told = body.contains("Device Policy Manager");
            }
            "accounts" => vitals.accounts = accounts(body),
            _ => {}
        }
    }
    if vitals.headless {
        users.iter_mut().filter(|user| user.id == UserId::OWNER).for_each(|user| user.kind = Some(UserKind::System));
    }
    // Makers make profiles for locked folders and second copies of apps that are work profiles to Android; nobody manages
    // those.
    let nobodys = |user: &&mut UserCondition| {
        user.kind == Some(UserKind::Work) && !vitals.managed.iter().any(|owner| owner.user == Some(user.id))
    };
    users.iter_mut().filter(nobodys).filter(|_| policy_told).for_each(|user| user.kind = Some(UserKind::Profile));
    for user in &mut users {
        user.admins = admins.remove(&user.id).unwrap_or_default();
    }
    (vitals, users)
}

/// The name that its owner gave the device.
fn owners_name(line: &str) -> Option<PlainText> {
    let none = line.is_empty() || line == "null" || line.contains("Can't find service") || line.starts_with("Error");
    (!none).then(|| PlainText::short(line))
}

/// The apps that are active administrators, by user: lines `PKG/CLASS:` under `Enabled Device Admins (User 0…):`.
pub(super) fn active_admins(body: &str) -> BTreeMap<UserId, Vec<PackageId>> {
    let mut found: BTreeMap<UserId, Vec<PackageId>> = BTreeMap::new();
    let mut user = None;
    for line in body.lines().map(str::trim) {
        if let Some(rest) = line.strip_prefix("Enabled Device Admins (User ") {
            user = rest.split([',', ')']).next().and_then(|number| number.parse().ok());
        } else if line.contains("(User ") || line.starts_with("Device Owner:") {
            user = None;
        } else if let (Some(user), Some((id, _))) = (user, line.strip_suffix(':').and_then(|name| name.split_once('/')))
            && let Ok(id) = id.parse()
        {
            found.entry(user).or_default().push(id);
        }
    }
    found
}

fn uptime(line: &str) -> Option<Duration> {
    let seconds: f64 = line.split(' ').next()?.parse().ok()?;
    Duration::try_from_secs_f64(seconds).ok()
}

/// `df` of toybox counts in kibibytes; that of older systems writes `12.3G`.
pub(super) fn space(body: &str) -> Option<Space> {
    let words: Vec<&str> =
        body.lines().find(|l| l.contains("/data") && !l.contains("No such"))?.split_whitespace().collect();
    if let Some(at) = words.iter().position(|w| w.ends_with('%')) {
        let kib = |back: usize| words.get(at.checked_sub(back)?)?.parse::<u64>().ok()?.checked_mul(1024);
        return Some(Space { total: kib(3)?, free: kib(1)? });
    }
    let size = |at: usize| human_size(words.get(at)?);
    Some(Space { total: size(1)?, free: size(3)? })
}

fn human_size(word: &str) -> Option<u64> {
    let (number, unit) = word.split_at(word.find(|c: char| c.is_ascii_alphabetic()).unwrap_or(word.len()));
    let factor = match unit {
        "" => 1.0,
        "K" => 1024.0,
        "M" => 1024.0 * 1024.0,
        "G" => 1024.0 * 1024.0 * 1024.0,
        "T" => 1024.0 * 1024.0 * 1024.0 * 1024.0,
        _ => return None,
    };
    let number: f64 = number.parse().ok()?;
    (number.is_finite() && (0.0..1e9).contains(&number)).then_some((number * factor) as u64)
}

fn battery(body: &str) -> Option<Battery> {
    let field = |name: &str| {
        body.lines().filter_map(|l| l.trim().split_once(':')).find(|(n, _)| *n == name).map(|(_, v)| v.trim())
    };
    if field("present") == Some("false") {
        return None;
    }
    let level: u32 = field("level")?.parse().ok()?;
    let scale: u32 = field("scale").and_then(|s| s.parse().ok()).filter(|s| *s > 0).unwrap_or(100);
    let percent = u8::try_from((u64::from(level) * 100 / u64::from(scale)).min(100)).unwrap_or(100);
    let powered = ["AC powered", "USB powered", "Wireless powered", "Dock powered"];
    Some(Battery { percent, powered: powered.iter().any(|name| field(name) == Some("true")) })
}

fn user_conditions(body: &str) -> Vec<UserCondition> {
    let mut users: Vec<UserCondition> = Vec::new();
    let mut effective = false;
    for line in body.lines().map(str::trim) {
        if line.starts_with("UserInfo{") {
            let told = read_user(line);
            let kind = told.as_ref().map(|user| user.kind);
            if let Some(id) = told.map(|user| user.id)
                && !users.iter().any(|u| u.id == id)
            {
                users.push(UserCondition {
                    id,
                    kind,
                    running: None,
                    unlocked: None,
                    forbidden: Forbidden::default(),
                    admins: Vec::new(),
                });
            }
            continue;
        }
        let Some(user) = users.last_mut() else { continue };
        match line {
            "Effective restrictions:" => effective = true,
            // The names stand alone on their lines.
            name if effective && name.starts_with("no_") && !name.contains(' ') => user.forbidden.note(name),
            _ => effective = false,
        }
        if let Some(kind) = line.strip_prefix("Type: ") {
            user.kind = user_kind(kind.trim()).or(user.kind);
        } else if let Some(state) = line.strip_prefix("State: ") {
            let state = state.trim();
            user.running = Some(state.starts_with("RUNNING"));
            user.unlocked = match state {
                "RUNNING_UNLOCKED" => Some(true),
                "RUNNING_LOCKED" | "RUNNING_UNLOCKING" | "BOOTING" | "-1" => Some(false),
                _ => None,
            };
        }
    }
    users
}

fn user_kind(name: &str) -> Option<UserKind> {
    Some(match name.rsplit('.').next()? {
        "HEADLESS" => UserKind::System,
        "SYSTEM" => UserKind::Owner,
        "MANAGED" => UserKind::Work,
        "CLONE" => UserKind::Clone,
        "PRIVATE" => UserKind::Private,
        "TEST" | "COMMUNAL" => UserKind::Profile,
        "GUEST" => UserKind::Guest,
        "SECONDARY" | "DEMO" | "RESTRICTED" => UserKind::Full,
        _ => return None,
    })
}

/// Owners of the device or of profiles, from lines like `Device Owner:` and `Profile Owner (User 10):` with a
/// `package=` behind them.
pub(super) fn managed(body: &str) -> Vec<Managed> {
    let mut found: Vec<Managed> = Vec::new();
    let mut owner: Option<Option<UserId>> = None;
    for line in body.lines().map(str::trim) {
        if line.starts_with("Device Owner:") {
            owner = Some(None);
        } else if let Some(rest) = line.strip_prefix("Profile Owner (User ") {
            owner = rest.split(')').next().and_then(|n| n.parse().ok()).map(Some);
        } else if let (Some(user), Some(package)) = (owner, line.strip_prefix("package=")) {
            if let Ok(package) = package.trim().parse::<PackageId>() {
                found.push(Managed { user, package });
            }
            owner = None;
        } else if line.ends_with(':') && line.contains("(User ") {
            owner = None;
        }
    }
    found
}

fn accounts(body: &str) -> Option<u32> {
    let counts: Vec<u32> =
        body.lines().filter_map(|l| l.trim().strip_prefix("Accounts:")?.trim().parse().ok()).collect();
    (!counts.is_empty()).then(|| counts.iter().fold(0u32, |sum, n| sum.saturating_add(*n)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::read::help::read_commands;
    use proptest::prelude::*;

    const NEW: &str = "wibbet-part:booted\n1\nwibbet-part:starts\n3\nwibbet-part:current\n0\nwibbet-part:awake\n0\nwibbet-part:uptime\n93784.11 300.00\n\
wibbet-part:space\nFilesystem       1K-blocks     Used Available Use% Mounted on\n/dev/block/dm-5  114286404 48200000  66086404  43% /data\n\
wibbet-part:battery\nCurrent Battery Service state:\n  AC powered: false\n  USB powered: true\n  present: true\n  level: 87\n  scale: 100\n\
wibbet-part:who\nuid=2000(shell) gid=2000(shell)\nwibbet-part:su\nls: /system/bin/su: No such file or directory\n\
wibbet-part:users\nCurrent user: 0\nUsers:\n  UserInfo{0:Crew:4c13} serialNo=0 isPrimary=true\n    Type: android.os.usertype.full.SYSTEM\n    State: RUNNING_UNLOCKED\n\
  UserInfo{10:Work:1030} serialNo=10\n    Type: android.os.usertype.profile.MANAGED\n    State: RUNNING_LOCKED\n    Restrictions:\n      no_install_apps\n    Effective restrictions:\n      no_uninstall_apps\n      no_sms\n    Has profile owner: true\n  UserInfo{11:Twin:1010} serialNo=11\n    Type: android.os.usertype.profile.CLONE\n    State: -1\n\
wibbet-part:policy\nCurrent Device Policy Manager state:\n  Device Owner: \n    admin=ComponentInfo{com.pellmoor.desk/x}\n    package=com.pellmoor.desk\n  Profile Owner (User 10): \n    package=com.pellmoor.work\n  Enabled Device Admins (User 0, provisioningState: 0):\n    com.pellmoor.work/.Admin:\n      uid=10100\n      testOnlyAdmin=false\n    package=not.an.owner\n\
wibbet-part:accounts\nUser UserInfo{0:Crew:4c13}:\n  Accounts: 2\n    Account {name=a, type=b}\nUser UserInfo{10:Work:1030}:\n  Accounts: 1\n";

    #[test]
    fn a_new_phone() {
        let (condition, users) = read_report(NEW);
        assert_eq!((condition.started, condition.framework_starts), (Some(true), Some(3)));
        assert!(condition.warnings().iter().any(|w| w.contains("crashed 2 times")), "{:?}", condition.warnings());
        for (count, told) in [("1", false), ("2", true), ("", false), ("0", false), ("x", false)] {
            let (seen, _) = read_report(&format!("wibbet-part:starts\n{count}\n"));
            assert_eq!(seen.warnings().iter().any(|w| w.contains("crashed once") && count == "2"), told, "{count}");
        }
        assert_eq!(condition.current_user, Some(UserId::OWNER));
        assert_eq!(condition.stays_awake, Some(0));
        assert_eq!(condition.uptime.map(|u| u.as_secs()), Some(93784));
        assert_eq!(condition.space, Some(Space { total: 114286404 * 1024, free: 66086404 * 1024 }));
        assert_eq!(condition.battery, Some(Battery { percent: 87, powered: true }));
        assert_eq!(condition.root, Some(Root::None));
        assert_eq!(condition.accounts, Some(3));
        let owners: Vec<_> =
            condition.managed.iter().map(|m| (m.user.map(UserId::number), m.package.as_str())).collect();
        assert_eq!(owners, [(None, "com.pellmoor.desk"), (Some(10), "com.pellmoor.work")]);
        assert_eq!(users[0].admins.iter().map(PackageId::as_str).collect::<Vec<_>>(), ["com.pellmoor.work"]);
        assert!(users[1].admins.is_empty());
        let forbidden = |n: usize| users[n].forbidden;
        let uninstalling = Forbidden { uninstalling: true, ..Forbidden::default() };
        assert_eq!([0, 1, 2].map(forbidden), [Forbidden::default(), uninstalling, Forbidden::default()]);
        let seen: Vec<_> = users.iter().map(|u| (u.id.number(), u.kind, u.running, u.unlocked)).collect();
        assert_eq!(
            seen,
            [
                (0, Some(UserKind::Owner), Some(true), Some(true)),
                (10, Some(UserKind::Work), Some(true), Some(false)),
                (11, Some(UserKind::Clone), Some(false), Some(false)),
            ]
        );
    }

    #[test]
    fn an_old_phone_and_a_starting_one() {
        let old = "wibbet-part:booted\r\n\r\nwibbet-part:space\r\nFilesystem               Size     Used     Free   Blksize\r\n/data                    5.1G     3.4G     1.7G   4096\r\n\
                   wibbet-part:who\r\nuid=0(root) gid=0(root)\r\nwibbet-part:su\r\n/system/xbin/su\r\nwibbet-part:battery\r\nCan't find service: battery\r\n";
        let (condition, users) = read_report(old);
        assert_eq!((condition.started, condition.root), (Some(false), Some(Root::Daemon)));
        let space = condition.space.unwrap();
        assert_eq!((space.total >> 20, space.free >> 20), (5222, 1740));
        assert_eq!((condition.battery, condition.accounts, users.len()), (None, None, 0));
        assert_eq!(read_report("wibbet-part:su\n/system/xbin/su\n").0.root, Some(Root::Su));
        assert_eq!(read_report("wibbet-part:booted\n/system/bin/sh: getprop: not found\n").0.started, None);
    }

    #[test]
    fn profiles_by_who_manages_them_and_systems_without_a_screen() {
        let users = |text: &str| {
            let (vitals, users) = read_report(text);
            (vitals, users.iter().map(|user| user.kind.unwrap()).collect::<Vec<_>>())
        };
        let told = "wibbet-part:users\n  UserInfo{0:Driver:c13} serialNo=0\n  UserInfo{95:Twins:1030} serialNo=95\n  UserInfo{150:Locked:1030}\n    Type: android.os.usertype.profile.MANAGED\n\
UserInfo{11:Hidden:1090}\n    Type: android.os.usertype.profile.PRIVATE\n";
        let policy = "wibbet-part:policy\nCurrent Device Policy Manager state:\n";
        use UserKind::{Owner, Private, Profile, System, Work};
        assert_eq!(users(&format!("{told}{policy}")).1, [Owner, Profile, Profile, Private]);
        // Who manages them is not known.
        assert_eq!(users(told).1, [Owner, Work, Work, Private]);
        let (car, kinds) = users(&format!("wibbet-part:headless\ntrue\n{told}wibbet-part:current\n10\n"));
        assert_eq!((car.headless, car.current_user, kinds[0]), (true, Some(UserId::new(10)), System));
        let (parts, _) = read_report(
            "wibbet-part:name\nStoreroom 3\nwibbet-part:staged\nappPackageName = com.x; sessionId = 1; isStaged = true\n",
        );
        assert_eq!((parts.owners_name.as_ref().map(PlainText::as_str), parts.staged), (Some("Storeroom 3"), true));
        let (none, _) = read_report("wibbet-part:name\nnull\nwibbet-part:staged\n");
        assert_eq!((none.owners_name, none.staged), (None, false));
        // Repairs run as a user of their own, whose changes may go with it.
        let (repair, _) = read_report("wibbet-part:current\n77\n");
        assert!(repair.warnings().iter().any(|w| w.contains("maintenance")));
    }

    #[test]
    fn keys_that_are_stored() {
        let (own, other) = ("Q".repeat(300), "R".repeat(300));
        let lines = [format!("{own} test@bench")];
        let stored = |text: &str| read_stored_keys(text, lines.iter().map(String::as_str));
        assert_eq!(stored(&format!("  user_keys={other} a@b\n{own} test@bench\n")), Some(true));
        assert_eq!(stored(&format!("    User keys:\n{other} a@b\n")), Some(false));
        assert_eq!(stored("Can't find service: adb\n"), None);
        assert_eq!(read_stored_keys("user_keys=\n", [""]), Some(false));
    }

    #[test]
    fn commands_of_old_and_new_help() {
        let old = "usage: pm list packages [-f]\n       pm uninstall [-k] PACKAGE\n       pm disable-user PACKAGE\n";
        assert_eq!(read_commands(old), ["list", "uninstall", "disable-user"]);
        let new = "Package manager (package) commands:\n  help\n    Print this help text.\n\n  list packages [-f]\n  install-existing [--user USER_ID|all|current]\n    installs things\n";
        assert_eq!(read_commands(new), ["list", "install-existing"]);
        assert!(read_commands("Can't find service: package").is_empty());
    }

    proptest! {
        #[test]
        fn any_text_is_a_report(text in any::<String>(), part in 0usize..QUICK.len() + SLOW.len()) {
            read_report(&text);
            read_report(&format!("wibbet-part:{}\n{text}", QUICK.iter().chain(&SLOW).nth(part).unwrap().0));
        }

        #[test]
        fn any_cut_is_a_report(at in 0..NEW.len()) {
            read_report(&NEW[..at]);
        }
    }
}
