//! The steps of a plan, put together by what comes of them.

use std::collections::BTreeMap;

use wibbet_types::{UserId, named};

use super::change::Change;
use super::plan::{AppData, Plan, PlannedStep, Reversal};
use super::upshot::Upshot;

/// What comes of a step, of several things the weightiest. The order is that in which they are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Consequence {
    /// It is there before anything goes.
    First,
    /// Something that people notice stops.
    Stops,
    /// It could not be put back from here.
    Gone,
    /// What its user had in it goes for good.
    DataGo,
    /// It comes back, and not to just what it was.
    Nearly,
    /// It comes back to just what it was.
    Just,
    /// It stays in use.
    Stays,
    /// It is put back.
    Back,
    /// It is not sent.
    NotSent,
}

named!(Consequence {
    First => "first",
    Stops => "stops",
    Gone => "gone",
    DataGo => "data-go",
    Nearly => "nearly",
    Just => "just",
    Stays => "stays",
    Back => "back",
    NotSent => "not-sent",
});

impl Consequence {
    /// The words above the steps of which it is true.
    pub fn title(self) -> &'static str {
        match self {
            Self::First => "installed before anything goes",
            Self::Stops => "something stops without these",
            Self::Gone => "could not be put back from here",
            Self::DataGo => "what people have in them goes for good",
            Self::Nearly => "come back, nearly as they were",
            Self::Just => "come back just as they were",
            Self::Stays => "stay in use",
            Self::Back => "put back",
            Self::NotSent => "not sent",
        }
    }

    /// What comes of a step. `does` is what all that goes does to its user, where that has been worked out.
    pub fn of(step: &PlannedStep, does: Option<&Upshot>) -> Self {
        if step.skip.is_some() {
            return Self::NotSent;
        }
        if step.way.takes_out() {
            return match step.back {
                _ if step.start.is_some() || does.is_some_and(|does| does.misses(&step.id)) => Self::Stops,
                Reversal::Impossible(_) => Self::Gone,
                _ if step.data != AppData::Stay => Self::DataGo,
                Reversal::Approximate(_) => Self::Nearly,
                Reversal::Exact => Self::Just,
            };
        }
        match step.way {
            Change::ClearData => Self::DataGo,
            way if Change::ACTS.contains(&way) => Self::Stays,
            Change::InstallCopy if step.target.is_none() => Self::First,
            _ => Self::Back,
        }
    }
}

impl Plan {
    /// The places of the steps by what comes of them; within a group in the order in which they are sent.
    pub fn by_consequence(&self, does: &[(UserId, Upshot)]) -> BTreeMap<Consequence, Vec<usize>> {
        let mut groups: BTreeMap<Consequence, Vec<usize>> = BTreeMap::new();
        for (place, step) in self.steps.iter().enumerate() {
            let does = does.iter().find(|(user, _)| *user == step.user).map(|(_, does)| does);
            groups.entry(Consequence::of(step, does)).or_default().push(place);
        }
        groups
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::package::PackageState;
    use crate::plan::{SkipReason, StartLoss};

    fn step(id: &str, way: Change) -> PlannedStep {
        PlannedStep::new(id.parse().unwrap(), UserId::OWNER, way, PackageState::IN_USE)
    }

    #[test]
    fn the_weightiest_of_what_comes_of_a_step_counts() {
        let of = |change: &dyn Fn(&mut PlannedStep)| {
            let mut step = step("com.ostrel.notes", Change::Uninstall);
            change(&mut step);
            Consequence::of(&step, None)
        };
        let dies = Some(StartLoss { class: 2, stops: "starting".into() });
        assert_eq!(of(&|_| ()), Consequence::Just);
        assert_eq!(of(&|s| s.back = Reversal::WITHOUT_DATA), Consequence::Nearly);
        assert_eq!(of(&|s| (s.back, s.data) = (Reversal::WITHOUT_DATA, AppData::Go)), Consequence::DataGo);
        assert_eq!(of(&|s| (s.back, s.data) = (Reversal::Impossible("so"), AppData::Go)), Consequence::Gone);
        assert_eq!(of(&|s| (s.back, s.start) = (Reversal::Impossible("so"), dies.clone())), Consequence::Stops);
        assert_eq!(of(&|s| (s.start, s.skip) = (dies.clone(), Some(SkipReason::Start(2)))), Consequence::NotSent);
        assert_eq!(of(&|s| s.way = Change::ClearData), Consequence::DataGo);
        assert_eq!(of(&|s| s.way = Change::Quieten), Consequence::Stays);
        assert_eq!(of(&|s| s.way = Change::Reinstall), Consequence::Back);
        assert_eq!(of(&|s| s.way = Change::InstallCopy), Consequence::First);
    }

    #[test]
    fn each_step_is_in_one_group_by_what_its_own_user_loses() {
        let mut plan = Plan::default();
        plan.steps.extend(["com.a", "com.b", "com.c"].map(|id| step(id, Change::Disable)));
        plan.steps[2].user = UserId::new(10);
        let lost = |ids: &[&str]| {
            let ids: BTreeSet<_> = ids.iter().map(|id| id.parse().unwrap()).collect();
            Upshot { lost: [("typing".to_owned(), ids)].into(), ..Upshot::default() }
        };
        let groups = plan.by_consequence(&[(UserId::OWNER, lost(&["com.b", "com.c"])), (UserId::new(10), lost(&[]))]);
        assert_eq!(groups, [(Consequence::Stops, vec![1]), (Consequence::Just, vec![0, 2])].into());
    }
}
