//! What has changed on a device between two looks at it, and who did that, as far as it shows.

use std::collections::{BTreeSet, HashMap};

use wibbet_types::{PackageId, RunId, Timestamp, UserId, named};

use super::look::{Look, LookedAt, Role, Source};
use crate::package::{Condition, PackageState};
use crate::run::{Outcome, Run, RunKind, Step};

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
    /// A role is somebody else's.
    RoleMoved,
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
    RoleMoved => "role-moved",
    New => "new",
    Gone => "gone",
    Version => "version",
});

impl DriftKind {
    /// What a list of such changes is headed with, for people.
    pub fn title(self) -> &'static str {
        match self {
            Self::CameBack => "Came back, though a run had taken it out",
            Self::On => "In use now",
            Self::Off => "Off now",
            Self::OtherwiseOff => "Off in another way",
            Self::RoleMoved => "Roles that moved",
            Self::New => "New",
            Self::Gone => "Not there any more",
            Self::Version => "Other versions",
        }
    }

    /// The same where two devices stand side by side, the other one in the place of what was.
    pub fn beside(self) -> &'static str {
        match self {
            Self::CameBack | Self::On => "In use here, off there",
            Self::Off => "Off here, in use there",
            Self::OtherwiseOff => "Off in another way",
            Self::RoleMoved => "Roles that others have",
            Self::New => "Only here",
            Self::Gone => "Only there",
            Self::Version => "Other versions",
        }
    }
}

/// Who did it, as far as that shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum DriftBy {
    /// A run between the two looks.
    Run(RunId),
    /// An update of the system: the build is another one.
    SystemUpdate,
    /// An update of the package itself.
    ItsUpdate,
    /// Somebody or something else, and the device has been restarted since.
    Restart,
    /// Somebody or something else.
    Other,
}

impl DriftBy {
    /// In words: `run 3`, "with the update of the system".
    pub fn words(self) -> String {
        match self {
            Self::Run(run) => format!("run {run}"),
            Self::SystemUpdate => "with the update of the system".into(),
            Self::ItsUpdate => "with its own update".into(),
            Self::Restart => "not by Wibbet, since a restart".into(),
            Self::Other => "not by Wibbet".into(),
        }
    }

    /// The word for machines; of a run its number stands beside it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Run(_) => "run",
            Self::SystemUpdate => "system-update",
            Self::ItsUpdate => "its-update",
            Self::Restart => "restart",
            Self::Other => "other",
        }
    }
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

/// So many packages are named for people that have another version and nothing else: behind an update of the system that are all.
const MOST_VERSIONS: usize = 20;

/// What of it is told to people, and how much more has another version and nothing else. It is sorted by kind, versions last.
pub fn in_short(all: &[Drift]) -> (&[Drift], usize) {
    let versions = all.iter().filter(|one| one.kind == DriftKind::Version).count();
    let more = versions.saturating_sub(MOST_VERSIONS);
    (&all[..all.len() - more], more)
}

/// What has changed between two looks, what came back first, then by who did it; `runs` are those of the device.
pub fn drift(before: &Look, after: &Look, runs: &[Run]) -> Vec<Drift> {
    let updated = before.build != after.build;
    let restarted = before.boot.as_ref().zip(after.boot.as_ref()).is_some_and(|(before, after)| before != after);
    let other = if restarted { DriftBy::Restart } else { DriftBy::Other };
    let done = Done::of(runs);
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
            (false, false) => other,
        };
        match (was, is) {
            // What could not be read at one of the looks may have been there.
            (None, Some(_)) if !before.whole => {}
            (Some(_), None) if !after.whole => {}
            (None, Some(is)) => {
                let by = done.between(before, after, id, None).map_or(others, DriftBy::Run);
                let words = version_words(None, is.version);
                found.push(Drift { id: id.clone(), user: None, kind: DriftKind::New, by, words });
            }
            (Some(was), None) => {
                let by = done.between(before, after, id, None).map_or(others, DriftBy::Run);
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
                found.extend(states(id, was, is, &done, (before, after), others));
            }
            (None, None) => {}
        }
    }
    found.extend(roles(before, after, &done, if updated { DriftBy::SystemUpdate } else { other }));
    found.sort_by(|a, b| (a.kind, a.by, &a.id, a.user).cmp(&(b.kind, b.by, &b.id, b.user)));
    found
}

/// Roles that other packages have now.
fn roles<'a>(
    before: &'a Look,
    after: &'a Look,
    done: &'a Done<'a>,
    others: DriftBy,
) -> impl Iterator<Item = Drift> + 'a {
    // Where none was told of a user they could not be asked for.
    let told = |look: &Look, user| look.roles.keys().any(|role| role.user == user);
    let all: BTreeSet<&Role> = before.roles.keys().chain(after.roles.keys()).collect();
    let nobody = BTreeSet::new();
    let named = |ids: &BTreeSet<PackageId>| match ids.is_empty() {
        true => "nobody".to_owned(),
        false => ids.iter().map(PackageId::as_str).collect::<Vec<_>>().join(", "),
    };
    all.into_iter().filter_map(move |role| {
        let (was, is) = (before.roles.get(role).unwrap_or(&nobody), after.roles.get(role).unwrap_or(&nobody));
        if was == is || !told(before, role.user) || !told(after, role.user) {
            return None;
        }
        let concerned = was.symmetric_difference(is);
        let by = concerned.filter_map(|id| done.between(before, after, id, Some(role.user))).max();
        Some(Drift {
            // Whoever has it now; where nobody has, who had it.
            id: is.difference(was).next().or_else(|| was.difference(is).next())?.clone(),
            user: Some(role.user),
            kind: DriftKind::RoleMoved,
            by: by.map_or(others, DriftBy::Run),
            words: format!("{}: was {}, is {}", role.what, named(was), named(is)),
        })
    })
}

/// What has changed of a package for its users.
fn states<'a>(
    id: &'a PackageId,
    was: &'a LookedAt,
    is: &'a LookedAt,
    done: &'a Done<'a>,
    (before, after): (&'a Look, &'a Look),
    others: DriftBy,
) -> impl Iterator<Item = Drift> + 'a {
    // A user who came or went is no change of a package.
    let both = was.states.iter().filter_map(|(user, was)| is.states.get(user).map(|is| (*user, *was, *is)));
    both.filter_map(move |(user, was, is)| {
        let by = done.between(before, after, id, Some(user));
        // A run between the two took it out, and by the second it is in use again.
        let back = by.filter(|_| is.condition() == Condition::InUse);
        if let Some(run) = back.and_then(|_| done.out_by(after, id, user)) {
            let words = format!("run {run} took it out, it is in use");
            return Some(Drift { id: id.clone(), user: Some(user), kind: DriftKind::CameBack, by: others, words });
        }
        let kind = match (was.condition(), is.condition()) {
            (a, b) if a == b => return None,
            (Condition::InUse, _) => DriftKind::Off,
            (_, Condition::InUse) if by.is_none() && done.out_by(before, id, user).is_some() => DriftKind::CameBack,
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
    let number = |version: Option<u64>| version.map(|version| version.to_string()).unwrap_or_default();
    match (was, is) {
        (None, None) => "version not told".into(),
        (None, is) => format!("version {}", number(is)),
        (was, None) => format!("was version {}", number(was)),
        (was, is) => format!("version {} → {}", number(was), number(is)),
    }
}

/// What runs have done, by package.
struct Done<'a>(HashMap<&'a PackageId, Vec<(&'a Run, &'a Step, Timestamp)>>);

impl<'a> Done<'a> {
    fn of(runs: &'a [Run]) -> Self {
        let mut all: HashMap<&PackageId, Vec<_>> = HashMap::new();
        for (run, step) in runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step))) {
            if let (Some(Outcome::Done), Some(at)) = (step.outcome, step.settled) {
                all.entry(&step.id).or_default().push((run, step, at));
            }
        }
        Self(all)
    }

    fn to(&self, id: &PackageId) -> impl Iterator<Item = &(&'a Run, &'a Step, Timestamp)> {
        self.0.get(id).into_iter().flatten()
    }

    /// The run between two looks that did something to a package, for a user or for anybody.
    fn between(&self, before: &Look, after: &Look, id: &PackageId, user: Option<UserId>) -> Option<RunId> {
        let own = self.to(id).filter(|(_, step, at)| {
            user.is_none_or(|user| step.user == user) && before.until < *at && *at <= after.until
        });
        own.map(|(run, ..)| run.number).max()
    }

    /// The run that had a package out at a look, by what was last done to it until then.
    fn out_by(&self, look: &Look, id: &PackageId, user: UserId) -> Option<RunId> {
        let own = self.to(id).filter(|(_, step, at)| step.user == user && *at <= look.until);
        let (run, step, _) = own.max_by_key(|(_, step, _)| step.order)?;
        (run.kind == RunKind::TakeOut && step.way.takes_out()).then_some(run.number)
    }
}

#[cfg(test)]
mod tests {
    use super::super::look::LookHead;
    use super::*;
    use crate::plan::Change;
    use crate::testing;
    use wibbet_types::{LookId, PlainText};

    fn look(at: i64, build: &str, lines: &str) -> Look {
        let (at, build) = (Timestamp(at), PlainText::new(build));
        Look::from_lines(&LookHead { number: LookId::new(1), at, until: at, build, boot: None }, lines)
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

    #[test]
    fn what_only_has_another_version_is_counted_where_it_is_much() {
        let lines = |version| (0..30).map(|n| format!("system {version} a.p{n} 0:1000\n")).collect::<String>();
        let after = look(20, "B2", &format!("{}system 1 is.new 0:1000\n", lines(2)));
        let found = drift(&look(10, "B1", &lines(1)), &after, &[]);
        let (told, more) = in_short(&found);
        assert_eq!((found.len(), told.len(), more, told[0].kind), (31, 21, 10, DriftKind::New));
        assert_eq!(in_short(&found[..5]), (&found[..5], 0));
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
                "version came.back SystemUpdate",
                "version part.of SystemUpdate",
                "version an.app ItsUpdate",
            ]
        );
        assert!(found[0].words.contains("was uninstalled, is in use") && found[3].words == "version 1 → 2");
    }
    #[test]
    fn what_could_not_be_read_has_not_gone() {
        let whole = look(10, "B1", "system 1 a.one 0:1000\nsystem 1 a.two 0:1000\n");
        let part = look(20, "B1", "gaps\nsystem 1 a.one\n");
        assert!(drift(&whole, &part, &[]).is_empty() && drift(&part, &whole, &[]).is_empty());
    }

    /// Taken out and back between the two: the looks show nothing of it, the record does.
    #[test]
    fn what_went_and_came_back_in_between() {
        let before = look(10, "B1", "system 1 a.one 0:1000\nsystem 1 a.two 0:1000\n");
        let after = look(20, "B2", "system 1 a.one 0:1000\nsystem 1 a.two 0:1000\n");
        let out = |number, id, at| run(number, RunKind::TakeOut, id, Change::Uninstall, at);
        let back = |number, id, at| run(number, RunKind::PutBack, id, Change::Reinstall, at);
        let runs = [out(1, "a.one", 12), out(2, "a.two", 13), back(3, "a.two", 14)];
        let found = drift(&before, &after, &runs);
        assert_eq!(told(&found), ["came-back a.one SystemUpdate"]);
        assert_eq!(found[0].words, "run 1 took it out, it is in use");
        // That was known at the first of them already.
        assert!(drift(&before, &after, &[out(1, "a.one", 9)]).is_empty());
    }

    #[test]
    fn what_is_so_since_a_restart() {
        let boot = |look: Look, boot: &str| Look { boot: Some(PlainText::new(boot)), ..look };
        let before = boot(look(10, "B1", "system 1 a.one 0:0000\n"), "b1");
        let after = look(20, "B1", "system 1 a.one 0:1000\n");
        assert_eq!(told(&drift(&before, &boot(after.clone(), "b2"), &[])), ["on a.one Restart"]);
        assert_eq!(told(&drift(&before, &boot(after.clone(), "b1"), &[])), ["on a.one Other"]);
        assert_eq!(told(&drift(&before, &after, &[])), ["on a.one Other"], "which start it is was not told");
    }

    #[test]
    fn roles_that_moved() {
        let packages = "system 1 a.one 0:1000 10:1000\nsystem 1 a.two 0:1000 10:1000\n";
        let before = look(10, "B1", &format!("{packages}role 0 a.one home\nrole 0 a.one calls\nrole 10 a.one home\n"));
        let after = look(20, "B1", &format!("{packages}role 0 a.two home\n"));
        let found = drift(&before, &after, &[]);
        assert_eq!(told(&found), ["role-moved a.one Other", "role-moved a.two Other"], "{found:?}");
        assert_eq!(found[0].words, "calls: was a.one, is nobody");
        assert_eq!(found[1].words, "home: was a.one, is a.two");
        let runs = [run(3, RunKind::TakeOut, "a.one", Change::Uninstall, 15)];
        let found = drift(&before, &after, &runs);
        assert!(told(&found).contains(&"role-moved a.two run 3".to_owned()), "{found:?}");
    }
}
