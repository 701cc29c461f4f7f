//! What a step changes for users for whom nobody had it change anything.
//!
//! From Android 14 on what is uninstalled for a user is uninstalled for the profile with the clones of their apps too; makers'
//! builds may do more of the kind.

use std::collections::BTreeMap;

use wibbet_types::{PackageId, UserId};

use super::record::{Run, Step};
use crate::package::{Condition, PackageState};
use crate::plan::Change;

/// A change of a package for a user that nobody had told the device to make.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unasked {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// What it comes to.
    pub way: Change,
    /// The state before.
    pub before: PackageState,
    /// The state that was found.
    pub after: PackageState,
    /// In words, for the record.
    pub remark: String,
}

/// What has changed of a step's package for users for whom no step of the run is: in use before, and not any more. `before` and
/// `now` are its states by user; one that is not told in both is passed over.
pub fn unasked(
    run: &Run,
    step: &Step,
    before: &BTreeMap<UserId, PackageState>,
    now: &BTreeMap<UserId, PackageState>,
) -> Vec<Unasked> {
    let is_asked = |user: UserId| run.steps.iter().any(|other| other.id == step.id && other.user == user);
    let found = before.iter().filter(|(user, _)| !is_asked(**user)).filter_map(|(user, before)| {
        let (before, after) = (before.told()?, now.get(user)?.told()?);
        if before.condition() != Condition::InUse {
            return None;
        }
        let way = match after.condition() {
            Condition::Uninstalled | Condition::Absent => Change::Uninstall,
            Condition::Disabled => Change::Disable,
            _ => return None,
        };
        let remark = format!("it went for user {user} together with user {}; nothing was sent for it", step.user);
        Some(Unasked { id: step.id.clone(), user: *user, way, before, after, remark })
    });
    found.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn only_what_nobody_asked_for_is_found() {
        let run = testing::run(1, &["com.ostrel.notes"]);
        let out = PackageState { installed: false, ..PackageState::IN_USE };
        let off = PackageState { enabled: crate::package::Enabled::DisabledUser, ..PackageState::IN_USE };
        let states = |all: [PackageState; 4]| {
            [0, 10, 11, 999].map(UserId::new).into_iter().zip(all).collect::<BTreeMap<UserId, PackageState>>()
        };
        let in_use = PackageState::IN_USE;
        let found =
            unasked(&run, &run.steps[0], &states([in_use, in_use, out, in_use]), &states([out, in_use, out, out]));
        assert_eq!(found.iter().map(|u| (u.user.number(), u.way)).collect::<Vec<_>>(), [(999, Change::Uninstall)]);
        let found = unasked(
            &run,
            &run.steps[0],
            &states([in_use, in_use, in_use, PackageState::UNREADABLE]),
            &states([out, off, PackageState::UNREADABLE, out]),
        );
        assert_eq!(found.iter().map(|u| (u.user.number(), u.way)).collect::<Vec<_>>(), [(10, Change::Disable)]);
        // Back again is no loss.
        assert!(unasked(&run, &run.steps[0], &states([out; 4]), &states([in_use; 4])).is_empty());
    }
}
