//! What shows that something was done that no state of a package tells: that an app was stopped, or is quiet in the background. That
//! its data or its cache were cleared nothing shows over debugging.

use wibbet_types::{PackageId, UserId};

use super::finding::Finding;
use super::record::Outcome;
use super::refusal::Refusal;
use super::reply::Reply;
use super::verdict::{Response, Verdict};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::plan::Change;

/// The operation of an app that lets it work while nobody looks. Source: `AppOpsManager`, Android 9 on.
pub(crate) const IN_BACKGROUND: &str = "RUN_ANY_IN_BACKGROUND";

/// What the device says of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Proof {
    /// It is so.
    So,
    /// It is not.
    NotSo,
    /// It says nothing of it.
    Untold,
}

/// What is asked; `None` where nothing tells it.
pub fn proof_request(way: Change, id: &PackageId, user: UserId, capabilities: &Capabilities) -> Option<Request> {
    match way {
        Change::ForceStop => Some(Request::shell(capabilities.dump(&format!("package {id}")))),
        Change::Quieten | Change::Unquieten => {
            Some(Request::shell(format!("cmd appops get --user {user} {id} {IN_BACKGROUND}")))
        }
        _ => None,
    }
}

/// Reads the answer.
pub fn read_proof(way: Change, user: UserId, text: &str) -> Proof {
    let is = |so: bool| if so { Proof::So } else { Proof::NotSo };
    match way {
        Change::ForceStop => {
            let own = format!("User {user}:");
            let line = text.lines().map(str::trim).find(|line| line.starts_with(&own) && line.contains("stopped="));
            line.map_or(Proof::Untold, |line| is(line.contains("stopped=true")))
        }
        Change::Quieten | Change::Unquieten => {
            let mode = text.lines().find_map(|line| line.trim().strip_prefix(IN_BACKGROUND)?.strip_prefix(':'));
            let mode = mode.and_then(|rest| rest.trim().split(|c: char| !c.is_ascii_alphanumeric()).next());
            let nothing = text.lines().any(|line| line.trim() == "No operations.");
            match (mode, way) {
                (Some(mode), Change::Quieten) => is(mode == "ignore"),
                (Some(mode), _) => is(mode != "ignore"),
                (None, Change::Quieten) if nothing => Proof::NotSo,
                (None, _) if nothing => Proof::So,
                (None, _) => Proof::Untold,
            }
        }
        _ => Proof::Untold,
    }
}

/// Judges what no state of a package tells.
pub fn judge_act(way: Change, heard: Response, found: Finding, proof: Proof) -> Verdict {
    let verdict = |outcome, remark: &str| Verdict { outcome, remark: remark.to_owned() };
    if found == Finding::NoSuchUser {
        return verdict(Outcome::Refused, Finding::NO_SUCH_USER);
    }
    match (heard, proof) {
        (Response::Replied(Reply::Refused(why)), Proof::NotSo | Proof::Untold) => {
            Verdict { outcome: Outcome::Refused, remark: refused(why) }
        }
        (Response::Replied(Reply::Success), Proof::So) => verdict(Outcome::Done, noticed(way)),
        (_, Proof::So) => verdict(Outcome::Done, "no whole answer came; read back as so"),
        (Response::Replied(Reply::Success), Proof::Untold) => {
            let remark = match way {
                Change::ClearData | Change::ClearCache => "",
                _ => "the device tells nothing by which that could be read back",
            };
            verdict(Outcome::Answered, remark)
        }
        (Response::Replied(Reply::Success | Reply::Unclear), Proof::NotSo) => match way {
            Change::ForceStop => verdict(Outcome::NoEffect, "it was stopped, and something has started it again since"),
            _ => verdict(Outcome::NoEffect, "the device answered, and nothing has changed"),
        },
        (Response::Replied(Reply::Unclear), Proof::Untold) => {
            verdict(Outcome::Unsettled, "the answer said neither yes nor no, and nothing tells what came of it")
        }
        (_, Proof::NotSo) => verdict(Outcome::Unsettled, "no whole answer came, and it has not been done"),
        (_, Proof::Untold) => verdict(
            Outcome::Unsettled,
            "no whole answer came, and nothing tells whether it was done; it is not sent again by itself",
        ),
    }
}

/// What is worth knowing of a change that was done.
fn noticed(way: Change) -> &'static str {
    match way {
        Change::RemoveFromSystem => {
            "its files are gone; Android notices when it starts the next time, and its data go then"
        }
        Change::RestoreToSystem => {
            "its files are there again as they were; Android notices when it starts the next time"
        }
        _ => "",
    }
}

fn refused(why: Refusal) -> String {
    format!("{}; {}", why.meaning(), why.advice())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::PackageState;
    use crate::testing;

    #[test]
    fn what_shows_it() {
        let dump = "Packages:\n  Package [com.a] (1):\n    User 0: ceDataInode=5 installed=true stopped=true enabled=0\n    User 10: installed=true stopped=false\n";
        let of = |way, user: u32, text: &str| read_proof(way, UserId::new(user), text);
        assert_eq!(of(Change::ForceStop, 0, dump), Proof::So);
        assert_eq!(of(Change::ForceStop, 10, dump), Proof::NotSo);
        assert_eq!(of(Change::ForceStop, 1, dump), Proof::Untold);
        let quiet = "Uid mode: RUN_IN_BACKGROUND: allow\nRUN_ANY_IN_BACKGROUND: ignore; rejectTime=+2m ago\n";
        for (text, quietened, given_back) in [
            (quiet, Proof::So, Proof::NotSo),
            ("RUN_ANY_IN_BACKGROUND: allow\n", Proof::NotSo, Proof::So),
            ("No operations.\nDefault mode: allow\n", Proof::NotSo, Proof::So),
            ("Error: No UID for com.a in user 0\n", Proof::Untold, Proof::Untold),
            ("", Proof::Untold, Proof::Untold),
        ] {
            let [one, other] = [Change::Quieten, Change::Unquieten].map(|way| of(way, 0, text));
            assert_eq!((one, other), (quietened, given_back), "{text}");
        }
        assert_eq!(of(Change::ClearData, 0, dump), Proof::Untold);
        let capabilities = testing::capabilities(34);
        let id = testing::id("com.a");
        assert!(proof_request(Change::ClearData, &id, UserId::OWNER, &capabilities).is_none());
    }

    #[test]
    fn nothing_is_done_that_nothing_shows() {
        use Outcome as O;
        use Response as H;
        let here = Finding::State(PackageState::IN_USE);
        let (yes, no) = (H::Replied(Reply::Success), H::Replied(Reply::Refused(Refusal::Other)));
        for (way, heard, proof, outcome) in [
            (Change::ForceStop, yes, Proof::So, O::Done),
            (Change::ForceStop, yes, Proof::NotSo, O::NoEffect),
            (Change::ForceStop, yes, Proof::Untold, O::Answered),
            (Change::Quieten, H::LinkLost, Proof::So, O::Done),
            (Change::Quieten, H::LinkLost, Proof::NotSo, O::Unsettled),
            (Change::Quieten, no, Proof::NotSo, O::Refused),
            (Change::ClearData, yes, Proof::Untold, O::Answered),
            (Change::ClearData, H::Silence, Proof::Untold, O::Unsettled),
            (Change::ClearData, H::Replied(Reply::Unclear), Proof::Untold, O::Unsettled),
            (Change::ClearData, no, Proof::Untold, O::Refused),
        ] {
            assert_eq!(judge_act(way, heard, here, proof).outcome, outcome, "{way} {heard:?} {proof:?}");
        }
        assert_eq!(judge_act(Change::ClearData, yes, Finding::NoSuchUser, Proof::Untold).outcome, O::Refused);
    }
}
