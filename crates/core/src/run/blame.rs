//! Which of the packages that a run took out is likely why an app fails now.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use wibbet_types::{PackageId, UserId};

use crate::catalog::Catalog;
use crate::device::AppFailure;
use crate::package::Condition;
use crate::plan::{Plan, Upshot};

/// What is known of the packages that went, to hold failures against.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Suspects {
    /// For each user the packages that went, with the names by which others found them and nobody else: authorities, actions, classes.
    pub gone: BTreeMap<UserId, BTreeMap<PackageId, Vec<String>>>,
    /// For each user who stays and lost what it needs, and from whom.
    pub lost: BTreeMap<UserId, BTreeMap<PackageId, BTreeSet<PackageId>>>,
}

/// Why a package is suspected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Because {
    /// What the device says of the failure names it, or something that only it had.
    Named,
    /// The app that fails leans on it.
    Needed,
}

/// A failure that came behind a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sighted {
    /// What failed.
    pub failure: AppFailure,
    /// Whether the same app had failed alike before the run too, as far back as the device's log goes.
    pub before_too: bool,
    /// Whom that is likely due to, the likeliest first; nobody where nothing shows anybody.
    pub due_to: Vec<(PackageId, Because)>,
}

/// Names shorter than this are in too many texts.
const LEAST_NAME: usize = 8;

impl Suspects {
    /// What goes with a plan, and what that does to each user: who loses what it needs. Names that whoever stays has too show nothing.
    pub fn of(catalog: &Catalog, plan: &Plan, does: &[(UserId, Upshot)]) -> Self {
        let goes = || plan.steps.iter().filter(|step| step.skip.is_none() && step.way.takes_out());
        let mut suspects = Self::default();
        for user in goes().map(|step| step.user).collect::<BTreeSet<_>>() {
            let gone: BTreeSet<&PackageId> = goes().filter(|step| step.user == user).map(|step| &step.id).collect();
            let names = |id: &PackageId| {
                let parts = catalog.names.apps.get(id).into_iter().flat_map(|app| &app.declared.parts);
                parts.flat_map(|part| part.names.iter().chain([&part.class]))
            };
            let stay = catalog.names.apps.keys().filter(|id| !gone.contains(id));
            let stays = stay.filter(|id| catalog.inventory.condition(id, user) == Condition::InUse);
            let others: HashSet<&String> = stays.flat_map(names).collect();
            let own = |id: &PackageId| names(id).filter(|name| !others.contains(name)).cloned().collect();
            suspects.gone.insert(user, gone.into_iter().map(|id| (id.clone(), own(id))).collect());
        }
        suspects.lost = does.iter().map(|(user, does)| (*user, does.needs_lost.clone())).collect();
        suspects
    }

    /// What a failure is likely due to.
    pub fn sight(&self, failure: AppFailure, before: &[AppFailure]) -> Sighted {
        let mut due_to: Vec<(PackageId, Because)> = Vec::new();
        let gone = self.gone.get(&failure.user);
        for (id, names) in gone.into_iter().flatten() {
            let own = [id.as_str()].into_iter().chain(names.iter().map(String::as_str));
            if own.filter(|name| name.len() >= LEAST_NAME).any(|name| contains_name(failure.why.as_str(), name)) {
                due_to.push((id.clone(), Because::Named));
            }
        }
        let lost = failure.package.as_ref().and_then(|id| self.lost.get(&failure.user)?.get(id));
        for id in lost.into_iter().flatten() {
            if !due_to.iter().any(|(known, _)| known == id) {
                due_to.push((id.clone(), Because::Needed));
            }
        }
        due_to.sort_by_key(|(_, because)| *because);
        let before_too = before.iter().any(|other| other.is_like(&failure));
        Sighted { failure, before_too, due_to }
    }
}

/// Whether a text holds a name that is not a part of a longer one.
fn contains_name(text: &str, name: &str) -> bool {
    let goes_on = |c: char| c.is_alphanumeric() || c == '_';
    text.match_indices(name).any(|(at, _)| {
        let before = text[..at].chars().next_back();
        let mut behind = text[at + name.len()..].chars();
        let longer = match (behind.next(), behind.next()) {
            (Some('.'), Some(c)) => goes_on(c),
            (Some(c), _) => goes_on(c),
            (None, _) => false,
        };
        !before.is_some_and(|c| goes_on(c) || c == '.') && !longer
    })
}

impl Sighted {
    /// What was seen, in words, with packages by the names that `name` gives them.
    pub fn words(&self, name: impl Fn(&PackageId) -> String) -> String {
        let who = self.failure.package.as_ref().map_or_else(|| self.failure.process.to_string(), &name);
        let did = self.failure.kind.words();
        let due = match self.due_to.first() {
            None if self.before_too => "it did before the run too".to_owned(),
            None => "nothing shows that it is due to the run".to_owned(),
            Some((id, Because::Named)) => format!("it names what {} was there for", name(id)),
            Some((id, Because::Needed)) => format!("it leans on {}, which went", name(id)),
        };
        let before = if self.before_too && !self.due_to.is_empty() { " (it had before the run too)" } else { "" };
        format!("{who} {did} for user {}{before}: {due}. {}", self.failure.user, self.failure.why)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::FailureKind;
    use crate::testing;
    use wibbet_types::PlainText;

    fn failure(process: &str, why: &str) -> AppFailure {
        let package = process.split(':').next().and_then(|id| id.parse().ok());
        let why = PlainText::new(why);
        AppFailure { user: UserId::OWNER, process: PlainText::new(process), package, kind: FailureKind::Crash, why }
    }

    #[test]
    fn whom_a_failure_is_due_to() {
        let id = testing::id;
        let names = vec!["com.corvane.weather.forecasts".to_owned(), "MAIN".to_owned()];
        let suspects = Suspects {
            gone: [(
                UserId::OWNER,
                [(id("com.corvane.weather.provider"), names), (id("com.corvane.cloud"), vec![])].into(),
            )]
            .into(),
            lost: [(UserId::OWNER, [(id("com.corvane.backup"), [id("com.corvane.cloud")].into())].into())].into(),
        };
        let due = |process: &str, why: &str| suspects.sight(failure(process, why), &[]).due_to;
        let named = |text: &str| vec![(id(text), Because::Named)];
        let provider = "com.corvane.weather.provider";
        assert_eq!(due("a.b", "Unknown URL content://com.corvane.weather.forecasts/now"), named(provider));
        assert_eq!(due("a.b", "no class com.corvane.weather.provider.Main"), [], "a class of another package's");
        assert_eq!(due("a.b", "{com.corvane.cloud/.Sync} not found"), named("com.corvane.cloud"));
        assert_eq!(due("a.b", "com.corvane.cloud2 and xcom.corvane.cloud, com.corvane.cloud.photos, MAIN"), []);
        assert_eq!(due("com.corvane.backup:up", "null"), [(id("com.corvane.cloud"), Because::Needed)]);
        assert_eq!(due("com.corvane.backup", "com.corvane.cloud"), named("com.corvane.cloud"));
        let again = suspects.sight(failure("x.y", "null"), &[failure("x.y", "other")]);
        assert!(again.before_too && again.due_to.is_empty());
        assert!(again.words(ToString::to_string).contains("x.y crashed for user 0: it did before the run too"));
        let words = suspects.sight(failure("com.corvane.backup", "null"), &[]).words(ToString::to_string);
        assert_eq!(words, "com.corvane.backup crashed for user 0: it leans on com.corvane.cloud, which went. null");
    }

    /// A name that whoever stays answers to as well shows nothing: who looks for it finds somebody.
    #[test]
    fn only_what_nobody_else_had_shows_anything() {
        use crate::package::{AppFacts, AppNames, Declared, DeclaredPart, PackageKind, PackageState, PartKind};
        let users = [testing::user(0, "", crate::device::UserKind::Owner)];
        let package = |id| testing::package(id, PackageKind::System, "/system/app/a", &[(0, PackageState::IN_USE)]);
        let inventory = testing::inventory(&users, ["com.viewer.one", "com.viewer.two"].map(package));
        let app = |id: &str, names: &[&str]| {
            let part = DeclaredPart {
                kind: PartKind::Activity,
                class: format!("{id}.Main"),
                names: names.iter().map(|name| (*name).to_owned()).collect(),
                categories: Vec::new(),
                priority: 0,
                direct_boot: false,
                exported: true,
                in_system: false,
                guard: None,
            };
            let declared = Declared { read: true, parts: vec![part], ..Declared::default() };
            (testing::id(id), AppFacts { declared: std::sync::Arc::new(declared), ..AppFacts::default() })
        };
        let view = "android.intent.action.VIEW";
        let mut catalog = Catalog::new(std::sync::Arc::new(inventory.clone()));
        let apps = [app("com.viewer.one", &[view, "com.viewer.ONLY"]), app("com.viewer.two", &[view])].into();
        catalog.names = std::sync::Arc::new(AppNames { apps, ..AppNames::default() });
        let item = crate::plan::TrayItem {
            id: testing::id("com.viewer.one"),
            user: UserId::OWNER,
            way: crate::plan::Change::Disable,
        };
        let plan = crate::plan::plan_take_out(&inventory, &testing::capabilities(34), &[item], false);
        let suspects = Suspects::of(&catalog, &plan, &[]);
        let due = |why: &str| suspects.sight(failure("x.y", why), &[]).due_to.len();
        assert_eq!((due("No Activity for android.intent.action.VIEW"), due("No Activity for com.viewer.ONLY")), (0, 1));
    }
}
