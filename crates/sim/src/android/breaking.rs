//! What breaks when packages are off.

use super::state::State;
use crate::catalogue::consequences::{Broken, broken};

impl State {
    /// What is broken that was not when the device came.
    pub(crate) fn broken(&self) -> Vec<Broken> {
        let of = |user: u32| {
            let before = |id: &str| self.first_in_use.contains(&(id.to_owned(), user));
            broken(&self.scenario, user, before, |id| self.here(id, user))
        };
        self.scenario.users.iter().flat_map(|user| of(user.id)).collect()
    }
}
