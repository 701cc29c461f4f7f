//! What has changed on a device between two looks at it, and who did that, as far as it shows.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, RunId, UserId, named};

use super::look::{Look, LookedAt, Source};
use crate::package::{Condition, PackageState};
use crate::run::{Outcome, Run, RunKind};

/// What has become of a package.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum DriftKind {
    /// A run took it out, and it is in use again without one that put it back.
    CameBack,
    /// It was off, and is in use.
    On,
    /// It was in use, and is off.
    Off,
    /// It is off in another way than it was.
    OtherwiseOff,
    /// It was not on the device.
    New,
    /// It is not on the device any more.
    Gone,
    /// It has another version.
    Version,
}

named!(DriftKind {
    CameBack => "came-back",
    On => "on",
    Off => "off",
    OtherwiseOff => "otherwise-off",
    New => "new",
    Gone => "gone",
    Version => "version",
});

/// Who did it, as far as that shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum DriftBy {
    /// A run between the two looks.
    Run(RunId),
    /// An update of the system: the build is another one.
    SystemUpdate,
    /// An update of the package itself.
    ItsUpdate,
    /// Somebody or something else.
    Other,
}

/// Something that has changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Drift {
    /// The package.
    pub id: PackageId,
    /// For whom; `None` where it is the same for all: new, gone, another version.
    pub user: Option<UserId>,
    /// What.
    pub kind: DriftKind,
    /// Who did it.
    pub by: DriftBy,
    /// In words: what it was and is.
    pub words: String,
}

/// What has changed between two looks, what came back first; `runs` are those of the device.
pub fn drift(before: &Look, after: &Look, runs: &[Run]) -> Vec<Drift> {
    let updated = before.build != after.build;
    let mut found = Vec::new();
    let ids: BTreeSet<&PackageId> = before.packages.keys().chain(after.packages.keys()).collect();
    for id in ids {
        let (was, is) = (before.packages.get(id), after.packages.get(id));
        let own_update = match (was, is) {
            (Some(was), Some(is)) => was.version != is.version || was.source != is.source,
            _ => false,
        };
        let others = match (updated, own_update) {
            (true, _) => DriftBy::SystemUpdate,
            (false, true) => DriftBy::ItsUpdate,
            (false, false) => DriftBy::Other,
        };
        match (was, is) {
            (None, Some(is)) => {
                let by = by_run(runs, before, after, id, None).map_or(others, DriftBy::Run);
                let words = version_words(None, is.version);
                found.push(Drift { id: id.clone(), user: None, kind: DriftKind::New, by, words });
            }
            (Some(was), None) => {
                let by = by_run(runs, before, after, id, None).map_or(others, DriftBy::Run);
                let words = version_words(was.version, None);
                found.push(Drift { id: id.clone(), user: None, kind: DriftKind::Gone, by, words });
            }
            (Some(was), Some(is)) => {
                if own_update {
                    let by =
                        if updated && is.source != Source::User { DriftBy::SystemUpdate } else { DriftBy::ItsUpdate };
                    let words = version_words(was.version, is.version);
                    found.push(Drift { id: id.clone(), user: None, kind: DriftKind::Version, by, words });
                }
                found.extend(states(id, was, is, runs, (before, after), others));
            }
            (None, None) => {}
        }
    }
    found.sort_by(|a, b| (a.kind, &a.id, a.user).cmp(&(b.kind, &b.id, b.user)));
    found
}

/// What has changed of a package for its users.
fn states<'a>(
    id: &'a PackageId,
    was: &'a LookedAt,
    is: &'a LookedAt,
    runs: &'a [Run],
    (before, after): (&'a Look, &'a Look),
    others: DriftBy,
) -> impl Iterator<Item = Drift> + 'a {
    // A user who came or went is no change of a package.
    let both = was.states.iter().filter_map(|(user, was)| is.states.get(user).map(|is| (*user, *was, *is)));
    both.filter_map(move |(user, was, is)| {
        let by = by_run(runs, before, after, id, Some(user));
        let kind = match (was.condition(), is.condition()) {
            (a, b) if a == b => return None,
            (Condition::InUse, _) => DriftKind::Off,
            (_, Condition::InUse) if by.is_none() && taken_by(runs, before, id, user) => DriftKind::CameBack,
            (_, Condition::InUse) => DriftKind::On,
            _ => DriftKind::OtherwiseOff,
        };
        let words = format!("was {}, is {}", word(was), word(is));
        Some(Drift { id: id.clone(), user: Some(user), kind, by: by.map_or(others, DriftBy::Run), words })
    })
}

fn word(state: PackageState) -> &'static str {
    state.condition().word()
}

fn version_words(was: Option<u64>, is: Option<u64>) -> String {
    let number = |version: Option<u64>| version.map_or_else(|| "none".to_owned(), |version| version.to_string());
    format!("version {} → {}", number(was), number(is))
}

/// The run between two looks that did something to a package, for a user or for anybody.
fn by_run(runs: &[Run], before: &Look, after: &Look, id: &PackageId, user: Option<UserId>) -> Option<RunId> {
    let did = |run: &&Run| {
        run.steps.iter().any(|step| {
            let done = matches!(step.outcome, Some(Outcome::Done));
            let then = step.settled.is_some_and(|at| before.at < at && at <= after.at);
            step.id == *id && user.is_none_or(|user| step.user == user) && done && then
        })
    };
    runs.iter().filter(did).map(|run| run.number).max()
}

/// Whether what was off at a look was taken out by a run before it, and not put back by a later one.
fn taken_by(runs: &[Run], look: &Look, id: &PackageId, user: UserId) -> bool {
    let steps = runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run.kind, step)));
    let own = steps.filter(|(_, step)| {
        step.id == *id
            && step.user == user
            && step.outcome == Some(Outcome::Done)
            && step.settled.is_some_and(|at| at <= look.at)
    });
    own.max_by_key(|(_, step)| step.order).is_some_and(|(kind, step)| kind == RunKind::TakeOut && step.way.takes_out())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Change;
    use crate::testing;
    use wibbet_types::{PlainText, Timestamp};

    fn look(at: i64, build: &str, lines: &str) -> Look {
        Look::from_lines(Timestamp(at), PlainText::new(build), lines)
    }

    fn run(number: i64, kind: RunKind, id: &str, way: Change, at: i64) -> Run {
        let mut run = testing::run(number, &[id]);
        run.kind = kind;
        let step = &mut run.steps[0];
        (step.way, step.outcome, step.settled, step.order) = (way, Some(Outcome::Done), Some(Timestamp(at)), at);
        run
    }

    fn told(found: &[Drift]) -> Vec<String> {
        let by = |by: DriftBy| match by {
            DriftBy::Run(run) => format!("run {run}"),
            other => format!("{other:?}"),
        };
        found.iter().map(|one| format!("{} {} {}", one.kind, one.id, by(one.by))).collect()
    }

    #[test]
    fn what_changed_and_by_whom() {
        let before = look(
            10,
            "B1",
            "system 1 came.back 0:0000\nsystem 1 put.back 0:0000\nsystem 1 was.off 0:1003\nsystem 1 is.off 0:1000\n\
             system 1 by.run 0:1000\nuser 3 has.gone 0:1000\nuser 3 was.updated 0:1000\nsystem 1 the.same 0:1000 10:1000\n",
        );
        let after = look(
            20,
            "B1",
            "system 1 came.back 0:1000\nsystem 1 put.back 0:1000\nsystem 1 was.off 0:1000\nsystem 1 is.off 0:1003\n\
             system 1 by.run 0:0000\nuser 4 was.updated 0:1000\nsystem 1 the.same 0:1000\nuser 1 is.new 0:1000\n",
        );
        let runs = [
            run(1, RunKind::TakeOut, "came.back", Change::Uninstall, 5),
            run(2, RunKind::TakeOut, "put.back", Change::Uninstall, 6),
            run(3, RunKind::PutBack, "put.back", Change::Reinstall, 15),
            run(4, RunKind::TakeOut, "by.run", Change::Uninstall, 16),
        ];
        assert_eq!(
            told(&drift(&before, &after, &runs)),
            [
                "came-back came.back Other",
                "on put.back run 3",
                "on was.off Other",
                "off by.run run 4",
                "off is.off Other",
                "new is.new Other",
                "gone has.gone Other",
                "version was.updated ItsUpdate",
            ]
        );
        assert!(drift(&after, &after, &runs).is_empty());
    }

    /// Another build: what changed of the system is its doing, what somebody installed has its own updates.
    #[test]
    fn an_update_of_the_system() {
        let before = look(10, "B1", "system 1 came.back 0:0000\nsystem 1 part.of 0:1000\nuser 3 an.app 0:1000\n");
        let after = look(
            20,
            "B2",
            "system 2 came.back 0:1000\nsystem 2 part.of 0:1000\nuser 4 an.app 0:1000\nsystem 1 is.new 0:1000\n",
        );
        let runs = [run(1, RunKind::TakeOut, "came.back", Change::Uninstall, 5)];
        let found = drift(&before, &after, &runs);
        assert_eq!(
            told(&found),
            [
                "came-back came.back SystemUpdate",
                "new is.new SystemUpdate",
                "version an.app ItsUpdate",
                "version came.back SystemUpdate",
                "version part.of SystemUpdate",
            ]
        );
        assert!(found[0].words.contains("was uninstalled, is in use") && found[4].words == "version 1 → 2");
    }
}
