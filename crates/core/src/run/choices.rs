//! What else may work where steps were refused, as choices.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, StepIndex, UserId};

use super::record::{Outcome, Run, Step};
use super::refusal::Refusal;
use super::reply::{Reply, read_reply};
use crate::android::Capabilities;
use crate::ask::Output;
use crate::package::{Condition, Inventory};
use crate::plan::Change;

/// Something that may be done about it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Choice {
    /// Another way.
    Way(Change),
    /// The same way once more.
    Again,
    /// A page of the settings on the device, by the action that opens it, and the same way once more after that.
    Page(&'static str),
    /// The same way for another user of the device, who has it too.
    User(UserId),
    /// The developer options on the device, and the same way once more after that.
    DeveloperOptions,
}

impl Choice {
    /// In words.
    pub fn words(self) -> String {
        match self {
            Self::Way(way) => format!("{} instead", way.label()),
            Self::Again => "ask once more".to_owned(),
            Self::User(user) => format!("for user {user} instead"),
            Self::Page(_) => "open the page on the device where it can be changed, then ask once more".to_owned(),
            Self::DeveloperOptions => "open the developer options on the device, then ask once more".to_owned(),
        }
    }
}

/// Steps that were not done the same way for the same reason, and what may be done about them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotDone {
    /// The way that was asked for.
    pub way: Change,
    /// Why it was refused; `None` where the device said yes and nothing changed.
    pub why: Option<Refusal>,
    /// What it said, where that is not known or is a number of the maker's own.
    pub said: Option<String>,
    /// The steps.
    pub steps: Vec<StepIndex>,
    /// What may be done, the likeliest first.
    pub choices: Vec<Choice>,
}

/// Why a step was refused, by its answer; `None` where it was not, or where nothing was answered.
pub fn refusal_of(step: &Step) -> Option<Refusal> {
    let answer = Output { out: step.answer.as_ref()?.to_string(), ..Output::default() };
    match read_reply(step.way, step.before, &answer) {
        Reply::Refused(why) => Some(why),
        Reply::Success | Reply::Unclear => None,
    }
}

/// What was not done in a run and has not been replaced, by way and reason. `inventory` tells who else has a package.
pub fn not_done(run: &Run, capabilities: &Capabilities, inventory: Option<&Inventory>) -> Vec<NotDone> {
    let failed = |step: &&Step| {
        let not_done = matches!(step.outcome, Some(Outcome::Refused | Outcome::NoEffect));
        step.way.takes_out() && not_done && !run.is_replaced(step)
    };
    let mut groups: BTreeMap<(Change, Option<String>), NotDone> = BTreeMap::new();
    for step in run.steps.iter().filter(failed) {
        let why = refusal_of(step).filter(|_| step.outcome == Some(Outcome::Refused));
        let own_words = matches!(why, Some(Refusal::Other | Refusal::MakersCode));
        let said = step.answer.as_ref().filter(|_| own_words).map(|text| first_line(text.as_str()).to_owned());
        let tried: Vec<Change> = {
            let own = run.steps.iter().filter(|other| (&other.id, other.user) == (&step.id, step.user));
            own.map(|other| other.way).collect()
        };
        let kind = said.clone().or_else(|| why.map(|why| why.meaning().to_owned()));
        let group = groups.entry((step.way, kind)).or_insert_with(|| NotDone {
            way: step.way,
            why,
            said,
            steps: Vec::new(),
            choices: choices(why, step.way, &tried, capabilities),
        });
        group.steps.push(step.index);
    }
    let mut groups: Vec<NotDone> = groups.into_values().collect();
    for group in groups.iter_mut().filter(|group| group.why.is_some_and(is_for_one_user)) {
        let steps = group.steps.iter().filter_map(|index| run.steps.get(index.get()));
        let others: BTreeSet<UserId> = steps.flat_map(|step| others_who_have(&step.id, run, inventory)).collect();
        group.choices.extend(others.into_iter().map(Choice::User));
    }
    groups
}

/// Whether what was refused has to do with the user for whom it was asked, and may go for another.
fn is_for_one_user(why: Refusal) -> bool {
    matches!(why, Refusal::UserLocked | Refusal::UserRestricted | Refusal::OwnerBlocked | Refusal::Administrator)
}

/// The users who have a package in use, of whom a run asked nothing about it.
pub fn others_who_have(id: &PackageId, run: &Run, inventory: Option<&Inventory>) -> Vec<UserId> {
    let Some(inventory) = inventory else { return Vec::new() };
    let has = |user: &UserId| inventory.condition(id, *user) == Condition::InUse;
    let asked = |user: &UserId| run.steps.iter().any(|step| step.id == *id && step.user == *user);
    inventory.users.iter().map(|user| user.id).filter(|user| has(user) && !asked(user)).collect()
}

/// The first line that says anything.
pub(super) fn first_line(text: &str) -> &str {
    text.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or_default()
}

/// Where device administrators are switched off.
const SECURITY: &str = "android.settings.SECURITY_SETTINGS";

fn choices(why: Option<Refusal>, way: Change, tried: &[Change], capabilities: &Capabilities) -> Vec<Choice> {
    let may = |other: Change| match other {
        _ if tried.contains(&other) => false,
        Change::Disable => capabilities.disables,
        Change::Suspend => capabilities.suspends(),
        Change::Uninstall => capabilities.uninstall_per_user() && !tried.contains(&Change::UninstallKeepData),
        _ => false,
    };
    let others = || [Change::Disable, Change::Suspend, Change::Uninstall].into_iter().filter(|other| may(*other));
    let ways = || others().map(Choice::Way).collect::<Vec<_>>();
    match why {
        // Nothing that is asked for reaches that user.
        Some(Refusal::UserLocked | Refusal::Unknown | Refusal::NotInstalled | Refusal::SharedLibrary) => Vec::new(),
        Some(Refusal::Pinned | Refusal::Aborted | Refusal::NotReady) => vec![Choice::Again],
        Some(Refusal::SecondSwitch | Refusal::MayNotInstall) => {
            let mut all = vec![Choice::DeveloperOptions];
            // The switch is for each of them in one build and for some in another.
            all.extend(ways());
            all
        }
        Some(Refusal::Administrator) => {
            let mut all = vec![Choice::Page(SECURITY)];
            all.extend(may(Change::Disable).then_some(Choice::Way(Change::Disable)));
            all
        }
        Some(Refusal::UserRestricted | Refusal::OwnerBlocked) => {
            others().filter(|other| way.uninstalls() && !other.uninstalls()).map(Choice::Way).collect()
        }
        Some(_) => ways(),
        None => {
            let mut all = ways();
            all.push(Choice::Again);
            all
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use wibbet_types::PlainText;

    fn refused(index: usize, id: &str, way: Change, answer: &str) -> Step {
        Step { way, answer: Some(PlainText::new(answer)), ..testing::settled(index, id, Outcome::Refused) }
    }

    #[test]
    fn the_same_refusals_are_one_choice() {
        let mut run = testing::run(1, &[]);
        run.steps = vec![
            refused(0, "a.b", Change::Uninstall, "Failure [-1000]"),
            refused(1, "c.d", Change::Uninstall, "Failure [-1000]"),
            refused(2, "e.f", Change::Uninstall, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]"),
            refused(3, "g.h", Change::Disable, "java.lang.SecurityException: Attempt to change component state; pid=1"),
            testing::settled(4, "i.j", Outcome::Done),
            testing::settled(5, "k.l", Outcome::NoEffect),
        ];
        let found = not_done(&run, &testing::capabilities(34), None);
        let told: Vec<(usize, Option<Refusal>, Vec<String>)> =
            found.iter().map(|g| (g.steps.len(), g.why, g.choices.iter().map(|c| c.words()).collect())).collect();
        let has = |why, steps, choices: &[&str]| {
            let choices: Vec<String> = choices.iter().map(|c| (*c).to_owned()).collect();
            assert!(told.contains(&(steps, why, choices)), "{why:?}: {told:#?}");
        };
        has(Some(Refusal::MakersCode), 2, &["disable instead", "suspend instead"]);
        has(
            Some(Refusal::Administrator),
            1,
            &["open the page on the device where it can be changed, then ask once more", "disable instead"],
        );
        has(
            Some(Refusal::SecondSwitch),
            1,
            &["open the developer options on the device, then ask once more", "suspend instead", "uninstall instead"],
        );
        has(None, 1, &["disable instead", "suspend instead", "ask once more"]);
        assert_eq!(found.iter().filter_map(|g| g.said.as_deref()).collect::<Vec<_>>(), ["Failure [-1000]"]);
        // What another way has been taken for is not asked about.
        run.steps.push(Step {
            index: StepIndex::new(6),
            way: Change::Disable,
            ..testing::settled(6, "a.b", Outcome::Done)
        });
        assert!(not_done(&run, &testing::capabilities(34), None).iter().all(|g| g.steps.iter().all(|s| s.get() != 0)));
    }

    #[test]
    fn what_is_forbidden_for_one_user_may_go_for_another() {
        let mut run = testing::run(1, &[]);
        run.steps = ["a.b", "c.d", "e.f"]
            .into_iter()
            .enumerate()
            .map(|(n, id)| {
                let step = refused(n, id, Change::Uninstall, "Failure [DELETE_FAILED_USER_RESTRICTED]");
                Step { user: UserId::new(10), ..step }
            })
            .collect();
        let states = |own, other| [(0, own), (10, testing::IN_USE), (11, other)];
        let packages = [
            ("a.b", states(testing::IN_USE, testing::UNINSTALLED)),
            ("c.d", states(testing::UNINSTALLED, testing::UNINSTALLED)),
            ("e.f", states(testing::IN_USE, testing::IN_USE)),
        ];
        let package = |(id, states): (&str, [(u32, crate::package::PackageState); 3])| {
            testing::package(id, crate::package::PackageKind::System, "/system/app/X/X.apk", &states)
        };
        let users = [0, 10, 11].map(|n| testing::user(n, "somebody", crate::device::UserKind::Full));
        let inventory = testing::inventory(&users, packages.map(package));
        let offered = |run: &Run| {
            let found = not_done(run, &testing::capabilities(34), Some(&inventory));
            found[0].choices.iter().filter(|choice| matches!(choice, Choice::User(_))).copied().collect::<Vec<_>>()
        };
        assert_eq!(offered(&run), [Choice::User(UserId::OWNER), Choice::User(UserId::new(11))]);
        assert!(
            not_done(&run, &testing::capabilities(34), None)[0].choices.iter().all(|c| !matches!(c, Choice::User(_)))
        );
        // Of whom it was asked already is not offered.
        run.steps.push(Step { user: UserId::new(11), ..testing::settled(3, "e.f", Outcome::Done) });
        assert_eq!(offered(&run), [Choice::User(UserId::OWNER)]);
    }

    #[test]
    fn what_a_version_cannot_is_not_offered() {
        let mut run = testing::run(1, &[]);
        run.steps = vec![refused(0, "a.b", Change::Uninstall, "Failure [DELETE_FAILED_INTERNAL_ERROR]")];
        let offered = |sdk| not_done(&run, &testing::capabilities(sdk), None)[0].choices.clone();
        assert_eq!(offered(26), [Choice::Way(Change::Disable)]);
        assert_eq!(offered(28), [Choice::Way(Change::Disable), Choice::Way(Change::Suspend)]);
    }
}
