//! The order that is at work: devices are read for it, it is sent to them, and followed there.

use std::sync::Arc;

use wibbet_bench::fleet::{BenchCommand, CardId};
use wibbet_bench::orders::HeldOrder;
use wibbet_bench::run::Control;
use wibbet_bench::session::{OrderOver, SessionCommand};
use wibbet_core::order::Order;
use wibbet_core::run::{Outcome, Run};

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
    match held {
        Err(why) => {
            one.stage = Stage::Failed(why.clone());
            if sends {
                call(work, true, format!("{name}: {why}"), out);
            }
        }
        Ok(held) => {
            one.stage = Stage::Held(Arc::clone(&held));
            if !sends {
                return;
            }
            // Nobody looks at what it comes to here: what the line does not begin on needs a hand, unless all of it is so already.
            let hand = !held.applied.speaks_against.is_empty() || held.applied.tied_otherwise() > 0;
            match (held.stays.clone(), held.start_is_unknown()) {
                (Some(why), _) => call(work, hand, format!("{name}: {why}"), out),
                (None, Some(why)) => call(work, true, format!("{name}: {why}"), out),
                (None, None) => drop(send_order(app, &[(card, held)], out)),
            }
        }
    }
}

/// Calls somebody, aloud.
fn call(work: &mut OrderWork, needs_a_hand: bool, words: String, out: &mut Vec<Effect>) {
    work.call(needs_a_hand, words);
    out.push(Effect::Ring);
}

/// Sends the order to devices, each as it was shown; to how many it went.
pub(crate) fn send_order(app: &mut App, shown: &[(CardId, Arc<HeldOrder>)], out: &mut Vec<Effect>) -> usize {
    let Some(work) = &mut app.orders.work else { return 0 };
    let mut sent = 0;
    for (card, held) in shown {
        let device = app.devices.iter_mut().find(|device| device.card == *card);
        let one = work.devices.iter_mut().find(|one| one.card == *card);
        let Some((device, one)) = device.zip(one) else { continue };
        // What has been read anew since has not been seen.
        let same = matches!(&one.stage, Stage::Held(now) if Arc::ptr_eq(now, held));
        if same && !device.running && device.is_ready() {
            one.stage = Stage::Sent(Arc::clone(held));
            device.running = true;
            device.pane = Default::default();
            out.push(to_session(*card, SessionCommand::ApplyOrder(None)));
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
pub(crate) fn order_over(app: &mut App, card: CardId, over: OrderOver, out: &mut Vec<Effect>) {
    let Some(device) = app.devices.iter().find(|device| device.card == card) else { return };
    let name = device.name();
    let Some(work) = &mut app.orders.work else { return };
    let Some(one) = work.devices.iter_mut().find(|one| one.card == card) else { return };
    let Some(held) = one.stage.held().cloned() else { return };
    let words = match (&over.trouble, &over.run) {
        (Some(why), _) => why.clone(),
        (None, Some(run)) => format!("{} of {} done and read back", so_far(run), run.counting().count()),
        (None, None) => "nothing was done".to_owned(),
    };
    let left = match held.applied.tied_otherwise() {
        0 => String::new(),
        count => format!("; {count} tied otherwise here, and left"),
    };
    let open = if over.closed == Some(false) { "; its link could not be closed whole" } else { "" };
    let needs_a_hand = !over.whole || !left.is_empty() || !open.is_empty();
    one.stage = Stage::Ended(held, over);
    call(work, needs_a_hand, format!("{name}: {words}{left}{open}"), out);
}

/// How many of a run's steps have come to what they aim at.
pub(crate) fn so_far(run: &Run) -> usize {
    run.counting().filter(|step| step.is_so()).count()
}
