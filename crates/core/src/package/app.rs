//! What an APK tells beyond the package service.

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_apk::{ApkFacts, ComponentKind};
use wibbet_types::{Locale, PackageId, PlainText};

use super::declared::Declared;
use super::name::label_text;

/// An entry of the home screen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HomeEntry {
    /// The class of the screen that it opens.
    pub class: PlainText,
    /// What stands under its icon, where that is not the app's label.
    pub label: Option<PlainText>,
}

/// What an APK tells.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AppFacts {
    /// The label, in the best language there was; `None` where there is none.
    pub label: Option<PlainText>,
    /// The language of the label; empty for none in particular.
    pub locale: Locale,
    /// Its entries on the home screen.
    pub home: Vec<HomeEntry>,
    /// How many activities, services, receivers and providers it declares.
    pub parts: [u32; 4],
    /// The package that an overlay changes.
    pub overlay_of: Option<PackageId>,
    /// Libraries that it cannot do without.
    pub libraries: Vec<PlainText>,
    /// By which others find it, and whom it says that it talks to.
    pub declared: Arc<Declared>,
    /// Why there is no label, where one was to be expected.
    pub trouble: Option<PlainText>,
}

impl AppFacts {
    /// The name under which people know it: what stands on the home screen where there is one entry with a name of its
    /// own, else the label.
    pub fn name(&self) -> Option<&PlainText> {
        match self.home.as_slice() {
            [HomeEntry { label: Some(label), .. }] => Some(label),
            _ => self.label.as_ref(),
        }
    }
}

/// The APK of a package as it lies on the device: what it is remembered by.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ApkFingerprint {
    /// The path of the base.
    pub path: String,
    /// Bytes, modulo 2³².
    pub size: u32,
    /// When it was last changed, in seconds since 1970.
    pub time: u32,
    /// `versionCode`, 0 where it is not told.
    pub version: u64,
}

/// What the APKs of a device tell, as far as they have been read.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AppNames {
    /// By package.
    pub apps: BTreeMap<PackageId, AppFacts>,
    /// Bytes of the APKs that could be looked at, by path, parts included.
    pub files: BTreeMap<String, u64>,
    /// The languages that labels were looked for in, first the most wanted.
    pub wanted: Vec<Locale>,
}

impl AppFacts {
    /// What an APK says, fit to be shown.
    pub fn of(found: &ApkFacts) -> Self {
        let manifest = &found.manifest;
        let mut parts = [0; 4];
        for component in &manifest.components {
            let n = match component.kind {
                ComponentKind::Activity | ComponentKind::Alias => 0,
                ComponentKind::Service => 1,
                ComponentKind::Receiver => 2,
                ComponentKind::Provider => 3,
            };
            parts[n] += 1;
        }
        Self {
            label: found.label.as_ref().map(|t| label_text(&t.text)).filter(|t| !t.as_str().is_empty()),
            locale: found.label.as_ref().map(|t| t.locale.clone()).unwrap_or_default(),
            home: found
                .launchers
                .iter()
                .map(|l| HomeEntry {
                    class: PlainText::new(&l.name),
                    label: l.label.as_ref().map(|t| label_text(&t.text)).filter(|t| !t.as_str().is_empty()),
                })
                .collect(),
            parts,
            declared: Arc::new(Declared::of(manifest)),
            overlay_of: manifest.overlay_target.as_ref().and_then(|t| t.parse().ok()),
            libraries: {
                let needed = manifest.libraries.iter().filter(|l| l.required && !l.offered);
                needed.map(|l| PlainText::new(&l.name)).collect()
            },
            trouble: match (&found.trouble, &found.label, &manifest.label) {
                (Some(error), ..) => Some(PlainText::new(&error.to_string())),
                (None, None, None) => Some(PlainText::new("its manifest names no label")),
                _ => None,
            },
        }
    }
}
