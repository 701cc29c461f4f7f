//! The JSON that is promised in `docs/json.md`. Fields are only ever added.

use std::collections::BTreeMap;

use serde::Serialize;
use wibbet_bench::around::Route;
use wibbet_bench::ops::Details;
use wibbet_bench::session::CloseStep;
use wibbet_core::device::{DeviceFacts, User};
use wibbet_core::link::Ladder;
use wibbet_core::package::PackageState;
use wibbet_core::plan::{Back, Plan};
use wibbet_core::run::Run;
use wibbet_types::{Timestamp, UserId};

use crate::exit::Failure;
use crate::out::{line, tell};

/// A time as RFC 3339 in UTC.
pub(crate) fn time(time: Timestamp) -> String {
    jiff::Timestamp::from_millisecond(time.0).map_or_else(|_| time.0.to_string(), |t| t.to_string())
}

pub(crate) fn print(object: &impl Serialize) {
    match serde_json::to_string(object) {
        Ok(text) => line(text),
        // Nothing that is printed here holds a map with keys that are no text.
        Err(error) => tell(format_args!("the answer could not be written as JSON: {error}")),
    }
}

pub(crate) fn print_failure(failure: &Failure) {
    print(&BTreeMap::from([("error", JsonError::from(failure))]));
}

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
            root: v.root.map(wibbet_core::device::Root::name),
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
struct JsonRung {
    rung: &'static str,
    standing: &'static str,
    known: String,
}

#[derive(Serialize)]
struct JsonTrouble {
    rung: &'static str,
    name: &'static str,
    seen: String,
    advice: String,
}

/// A ladder as it stands.
#[derive(Serialize)]
pub(crate) struct JsonLadder {
    device: Device,
    ladder: Vec<JsonRung>,
    trouble: Option<JsonTrouble>,
}

impl JsonLadder {
    pub(crate) fn of(device: Device, ladder: &Ladder) -> Self {
        let rung = |r: &wibbet_core::link::RungState| JsonRung {
            rung: r.rung.name(),
            standing: r.standing.name(),
            known: r.known.clone(),
        };
        let trouble = ladder.trouble.as_ref().map(|t| JsonTrouble {
            rung: t.rung.name(),
            name: t.advice.name(),
            seen: t.seen.clone(),
            advice: t.words.clone(),
        });
        Self { device, ladder: ladder.rungs.iter().map(rung).collect(), trouble }
    }
}

#[derive(Serialize)]
pub(crate) struct Device {
    pub(crate) id: String,
    pub(crate) serial: Option<String>,
    pub(crate) address: String,
    pub(crate) maker: Option<String>,
    pub(crate) model: Option<String>,
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
struct JsonCloseStep {
    what: String,
    done: bool,
    known: String,
}

#[derive(Serialize)]
pub(crate) struct Closed {
    id: String,
    steps: Vec<JsonCloseStep>,
}

impl Closed {
    pub(crate) fn of(id: String, steps: &[CloseStep]) -> Self {
        let step = |s: &CloseStep| JsonCloseStep { what: s.what.clone(), done: s.done, known: s.known.clone() };
        Self { id, steps: steps.iter().map(step).collect() }
    }
}

/// What a pairing brought.
#[derive(Serialize)]
pub(crate) struct Paired {
    pub(crate) paired: bool,
    pub(crate) name: String,
}

#[derive(Serialize)]
pub(crate) struct Bench {
    pub(crate) devices: Vec<Device>,
}

#[derive(Serialize)]
pub(crate) struct JsonUser {
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
pub(crate) struct State {
    state: &'static str,
    installed: bool,
    enabled: u8,
    hidden: bool,
    suspended: bool,
}

impl From<PackageState> for State {
    fn from(state: PackageState) -> Self {
        Self {
            state: state.condition().name(),
            installed: state.installed,
            enabled: state.enabled.number(),
            hidden: state.hidden,
            suspended: state.suspended,
        }
    }
}

#[derive(Serialize)]
struct JsonStep {
    id: String,
    user: u32,
    way: &'static str,
    outcome: Option<&'static str>,
    answer: Option<String>,
    state: Option<State>,
    before: State,
    words: String,
    remark: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    back: Option<&'static str>,
}

#[derive(Serialize)]
pub(crate) struct Steps {
    run: Option<i64>,
    serial: String,
    kind: Option<&'static str>,
    state: Option<&'static str>,
    begun: Option<String>,
    dry_run: bool,
    steps: Vec<JsonStep>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<JsonError>,
}

#[derive(Serialize)]
struct JsonError {
    kind: &'static str,
    message: String,
}

impl From<&Failure> for JsonError {
    fn from(failure: &Failure) -> Self {
        Self { kind: failure.exit.name(), message: failure.message.clone() }
    }
}

impl Steps {
    pub(crate) fn of(run: &Run) -> Self {
        let steps = run.steps.iter().map(|step| JsonStep {
            id: step.id.to_string(),
            user: step.user.number(),
            way: step.way.name(),
            outcome: step.outcome.map(wibbet_core::run::Outcome::name),
            answer: step.answer.as_ref().map(ToString::to_string),
            state: step.after.map(State::from),
            before: step.before.into(),
            words: step.words.clone(),
            remark: step.remark.clone(),
            back: None,
        });
        Self {
            run: Some(run.number),
            serial: run.serial.to_string(),
            kind: Some(run.kind.name()),
            state: Some(run.state.name()),
            begun: Some(time(run.begun)),
            dry_run: false,
            steps: steps.collect(),
            error: None,
        }
    }

    /// The run as it stands, and why it cannot go on.
    pub(crate) fn failed(run: &Run, failure: &Failure) -> Self {
        Self { error: Some(failure.into()), ..Self::of(run) }
    }

    pub(crate) fn planned(plan: &Plan, capabilities: &wibbet_core::android::Capabilities, serial: &str) -> Self {
        let steps = plan.steps.iter().map(|step| JsonStep {
            id: step.id.to_string(),
            user: step.user.number(),
            way: step.way.name(),
            outcome: step.skip.map(|_| "skipped"),
            answer: None,
            state: Some(step.before.into()),
            before: step.before.into(),
            words: step.words(capabilities),
            remark: match (step.skip, step.back) {
                (Some(skip), _) => skip.to_string(),
                (None, Back::Nearly(why) | Back::NoWay(why)) => why.to_owned(),
                (None, Back::Sure) => String::new(),
            },
            back: Some(match step.back {
                Back::Sure => "sure",
                Back::Nearly(_) => "nearly",
                Back::NoWay(_) => "no-way",
            }),
        });
        Self {
            run: None,
            serial: serial.to_owned(),
            kind: None,
            state: None,
            begun: None,
            dry_run: true,
            steps: steps.collect(),
            error: None,
        }
    }
}

#[derive(Serialize)]
pub(crate) struct Runs {
    pub(crate) runs: Vec<Steps>,
}
