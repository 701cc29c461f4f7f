//! What breaks when packages are off.

use super::installed::InstalledPackage;
use super::state::State;
use crate::catalogue::consequences::{Broken, broken};

impl State {
    /// What is broken that was not when the device came.
    pub(crate) fn broken(&self) -> Vec<Broken> {
        let first = InstalledPackage::all_of(&self.scenario);
        let users: Vec<u32> = self.scenario.users.iter().map(|user| user.id).collect();
        let of = |user: u32| {
            let before = |id: &str| first.get(id).is_some_and(|package| package.is_here(user));
            broken(&self.scenario, user, before, |id| self.here(id, user))
        };
        users.into_iter().flat_map(of).collect()
    }
}
