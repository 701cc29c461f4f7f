//! What rules look at, and which of it has been read.

use wibbet_types::{PackageId, UserId, named};

use crate::android::{NamedText, framework_texts};
use crate::device::DeviceKind;
use crate::package::{AppNames, Condition, Declared, Given, Inventory, Metrics, PackageKind, Source, Ties};

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
    Usage => "usage",
    Android => "android",
});

/// Of so many packages in use one may have a manifest that cannot be read; more of them could lean on anything.
const ONE_IN: usize = 10;

/// The package whose resources are the framework's.
const ANDROID: &str = "android";

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
