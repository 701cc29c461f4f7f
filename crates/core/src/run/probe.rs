//! Whether a device permits changes over debugging. Some makers' builds have a second switch for that, and refuse until
//! it is on.
//!
//! A change that has no effect but needs the permission: setting a package to the enabled state that it has. Android
//! looks for the permission before it looks whether there is anything to do; with a package that is not there it would fail
//! before either. The shell's own package would be permitted in any case, so another one is taken.

use wibbet_types::{PackageId, UserId};

use super::refusal::Refusal;
use super::reply::{Reply, read_reply};
use crate::android::{Capabilities, is_never_probed, probe_first};
use crate::ask::{Output, Request};
use crate::package::{Enabled, Inventory, PackageKind};
use crate::plan::Change;

/// A request that changes nothing, and is refused while changes are not permitted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChangeProbe {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    way: Change,
}

/// What a probe found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ProbeResult {
    /// Changes are permitted.
    Given,
    /// The second switch is off.
    Withheld,
    /// The answer says neither.
    Unclear,
}

impl ChangeProbe {
    /// Chooses a package whose state can be set to what it is. `None` where there is none, or no command for it: then
    /// only the first change shows.
    pub fn choose(inventory: &Inventory, capabilities: &Capabilities) -> Option<Self> {
        let user = UserId::OWNER;
        let fits = |id: &PackageId, wanted: Enabled| {
            let package = inventory.packages.get(id)?;
            let state = package.state(user);
            let fit = state.installed && state.enabled == wanted && package.kind != PackageKind::User;
            (fit && !is_never_probed(id)).then(|| package.id.clone())
        };
        let all: Vec<PackageId> = probe_first().chain(inventory.packages.keys().cloned()).collect();
        let (way, wanted) = match capabilities.default_state {
            true => (Change::DefaultState, Enabled::Default),
            false => (Change::Enable, Enabled::Enabled),
        };
        all.iter().find_map(|id| fits(id, wanted)).map(|id| Self { id, user, way })
    }

    /// What is asked. It counts as a change, so that it is never sent twice without an answer.
    pub fn request(&self) -> Request {
        self.way.request(&self.id, self.user)
    }

    /// What the answer means.
    pub fn read(&self, answer: &Output) -> ProbeResult {
        match read_reply(self.way, answer) {
            Reply::Success => ProbeResult::Given,
            Reply::Refused(Refusal::SecondSwitch) => ProbeResult::Withheld,
            _ => ProbeResult::Unclear,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::android::DaemonFeatures;
    use crate::device::UserKind;
    use crate::package::PackageState;
    use crate::testing;

    fn inventory(packages: &[(&str, PackageState)]) -> Inventory {
        let package =
            |(id, state): &(&str, PackageState)| testing::package(id, PackageKind::System, "", &[(0, *state)]);
        testing::inventory(&[testing::user(0, "", UserKind::Owner)], packages.iter().map(package))
    }

    #[test]
    fn it_sets_what_is_set_already_and_never_the_shell() {
        let on = PackageState { enabled: Enabled::Enabled, ..PackageState::IN_USE };
        let off = PackageState { enabled: Enabled::DisabledUser, ..PackageState::IN_USE };
        let all = inventory(&[
            ("android", PackageState::IN_USE),
            ("com.android.shell", PackageState::IN_USE),
            ("b.on", on),
            ("c.off", off),
            ("d.plain", PackageState::IN_USE),
        ]);
        let new = Capabilities::new(34, DaemonFeatures::default());
        let probe = ChangeProbe::choose(&all, &new).unwrap();
        assert_eq!((probe.id.as_str(), probe.way), ("d.plain", Change::DefaultState));
        let old = Capabilities::new(23, DaemonFeatures::default());
        let probe = ChangeProbe::choose(&all, &old).unwrap();
        assert_eq!((probe.id.as_str(), probe.way), ("b.on", Change::Enable));
        assert_eq!(ChangeProbe::choose(&inventory(&[("c.off", off), ("com.android.shell", on)]), &old), None);
        assert!(probe.request().changes);
    }

    #[test]
    fn answers() {
        let probe = ChangeProbe { id: "a.b".parse().unwrap(), user: UserId::OWNER, way: Change::DefaultState };
        let read = |out: &str| probe.read(&Output { out: out.into(), ..Output::default() });
        assert_eq!(read("Package a.b new state: default\n"), ProbeResult::Given);
        assert_eq!(read("java.lang.SecurityException: … CHANGE_COMPONENT_ENABLED_STATE"), ProbeResult::Withheld);
        assert_eq!(read("cmd: Can't find service: package"), ProbeResult::Unclear);
        assert_eq!(read("SecurityException: Cannot disable a protected package: a.b"), ProbeResult::Unclear);
    }
}
