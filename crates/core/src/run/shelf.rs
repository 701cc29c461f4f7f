//! What is off a device, who took it out, and where putting it back leads.

use std::collections::{BTreeMap, HashMap};

use wibbet_types::{CopyId, PackageId, RunId, Timestamp, UserId};

use super::record::{Outcome, Run, RunKind, Step};
use crate::package::{Condition, Given, Inventory, KeptCopy, Package, PackageKind, PackageState};
use crate::plan::Change;

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
    /// It is in use, and may do nothing while nobody looks at it.
    pub quiet: bool,
    /// It was removed from the system, and Android has not noticed yet.
    pub removed: bool,
    /// The copy that it comes back from, where the device has nothing of it any more.
    pub copy: Option<CopyId>,
}

impl ShelfEntry {
    /// How it is off, in a word for people.
    pub fn word(&self) -> &'static str {
        match self {
            Self { quiet: true, .. } => "quiet",
            Self { removed: true, .. } => "removed",
            _ => self.condition.word(),
        }
    }
}

/// What is off, the latest run first, then what was off before.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Shelf {
    /// The entries.
    pub entries: Vec<ShelfEntry>,
    /// How many packages users other than the first never had, as far as is known: profiles and further users are set up with
    /// some of them only. Nobody would want all of those put back.
    pub not_given: BTreeMap<UserId, usize>,
}

impl Shelf {
    /// As [`Shelf::with_copies`], without any.
    pub fn of(inventory: &Inventory, runs: &[Run]) -> Self {
        Self::with_copies(inventory, runs, &[])
    }

    /// The shelf of a device: what its inventory shows as off, told apart by its runs (any order), and what its runs took out that
    /// is not on the device at all any more and has a copy.
    pub fn with_copies(inventory: &Inventory, runs: &[Run], copies: &[KeptCopy]) -> Self {
        let mut entries: Vec<ShelfEntry> = Vec::new();
        let mut not_given = BTreeMap::new();
        let record = Record::of(runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step))));
        for package in inventory.packages.values() {
            for user in &inventory.users {
                let condition = package.condition(user.id);
                if condition.is_off() {
                    let (origin, target) = record.origin(&package.id, user.id);
                    if !inventory.is_first(user.id) && condition == Condition::Uninstalled && origin == Origin::Before {
                        *not_given.entry(user.id).or_default() += 1;
                        continue;
                    }
                    // Off before and still off as it was: putting back means using it again.
                    let target = if package.state(user.id) == target { PackageState::IN_USE } else { target };
                    let of = copy_of(copies, &package.id).filter(|_| is_gone(package));
                    entries.push(ShelfEntry {
                        id: package.id.clone(),
                        user: user.id,
                        condition,
                        origin,
                        target,
                        quiet: false,
                        removed: false,
                        copy: of,
                    });
                }
            }
        }
        for (id, user) in record.taken.iter().filter(|(_, taken)| !taken.is_empty()).map(|(place, _)| *place) {
            if inventory.user(user).is_none() {
                continue;
            }
            let copy = match inventory.packages.get(id) {
                // The device says no more of it than of what its user never had: somebody else has it.
                Some(package) if package.condition(user) == Condition::Absent => {
                    copy_of(copies, id).filter(|_| is_gone(package))
                }
                // That Android does not know yet.
                Some(package) if record.is_removed(id, user) && !package.condition(user).is_off() => {
                    let (origin, target) = record.origin(id, user);
                    let (id, condition, copy) = (id.clone(), package.condition(user), copy_of(copies, id));
                    entries.push(ShelfEntry { id, user, condition, origin, target, quiet: false, removed: true, copy });
                    continue;
                }
                Some(_) => continue,
                None => match copy_of(copies, id) {
                    Some(copy) => Some(copy),
                    None => continue,
                },
            };
            let (origin, target) = record.origin(id, user);
            let (id, condition) = (id.clone(), Condition::Uninstalled);
            entries.push(ShelfEntry { id, user, condition, origin, target, quiet: false, removed: false, copy });
        }
        for package in inventory.packages.values() {
            for user in package.about.quiet.iter().filter(|user| inventory.user(**user).is_some()) {
                let (id, user, condition) = (package.id.clone(), *user, package.condition(*user));
                if !condition.is_off() && package.state(user).installed {
                    let (origin, target) = (quietened_by(runs, &id, user), package.state(user));
                    entries.push(ShelfEntry {
                        id,
                        user,
                        condition,
                        origin,
                        target,
                        quiet: true,
                        removed: false,
                        copy: None,
                    });
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
        Self { entries, not_given }
    }
}

/// The run that last had a package do nothing in the background, unless another let it again.
fn quietened_by(runs: &[Run], id: &PackageId, user: UserId) -> Origin {
    let steps = runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step)));
    let own = steps.filter(|(_, step)| step.id == *id && step.user == user && step.outcome == Some(Outcome::Done));
    let acts = own.filter(|(_, step)| matches!(step.way, Change::Quieten | Change::Unquieten));
    match acts.max_by_key(|(_, step)| step.order) {
        Some((run, step)) if step.way == Change::Quieten => Origin::Run { number: run.number, begun: run.begun },
        _ => Origin::Before,
    }
}

/// The copy that a package comes back from.
fn copy_of(copies: &[KeptCopy], id: &PackageId) -> Option<CopyId> {
    KeptCopy::last_of(copies, id).map(|copy| copy.number)
}

/// Whether the device has nothing of it that could be installed.
fn is_gone(package: &Package) -> bool {
    package.kind == PackageKind::User && !package.states.values().any(|state| state.installed)
}

/// The state that a package had before Wibbet first took it out since it was last in use; "in use" where no run says
/// anything.
pub fn recorded_state(runs: &[Run], id: &PackageId, user: UserId) -> PackageState {
    Record::of(
        runs.iter()
            .flat_map(|run| run.steps.iter().map(move |step| (run, step)))
            .filter(|(_, step)| step.id == *id && step.user == user),
    )
    .origin(id, user)
    .1
}

/// What people had given a package before Wibbet took it out; nothing where no run says anything.
pub fn recorded_gifts(runs: &[Run], id: &PackageId, user: UserId) -> Vec<Given> {
    let steps = runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step)));
    Record::of(steps.filter(|(_, step)| step.id == *id && step.user == user)).given(id, user)
}

/// Something that runs took out and none has put back, as far as the record knows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TakenOut {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The state that it was left in, or that it would have if the last step of it was done.
    pub now: PackageState,
    /// The state before it was first taken out.
    pub target: PackageState,
    /// The way in which it went last.
    pub way: Change,
    /// What people had given it.
    pub given: Vec<Given>,
    /// What the start of the device lost with it, by class, as far as that was known then.
    pub start: Option<u8>,
}

/// The runs that something is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum OfRuns {
    /// The last one that has anything out.
    #[default]
    Last,
    /// This one.
    Run(RunId),
    /// All of them.
    All,
}

impl OfRuns {
    /// What they took out and none has put back, as [`taken_out`] has it; of one run its number.
    pub fn taken_out(self, runs: &[Run]) -> (Option<RunId>, Vec<TakenOut>) {
        match self {
            Self::All => (None, taken_out(runs, None)),
            Self::Run(number) => (Some(number), taken_out(runs, Some(number))),
            Self::Last => {
                let mut numbers: Vec<RunId> =
                    runs.iter().filter(|run| run.kind == RunKind::TakeOut).map(|run| run.number).collect();
                numbers.sort();
                let of = |number| (Some(number), taken_out(runs, Some(number)));
                numbers.into_iter().rev().map(of).find(|(_, out)| !out.is_empty()).unwrap_or_default()
            }
        }
    }
}

/// The class of what the start of the device loses with a package, as far as the runs that took it out knew.
pub fn recorded_start(runs: &[Run], id: &PackageId, user: UserId) -> Option<u8> {
    let steps = runs.iter().flat_map(|run| &run.steps);
    steps.filter(|step| step.id == *id && step.user == user && step.way.takes_out()).filter_map(|step| step.start).min()
}

/// What runs took out and none has put back: of one run, or of all. What was sent and never heard of counts as done. The device is not
/// asked: this is for one that cannot be. In the order in which it is put back: what the start lost first, then what was uninstalled,
/// then the rest.
fn taken_out(runs: &[Run], of: Option<RunId>) -> Vec<TakenOut> {
    let assumed: Vec<Run> = runs.iter().map(as_if_done).collect();
    let steps = assumed.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step)));
    let record = Record::of(steps);
    let mut found: Vec<(i64, TakenOut)> = Vec::new();
    for ((id, user), taken) in &record.taken {
        let (Some((_, first)), Some((run, last))) = (taken.first(), taken.last()) else { continue };
        if of.is_some_and(|of| taken.iter().all(|(run, _)| run.number != of)) || run.kind != RunKind::TakeOut {
            continue;
        }
        let start = taken.iter().filter_map(|(_, step)| step.start).min();
        let now = last.after.unwrap_or_else(|| last.way.leads_to(last.before));
        let (id, user, target, given) = ((*id).clone(), *user, first.before, record.given(id, *user));
        found.push((last.order, TakenOut { id, user, now, target, way: last.way, given, start }));
    }
    found.sort_by(|(order, a), (other, b)| {
        let first = |one: &TakenOut| (one.start.unwrap_or(u8::MAX), one.now.installed);
        // What went last comes first: it leans on nothing that went before it.
        first(a).cmp(&first(b)).then(other.cmp(order)).then_with(|| (&a.id, a.user).cmp(&(&b.id, b.user)))
    });
    found.into_iter().map(|(_, taken)| taken).collect()
}

/// A run of which everything that was sent and never heard of has been done.
fn as_if_done(run: &Run) -> Run {
    let mut run = run.clone();
    for step in run.steps.iter_mut().filter(|step| run.kind == RunKind::TakeOut && step.is_open_question()) {
        (step.outcome, step.after) = (Some(Outcome::Done), None);
    }
    run
}

/// What of a device was taken out by runs and has not been put back, by package and user: the takings-out, the first one
/// at the bottom.
struct Record<'a> {
    taken: HashMap<(&'a PackageId, UserId), Vec<(&'a Run, &'a Step)>>,
}

impl<'a> Record<'a> {
    /// From the steps of runs, in any order.
    fn of(steps: impl Iterator<Item = (&'a Run, &'a Step)>) -> Self {
        // By when they were sent: a run that was carried on later may have begun before another, and clocks jump.
        let mut done: Vec<(&Run, &Step)> = steps.filter(|(_, step)| step.outcome == Some(Outcome::Done)).collect();
        done.sort_by_key(|(run, step)| (step.order, run.number, step.index));
        let mut record = Self { taken: HashMap::new() };
        for (run, step) in done {
            let taken = record.taken.entry((&step.id, step.user)).or_default();
            match run.kind {
                // A replacement that came with it was not taken out.
                RunKind::TakeOut if !step.way.takes_out() => {}
                RunKind::TakeOut => {
                    // It was in use: whatever was taken out before has been put back by somebody.
                    if step.before.condition() == Condition::InUse {
                        taken.clear();
                    }
                    taken.push((run, step));
                }
                // Nothing was taken out or put back by it, as far as is known.
                RunKind::Install | RunKind::Try | RunKind::Unknown => {}
                RunKind::PutBack => {
                    let of_this = |s: &&Step| s.id == step.id && s.user == step.user;
                    let last = run.steps.iter().rfind(of_this);
                    let whole = run.steps.iter().filter(of_this).all(|s| s.outcome == Some(Outcome::Done));
                    // Half of it done is not yet where it is to lead to.
                    if whole && last.is_some_and(|last| last.index == step.index) {
                        let reached = step.target.or(step.after);
                        let from = taken.iter().position(|(_, taken)| Some(taken.before) == reached);
                        taken.truncate(from.unwrap_or(0));
                    }
                }
            }
        }
        record
    }

    /// Whether it was removed from the system last.
    fn is_removed(&self, id: &PackageId, user: UserId) -> bool {
        let taken = self.taken.get(&(id, user)).and_then(|taken| taken.last());
        taken.is_some_and(|(_, step)| step.way == Change::RemoveFromSystem)
    }

    /// What people had given it before it was first taken out, and since.
    fn given(&self, id: &PackageId, user: UserId) -> Vec<Given> {
        let mut all: Vec<Given> = Vec::new();
        for (_, step) in self.taken.get(&(id, user)).into_iter().flatten() {
            all.extend(step.given.iter().filter(|given| !all.contains(given)).cloned().collect::<Vec<_>>());
        }
        all
    }

    /// Who took a package out, and the state that putting it back leads to.
    fn origin(&self, id: &PackageId, user: UserId) -> (Origin, PackageState) {
        match self.taken.get(&(id, user)).map(Vec::as_slice) {
            Some(taken @ [(_, first), ..]) => {
                let by = |(run, _): &(&Run, &Step)| Origin::Run { number: run.number, begun: run.begun };
                (taken.last().map_or(Origin::Before, by), first.before)
            }
            _ => (Origin::Before, PackageState::IN_USE),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use wibbet_types::StepIndex;

    use crate::device::UserKind;
    use crate::package::Enabled;
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
            target: None,
            apk: None,
            copy: None,
            start: None,
            for_good: false,
            given: Vec::new(),
            returned: None,
            order: number,
            state: StepState::Settled,
            answer: None,
            after: None,
            outcome: Some(outcome),
            settled: Some(Timestamp(number)),
            remark: String::new(),
        };
        let device = "S".parse().unwrap();
        Run {
            figures: [None, None],
            seen_after: Vec::new(),
            taken_in: None,
            not_understood: Vec::new(),
            on_refusal: crate::plan::OnRefusal::default(),
            order: String::new(),
            names: Default::default(),
            missed: None,
            job: crate::plan::Job::default(),
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

    /// Of a device that cannot be asked the record alone says what is out: what the start lost first, then what was uninstalled; what was
    /// sent and never heard of counts as done.
    #[test]
    fn what_is_out_by_the_record_alone() {
        use Outcome::{Done, Refused};
        let took = |number, id, way, outcome| run(number, RunKind::TakeOut, id, way, PackageState::IN_USE, outcome);
        let mut lost = took(3, "lost.answer", Change::Uninstall, Done);
        (lost.steps[0].state, lost.steps[0].outcome) = (StepState::Sent, None);
        let mut needed = took(4, "the.start", Change::Disable, Done);
        needed.steps[0].start = Some(2);
        let back = run(6, RunKind::PutBack, "is.back", Change::Reinstall, OUT, Done);
        let runs = [
            took(1, "first.out", Change::Uninstall, Done),
            took(2, "only.off", Change::Disable, Done),
            lost,
            needed,
            took(5, "is.back", Change::Uninstall, Done),
            back,
            took(7, "was.refused", Change::Uninstall, Refused),
        ];
        let ids = |of| taken_out(&runs, of).into_iter().map(|one| one.id.to_string()).collect::<Vec<_>>();
        assert_eq!(ids(None), ["the.start", "lost.answer", "first.out", "only.off"]);
        assert_eq!(ids(Some(RunId::new(3))), ["lost.answer"]);
        assert!(ids(Some(RunId::new(5))).is_empty());
        // The one that was refused has nothing out, nor has the one that was put back.
        assert_eq!(OfRuns::Last.taken_out(&runs).0, Some(RunId::new(4)));
        assert_eq!(OfRuns::All.taken_out(&runs).1.len(), 4);
        assert_eq!(OfRuns::Last.taken_out(&runs[6..]), (None, Vec::new()));
        assert_eq!(recorded_start(&runs, &"the.start".parse().unwrap(), OWNER), Some(2));
        let out = taken_out(&runs, Some(RunId::new(2)));
        assert_eq!((out[0].now, out[0].target), (OFF, PackageState::IN_USE));
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

    /// A profile is set up with few of the system's apps: what was taken out of it is apart from what it never had.
    #[test]
    fn what_a_profile_was_never_given_is_not_off() {
        let users = [testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        let package = |id, of: PackageState| testing::package(id, PackageKind::System, "", &[(0, OUT), (10, of)]);
        let packages = [package("a", OUT), package("b", OUT), package("c", OFF)];
        let mut taken = run(1, RunKind::TakeOut, "b", Change::Uninstall, PackageState::IN_USE, Outcome::Done);
        taken.steps[0].user = UserId::new(10);
        let shelf = Shelf::of(&testing::inventory(&users, packages), &[taken]);
        let of_profile = shelf.entries.iter().filter(|e| e.user != OWNER);
        assert_eq!(of_profile.map(|e| e.id.as_str()).collect::<Vec<_>>(), ["b", "c"]);
        assert_eq!(shelf.entries.len(), 5);
        assert_eq!(shelf.not_given, BTreeMap::from([(UserId::new(10), 1)]));
    }

    /// An app that somebody installed is as good as unknown for whoever has it no more while somebody else has it.
    #[test]
    fn what_was_taken_from_one_of_two_is_off_for_that_one() {
        let users = [testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        let states = [(0, PackageState::IN_USE), (10, PackageState::ABSENT)];
        let packages = ["a", "b"].map(|id| testing::package(id, PackageKind::User, "/data/app/a", &states));
        let mut taken = run(1, RunKind::TakeOut, "a", Change::UninstallKeepData, PackageState::IN_USE, Outcome::Done);
        taken.steps[0].user = UserId::new(10);
        let shelf = Shelf::of(&testing::inventory(&users, packages), &[taken]);
        let seen: Vec<_> = shelf.entries.iter().map(|e| (e.id.as_str(), e.user, e.target, e.copy)).collect();
        assert_eq!(seen, [("a", UserId::new(10), PackageState::IN_USE, None)]);
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
        let mut back = run(3, RunKind::PutBack, "a", Change::Reinstall, OUT, Done);
        back.steps[0].target = Some(set);
        runs.push(back);
        assert_eq!(recorded_state(&runs, &id, OWNER), PackageState::IN_USE);
        runs.push(run(4, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done));
        assert_eq!(recorded_state(&runs, &id, OWNER), OFF, "disabled before it was uninstalled");
    }

    #[test]
    fn undoing_is_a_stack_whatever_the_clocks_say() {
        use Outcome::{Done, Refused};
        let set = PackageState { enabled: Enabled::Enabled, ..PackageState::IN_USE };
        let id = "a".parse().unwrap();
        let back = |number, target, outcome| {
            let mut back = run(number, RunKind::PutBack, "a", Change::Reinstall, OUT, outcome);
            back.steps[0].target = Some(target);
            back
        };
        let mut runs = vec![
            run(1, RunKind::TakeOut, "a", Change::Disable, set, Done),
            run(2, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done),
            back(3, OFF, Done),
        ];
        assert_eq!(recorded_state(&runs, &id, OWNER), set, "only the second one was undone");
        runs.push(run(4, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done));
        // The clock of this computer stood years back then.
        runs[3].steps[0].settled = Some(Timestamp(0));
        assert_eq!(recorded_state(&runs, &id, OWNER), set);
        runs.reverse();
        assert_eq!(recorded_state(&runs, &id, OWNER), set, "in any order");
        runs.push(back(5, set, Refused));
        assert_eq!(recorded_state(&runs, &id, OWNER), set, "it was not put back");
        runs.push(back(6, set, Done));
        assert_eq!(recorded_state(&runs, &id, OWNER), PackageState::IN_USE);
        // Somebody put it back by hand and set it; what was recorded before says nothing any more.
        let runs = [
            run(1, RunKind::TakeOut, "a", Change::Uninstall, PackageState::IN_USE, Done),
            run(2, RunKind::TakeOut, "a", Change::Uninstall, set, Done),
        ];
        assert_eq!(recorded_state(&runs, &id, OWNER), set);
    }

    #[test]
    fn half_of_putting_back_takes_nothing_off_the_record() {
        use Outcome::{Done, Refused};
        let taken = run(1, RunKind::TakeOut, "a", Change::Uninstall, OFF, Done);
        let mut back = run(2, RunKind::PutBack, "a", Change::Reinstall, OUT, Done);
        let second =
            Step { index: StepIndex::new(1), way: Change::Disable, outcome: Some(Refused), ..back.steps[0].clone() };
        back.steps.push(second);
        back.steps.iter_mut().for_each(|step| step.target = Some(OFF));
        let id = "a".parse().unwrap();
        assert_eq!(recorded_state(&[taken.clone(), back.clone()], &id, OWNER), OFF);
        back.steps[1].outcome = Some(Done);
        assert_eq!(recorded_state(&[taken, back], &id, OWNER), PackageState::IN_USE);
    }

    /// What another version did, or what was only tried, takes nothing out and puts nothing back.
    #[test]
    fn tries_and_what_is_not_known_leave_the_record_as_it_is() {
        let taken = run(1, RunKind::TakeOut, "a", Change::Uninstall, OFF, Outcome::Done);
        for kind in [RunKind::Try, RunKind::Unknown] {
            let other = run(2, kind, "a", Change::DefaultState, PackageState::IN_USE, Outcome::Done);
            assert_eq!(recorded_state(&[taken.clone(), other], &testing::id("a"), OWNER), OFF);
        }
    }

    #[test]
    fn what_is_off_as_it_was_before_is_put_back_into_use() {
        let runs = [run(1, RunKind::TakeOut, "a", Change::Uninstall, OFF, Outcome::Done)];
        assert_eq!(Shelf::of(&inventory(&[("a", OUT)]), &runs).entries[0].target, OFF);
        assert_eq!(Shelf::of(&inventory(&[("a", OFF)]), &runs).entries[0].target, PackageState::IN_USE);
    }
}
