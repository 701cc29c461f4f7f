//! What ties packages to a device, and what a tray does to it.

use std::collections::BTreeMap;

use serde::Serialize;
use wibbet_core::holds::{Hold, Judged, Judgement};
use wibbet_core::package::Elsewhere;
use wibbet_core::plan::Upshot;
use wibbet_types::{PackageId, Timestamp, UserId};

use super::device::Device;

#[derive(Serialize)]
struct JsonEvidence {
    source: &'static str,
    text: String,
}

#[derive(Serialize)]
struct JsonHold {
    kind: &'static str,
    what: String,
    stops: String,
    sure: &'static str,
    class: Option<u8>,
    evidence: Vec<JsonEvidence>,
    lifted_by: Option<String>,
    by: Vec<String>,
}

impl From<&Hold> for JsonHold {
    fn from(hold: &Hold) -> Self {
        let evidence =
            |one: &wibbet_core::holds::Evidence| JsonEvidence { source: one.source.name(), text: one.text.clone() };
        Self {
            kind: hold.kind.name(),
            what: hold.what.clone(),
            stops: hold.stops.clone(),
            sure: hold.sure.name(),
            class: hold.class,
            evidence: hold.evidence.iter().map(evidence).collect(),
            lifted_by: hold.lifted_by.clone(),
            by: hold.by.iter().map(ToString::to_string).collect(),
        }
    }
}

#[derive(Serialize)]
struct JsonJudgement {
    id: String,
    verdict: &'static str,
    stops: String,
    holds: Vec<JsonHold>,
    unread: Vec<&'static str>,
    used_by: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    elsewhere: Option<JsonElsewhere>,
}

#[derive(Serialize)]
struct JsonElsewhere {
    taken_out: usize,
    put_back: usize,
}

#[derive(Serialize)]
pub(crate) struct Why {
    device: Device,
    user: u32,
    read: String,
    unread: Vec<&'static str>,
    packages: Vec<JsonJudgement>,
}

impl Why {
    pub(crate) fn of(
        device: Device,
        user: UserId,
        judged: &Judged,
        elsewhere: &BTreeMap<PackageId, Elsewhere>,
        read: Timestamp,
        ids: &[PackageId],
    ) -> Self {
        let judgement = |id: &PackageId| {
            let one: &Judgement = judged.packages.get(id)?;
            Some(JsonJudgement {
                id: id.to_string(),
                verdict: one.verdict().name(),
                stops: one.stops(),
                holds: one.holds.iter().map(JsonHold::from).collect(),
                unread: one.unread.iter().map(|source| source.name()).collect(),
                used_by: one.used_by.iter().map(ToString::to_string).collect(),
                elsewhere: elsewhere
                    .get(id)
                    .map(|one| JsonElsewhere { taken_out: one.taken_out, put_back: one.put_back }),
            })
        };
        Self {
            device,
            user: user.number(),
            read: super::run::time(read),
            unread: judged.unread.iter().map(|source| source.name()).collect(),
            packages: ids.iter().filter_map(judgement).collect(),
        }
    }
}

#[derive(Serialize)]
struct JsonLost {
    id: String,
    from: Vec<String>,
}

#[derive(Serialize)]
struct JsonAccounts {
    id: String,
    count: u32,
}

#[derive(Serialize)]
pub(crate) struct JsonUpshot {
    user: u32,
    start: &'static str,
    roles_emptied: Vec<String>,
    needs_lost: Vec<JsonLost>,
    accounts_lost: Vec<JsonAccounts>,
    lost: Vec<String>,
    data_bytes: Option<u64>,
    code_bytes: Option<u64>,
    memory_bytes: Option<u64>,
    instead: Vec<String>,
    order: Vec<String>,
}

impl JsonUpshot {
    pub(crate) fn of(user: UserId, upshot: &Upshot) -> Self {
        let lost = |(id, from): (&PackageId, &std::collections::BTreeSet<PackageId>)| JsonLost {
            id: id.to_string(),
            from: from.iter().map(ToString::to_string).collect(),
        };
        let accounts = |(id, count): (&PackageId, &u32)| JsonAccounts { id: id.to_string(), count: *count };
        Self {
            user: user.number(),
            start: upshot.start.name(),
            roles_emptied: upshot.roles_emptied.iter().cloned().collect(),
            needs_lost: upshot.needs_lost.iter().map(lost).collect(),
            accounts_lost: upshot.accounts_lost.iter().map(accounts).collect(),
            lost: upshot.lost.keys().cloned().collect(),
            data_bytes: upshot.data_bytes,
            code_bytes: upshot.code_bytes,
            memory_bytes: upshot.memory_bytes,
            instead: upshot.instead.iter().map(wibbet_core::plan::Instead::words).collect(),
            order: upshot.order.iter().map(ToString::to_string).collect(),
        }
    }
}

#[derive(Serialize)]
pub(crate) struct Upshots {
    pub(crate) device: Device,
    pub(crate) users: Vec<JsonUpshot>,
    pub(crate) unread: Vec<&'static str>,
}
