//! Planning to put packages back.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::change::Change;
use super::plan::{Plan, PlannedStep, SkipReason};
use crate::android::Capabilities;
use crate::package::{Condition, Enabled, Inventory, KeptCopy, Package, PackageKind, PackageState};

/// Plans putting packages back, each to the state that is named with it, without any copies.
pub fn plan_put_back(
    inventory: &Inventory,
    capabilities: &Capabilities,
    wanted: &[(PackageId, UserId, PackageState)],
) -> Plan {
    plan_put_back_with(inventory, capabilities, wanted, &[])
}

/// Plans putting packages back, each to the state that is named with it: out of what is on the device, and where that is not enough
/// out of these copies, of which the last one made of a package counts.
pub fn plan_put_back_with(
    inventory: &Inventory,
    capabilities: &Capabilities,
    wanted: &[(PackageId, UserId, PackageState)],
    copies: &[KeptCopy],
) -> Plan {
    let mut steps = Vec::new();
    // Whoever comes behind the first one has it from the device.
    let mut installed: BTreeSet<&PackageId> = BTreeSet::new();
    for (id, user, target) in wanted {
        let before = inventory.state(id, *user);
        let apk = inventory.packages.get(id).and_then(|package| package.apk.clone());
        let copy = KeptCopy::last_of(copies, id);
        let mut push = |way, skip| {
            let apk = apk.clone().filter(|_| way == Change::InstallFactory);
            let copy = copy.cloned().filter(|_| matches!(way, Change::InstallCopy | Change::RestoreToSystem));
            steps.push(PlannedStep {
                target: Some(*target),
                apk,
                copy,
                skip,
                ..PlannedStep::new(id.clone(), *user, way, before)
            });
        };
        let usual = if before.known && before.installed { Change::DefaultState } else { Change::Reinstall };
        let Some(forbidden) = inventory.user(*user).map(|user| user.forbidden) else {
            push(usual, Some(SkipReason::NoSuchUser));
            continue;
        };
        let takes_root = capabilities.root.is_none().then_some(SkipReason::TakesRoot);
        let placed = copy.is_some_and(|copy| !copy.installs());
        let Some(package) = inventory.packages.get(id) else {
            if placed {
                push(Change::RestoreToSystem, takes_root);
                continue;
            }
            let may_not = match forbidden {
                _ if forbidden.debugging => Some(SkipReason::NoDebugging),
                _ if forbidden.installing => Some(SkipReason::Forbidden),
                _ => None,
            };
            match copy {
                None => push(usual, Some(SkipReason::NotOnDevice)),
                Some(_) => {
                    let first = installed.insert(id);
                    push(if first { Change::InstallCopy } else { Change::Reinstall }, may_not);
                    let rest = changes_to(PackageState::IN_USE, *target, capabilities).unwrap_or_default();
                    rest.into_iter().for_each(|way| push(way, may_not));
                }
            }
            continue;
        };
        if before.unreadable {
            push(usual, Some(SkipReason::Unreadable));
            continue;
        }
        if package.condition(*user) == Condition::Archived {
            push(usual, Some(SkipReason::Archived));
            continue;
        }
        let quiet = package.about.quiet.contains(user) && before.installed;
        match changes_to(before, *target, capabilities) {
            Ok(ways) if ways.is_empty() && quiet => {
                push(Change::Unquieten, forbidden.debugging.then_some(SkipReason::NoDebugging));
            }
            // Android notices what was removed from the system, and what is there again, only when it starts anew.
            Ok(ways) if ways.is_empty() && placed => push(Change::RestoreToSystem, takes_root),
            Ok(ways) if ways.is_empty() => push(usual, Some(SkipReason::AlreadySo)),
            Ok(ways) if ways.contains(&Change::Unsuspend) && is_anothers(package, *user) => {
                push(Change::Unsuspend, Some(SkipReason::SuspendedByOther));
            }
            Ok(ways) => {
                let gone = package.kind == PackageKind::User && !package.states.values().any(|s| s.installed);
                let by_apk =
                    !capabilities.install_existing && capabilities.installs_what_is_there() && package.apk.is_some();
                let needs_apk =
                    ways.contains(&Change::Reinstall) && (gone || (!capabilities.install_existing && !by_apk));
                // The factory version is there, and what was taken out was newer.
                let newer = package.kind == PackageKind::System
                    && !package.states.values().any(|state| state.installed)
                    && copy.is_some_and(|copy| copy.version_code > package.about.version_code);
                let by_copy = (needs_apk || newer) && copy.is_some() && !placed && ways.contains(&Change::Reinstall);
                let needs_apk = needs_apk && !by_copy;
                let first = by_copy && installed.insert(id);
                for way in ways {
                    let way = match way {
                        Change::Reinstall if first => Change::InstallCopy,
                        Change::Reinstall if by_apk && !needs_apk && !by_copy => Change::InstallFactory,
                        way => way,
                    };
                    let sets = matches!(way, Change::Enable | Change::DefaultState | Change::Disable);
                    let may_not = (sets && !capabilities.disables).then_some(SkipReason::MayNotDisable);
                    let forbidden = match way {
                        _ if forbidden.debugging => Some(SkipReason::NoDebugging),
                        Change::Reinstall | Change::InstallFactory | Change::InstallCopy if forbidden.installing => {
                            Some(SkipReason::Forbidden)
                        }
                        _ => None,
                    };
                    push(way, needs_apk.then_some(SkipReason::NeedsApk).or(may_not).or(forbidden));
                }
            }
            // The one that cannot be: what else it takes may be so already.
            Err(skip) if before.hidden && !target.hidden => push(Change::Unhide, Some(skip)),
            Err(skip) if before.suspended && !target.suspended => push(Change::Unsuspend, Some(skip)),
            Err(skip) => push(usual, Some(skip)),
        }
    }
    Plan { steps, ..Plan::default() }
}

/// Plans putting packages back on a device that cannot be surveyed: each from the state that it is believed to have to the one that is
/// named with it, out of what is on the device. A step that turns out not to be needed does no harm.
pub fn plan_by_record(capabilities: &Capabilities, wanted: &[(PackageId, UserId, PackageState, PackageState)]) -> Plan {
    let mut steps = Vec::new();
    for (id, user, now, target) in wanted {
        let mut push = |way, skip| {
            let step = PlannedStep::new(id.clone(), *user, way, *now);
            steps.push(PlannedStep { target: Some(*target), skip, ..step });
        };
        // It comes back to its place on the partition, as root, and not from what is on the device.
        if !now.known {
            push(Change::RestoreToSystem, Some(SkipReason::TakesRoot));
            continue;
        }
        match changes_to(*now, *target, capabilities) {
            Ok(ways) => ways.into_iter().for_each(|way| {
                let by_apk = way == Change::Reinstall && !capabilities.install_existing;
                push(way, by_apk.then_some(SkipReason::NeedsApk));
            }),
            Err(skip) => push(Change::DefaultState, Some(skip)),
        }
    }
    Plan { steps, ..Plan::default() }
}

/// Whether it was suspended by another app than the shell, as far as the device tells.
fn is_anothers(package: &Package, user: UserId) -> bool {
    package.about.suspended_by.get(&user).is_some_and(|by| by.as_str() != "com.android.shell")
}

/// The changes that lead from one state to another, in order.
pub(crate) fn changes_to(
    from: PackageState,
    to: PackageState,
    capabilities: &Capabilities,
) -> Result<Vec<Change>, SkipReason> {
    let mut ways = Vec::new();
    let mut at = from;
    if to.installed && !at.installed {
        ways.push(Change::Reinstall);
        // Android puts all else to its default when it uninstalls for a user; builds that keep a setting over it tell so in
        // the state of what is uninstalled. What is installed again is not hidden.
        at = match from.known {
            true => PackageState { installed: true, hidden: false, ..from },
            false => PackageState::IN_USE,
        };
    }
    if at.hidden && !to.hidden {
        if !capabilities.unhides() {
            return Err(SkipReason::NeedsRoot);
        }
        ways.push(Change::Unhide);
    }
    if at.suspended && !to.suspended {
        if !capabilities.unsuspends() {
            return Err(SkipReason::NeedsRoot);
        }
        ways.push(Change::Unsuspend);
    }
    if to.installed && to.suspended && !at.suspended && capabilities.suspends() {
        ways.push(Change::Suspend);
    }
    if to.installed && at.enabled != to.enabled {
        // Over debugging nothing leads out of 2 and 4.
        let by_root = matches!(at.enabled, Enabled::Disabled | Enabled::DisabledUntilUsed);
        if by_root && !to.enabled.is_off() && capabilities.root.is_none() {
            return Err(SkipReason::NeedsRoot);
        }
        let both_off = at.enabled.is_off() && to.enabled.is_off();
        match to.enabled {
            Enabled::Default if capabilities.default_state => ways.push(Change::DefaultState),
            // The nearest that this version has; not needed where it is on already.
            Enabled::Default if at.enabled.is_off() => ways.push(Change::Enable),
            Enabled::Default => {}
            Enabled::Enabled => ways.push(Change::Enable),
            _ if both_off => {}
            _ => ways.push(Change::Disable),
        }
    }
    Ok(ways)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Where nothing can be looked at, what is believed decides.
    #[test]
    fn by_the_record_alone() {
        let (id, user): (PackageId, _) = ("a.b".parse().unwrap(), UserId::OWNER);
        let off = PackageState { enabled: Enabled::DisabledUser, ..PackageState::IN_USE };
        let out = PackageState { installed: false, ..PackageState::IN_USE };
        let plan = |sdk, now, target| {
            let plan = plan_by_record(&crate::testing::capabilities(sdk), &[(id.clone(), user, now, target)]);
            plan.steps.iter().map(|step| (step.way, step.skip)).collect::<Vec<_>>()
        };
        let in_use = PackageState::IN_USE;
        assert_eq!(plan(34, out, in_use), [(Change::Reinstall, None)]);
        assert_eq!(plan(34, off, in_use), [(Change::DefaultState, None)]);
        assert_eq!(plan(34, out, off), [(Change::Reinstall, None), (Change::Disable, None)]);
        assert_eq!(plan(25, out, in_use), [(Change::Reinstall, Some(SkipReason::NeedsApk))]);
        assert_eq!(plan(34, PackageState::ABSENT, in_use), [(Change::RestoreToSystem, Some(SkipReason::TakesRoot))]);
    }
}
