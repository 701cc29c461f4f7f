//! What a device holds, as it would account for it itself: for tests that hold a program's account against it.

use std::collections::{BTreeMap, BTreeSet};

use super::state::State;
use crate::catalogue::usage;

impl State {
    /// What is so of every package for every user who has it, in a line each: state, version, switched parts, what was given
    /// and chosen. The line of one who has it not says what is kept for them of it.
    pub(crate) fn account(&self) -> BTreeMap<(String, u32), String> {
        let sdk = self.scenario.android.sdk;
        let all =
            self.packages.iter().flat_map(|(id, package)| package.users.keys().map(move |user| (id, package, *user)));
        all.filter_map(|(id, package, user)| {
            let state = package.users.get(&user)?;
            // Without code nobody has it, whatever a flag says that a start has put back.
            let installed = state.installed && !package.code_gone;
            let kept = format!("installed {installed} enabled {}", state.enabled);
            if !installed {
                return Some(((id.clone(), user), kept));
            }
            let [off, on] = package.parts.get(&user).cloned().unwrap_or_default();
            let line = format!(
                "{kept} hidden {} suspended {} version {} parts off {off:?} on {on:?} chosen {:?}",
                state.hidden,
                state.suspended,
                package.version_code(sdk),
                self.chosen_of_all(id, user)
            );
            Some(((id.clone(), user), line))
        })
        .collect()
    }

    /// What is chosen of a package for a user; what packages that share a user were permitted belongs to all of them.
    fn chosen_of_all(&self, id: &str, user: u32) -> BTreeSet<String> {
        let shared = self.packages.get(id).and_then(|package| package.shared_user());
        let members = self.packages.iter().filter(|(_, other)| shared.is_some() && other.shared_user() == shared);
        let asks = usage::permissions(id);
        let given =
            members.filter_map(|(_, other)| other.given.get(&user)).flatten().filter(|name| asks.contains(name));
        self.chosen(id, user).into_iter().chain(given.cloned()).collect()
    }

    /// An app's data have gone for a user.
    pub(super) fn data_go(&mut self, id: &str, user: u32) {
        *self.data_lost.entry((id.to_owned(), user)).or_default() += 1;
    }

    /// How often an app has lost its data for a user.
    pub(crate) fn data_lost(&self, id: &str, user: u32) -> u32 {
        self.data_lost.get(&(id.to_owned(), user)).copied().unwrap_or(0)
    }
}
