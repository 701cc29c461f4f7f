//! `cmd user list`, `list users`.

use wibbet_types::{PlainText, UserId};

use super::packages_dump::MOST_USERS;
use crate::android::Capabilities;
use crate::ask::Request;
use crate::device::{Forbidden, User, UserKind};

/// Flags of `UserInfo`, as AOSP defines them.
const FLAG_GUEST: u32 = 0x4;
const FLAG_MANAGED_PROFILE: u32 = 0x20;
const FLAG_PROFILE: u32 = 0x1000;

/// What is asked for the users, one after the other until one names some. Up to Android 8.1 the user service's own
/// shell answers in a fraction of the time that `pm` takes.
pub fn users_requests(capabilities: &Capabilities) -> Vec<Request> {
    let own = Request::shell("cmd user list");
    let package = Request::look(&["list", "users"]);
    match capabilities.has_user_service_shell() {
        true if capabilities.takes_binder_calls() => vec![package, own],
        true => vec![own, package],
        false => vec![package],
    }
}

/// Users of whom nothing but the number is known: those for whom packages have a state.
pub fn users_by_number(numbers: impl IntoIterator<Item = UserId>) -> Vec<User> {
    let bare = |id: UserId| {
        let kind = if id == UserId::OWNER { UserKind::Owner } else { UserKind::Full };
        User {
            id,
            name: PlainText::default(),
            kind,
            running: false,
            unlocked: None,
            forbidden: Forbidden::default(),
            admins: Vec::new(),
        }
    };
    let numbers: std::collections::BTreeSet<UserId> = numbers.into_iter().collect();
    numbers.into_iter().take(MOST_USERS).map(bare).collect()
}

/// Reads lines like `UserInfo{10:Work profile:1030} running`. A name may hold colons and braces;
/// lines of another kind are skipped.
pub fn read_users(text: &str) -> Vec<User> {
    let mut users: Vec<User> = text.lines().filter_map(read_user).collect();
    users.sort_by_key(|u| u.id);
    users.dedup_by_key(|u| u.id);
    users.truncate(MOST_USERS);
    users
}

/// A user out of a line; what stands behind the brace tells whether it runs.
pub(super) fn read_user(line: &str) -> Option<User> {
    let inside = line.trim().strip_prefix("UserInfo{")?;
    let (inside, rest) = inside.rsplit_once('}')?;
    let (id, inside) = inside.split_once(':')?;
    let (name, flags) = inside.rsplit_once(':')?;
    let id: UserId = id.parse().ok()?;
    let flags = u32::from_str_radix(flags, 16).ok()?;
    let kind = match flags {
        _ if id == UserId::OWNER => UserKind::Owner,
        f if f & FLAG_MANAGED_PROFILE != 0 => UserKind::Work,
        f if f & FLAG_PROFILE != 0 => UserKind::Profile,
        f if f & FLAG_GUEST != 0 => UserKind::Guest,
        _ => UserKind::Full,
    };
    let running = rest.trim() == "running";
    Some(User {
        id,
        name: PlainText::short(name),
        kind,
        running,
        unlocked: None,
        forbidden: Forbidden::default(),
        admins: Vec::new(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn users_of_several_versions() {
        let users = read_users(
            "Users:\n\tUserInfo{10:Work: night {2}:1030} running\n\tUserInfo{0:Owner:c13} running\n\tUserInfo{11:Guest:404}\n\tUserInfo{x:y:z}\n",
        );
        let seen: Vec<_> = users.iter().map(|u| (u.id.number(), u.name.as_str(), u.kind, u.running)).collect();
        assert_eq!(
            seen,
            [
                (0, "Owner", UserKind::Owner, true),
                (10, "Work: night {2}", UserKind::Work, true),
                (11, "Guest", UserKind::Guest, false),
            ]
        );
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_users(&text);
            read_users(&format!("UserInfo{{{text}}}"));
        }
    }
}
