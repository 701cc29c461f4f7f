//! What has changed on a device, and update breaks.

use serde::Serialize;
use wibbet_bench::ops::LookedBack;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{BreakItem, BreakNeed, BreakView, Drift, DriftBy, LookHead, UpdateBreak};
use wibbet_core::plan::TrayItem;
use wibbet_types::{DeviceId, PackageId};

use super::run::time;

#[derive(Serialize)]
struct JsonLook<'a> {
    /// Null of the look that was made just now.
    look: Option<i64>,
    at: String,
    until: String,
    build: &'a str,
}

impl<'a> JsonLook<'a> {
    fn of(head: &'a LookHead) -> Self {
        Self {
            look: Some(head.number.number()),
            at: time(head.at),
            until: time(head.until),
            build: head.build.as_str(),
        }
    }
}

/// The looks that are kept of a device.
#[derive(Serialize)]
pub(crate) struct Looks<'a> {
    device: &'a str,
    looks: Vec<JsonLook<'a>>,
}

impl<'a> Looks<'a> {
    pub(crate) fn of(device: &'a DeviceId, heads: &'a [LookHead]) -> Self {
        Self { device: device.as_str(), looks: heads.iter().map(JsonLook::of).collect() }
    }
}

#[derive(Serialize)]
struct JsonDrift<'a> {
    id: &'a str,
    /// Null where it is the same for all.
    user: Option<u32>,
    change: &'static str,
    /// Who did it; null beside another device.
    by: Option<&'static str>,
    run: Option<i64>,
    words: &'a str,
}

impl<'a> JsonDrift<'a> {
    fn of(one: &'a Drift, beside: bool) -> Self {
        let run = match one.by {
            DriftBy::Run(run) => Some(run.number()),
            _ => None,
        };
        Self {
            id: one.id.as_str(),
            user: one.user.map(|user| user.number()),
            change: one.kind.name(),
            by: (!beside).then_some(one.by.name()),
            run,
            words: &one.words,
        }
    }
}

#[derive(Serialize)]
struct JsonItem<'a> {
    id: &'a str,
    user: u32,
    way: &'static str,
}

impl<'a> JsonItem<'a> {
    fn of(item: &'a TrayItem) -> Self {
        Self { id: item.id.as_str(), user: item.user.number(), way: item.way.name() }
    }
}

#[derive(Serialize)]
struct JsonWas<'a> {
    device: &'a str,
    again: Vec<JsonItem<'a>>,
}

/// What has changed on a device.
#[derive(Serialize)]
pub(crate) struct Changes<'a> {
    device: &'a str,
    /// The other device, where two are held against each other.
    beside: Option<&'a str>,
    since: Option<JsonLook<'a>>,
    now: JsonLook<'a>,
    /// Whether both could be read whole: else what is new or gone is not told.
    whole: bool,
    changes: Vec<JsonDrift<'a>>,
    /// What runs took out and is in use.
    again: Vec<JsonItem<'a>>,
    was_before_reset: Option<JsonWas<'a>>,
}

impl<'a> Changes<'a> {
    pub(crate) fn of(device: &'a DeviceId, told: &'a LookedBack) -> Self {
        let now = &told.now;
        Self {
            device: device.as_str(),
            beside: None,
            since: told.before.as_ref().map(|(head, _)| JsonLook::of(head)),
            now: JsonLook { look: None, at: time(now.at), until: time(now.until), build: now.build.as_str() },
            whole: told.whole,
            changes: told.drift.iter().map(|one| JsonDrift::of(one, false)).collect(),
            again: told.again.iter().map(JsonItem::of).collect(),
            was_before_reset: told
                .was
                .as_ref()
                .map(|(was, out)| JsonWas { device: was.as_str(), again: out.iter().map(JsonItem::of).collect() }),
        }
    }

    pub(crate) fn beside(
        device: &'a DeviceId,
        (other, head): (&'a DeviceId, &'a LookHead),
        told: &'a LookedBack,
        found: &'a [Drift],
    ) -> Self {
        Self {
            beside: Some(other.as_str()),
            since: Some(JsonLook::of(head)),
            changes: found.iter().map(|one| JsonDrift::of(one, true)).collect(),
            ..Self::of(device, told)
        }
    }
}

#[derive(Serialize)]
struct JsonHeld<'a> {
    id: &'a str,
    user: u32,
    way: &'static str,
    /// What ties it now and did not when the break began.
    holds: &'a [String],
}

#[derive(Serialize)]
struct JsonPlace<'a> {
    id: &'a str,
    user: u32,
}

impl<'a> JsonPlace<'a> {
    fn of(id: &'a PackageId, user: wibbet_types::UserId) -> Self {
        Self { id: id.as_str(), user: user.number() }
    }
}

/// An update break, or what one would be about.
#[derive(Serialize)]
pub(crate) struct JsonBreak<'a> {
    device: &'a str,
    /// Its number; null where the device is on none, 0 where it is that of a file.
    update_break: Option<i64>,
    begun: Option<String>,
    build_then: Option<&'a str>,
    build: &'a str,
    updated: bool,
    /// Whether a break is needed: `nothing-out`, `updater-out` or `none-seen`; null where it is on one.
    need: Option<&'static str>,
    /// What comes back, or has to come back still.
    out: Vec<JsonPlace<'a>>,
    /// So many more are out that a break leaves as they are.
    left_out: usize,
    can_go: Vec<JsonItem<'a>>,
    held: Vec<JsonHeld<'a>>,
    gone: Vec<JsonPlace<'a>>,
    new: Vec<&'a str>,
}

impl<'a> JsonBreak<'a> {
    pub(crate) fn would_be(facts: &'a DeviceFacts, items: &'a [BreakItem], left: usize, need: &BreakNeed) -> Self {
        Self {
            device: facts.id.as_str(),
            update_break: None,
            begun: None,
            build_then: None,
            build: facts.build.as_str(),
            updated: false,
            need: Some(match need {
                BreakNeed::NothingOut => "nothing-out",
                BreakNeed::Updater(_) => "updater-out",
                BreakNeed::NoneSeen => "none-seen",
            }),
            out: items.iter().map(|item| JsonPlace::of(&item.id, item.user)).collect(),
            left_out: left,
            can_go: Vec::new(),
            held: Vec::new(),
            gone: Vec::new(),
            new: Vec::new(),
        }
    }

    pub(crate) fn of(of: &'a UpdateBreak, view: &'a BreakView, facts: &'a DeviceFacts) -> Self {
        let held = view.held.iter().map(|(item, holds)| JsonHeld {
            id: item.id.as_str(),
            user: item.user.number(),
            way: item.way.name(),
            holds,
        });
        Self {
            device: facts.id.as_str(),
            update_break: Some(of.number.number()),
            begun: Some(time(of.begun)),
            build_then: Some(of.build.as_str()),
            build: facts.build.as_str(),
            updated: view.updated,
            need: None,
            out: view.still_out.iter().map(|(id, user, _)| JsonPlace::of(id, *user)).collect(),
            left_out: 0,
            can_go: view.again.iter().map(JsonItem::of).collect(),
            held: held.collect(),
            gone: view.gone.iter().map(|(id, user)| JsonPlace::of(id, *user)).collect(),
            new: view.new.iter().map(PackageId::as_str).collect(),
        }
    }
}
