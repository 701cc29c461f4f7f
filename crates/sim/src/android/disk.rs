//! When changes reach the disk. The package service writes what it holds of users' packages 10 s after the first change
//! (`scheduleWritePackageRestrictions`); until then a start that nobody was told of loses it. Installing an existing package,
//! an orderly restart and `dumpsys package write` write at once.

use std::collections::BTreeMap;
use std::time::Duration;

use tokio::time::Instant;

use super::installed::Unwritten;
use super::output::Output;
use super::state::State;

/// How long changes wait.
const WAITS: Duration = Duration::from_secs(10);

impl State {
    /// A package is about to change for a user.
    pub(super) fn about_to_change(&mut self, id: &str, user: u32) {
        self.write_what_is_due();
        let Some(state) = self.packages.get(id).and_then(|p| p.users.get(&user)).copied() else { return };
        let unwritten =
            self.unwritten.get_or_insert_with(|| Unwritten { since: Instant::now(), before: BTreeMap::new() });
        unwritten.before.entry((id.to_owned(), user)).or_insert(state);
    }

    /// A file of a user's is written.
    pub(super) fn write_of_user(&mut self, user: u32) {
        if let Some(unwritten) = &mut self.unwritten {
            unwritten.before.retain(|(_, of), _| *of != user);
        }
    }

    fn write_what_is_due(&mut self) {
        if !self.lazy_disk {
            self.unwritten.take_if(|unwritten| unwritten.since.elapsed() >= WAITS);
        }
    }

    /// All is written: `dumpsys package write`, or an orderly end.
    pub(crate) fn write_all(&mut self) -> Output {
        self.unwritten = None;
        Output::ok("Settings written.\n")
    }

    /// The system goes without having been told to.
    pub(crate) fn lose_what_is_unwritten(&mut self) {
        self.write_what_is_due();
        for ((id, user), state) in self.unwritten.take().map(|unwritten| unwritten.before).unwrap_or_default() {
            if let Some(now) = self.packages.get_mut(&id).and_then(|package| package.users.get_mut(&user)) {
                *now = state;
            }
        }
    }
}
