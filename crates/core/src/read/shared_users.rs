//! `dumpsys package shared-users`: what users of the system that several packages share have been permitted. The packages' own
//! part of the dump leaves it out. As AOSP's `Settings.dumpSharedUsersLPr` prints it:
//!
//! ```text
//! Shared users:
//!   SharedUser [android.uid.phone] (1f2e3d):
//!     appId=1001
//!     install permissions:
//!       android.permission.INTERNET: granted=true
//!     User 0:
//!       runtime permissions:
//!         android.permission.READ_SMS: granted=true, flags=[ ]
//! ```

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_types::{PlainText, UserId};

use super::packages_dump::{List, list_head, permission, take_permission};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::PackageDetails;

/// Shared users of which something is kept. Devices have some tens.
const MOST: usize = 500;

/// What is asked.
pub fn shared_users_request(capabilities: &Capabilities) -> Request {
    Request::shell(capabilities.dump("package shared-users"))
}

/// What each shared user may do, by its name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SharedUsers(BTreeMap<PlainText, PackageDetails>);

/// Reads the answer to [`shared_users_request`]. Of two users of one name none is believed.
pub fn read_shared_users(text: &str) -> SharedUsers {
    let mut found: BTreeMap<PlainText, Option<PackageDetails>> = BTreeMap::new();
    let mut open: Option<PlainText> = None;
    let (mut list, mut user): (Option<List>, Option<UserId>) = (None, None);
    for line in text.lines() {
        if let Some(name) = line.strip_prefix("  SharedUser [").and_then(|l| l.split_once("] (")).map(|(name, _)| name)
        {
            let name = PlainText::new(name);
            (list, user) = (None, None);
            let again = found.contains_key(&name);
            open = (found.len() < MOST && !again).then(|| name.clone());
            found.insert(name, (!again).then(PackageDetails::default));
            continue;
        }
        let Some(Some(about)) = open.as_ref().and_then(|name| found.get_mut(name)) else { continue };
        let line = line.trim();
        if let Some(head) = list_head(line, user) {
            list = Some(head);
        } else if let Some(number) = line.strip_prefix("User ").and_then(|l| l.strip_suffix(':')) {
            (list, user) = (None, number.parse().ok());
        } else if let (Some(list), Some((name, granted))) = (list, permission(line)) {
            if granted {
                take_permission(about, list, Arc::from(name));
            }
        } else {
            list = None;
        }
    }
    SharedUsers(found.into_iter().filter_map(|(name, about)| Some((name, about?))).collect())
}

impl SharedUsers {
    /// Tells a package what it may do by the user that it shares.
    pub fn tell(&self, about: &mut PackageDetails) {
        let Some(told) = about.shared_user.as_ref().and_then(|name| self.0.get(name)) else { return };
        about.granted.extend(told.granted.iter().cloned());
        for (user, granted) in &told.granted_to {
            about.granted_to.entry(*user).or_default().extend(granted.iter().cloned());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "Shared users:\n  SharedUser [android.uid.phone] (1f):\n    appId=1001\n    Packages\n      PackageSetting{5a com.android.phone/1001}\n\
    install permissions:\n      android.permission.INTERNET: granted=true\n      android.permission.NOT: granted=false\n    User 0: \n      gids=[3003]\n      runtime permissions:\n\
        android.permission.READ_SMS: granted=true, flags=[ ]\n        android.permission.CAMERA: granted=false, flags=[ ]\n    User 10: \n      runtime permissions:\n        android.permission.AUDIO: granted=false, flags=[ ]\n        android.permission.CAMERA: granted=true\n  \
SharedUser [twice] (2):\n    install permissions:\n      a.b: granted=true\n  SharedUser [twice] (3):\n    install permissions:\n      a.c: granted=true\n  \
SharedUser [old] (4):\n    userId=10077\n    grantedPermissions:\n      android.permission.VIBRATE\n";

    fn member(of: &str, told: &SharedUsers) -> PackageDetails {
        let mut about = PackageDetails { shared_user: Some(PlainText::new(of)), ..PackageDetails::default() };
        told.tell(&mut about);
        about
    }

    #[test]
    fn members_have_what_their_user_has() {
        let told = read_shared_users(TEXT);
        let phone = member("android.uid.phone", &told);
        assert_eq!(phone.granted.iter().map(AsRef::as_ref).collect::<Vec<&str>>(), ["android.permission.INTERNET"]);
        let may = |permission, user| phone.may(permission, UserId::new(user));
        assert!(may("android.permission.READ_SMS", 0) && !may("android.permission.READ_SMS", 10));
        assert!(may("android.permission.CAMERA", 10) && !may("android.permission.CAMERA", 0));
        assert!(member("twice", &told).granted.is_empty());
        assert!(member("old", &told).granted.contains("android.permission.VIBRATE"));
        assert_eq!(member("nobody", &told), member("nobody", &SharedUsers::default()));
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_read(text in proptest::prelude::any::<String>(), at in 0..TEXT.len()) {
            read_shared_users(&text);
            read_shared_users(&format!("  SharedUser [x] (1):\n{text}"));
            read_shared_users(&TEXT[..at]);
        }
    }
}
