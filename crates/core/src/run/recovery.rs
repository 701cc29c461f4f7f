//! What was left open, or put right by somebody else: decided by the state that a package has now.

use wibbet_types::Timestamp;

use super::event::StepEvent;
use super::record::{Outcome, Step, StepState};
use crate::package::PackageState;

/// What a step that an interruption left open turns out to be. `None` leaves it open.
///
/// Whoever only settles (`carrying_on` is false) leaves a step that was judged "unsettled" as it was judged: that is
/// what the technician was told. Whoever carries the run on has been asked to, so that step waits again; so does one
/// of which nothing can be read, since sending it will find out.
pub fn settle_open(step: &Step, now: Option<PackageState>, carrying_on: bool, at: Timestamp) -> Option<StepEvent> {
    match now {
        Some(state) if step.way.is_met_by(state) => Some(StepEvent::Settled {
            outcome: Outcome::Done,
            after: Some(state),
            remark: "settled afterwards by asking the device".into(),
            at,
        }),
        Some(state) if carrying_on || step.outcome.is_none() => {
            let remark = format!("interrupted before it was done; it is {} still", state.condition().word());
            Some(StepEvent::WaitsAgain { remark })
        }
        None if carrying_on => Some(StepEvent::WaitsAgain { remark: String::new() }),
        _ => None,
    }
}

/// What there is to be noted of a step that has not been sent yet.
pub fn before_sending(step: &Step, now: PackageState, at: Timestamp) -> Option<StepEvent> {
    if step.state != StepState::Waiting || step.before == now || !step.way.takes_out() {
        return None;
    }
    Some(match step.way.is_met_by(now) {
        true => {
            let remark = "it is so already".into();
            StepEvent::Settled { outcome: Outcome::Skipped, after: Some(now), remark, at }
        }
        false => StepEvent::BeforeWas(now),
    })
}

/// A step that was done, and is not so any more when all of them are looked at once more.
pub fn came_back(step: &Step, now: PackageState, at: Timestamp) -> Option<StepEvent> {
    (!step.way.is_met_by(now)).then(|| StepEvent::Settled {
        outcome: Outcome::NoEffect,
        after: Some(now),
        remark: format!("it was done, and a moment later it was {} again by itself", now.condition().word()),
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

    #[test]
    fn what_an_interruption_left_open() {
        let (sent, unsettled) = (step(StepState::Sent, None), step(StepState::Settled, Some(Outcome::Unsettled)));
        for (step, now, settling, carrying_on) in [
            (&sent, Some(OUT), "done", "done"),
            (&sent, Some(PackageState::IN_USE), "waits", "waits"),
            (&sent, None, "left open", "waits"),
            (&unsettled, Some(OUT), "done", "done"),
            (&unsettled, Some(PackageState::IN_USE), "left open", "waits"),
            (&unsettled, None, "left open", "waits"),
        ] {
            let found = [false, true].map(|carrying_on| outcome(settle_open(step, now, carrying_on, Timestamp(1))));
            assert_eq!(found, [settling, carrying_on], "{now:?} {:?}", step.outcome);
        }
    }

    #[test]
    fn what_is_found_before_and_after() {
        let waiting = step(StepState::Waiting, None);
        let off = PackageState { hidden: true, ..PackageState::IN_USE };
        for (now, found) in [(PackageState::IN_USE, "left open"), (OUT, "skipped"), (off, "before")] {
            assert_eq!(outcome(before_sending(&waiting, now, Timestamp(1))), found);
        }
        let done = step(StepState::Settled, Some(Outcome::Done));
        assert_eq!(outcome(before_sending(&done, OUT, Timestamp(1))), "left open");
        assert_eq!(outcome(came_back(&done, OUT, Timestamp(1))), "left open");
        assert_eq!(outcome(came_back(&done, PackageState::IN_USE, Timestamp(1))), "no-effect");
    }
}
