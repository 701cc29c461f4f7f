//! The outcome of a step, from what was heard and what was read back.

use super::record::Outcome;
use super::refusal::Refusal;
use super::reply::Said;
use crate::package::PackageState;
use crate::plan::Way;

/// What was heard after a request was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heard {
    /// An answer.
    Answer(Said),
    /// The link went before the answer.
    LinkLost,
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

/// Judges a step from what was heard and from the state read back afterwards (`None` when it could
/// not be read).
pub fn judge(way: Way, heard: Heard, after: Option<PackageState>) -> Verdict {
    let verdict = |outcome, remark: String| Verdict { outcome, remark };
    let Some(after) = after else {
        return verdict(Outcome::Unsettled, "its state could not be read back".into());
    };
    let state = after.condition().word();
    if way.is_met_by(after) {
        let remark = match heard {
            Heard::Answer(Said::Success) => String::new(),
            Heard::Answer(Said::Refused(why)) => format!("the device said no ({}), yet it is {state}", why.meaning()),
            Heard::Answer(Said::Unclear) => format!("the answer said neither yes nor no; read back as {state}"),
            Heard::LinkLost => format!("the link went before the answer; read back as {state}"),
            Heard::Silence | Heard::Broken => format!("no whole answer came; read back as {state}"),
        };
        return verdict(Outcome::Done, remark);
    }
    match heard {
        Heard::Answer(Said::Success) => {
            verdict(Outcome::NoEffect, format!("the device answered yes, but the package is still {state}"))
        }
        Heard::Answer(Said::Unclear) => {
            verdict(Outcome::NoEffect, format!("the answer said neither yes nor no, and the package is still {state}"))
        }
        Heard::Answer(Said::Refused(why)) => verdict(Outcome::Refused, refused_in_words(why)),
        Heard::LinkLost => verdict(Outcome::Unsettled, format!("the link went before the answer; it is {state} now")),
        Heard::Silence => verdict(
            Outcome::Unsettled,
            format!("the device has not answered; it is {state} now, but the change may still come"),
        ),
        Heard::Broken => verdict(Outcome::Unsettled, format!("the answer was cut short; it is {state} now")),
    }
}

fn refused_in_words(why: Refusal) -> String {
    format!("{}; {}", why.meaning(), why.advice())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::Enabled;

    const IN: PackageState = PackageState::IN_USE;
    const OUT: PackageState = PackageState { installed: false, ..IN };
    const OFF: PackageState = PackageState { enabled: Enabled::DisabledUser, ..IN };

    #[test]
    fn nothing_is_done_that_was_not_read_back() {
        use Heard as H;
        use Outcome as O;
        let yes = H::Answer(Said::Success);
        let no = H::Answer(Said::Refused(Refusal::Internal));
        for (way, heard, after, outcome) in [
            (Way::Uninstall, yes, Some(OUT), O::Done),
            (Way::Uninstall, yes, Some(IN), O::NoEffect),
            (Way::Uninstall, yes, None, O::Unsettled),
            (Way::Uninstall, no, Some(IN), O::Refused),
            (Way::Uninstall, no, Some(OUT), O::Done),
            (Way::Uninstall, H::Silence, Some(IN), O::Unsettled),
            (Way::Uninstall, H::Silence, Some(OUT), O::Done),
            (Way::Uninstall, H::LinkLost, Some(IN), O::Unsettled),
            (Way::Uninstall, H::Answer(Said::Unclear), Some(IN), O::NoEffect),
            (Way::Disable, yes, Some(OFF), O::Done),
            (Way::Disable, yes, Some(OUT), O::NoEffect),
            (Way::Reinstall, yes, Some(IN), O::Done),
            (Way::Reinstall, H::LinkLost, None, O::Unsettled),
        ] {
            let verdict = judge(way, heard, after);
            assert_eq!(verdict.outcome, outcome, "{way} {heard:?} {after:?}");
            let plain = heard == yes && outcome == O::Done;
            assert_eq!(verdict.remark.is_empty(), plain, "{}", verdict.remark);
        }
    }
}
