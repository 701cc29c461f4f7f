//! What a manifest declares, beyond what the package service prints. Source: `AndroidManifest` in the platform's
//! `attrs_manifest.xml`; attributes are known by the ids of `public.xml`.

use std::sync::Arc;

use crate::pieces::ApkError;
use crate::xml::{Attribute, Event, Value, XmlReader};

/// The most parts of a kind that are kept of a manifest.
const MOST: usize = 20_000;

/// The most bytes that class names may take which are written short and have the package put before them.
const MOST_CLASSES: usize = 4 << 20;

/// What a part of an app is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum ComponentKind {
    /// A screen.
    Activity,
    /// A second name for a screen.
    Alias,
    /// Something that runs in the background.
    Service,
    /// Something that hears of events.
    Receiver,
    /// Something that hands out data.
    Provider,
}

/// For what a component is to be called.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Filter {
    /// Actions.
    pub actions: Vec<Arc<str>>,
    /// Categories.
    pub categories: Vec<Arc<str>>,
    /// How early it is to be asked; below zero for what is only to be there when nobody else is.
    pub priority: i32,
}

/// A part of an app.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Component {
    /// What it is.
    pub kind: ComponentKind,
    /// Its class, in full.
    pub name: Arc<str>,
    /// Its label, if it has its own.
    pub label: Option<Value>,
    /// Whether others may call it; `None` where that goes without saying.
    pub exported: Option<bool>,
    /// Whether it is on as it comes.
    pub enabled: bool,
    /// What others need to call it.
    pub permission: Option<Arc<str>>,
    /// For a provider: its names, with semicolons between them.
    pub authorities: Option<Arc<str>>,
    /// For an alias: what it stands for.
    pub target: Option<Arc<str>>,
    /// The process that it lives in, where that is not its application's.
    pub process: Option<Arc<str>>,
    /// Whether it can be used before the device has been unlocked for the first time.
    pub direct_boot: bool,
    /// For what it is to be called.
    pub filters: Vec<Filter>,
    /// Names of what is said of it (`<meta-data>`).
    pub remarks: Vec<Arc<str>>,
}

/// Whom an app says that it talks to (`<queries>`, from Android 11 on).
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Queries {
    /// Packages by name.
    pub packages: Vec<Arc<str>>,
    /// Actions that somebody is to answer.
    pub actions: Vec<Arc<str>>,
    /// Providers, by their authorities.
    pub authorities: Vec<Arc<str>>,
}

impl Component {
    /// Whether it has an icon on the home screen of a phone, tablet or TV.
    pub fn is_launcher(&self) -> bool {
        let launches = |filter: &Filter| {
            filter.actions.iter().any(|a| &**a == "android.intent.action.MAIN")
                && filter.categories.iter().any(|c| {
                    matches!(&**c, "android.intent.category.LAUNCHER" | "android.intent.category.LEANBACK_LAUNCHER")
                })
        };
        self.enabled
            && matches!(self.kind, ComponentKind::Activity | ComponentKind::Alias)
            && self.filters.iter().any(launches)
    }
}

/// A library that an app uses or offers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Library {
    /// Its name.
    pub name: Arc<str>,
    /// Whether the app cannot do without.
    pub required: bool,
    /// Whether the app offers it, rather than uses it.
    pub offered: bool,
}

/// A manifest.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Manifest {
    /// The package id as it is written.
    pub package: Arc<str>,
    /// The name of the split; empty for a base.
    pub split: Arc<str>,
    /// `versionCode`, with `versionCodeMajor` in the upper half.
    pub version_code: u64,
    /// `versionName`.
    pub version_name: Option<Value>,
    /// `sharedUserId`.
    pub shared_user: Option<Arc<str>>,
    /// `minSdkVersion`.
    pub min_sdk: Option<u32>,
    /// `targetSdkVersion`.
    pub target_sdk: Option<u32>,
    /// Whether it says of itself that it is a part of the core system (`coreApp`).
    pub core_app: bool,
    /// The application's label.
    pub label: Option<Value>,
    /// The process that it lives in, where that is not called like the package.
    pub process: Option<Arc<str>>,
    /// Whether the system keeps it running.
    pub persistent: bool,
    /// Whether its parts can be used before the device has been unlocked for the first time.
    pub direct_boot: bool,
    /// Whether there is code in it.
    pub has_code: bool,
    /// Whom it says that it talks to.
    pub queries: Queries,
    /// The package that an overlay changes.
    pub overlay_target: Option<Arc<str>>,
    /// Permissions that are asked for.
    pub permissions: Vec<Arc<str>>,
    /// Libraries.
    pub libraries: Vec<Library>,
    /// Activities, services, receivers and providers.
    pub components: Vec<Component>,
}

const LABEL: u32 = 0x0101_0001;
const NAME: u32 = 0x0101_0003;
const PERMISSION: u32 = 0x0101_0006;
const SHARED_USER: u32 = 0x0101_000b;
const HAS_CODE: u32 = 0x0101_000c;
const PERSISTENT: u32 = 0x0101_000d;
const ENABLED: u32 = 0x0101_000e;
const EXPORTED: u32 = 0x0101_0010;
const PROCESS: u32 = 0x0101_0011;
const AUTHORITIES: u32 = 0x0101_0018;
const PRIORITY: u32 = 0x0101_001c;
const TARGET_PACKAGE: u32 = 0x0101_0021;
const TARGET_ACTIVITY: u32 = 0x0101_0202;
const MIN_SDK: u32 = 0x0101_020c;
const VERSION_CODE: u32 = 0x0101_021b;
const VERSION_NAME: u32 = 0x0101_021c;
const TARGET_SDK: u32 = 0x0101_0270;
const REQUIRED: u32 = 0x0101_028e;
const DIRECT_BOOT_AWARE: u32 = 0x0101_0505;
const VERSION_CODE_MAJOR: u32 = 0x0101_0576;

struct Attributes(Vec<Attribute>);

impl Attributes {
    /// By id; by name only where the attribute has no id.
    fn get(&self, id: u32, name: &str) -> Option<&Value> {
        let by_id = self.0.iter().find(|a| a.id == id && id != 0);
        by_id.or_else(|| self.0.iter().find(|a| a.id == 0 && &*a.name == name)).map(|a| &a.value)
    }

    fn truth(&self, id: u32, name: &str) -> Option<bool> {
        self.get(id, name).and_then(Value::truth)
    }

    fn text(&self, id: u32, name: &str) -> Option<Arc<str>> {
        match self.get(id, name) {
            Some(Value::Text(text)) => Some(text.clone()),
            _ => None,
        }
    }
}

/// Reads a binary manifest.
///
/// # Errors
/// When it is not binary XML, or no manifest, or holds far more text than any app has.
pub fn read_manifest(bytes: &[u8]) -> Result<Manifest, ApkError> {
    let mut reader = XmlReader::new(bytes)?;
    let mut manifest = Manifest::default();
    let mut path: Vec<Arc<str>> = Vec::new();
    let mut seen = false;
    let mut room = MOST_CLASSES;
    while let Some(event) = reader.next_event()? {
        match event {
            Event::Start { name, attributes } => {
                if path.len() > 100 {
                    return Err(ApkError { part: "manifest", rule: "its elements are nested too deep" });
                }
                seen |= path.is_empty() && &*name == "manifest";
                let inside: Vec<&str> = path.iter().map(|name| &**name).collect();
                take(&mut manifest, &inside, &name, &Attributes(attributes), &mut room)?;
                path.push(name);
            }
            Event::End => drop(path.pop()),
        }
    }
    if !path.is_empty() {
        return Err(ApkError { part: "manifest", rule: "it ends in the middle" });
    }
    if !seen {
        return Err(ApkError { part: "manifest", rule: "it is none" });
    }
    Ok(manifest)
}

fn take(
    manifest: &mut Manifest,
    inside: &[&str],
    name: &str,
    found: &Attributes,
    room: &mut usize,
) -> Result<(), ApkError> {
    match (inside, name) {
        ([], "manifest") => {
            manifest.package = found.text(0, "package").unwrap_or_default();
            manifest.split = found.text(0, "split").unwrap_or_default();
            let number = |id, name| u64::from(found.get(id, name).and_then(Value::number).unwrap_or(0));
            manifest.version_code =
                number(VERSION_CODE, "versionCode") | (number(VERSION_CODE_MAJOR, "versionCodeMajor") << 32);
            manifest.version_name = found.get(VERSION_NAME, "versionName").cloned();
            manifest.shared_user = found.text(SHARED_USER, "sharedUserId");
            manifest.core_app = found.truth(0, "coreApp").unwrap_or(false);
        }
        (["manifest"], "uses-sdk") => {
            manifest.min_sdk = found.get(MIN_SDK, "minSdkVersion").and_then(Value::number);
            manifest.target_sdk = found.get(TARGET_SDK, "targetSdkVersion").and_then(Value::number);
        }
        (["manifest"], "overlay") => manifest.overlay_target = found.text(TARGET_PACKAGE, "targetPackage"),
        (["manifest"], "uses-permission" | "uses-permission-sdk-23") if manifest.permissions.len() < MOST => {
            manifest.permissions.extend(found.text(NAME, "name"));
        }
        (["manifest"], "application") => {
            manifest.label = found.get(LABEL, "label").cloned();
            manifest.process = found.text(PROCESS, "process");
            manifest.persistent = found.truth(PERSISTENT, "persistent").unwrap_or(false);
            manifest.direct_boot = found.truth(DIRECT_BOOT_AWARE, "directBootAware").unwrap_or(false);
            manifest.has_code = found.truth(HAS_CODE, "hasCode").unwrap_or(true);
        }
        (["manifest", "queries"], "package") => keep(&mut manifest.queries.packages, found.text(NAME, "name")),
        (["manifest", "queries"], "provider") => {
            keep(&mut manifest.queries.authorities, found.text(AUTHORITIES, "authorities"));
        }
        (["manifest", "queries", "intent"], "action") => {
            keep(&mut manifest.queries.actions, found.text(NAME, "name"));
        }
        (["manifest", "application"], "uses-library" | "uses-native-library" | "uses-static-library")
        | (["manifest", "application"], "library" | "static-library")
            if manifest.libraries.len() < MOST =>
        {
            let required = found.get(REQUIRED, "required").and_then(Value::truth).unwrap_or(true);
            if let Some(text) = found.text(NAME, "name") {
                manifest.libraries.push(Library { name: text, required, offered: !name.starts_with("uses-") });
            }
        }
        (["manifest", "application"], kind) if manifest.components.len() < MOST => {
            let kind = match kind {
                "activity" => ComponentKind::Activity,
                "activity-alias" => ComponentKind::Alias,
                "service" => ComponentKind::Service,
                "receiver" => ComponentKind::Receiver,
                "provider" => ComponentKind::Provider,
                _ => return Ok(()),
            };
            let component = Component {
                kind,
                name: class(&manifest.package, &found.text(NAME, "name").unwrap_or_default(), room)?,
                label: found.get(LABEL, "label").cloned(),
                exported: found.truth(EXPORTED, "exported"),
                enabled: found.truth(ENABLED, "enabled").unwrap_or(true),
                permission: found.text(PERMISSION, "permission"),
                authorities: found.text(AUTHORITIES, "authorities"),
                target: match found.text(TARGET_ACTIVITY, "targetActivity") {
                    Some(name) => Some(class(&manifest.package, &name, room)?),
                    None => None,
                },
                process: found.text(PROCESS, "process"),
                direct_boot: found.truth(DIRECT_BOOT_AWARE, "directBootAware").unwrap_or(manifest.direct_boot),
                filters: Vec::new(),
                remarks: Vec::new(),
            };
            manifest.components.push(component);
        }
        (["manifest", "application", _], "intent-filter") => {
            if let Some(component) = manifest.components.last_mut().filter(|c| c.filters.len() < 1000) {
                // A number with a sign, bit for bit.
                let priority = found.get(PRIORITY, "priority").and_then(Value::number).map_or(0, |n| n as i32);
                component.filters.push(Filter { priority, ..Filter::default() });
            }
        }
        (["manifest", "application", _], "meta-data") => {
            if let Some(component) = manifest.components.last_mut() {
                keep(&mut component.remarks, found.text(NAME, "name"));
            }
        }
        (["manifest", "application", _, "intent-filter"], part @ ("action" | "category")) => {
            let filter = manifest.components.last_mut().and_then(|c| c.filters.last_mut());
            if let (Some(filter), Some(text)) = (filter, found.text(NAME, "name")) {
                let list = if part == "action" { &mut filter.actions } else { &mut filter.categories };
                if list.len() < 1000 {
                    list.push(text);
                }
            }
        }
        _ => {}
    }
    Ok(())
}

/// Adds a text to a list that stays short.
fn keep(list: &mut Vec<Arc<str>>, text: Option<Arc<str>>) {
    if list.len() < 1000 {
        list.extend(text);
    }
}

/// The full name of a class that may be written short.
fn class(package: &str, name: &Arc<str>, room: &mut usize) -> Result<Arc<str>, ApkError> {
    let between = match &**name {
        _ if name.starts_with('.') => "",
        _ if !name.contains('.') && !name.is_empty() => ".",
        _ => return Ok(name.clone()),
    };
    let too_much = ApkError { part: "manifest", rule: "its class names are longer than 4 MiB" };
    *room = room.checked_sub(package.len() + name.len()).ok_or(too_much)?;
    Ok([package, between, name].concat().into())
}
