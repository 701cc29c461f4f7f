//! Since when it is asked what has changed.

use wibbet_types::{LookId, RunId, Timestamp};

use super::look::LookHead;
use crate::run::Run;

/// Since when.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Since {
    /// The last look that was kept.
    #[default]
    LastLook,
    /// A look.
    Look(LookId),
    /// A run: since it ended, or where nobody has looked then, since before it.
    Run(RunId),
    /// A moment.
    At(Timestamp),
}

impl Since {
    /// The look that shows how it was then, of those that are kept of a device, the first one first; `runs` are the device's. `None` where
    /// none shows that.
    pub fn look(self, looks: &[LookHead], runs: &[Run]) -> Option<LookId> {
        let number = |look: &LookHead| look.number;
        match self {
            Self::LastLook => looks.last().map(number),
            Self::Look(wanted) => looks.iter().map(number).find(|number| *number == wanted),
            Self::At(at) => {
                // The earliest stands in for what was before anybody looked.
                looks.iter().rev().find(|look| look.at <= at).or(looks.first()).map(number)
            }
            Self::Run(wanted) => {
                let run = runs.iter().find(|run| run.number == wanted)?;
                let settled = run.steps.iter().filter_map(|step| step.settled);
                let ended = settled.max().unwrap_or(run.begun);
                let behind = looks.iter().find(|look| look.at >= ended);
                behind.or_else(|| looks.iter().rev().find(|look| look.at <= run.begun)).map(number)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use wibbet_types::PlainText;

    #[test]
    fn which_look_is_meant() {
        let head = |number, at, until| LookHead {
            number: LookId::new(number),
            at: Timestamp(at),
            until: Timestamp(until),
            build: PlainText::new("B"),
            boot: None,
        };
        let looks = [head(3, 10, 15), head(5, 20, 25), head(9, 40, 40)];
        let run = |number, begun, settled: i64| {
            let mut run = testing::run(number, &["a.one"]);
            (run.begun, run.steps[0].settled) = (Timestamp(begun), Some(Timestamp(settled)));
            run
        };
        let runs = [run(1, 16, 18), run(2, 41, 43), run(3, 5, 7)];
        for (since, wanted) in [
            (Since::LastLook, Some(9)),
            (Since::Look(LookId::new(5)), Some(5)),
            (Since::Look(LookId::new(4)), None),
            (Since::At(Timestamp(30)), Some(5)),
            (Since::At(Timestamp(20)), Some(5)),
            (Since::At(Timestamp(1)), Some(3)),
            (Since::Run(RunId::new(1)), Some(5)),
            (Since::Run(RunId::new(2)), Some(9)),
            (Since::Run(RunId::new(3)), Some(3)),
            (Since::Run(RunId::new(7)), None),
        ] {
            assert_eq!(since.look(&looks, &runs), wanted.map(LookId::new), "{since:?}");
            assert_eq!(since.look(&[], &runs), None);
        }
    }
}
