//! Planning to take packages out.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use super::change::Change;
use super::plan::{AppData, Plan, PlannedStep, Reversal, SkipReason};
use super::tray::TrayItem;
use crate::android::Capabilities;
use crate::device::UserKind;
use crate::package::{Enabled, Essentials, Given, Inventory, Package, PackageKind, PackageState, system_folder};
use crate::read::{ReadBack, users_by_number};

/// Plans taking out what is in a tray. Steps that could not be undone are left unsent unless
/// `without_way_back`.
///
/// Each step is judged on what the steps before it leave, so that whoever has the last copy of an app is seen; and once more
/// on what the whole plan leaves, since that is there when a step is undone.
pub fn plan_take_out(
    inventory: &Inventory,
    capabilities: &Capabilities,
    tray: &[TrayItem],
    without_way_back: bool,
) -> Plan {
    let mut steps: Vec<PlannedStep> = Vec::with_capacity(tray.len());
    let mut seen = HashSet::new();
    let mut left = Left { inventory, capabilities, changed: HashMap::new() };
    let forbidden = |item: &TrayItem| inventory.user(item.user).map(|user| user.forbidden).unwrap_or_default();
    for item in tray {
        if !seen.insert((&item.id, item.user)) {
            continue;
        }
        let before = inventory.state(&item.id, item.user);
        let package = inventory.packages.get(&item.id);
        let back = package.map_or(Reversal::Exact, |p| way_back(p, item, before, left.others_have(item), capabilities));
        let skip = if package.is_none() {
            Some(SkipReason::NotOnDevice)
        } else if inventory.user(item.user).is_none() {
            Some(SkipReason::NoSuchUser)
        } else if let Some(what) = inventory.essential.why(&item.id, item.user) {
            Some(SkipReason::Essential(what))
        } else if forbidden(item).debugging {
            Some(SkipReason::NoDebugging)
        } else if forbidden(item).uninstalling && item.way.uninstalls() {
            Some(SkipReason::Forbidden)
        } else if item.way.uninstalls() && inventory.user(item.user).is_some_and(|user| user.admins.contains(&item.id))
        {
            Some(SkipReason::Administrator)
        } else if package.is_some_and(|p| p.kind == PackageKind::Library) {
            Some(SkipReason::Library)
        } else if before.unreadable {
            Some(SkipReason::Unreadable)
        } else if item.way.is_met_by(before) {
            Some(SkipReason::AlreadySo)
        } else if !item.way.uninstalls() && !before.installed {
            Some(SkipReason::NotInstalled)
        } else if Change::BY_ROOT.contains(&item.way) && capabilities.root.is_none() {
            Some(SkipReason::TakesRoot)
        } else if item.way == Change::RemoveFromSystem && !package.is_some_and(|p| is_of_the_system(p, inventory)) {
            Some(SkipReason::NotOfTheSystem)
        } else if item.way == Change::RemoveFromSystem && !inventory.is_first(item.user) {
            Some(SkipReason::ForEverybody)
        } else if item.way == Change::Quieten && package.is_some_and(|p| p.about.quiet.contains(&item.user)) {
            Some(SkipReason::AlreadySo)
        } else if item.way == Change::Quieten && !capabilities.quietens() {
            Some(SkipReason::MayNotQuieten)
        } else if item.way == Change::ClearCache && !capabilities.clears_caches() {
            Some(SkipReason::MayNotClearCache)
        } else if item.way == Change::Suspend && !capabilities.suspends() {
            Some(SkipReason::MayNotSuspend)
        } else if item.way == Change::Disable && !capabilities.disables {
            Some(SkipReason::MayNotDisable)
        } else if item.way.uninstalls() && !capabilities.uninstall_per_user() {
            Some(SkipReason::NotPerUser)
        } else if matches!(back, Reversal::Impossible(_)) && !without_way_back {
            Some(SkipReason::NoWayBack)
        } else {
            None
        };
        if skip.is_none() {
            left.change(item);
        }
        let data = package.map_or(AppData::Stay, |p| data_of(p.kind, item.way, before, capabilities));
        let kept = |p: &Arc<Package>| data_of(p.kind, Change::UninstallKeepData, before, capabilities) == AppData::Stay;
        let keeping = match data {
            AppData::Stay => None,
            // That is what it is for.
            _ if item.way == Change::ClearData => None,
            _ if package.is_some_and(kept) => Some(Change::UninstallKeepData),
            _ => capabilities.disables.then_some(Change::Disable),
        };
        steps.push(PlannedStep {
            apk: package.and_then(|p| p.apk.clone()).filter(|_| item.way == Change::RemoveFromSystem),
            given: package.map_or_else(Vec::new, |p| {
                let goes = |given: &Given| match item.way {
                    Change::Suspend => false,
                    way if way.is_act() => false,
                    Change::Disable | Change::Hide | Change::DisableByRoot => !given.outlives_disabling(),
                    _ => true,
                };
                p.given(item.user).into_iter().filter(goes).collect()
            }),
            along: left.along(item),
            back,
            data,
            keeping,
            skip,
            ..PlannedStep::new(item.id.clone(), item.user, item.way, before)
        });
    }
    for step in &mut steps {
        let item = TrayItem { id: step.id.clone(), user: step.user, way: step.way };
        if let Some(package) = inventory.packages.get(&step.id) {
            let others = left.others_have(&item);
            step.back = way_back(package, &item, step.before, others, capabilities);
            let may_install = inventory.user(step.user).is_none_or(|user| !user.forbidden.installing);
            step.secures =
                step.skip.is_none() && may_install && needs_copy(package, &item, step.before, others, capabilities);
        }
    }
    Plan { steps, ..Plan::default() }
}

/// Packages, each for a user.
pub type Places = HashSet<(PackageId, UserId)>;

/// Of steps that are about to be sent, in their order: those of which a copy has to be kept first, and those that have no way back on
/// the device as it is told now without one.
pub fn without_way_back<'a>(
    steps: impl IntoIterator<Item = (TrayItem, &'a ReadBack)>,
    capabilities: &Capabilities,
) -> (Places, Places) {
    let (mut tray, mut packages) = (Vec::new(), BTreeMap::new());
    for (item, told) in steps {
        if let ReadBack::States(kind, states) = told {
            // Where its APK is is asked when the copy is made.
            let apk = format!("/system/app/{}/later.apk", item.id).parse().ok();
            let package = Package { apk, ..Package::bare(item.id.clone(), *kind, states.clone()) };
            packages.insert(item.id.clone(), Arc::new(package));
            tray.push(item);
        }
    }
    let users = users_by_number(packages.values().flat_map(|package| package.states.keys().copied()));
    let inventory = Inventory { users, packages, essential: Essentials::default(), gaps: Vec::new() };
    let plan = plan_take_out(&inventory, capabilities, &tray, false);
    let of = |is: &dyn Fn(&PlannedStep) -> bool| {
        plan.steps.iter().filter(|step| is(step)).map(|step| (step.id.clone(), step.user)).collect()
    };
    (of(&|step| step.secures), of(&|step| step.skip == Some(SkipReason::NoWayBack)))
}

/// Makers number profiles with clones from here on.
const CLONES_FROM: u32 = 900;

/// For whom packages are installed once some steps are done.
struct Left<'a> {
    inventory: &'a Inventory,
    capabilities: &'a Capabilities,
    /// Packages that a step changes: who has them then.
    changed: HashMap<&'a PackageId, BTreeMap<UserId, bool>>,
}

impl<'a> Left<'a> {
    /// A step is done.
    fn change(&mut self, item: &'a TrayItem) {
        if !item.way.uninstalls() {
            return;
        }
        let Some(package) = self.inventory.packages.get(&item.id) else { return };
        let along = self.along(item);
        let has = self
            .changed
            .entry(&item.id)
            .or_insert_with(|| package.states.iter().map(|(user, state)| (*user, state.installed)).collect());
        has.insert(item.user, false);
        has.extend(along.into_iter().map(|user| (user, false)));
    }

    /// Who has it and loses it together with an item's user.
    fn along(&self, item: &TrayItem) -> Vec<UserId> {
        let with_it = item.way.uninstalls() && self.capabilities.uninstalls_clones_too();
        if !with_it || self.is_clone(item.user) {
            return Vec::new();
        }
        let states = self.inventory.packages.get(&item.id).map(|package| &package.states);
        let has_it = states.into_iter().flatten().filter(|(user, state)| self.is_clone(**user) && state.installed);
        has_it.map(|(user, _)| *user).filter(|user| *user != item.user).collect()
    }

    fn is_clone(&self, user: UserId) -> bool {
        // Where the kinds of users are not told, makers' own numbers tell it.
        user.number() >= CLONES_FROM || self.inventory.user(user).is_some_and(|user| user.kind == UserKind::Clone)
    }

    /// Whether another user has it, and keeps it.
    fn others_have(&self, item: &TrayItem) -> bool {
        let along = self.along(item);
        let other = |user: &UserId| *user != item.user && !along.contains(user);
        match (self.changed.get(&item.id), self.inventory.packages.get(&item.id)) {
            (Some(has), _) => has.iter().any(|(user, has)| other(user) && *has),
            (None, Some(package)) => package.states.iter().any(|(user, s)| other(user) && s.installed),
            (None, None) => false,
        }
    }
}

/// Whether it has a folder of its own on a partition of the system, with nobody else in it, and nothing over it.
fn is_of_the_system(package: &Package, inventory: &Inventory) -> bool {
    let Some(folder) = package.apk.as_ref().and_then(system_folder) else { return false };
    // Whoever else lies in there would go with it.
    let lies_there = |other: &Package| other.apk.as_ref().and_then(system_folder).is_some_and(|own| own == folder);
    let alone = || !inventory.packages.values().any(|other| other.id != package.id && lies_there(other));
    package.kind == PackageKind::System && alone()
}

/// What becomes of the data of an app for the user that it is taken out for.
fn data_of(kind: PackageKind, way: Change, before: PackageState, capabilities: &Capabilities) -> AppData {
    match way {
        _ if !before.installed => AppData::Stay,
        Change::Uninstall | Change::ClearData => AppData::Go,
        Change::RemoveFromSystem => AppData::GoAtNextStart,
        Change::UninstallKeepData if kind == PackageKind::User || capabilities.keeps_data_of_system_apps() => {
            AppData::Stay
        }
        Change::UninstallKeepData if capabilities.keeps_data_until_the_next_start() => AppData::GoAtNextStart,
        Change::UninstallKeepData => AppData::Go,
        _ => AppData::Stay,
    }
}

/// Whether a copy of its APKs has to be kept on this computer before a package goes, so that it can be had again in its version.
fn needs_copy(
    package: &Package,
    item: &TrayItem,
    before: PackageState,
    others: bool,
    capabilities: &Capabilities,
) -> bool {
    // Whether it has a folder of its own is judged for each step.
    if item.way == Change::RemoveFromSystem {
        return true;
    }
    if !item.way.uninstalls() || others || !before.installed || package.apk.is_none() {
        return false;
    }
    match package.kind {
        PackageKind::User => true,
        // Its factory version stays; before, the update does too.
        PackageKind::UpdatedSystem => {
            item.way == Change::Uninstall && capabilities.drops_updates_with_their_last_user()
        }
        PackageKind::System | PackageKind::Library => false,
    }
}

/// Whether taking out can be undone: to exactly the recorded state, nearly, or not at all.
fn way_back(
    package: &Package,
    item: &TrayItem,
    before: PackageState,
    others: bool,
    capabilities: &Capabilities,
) -> Reversal {
    // The shell takes back what it has suspended.
    match item.way {
        Change::Suspend => return Reversal::Exact,
        Change::RemoveFromSystem => return Reversal::FROM_SYSTEM_COPY,
        Change::ForceStop => return Reversal::Approximate("it starts again when somebody or something opens it"),
        Change::ClearCache => return Reversal::Approximate("it fills again as it is used"),
        Change::ClearData => {
            return Reversal::Approximate(
                "what it kept does not come back, and it asks for its permissions anew; the app itself stays",
            );
        }
        Change::Quieten => return Reversal::Approximate("it may run in the background again as Android decides"),
        _ => {}
    }
    if item.way.uninstalls() {
        if package.kind == PackageKind::User && needs_copy(package, item, before, others, capabilities) {
            return match item.way {
                Change::UninstallKeepData => Reversal::Approximate(
                    "it comes back from the copy that is kept on this computer; its data stay, accounts and keys do not",
                ),
                _ => Reversal::FROM_COPY,
            };
        }
        if !capabilities.install_existing && package.kind != PackageKind::User && capabilities.installs_what_is_there()
        {
            return Reversal::Approximate(
                "it comes back without its data, accounts and special access, by installing its APK over itself, which takes space",
            );
        }
        if !capabilities.install_existing {
            return Reversal::Impossible(
                "this Android has no command that reinstalls it; only its APK or a factory reset brings it back",
            );
        }
        match package.kind {
            PackageKind::User if !others => {
                return Reversal::Impossible(
                    "it is not part of the system: its APK goes with it, and where that is the device does not tell",
                );
            }
            PackageKind::UpdatedSystem if needs_copy(package, item, before, others, capabilities) => {
                return Reversal::Approximate(
                    "it comes back with its update, of which a copy is kept on this computer, and without its data, accounts and special access",
                );
            }
            PackageKind::UpdatedSystem if !others => {
                return Reversal::Approximate("it may come back as the factory version, without its update");
            }
            _ => {}
        }
        if before.hidden {
            return Reversal::Approximate("it was hidden and comes back visible");
        }
    }
    match before.enabled {
        Enabled::Disabled | Enabled::DisabledUntilUsed => {
            Reversal::Approximate("it comes back as disabled by the user")
        }
        Enabled::Default if item.way == Change::Disable && !capabilities.default_state => {
            Reversal::Approximate("this Android sets it to “enabled” instead of “default”")
        }
        _ => match data_of(package.kind, item.way, before, capabilities) {
            AppData::Stay if !item.way.uninstalls() || !before.installed => Reversal::Exact,
            // Source: what `PackageManagerService` clears for a user whatever is said of data.
            AppData::Stay => Reversal::Approximate("its data stay; accounts and keys do not"),
            AppData::Go if item.way == Change::Uninstall && package.about.parts.contains_key(&item.user) => {
                Reversal::WITHOUT_DATA_AND_PARTS
            }
            AppData::Go if item.way == Change::Uninstall => Reversal::WITHOUT_DATA,
            AppData::Go => {
                Reversal::Approximate("this Android drops the data of its own apps all the same; disabling keeps them")
            }
            AppData::GoAtNextStart => Reversal::Approximate(
                "this Android drops the data of its own apps when it starts the next time; disabling keeps them",
            ),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    use crate::android::DaemonFeatures;
    use crate::device::UserKind;
    use crate::package::PackageDetails;
    use crate::plan::put_back::{changes_to, plan_put_back};

    const IN: PackageState = PackageState::IN_USE;
    const OUT: PackageState = PackageState { installed: false, ..IN };

    fn with(enabled: Enabled) -> PackageState {
        PackageState { enabled, ..IN }
    }

    fn inventory(packages: &[(&str, PackageKind, [PackageState; 2])]) -> Inventory {
        let users = [0, 10].map(|n| testing::user(n, "", UserKind::Owner));
        let package = |(id, kind, [owner, other]): &(&str, PackageKind, [PackageState; 2])| {
            testing::package(id, *kind, "", &[(0, *owner), (10, *other)])
        };
        testing::inventory(&users, packages.iter().map(package))
    }

    fn take(id: &str, user: u32, way: Change) -> TrayItem {
        TrayItem { id: id.parse().unwrap(), user: UserId::new(user), way }
    }

    fn new_device() -> Capabilities {
        Capabilities::new(34, DaemonFeatures::default())
    }

    fn old_device(help: &str) -> Capabilities {
        let mut capabilities = Capabilities::new(23, DaemonFeatures::default());
        assert!(capabilities.learn_from_help(&format!("usage: pm uninstall {help}")));
        capabilities
    }

    #[test]
    fn what_is_not_sent_and_why() {
        use PackageKind::{System, User};
        let inventory = inventory(&[
            ("in", System, [IN, IN]),
            ("out", System, [OUT, OUT]),
            ("off", System, [with(Enabled::DisabledUser), IN]),
            ("app", User, [IN, PackageState::ABSENT]),
        ]);
        for (item, skip) in [
            (take("in", 0, Change::Uninstall), None),
            (take("off", 0, Change::Uninstall), None),
            (take("in", 7, Change::Uninstall), Some(SkipReason::NoSuchUser)),
            (take("what", 0, Change::Uninstall), Some(SkipReason::NotOnDevice)),
            (take("out", 0, Change::UninstallKeepData), Some(SkipReason::AlreadySo)),
            (take("out", 0, Change::Disable), Some(SkipReason::NotInstalled)),
            (take("off", 0, Change::Disable), Some(SkipReason::AlreadySo)),
            (take("app", 0, Change::Uninstall), Some(SkipReason::NoWayBack)),
            (take("app", 0, Change::Disable), None),
        ] {
            let plan = plan_take_out(&inventory, &new_device(), std::slice::from_ref(&item), false);
            assert_eq!(plan.steps[0].skip, skip, "{item:?}");
        }
        let twice = [take("in", 0, Change::Uninstall), take("in", 0, Change::Disable), take("in", 10, Change::Disable)];
        assert_eq!(plan_take_out(&inventory, &new_device(), &twice, false).steps.len(), 2);
        let bold = plan_take_out(&inventory, &new_device(), &[take("app", 0, Change::Uninstall)], true);
        assert_eq!(bold.to_send(), 1);
    }

    #[test]
    fn what_the_shell_may_not_do_is_not_sent() {
        let inventory = inventory(&[("in", PackageKind::System, [IN, with(Enabled::DisabledUser)])]);
        let capabilities = Capabilities { disables: false, ..new_device() };
        let skips = |way| plan_take_out(&inventory, &capabilities, &[take("in", 0, way)], false).steps[0].skip;
        assert_eq!(skips(Change::Disable), Some(SkipReason::MayNotDisable));
        assert_eq!(skips(Change::Uninstall), None);
        let old = Capabilities { disables: false, ..testing::capabilities(23) };
        let keeping = |of: &Capabilities| {
            plan_take_out(&inventory, of, &[take("in", 0, Change::Uninstall)], true).steps[0].keeping
        };
        assert_eq!((keeping(&old), keeping(&capabilities)), (None, Some(Change::UninstallKeepData)));
        let back = |user, target| {
            let wanted = ("in".parse().unwrap(), UserId::new(user), target);
            plan_put_back(&inventory, &capabilities, &[wanted]).steps[0].skip
        };
        assert_eq!(back(10, IN), Some(SkipReason::MayNotDisable));
    }

    #[test]
    fn the_way_back_is_known_beforehand() {
        use PackageKind::{System, UpdatedSystem, User};
        let inventory = inventory(&[
            ("sys", System, [IN, IN]),
            ("upd", UpdatedSystem, [IN, OUT]),
            ("app", User, [IN, OUT]),
            ("both", User, [IN, IN]),
            ("frozen", System, [with(Enabled::Disabled), IN]),
        ]);
        let kind = |back: &Reversal| match back {
            Reversal::Exact => "sure",
            Reversal::Approximate(_) => "nearly",
            Reversal::Impossible(_) => "no way",
        };
        for (id, way, on_new, on_bare_6) in [
            ("sys", Change::Uninstall, "nearly", "nearly"),
            ("sys", Change::UninstallKeepData, "nearly", "nearly"),
            ("sys", Change::Disable, "sure", "nearly"),
            ("upd", Change::Uninstall, "nearly", "nearly"),
            ("app", Change::Uninstall, "no way", "no way"),
            ("app", Change::Disable, "sure", "nearly"),
            ("both", Change::Uninstall, "nearly", "no way"),
            ("both", Change::UninstallKeepData, "nearly", "no way"),
            ("frozen", Change::Uninstall, "nearly", "nearly"),
        ] {
            let back = |capabilities| plan_take_out(&inventory, &capabilities, &[take(id, 0, way)], true).steps[0].back;
            assert_eq!(kind(&back(new_device())), on_new, "{id} {way}");
            assert_eq!(kind(&back(old_device("pm enable"))), on_bare_6, "{id} {way}");
        }
        let helped =
            plan_take_out(&inventory, &old_device("pm install-existing"), &[take("sys", 0, Change::Uninstall)], false);
        assert_eq!(helped.steps[0].back, Reversal::WITHOUT_DATA);
    }

    #[test]
    fn what_becomes_of_the_data_is_known_beforehand() {
        use AppData::{Go, GoAtNextStart, Stay};
        use PackageKind::{System, User};
        let inventory = inventory(&[("sys", System, [IN, IN]), ("app", User, [IN, IN]), ("out", System, [OUT, IN])]);
        for (id, way, data) in [
            ("sys", Change::Uninstall, [Go, Go, Go]),
            ("sys", Change::UninstallKeepData, [Go, GoAtNextStart, Stay]),
            ("sys", Change::Disable, [Stay, Stay, Stay]),
            ("app", Change::Uninstall, [Go, Go, Go]),
            ("app", Change::UninstallKeepData, [Stay, Stay, Stay]),
            ("out", Change::Uninstall, [Stay, Stay, Stay]),
        ] {
            let step =
                |sdk| plan_take_out(&inventory, &testing::capabilities(sdk), &[take(id, 0, way)], true).steps.remove(0);
            assert_eq!([29, 33, 34].map(|sdk| step(sdk).data), data, "{id} {way}");
            assert!(
                [29, 33, 34].into_iter().map(step).all(|s| s.back != Reversal::Exact || s.data == Stay),
                "{id} {way}"
            );
        }
        // What keeps them is named.
        let keeping = |id, sdk| {
            let tray = [take(id, 0, Change::Uninstall)];
            plan_take_out(&inventory, &testing::capabilities(sdk), &tray, true).steps[0].keeping
        };
        assert_eq!(keeping("sys", 33), Some(Change::Disable));
        assert_eq!(keeping("sys", 34), Some(Change::UninstallKeepData));
        assert_eq!(keeping("app", 29), Some(Change::UninstallKeepData));
        // In words, each app once.
        let tray = [("sys", 0), ("sys", 10), ("app", 0)].map(|(id, user)| take(id, user, Change::Uninstall));
        let plan = plan_take_out(&inventory, &new_device(), &tray, false);
        let words =
            |known: &[&str]| plan.data_words(false, |id| known.contains(&id.as_str()).then_some(1_500_000)).unwrap();
        assert_eq!(words(&["sys", "app"]), "the data of 2 apps go for good: 3.0 MB");
        assert_eq!(words(&["sys"]), "the data of 2 apps go for good: 1.5 MB of 1 of them");
        assert_eq!(words(&[]), "the data of 2 apps go for good; how much that is the device does not tell");
        let kept = plan_take_out(&inventory, &new_device(), &[take("sys", 0, Change::Disable)], false);
        assert_eq!(kept.data_words(true, |_| Some(1)), None);
    }

    #[test]
    fn whoever_has_the_last_copy_is_seen() {
        use PackageKind::{UpdatedSystem, User};
        let inventory = inventory(&[("both", User, [IN, IN]), ("upd", UpdatedSystem, [IN, IN])]);
        let plan = |tray: &[TrayItem], bold| plan_take_out(&inventory, &new_device(), tray, bold).steps;
        let tray = [take("both", 0, Change::Uninstall), take("both", 10, Change::UninstallKeepData)];
        let steps = plan(&tray, false);
        assert_eq!(steps.iter().map(|s| s.skip).collect::<Vec<_>>(), [None, Some(SkipReason::NoWayBack)]);
        // The other user keeps it, so the first step can be undone; the second one could not be.
        assert!(
            matches!((steps[0].back, steps[1].back), (Reversal::WITHOUT_DATA, Reversal::Impossible(_))),
            "{steps:?}"
        );
        // If that is allowed, the first one cannot be undone either.
        let steps = plan(&tray, true);
        assert!(steps.iter().all(|s| s.skip.is_none() && matches!(s.back, Reversal::Impossible(_))), "{steps:?}");
        // Disabling for the other user leaves a copy.
        let steps = plan(&[take("both", 0, Change::Uninstall), take("both", 10, Change::Disable)], false);
        let backs: Vec<_> = steps.iter().map(|s| (s.skip, s.back)).collect();
        assert_eq!(backs, [(None, Reversal::WITHOUT_DATA), (None, Reversal::Exact)]);
        // The update of a system app goes with its last copy.
        let steps = plan(&[take("upd", 0, Change::Uninstall), take("upd", 10, Change::Uninstall)], false);
        assert!(steps.iter().all(|s| s.skip.is_none() && matches!(s.back, Reversal::Approximate(_))), "{steps:?}");
    }

    proptest! {
        /// Of whatever is sent unless it was allowed without a way back, somebody still has the APK in the end.
        #[test]
        fn what_can_be_undone_leaves_a_copy(
            kinds in proptest::collection::vec((0..3_usize, 0..3_usize, 0..3_usize), 1..4),
            tray in proptest::collection::vec((0..4_usize, prop_oneof![Just(0_u32), Just(10), Just(11)], 0..3_usize), 0..9),
        ) {
            let states = [IN, OUT, PackageState::ABSENT];
            let kind = [PackageKind::User, PackageKind::UpdatedSystem, PackageKind::System];
            let named: Vec<String> = (0..kinds.len()).map(|n| format!("p{n}")).collect();
            let all: Vec<_> = named.iter().zip(&kinds).map(|(id, (k, a, b))| (id.as_str(), kind[*k], [states[*a], states[*b]])).collect();
            let inventory = inventory(&all);
            let tray: Vec<TrayItem> = tray.into_iter().map(|(n, user, way)| take(&format!("p{n}"), user, Change::TAKE_OUT[way])).collect();
            let plan = plan_take_out(&inventory, &new_device(), &tray, false);
            for (id, kind, _) in &all {
                let id: wibbet_types::PackageId = id.parse().unwrap();
                let mut has: BTreeMap<UserId, bool> = inventory.packages[&id].states.iter().map(|(u, s)| (*u, s.installed)).collect();
                let mut touched = false;
                for step in plan.steps.iter().filter(|s| s.id == id && s.skip.is_none() && s.way != Change::Disable) {
                    has.insert(step.user, false);
                    touched = true;
                }
                prop_assert!(!touched || *kind != PackageKind::User || has.values().any(|has| *has), "{id} {plan:?}");
            }
        }
    }

    #[test]
    fn putting_back_leads_to_the_recorded_state() {
        use Enabled as E;
        let both = "pm install-existing default-state";
        let hidden = PackageState { hidden: true, ..IN };
        let suspended = PackageState { suspended: true, ..IN };
        for (now, wanted, help, ways) in [
            (OUT, IN, both, Ok(vec![Change::Reinstall])),
            (OUT, with(E::DisabledUser), both, Ok(vec![Change::Reinstall, Change::Disable])),
            (OUT, with(E::Enabled), both, Ok(vec![Change::Reinstall, Change::Enable])),
            (with(E::DisabledUser), IN, both, Ok(vec![Change::DefaultState])),
            (with(E::DisabledUser), with(E::Enabled), both, Ok(vec![Change::Enable])),
            (with(E::DisabledUser), IN, "pm enable", Ok(vec![Change::Enable])),
            (with(E::Enabled), IN, "pm enable", Ok(vec![])),
            (with(E::DisabledUser), with(E::Disabled), both, Ok(vec![])),
            (with(E::Disabled), IN, both, Err(SkipReason::NeedsRoot)),
            (hidden, IN, both, Err(SkipReason::NeedsRoot)),
            (suspended, IN, both, Err(SkipReason::NeedsRoot)),
            (IN, IN, both, Ok(vec![])),
        ] {
            assert_eq!(changes_to(now, wanted, &old_device(help)), ways, "{now} to {wanted}");
        }
        let by = |sdk, now| changes_to(now, IN, &testing::capabilities(sdk));
        assert_eq!((by(21, hidden), by(22, hidden)), (Ok(vec![Change::Unhide]), Err(SkipReason::NeedsRoot)));
        assert_eq!((by(27, suspended), by(28, suspended)), (Err(SkipReason::NeedsRoot), Ok(vec![Change::Unsuspend])));
    }

    #[test]
    fn what_others_have_a_say_in_is_not_sent() {
        use crate::device::Forbidden;
        let suspended = PackageState { suspended: true, ..IN };
        let mut inventory = inventory(&[
            ("lib", PackageKind::Library, [IN, IN]),
            ("sys", PackageKind::System, [IN, IN]),
            ("out", PackageKind::System, [OUT, OUT]),
            ("held", PackageKind::System, [suspended, suspended]),
        ]);
        let own = PackageDetails {
            suspended_by: [(0, "com.android.shell"), (10, "com.corvane.guardian")]
                .map(|(user, by)| (UserId::new(user), by.parse().unwrap()))
                .into(),
            ..PackageDetails::default()
        };
        Arc::make_mut(inventory.packages.get_mut("held").unwrap()).about = own;
        let skip = |inventory: &Inventory, id, user, way| {
            plan_take_out(inventory, &new_device(), &[take(id, user, way)], true).steps[0].skip
        };
        let back = |inventory: &Inventory, id: &str, user| {
            plan_put_back(inventory, &new_device(), &[(id.parse().unwrap(), UserId::new(user), IN)]).steps[0].skip
        };
        assert_eq!(skip(&inventory, "lib", 0, Change::Uninstall), Some(SkipReason::Library));
        assert_eq!(
            (back(&inventory, "held", 0), back(&inventory, "held", 10)),
            (None, Some(SkipReason::SuspendedByOther))
        );
        for (forbidden, [out, off, again]) in [
            (Forbidden::default(), [None, None, None]),
            (Forbidden { debugging: true, ..Forbidden::default() }, [Some(SkipReason::NoDebugging); 3]),
            (Forbidden { uninstalling: true, ..Forbidden::default() }, [Some(SkipReason::Forbidden), None, None]),
            (Forbidden { installing: true, ..Forbidden::default() }, [None, None, Some(SkipReason::Forbidden)]),
        ] {
            inventory.users[1].forbidden = forbidden;
            assert_eq!(skip(&inventory, "sys", 10, Change::Uninstall), out, "{forbidden:?}");
            assert_eq!(skip(&inventory, "sys", 10, Change::Disable), off, "{forbidden:?}");
            assert_eq!(back(&inventory, "out", 10), again, "{forbidden:?}");
            assert_eq!(skip(&inventory, "sys", 0, Change::Uninstall), None);
        }
    }

    /// Only what lies alone in a folder of its own on a partition of the system is removed from there.
    #[test]
    fn what_lies_with_others_is_not_removed_from_the_system() {
        let package = |id, kind, path| testing::package(id, kind, path, &[(0, IN), (10, IN)]);
        let users = [testing::user(0, "", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        let mut inventory = testing::inventory(
            &users,
            [
                package("own", PackageKind::System, "/system/app/Own"),
                package("one", PackageKind::System, "/system/app/Both"),
                package("other", PackageKind::System, "/system/app/Both"),
                package("flat", PackageKind::System, "/vendor/overlay"),
                package("updated", PackageKind::UpdatedSystem, "/system/app/Updated"),
            ],
        );
        for package in inventory.packages.values_mut() {
            let package = Arc::make_mut(package);
            package.apk = format!("{}/{}.apk", package.path.as_ref().unwrap().as_str(), package.id).parse().ok();
        }
        let root = Some(crate::android::RootWay::Daemon);
        let skip = |id, user, root| {
            let capabilities = Capabilities { root, ..new_device() };
            plan_take_out(&inventory, &capabilities, &[take(id, user, Change::RemoveFromSystem)], false).steps.remove(0)
        };
        let own = skip("own", 0, root);
        assert_eq!((own.skip, own.secures, own.data), (None, true, AppData::GoAtNextStart));
        for id in ["one", "other", "flat", "updated"] {
            assert_eq!(skip(id, 0, root).skip, Some(SkipReason::NotOfTheSystem), "{id}");
        }
        assert_eq!(skip("own", 10, root).skip, Some(SkipReason::ForEverybody));
        assert_eq!(skip("own", 0, None).skip, Some(SkipReason::TakesRoot));
    }

    /// What lay on the partition of the system goes back there, and is never installed as an app.
    #[test]
    fn what_was_removed_from_the_system_is_placed_there_again() {
        let placed = crate::package::KeptCopy {
            placed: vec!["755 0 0 - folder /system/app/Notes".parse().unwrap()],
            version_code: Some(99),
            ..testing::copy("notes", &["base.apk"])
        };
        let ways = |state: Option<PackageState>, root: bool| {
            let packages = state.map(|state| ("notes", PackageKind::System, [state, state]));
            let inventory = inventory(&packages.into_iter().collect::<Vec<_>>());
            let root = root.then_some(crate::android::RootWay::Daemon);
            let capabilities = Capabilities { root, ..new_device() };
            let wanted = [("notes".parse().unwrap(), UserId::OWNER, IN)];
            let plan =
                super::super::plan_put_back_with(&inventory, &capabilities, &wanted, std::slice::from_ref(&placed));
            plan.steps.into_iter().map(|step| (step.way, step.skip)).collect::<Vec<_>>()
        };
        assert_eq!(ways(None, true), [(Change::RestoreToSystem, None)]);
        assert_eq!(ways(Some(IN), true), [(Change::RestoreToSystem, None)]);
        assert_eq!(ways(None, false), [(Change::RestoreToSystem, Some(SkipReason::TakesRoot))]);
        // It is there and off: that is undone, whatever version was kept.
        assert_eq!(ways(Some(OUT), true), [(Change::Reinstall, None)]);
    }

    /// What an app has switched off of itself comes back on: that is said of the user for whom it is so.
    #[test]
    fn parts_that_are_switched_do_not_come_back_so() {
        let mut inventory = inventory(&[("sys", PackageKind::System, [IN, IN])]);
        let parts = crate::package::SwitchedParts { off: vec!["sys.Setup".into()], on: Vec::new() };
        let package = Arc::make_mut(inventory.packages.get_mut("sys").unwrap());
        package.about.parts.insert(UserId::new(10), parts);
        let back = |user, way| plan_take_out(&inventory, &new_device(), &[take("sys", user, way)], false).steps[0].back;
        assert_eq!(back(0, Change::Uninstall), Reversal::WITHOUT_DATA);
        assert_eq!(back(10, Change::Uninstall), Reversal::WITHOUT_DATA_AND_PARTS);
        assert_eq!(back(10, Change::Disable), Reversal::Exact);
    }

    #[test]
    fn what_cannot_be_put_back_is_said() {
        use PackageKind::{System, User};
        let inventory = inventory(&[("sys", System, [OUT, IN]), ("app", User, [OUT, PackageState::ABSENT])]);
        let want = |id: &str, user| vec![(id.parse().unwrap(), UserId::new(user), IN)];
        let skip = |capabilities: &Capabilities, id, user| {
            plan_put_back(&inventory, capabilities, &want(id, user)).steps[0].skip
        };
        assert_eq!(skip(&new_device(), "sys", 0), None);
        assert_eq!(skip(&new_device(), "sys", 10), Some(SkipReason::AlreadySo));
        assert_eq!(skip(&new_device(), "sys", 3), Some(SkipReason::NoSuchUser));
        assert_eq!(skip(&new_device(), "gone", 0), Some(SkipReason::NotOnDevice));
        assert_eq!(skip(&new_device(), "app", 0), Some(SkipReason::NeedsApk));
        assert_eq!(skip(&old_device(""), "sys", 0), Some(SkipReason::NeedsApk));
    }
}
