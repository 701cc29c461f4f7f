//! Devices.

use serde::Serialize;
use wibbet_bench::around::Route;
use wibbet_bench::ops::Details;
use wibbet_core::device::{DeviceFacts, Root};
use wibbet_types::UserId;

#[derive(Serialize)]
struct JsonRoute {
    kind: &'static str,
    place: String,
}

#[derive(Serialize)]
struct JsonBattery {
    percent: u8,
    powered: bool,
}

#[derive(Serialize)]
struct JsonSpace {
    total: u64,
    free: u64,
}

#[derive(Serialize)]
struct JsonManaged {
    user: Option<u32>,
    package: String,
}

/// How a device is at the moment; each part is null where it does not tell.
#[derive(Serialize)]
struct JsonDetails {
    started: Option<bool>,
    uptime_seconds: Option<u64>,
    current_user: Option<u32>,
    stays_awake: Option<u32>,
    space: Option<JsonSpace>,
    battery: Option<JsonBattery>,
    root: Option<&'static str>,
    managed: Vec<JsonManaged>,
    accounts: Option<u32>,
    warnings: Vec<String>,
    encrypted: bool,
    features: Vec<&'static str>,
    commands: Vec<String>,
}

impl From<&Details> for JsonDetails {
    fn from(details: &Details) -> Self {
        let v = &details.vitals;
        Self {
            started: v.started,
            uptime_seconds: v.uptime.map(|u| u.as_secs()),
            current_user: v.current_user.map(UserId::number),
            stays_awake: v.stays_awake,
            space: v.space.map(|s| JsonSpace { total: s.total, free: s.free }),
            battery: v.battery.map(|b| JsonBattery { percent: b.percent, powered: b.powered }),
            root: v.root.map(Root::name),
            managed: v
                .managed
                .iter()
                .map(|m| JsonManaged { user: m.user.map(UserId::number), package: m.package.to_string() })
                .collect(),
            accounts: v.accounts,
            warnings: v.warnings(),
            encrypted: details.encrypted,
            features: details.features.clone(),
            commands: details.commands.clone(),
        }
    }
}

#[derive(Serialize)]
pub(crate) struct Device {
    pub(crate) id: String,
    pub(crate) serial: Option<String>,
    pub(crate) address: String,
    pub(crate) maker: Option<String>,
    pub(crate) model: Option<String>,
    pub(crate) name: Option<String>,
    pub(crate) kind: Option<&'static str>,
    pub(crate) android: Option<String>,
    pub(crate) sdk: Option<u32>,
    pub(crate) patch: Option<String>,
    pub(crate) build: Option<String>,
    pub(crate) link: String,
    pub(crate) trouble: Option<String>,
    routes: Vec<JsonRoute>,
    details: Option<JsonDetails>,
}

impl Device {
    pub(crate) fn of(facts: Option<&DeviceFacts>, address: &str, link: &str, trouble: Option<String>) -> Self {
        let text = |pick: fn(&DeviceFacts) -> &str| facts.map(|f| pick(f).to_owned());
        Self {
            id: facts.map_or_else(|| address.to_owned(), |f| f.id.to_string()),
            serial: text(|f| f.serial.as_str()),
            address: address.to_owned(),
            maker: text(|f| f.maker.as_str()),
            model: text(|f| f.model.as_str()),
            name: facts.map(DeviceFacts::name),
            kind: facts.map(|f| f.kind.name()),
            android: text(|f| f.android.release().as_str()),
            sdk: facts.map(|f| f.android.sdk()),
            patch: text(|f| f.patch.as_str()),
            build: text(|f| f.build.as_str()),
            link: link.to_owned(),
            trouble,
            routes: Vec::new(),
            details: None,
        }
    }

    pub(crate) fn with(mut self, routes: &[Route], details: Option<&Details>) -> Self {
        self.routes = routes.iter().map(|r| JsonRoute { kind: r.kind(), place: r.to_string() }).collect();
        self.details = details.map(JsonDetails::from);
        self
    }
}

#[derive(Serialize)]
pub(crate) struct Bench {
    pub(crate) devices: Vec<Device>,
}
