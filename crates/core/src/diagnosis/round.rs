//! What catch sends in one go: a line with a command for each step and a mark in front of it, so that what was answered before the
//! device died is known step by step.

use wibbet_types::{PlainText, StepIndex};

use super::catch::CatchAnswer;
use crate::android::Capabilities;
use crate::ask::{Delivery, Output, Request};
use crate::read::{marked_request, parts, says_written, write_request};
use crate::run::{Refusal, Reply, Run, read_reply};

/// The name of the part in which the device says that it has written down what it holds.
const WRITTEN: &str = "written";

/// So much of what a device answers to one step is kept.
const MOST_KEPT: usize = 2000;

/// Lines for some steps of a run, in order, none longer than this, each with the steps that are in it. Each ends with the device writing
/// down what it holds.
pub fn round_requests(
    run: &Run,
    steps: &[StepIndex],
    capabilities: &Capabilities,
    longest: usize,
) -> Vec<(Request, Vec<StepIndex>)> {
    let commands = steps.iter().filter_map(|index| {
        let step = run.steps.get(index.get())?;
        let deliveries = step.way.request(&step.id, step.user, step.apk.as_ref()).deliveries(capabilities);
        let shell = deliveries.into_iter().find_map(|delivery| match delivery {
            Delivery::Shell(command) => Some(command),
            Delivery::Abb(_) | Delivery::AbbExec(_) => None,
        })?;
        Some((*index, format!("{shell} 2>&1")))
    });
    // Marks and what is between the commands take some room too, and the last command.
    const BESIDE: usize = 40;
    let mut rounds: Vec<(usize, Vec<(StepIndex, String)>)> = Vec::new();
    for (index, command) in commands {
        let takes = command.len() + BESIDE;
        match rounds.last_mut().filter(|(length, _)| length + takes <= longest) {
            Some((length, line)) => {
                *length += takes;
                line.push((index, command));
            }
            None => rounds.push((takes + 2 * BESIDE, vec![(index, command)])),
        }
    }
    rounds
        .into_iter()
        .map(|(_, line)| {
            let steps = line.iter().map(|(index, _)| *index).collect();
            let named: Vec<(String, String)> = line
                .into_iter()
                .map(|(index, command)| (format!("s{}", index.get()), command))
                .chain([(WRITTEN.to_owned(), write_request().command())])
                .collect();
            let request = marked_request(named.iter().map(|(name, command)| (name.as_str(), command)));
            (Request { changes: true, ..request }, steps)
        })
        .collect()
}

/// What a device has answered to such a line, as far as it has come.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RoundAnswers {
    /// Step by step, word for word, and what that means.
    pub steps: Vec<(StepIndex, PlainText, CatchAnswer)>,
    /// It has written down what it held.
    pub written: bool,
}

/// Reads what has come of the answer to one of [`round_requests`], which had these steps in it; `whole` where it has ended. What a device says of
/// others counts for nothing.
pub fn read_round(run: &Run, of: &[StepIndex], text: &str, whole: bool) -> RoundAnswers {
    let mut answers = RoundAnswers::default();
    let all: Vec<(&str, &str)> = parts(text).collect();
    for (n, (name, body)) in all.iter().enumerate() {
        let said = Output { out: (*body).to_owned(), ..Output::default() };
        if *name == WRITTEN {
            answers.written = says_written(&said);
            continue;
        }
        let index = name.strip_prefix('s').and_then(|number| number.parse::<usize>().ok());
        let step = index.and_then(|index| run.steps.get(index)).filter(|step| of.contains(&step.index));
        let Some(step) = step else { continue };
        let answer = match read_reply(step.way, step.before, &said) {
            Reply::Success => CatchAnswer::Yes,
            // Cut off in the middle it says nothing.
            _ if n + 1 == all.len() && !whole => continue,
            Reply::Refused(Refusal::NotReady | Refusal::Aborted) | Reply::Unclear => CatchAnswer::NotYet,
            Reply::Refused(_) if said.says_service_died() => CatchAnswer::NotYet,
            Reply::Refused(_) => CatchAnswer::No,
        };
        let kept = body.trim();
        let kept = PlainText::new(&kept[..kept.floor_char_boundary(MOST_KEPT)]);
        answers.steps.push((step.index, kept, answer));
    }
    answers
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::PackageState;
    use crate::plan::Change;
    use crate::run::{RunKind, StepState};
    use crate::testing;
    use proptest::prelude::*;

    const OUT: PackageState = PackageState { installed: false, ..PackageState::IN_USE };

    fn run() -> Run {
        let mut run = testing::run(7, &["a.b", "c.d", "e.f"]);
        run.kind = RunKind::PutBack;
        for (step, way) in run.steps.iter_mut().zip([Change::Reinstall, Change::Enable, Change::Reinstall]) {
            (step.way, step.before, step.state, step.outcome) = (way, OUT, StepState::Waiting, None);
        }
        run
    }

    #[test]
    fn a_line_for_all_and_several_where_one_would_be_too_long() {
        let (run, phone) = (run(), testing::capabilities(34));
        let all: Vec<StepIndex> = run.steps.iter().map(|step| step.index).collect();
        let lines = round_requests(&run, &all, &phone, 60_000);
        assert_eq!(lines.len(), 1);
        assert_eq!(
            lines[0].0.command(),
            "echo wibbet-part:s0; cmd package install-existing --user 0 a.b 2>&1; echo wibbet-part:s1; cmd package enable --user 0 c.d 2>&1; \
             echo wibbet-part:s2; cmd package install-existing --user 0 e.f 2>&1; echo wibbet-part:written; dumpsys package write"
        );
        assert!(lines[0].0.changes);
        let short = round_requests(&run, &all, &phone, 200);
        assert_eq!(short.iter().map(|(_, steps)| steps.len()).collect::<Vec<_>>(), [1, 1, 1]);
        assert!(short.iter().all(|(line, _)| line.command().len() <= 200));
    }

    #[test]
    fn what_came_before_the_device_died_is_known() {
        let run = run();
        let text = "wibbet-part:s0\nPackage a.b installed for user: 0\nwibbet-part:s1\ncmd: Can't find service: package\nwibbet-part:s2\n";
        let all: Vec<StepIndex> = run.steps.iter().map(|step| step.index).collect();
        let answers = |text: &str, whole| {
            let read = read_round(&run, &all, text, whole);
            (read.steps.iter().map(|(index, _, answer)| (index.get(), *answer)).collect::<Vec<_>>(), read.written)
        };
        use CatchAnswer::{No, NotYet, Yes};
        assert_eq!(answers(text, false), (vec![(0, Yes), (1, NotYet)], false));
        assert_eq!(answers(text, true), (vec![(0, Yes), (1, NotYet), (2, NotYet)], false));
        let whole = "wibbet-part:s0\njava.lang.IllegalArgumentException: NameNotFoundException: Package a.b doesn't exist\n\
                     wibbet-part:s1\nPackage c.d new state: enabled\nwibbet-part:s99\nx\nwibbet-part:written\nSettings written.\n";
        assert_eq!(answers(whole, true), (vec![(0, No), (1, Yes)], true));
        // It had one step in it, and the device speaks of two.
        assert_eq!(read_round(&run, &all[..1], whole, true).steps.len(), 1);
    }

    proptest! {
        #[test]
        fn any_answer_is_read(text in ".{0,200}", whole: bool) {
            let all: Vec<StepIndex> = run().steps.iter().map(|step| step.index).collect();
            let _ = read_round(&run(), &all, &format!("wibbet-part:s0\n{text}"), whole);
        }
    }
}
