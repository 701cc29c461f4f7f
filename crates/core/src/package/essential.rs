//! What Android does not start without, and cannot be helped from here when it is gone.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

use super::package::PackageKind;
use crate::android::{EssentialName, named_essential, runs_apps_in_a_sandbox};

/// Why a package is never taken out. Without most of these the package service itself does not come up after the next start,
/// so nothing is left that could put them back: only a factory reset helps. Source: the constructor of
/// `PackageManagerService`, which throws where not exactly one system package of the first user answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Essential {
    /// Android itself.
    Android,
    /// The user that debugging works as.
    Shell,
    /// It keeps the settings.
    Settings,
    /// It installs packages: the one that answers `INSTALL_PACKAGE`.
    Installer,
    /// It uninstalls packages: the one that answers `UNINSTALL_PACKAGE`.
    Uninstaller,
    /// It gives permissions: the one that answers `MANAGE_PERMISSIONS`.
    Permissions,
    /// The services extension.
    Services,
    /// The sandbox of advertisers' code, from Android 13 on.
    Sandbox,
}

impl Essential {
    /// What it is, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Android => "it is Android itself",
            Self::Shell => "it is the hand with which debugging works, also when something is to be put back",
            Self::Settings => "it keeps Android's settings",
            Self::Installer => "it is the one that installs packages",
            Self::Uninstaller => "it is the one that uninstalls packages",
            Self::Permissions => "it is the one that gives permissions",
            Self::Services => "it is Android's services extension",
            Self::Sandbox => "it is the sandbox that Android's package service looks for",
        }
    }

    /// Whether it is so for every user; else for the first one.
    fn is_for_all(self) -> bool {
        matches!(self, Self::Android | Self::Shell)
    }
}

/// The essential packages of a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Essentials(BTreeMap<PackageId, Essential>);

impl Essentials {
    /// Out of the packages of a device of an API level: those that are known by their ids, and those that the device names
    /// itself. `answers` is who answers which question; `None` where there was no answer.
    pub fn of<'a>(
        packages: impl IntoIterator<Item = (&'a PackageId, PackageKind)>,
        sdk: u32,
        answers: &[(Essential, Option<BTreeSet<PackageId>>)],
    ) -> Self {
        let mut found = BTreeMap::new();
        for (id, kind) in packages {
            if kind == PackageKind::User {
                continue;
            }
            let answered = answers.iter().find(|(_, who)| who.as_ref().is_some_and(|who| who.contains(id)));
            let text = id.as_str();
            let asked = |what: Essential| answers.iter().any(|(asked, who)| *asked == what && who.is_some());
            let named = named_essential(text).map(|name| match name {
                EssentialName::Android => Essential::Android,
                EssentialName::Shell => Essential::Shell,
                EssentialName::Settings => Essential::Settings,
            });
            let by_id = named.or(match text {
                // Named by a text of the framework; its id may be a maker's in front of this.
                _ if text.ends_with(".ext.services") => Some(Essential::Services),
                _ if text.ends_with("sdksandbox") && runs_apps_in_a_sandbox(sdk) => Some(Essential::Sandbox),
                // Where the device cannot be asked, Android's own are taken for it.
                "com.android.packageinstaller" if !asked(Essential::Installer) => Some(Essential::Installer),
                "com.android.permissioncontroller" if !asked(Essential::Permissions) => Some(Essential::Permissions),
                _ => None,
            });
            if let Some(what) = answered.map(|(what, _)| *what).or(by_id) {
                found.insert(id.clone(), what);
            }
        }
        Self(found)
    }

    /// Why a package is never taken out for a user; `None` where it may be.
    pub fn why(&self, id: &PackageId, user: UserId) -> Option<Essential> {
        self.0.get(id).copied().filter(|what| user == UserId::OWNER || what.is_for_all())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_by_id_by_answer_and_for_whom() {
        let id = |text: &str| text.parse::<PackageId>().unwrap();
        let packages = [
            ("android", PackageKind::System),
            ("com.android.shell", PackageKind::System),
            ("com.android.providers.settings", PackageKind::System),
            ("com.corvane.ext.services", PackageKind::UpdatedSystem),
            ("com.corvane.sdksandbox", PackageKind::System),
            ("com.corvane.installer", PackageKind::System),
            ("com.android.packageinstaller", PackageKind::System),
            ("com.ostrel.ext.services", PackageKind::User),
            ("com.ostrel.notes", PackageKind::System),
        ]
        .map(|(text, kind)| (id(text), kind));
        let all = |sdk, answers: &[_]| Essentials::of(packages.iter().map(|(id, kind)| (id, *kind)), sdk, answers);
        let installer = BTreeSet::from([id("com.corvane.installer")]);
        let asked = all(34, &[(Essential::Installer, Some(installer)), (Essential::Permissions, None)]);
        for (text, owner, other) in [
            ("android", Some(Essential::Android), Some(Essential::Android)),
            ("com.android.shell", Some(Essential::Shell), Some(Essential::Shell)),
            ("com.android.providers.settings", Some(Essential::Settings), None),
            ("com.corvane.ext.services", Some(Essential::Services), None),
            ("com.corvane.sdksandbox", Some(Essential::Sandbox), None),
            ("com.corvane.installer", Some(Essential::Installer), None),
            // Another one has answered.
            ("com.android.packageinstaller", None, None),
            ("com.ostrel.ext.services", None, None),
            ("com.ostrel.notes", None, None),
        ] {
            assert_eq!(asked.why(&id(text), UserId::OWNER), owner, "{text}");
            assert_eq!(asked.why(&id(text), UserId::new(10)), other, "{text}");
        }
        let unasked = all(31, &[(Essential::Installer, None)]);
        assert_eq!(unasked.why(&id("com.android.packageinstaller"), UserId::OWNER), Some(Essential::Installer));
        assert_eq!(unasked.why(&id("com.corvane.sdksandbox"), UserId::OWNER), None);
    }
}
