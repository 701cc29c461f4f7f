//! What was learned from answers that are not known: another time, on a device of the same maker, the same words meant no, and something
//! else worked then.

use std::collections::BTreeMap;

use wibbet_types::RunId;

use super::choices::{first_line, refusal_of};
use super::record::{Outcome, Run};
use super::refusal::Refusal;
use crate::plan::Change;

/// What became of an answer before.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lesson {
    /// How many steps were answered so.
    pub met: u32,
    /// The last run in which that was.
    pub last: Option<RunId>,
    /// Which other ways were done then on the same package for the same user, and how often.
    pub worked: BTreeMap<Change, u32>,
}

impl Lesson {
    /// What it says, in words.
    pub fn words(&self) -> String {
        let last = self.last.map_or_else(String::new, |run| format!(", last in run {run}"));
        let times = if self.met == 1 { "once".to_owned() } else { format!("{} times", self.met) };
        let best = self.worked.iter().max_by_key(|(_, count)| **count);
        let worked = match best {
            Some((way, count)) => format!("{} worked {count} of {} times then", way.label(), self.met),
            None => "nothing else was tried then, or nothing worked".to_owned(),
        };
        format!("met before on a device of this maker {times}{last}: {worked}")
    }
}

/// Lessons by way and words.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Lessons(BTreeMap<(Change, String), Lesson>);

impl Lessons {
    /// Out of the runs of a maker's devices, in any order.
    pub fn of<'a>(runs: impl IntoIterator<Item = &'a Run>) -> Self {
        let mut runs: Vec<&Run> = runs.into_iter().collect();
        runs.sort_by_key(|run| run.number);
        let mut all: BTreeMap<(Change, String), Lesson> = BTreeMap::new();
        for (n, run) in runs.iter().enumerate() {
            for step in run.steps.iter().filter(|step| step.outcome == Some(Outcome::Refused)) {
                let own_words = matches!(refusal_of(step), Some(Refusal::Other | Refusal::MakersCode));
                let Some(text) = step.answer.as_ref().filter(|_| own_words) else { continue };
                let lesson = all.entry((step.way, first_line(text.as_str()).to_owned())).or_default();
                lesson.met += 1;
                lesson.last = Some(run.number);
                // In the same run behind it, or in a later one on the same device.
                let later = run.steps.iter().filter(|other| other.index > step.index);
                let on_device = runs[n + 1..].iter().filter(|other| other.device == run.device);
                let mut after = later.chain(on_device.flat_map(|other| &other.steps));
                let same = |other: &&super::record::Step| {
                    let place = (&other.id, other.user) == (&step.id, step.user);
                    place && other.way.takes_out() && other.outcome == Some(Outcome::Done)
                };
                if let Some(done) = after.find(same) {
                    *lesson.worked.entry(done.way).or_default() += 1;
                }
            }
        }
        Self(all)
    }

    /// What was learned of an answer.
    pub fn get(&self, way: Change, said: &str) -> Option<&Lesson> {
        self.0.get(&(way, said.to_owned()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::run::Step;
    use crate::testing;
    use wibbet_types::PlainText;

    #[test]
    fn what_worked_the_last_time_is_known() {
        let refused = |n, id, text: &str| Step {
            answer: Some(PlainText::new(text)),
            ..testing::settled(n, id, Outcome::Refused)
        };
        let done = |n, id| Step { way: Change::Disable, ..testing::settled(n, id, Outcome::Done) };
        let first = Run {
            steps: vec![refused(0, "a", "Failure [-1000]"), refused(1, "b", "Failure [-1000]"), done(2, "a")],
            ..testing::run(1, &[])
        };
        let second = Run { steps: vec![done(0, "b"), refused(1, "c", "Failure [-1000]")], ..testing::run(2, &[]) };
        let known = Run { steps: vec![refused(0, "d", "Failure [not installed for 0]")], ..testing::run(3, &[]) };
        let lessons = Lessons::of([&second, &first, &known]);
        let lesson = lessons.get(Change::Uninstall, "Failure [-1000]").unwrap();
        assert_eq!((lesson.met, lesson.last), (3, Some(RunId::new(2))));
        assert_eq!(lesson.worked, [(Change::Disable, 2)].into());
        let words = "met before on a device of this maker 3 times, last in run 2: disable worked 2 of 3 times then";
        assert_eq!(lesson.words(), words);
        assert_eq!(lessons.0.len(), 1, "what is known needs no lesson");
    }
}
