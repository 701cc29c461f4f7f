//! The order that is at work: devices are read for it, it is sent to them, and followed there.

use std::sync::Arc;

use wibbet_bench::fleet::{BenchCommand, CardId};
use wibbet_bench::orders::HeldOrder;
use wibbet_bench::run::Control;
use wibbet_bench::session::SessionCommand;
use wibbet_core::order::Order;
use wibbet_core::run::{Outcome, Step};
use wibbet_types::RunId;

use crate::tui::app::{App, DeviceModel, OnDevice, OrderWork, Stage, StopsOn};
use crate::tui::message::{Effect, to_session};

/// Begins to work with an order; devices are read for it.
pub(crate) fn open_order(app: &mut App, order: Arc<Order>, out: &mut Vec<Effect>) {
    let mut work = OrderWork::new(order, &app.orders.folder);
    // What it does not fit is not chosen; what it does is seen once it was read.
    work.devices = app.devices.iter().map(|device| OnDevice::new(device.card)).collect();
    app.orders.work = Some(work);
    hold_orders(app, out);
}

/// Lets go of the order.
pub(crate) fn close_order(app: &mut App, out: &mut Vec<Effect>) {
    if let Some(work) = app.orders.work.take() {
        let held = work.devices.iter().filter(|one| matches!(one.stage, Stage::Held(_) | Stage::Reading));
        out.extend(held.map(|one| to_session(one.card, SessionCommand::HoldOrder(None))));
    }
}

/// Has devices read for the order that can be read now and have not been.
pub(crate) fn hold_orders(app: &mut App, out: &mut Vec<Effect>) {
    let Some(work) = &mut app.orders.work else { return };
    work.devices.retain(|one| app.devices.iter().any(|device| device.card == one.card));
    for device in &app.devices {
        let place = match work.devices.iter().position(|one| one.card == device.card) {
            Some(place) => place,
            None => {
                work.devices.push(OnDevice::new(device.card));
                work.devices.len() - 1
            }
        };
        let one = &mut work.devices[place];
        // Whoever went while it was read is read again when it comes back.
        if matches!(one.stage, Stage::Failed(_)) && !device.is_ready() {
            one.stage = Stage::Away;
        }
        if matches!(one.stage, Stage::Away) && device.is_ready() && !device.running {
            one.stage = Stage::Reading;
            out.push(to_session(device.card, SessionCommand::HoldOrder(Some(Arc::clone(&work.wanted)))));
        }
    }
    work.device_at = work.device_at.min(work.devices.len().saturating_sub(1));
}

/// What the order comes to on a device.
pub(crate) fn order_held(app: &mut App, card: CardId, held: Result<Arc<HeldOrder>, String>, out: &mut Vec<Effect>) {
    let device = app.devices.iter().find(|device| device.card == card);
    let name = device.map_or_else(String::new, DeviceModel::name);
    // What is met by air alone has not been plugged in by anybody.
    let plugged_in = device.is_some_and(|device| device.routes.iter().any(|route| route.is_chosen()));
    let Some(work) = &mut app.orders.work else { return };
    let Some(one) = work.devices.iter_mut().find(|one| one.card == card) else { return };
    let sends = work.line && one.chosen && plugged_in;
    // What the line cannot begin on needs a hand, unless all of it is so already.
    let (why, needs_a_hand) = match &held {
        Ok(held) => (held.stays.clone(), !held.applied.speaks_against.is_empty() || otherwise(held) > 0),
        Err(why) => (Some(why.clone()), true),
    };
    one.stage = match held {
        Ok(held) => Stage::Held(held),
        Err(why) => Stage::Failed(why),
    };
    if let Some(why) = why.filter(|_| sends) {
        work.call(needs_a_hand, format!("{name}: {why}"));
        out.push(Effect::Ring);
    }
    if sends {
        send_order(app, Some(card), out);
    }
}

/// Sends the order to one device, or to all that are chosen; to how many it went.
pub(crate) fn send_order(app: &mut App, only: Option<CardId>, out: &mut Vec<Effect>) -> usize {
    let Some(work) = &mut app.orders.work else { return 0 };
    let cards: Vec<CardId> =
        work.to_send().filter(|(one, _)| only.is_none_or(|card| card == one.card)).map(|(one, _)| one.card).collect();
    let mut sent = 0;
    for card in cards {
        let Some(device) = app.devices.iter_mut().find(|device| device.card == card) else { continue };
        if device.running || !device.is_ready() {
            continue;
        }
        if let Some(one) = work.devices.iter_mut().find(|one| one.card == card)
            && let Some(held) = one.stage.held().cloned()
        {
            one.stage = Stage::Sent(held);
            device.running = true;
            device.pane = Default::default();
            out.push(to_session(card, SessionCommand::ApplyOrder));
            sent += 1;
        }
    }
    sent
}

/// A step of a run has ended: whether the order stops there, or anywhere.
pub(crate) fn order_step(app: &mut App, card: CardId, outcome: Outcome, out: &mut Vec<Effect>) {
    let Some(work) = &app.orders.work else { return };
    let is_sent = |one: &&OnDevice| matches!(one.stage, Stage::Sent(_));
    if !matches!(outcome, Outcome::Refused | Outcome::NoEffect)
        || !work.devices.iter().filter(is_sent).any(|one| one.card == card)
    {
        return;
    }
    let stops: Vec<CardId> = match work.stops_on {
        StopsOn::Nothing => return,
        StopsOn::RefusalThere => vec![card],
        StopsOn::RefusalAnywhere => work.devices.iter().filter(is_sent).map(|one| one.card).collect(),
    };
    out.extend(stops.into_iter().map(|card| Effect::Bench(BenchCommand::Control(card, Control::Stop))));
    if work.stops_on == StopsOn::RefusalAnywhere && work.line {
        end_line(app);
    }
}

/// Nothing is begun by itself any more.
pub(crate) fn end_line(app: &mut App) {
    if let Some(work) = &mut app.orders.work {
        work.line = false;
    }
}

/// The order has ended on a device.
pub(crate) fn order_ended(
    app: &mut App,
    card: CardId,
    run: Option<RunId>,
    trouble: Option<String>,
    out: &mut Vec<Effect>,
) {
    let Some(device) = app.devices.iter().find(|device| device.card == card) else { return };
    let name = device.name();
    let ended = run.and_then(|number| device.runs.iter().find(|run| run.number == number));
    let whole = trouble.is_none() && ended.is_some_and(|run| run.steps.iter().all(is_fine));
    let words = match (&trouble, ended) {
        (Some(why), _) => format!("{name}: {why}"),
        (None, Some(run)) => {
            let done = run.steps.iter().filter(|step| is_done(step)).count();
            format!("{name}: {done} of {} done and read back", run.steps.len())
        }
        (None, None) => format!("{name}: nothing was done"),
    };
    let Some(work) = &mut app.orders.work else { return };
    let Some(one) = work.devices.iter_mut().find(|one| one.card == card) else { return };
    let Some(held) = one.stage.held().cloned() else { return };
    one.stage = Stage::Ended(Arc::clone(&held), run, trouble);
    let left = match otherwise(&held) {
        0 => String::new(),
        count => format!("; {count} tied otherwise here, and left"),
    };
    work.call(!whole || !left.is_empty(), format!("{words}{left}"));
    out.push(Effect::Ring);
}

/// How much is tied otherwise than where the order was made.
fn otherwise(held: &HeldOrder) -> usize {
    held.applied.count("tied-otherwise")
}

fn is_done(step: &Step) -> bool {
    matches!(step.outcome, Some(Outcome::Done | Outcome::Answered))
}

fn is_fine(step: &Step) -> bool {
    is_done(step) || step.outcome == Some(Outcome::Skipped)
}
