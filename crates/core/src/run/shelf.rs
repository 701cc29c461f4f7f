//! What is off a device, who took it out, and where putting it back leads.

use wibbet_types::{PackageId, RunId, Timestamp, UserId};

use super::record::{Outcome, Run, RunKind, Step};
use crate::package::{Condition, Inventory, PackageState};

/// Who took a package out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// The run of this number.
    Run {
        /// Its number.
        number: RunId,
        /// When it was begun.
        begun: Timestamp,
    },
    /// It was off before Wibbet, or somebody else did it.
    Before,
}

/// A package that is off for a user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ShelfEntry {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// How it is off.
    pub condition: Condition,
    /// Who took it out.
    pub origin: Origin,
    /// The state that putting it back leads to.
    pub target: PackageState,
}

/// What is off, the latest run first, then what was off before.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Shelf {
    /// The entries.
    pub entries: Vec<ShelfEntry>,
}

impl Shelf {
    /// The shelf of a device: what its inventory shows as off, told apart by its runs (any order).
    pub fn of(inventory: &Inventory, runs: &[Run]) -> Self {
        let mut entries: Vec<ShelfEntry> = Vec::new();
        for package in inventory.packages.values() {
            for user in &inventory.users {
                let condition = package.state(user.id).condition();
                if condition.is_off() {
                    let (origin, target) = origin_of(runs, &package.id, user.id);
                    // Off before and still off as it was: putting back means using it again.
                    let target = if package.state(user.id) == target { PackageState::IN_USE } else { target };
                    entries.push(ShelfEntry { id: package.id.clone(), user: user.id, condition, origin, target });
                }
            }
        }
        entries.sort_by(|a, b| {
            let run = |e: &ShelfEntry| match e.origin {
                Origin::Run { number, .. } => Some(number),
                Origin::Before => None,
            };
            run(b).cmp(&run(a)).then_with(|| a.id.cmp(&b.id)).then(a.user.cmp(&b.user))
        });
        Self { entries }
    }
}

/// The state that a package had before Wibbet first took it out since it was last put back;
/// "in use" where no run says anything.
pub fn recorded_state(runs: &[Run], id: &PackageId, user: UserId) -> PackageState {
    origin_of(runs, id, user).1
}

fn origin_of(runs: &[Run], id: &PackageId, user: UserId) -> (Origin, PackageState) {
    // By when things were done: a run that was carried on later may have begun before another.
    let mut done: Vec<(&Run, &Step)> = runs
        .iter()
        .flat_map(|run| run.steps.iter().map(move |step| (run, step)))
        .filter(|(_, step)| step.id == *id && step.user == user && step.outcome == Some(Outcome::Done))
        .collect();
    done.sort_by_key(|(run, step)| (step.settled, run.number, step.index));
    let mut found = (Origin::Before, None);
    for (run, step) in done {
        match run.kind {
            RunKind::TakeOut => {
                found = (Origin::Run { number: run.number, begun: run.begun }, found.1.or(Some(step.before)));
            }
            RunKind::PutBack => found = (Origin::Before, None),
        }
    }
    (found.0, found.1.unwrap_or(PackageState::IN_USE))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use wibbet_types::StepIndex;

    use crate::device::UserKind;
    use crate::package::{Enabled, PackageKind};
    use crate::plan::Change;
    use crate::run::record::{RunState, StepState};

    const OWNER: UserId = UserId::OWNER;
    const OFF: PackageState = PackageState { enabled: Enabled::DisabledUser, ..PackageState::IN_USE };
    const OUT: PackageState = PackageState { installed: false, ..PackageState::IN_USE };

    fn run(number: i64, kind: RunKind, id: &str, way: Change, before: PackageState, outcome: Outcome) -> Run {
        let step = Step {
            index: StepIndex::new(0),
            id: id.parse().unwrap(),
            user: OWNER,
            way,
            words: String::new(),
            before,
            state: StepState::Settled,
            answer: None,
            after: None,
            outcome: Some(outcome),
            settled: Some(Timestamp(number)),
            remark: String::new(),
        };
        let device = "S".parse().unwrap();
        Run {
            number: RunId::new(number),
            device,
            kind,
            state: RunState::Finished,
            begun: Timestamp(number),
            touched: Timestamp(number),
            steps: vec![step],
        }
    }

    fn inventory(states: &[(&str, PackageState)]) -> Inventory {
        let package =
            |(id, state): &(&str, PackageState)| testing::package(id, PackageKind::System, "", &[(0, *state)]);
        testing::inventory(&[testing::user(0, "", UserKind::Owner)], states.iter().map(package))
    }

    #[test]
    fn runs_and_what_was_off_before_are_kept_apart() {
        use Outcome::{Done, NoEffect};
        let runs = [
            run(2, RunKind::TakeOut, "b", Change::Disable, PackageState::IN_USE, Done),
            run(1, RunKind::TakeOut, "a", Change::Uninstall, PackageState::IN_USE, Done),
            run(3, RunKind::TakeOut, "c", Change::Uninstall, PackageState::IN_USE, NoEffect),
        ];
        let shelf = Shelf::of(&inventory(&[("a", OUT), ("b", OFF), ("c", OUT), ("d", PackageState::IN_USE)]), &runs);
        let seen: Vec<(&str, Origin)> = shelf.entries.iter().map(|e| (e.id.as_str(), e.origin)).collect();
        let by = |n| Origin::Run { number: RunId::new(n), begun: Timestamp(n) };
        assert_eq!(seen, [("b", by(2)), ("a", by(1)), ("c", Origin::Before)]);
    }

    #[test]
    fn undoing_leads_to_the_state_before_the_first_run_since_it_was_put_back() {
        use Outcome::Done;
        let set = PackageState { enabled: Enabled::Enabled, ..PackageState::IN_USE };
        let mut runs = vec![
            run(1, RunKind::TakeOut, "a", Change::Disable, set, Done),
            run(2, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done),
        ];
        let id = "a".parse().unwrap();
        assert_eq!(recorded_state(&runs, &id, OWNER), set);
        runs.push(run(3, RunKind::PutBack, "a", Change::Reinstall, OUT, Done));
        assert_eq!(recorded_state(&runs, &id, OWNER), PackageState::IN_USE);
        runs.push(run(4, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done));
        assert_eq!(recorded_state(&runs, &id, OWNER), OFF, "disabled before it was uninstalled");
    }

    #[test]
    fn what_is_off_as_it_was_before_is_put_back_into_use() {
        let runs = [run(1, RunKind::TakeOut, "a", Change::Uninstall, OFF, Outcome::Done)];
        assert_eq!(Shelf::of(&inventory(&[("a", OUT)]), &runs).entries[0].target, OFF);
        assert_eq!(Shelf::of(&inventory(&[("a", OFF)]), &runs).entries[0].target, PackageState::IN_USE);
    }
}
