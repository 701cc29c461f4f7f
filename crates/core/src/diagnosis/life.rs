//! The life of a device as the logbook knows it: when it was met, what runs did to it, its updates and breaks, and what changed by itself.

use std::collections::BTreeSet;

use wibbet_types::{PlainText, RunId, Timestamp, UserId, counted};

use super::drift::{DriftBy, DriftKind, drift};
use super::look::{Look, LookHead};
use super::update_break::UpdateBreak;
use crate::package::Condition;
use crate::run::{Run, RunKind};

/// What happened at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Moment {
    /// It was looked at for the first time.
    Met,
    /// Its system is another build.
    Updated(PlainText),
    /// A run.
    Run {
        /// Its number.
        number: RunId,
        /// What it was for.
        kind: RunKind,
        /// How many of its steps have come to what they aim at.
        done: usize,
        /// How many have not.
        not_done: usize,
    },
    /// An update break began.
    BreakBegun,
    /// It ended.
    BreakEnded,
    /// Something changed that no run did: how many are of each kind.
    Changed(Vec<(DriftKind, usize)>),
}

/// What a moment is, in short: each has a shape of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MomentKind {
    /// It was met.
    Met,
    /// Its system was updated.
    Update,
    /// A run that is whole.
    Run,
    /// A run of which something was not done.
    RunInPart,
    /// A break began or ended.
    Break,
    /// It changed by itself.
    Change,
}

impl MomentKind {
    /// All of them.
    pub const ALL: [Self; 6] = [Self::Met, Self::Run, Self::RunInPart, Self::Update, Self::Change, Self::Break];

    /// Its shape in a cell, and its word.
    pub fn sign(self) -> (&'static str, &'static str) {
        match self {
            Self::Met => ("┬", "met"),
            Self::Update => ("◆", "system update"),
            Self::Run => ("■", "run"),
            Self::RunInPart => ("▲", "run, not all of it done"),
            Self::Break => ("╪", "update break"),
            Self::Change => ("○", "changed by itself"),
        }
    }
}

impl Moment {
    /// What it is.
    pub fn kind(&self) -> MomentKind {
        match self {
            Self::Met => MomentKind::Met,
            Self::Updated(_) => MomentKind::Update,
            Self::Run { not_done: 0, .. } => MomentKind::Run,
            Self::Run { .. } => MomentKind::RunInPart,
            Self::BreakBegun | Self::BreakEnded => MomentKind::Break,
            Self::Changed(_) => MomentKind::Change,
        }
    }

    /// In words.
    pub fn words(&self) -> String {
        match self {
            Self::Met => "first look at it".to_owned(),
            Self::Updated(build) => format!("system updated to {build}"),
            Self::Run { number, kind, done, not_done } => {
                let verb = match kind {
                    RunKind::TakeOut => "taken out",
                    RunKind::PutBack => "put back",
                    RunKind::Install => "installed",
                    RunKind::Try | RunKind::Unknown => "done",
                };
                let left = if *not_done == 0 { String::new() } else { format!(", {not_done} not done") };
                format!("run {number}: {done} {verb}{left}")
            }
            Self::BreakBegun => "update break begun".to_owned(),
            Self::BreakEnded => "update break ended".to_owned(),
            Self::Changed(counts) => {
                let words = counts.iter().map(|(kind, count)| match kind {
                    DriftKind::CameBack => format!("{count} came back"),
                    DriftKind::On => format!("{count} on"),
                    DriftKind::Off => format!("{count} off"),
                    DriftKind::OtherwiseOff => format!("{count} off otherwise"),
                    DriftKind::RoleMoved => counted(*count, "role moved", "roles moved"),
                    DriftKind::New => format!("{count} new"),
                    DriftKind::Gone => format!("{count} gone"),
                    DriftKind::Version => counted(*count, "other version", "other versions"),
                });
                words.collect::<Vec<_>>().join(", ")
            }
        }
    }
}

/// A moment in the life of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LifePoint {
    /// When.
    pub at: Timestamp,
    /// What happened.
    pub what: Moment,
    /// How many packages were in use behind it, where that is known.
    pub in_use: Option<u32>,
    /// It is within an update break.
    pub on_break: bool,
}

/// The life of a device, the first moment first.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Life {
    /// The user whose packages are counted.
    pub user: UserId,
    /// Its moments.
    pub points: Vec<LifePoint>,
}

impl Life {
    /// Out of the looks that are kept, the first one first, the runs in any order, and the breaks.
    pub fn of(looks: &[(LookHead, Look)], runs: &[Run], breaks: &[UpdateBreak]) -> Self {
        let users: BTreeSet<UserId> = looks
            .iter()
            .flat_map(|(_, look)| look.packages.values())
            .flat_map(|one| one.states.keys().copied())
            .collect();
        let user = users.first().copied().unwrap_or(UserId::OWNER);
        let mut points = Vec::new();
        let mut add = |at, what, in_use| points.push(LifePoint { at, what, in_use, on_break: false });
        let mut before: Option<&(LookHead, Look)> = None;
        for look in looks {
            let in_use = in_use(&look.1, user);
            match before {
                None => add(look.0.at, Moment::Met, in_use),
                Some(before) => {
                    if before.0.build != look.0.build {
                        add(look.0.at, Moment::Updated(look.0.build.clone()), in_use);
                    }
                    let counts = by_itself(&before.1, &look.1, runs);
                    if !counts.is_empty() {
                        add(look.0.at, Moment::Changed(counts), in_use);
                    }
                }
            }
            before = Some(look);
        }
        for run in runs.iter().filter(|run| run.kind != RunKind::Try) {
            let done = run.counting().filter(|step| step.is_so()).count();
            let not_done = run.counting().count() - done;
            let measured = run.figures[1].as_ref().and_then(|figures| figures.in_use.get(&user).copied());
            let in_use = measured.or_else(|| seen_behind(run, looks, runs).and_then(|look| in_use(look, user)));
            add(run.begun, Moment::Run { number: run.number, kind: run.kind, done, not_done }, in_use);
        }
        for one in breaks {
            add(one.begun, Moment::BreakBegun, None);
            one.ended.iter().for_each(|at| add(*at, Moment::BreakEnded, None));
        }
        points.sort_by_key(|point| point.at);
        let mut known = None;
        for point in &mut points {
            match point.what {
                // A break by itself changes nothing.
                Moment::BreakBegun | Moment::BreakEnded => point.in_use = known,
                _ => known = point.in_use,
            }
            let within = |one: &UpdateBreak| one.begun <= point.at && one.ended.is_none_or(|ended| point.at <= ended);
            point.on_break = breaks.iter().any(within);
        }
        Self { user, points }
    }

    /// The most packages that were ever in use.
    pub fn most(&self) -> u32 {
        self.points.iter().filter_map(|point| point.in_use).max().unwrap_or(0)
    }
}

/// The look that shows what a run has led to: the next one, where neither another run nor an update of the system lies between.
fn seen_behind<'a>(run: &Run, looks: &'a [(LookHead, Look)], runs: &[Run]) -> Option<&'a Look> {
    let place = looks.iter().position(|(head, _)| head.at >= run.begun)?;
    let (head, look) = &looks[place];
    let before = place.checked_sub(1).map(|place| &looks[place].0);
    let is_between = |other: &Run| other.number != run.number && (run.begun..=head.at).contains(&other.begun);
    let alone = !runs.iter().any(is_between) && before.is_none_or(|before| before.build == head.build);
    alone.then_some(look)
}

fn in_use(look: &Look, user: UserId) -> Option<u32> {
    let states = look.packages.values().filter_map(|one| one.states.get(&user));
    let count = states.filter(|state| state.condition() == Condition::InUse).count();
    if count == 0 { None } else { u32::try_from(count).ok() }
}

/// What changed between two looks that no run did, counted by kind.
fn by_itself(before: &Look, after: &Look, runs: &[Run]) -> Vec<(DriftKind, usize)> {
    let mut counts: Vec<(DriftKind, usize)> = Vec::new();
    for one in drift(before, after, runs).iter().filter(|one| !matches!(one.by, DriftBy::Run(_))) {
        match counts.iter_mut().find(|(kind, _)| *kind == one.kind) {
            Some((_, count)) => *count += 1,
            None => counts.push((one.kind, 1)),
        }
    }
    counts
}

#[cfg(test)]
mod tests {
    use wibbet_types::{BreakId, LookId};

    use super::*;
    use crate::run::Outcome;
    use crate::testing;

    fn look(number: i64, at: i64, build: &str, lines: &str) -> (LookHead, Look) {
        let head = LookHead {
            number: LookId::new(number),
            at: Timestamp(at),
            until: Timestamp(at),
            build: PlainText::new(build),
            boot: None,
        };
        let look = Look::from_lines(&head, lines);
        (head, look)
    }

    #[test]
    fn what_happened_stands_in_its_order() {
        let looks = [
            look(1, 10, "A", "system 1 com.corvane.tips 0:1000\nsystem 1 com.corvane.fota 0:1000\n"),
            look(2, 30, "A", "system 1 com.corvane.tips 0:0000\nsystem 1 com.corvane.fota 0:1000\n"),
            look(
                3,
                60,
                "B",
                "system 1 com.corvane.tips 0:1000\nsystem 2 com.corvane.fota 0:1000\nsystem 1 com.corvane.new 0:1000\n",
            ),
        ];
        let mut run = testing::run(7, &[]);
        (run.begun, run.touched) = (Timestamp(20), Timestamp(21));
        run.steps = vec![
            testing::settled(0, "com.corvane.tips", Outcome::Done),
            testing::settled(1, "com.corvane.fota", Outcome::Refused),
        ];
        run.steps[0].settled = Some(Timestamp(21));
        let paused = UpdateBreak {
            number: BreakId::new(1),
            device: run.device.clone(),
            begun: Timestamp(40),
            build: PlainText::new("A"),
            items: Vec::new(),
            packages: BTreeSet::new(),
            ended: Some(Timestamp(50)),
        };
        let life = Life::of(&looks, &[run], &[paused]);
        let told: Vec<(i64, String, Option<u32>, bool)> =
            life.points.iter().map(|point| (point.at.0, point.what.words(), point.in_use, point.on_break)).collect();
        assert_eq!(
            told,
            [
                (10, "first look at it".to_owned(), Some(2), false),
                (20, "run 7: 1 taken out, 1 not done".to_owned(), Some(1), false),
                (40, "update break begun".to_owned(), Some(1), true),
                (50, "update break ended".to_owned(), Some(1), true),
                (60, "system updated to B".to_owned(), Some(3), false),
                (60, "1 came back, 1 new, 1 other version".to_owned(), Some(3), false),
            ]
        );
        // What lies before an update, or another run, shows no count that is known.
        let mut late = testing::run(8, &[]);
        late.begun = Timestamp(55);
        let told = Life::of(&looks, &[late.clone()], &[]).points;
        assert_eq!(told[2].what.words(), "run 8: 0 taken out");
        assert_eq!((told[2].in_use, told[3].in_use), (None, Some(3)));
        let (mut early, mut next) = (late.clone(), late);
        (early.begun, next.begun, next.number) = (Timestamp(20), Timestamp(25), RunId::new(9));
        let told = Life::of(&looks[..2], &[next, early], &[]).points;
        assert_eq!((told[1].in_use, told[2].in_use), (None, Some(1)));
        assert_eq!((life.most(), life.points[1].what.kind()), (3, MomentKind::RunInPart));
        assert!(Life::of(&[], &[], &[]).points.is_empty());
    }
}
