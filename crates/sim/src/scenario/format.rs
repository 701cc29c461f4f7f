//! What a scenario file may say.

use std::collections::BTreeMap;

use std::sync::{Arc, OnceLock};

use serde::Deserialize;
use thiserror::Error;
use wibbet_types::{DevicePath, PackageId, Serial};

use super::breaks::BreakRule;
use super::lock::ScreenLock;
use super::{framework, manifests};

/// A scenario file that cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum BadScenario {
    /// It is not TOML of the right shape.
    #[error("the scenario cannot be read: {0}")]
    Shape(String),
    /// A value in it breaks a rule.
    #[error("the scenario cannot be used: {0}")]
    Value(String),
}

/// A device.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Scenario {
    /// The serial.
    pub serial: String,
    /// `ro.product.manufacturer`.
    pub maker: String,
    /// `ro.product.model`.
    pub model: String,
    /// `ro.product.name`.
    pub product: String,
    /// The code that is told for its model, where its model is only the name that it is sold under.
    #[serde(default)]
    pub model_code: Option<String>,
    /// `ro.build.characteristics`.
    #[serde(default = "default_characteristics")]
    pub characteristics: String,
    /// `ro.build.display.id`.
    #[serde(default)]
    pub build: String,
    /// `settings get secure android_id`; none where left out.
    pub android_id: Option<String>,
    /// The languages that its owner chose, as `system_locales` has them.
    #[serde(default = "default_languages")]
    pub languages: String,
    /// How the demo workshop reaches it.
    #[serde(default)]
    pub reached_by: ReachedBy,
    /// Its battery, if it has one.
    pub battery: Option<SimBattery>,
    /// Who manages it.
    #[serde(default)]
    pub managed: Vec<SimOwner>,
    /// Accounts that somebody is signed in to.
    #[serde(default)]
    pub accounts: u32,
    /// With what its people lock each user's screen.
    #[serde(default)]
    pub locked_with: ScreenLock,
    /// Its Android.
    pub android: Android,
    /// The version of every package that names none.
    pub version: String,
    /// Whether its first user has no screen, and its people come after it.
    #[serde(default)]
    pub headless: bool,
    /// The user in front.
    #[serde(default)]
    pub in_front: u32,
    /// Its users.
    pub users: Vec<SimUser>,
    /// Commands that `pm` of an old build has beyond those that every build of its version has.
    #[serde(default)]
    pub extra_commands: Vec<String>,
    /// Whether the maker's build has a second switch for changes over debugging.
    #[serde(default)]
    pub second_switch: bool,
    /// Whether that switch is off.
    #[serde(default)]
    pub second_switch_off: bool,
    /// Whether the shell may enable and disable, where that is not as usual for the version.
    pub shell_disables: Option<bool>,
    /// Whether somebody has put a `su` on it that lets the shell in.
    #[serde(default)]
    pub su: bool,
    /// Whether the device has not been idle on its charger yet, when it works out how large packages are.
    #[serde(default)]
    pub sizes_not_worked_out: bool,
    /// Whether the maker's build keeps a package's enabled setting when it is uninstalled for a user.
    #[serde(default)]
    pub keeps_settings: bool,
    /// What manifests of its packages declare beyond those that come with the program, written as `manifests.txt`.
    #[serde(default)]
    pub manifests: String,
    /// Whom its framework, and what is laid over it, names, beyond what comes with the program; written as `framework.txt`.
    #[serde(default)]
    pub framework: String,
    /// What breaks without what, beyond what comes with the program.
    #[serde(default)]
    pub breaks: Vec<BreakRule>,
    /// What an update of its system brings; none where there is none to be had.
    pub update: Option<SystemUpdate>,
    /// Packages that its store installs again for whom they were uninstalled, the next time it updates apps.
    #[serde(default)]
    pub store_brings_back: Vec<String>,
    /// What it says of manifests and the framework, taken apart when it is first asked for.
    #[serde(skip)]
    pub taken_apart: TakenApart,
    /// How it speaks.
    pub protocol: Protocol,
    /// What is installed.
    pub inventory: Holdings,
}

fn default_mode() -> String {
    "device".into()
}

fn default_languages() -> String {
    "en-GB".into()
}

fn default_characteristics() -> String {
    "default".into()
}

/// What a scenario says of manifests and the framework, taken apart. It lives as long as the program: scenarios are few.
#[derive(Debug, Clone, Default)]
pub struct TakenApart(Arc<OnceLock<Own>>);

#[derive(Debug)]
pub(crate) struct Own {
    pub(crate) manifests: &'static [manifests::Block],
    pub(crate) framework: &'static [framework::Block],
}

/// How a device is reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Default)]
#[serde(rename_all = "lowercase")]
pub enum ReachedBy {
    /// By cable.
    #[default]
    Cable,
    /// By wireless debugging, after pairing.
    Air,
    /// By network address, over the older kind of link.
    Address,
}

/// A battery.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SimBattery {
    /// How full, 0 to 100.
    pub level: u32,
    /// Whether it is being fed.
    pub powered: bool,
}

/// Somebody who manages the device or a profile.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SimOwner {
    /// The profile; the whole device when left out.
    pub user: Option<u32>,
    /// The package.
    pub package: String,
}

/// The version of Android.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Android {
    /// API level.
    pub sdk: u32,
    /// Release.
    pub release: String,
    /// Security patch level.
    pub patch: String,
}

/// A user.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SimUser {
    /// Its number.
    pub id: u32,
    /// Its name.
    pub name: String,
    /// The flags of `UserInfo`.
    pub flags: u32,
    /// Whether it runs.
    pub running: bool,
    /// Whether debugging may not act for it.
    #[serde(default)]
    pub locked_away: bool,
    /// What is forbidden for it, beside debugging: names such as `no_uninstall_apps`.
    #[serde(default)]
    pub restrictions: Vec<String>,
    /// Whether it is a private space.
    #[serde(default)]
    pub private: bool,
    /// Whether it was set up with few of the system's apps, as a work profile is: those with an icon were uninstalled for it.
    #[serde(default)]
    pub few_apps: bool,
}

impl SimUser {
    /// Whether it is a profile with second copies of apps.
    pub(crate) fn is_clone(&self) -> bool {
        self.flags & 0x20 != 0 && self.id >= 900
    }
}

/// The protocol's side.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Protocol {
    /// The version.
    pub version: u32,
    /// The most data in a packet, in bytes.
    pub max_data: u32,
    /// What it says that it is: `device`, or `recovery`, `sideload` …
    #[serde(default = "default_mode")]
    pub mode: String,
    /// The features of the banner.
    pub features: Vec<String>,
    /// Services that are announced and refused all the same.
    #[serde(default)]
    pub refused: Vec<String>,
}

/// An update of the system.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SystemUpdate {
    /// `ro.build.display.id` behind it.
    pub build: String,
    /// The date of its security patches.
    pub patch: String,
    /// Packages that the maker's updater installs again for everybody.
    #[serde(default)]
    pub brings_back: Vec<String>,
    /// Packages that have another name behind it, which is in use for everybody.
    #[serde(default)]
    pub renames: BTreeMap<String, String>,
    /// Packages that it adds.
    #[serde(default)]
    pub adds: Vec<SimPackage>,
}

/// The packages.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Holdings {
    /// The packages.
    pub packages: Vec<SimPackage>,
}

/// Where a package comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Default)]
#[serde(rename_all = "lowercase")]
pub enum SimKind {
    /// On the system partition.
    #[default]
    System,
    /// Installed by somebody.
    User,
}

/// How a package misbehaves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Flaw {
    /// It answers "Success" and stays.
    SaysYes,
    /// It goes, is seen to be gone once, and is back.
    ComesBack,
    /// Changes to it are neither made nor answered.
    NeverAnswers,
    /// Changes to it are made and not answered.
    ActsSilently,
}

/// A package.
#[derive(Debug, Clone, Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub struct SimPackage {
    /// The id.
    pub id: String,
    /// Its label in no language in particular, where the program has none for its id.
    pub label: Option<String>,
    /// The code path.
    pub path: String,
    /// The code path of an update on the data partition.
    pub update: Option<String>,
    /// Where it comes from.
    #[serde(default)]
    pub kind: SimKind,
    /// The version, where it differs from the device's.
    pub version: Option<String>,
    /// The users who have it; all when left out.
    pub users: Option<Vec<u32>>,
    /// Users for whom it is uninstalled.
    #[serde(default)]
    pub gone_for: Vec<u32>,
    /// The enabled setting by user.
    #[serde(default)]
    pub enabled: BTreeMap<String, u8>,
    /// Users for whom it is hidden.
    #[serde(default)]
    pub hidden: Vec<u32>,
    /// Users for whom it is suspended.
    #[serde(default)]
    pub suspended: Vec<u32>,
    /// Who suspended it; the shell when left out.
    pub suspended_by: Option<String>,
    /// Users for whom the system never installed it, since it is not meant for their kind (Android 10 on).
    #[serde(default)]
    pub not_given: Vec<u32>,
    /// Whether its own manifest has it off.
    #[serde(default)]
    pub off_by_manifest: bool,
    /// Classes of its parts that it has switched off itself.
    #[serde(default)]
    pub parts_off: Vec<String>,
    /// Classes of its parts that were off and that it has switched on itself.
    #[serde(default)]
    pub parts_on: Vec<String>,
    /// The version of a static library. Its id is then the name that the system keeps it under; its manifest's has neither
    /// `_` nor version.
    pub static_library: Option<u64>,
    /// The name that its manifest has now; the system goes on keeping it under its id.
    pub real_name: Option<String>,
    /// The user that it shares with others of its maker.
    pub shared_user: Option<String>,
    /// The name of its process, where that is not its id.
    pub process: Option<String>,
    /// Whether somebody has archived it: its code went, its icon stays (Android 15 on).
    #[serde(default)]
    pub archived: bool,
    /// Whether Android protects it from being disabled.
    #[serde(default)]
    pub protected: bool,
    /// Whether it is an active device administrator.
    #[serde(default)]
    pub admin: bool,
    /// The reason with which uninstalling it fails.
    pub refuses: Option<String>,
    /// How it misbehaves.
    pub flaw: Option<Flaw>,
    /// How many updates of the system have brought it in another version.
    #[serde(skip)]
    pub revision: u32,
}

impl Scenario {
    /// Reads a scenario file.
    ///
    /// # Errors
    /// When it is not TOML of this shape, or an id, a path or a number in it cannot be one.
    pub fn read(text: &str) -> Result<Self, BadScenario> {
        let scenario: Self = toml::from_str(text).map_err(|e| BadScenario::Shape(e.to_string()))?;
        scenario.check()?;
        Ok(scenario)
    }

    /// What it says of manifests and the framework.
    pub(crate) fn own(&self) -> &Own {
        let leak = |text: &str| -> &'static str { Box::leak(text.to_owned().into_boxed_str()) };
        self.taken_apart.0.get_or_init(|| Own {
            manifests: Box::leak(manifests::read(leak(&self.manifests)).into_boxed_slice()),
            framework: Box::leak(framework::read(leak(&self.framework)).into_boxed_slice()),
        })
    }

    fn check(&self) -> Result<(), BadScenario> {
        let value = |e: String| BadScenario::Value(e);
        if let Some(trouble) = manifests::trouble(self.own().manifests) {
            return Err(value(format!("manifests: {trouble}")));
        }
        if let Some(rule) = self.breaks.iter().find(|rule| !rule.is_whole()) {
            return Err(value(format!(
                "breaks: {rule:?}: a class is of a start and only of that, and `none` names somebody"
            )));
        }
        self.serial.parse::<Serial>().map_err(|e| value(e.to_string()))?;
        if self.users.is_empty() {
            return Err(value("it has no users".into()));
        }
        if self.protocol.max_data < 4096 {
            return Err(value("every device takes packets of 4096 bytes".into()));
        }
        let mut seen = std::collections::BTreeSet::new();
        let new_names = self.update.iter().flat_map(|update| update.renames.values());
        new_names.clone().try_for_each(|id| id.parse::<PackageId>().map(drop)).map_err(|e| value(e.to_string()))?;
        let added = self.update.iter().flat_map(|update| &update.adds);
        let known = |id: &String| self.inventory.packages.iter().any(|package| package.id == *id);
        let named = self.update.iter().flat_map(|update| update.brings_back.iter().chain(update.renames.keys()));
        if let Some(id) = named.chain(&self.store_brings_back).find(|id| !known(id)) {
            return Err(value(format!("an update is about {id}, which is not there")));
        }
        if let Some(id) = new_names.clone().find(|id| known(id)) {
            return Err(value(format!("an update gives a package the name of {id}, which is there")));
        }
        for package in self.inventory.packages.iter().chain(added) {
            package.id.parse::<PackageId>().map_err(|e| value(e.to_string()))?;
            for path in [Some(&package.path), package.update.as_ref()].into_iter().flatten() {
                path.parse::<DevicePath>().map_err(|e| value(format!("{}: {e}", package.id)))?;
            }
            for (user, enabled) in &package.enabled {
                if user.parse::<u32>().is_err() || *enabled > 4 {
                    return Err(value(format!("{}: enabled = {{ {user} = {enabled} }}", package.id)));
                }
            }
            if !seen.insert(&package.id) {
                return Err(value(format!("{} is there twice", package.id)));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_built_in_devices_read_and_are_of_a_believable_size() {
        for (name, scenario) in Scenario::all() {
            let count = scenario.inventory.packages.len();
            assert!((180..=450).contains(&count), "{name}: {count}");
        }
    }

    #[test]
    fn broken_scenarios_are_refused_with_a_reason() {
        let good = include_str!("../../scenarios/spare-handset.toml");
        for (from, to, says) in [
            ("serial = \"OP-66-1083\"", "serial = \"a b\"", "serial"),
            ("max_data = 4096", "max_data = 10", "4096"),
            ("id = \"com.android.music\"", "id = \"com;music\"", "package id"),
            ("id = \"com.android.music\"", "id = \"com.android.musicfx\"", "twice"),
            ("product = \"pocket\"", "", "product"),
            ("enabled = { 0 = 2 }", "enabled = { 0 = 9 }", "enabled"),
            ("path = \"/system/app/Music\"", "path = \"Music\"", "path"),
            (
                "[protocol]",
                "[update]\nbuild = \"B\"\npatch = \"P\"\nbrings_back = [\"a.b\"]\n[protocol]",
                "a.b, which is not there",
            ),
        ] {
            assert!(good.contains(from), "{from}");
            let error = Scenario::read(&good.replacen(from, to, 1)).unwrap_err().to_string();
            assert!(error.contains(says), "{error}");
        }
    }
}
