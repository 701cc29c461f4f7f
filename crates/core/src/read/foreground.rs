//! What is on the device's screen.

use wibbet_types::{PackageId, UserId};

use super::lines::Lines;
use crate::android::Capabilities;
use crate::ask::Request;

/// What is asked: the window that has the keys, and the activity that runs in front. Both services are held up while they
/// print, so it is for one look, and for devices that tell nothing by themselves.
pub fn front_request(capabilities: &Capabilities) -> Request {
    let windows = if capabilities.tells_focus_by_display() { "window displays" } else { "window" };
    Request::shell(format!(
        "dumpsys {windows} | grep mCurrentFocus; dumpsys activity activities | grep -i resumedactivity"
    ))
}

/// Asks for the events of activities that come to the front, the last one first and then as they come, without an end. The
/// tags are those of Android 11 on, of 8 on and of all before; a log has the ones of its version. Source: the event log tags of
/// the activity and window managers.
pub fn front_events_request() -> Request {
    Request::shell(
        "logcat -b events -v raw -T 1 wm_set_resumed_activity:I wm_resume_activity:I am_set_resumed_activity:I am_resume_activity:I '*:S'",
    )
}

/// Reads the stream of such events, in pieces as they come.
#[derive(Debug, Default)]
pub struct FrontEvents(Lines);

impl FrontEvents {
    /// The app that is in front after a piece; `None` where it has told of none.
    pub fn feed(&mut self, piece: &[u8]) -> Option<(PackageId, UserId)> {
        let mut front = None;
        self.0.feed(piece, 0, &mut |line| front = read_event(line).or_else(|| front.take()));
        front
    }
}

/// Reads `[0,com.a/.Main,reason]` (user, component, reason) or `[0,12345678,12,com.a/.Main]` (user, token, task, component).
fn read_event(line: &str) -> Option<(PackageId, UserId)> {
    let inside = line.trim().strip_prefix('[')?.strip_suffix(']')?;
    let mut fields = inside.split(',');
    let user = fields.next()?.parse().ok()?;
    let (id, class) = fields.find_map(|field| field.split_once('/'))?;
    (!class.is_empty()).then(|| id.parse().ok()).flatten().map(|id| (id, user))
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

    #[test]
    fn events_of_several_versions_in_any_pieces() {
        let text = "--------- beginning of events\n[0,com.a/.Main,resumeTopActivityInnerLocked]\r\n\
                    [10,205823444,31,com.b/com.b.Start]\n[0]\n[x,com.c/.Main]\n[0,com.d,x]\n[0,com.e/.Unfinished";
        for size in [1, 7, 500] {
            let mut events = FrontEvents::default();
            let told: Vec<_> = text.as_bytes().chunks(size).filter_map(|piece| events.feed(piece)).collect();
            let last = told.last().map(|(id, user)| (id.as_str(), user.number()));
            assert_eq!(last, Some(("com.b", 10)), "in pieces of {size}");
            assert!(size == 500 || told[0].0.as_str() == "com.a");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            FrontEvents::default().feed(format!("[0,{text}]\n").as_bytes());
            read_front(&text);
            read_front(&format!("x{{u0 {text}"));
        }
    }
}
