//! Packages, with all that is known of them.

use std::collections::BTreeMap;

use serde::Serialize;
use wibbet_core::catalog::{Catalog, CatalogEntry, LastUse};
use wibbet_core::device::User;
use wibbet_core::package::{HomeEntry, Note, guessed_name};
use wibbet_types::{DeviceTime, PackageId, PlainText, UserId};

use super::device::Device;
use super::state::State;

#[derive(Serialize)]
struct JsonUser {
    id: u32,
    name: String,
    kind: &'static str,
    running: bool,
    unlocked: Option<bool>,
}

impl From<&User> for JsonUser {
    fn from(user: &User) -> Self {
        Self {
            id: user.id.number(),
            name: user.name.to_string(),
            kind: user.kind.name(),
            running: user.running,
            unlocked: user.unlocked,
        }
    }
}

#[derive(Serialize)]
struct JsonSize {
    code: Option<u64>,
    data: Option<u64>,
    cache: Option<u64>,
}

#[derive(Serialize)]
struct JsonHome {
    class: String,
    label: Option<String>,
}

#[derive(Serialize)]
struct JsonNote {
    scope: &'static str,
    text: String,
    star: bool,
}

#[derive(Serialize)]
struct JsonPackage {
    id: String,
    label: Option<String>,
    language: Option<String>,
    guess: String,
    home: Option<Vec<JsonHome>>,
    kind: &'static str,
    version: String,
    version_code: Option<u64>,
    target_sdk: Option<u32>,
    path: Option<String>,
    apk: Option<String>,
    splits: Vec<String>,
    installer: Option<String>,
    uid: Option<u32>,
    shared_user: Option<String>,
    installed: Option<String>,
    updated: Option<String>,
    overlay_of: Option<String>,
    size: Option<JsonSize>,
    memory: Option<u64>,
    running: BTreeMap<String, Option<bool>>,
    used_days_ago: BTreeMap<String, Option<i64>>,
    never_used: BTreeMap<String, Option<bool>>,
    used_seconds: BTreeMap<String, Option<u64>>,
    requests: Vec<String>,
    granted: BTreeMap<String, Vec<String>>,
    notes: Vec<JsonNote>,
    states: BTreeMap<String, State>,
}

#[derive(Serialize)]
pub(crate) struct Packages {
    device: Device,
    users: Vec<JsonUser>,
    packages: Vec<JsonPackage>,
    gaps: Vec<String>,
}

impl Packages {
    /// Of the packages of a device, for one user or all.
    pub(crate) fn of(
        device: Device,
        catalog: &Catalog,
        ids: &[PackageId],
        user: Option<UserId>,
        gaps: Vec<String>,
    ) -> Self {
        let users: Vec<UserId> =
            catalog.inventory.users_to_tell(user).map(|u| u.id).filter(|u| user.is_none_or(|o| o == *u)).collect();
        let shown = catalog.inventory.users.iter().filter(|u| users.contains(&u.id));
        Self {
            device,
            users: shown.map(JsonUser::from).collect(),
            packages: ids.iter().filter_map(|id| package(catalog, id, &users)).collect(),
            gaps,
        }
    }
}

fn package(catalog: &Catalog, id: &PackageId, users: &[UserId]) -> Option<JsonPackage> {
    let entry = catalog.entry(id, UserId::OWNER)?;
    let (package, about) = (entry.package, &entry.package.about);
    fn by_user<T>(
        catalog: &Catalog,
        id: &PackageId,
        users: &[UserId],
        pick: impl Fn(&CatalogEntry<'_>) -> T,
    ) -> BTreeMap<String, T> {
        let one = |user: &UserId| catalog.entry(id, *user).map(|s| (user.to_string(), pick(&s)));
        users.iter().filter_map(one).collect()
    }
    let text = |t: Option<&PlainText>| t.map(ToString::to_string);
    Some(JsonPackage {
        id: id.to_string(),
        label: entry.app.and_then(|app| app.label.as_ref()).map(|label| label.to_string()),
        language: entry.app.filter(|a| a.label.is_some()).map(|a| a.locale.to_string()),
        guess: guessed_name(id),
        home: entry.app.map(|a| {
            let entry = |h: &HomeEntry| JsonHome { class: h.class.to_string(), label: text(h.label.as_ref()) };
            a.home.iter().map(entry).collect()
        }),
        kind: package.kind.name(),
        version: package.version.to_string(),
        version_code: about.version_code,
        target_sdk: about.target_sdk,
        path: package.path.as_ref().map(ToString::to_string),
        apk: package.apk.as_ref().map(ToString::to_string),
        splits: about.splits.clone(),
        installer: about.installer.as_ref().map(ToString::to_string),
        uid: about.uid,
        shared_user: text(about.shared_user.as_ref()),
        installed: about.installed.map(DeviceTime::date),
        updated: about.updated.map(DeviceTime::date),
        overlay_of: entry.app.and_then(|a| a.overlay_of.as_ref()).map(ToString::to_string),
        size: catalog.metrics.sizes.get(id).map(|s| JsonSize { code: s.code, data: s.data, cache: s.cache }),
        memory: entry.memory(),
        running: by_user(catalog, id, users, |s| s.running()),
        used_days_ago: by_user(catalog, id, users, |s| match s.last_use() {
            Some(LastUse::Ago { days, .. }) => Some(days),
            _ => None,
        }),
        never_used: by_user(catalog, id, users, |s| s.last_use().map(|last| matches!(last, LastUse::NoneSince(_)))),
        used_seconds: by_user(catalog, id, users, |s| s.used_seconds()),
        requests: about.requests.iter().map(ToString::to_string).collect(),
        granted: by_user(catalog, id, users, |s| {
            about.requests.iter().filter(|p| about.may(p, s.user)).map(ToString::to_string).collect()
        }),
        notes: {
            let note = |n: &Note| JsonNote { scope: n.scope.word(), text: n.text.clone(), star: n.star };
            entry.notes.iter().map(note).collect()
        },
        states: by_user(catalog, id, users, |s| State::of(s.package, s.user)),
    })
}
