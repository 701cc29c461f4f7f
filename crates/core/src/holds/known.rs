//! What rules look at, and which of it has been read.

use std::collections::BTreeMap;

use wibbet_types::{PackageId, UserId, named};

use crate::android::{AndroidNeed, NamedText, framework_texts, needs};
use crate::device::{DeviceKind, UserKind};
use crate::package::{
    AppNames, Binding, Condition, Declared, Elsewhere, Given, Inventory, Metrics, PackageKind, ScreenLock, Source, Ties,
};

/// Sources that can show a hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum HoldSource {
    /// The package service: states, permissions, where a package is.
    Packages,
    /// Whom the framework, and what is laid over it, names for parts of Android.
    Framework,
    /// What a package's own manifest declares.
    Manifest,
    /// The manifests of the others: who answers what, and who leans on whom.
    Manifests,
    /// Roles, keyboards, and settings that name apps.
    Choices,
    /// Accounts, and who signs people in.
    Accounts,
    /// Administrators and owners of the device and its profiles.
    Admins,
    /// Which package shows web content in apps.
    WebView,
    /// Who uses whose services and providers at the moment.
    Bindings,
    /// What the logbook remembers of other devices of this model and build.
    Logbook,
    /// How apps are used.
    Usage,
    /// What is known of Android's open-source parts.
    Android,
}
named!(HoldSource {
    Packages => "packages",
    Framework => "framework",
    Manifest => "manifest",
    Manifests => "manifests",
    Choices => "choices",
    Accounts => "accounts",
    Admins => "admins",
    WebView => "web view",
    Bindings => "bindings",
    Logbook => "logbook",
    Usage => "usage",
    Android => "android",
});

/// Of so many packages in use one may have a manifest that cannot be read; more of them could lean on anything.
const ONE_IN: usize = 10;

/// The package whose resources are the framework's.
const ANDROID: &str = "android";

/// Who uses a part of a package at the moment.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum UsedBy {
    /// The system itself.
    System,
    /// Another package in use.
    Package(PackageId),
}

impl std::fmt::Display for UsedBy {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::System => f.write_str("system"),
            Self::Package(id) => f.write_str(id.as_str()),
        }
    }
}

/// The app id of the system.
const SYSTEM: u32 = 1000;

/// Everything that a device has told, for one of its users.
#[derive(Debug, Clone, Copy)]
pub struct Known<'a> {
    /// States, from the package service.
    pub inventory: &'a Inventory,
    /// What the APKs say.
    pub names: &'a AppNames,
    /// Use.
    pub metrics: &'a Metrics,
    /// Who is engaged in what.
    pub ties: &'a Ties,
    /// What became of packages on other devices of its like.
    pub elsewhere: &'a BTreeMap<PackageId, Elsewhere>,
    /// API level.
    pub sdk: u32,
    /// The kind of device.
    pub kind: DeviceKind,
    /// For whom.
    pub user: UserId,
}

impl<'a> Known<'a> {
    /// Whether a package is in use for the user.
    pub(crate) fn in_use(&self, id: &PackageId) -> bool {
        self.inventory.condition(id, self.user) == Condition::InUse
    }

    /// What its manifest declares; nothing where that was not read.
    pub(crate) fn declared(&self, id: &PackageId) -> Option<&'a Declared> {
        self.names.apps.get(id).map(|app| &*app.declared).filter(|declared| declared.read)
    }

    /// What people have chosen of it.
    pub(crate) fn chosen(&self, id: &PackageId) -> &'a [Given] {
        let package = self.inventory.packages.get(id);
        package.and_then(|package| package.about.chosen.get(&self.user)).map_or(&[], Vec::as_slice)
    }

    /// What Android needs on this version, the way this user locks the screen.
    pub(crate) fn needs(&self) -> impl Iterator<Item = &'static AndroidNeed> {
        let own = |user: &&crate::device::User| {
            user.id == self.user && matches!(user.kind, UserKind::Owner | UserKind::Full | UserKind::Guest)
        };
        // A profile's word is made up by the system where people set none.
        let typed = self.inventory.users.iter().any(|user| own(&user))
            && self.ties.locks.get(&self.user) == Some(&ScreenLock::Password);
        let sdk = self.sdk;
        needs().iter().filter(move |need| need.is_of(sdk) && (!need.password || typed))
    }

    /// Who uses parts of packages at the moment: whose, the class, and by whom.
    pub fn bindings(&self) -> Vec<(&'a PackageId, &'a str, UsedBy)> {
        let mut by_app: BTreeMap<u32, Vec<&PackageId>> = BTreeMap::new();
        for package in self.inventory.packages.values().filter(|package| self.in_use(&package.id)) {
            if let Some(uid) = package.about.uid {
                by_app.entry(uid).or_default().push(&package.id);
            }
        }
        let who = |binding: &Binding| {
            if binding.app == SYSTEM && binding.process == "system" {
                return Some(UsedBy::System);
            }
            let all = by_app.get(&binding.app).filter(|_| binding.user == self.user)?;
            // Of several that share a user the one whose name the process has, if any.
            let named = |id: &&&PackageId| binding.process.split(':').next() == Some(id.as_str());
            let id = if all.len() == 1 { all.first() } else { all.iter().find(named) };
            id.map(|id| UsedBy::Package((*id).clone()))
        };
        let used = |binding: &'a Binding| {
            let (id, package) = self.inventory.packages.get_key_value(&binding.package)?;
            // What runs as the same user is one with it.
            let own = package.about.uid == Some(binding.app);
            let by = who(binding).filter(|by| !own && self.in_use(id) && *by != UsedBy::Package(id.clone()))?;
            Some((id, binding.class.as_str(), by))
        };
        self.ties.bindings.iter().filter_map(used).collect()
    }

    /// Packages in use that answer what Android needs, by what the device says, of those whose manifests were not read.
    pub(crate) fn answering(&self, need: &AndroidNeed) -> impl Iterator<Item = &'a PackageId> + '_ {
        let all = self.ties.answers.get(&self.user).and_then(|answers| answers.get(&need.name));
        all.into_iter().flatten().filter(|id| self.in_use(id) && self.declared(id).is_none())
    }

    /// Whether the framework was asked whom it names, where there is one, and everything that lies over it.
    fn knows_the_framework(&self) -> bool {
        let there = self.inventory.packages.get(ANDROID).is_some_and(|package| package.apk.is_some());
        let told = |id: &str| self.names.apps.get(id).is_some_and(|app| app.declared.named.is_some());
        !there || (told(ANDROID) && self.laid_over().all(|id| told(id.as_str())))
    }

    /// Packages of the system that lie over the framework. The system itself runs as the first user: what is on for that one
    /// counts, whoever is asked about.
    fn laid_over(&self) -> impl Iterator<Item = &'a PackageId> + '_ {
        let owner = Self { user: UserId::OWNER, ..*self };
        let apps = self.names.apps.iter();
        let over = apps.filter(|(_, app)| app.overlay_of.as_ref().is_some_and(|of| of.as_str() == ANDROID));
        over.map(|(id, _)| id).filter(move |id| {
            let own = owner.inventory.packages.get(*id).is_some_and(|package| package.kind != PackageKind::User);
            own && owner.in_use(id) && owner.chosen(id).contains(&Given::Overlay)
        })
    }

    /// Whom the framework names for parts of Android on this version, of the packages in use: the text, the package, and who says
    /// so. What is laid over the framework says it in its place.
    pub(crate) fn named(&self) -> Vec<(&'static NamedText, &'a PackageId, &'a PackageId)> {
        let says = |id: &PackageId, name: &str| -> Vec<&'a PackageId> {
            let named = self.declared(id).and_then(|declared| declared.named.as_ref());
            named.into_iter().flatten().filter(|(own, _)| own == name).map(|(_, id)| id).collect()
        };
        let over: Vec<&PackageId> = self.laid_over().collect();
        let Some((android, _)) = self.names.apps.get_key_value(ANDROID) else { return Vec::new() };
        let mut all = Vec::new();
        for text in framework_texts().iter().filter(|text| text.is_of(self.sdk)) {
            let mut who = over.iter().copied().chain([android]).map(|by| (by, says(by, &text.name)));
            if let Some((by, ids)) = who.find(|(_, ids)| !ids.is_empty()) {
                all.extend(ids.into_iter().filter(|id| self.in_use(id)).map(|id| (text, id, by)));
            }
        }
        all
    }

    /// Sources that are missing for all packages. Here it stands which have to be read before anything is called free.
    pub fn unread(&self) -> Vec<HoldSource> {
        let used = self.inventory.packages.values().filter(|package| package.apk.is_some() && self.in_use(&package.id));
        let (count, silent) = used.fold((0, 0), |(count, silent), package| {
            (count + 1, silent + usize::from(self.declared(&package.id).is_none()))
        });
        let sources = [
            (HoldSource::Packages, self.inventory.gaps.is_empty()),
            (HoldSource::Framework, self.knows_the_framework()),
            (HoldSource::Manifests, silent * ONE_IN <= count && count > 0),
            (HoldSource::Choices, self.ties.choices_told),
            (HoldSource::Accounts, self.ties.accounts.as_ref().is_some_and(|users| users.contains_key(&self.user))),
            (HoldSource::Admins, self.ties.admins.is_some()),
            (HoldSource::WebView, self.ties.web_view_told),
            (HoldSource::Usage, self.metrics.tells(Source::Usage) && self.metrics.usage.contains_key(&self.user)),
        ];
        sources.into_iter().filter(|(_, read)| !read).map(|(source, _)| source).collect()
    }
}
