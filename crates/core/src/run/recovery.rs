//! What was left open, or put right by somebody else: decided by the state that a package has now.

use wibbet_types::Timestamp;

use super::event::StepEvent;
use super::finding::Finding;
use super::record::{Outcome, Run, Step, StepState};
use crate::package::PackageState;

/// For how long after a step it is taken for a package's own doing that it is not so any more, in milliseconds.
const BY_ITSELF: i64 = 5 * 60 * 1000;

/// What a step that an interruption left open turns out to be. `None` leaves it open.
///
/// Whoever only settles (`carrying_on` is false) leaves a step that was judged "unsettled" as it was judged: that is
/// what the technician was told. Whoever carries the run on has been asked to, so that step waits again. One of which
/// nothing can be read stays open: it may have been done. One that puts back waits again, since sending it does no harm.
pub fn settle_open(step: &Step, found: Finding, carrying_on: bool, at: Timestamp) -> Option<StepEvent> {
    // Another version over one that is there: whether that was done the state does not tell. It is sent again, which does no harm.
    if step.updates() {
        return match found {
            Finding::NoSuchUser => Some(no_such_user(at)),
            _ => carrying_on.then(|| StepEvent::WaitsAgain { remark: String::new() }),
        };
    }
    if step.way.is_told_aside() {
        return match found {
            Finding::NoSuchUser => Some(no_such_user(at)),
            // A start has come since.
            Finding::State(state) if step.way.is_met_by(state) => Some(settled_afterwards(state, at)),
            // Whoever has used the app since would lose that too.
            _ if !step.way.may_be_sent_again() => step.outcome.is_none().then(|| StepEvent::Settled {
                outcome: Outcome::Unsettled,
                after: found.state(),
                remark: "interrupted before the answer; nothing tells whether it was done, and it is not sent again"
                    .into(),
                at,
            }),
            _ => carrying_on.then(|| StepEvent::WaitsAgain { remark: String::new() }),
        };
    }
    match found {
        Finding::State(state) if step.way.is_met_by(state) => Some(settled_afterwards(state, at)),
        Finding::State(state) if carrying_on || step.outcome.is_none() => {
            let remark = format!("interrupted before it was done; it is {} still", state.condition().word());
            Some(StepEvent::WaitsAgain { remark })
        }
        Finding::NoSuchUser => Some(no_such_user(at)),
        Finding::Unclear(_) if carrying_on && !step.way.takes_out() => {
            Some(StepEvent::WaitsAgain { remark: String::new() })
        }
        _ => None,
    }
}

fn settled_afterwards(state: PackageState, at: Timestamp) -> StepEvent {
    let remark = "settled afterwards by asking the device".into();
    StepEvent::Settled { outcome: Outcome::Done, after: Some(state), remark, at }
}

fn no_such_user(at: Timestamp) -> StepEvent {
    let remark = Finding::NO_SUCH_USER.into();
    StepEvent::Settled { outcome: Outcome::Refused, after: None, remark, at }
}

/// What there is to be noted of a step that is not on its way: before it is sent, or before it is sent again.
pub fn before_sending(step: &Step, found: Finding, at: Timestamp) -> Option<StepEvent> {
    if step.state != StepState::Waiting {
        return None;
    }
    match found {
        Finding::NoSuchUser => Some(no_such_user(at)),
        Finding::State(now) if step.way.takes_out() && step.before != now => Some(match step.way.is_met_by(now) {
            true => {
                let remark = "it is so already".into();
                StepEvent::Settled { outcome: Outcome::Skipped, after: Some(now), remark, at }
            }
            false => StepEvent::BeforeWas(now),
        }),
        // Without it nobody could say afterwards what it was.
        Finding::Unclear(_) if step.way.takes_out() => Some(StepEvent::Settled {
            outcome: Outcome::Skipped,
            after: None,
            remark: "its state could not be read, so it was not sent".into(),
            at,
        }),
        _ => None,
    }
}

/// The last step of putting a package back, which was done and led to another state than it was to.
pub fn not_as_recorded(run: &Run, step: &Step, found: Finding, at: Timestamp) -> Option<StepEvent> {
    let (now, target) = (found.state()?, step.target?);
    let is_last = !run.steps.iter().any(|s| s.index > step.index && s.id == step.id && s.user == step.user);
    let remark = format!("it is back, but not just as it was: {}", now.differences(target));
    let is_news = is_last && now != target && step.way.is_met_by(now) && step.remark != remark;
    is_news.then_some(StepEvent::Settled { outcome: Outcome::Done, after: Some(now), remark, at })
}

/// Whether a step was settled so shortly before that nobody will have put it right since.
pub fn is_fresh(step: &Step, at: Timestamp) -> bool {
    step.settled.is_some_and(|settled| (0..=BY_ITSELF).contains(&at.0.saturating_sub(settled.0)))
}

/// What the device has done since a step was settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Since {
    /// It has been running all the time.
    Running,
    /// It has started anew: then it may have lost what it had not written down yet.
    Start,
    /// Nobody has seen it.
    Unknown,
}

/// A step that was done, and is not so any more when all of them are looked at once more. That is asked only of what was
/// done in the same go, or is fresh: of anything else somebody may have put it right since.
pub fn came_back(step: &Step, found: Finding, since: Since, at: Timestamp) -> Option<StepEvent> {
    let now = found.state().filter(|_| !step.way.is_told_aside())?;
    let is = now.condition().word();
    (!step.way.is_met_by(now)).then(|| StepEvent::Settled {
        outcome: Outcome::NoEffect,
        after: Some(now),
        remark: match since {
            Since::Start => format!("it was done; then the device started anew, and since then it is {is} again"),
            Since::Running => format!("it was done, and a moment later it was {is} again by itself"),
            Since::Unknown => format!("it was done, and a moment later it was {is} again"),
        },
        at,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Change;
    use wibbet_types::StepIndex;

    const OUT: PackageState = PackageState { installed: false, ..PackageState::IN_USE };

    fn step(state: StepState, outcome: Option<Outcome>) -> Step {
        Step {
            index: StepIndex::new(0),
            id: "a.b".parse().unwrap(),
            user: wibbet_types::UserId::OWNER,
            way: Change::Uninstall,
            words: String::new(),
            before: PackageState::IN_USE,
            target: None,
            apk: None,
            copy: None,
            start: None,
            for_good: false,
            given: Vec::new(),
            returned: None,
            order: 0,
            state,
            answer: None,
            after: None,
            outcome,
            settled: None,
            remark: String::new(),
        }
    }

    fn outcome(event: Option<StepEvent>) -> &'static str {
        match event {
            None => "left open",
            Some(StepEvent::WaitsAgain { .. }) => "waits",
            Some(StepEvent::BeforeWas(_)) => "before",
            Some(StepEvent::Settled { outcome, .. }) => outcome.name(),
            Some(_) => "other",
        }
    }

    /// A start has come since: Android knows nothing of it any more. Before, only what lies there tells.
    #[test]
    fn what_was_removed_from_the_system_is_settled_once_android_has_noticed() {
        let step = Step { way: Change::RemoveFromSystem, ..step(StepState::Sent, None) };
        let settle = |now| settle_open(&step, Finding::State(now), false, Timestamp(5));
        assert!(matches!(settle(PackageState::ABSENT), Some(StepEvent::Settled { outcome: Outcome::Done, .. })));
        assert_eq!(settle(PackageState::IN_USE), None);
        assert_eq!(settle(PackageState::UNREADABLE), None);
    }

    #[test]
    fn what_an_interruption_left_open() {
        let (sent, unsettled) = (step(StepState::Sent, None), step(StepState::Settled, Some(Outcome::Unsettled)));
        for (step, now, settling, carrying_on) in [
            (&sent, Some(OUT), "done", "done"),
            (&sent, Some(PackageState::IN_USE), "waits", "waits"),
            (&sent, None, "left open", "left open"),
            (&unsettled, Some(OUT), "done", "done"),
            (&unsettled, Some(PackageState::IN_USE), "left open", "waits"),
            (&unsettled, None, "left open", "left open"),
        ] {
            let look = now.map_or(Finding::NOT_TOLD, Finding::State);
            let found = [false, true].map(|carrying_on| outcome(settle_open(step, look, carrying_on, Timestamp(1))));
            assert_eq!(found, [settling, carrying_on], "{now:?} {:?}", step.outcome);
        }
        let back = Step { way: Change::Reinstall, ..sent.clone() };
        assert_eq!(outcome(settle_open(&back, Finding::NOT_TOLD, true, Timestamp(1))), "waits");
        for step in [&sent, &unsettled] {
            assert_eq!(outcome(settle_open(step, Finding::NoSuchUser, false, Timestamp(1))), "refused");
        }
    }

    #[test]
    fn what_is_found_before_and_after() {
        let waiting = step(StepState::Waiting, None);
        let off = PackageState { hidden: true, ..PackageState::IN_USE };
        for (now, found) in [(PackageState::IN_USE, "left open"), (OUT, "skipped"), (off, "before")] {
            assert_eq!(outcome(before_sending(&waiting, Finding::State(now), Timestamp(1))), found);
        }
        assert_eq!(outcome(before_sending(&waiting, Finding::NoSuchUser, Timestamp(1))), "refused");
        assert_eq!(outcome(before_sending(&waiting, Finding::NOT_TOLD, Timestamp(1))), "skipped");
        let back = Step { way: Change::Reinstall, ..step(StepState::Waiting, None) };
        assert_eq!(outcome(before_sending(&back, Finding::NOT_TOLD, Timestamp(1))), "left open");
        let [out, back] = [OUT, PackageState::IN_USE].map(Finding::State);
        let done = Step { settled: Some(Timestamp(1000)), ..step(StepState::Settled, Some(Outcome::Done)) };
        assert_eq!(outcome(before_sending(&done, out, Timestamp(1000))), "left open");
        for (found, event) in [
            (out, "left open"),
            (back, "no-effect"),
            (Finding::NOT_TOLD, "left open"),
            (Finding::NoSuchUser, "left open"),
        ] {
            for since in [Since::Running, Since::Start, Since::Unknown] {
                assert_eq!(outcome(came_back(&done, found, since, Timestamp(1000))), event, "{found:?}");
            }
        }
        // The clock may have been put back in between: then nothing can be said of when.
        let fresh = [999, 1000, 1000 + BY_ITSELF, 1001 + BY_ITSELF].map(|at| is_fresh(&done, Timestamp(at)));
        assert_eq!(fresh, [false, true, true, false]);
    }
}
