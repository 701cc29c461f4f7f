//! The outcome of a step, from what was heard and what was read back.

use super::finding::Finding;
use super::record::Outcome;
use super::refusal::Refusal;
use super::reply::Reply;
use crate::plan::Change;

/// What was heard after a request was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Response {
    /// An answer.
    Replied(Reply),
    /// The link went before the answer.
    LinkLost,
    /// The service that was asked ended before the answer.
    ServiceDied,
    /// The link is up, and no answer came in time.
    Silence,
    /// The answer began and was not whole.
    Broken,
}

/// The outcome of a step and a remark in words where there is something to say.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdict {
    /// The outcome.
    pub outcome: Outcome,
    /// What is worth knowing beyond it; empty when all is as expected.
    pub remark: String,
}

/// Judges the installing of another version over one that is there: the state is the same before and after, so what was heard has to
/// tell.
pub fn judge_update(heard: Response, found: Finding) -> Verdict {
    match (heard, found) {
        (Response::Replied(Reply::Success), found) => judge(Change::InstallCopy, heard, found),
        (_, Finding::NoSuchUser | Finding::Unclear(_)) => judge(Change::InstallCopy, heard, found),
        (Response::Replied(Reply::Refused(why)), _) => {
            Verdict { outcome: Outcome::Refused, remark: refused_in_words(why) }
        }
        _ => {
            let remark = "no whole answer came; whether the version that is installed now is the new one is not known";
            Verdict { outcome: Outcome::Unsettled, remark: remark.into() }
        }
    }
}

/// Judges a step from what was heard and from what a look at the device showed afterwards.
pub fn judge(way: Change, heard: Response, found: Finding) -> Verdict {
    let verdict = |outcome, remark: String| Verdict { outcome, remark };
    let after = match found {
        Finding::State(after) => after,
        Finding::NoSuchUser => return verdict(Outcome::Refused, Finding::NO_SUCH_USER.into()),
        Finding::Unclear(why) => return verdict(Outcome::Unsettled, why.into()),
    };
    let state = after.condition().word();
    if way.is_met_by(after) {
        let remark = match heard {
            Response::Replied(Reply::Success) => String::new(),
            Response::Replied(Reply::Refused(why)) => {
                format!("the device said no ({}), yet it is {state}", why.meaning())
            }
            Response::Replied(Reply::Unclear) => format!("the answer said neither yes nor no; read back as {state}"),
            Response::LinkLost => format!("the link went before the answer; read back as {state}"),
            Response::ServiceDied => format!("Android's package service ended before the answer; read back as {state}"),
            Response::Silence | Response::Broken => format!("no whole answer came; read back as {state}"),
        };
        return verdict(Outcome::Done, remark);
    }
    match heard {
        Response::Replied(Reply::Success) => {
            verdict(Outcome::NoEffect, format!("the device answered yes, but the package is still {state}"))
        }
        Response::Replied(Reply::Unclear) => {
            verdict(Outcome::NoEffect, format!("the answer said neither yes nor no, and the package is still {state}"))
        }
        Response::Replied(Reply::Refused(why)) => verdict(Outcome::Refused, refused_in_words(why)),
        Response::LinkLost => {
            verdict(Outcome::Unsettled, format!("the link went before the answer; it is {state} now"))
        }
        Response::ServiceDied => {
            verdict(Outcome::Unsettled, format!("Android's package service ended before the answer; it is {state} now"))
        }
        Response::Silence => verdict(
            Outcome::Unsettled,
            format!("the device has not answered; it is {state} now, but the change may still come"),
        ),
        Response::Broken => verdict(Outcome::Unsettled, format!("the answer was cut short; it is {state} now")),
    }
}

fn refused_in_words(why: Refusal) -> String {
    format!("{}; {}", why.meaning(), why.advice())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::{Enabled, PackageState};

    const IN: PackageState = PackageState::IN_USE;
    const OUT: PackageState = PackageState { installed: false, ..IN };
    const OFF: PackageState = PackageState { enabled: Enabled::DisabledUser, ..IN };

    #[test]
    fn nothing_is_done_that_was_not_read_back() {
        use Outcome as O;
        use Response as H;
        let yes = H::Replied(Reply::Success);
        let no = H::Replied(Reply::Refused(Refusal::Internal));
        for (way, heard, after, outcome) in [
            (Change::Uninstall, yes, Some(OUT), O::Done),
            (Change::Uninstall, yes, Some(IN), O::NoEffect),
            (Change::Uninstall, yes, None, O::Unsettled),
            (Change::Uninstall, no, Some(PackageState::UNREADABLE), O::Refused),
            (Change::Uninstall, yes, Some(PackageState::UNREADABLE), O::NoEffect),
            (Change::Uninstall, yes, Some(PackageState::ABSENT), O::Done),
            (Change::Uninstall, no, Some(IN), O::Refused),
            (Change::Uninstall, no, Some(OUT), O::Done),
            (Change::Uninstall, H::Silence, Some(IN), O::Unsettled),
            (Change::Uninstall, H::Silence, Some(OUT), O::Done),
            (Change::Uninstall, H::LinkLost, Some(IN), O::Unsettled),
            (Change::Uninstall, H::ServiceDied, Some(IN), O::Unsettled),
            (Change::Uninstall, H::ServiceDied, Some(OUT), O::Done),
            (Change::Uninstall, H::Replied(Reply::Unclear), Some(IN), O::NoEffect),
            (Change::Disable, yes, Some(OFF), O::Done),
            (Change::Disable, yes, Some(OUT), O::NoEffect),
            (Change::Reinstall, yes, Some(IN), O::Done),
            (Change::Reinstall, H::LinkLost, None, O::Unsettled),
        ] {
            let verdict = judge(way, heard, after.map_or(Finding::NOT_TOLD, Finding::State));
            assert_eq!(verdict.outcome, outcome, "{way} {heard:?} {after:?}");
            let plain = heard == yes && outcome == O::Done;
            assert_eq!(verdict.remark.is_empty(), plain, "{}", verdict.remark);
        }
        for heard in [yes, no, H::Silence, H::LinkLost] {
            let verdict = judge(Change::Uninstall, heard, Finding::NoSuchUser);
            assert_eq!((verdict.outcome, verdict.remark.as_str()), (O::Refused, "the user is not on the device"));
        }
    }
}
