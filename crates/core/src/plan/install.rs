//! Planning to install an app out of a copy.

use wibbet_types::UserId;

use super::change::Change;
use super::plan::{PlannedStep, Reversal, SkipReason};
use crate::package::{Inventory, KeptCopy, PackageKind};

/// Plans installing a copy for a user.
pub fn plan_install(inventory: &Inventory, copy: &KeptCopy, user: UserId) -> PlannedStep {
    let before = inventory.state(&copy.id, user);
    let known = inventory.packages.get(&copy.id);
    let forbidden = inventory.user(user).map(|user| user.forbidden);
    let same = known.is_some_and(|package| package.about.version_code == copy.version_code);
    let skip = match forbidden {
        None => Some(SkipReason::NoSuchUser),
        Some(forbidden) if forbidden.debugging => Some(SkipReason::NoDebugging),
        Some(forbidden) if forbidden.installing => Some(SkipReason::Forbidden),
        Some(_) if same && Change::InstallCopy.is_met_by(before) => Some(SkipReason::AlreadySo),
        Some(_) => None,
    };
    let back = match known.map(|package| package.kind) {
        Some(PackageKind::System | PackageKind::UpdatedSystem) if !same => Reversal::Approximate(
            "it is an update then: the version before comes back when that is uninstalled for all users",
        ),
        Some(_) if !same => Reversal::Approximate("the version before does not come back from here"),
        _ => Reversal::Approximate("uninstalled"),
    };
    PlannedStep {
        copy: Some(copy.clone()),
        back,
        skip,
        ..PlannedStep::new(copy.id.clone(), user, Change::InstallCopy, before)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::package::{Package, PackageDetails, PackageState};
    use crate::testing;

    #[test]
    fn what_is_installed_already_is_not_sent() {
        let copy = testing::copy("fer.pellmoor.tides", &["base.apk"]);
        let with = |code: u64| {
            let package = testing::package("fer.pellmoor.tides", PackageKind::User, "", &[(0, PackageState::IN_USE)]);
            let about = PackageDetails { version_code: Some(code), ..PackageDetails::default() };
            testing::inventory(&[testing::user(0, "", UserKind::Owner)], [Package { about, ..package }])
        };
        let skip = |inventory: &Inventory, user: u32| plan_install(inventory, &copy, UserId::new(user)).skip;
        assert_eq!(skip(&with(3402), 0), Some(SkipReason::AlreadySo));
        assert_eq!(skip(&with(3401), 0), None);
        assert_eq!(skip(&with(3402), 7), Some(SkipReason::NoSuchUser));
        let nothing = testing::inventory(&[testing::user(0, "", UserKind::Owner)], []);
        assert_eq!(skip(&nothing, 0), None);
        let step = plan_install(&nothing, &copy, UserId::OWNER);
        assert!(step.command(&testing::capabilities(34)).contains("install-create -S 100 --user 0"));
    }
}
