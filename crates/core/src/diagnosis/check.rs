//! What is looked at by itself to tell whether something is broken still.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{PackageId, UserId, shell_quoted};

use super::halving::Evaluation;
use crate::android::Capabilities;
use crate::ask::Request;
use crate::device::AppFailure;
use crate::read::{marked_request, parts, read_answers};

/// A check that takes nobody's eyes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Check {
    /// Somebody answers an action: an activity, a service or a receiver.
    Answered(String),
    /// An app does not fail any more.
    Fails(PackageId),
    /// The device starts up: it is restarted to see that.
    Starts,
}

/// The record's form: `answered ACTION`, `fails ID`, `starts`.
impl fmt::Display for Check {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Answered(action) => write!(f, "answered {action}"),
            Self::Fails(id) => write!(f, "fails {id}"),
            Self::Starts => f.write_str("starts"),
        }
    }
}

/// A text that is no check.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no check: it is answered ACTION, fails ID, or starts")]
pub struct BadCheck(String);

impl FromStr for Check {
    type Err = BadCheck;

    fn from_str(text: &str) -> Result<Self, BadCheck> {
        let bad = || BadCheck(text.chars().take(80).collect());
        if text.trim() == "starts" {
            return Ok(Self::Starts);
        }
        let (kind, of) = text.trim().split_once([' ', ':']).ok_or_else(bad)?;
        let of = of.trim();
        match kind {
            "answered" if is_action(of) => Ok(Self::Answered(of.to_owned())),
            "fails" => of.parse().map(Self::Fails).map_err(|_| bad()),
            _ => Err(bad()),
        }
    }
}

/// Whether a text can be the name of an action.
fn is_action(text: &str) -> bool {
    let fits = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_');
    text.contains('.') && text.len() <= 200 && text.bytes().all(fits)
}

impl Check {
    /// What people type for one: an id, which is of an app that fails, an action, which nobody answers, or `starts`.
    pub fn typed(text: &str, is_package: impl Fn(&PackageId) -> bool) -> Option<Self> {
        let text = text.trim();
        if text == "starts" {
            return Some(Self::Starts);
        }
        if let Some(id) = text.parse().ok().filter(is_package) {
            return Some(Self::Fails(id));
        }
        is_action(text).then(|| Self::Answered(text.to_owned()))
    }

    /// What is looked at, in words; `name` gives packages the names that people know.
    pub fn words(&self, name: impl Fn(&PackageId) -> String) -> String {
        match self {
            Self::Answered(action) => format!("whether anybody answers {action}"),
            Self::Starts => "whether the device starts up: it is restarted for that".into(),
            Self::Fails(id) => {
                format!("whether {} fails: open it on the device, unless it does that by itself", name(id))
            }
        }
    }

    /// What is asked of the device; `None` where the log of what fails is looked at, or this version has no words for it.
    pub fn request(&self, user: UserId, capabilities: &Capabilities) -> Option<Request> {
        let Self::Answered(action) = self else { return None };
        let asked = ["query-activities", "query-services", "query-receivers"];
        let line = |command: &str| format!("cmd package {command} --brief --user {user} -a {}", shell_quoted(action));
        let lines = asked.map(|command| (command, line(command)));
        let request = || marked_request(lines.iter().map(|(name, line)| (*name, line.as_str())));
        capabilities.answers_queries().then(request)
    }

    /// What its answer says.
    pub fn read(&self, text: &str) -> Evaluation {
        let told: Vec<_> = parts(text).map(|(_, body)| read_answers(body)).collect();
        match told.iter().flatten().any(|who| !who.is_empty()) {
            true => Evaluation::Gone,
            // Nobody, where all three were told.
            false if told.len() == 3 && told.iter().all(Option::is_some) => Evaluation::Still,
            false => Evaluation::CannotTell,
        }
    }

    /// Whether what has failed says that it is broken still.
    pub fn is_seen_in(&self, failed: &[AppFailure]) -> bool {
        let Self::Fails(id) = self else { return false };
        failed.iter().any(|failure| failure.package.as_ref() == Some(id) || failure.process.as_str() == id.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::FailureKind;
    use crate::testing;
    use wibbet_types::PlainText;

    #[test]
    fn what_is_written_is_read() {
        for check in
            [Check::Answered("android.intent.action.SEND".into()), Check::Fails(testing::id("fer.pellmoor.tides"))]
        {
            assert_eq!(check.to_string().parse(), Ok(check));
        }
        assert_eq!(Check::Starts.to_string().parse(), Ok(Check::Starts));
        assert_eq!("fails:com.ostrel.notes".parse(), Ok(Check::Fails(testing::id("com.ostrel.notes"))));
        for bad in ["", "fails", "fails a b", "answered", "answered a;b.c", "answered x", "starts now", "restarts"] {
            assert!(bad.parse::<Check>().is_err(), "{bad}");
        }
        let there = |id: &PackageId| id.as_str() == "com.ostrel.notes";
        assert_eq!(Check::typed(" com.ostrel.notes ", there), Some(Check::Fails(testing::id("com.ostrel.notes"))));
        assert_eq!(
            Check::typed("android.intent.action.SEND", there).map(|c| c.to_string().contains("SEND")),
            Some(true)
        );
        assert_eq!(Check::typed("no weather", there), None);
    }

    #[test]
    fn what_answers_say() {
        let check = Check::Answered("android.intent.action.SEND".into());
        let request = check.request(UserId::new(10), &testing::capabilities(34)).unwrap().command();
        assert!(
            request.contains("cmd package query-services --brief --user 10 -a android.intent.action.SEND"),
            "{request}"
        );
        assert!(check.request(UserId::OWNER, &testing::capabilities(23)).is_none());
        let none = "wibbet-part:query-activities\nNo activities found\nwibbet-part:query-services\nNo services found\n\
                    wibbet-part:query-receivers\nNo receivers found\n"
            .replace("\\\n", "\n");
        let one = none.replace("No services found", "1 services found:\n  Service #0:\n    priority=0\n    a.b/.C");
        let half = none.replace("No receivers found", "Error: no such command");
        assert_eq!(check.read(&none), Evaluation::Still);
        assert_eq!(check.read(&one), Evaluation::Gone);
        assert_eq!(check.read(&half), Evaluation::CannotTell);
        assert_eq!(check.read(""), Evaluation::CannotTell);
    }

    #[test]
    fn what_the_log_says() {
        let failure = |process: &str, package: Option<&str>| AppFailure {
            user: UserId::OWNER,
            process: PlainText::new(process),
            package: package.map(testing::id),
            kind: FailureKind::Crash,
            why: PlainText::new("java.lang.NullPointerException"),
        };
        let check = Check::Fails(testing::id("a.b"));
        assert!(check.is_seen_in(&[failure("a.b:remote", Some("a.b"))]) && check.is_seen_in(&[failure("a.b", None)]));
        assert!(!check.is_seen_in(&[failure("a.c", Some("a.c"))]) && !check.is_seen_in(&[]));
    }
}
