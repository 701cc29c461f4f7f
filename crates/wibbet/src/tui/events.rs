//! What bench and sessions report, taken into the model.

use std::sync::Arc;

use tui_input::Input;
use wibbet_bench::fleet::{BenchCommand, BenchEvent};
use wibbet_bench::ops::PairNews;
use wibbet_bench::run::RunNews;
use wibbet_bench::session::{CloseStep, SessionEvent};
use wibbet_core::link::Ladder;
use wibbet_core::package::notes_by_package;
use wibbet_core::run::{Outcome, RunKind, RunState};
use wibbet_types::PlainText;

use super::message::Effect;
use crate::tui::app::{CloseForm, DeviceModel, Model, PairForm, RunPane, Window};
use crate::tui::find;

/// Takes in what the bench tells.
pub(super) fn bench(model: &mut Model, event: BenchEvent) -> Vec<Effect> {
    match event {
        BenchEvent::Card { card, name, facts } => {
            let mut device = DeviceModel::new(card, &name);
            device.facts = facts.map(|f| *f);
            model.devices.push(device);
        }
        BenchEvent::Gone(card) => {
            if let Some(place) = model.devices.iter().position(|d| d.card == card) {
                model.devices.remove(place);
                if model.current > place || model.current >= model.devices.len() {
                    model.current = model.current.saturating_sub(1);
                }
            }
        }
        BenchEvent::Routes(card, routes) => {
            if let Some(place) = model.devices.iter().position(|d| d.card == card) {
                let awaited = model.awaited.as_ref().is_some_and(|a| routes.iter().any(|r| r.to_string() == *a));
                model.devices[place].routes = routes;
                if awaited {
                    model.awaited = None;
                    model.current = place;
                }
            }
        }
        BenchEvent::Session(card, event) => {
            if let Some(place) = model.devices.iter().position(|d| d.card == card) {
                session(model, place, event);
            }
        }
        BenchEvent::Offers(offers) => {
            model.offers = offers;
            offered(model);
        }
        BenchEvent::Pairing(PairNews::Show(text)) => model.qr = Some(text),
        BenchEvent::Pairing(PairNews::Scanned) => {
            if let Some(form) = model.pair_form() {
                form.working = true;
                form.trouble = None;
            }
        }
        BenchEvent::Paired(done) => return paired(model, done),
        BenchEvent::Note(text) => model.tell(wibbet_types::PlainText::new(&text).into_string()),
    }
    Vec::new()
}

/// A code typed late.
pub(crate) const CLOSED: &str =
    "the device has closed its dialog, and its code is void: open it again and type the new code";

/// The address in the window follows what is announced, unless somebody typed one.
pub(crate) fn offered(model: &mut Model) {
    let own = model.qr.as_deref().and_then(|text| text.split(';').find_map(|f| f.strip_prefix("S:")));
    let by_code = model.offers.iter().find(|(name, _)| Some(name.as_str()) != own).map(|(_, at)| at.clone());
    let withdrawn = |form: &PairForm| by_code.is_none() && !form.typed && !form.working && !form.at.value().is_empty();
    if let Some(form) = model.pair_form().filter(|form| withdrawn(form)) {
        // What is offered no longer is of no use, and neither is its code.
        form.at.reset();
        form.code.reset();
        form.on_code = true;
        form.trouble = Some(CLOSED.into());
    }
    if let (Some(form), Some(at)) = (model.pair_form(), by_code)
        && !form.typed
        && form.at.value() != at
    {
        form.at = Input::new(at);
        form.on_code = true;
        // Another dialog is open now: what was said of the former one is over.
        form.trouble = None;
    }
}

fn paired(model: &mut Model, done: Result<String, (String, bool)>) -> Vec<Effect> {
    match done {
        Ok(name) => {
            match &mut model.popup {
                Some(Window::Pair(_)) => model.popup = None,
                Some(Window::OwnScreens { behind, .. }) => *behind = None,
                _ => {}
            }
            model.qr = None;
            let name = wibbet_types::PlainText::new(&name);
            model.tell(format!("Paired with {name}. It is linked as soon as it announces itself; else press a and type the address of its page."));
            Vec::new()
        }
        Err((why, only_the_code)) => {
            let Some(form) = model.pair_form() else {
                model.alert(why);
                return Vec::new();
            };
            form.working = false;
            form.trouble = Some(why);
            form.on_code = true;
            if only_the_code {
                form.code.reset();
            } else {
                // The dialog is gone, and with it its address, unless another one is open by now.
                form.typed = false;
                form.code.reset();
                form.on_code = !form.at.value().is_empty();
            }
            // The QR code is good for another try.
            vec![Effect::Bench(BenchCommand::ShowQr)]
        }
    }
}

/// A link has been closed.
pub(super) fn closed(model: &mut Model, steps: Vec<CloseStep>) {
    let all = steps.iter().all(|s| s.done);
    match &mut model.popup {
        Some(Window::Close(CloseForm { working, steps: shown, .. })) => {
            *working = false;
            *shown = Some(steps);
        }
        _ if all => model.tell("The link has been closed."),
        _ => model.alert("The link has been closed; not all of it could be done."),
    }
}

pub(super) fn session(model: &mut Model, place: usize, event: SessionEvent) {
    let several = model.devices.len() > 1;
    let Some(device) = model.devices.get_mut(place) else { return };
    let name = if several { format!("{}: ", device.name()) } else { String::new() };
    match event {
        SessionEvent::Ladder(ladder) => {
            // A ladder of which nothing is known yet is also what a closed link leaves behind.
            device.closed &= *ladder == Ladder::default();
            device.ladder = *ladder;
            if !device.ladder.is_up() {
                // What was being asked beside everything else ended with the link.
                device.following = false;
                device.front = None;
                device.reading = None;
            }
        }
        SessionEvent::Details(details) => device.details = Some(*details),
        SessionEvent::OtherDevice(_) => {}
        SessionEvent::Closed(steps) => {
            device.closed = true;
            closed(model, steps);
        }
        SessionEvent::Facts(facts, capabilities) => {
            device.facts = Some(*facts);
            device.capabilities = capabilities;
        }
        SessionEvent::Busy(what) => device.busy = what,
        SessionEvent::Inventory(inventory) => {
            let gaps = inventory.gaps.join("; ");
            device.take_inventory(inventory);
            if !gaps.is_empty() {
                model.alert(format!("{name}not everything could be read: {gaps}"));
            }
        }
        SessionEvent::Runs(runs) => {
            device.runs = runs;
            device.refresh();
        }
        SessionEvent::Run(RunNews::Stands(run)) => device.pane = RunPane::Shown(run),
        SessionEvent::Run(RunNews::Step(index, event)) => {
            if let RunPane::Shown(run) = &mut device.pane {
                Arc::make_mut(run).apply(index, &event);
            }
        }
        SessionEvent::Run(RunNews::Waiting(why)) => device.waiting = why,
        SessionEvent::Run(RunNews::Found(words)) => model.tell(format!("{name}{words}")),
        SessionEvent::Run(RunNews::States(id, states)) => {
            if let Some(inventory) = &device.inventory {
                let mut inventory = (**inventory).clone();
                inventory.set_states(&id, &states);
                device.take_inventory(Arc::new(inventory));
            }
        }
        SessionEvent::Names(names) => find::learn(device, |sheet| sheet.names = names),
        SessionEvent::Metrics(measures) => find::learn(device, |sheet| sheet.measures = measures),
        SessionEvent::Notes(notes) => {
            let notes = Arc::new(notes_by_package(notes.to_vec()));
            find::learn(device, |sheet| sheet.notes = notes);
        }
        SessionEvent::Reading(what) => device.reading = what,
        SessionEvent::Front(front) => device.front = front,
        SessionEvent::RunEnded(trouble) => {
            device.running = false;
            device.waiting = None;
            match trouble {
                Some(trouble) => {
                    // Nothing came of it: the plan is there again, and so is its tray.
                    if let RunPane::Starting(review) = &device.pane {
                        let review = review.clone();
                        if review.kind == RunKind::TakeOut {
                            device.undo_tray();
                        }
                        device.pane = RunPane::Review(review);
                    }
                    model.alert(format!("{name}{trouble}"));
                }
                None => {
                    if let Some(run) = device.shown_run() {
                        let note = ended_words(run);
                        let alert =
                            run.steps.iter().any(|s| !matches!(s.outcome, Some(Outcome::Done | Outcome::Skipped)));
                        model.note = Some(super::app::Note { text: format!("{name}{note}"), alert });
                    }
                }
            }
        }
        SessionEvent::Note(text) => model.alert(format!("{name}{}", PlainText::new(&text))),
    }
}

fn ended_words(run: &wibbet_core::run::Run) -> String {
    let done = run.count(Outcome::Done);
    let all = run.steps.len();
    if run.state == RunState::Stopped && run.steps.iter().any(|s| s.state == wibbet_core::run::StepState::Waiting) {
        return format!("Run {} is stopped: {done} of {all} done and read back. c carries it on.", run.number);
    }
    if done == all {
        let counted = if all == 1 { "it is".to_owned() } else { format!("all {all} are") };
        let back = if run.kind == RunKind::TakeOut { " z shows how to put back." } else { "" };
        format!("Run {}: {counted} done and read back.{back}", run.number)
    } else {
        format!("Run {}: {done} of {all} done and read back, the others not.", run.number)
    }
}
