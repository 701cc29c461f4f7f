//! What is on the device's screen.

use wibbet_types::{PackageId, UserId};

use crate::ask::Request;

/// What is asked: the window that has the keys, and the activity that runs in front.
pub fn front_request() -> Request {
    Request::shell("dumpsys window | grep mCurrentFocus; dumpsys activity activities | grep -i resumedactivity")
}

/// Reads lines like `mCurrentFocus=Window{1f2e3d u0 com.a/com.a.Main}` and
/// `topResumedActivity=ActivityRecord{4a5b6c u10 com.b/.Start t12}`: whose app it is. The window with the keys counts
/// before the activity, since a dialog of another app may be over it; windows of no app, such as the lock screen, do
/// not count.
pub fn read_front(text: &str) -> Option<(PackageId, UserId)> {
    text.lines().find_map(|line| {
        let (_, inside) = line.split_once('{')?;
        let mut words = inside.trim_end_matches(['}', ' ', '\r']).split_whitespace();
        let user = words.find_map(|w| w.strip_prefix('u')?.parse::<UserId>().ok())?;
        let (id, class) = words.next()?.split_once('/')?;
        (!class.is_empty()).then(|| id.parse().ok()).flatten().map(|id| (id, user))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn windows_and_activities_of_several_versions() {
        for (text, front) in [
            ("  mCurrentFocus=Window{1f2e3d u0 com.a/com.a.Main}\n", Some(("com.a", 0))),
            (
                "  mCurrentFocus=null\n    mResumedActivity: ActivityRecord{4a5b u10 com.b/.Start t12}\n",
                Some(("com.b", 10)),
            ),
            (
                "  mCurrentFocus=Window{77 u0 NotificationShade}\n  topResumedActivity=ActivityRecord{1 u0 com.c/.X t3}\r\n",
                Some(("com.c", 0)),
            ),
            ("    ResumedActivity: ActivityRecord{1 u0 com.d/com.d.Y t3 f}}\n", Some(("com.d", 0))),
            ("/system/bin/sh: grep: not found\n", None),
            ("mCurrentFocus=Window{u0 /}\n", None),
            ("", None),
        ] {
            let found = read_front(text);
            assert_eq!(found.as_ref().map(|(id, user)| (id.as_str(), user.number())), front, "{text}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_front(&text);
            read_front(&format!("x{{u0 {text}"));
        }
    }
}
