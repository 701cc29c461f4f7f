//! An update break: everything that was taken out comes back before a system update, and goes again afterwards, but for what has other
//! holds by then.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

use wibbet_types::{BreakId, DeviceId, PackageId, PlainText, Timestamp, UserId};

use crate::catalog::Catalog;
use crate::holds::Judgement;
use crate::package::{Condition, Inventory, PackageKind, PackageState};
use crate::plan::{Change, TrayItem};
use crate::run::{OfRuns, Origin, Run, Shelf};

/// The page of the settings at which updates of the system are had. Whoever answers it updates the system. Source:
/// `Settings.ACTION_SYSTEM_UPDATE_SETTINGS`.
const UPDATES: &str = "android.settings.SYSTEM_UPDATE_SETTINGS";

/// A package that was out when a break began.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BreakItem {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The way in which it goes again.
    pub way: Change,
    /// The state that it comes back to.
    pub target: PackageState,
    /// What would have tied it had it been back, each as [`BreakItem::hold`] has it.
    pub holds: BTreeSet<String>,
}

impl BreakItem {
    /// Holds as they are held against each other: what people use is nothing that an update changes.
    fn hold_names(judged: Option<&Judgement>) -> BTreeSet<String> {
        judged.map_or_else(BTreeSet::new, Judgement::names)
    }

    fn tray_item(&self) -> TrayItem {
        TrayItem { id: self.id.clone(), user: self.user, way: self.way }
    }
}

/// A line of the record: `WAY USER ID`, the state that it comes back to, and its holds, with tabs between them.
impl fmt::Display for BreakItem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}\t{}", self.tray_item(), self.target)?;
        self.holds.iter().try_for_each(|hold| write!(f, "\t{hold}"))
    }
}

/// A line that is no package of a break.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is not a line of an update break's record")]
pub struct BadBreakLine(String);

impl FromStr for BreakItem {
    type Err = BadBreakLine;

    fn from_str(line: &str) -> Result<Self, BadBreakLine> {
        let bad = || BadBreakLine(line.chars().take(80).collect());
        let mut parts = line.split('\t');
        let item: TrayItem = parts.next().ok_or_else(bad)?.parse().map_err(|_| bad())?;
        if !item.way.takes_out() {
            return Err(bad());
        }
        let target = parts.next().ok_or_else(bad)?.parse().map_err(|_| bad())?;
        let holds = parts.map(str::to_owned).collect();
        Ok(Self { id: item.id, user: item.user, way: item.way, target, holds })
    }
}

/// An update break of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UpdateBreak {
    /// Its number in the logbook.
    pub number: BreakId,
    /// The device.
    pub device: DeviceId,
    /// When it was begun.
    pub begun: Timestamp,
    /// The build of the system then.
    pub build: PlainText,
    /// What was out.
    pub items: Vec<BreakItem>,
    /// The packages of the system that the device had.
    pub packages: BTreeSet<PackageId>,
    /// When it ended; `None` while it goes on.
    pub ended: Option<Timestamp>,
}

/// How far a break has got, by what is on the device now.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct BreakView {
    /// The system is another build than when it was begun.
    pub updated: bool,
    /// What is not back yet, with the state that it comes back to.
    pub still_out: Vec<(PackageId, UserId, PackageState)>,
    /// What is back and can go again.
    pub again: Vec<TrayItem>,
    /// What is back and is tied otherwise than before, with what ties it now and did not then.
    pub held: Vec<(TrayItem, Vec<String>)>,
    /// What the device does not have any more, or not for the user.
    pub gone: Vec<(PackageId, UserId)>,
    /// What it did not have when the break began.
    pub new: Vec<PackageId>,
    /// Users of whose packages it has not been worked out what ties them.
    pub unjudged: BTreeSet<UserId>,
}

/// Whether a system update needs a break.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BreakNeed {
    /// Nothing is out.
    NothingOut,
    /// What updates the system is out itself.
    Updater(Vec<PackageId>),
    /// Nothing of it shows a need.
    NoneSeen,
}

impl BreakNeed {
    /// In words; `name` gives packages the names that people know.
    pub fn words(&self, name: impl Fn(&PackageId) -> String) -> String {
        match self {
            Self::NothingOut => "No break is needed: nothing is out on this device.".into(),
            Self::Updater(ids) => {
                let names: Vec<String> = ids.iter().map(name).collect();
                format!("A break is needed: {} is what finds and installs updates here, and is out.", names.join(", "))
            }
            Self::NoneSeen => "Android itself needs no break: what is uninstalled or disabled for a user stays so over an update. \
                               Updaters of some makers stop at a missing part, and large updates of some bring parts back; a break is for those."
                .into(),
        }
    }
}

/// What is out on a device as a break has it: what runs took out, and on wish what was off before them. What only root leads back to,
/// what does not come back from what is on the device, and what is of a user who is meant to stay unseen, is left out; so many.
fn of_shelf(shelf: &Shelf, runs: &[Run], inventory: &Inventory, before_too: bool) -> (Vec<BreakItem>, usize) {
    let told = |user| inventory.users_to_tell(None).any(|own| own.id == user);
    let (_, taken) = OfRuns::All.taken_out(runs);
    let (mut items, mut left) = (Vec::new(), 0);
    for entry in &shelf.entries {
        let by_run = matches!(entry.origin, Origin::Run { .. });
        if entry.quiet || !(by_run || before_too) {
            continue;
        }
        let recorded = taken.iter().find(|one| one.id == entry.id && one.user == entry.user).map(|one| one.way);
        let way = recorded.filter(|_| by_run).or(match entry.condition {
            Condition::Uninstalled => Some(Change::Uninstall),
            Condition::Disabled => Some(Change::Disable),
            Condition::Hidden => Some(Change::Hide),
            Condition::Suspended => Some(Change::Suspend),
            _ => None,
        });
        match way {
            Some(way)
                if Change::TAKE_OUT.contains(&way) && told(entry.user) && !entry.removed && entry.copy.is_none() =>
            {
                let (id, user, target) = (entry.id.clone(), entry.user, entry.target);
                items.push(BreakItem { id, user, way, target, holds: BTreeSet::new() });
            }
            _ => left += 1,
        }
    }
    (items, left)
}

impl UpdateBreak {
    /// What a break that begins now is about, and how much of what is out is left out of it, since it comes back by root or from a copy
    /// only, or is of a private space. `before_too`: with what was off before Wibbet.
    pub fn items_of(shelf: &Shelf, runs: &[Run], catalog: &Catalog, before_too: bool) -> (Vec<BreakItem>, usize) {
        let (mut items, left) = of_shelf(shelf, runs, &catalog.inventory, before_too);
        // What they had been given they are given again.
        let (_, taken) = OfRuns::All.taken_out(runs);
        let given = |item: &BreakItem| taken.iter().find(|one| one.id == item.id && one.user == item.user);
        let those = items.iter().map(|item| {
            let given = given(item).map_or(&[][..], |one| one.given.as_slice());
            (&item.id, item.user, item.target, given)
        });
        let back = catalog.as_if(those);
        for item in &mut items {
            item.holds = BreakItem::hold_names(back.judged.get(&item.user).and_then(|all| all.packages.get(&item.id)));
        }
        (items, left)
    }

    /// Whether what is out makes a break necessary.
    pub fn need(items: &[BreakItem], catalog: &Catalog) -> BreakNeed {
        if items.is_empty() {
            return BreakNeed::NothingOut;
        }
        let updates = |item: &&BreakItem| {
            let declared = catalog.names.apps.get(&item.id).map(|app| &*app.declared);
            declared.is_some_and(|all| all.parts.iter().any(|part| part.names.iter().any(|name| name == UPDATES)))
        };
        let ids: BTreeSet<&PackageId> = items.iter().filter(updates).map(|item| &item.id).collect();
        match ids.is_empty() {
            true => BreakNeed::NoneSeen,
            false => BreakNeed::Updater(ids.into_iter().cloned().collect()),
        }
    }

    /// The packages of the system, whoever has them.
    pub fn of_the_system(inventory: &Inventory) -> impl Iterator<Item = &PackageId> {
        let kinds = [PackageKind::System, PackageKind::UpdatedSystem];
        inventory.packages.values().filter(move |package| kinds.contains(&package.kind)).map(|package| &package.id)
    }

    /// How far it has got.
    pub fn view(&self, catalog: &Catalog, build: &PlainText) -> BreakView {
        let inventory = &*catalog.inventory;
        let mut view = BreakView { updated: *build != self.build, ..BreakView::default() };
        for item in &self.items {
            if inventory.user(item.user).is_none() {
                view.gone.push((item.id.clone(), item.user));
                continue;
            }
            match inventory.condition(&item.id, item.user) {
                Condition::Absent => view.gone.push((item.id.clone(), item.user)),
                // It came back to what it was, which need not be "in use".
                _ if inventory.state(&item.id, item.user) == item.target => view.take_back(item, catalog),
                Condition::InUse | Condition::Dormant => view.take_back(item, catalog),
                // What cannot be read now may be back, or not.
                Condition::Unreadable => {}
                _ => view.still_out.push((item.id.clone(), item.user, item.target)),
            }
        }
        view.new = Self::of_the_system(inventory).filter(|id| !self.packages.contains(*id)).cloned().collect();
        view
    }
}

impl BreakView {
    fn take_back(&mut self, item: &BreakItem, catalog: &Catalog) {
        let Some(judged) = catalog.judged.get(&item.user) else {
            self.unjudged.insert(item.user);
            self.again.push(item.tray_item());
            return;
        };
        let now = BreakItem::hold_names(judged.packages.get(&item.id));
        let new: Vec<String> = now.difference(&item.holds).cloned().collect();
        match new.is_empty() {
            true => self.again.push(item.tray_item()),
            false => self.held.push((item.tray_item(), new)),
        }
    }
}

/// What runs took out, none has put back, and is in use all the same: an update, a store or somebody else had it back.
pub fn in_use_again(runs: &[Run], inventory: &Inventory) -> Vec<TrayItem> {
    let (_, taken) = OfRuns::All.taken_out(runs);
    let again = taken
        .into_iter()
        .filter(|one| inventory.user(one.user).is_some() && inventory.condition(&one.id, one.user) == Condition::InUse);
    again.map(|one| TrayItem { id: one.id, user: one.user, way: one.way }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::holds::{Hold, HoldKind, Judged, Sure};
    use crate::package::{AppFacts, Declared, DeclaredPart, PartKind};
    use crate::run::{Outcome, RunKind};
    use crate::testing;
    use std::collections::BTreeMap;
    use std::sync::Arc;

    fn catalog(states: &[(&str, PackageState)]) -> Catalog {
        let package = |(text, state): &(&str, PackageState)| {
            testing::package(text, PackageKind::System, "", &[(0, *state), (10, testing::IN_USE)])
        };
        let users = [testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        Catalog::new(Arc::new(testing::inventory(&users, states.iter().map(package))))
    }

    fn run(ids: &[(&str, Change, PackageState)]) -> Run {
        let names: Vec<&str> = ids.iter().map(|(id, ..)| *id).collect();
        let mut run = testing::run(4, &names);
        run.kind = RunKind::TakeOut;
        for (place, (step, (_, way, after))) in run.steps.iter_mut().zip(ids).enumerate() {
            (step.way, step.outcome, step.order) = (*way, Some(Outcome::Done), place as i64 + 1);
            (step.before, step.after) = (testing::IN_USE, Some(*after));
        }
        run
    }

    fn a_break(items: Vec<BreakItem>, packages: &[&str]) -> UpdateBreak {
        UpdateBreak {
            number: BreakId::new(1),
            device: testing::device_id("S"),
            begun: Timestamp(5),
            build: PlainText::new("B1"),
            items,
            packages: packages.iter().map(|id| testing::id(id)).collect(),
            ended: None,
        }
    }

    #[test]
    fn what_is_out_comes_back_and_goes_again() {
        let (out, off) = (testing::UNINSTALLED, testing::DISABLED);
        let there = catalog(&[("a.one", out), ("a.two", off), ("a.before", off), ("a.used", testing::IN_USE)]);
        let runs = [run(&[("a.one", Change::UninstallKeepData, out), ("a.two", Change::Disable, off)])];
        let shelf = Shelf::of(&there.inventory, &runs);
        let (items, left) = UpdateBreak::items_of(&shelf, &runs, &there, false);
        let ways = |items: &[BreakItem]| items.iter().map(|item| (item.id.to_string(), item.way)).collect::<Vec<_>>();
        let wanted = [("a.one".to_owned(), Change::UninstallKeepData), ("a.two".to_owned(), Change::Disable)];
        assert_eq!((ways(&items).as_slice(), left), (&wanted[..], 0));
        let (all, _) = UpdateBreak::items_of(&shelf, &runs, &there, true);
        assert!(ways(&all).contains(&("a.before".to_owned(), Change::Disable)), "{all:?}");
        assert_eq!(UpdateBreak::need(&items, &there), BreakNeed::NoneSeen);
        assert_eq!(UpdateBreak::need(&[], &there), BreakNeed::NothingOut);

        let on_break = a_break(items, &["a.one", "a.two", "a.before", "a.used"]);
        let begun = on_break.view(&there, &PlainText::new("B1"));
        assert!(!begun.updated && begun.still_out.len() == 2 && begun.again.is_empty(), "{begun:?}");

        // Behind the update: one is back and free, one is tied by something new, a package is new, one user's is gone.
        let mut after = catalog(&[
            ("a.one", testing::IN_USE),
            ("a.two", testing::IN_USE),
            ("a.used", testing::IN_USE),
            ("a.new", off),
        ]);
        let held = Judgement {
            holds: vec![Hold::new(HoldKind::Need, "a.new", "1 package", Sure::Seen)],
            ..Judgement::default()
        };
        let judged = Judged { packages: [(testing::id("a.two"), held)].into(), ..Judged::default() };
        after.judged = Arc::new(BTreeMap::from([(UserId::OWNER, judged)]));
        let view = on_break.view(&after, &PlainText::new("B2"));
        assert!(view.updated && view.still_out.is_empty() && view.unjudged.is_empty(), "{view:?}");
        assert_eq!(view.again.iter().map(|item| item.id.as_str()).collect::<Vec<_>>(), ["a.one"]);
        assert_eq!(view.held[0].1, ["need a.new"]);
        assert_eq!(view.new, [testing::id("a.new")]);
    }

    #[test]
    fn what_came_back_by_itself() {
        let (out, back) = (testing::UNINSTALLED, testing::IN_USE);
        let runs = [run(&[("a.one", Change::Uninstall, out), ("a.two", Change::Disable, testing::DISABLED)])];
        let again = in_use_again(&runs, &catalog(&[("a.one", back), ("a.two", testing::DISABLED)]).inventory);
        assert_eq!(again, [TrayItem { id: testing::id("a.one"), user: UserId::OWNER, way: Change::Uninstall }]);
    }

    #[test]
    fn the_updater_that_is_out() {
        let there = catalog(&[("a.updater", testing::UNINSTALLED)]);
        let item = BreakItem {
            id: testing::id("a.updater"),
            user: UserId::OWNER,
            way: Change::Uninstall,
            target: testing::IN_USE,
            holds: BTreeSet::new(),
        };
        assert_eq!(UpdateBreak::need(std::slice::from_ref(&item), &there), BreakNeed::NoneSeen);
        let mut told = there;
        let part = DeclaredPart {
            kind: PartKind::Activity,
            class: "a.updater.Page".into(),
            names: vec![UPDATES.into()],
            categories: Vec::new(),
            priority: 0,
            direct_boot: false,
            exported: true,
            in_system: false,
            guard: None,
        };
        let declared = Arc::new(Declared { read: true, parts: vec![part], ..Declared::default() });
        Arc::make_mut(&mut told.names)
            .apps
            .insert(testing::id("a.updater"), AppFacts { declared, ..AppFacts::default() });
        let need = UpdateBreak::need(&[item], &told);
        assert!(need.words(PackageId::to_string).contains("a.updater is what finds"), "{need:?}");
    }

    #[test]
    fn what_is_written_is_read() {
        let item = BreakItem {
            id: testing::id("com.ostrel.notes"),
            user: UserId::new(10),
            way: Change::UninstallKeepData,
            target: testing::IN_USE,
            holds: ["role home".to_owned(), "need a.b c".to_owned()].into(),
        };
        assert_eq!(item.to_string().parse::<BreakItem>(), Ok(item));
        for line in ["", "uninstall 0 a.b", "reinstall 0 a.b\tabsent", "force-stop 0 a.b\tabsent"] {
            assert!(line.parse::<BreakItem>().is_err(), "{line}");
        }
    }
}
