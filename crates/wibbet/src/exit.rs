//! Exit codes, and failures that lead to them.

use std::process::ExitCode;

use wibbet_adb::LinkError;
use wibbet_bench::after::AfterError;
use wibbet_bench::device::AskError;
use wibbet_bench::ops::{EraseError, NoteError, SurveyError};
use wibbet_bench::orders::OrderError;
use wibbet_bench::run::RunError;
use wibbet_core::run::{Run, Step};
use wibbet_logbook::ClaimError;

/// How the program ends. The numbers are a promise, see `docs/json.md`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// Everything that was asked for is so, and was read back.
    Done = 0,
    /// Nothing was done.
    Nothing = 1,
    /// The command line cannot be carried out.
    Usage = 2,
    /// Some steps were done and some were not.
    Partly = 3,
    /// Of some steps it is not known whether they were done.
    Unsettled = 4,
    /// There is no such device, or it does not answer.
    NoDevice = 5,
    /// The device has not authorised this computer.
    NotAuthorised = 6,
    /// Another Wibbet is at work on the device.
    Busy = 7,
    /// Anything else.
    Trouble = 8,
}

impl Exit {
    /// The word for machines.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Nothing => "nothing-done",
            Self::Usage => "usage",
            Self::Partly => "partly-done",
            Self::Unsettled => "unsettled",
            Self::NoDevice => "no-device",
            Self::NotAuthorised => "not-authorised",
            Self::Busy => "busy",
            Self::Trouble => "trouble",
        }
    }

    /// How a run ends.
    pub(crate) fn of(run: &Run) -> Self {
        let open = run.steps.iter().any(Step::is_open_question);
        let (so, not) = run.counting().partition::<Vec<&Step>, _>(|step| step.is_so());
        match (so.is_empty(), not.is_empty()) {
            _ if open => Self::Unsettled,
            (_, true) => Self::Done,
            (true, false) => Self::Nothing,
            (false, false) => Self::Partly,
        }
    }
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(exit as u8)
    }
}

/// Why a command ended early.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Failure {
    /// The exit code that says it to machines.
    pub(crate) exit: Exit,
    /// The words that say it to people.
    pub(crate) message: String,
}

impl Failure {
    pub(crate) fn new(exit: Exit, message: impl Into<String>) -> Self {
        Self { exit, message: message.into() }
    }

    pub(crate) fn trouble(error: impl std::fmt::Display) -> Self {
        Self::new(Exit::Trouble, format!("{error:#}"))
    }
}

impl From<AskError> for Failure {
    fn from(error: AskError) -> Self {
        let exit = match &error {
            AskError::NoLink(LinkError::NotAuthorised { .. } | LinkError::NotPaired { .. }) => Exit::NotAuthorised,
            AskError::Taken(_) => Exit::Busy,
            // Something answers; it does not keep to the protocol.
            AskError::NoLink(LinkError::Broken { .. }) | AskError::Lost(LinkError::Broken { .. }) => Exit::Trouble,
            AskError::NoLink(_)
            | AskError::OtherDevice(_)
            | AskError::NotProven(_)
            | AskError::NotAndroid(_)
            | AskError::Lost(_) => Exit::NoDevice,
            _ => Exit::Trouble,
        };
        Self::new(exit, error.to_string())
    }
}

impl From<SurveyError> for Failure {
    fn from(error: SurveyError) -> Self {
        let message = error.to_string();
        match error {
            SurveyError::Ask(ask) => Self { message, ..ask.into() },
            _ => Self::new(Exit::Trouble, message),
        }
    }
}

impl From<AfterError> for Failure {
    fn from(error: AfterError) -> Self {
        match error {
            AfterError::Ask(error) => error.into(),
            AfterError::Survey(error) => error.into(),
            AfterError::Logbook(error) => error.into(),
            AfterError::Claimed(error) => error.into(),
            other @ (AfterError::Restart(_) | AfterError::NotBack) => Self::trouble(other),
        }
    }
}

impl From<OrderError> for Failure {
    fn from(error: OrderError) -> Self {
        match error {
            OrderError::Ask(error) => error.into(),
            OrderError::Survey(error) => error.into(),
            OrderError::Note(error) => error.into(),
            OrderError::Logbook(error) => error.into(),
            other @ OrderError::Install { .. } => Self::new(Exit::Usage, other.to_string()),
            other @ OrderError::Failed(_) => Self::trouble(other),
            other => Self::new(Exit::Nothing, other.to_string()),
        }
    }
}

impl From<ClaimError> for Failure {
    fn from(error: ClaimError) -> Self {
        let exit = if matches!(error, ClaimError::Held { .. }) { Exit::Busy } else { Exit::Trouble };
        Self::new(exit, error.to_string())
    }
}

impl From<EraseError> for Failure {
    fn from(error: EraseError) -> Self {
        match error {
            EraseError::Claim(error) => error.into(),
            EraseError::Logbook(error) => error.into(),
        }
    }
}

impl From<NoteError> for Failure {
    fn from(error: NoteError) -> Self {
        match error {
            NoteError::Ask(error) => error.into(),
            NoteError::Logbook(error) => error.into(),
        }
    }
}

impl From<RunError> for Failure {
    fn from(error: RunError) -> Self {
        match error {
            RunError::Ask(ref ask) | RunError::NotSeen(ref ask) => {
                Self { message: error.to_string(), ..Self::from(ask.clone()) }
            }
            RunError::Claim(claim) => claim.into(),
            RunError::Stopped | RunError::NotBegun(_) => Self::new(Exit::Nothing, error.to_string()),
            RunError::OtherDevice { .. } | RunError::NotUnderstood { .. } | RunError::OfAnotherBench { .. } => {
                Self::new(Exit::Usage, error.to_string())
            }
            RunError::Device(_) => Self::new(Exit::NoDevice, error.to_string()),
            other => Self::trouble(other),
        }
    }
}

impl From<wibbet_logbook::LogbookError> for Failure {
    fn from(error: wibbet_logbook::LogbookError) -> Self {
        Self::trouble(error)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use wibbet_core::package::PackageState;
    use wibbet_core::run::Outcome;
    use wibbet_core::run::{RunState, Step};
    use wibbet_core::testing;

    const IN: PackageState = testing::IN_USE;
    const OUT: PackageState = testing::UNINSTALLED;

    fn run(outcomes: &[(Option<Outcome>, PackageState)]) -> Run {
        let step = |(n, (outcome, before)): (usize, &(Option<Outcome>, PackageState))| {
            let id = format!("p{n}");
            let step = outcome.map_or_else(|| testing::step(n, &id), |outcome| testing::settled(n, &id, outcome));
            Step { before: *before, after: None, ..step }
        };
        let steps = outcomes.iter().enumerate().map(step).collect();
        Run { state: RunState::Finished, steps, ..testing::run(1, &[]) }
    }

    #[test]
    fn the_ends_of_a_run() {
        use Outcome::{Done, NoEffect, Refused, Skipped, Unsettled};
        for (outcomes, exit) in [
            (vec![(Some(Done), IN), (Some(Done), IN)], Exit::Done),
            (vec![(Some(Done), IN), (Some(Skipped), OUT)], Exit::Done),
            (vec![(Some(Skipped), OUT)], Exit::Done),
            (vec![(Some(Skipped), PackageState::ABSENT)], Exit::Nothing),
            (vec![(Some(Skipped), IN)], Exit::Nothing),
            (vec![(Some(Refused), IN), (Some(NoEffect), IN)], Exit::Nothing),
            (vec![(Some(Done), IN), (Some(Refused), IN)], Exit::Partly),
            (vec![(Some(Done), IN), (None, IN)], Exit::Partly),
            (vec![(Some(Done), IN), (Some(Unsettled), IN)], Exit::Unsettled),
        ] {
            assert_eq!(Exit::of(&run(&outcomes)), exit, "{outcomes:?}");
        }
    }

    #[test]
    fn every_way_of_not_getting_a_link_has_its_code() {
        let (at, why) = ("h:1".to_owned(), String::new());
        for (error, exit) in [
            (LinkError::NoAnswer { at: at.clone(), why: why.clone() }, Exit::NoDevice),
            (LinkError::NotADaemon { at: at.clone(), why: why.clone() }, Exit::NoDevice),
            (LinkError::NotAuthorised { at: at.clone(), why: why.clone() }, Exit::NotAuthorised),
            (LinkError::NotPaired { at: at.clone(), why: why.clone() }, Exit::NotAuthorised),
            (LinkError::NoPermission { at: at.clone(), node: "/dev/x".into() }, Exit::NoDevice),
            (LinkError::NoInterface { at: at.clone() }, Exit::NoDevice),
            (LinkError::NoDriver { at: at.clone() }, Exit::NoDevice),
            (LinkError::Bootloader { at: at.clone() }, Exit::NoDevice),
            (LinkError::Taken { at: at.clone() }, Exit::NoDevice),
            (LinkError::Broken { at: at.clone(), rule: why.clone() }, Exit::Trouble),
            (LinkError::Lost { at: at.clone(), why: why.clone() }, Exit::NoDevice),
        ] {
            let trouble = wibbet_bench::device::trouble_of(&error, None);
            assert!(!trouble.words.is_empty() && trouble.seen.contains("h:1"), "{trouble:?}");
            assert_eq!(Failure::from(AskError::NoLink(error)).exit, exit);
        }
    }
}
