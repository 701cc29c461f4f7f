//! Plans and runs.

use serde::Serialize;
use wibbet_core::android::Capabilities;
use wibbet_core::device::Figures;
use wibbet_core::package::{Metrics, Returned};
use wibbet_core::plan::{AppData, Job, OnRefusal, Plan, Reversal};
use wibbet_core::run::{Outcome, Run};
use wibbet_types::Timestamp;

use super::error::JsonError;
use super::state::State;
use crate::exit::Failure;

/// A time as RFC 3339 in UTC.
pub(crate) fn time(time: Timestamp) -> String {
    jiff::Timestamp::from_millisecond(time.0).map_or_else(|_| time.0.to_string(), |t| t.to_string())
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
    target: Option<State>,
    #[serde(skip_serializing_if = "Option::is_none")]
    copy: Option<i64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    secures: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    back: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    data: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    data_bytes: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    start: Option<JsonStart>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    along: Vec<u32>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    given: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    gives_back: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    returned: Option<Vec<JsonReturned>>,
}

#[derive(Serialize)]
struct JsonStart {
    class: u8,
    stops: String,
}

#[derive(Serialize)]
struct JsonReturned {
    what: String,
    done: bool,
    why: String,
}

impl From<&Returned> for JsonReturned {
    fn from(one: &Returned) -> Self {
        Self { what: one.what.to_string(), done: one.done, why: one.why.clone() }
    }
}

#[derive(Serialize)]
struct JsonJob {
    technician: String,
    ticket: String,
    customer: String,
    note: String,
}

/// Where a run was made.
#[derive(Serialize)]
struct JsonTakenIn {
    bench: String,
    run: i64,
}

impl JsonJob {
    fn of(job: &Job) -> Option<Self> {
        let Job { technician, ticket, customer, note } = job.clone();
        (!job.is_empty()).then_some(Self { technician, ticket, customer, note })
    }
}

/// What is tried where a step is refused; nothing where nothing is.
fn policy(of: OnRefusal) -> Option<String> {
    (of != OnRefusal::default()).then(|| of.to_string())
}

/// The device in figures before a run and after it.
#[derive(Serialize)]
struct JsonBeforeAfter {
    before: Option<JsonFigures>,
    after: Option<JsonFigures>,
}

impl JsonBeforeAfter {
    fn of(figures: &[Option<Figures>; 2]) -> Option<Self> {
        let [before, after] = figures.each_ref().map(|figures| figures.as_ref().map(JsonFigures::of));
        (before.is_some() || after.is_some()).then_some(Self { before, after })
    }
}

#[derive(Serialize)]
struct JsonFigures {
    in_use: std::collections::BTreeMap<String, u32>,
    free: Option<u64>,
    memory: Option<u64>,
}

impl JsonFigures {
    fn of(figures: &Figures) -> Self {
        let in_use = figures.in_use.iter().map(|(user, count)| (user.to_string(), *count)).collect();
        Self { in_use, free: figures.free, memory: figures.memory }
    }
}

#[derive(Serialize)]
pub(crate) struct Steps {
    run: Option<i64>,
    serial: String,
    kind: Option<&'static str>,
    state: Option<&'static str>,
    begun: Option<String>,
    dry_run: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    policy: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    job: Option<JsonJob>,
    /// The name of the order that it carries out.
    #[serde(skip_serializing_if = "String::is_empty")]
    order: String,
    steps: Vec<JsonStep>,
    #[serde(skip_serializing_if = "Option::is_none")]
    figures: Option<JsonBeforeAfter>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    seen_after: Vec<String>,
    /// Of a run that was taken in from another bench's logbook.
    #[serde(skip_serializing_if = "Option::is_none")]
    taken_in: Option<JsonTakenIn>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    not_understood: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<JsonError>,
}

impl Steps {
    pub(crate) fn of(run: &Run) -> Self {
        let steps = run.steps.iter().map(|step| JsonStep {
            id: step.id.to_string(),
            user: step.user.number(),
            way: step.way.name(),
            outcome: step.outcome.map(Outcome::name),
            answer: step.answer.as_ref().map(ToString::to_string),
            state: step.after.map(State::from),
            before: step.before.into(),
            target: step.target.map(Into::into),
            words: step.words.clone(),
            remark: step.remark.clone(),
            copy: step.copy.map(|copy| copy.number()),
            secures: None,
            back: None,
            data: None,
            data_bytes: None,
            start: None,
            along: Vec::new(),
            given: step.given.iter().map(ToString::to_string).collect(),
            gives_back: Vec::new(),
            returned: step.returned.as_ref().map(|all| all.iter().map(JsonReturned::from).collect()),
        });
        Self {
            run: Some(run.number.number()),
            serial: run.device.to_string(),
            kind: Some(run.kind.name()),
            state: Some(run.state.name()),
            begun: Some(time(run.begun)),
            dry_run: false,
            policy: policy(run.on_refusal),
            job: JsonJob::of(&run.job),
            order: run.order.clone(),
            steps: steps.collect(),
            figures: JsonBeforeAfter::of(&run.figures),
            seen_after: run.seen_after.iter().map(ToString::to_string).collect(),
            taken_in: run.taken_in.as_ref().map(|(bench, run)| JsonTakenIn { bench: bench.clone(), run: run.number() }),
            not_understood: run.not_understood.clone(),
            error: None,
        }
    }

    /// As it may be handed on: under another name than that of its device, and perhaps without what was measured and seen.
    pub(crate) fn handed_on(run: &Run, name: &str, usage: bool) -> Self {
        let mut steps = Self { serial: name.to_owned(), ..Self::of(run) };
        if !usage {
            steps.figures = None;
            steps.seen_after = Vec::new();
        }
        steps
    }

    /// The run as it stands, and why it cannot go on.
    pub(crate) fn failed(run: &Run, failure: &Failure) -> Self {
        Self { error: Some(failure.into()), ..Self::of(run) }
    }

    pub(crate) fn planned(plan: &Plan, capabilities: &Capabilities, serial: &str, metrics: &Metrics) -> Self {
        let steps = plan.steps.iter().map(|step| JsonStep {
            id: step.id.to_string(),
            user: step.user.number(),
            way: step.way.name(),
            outcome: step.skip.map(|_| "skipped"),
            answer: None,
            state: Some(step.before.into()),
            before: step.before.into(),
            target: step.target.map(Into::into),
            words: step.command(capabilities),
            remark: match (step.skip, step.back) {
                (Some(skip), _) => skip.to_string(),
                (None, Reversal::Approximate(why) | Reversal::Impossible(why)) => why.to_owned(),
                (None, Reversal::Exact) => String::new(),
            },
            copy: step.copy.as_ref().map(|copy| copy.number.number()),
            secures: step.way.takes_out().then_some(step.secures && step.skip.is_none()),
            back: Some(match step.back {
                Reversal::Exact => "sure",
                Reversal::Approximate(_) => "nearly",
                Reversal::Impossible(_) => "no-way",
            }),
            data: Some(step.data.name()),
            data_bytes: (step.data != AppData::Stay)
                .then(|| metrics.sizes.get(&step.id).and_then(|s| s.data))
                .flatten(),
            start: step.start.as_ref().map(|start| JsonStart { class: start.class, stops: start.stops.clone() }),
            along: step.along.iter().map(|user| user.number()).collect(),
            given: step.given.iter().map(ToString::to_string).collect(),
            gives_back: match step.way.takes_out() {
                true => Vec::new(),
                false => step.gives_back(capabilities).0,
            },
            returned: None,
        });
        Self {
            run: None,
            serial: serial.to_owned(),
            kind: None,
            state: None,
            begun: None,
            dry_run: true,
            policy: policy(plan.terms.on_refusal),
            job: plan.terms.job.as_ref().and_then(JsonJob::of),
            order: plan.terms.order.clone(),
            steps: steps.collect(),
            figures: None,
            seen_after: Vec::new(),
            taken_in: None,
            not_understood: Vec::new(),
            error: None,
        }
    }
}

#[derive(Serialize)]
pub(crate) struct Runs {
    pub(crate) runs: Vec<Steps>,
}
