//! What Android does not start without, and cannot be helped from here when it is gone.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

use super::package::PackageKind;
use crate::android::{Capabilities, Essential, named_essential};

/// The essential packages of a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Essentials(BTreeMap<PackageId, Essential>);

impl Essentials {
    /// Out of the packages of a device: those that are known by their ids, and those that the device names
    /// itself. `answers` is who answers which question; `None` where there was no answer.
    pub fn of<'a>(
        packages: impl IntoIterator<Item = (&'a PackageId, PackageKind)>,
        capabilities: &Capabilities,
        answers: &[(Essential, Option<BTreeSet<PackageId>>)],
    ) -> Self {
        let mut found = BTreeMap::new();
        for (id, kind) in packages {
            if kind == PackageKind::User {
                continue;
            }
            let answered = answers.iter().find(|(_, who)| who.as_ref().is_some_and(|who| who.contains(id)));
            let text = id.as_str();
            // That nobody answers may be the question's fault.
            let asked = |what: Essential| {
                answers.iter().any(|(asked, who)| *asked == what && who.as_ref().is_some_and(|who| !who.is_empty()))
            };
            let by_id = named_essential(text).or(match text {
                // Named by a text of the framework; its id may be a maker's in front of this.
                _ if text.ends_with(".ext.services") => Some(Essential::Services),
                _ if text.ends_with("sdksandbox") && capabilities.has_sandbox() => Some(Essential::Sandbox),
                // Where the device names nobody, Android's own are taken for it.
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

    /// With the app in which Wibbet itself runs, on a device that it runs on.
    pub fn standing_on(mut self, ground: Option<PackageId>) -> Self {
        self.0.extend(ground.map(|id| (id, Essential::Ground)));
        self
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
        let all = |sdk, answers: &[_]| {
            let capabilities = crate::testing::capabilities(sdk);
            Essentials::of(packages.iter().map(|(id, kind)| (id, *kind)), &capabilities, answers)
        };
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
        for nobody in [None, Some(BTreeSet::new())] {
            let unnamed = all(31, &[(Essential::Installer, nobody)]);
            assert_eq!(unnamed.why(&id("com.android.packageinstaller"), UserId::OWNER), Some(Essential::Installer));
        }
        let ground = || Some(id("com.ostrel.notes"));
        assert_eq!(
            all(31, &[]).standing_on(ground()).why(&id("com.ostrel.notes"), UserId::new(10)),
            Some(Essential::Ground)
        );
        let unasked = all(31, &[]);
        assert_eq!(unasked.why(&id("com.corvane.sdksandbox"), UserId::OWNER), None);
    }
}
