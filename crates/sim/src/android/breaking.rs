//! What breaks when packages are off.

use super::state::State;
use crate::catalogue::consequences::{Broken, broken};
use crate::scenario::BreakMoment;

impl State {
    /// What is broken that was not when the device came.
    pub(crate) fn broken(&self) -> Vec<Broken> {
        let of = |user: u32| {
            let before = |id: &str| self.first_in_use.contains(&(id.to_owned(), user));
            broken(&self.scenario, user, before, |id| self.here(id, user))
        };
        self.scenario.users.iter().flat_map(|user| of(user.id)).collect()
    }

    /// Whether a start fails now, and how: 1 or 2.
    pub(crate) fn start_fails(&self) -> Option<u8> {
        self.broken().iter().filter_map(|broken| broken.class).filter(|class| *class < 3).min()
    }

    /// What the system dies with when it starts, as its log has it.
    pub(super) fn dies_with(&self) -> Option<String> {
        let broken = self.broken();
        let worst =
            broken.iter().filter(|broken| broken.class.is_some_and(|class| class < 3)).min_by_key(|b| b.class)?;
        let rule = crate::catalogue::consequences::rule(&self.scenario, &worst.what)?;
        Some(rule.dies_with.clone().unwrap_or_else(|| "java.lang.RuntimeException: Failed to create service".into()))
    }

    /// Whether the system dies without a start, of what is off now.
    pub(crate) fn dies_at_once(&self) -> bool {
        self.broken().iter().any(|broken| broken.class == Some(2) && broken.at == BreakMoment::Once)
    }
}
