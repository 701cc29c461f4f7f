//! What bench and sessions report, taken into the model.

use std::sync::Arc;

use wibbet_bench::around::is_here;
use wibbet_bench::fleet::{BenchCommand, BenchEvent};
use wibbet_bench::ops::PairNews;
use wibbet_bench::run::RunNews;
use wibbet_bench::session::{SessionCommand, SessionEvent};
use wibbet_core::link::CloseStep;
use wibbet_core::link::{Ladder, Rung};
use wibbet_core::package::notes_by_package;
use wibbet_core::run::{Outcome, RunKind, RunState, StepEvent};
use wibbet_types::{Address, PlainText};

use super::message::{Effect, to_session};
use super::model::Model;
use super::windows::{Here, Pair, Window};
use crate::tui::app::{DeviceModel, Notice, RunPane};
use crate::tui::keys::{Action, View, called};
use crate::tui::rooms::orders;

/// Takes in what the bench tells.
pub(super) fn bench(model: &mut Model, event: BenchEvent) -> Vec<Effect> {
    let mut out = take_in(model, event);
    // Whoever has come, or is free again, is read for the order that is at work.
    orders::hold_orders(&mut model.app, &mut out);
    out
}

fn take_in(model: &mut Model, event: BenchEvent) -> Vec<Effect> {
    match event {
        BenchEvent::Card { card, name, facts } => {
            let mut device = DeviceModel::new(card, &name);
            device.facts = facts.map(|f| *f);
            model.app.devices.push(device);
        }
        BenchEvent::Gone(card) => {
            if let Some(place) = model.app.devices.iter().position(|d| d.card == card) {
                gone(model, place);
            }
        }
        BenchEvent::Routes(card, routes) => {
            if let Some(place) = model.app.devices.iter().position(|d| d.card == card) {
                let awaited = model.app.awaited.as_ref().is_some_and(|a| routes.iter().any(|r| r.at() == Some(a)));
                model.app.devices[place].routes = routes;
                if awaited {
                    model.app.awaited = None;
                    // Somebody who is at work on another device by now is not taken away from it.
                    if model.app.view == View::Bench && model.windows.is_empty() {
                        model.app.current = place;
                    } else {
                        model.app.tell(format!("{} is on the bench now.", model.app.devices[place].name()));
                    }
                }
            }
        }
        BenchEvent::Session(card, event) => {
            if let Some(place) = model.app.devices.iter().position(|d| d.card == card) {
                let mut out = Vec::new();
                session(model, place, event, &mut out);
                return out;
            }
        }
        BenchEvent::Offers(offers) => {
            model.app.offers = offers;
            if let Some(form) = pair_form(&mut model.windows) {
                form.follow_offers(&model.app);
            }
        }
        BenchEvent::Pairing(PairNews::Show(text)) => model.app.qr = Some(text),
        BenchEvent::Pairing(PairNews::Scanned) => {
            if let Some(form) = pair_form(&mut model.windows) {
                form.scanned();
            }
        }
        BenchEvent::Paired(done) => return paired(model, done),
        BenchEvent::Here(at) => return here(model, at),
        BenchEvent::Note(text) => model.app.tell(PlainText::new(&text).into_string()),
    }
    Vec::new()
}

/// A card is gone. What was being done with its device does not go on with the one that is next in the list: the windows
/// about it close, and the bench is shown.
fn gone(model: &mut Model, place: usize) {
    let app = &mut model.app;
    let device = app.devices.remove(place);
    let was_current = app.current == place;
    if app.current > place || app.current >= app.devices.len() {
        app.current = app.current.saturating_sub(1);
    }
    if was_current {
        model.windows.retain(|window| !window.is_about_the_device());
        if app.view != View::Bench {
            app.view = View::Bench;
            app.tell(format!("{} is not on the bench any more.", device.name()));
        }
    }
}

/// The window for pairing, also while another one is in front of it.
fn pair_form(windows: &mut [Window]) -> Option<&mut Pair> {
    windows.iter_mut().find_map(|window| match window {
        Window::Pair(form) => Some(&mut **form),
        _ => None,
    })
}

/// The window about the device that the program runs on.
fn here_form(windows: &mut [Window]) -> Option<&mut Here> {
    windows.iter_mut().find_map(|window| match window {
        Window::Here(form) => Some(&mut **form),
        _ => None,
    })
}

/// This very device was looked for.
fn here(model: &mut Model, at: Option<Address>) -> Vec<Effect> {
    if let Some(form) = here_form(&mut model.windows) {
        form.found(at.as_ref());
    } else if at.is_none() && model.app.on_itself {
        let key = model.app.called(View::Bench, Action::Here);
        model.app.alert(format!("This device's own debugging does not answer: {key} on the bench says what to do."));
    }
    at.into_iter().map(|at| Effect::Bench(BenchCommand::AddHere(at))).collect()
}

/// How the link of the device that the program runs on has come to stand.
fn own_link(model: &mut Model, place: usize, was_up: bool, out: &mut Vec<Effect>) {
    let device = &model.app.devices[place];
    if !model.app.on_itself || !device.routes.iter().any(|route| route.at().is_some_and(is_here)) {
        return;
    }
    if device.ladder.holds(Rung::Shell) && here_form(&mut model.windows).is_some() {
        model.windows.retain(|window| !matches!(window, Window::Here(_)));
        model.app.current = place;
        model.app.tell("This device is linked. Its packages come as soon as they are read.");
    } else if was_up && !device.ladder.is_up() {
        // Its port is another one each time that wireless debugging is switched on.
        out.push(Effect::Bench(BenchCommand::FindHere));
    }
}

fn paired(model: &mut Model, done: Result<String, (String, bool)>) -> Vec<Effect> {
    if let Some(form) = here_form(&mut model.windows) {
        return form.paired(done.map(|_| ()).map_err(|(why, _)| why));
    }
    match done {
        Ok(name) => {
            model.windows.retain(|window| !matches!(window, Window::Pair(_)));
            (model.app.qr, model.app.pairing) = (None, false);
            let name = PlainText::new(&name);
            let add = model.app.called(View::Bench, Action::AddDevice);
            model.app.tell(format!("Paired with {name}. It is linked as soon as it announces itself; else press {add} on the bench and type the address of its page."));
            Vec::new()
        }
        Err((why, only_the_code)) => {
            let Some(form) = pair_form(&mut model.windows) else {
                model.app.alert(why);
                return Vec::new();
            };
            form.failed(why, only_the_code);
            // The QR code is good for another try.
            vec![Effect::Bench(BenchCommand::ShowQr)]
        }
    }
}

/// A link has been closed.
pub(super) fn closed(model: &mut Model, place: usize, steps: Vec<CloseStep>) {
    let all = steps.iter().all(|s| s.done);
    let form = model.windows.iter_mut().find_map(|window| match window {
        Window::Close(form) if place == model.app.current => Some(form),
        _ => None,
    });
    match form {
        Some(form) => form.done(steps),
        None if all => model.app.tell("The link has been closed."),
        None => model.app.alert("The link has been closed; not all of it could be done."),
    }
}

pub(super) fn session(model: &mut Model, place: usize, event: SessionEvent, out: &mut Vec<Effect>) {
    let several = model.app.devices.len() > 1;
    let by_word = model.app.has_large_words();
    let Some(device) = model.app.devices.get_mut(place) else { return };
    let name = if several { format!("{}: ", device.name()) } else { String::new() };
    match event {
        SessionEvent::Ladder(ladder) => {
            // A ladder of which nothing is known yet is also what a closed link leaves behind.
            device.closed &= *ladder == Ladder::default();
            let was_up = std::mem::replace(&mut device.ladder, *ladder).is_up();
            if !device.ladder.is_up() {
                // What was being asked beside everything else ended with the link.
                device.following = false;
                device.front = None;
                device.reading = None;
            }
            own_link(model, place, was_up, out);
        }
        SessionEvent::Details(details) => device.details = Some(*details),
        SessionEvent::OtherDevice(_) => {}
        SessionEvent::Closed(steps) => {
            device.closed = true;
            closed(model, place, steps);
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
                model.app.alert(format!("{name}not everything could be read: {gaps}"));
            }
        }
        SessionEvent::Runs(runs) => {
            // What is noted of a run may have changed since it was shown.
            let shown = device.shown_run().map(|run| run.number).filter(|_| !device.running);
            if let Some(run) = runs.iter().find(|run| Some(run.number) == shown) {
                device.pane = RunPane::Shown(Arc::new(run.clone()));
            }
            device.runs = runs;
            device.refresh();
        }
        SessionEvent::Looping(looping) => {
            device.looping = looping;
            if looping && !device.is_catching() {
                let catch = called(View::Bench, Action::Catch, by_word);
                let words = match device.out_by_record(true).1.is_empty() {
                    true => format!("{} starts over and over, or does not end starting.", device.name()),
                    false => format!(
                        "{} starts over and over, or does not end starting. {catch} catches it: what was taken out comes back.",
                        device.name()
                    ),
                };
                model.app.alert(words);
            }
        }
        SessionEvent::OrderHeld(held) => {
            let card = device.card;
            orders::order_held(&mut model.app, card, held, out);
        }
        SessionEvent::OrderSaid(words) => model.app.tell(format!("{name}{}", PlainText::new(&words))),
        SessionEvent::OrderOver(over) => {
            let card = device.card;
            if let Some(why) = &over.trouble {
                model.app.alert(format!("{name}{}", PlainText::new(why)));
            }
            orders::order_over(&mut model.app, card, over, out);
        }
        SessionEvent::Finder(finder) => {
            let goes_on = finder.is_some();
            device.take_finder(finder);
            for window in &mut model.windows {
                if let Window::Finder(form) = window {
                    form.told(goes_on);
                }
            }
        }
        SessionEvent::StartTook(took) => device.start_took = took,
        SessionEvent::Break(on_break) => device.on_break = on_break,
        SessionEvent::LookedBack(told) => {
            let shows = called(View::Shelf, Action::Changes, by_word);
            if let Some(words) = device.take_looked_back(told, &shows) {
                model.app.tell(format!("{name}{words}"));
            }
        }
        SessionEvent::Catch(news) => device.take_catch(news),
        SessionEvent::CatchEnded(_, trouble) => {
            if let Some(catch) = &mut device.catch {
                catch.ended = Some(trouble);
            }
        }
        SessionEvent::Run(RunNews::Stands(run)) => device.pane = RunPane::Shown(run),
        SessionEvent::Run(RunNews::Step(index, event)) => {
            device.securing = None;
            if let RunPane::Shown(run) = &mut device.pane {
                Arc::make_mut(run).apply(index, &event);
            }
            if let StepEvent::Settled { outcome, .. } = event {
                let card = device.card;
                orders::order_step(&mut model.app, card, outcome, out);
            }
        }
        SessionEvent::Run(RunNews::Securing(index, bytes, of)) => device.securing = Some((index, bytes, of)),
        SessionEvent::Run(RunNews::Waiting(why)) => device.waiting = why,
        SessionEvent::Run(RunNews::Found(words)) => model.app.tell(format!("{name}{words}")),
        SessionEvent::Run(RunNews::States(id, told)) => {
            if let Some(inventory) = &device.inventory {
                let mut inventory = (**inventory).clone();
                inventory.set_states(&id, |user| told.state(user));
                device.take_inventory(Arc::new(inventory));
            }
        }
        SessionEvent::Settings(read) => {
            let form = model.windows.iter_mut().find_map(|window| match window {
                Window::SettingsBack(form) if place == model.app.current => Some(form),
                _ => None,
            });
            if let Some(form) = form {
                form.take(read);
            }
        }
        SessionEvent::Parts(wanted, parts) => {
            device.switching = None;
            if let (Some(inventory), Some(parts)) = (&device.inventory, parts) {
                let mut inventory = (**inventory).clone();
                inventory.set_parts(&wanted.id, wanted.user, parts);
                device.take_inventory(Arc::new(inventory));
            }
        }
        SessionEvent::Names(names) => device.take_names(names),
        SessionEvent::Judged(evidence) => device.take_evidence(evidence),
        SessionEvent::Elsewhere(elsewhere) => device.learn(|catalog| catalog.elsewhere = elsewhere),
        SessionEvent::Metrics(metrics) => device.learn(|catalog| catalog.metrics = metrics),
        SessionEvent::Notes(notes) => {
            let notes = Arc::new(notes_by_package(notes.to_vec()));
            device.learn(|catalog| catalog.notes = notes);
        }
        SessionEvent::Copies { own, offered } => {
            (device.copies, device.offered) = (own, offered);
            device.refresh();
        }
        SessionEvent::Job(job) => device.job = job,
        SessionEvent::Lessons(lessons) => device.lessons = lessons,
        SessionEvent::Picture(bytes) => {
            let name = match device.job.ticket.as_str() {
                "" => device.facts.as_ref().map_or_else(String::new, |facts| facts.id.to_string()),
                ticket => ticket.to_owned(),
            };
            let plain: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
            out.push(Effect::Write(format!("screen-{plain}"), ".png", bytes));
        }
        SessionEvent::Hand(said) => {
            device.hand = Some(said);
            for window in &mut model.windows {
                if let Window::Shell(form) = window {
                    form.answered();
                }
            }
        }
        SessionEvent::Failures { run, new, before } => {
            let card = device.card;
            let seen = device.sight(new, &before);
            let undo = called(View::Run, Action::UndoRun, by_word);
            if let Some((_, words)) = seen.iter().find(|(due, _)| *due) {
                model.app.alert(format!("{name}{words} {undo} puts the run back."));
            } else if let Some((_, words)) = seen.first() {
                model.app.tell(format!("{name}{words}"));
            }
            out.extend(seen.into_iter().map(|(_, words)| to_session(card, SessionCommand::Seen(run, words))));
        }
        SessionEvent::TakenIn(user, taken) => {
            let words = match device.inventory.as_ref().is_some_and(|i| i.packages.contains_key(&taken.copy.id)) {
                true => "installed over what is there",
                false => "installed",
            };
            let note = format!("{} {} is {words} before anything goes.", taken.copy.id, taken.copy.version);
            let card = device.card;
            let dropped = device.take_newcomer(user, *taken);
            if device.reviewed().is_some_and(|review| review.kind != RunKind::PutBack) {
                device.review_tray();
            }
            model.app.tell(note);
            out.extend(dropped.into_iter().map(|copy| to_session(card, SessionCommand::DropCopy(copy))));
        }
        SessionEvent::Tray(tray) => device.take_tray(tray),
        SessionEvent::Reading(what) => device.reading = what,
        SessionEvent::Front(front) => device.front = front,
        SessionEvent::RunEnded(trouble) => {
            (device.running, device.paused) = (false, false);
            device.waiting = None;
            match trouble {
                Some(trouble) => {
                    // Nothing came of it: the plan is there again, and so is its tray.
                    if let RunPane::Starting(review) = &device.pane {
                        let review = review.clone();
                        if review.kind == RunKind::TakeOut {
                            device.undo_tray();
                        }
                        device.newcomers = std::mem::take(&mut device.newcomers_sent);
                        device.pane = RunPane::Review(review);
                    }
                    model.app.alert(format!("{name}{trouble}"));
                }
                None => {
                    if let Some(run) = device.shown_run() {
                        let note = ended_words(run, by_word);
                        let alert = run
                            .steps
                            .iter()
                            .any(|s| !matches!(s.outcome, Some(Outcome::Done | Outcome::Answered | Outcome::Skipped)));
                        model.app.notice = Some(Notice { text: format!("{name}{note}"), alert });
                    }
                }
            }
        }
        SessionEvent::Note(text) => model.app.alert(format!("{name}{}", PlainText::new(&text))),
    }
}

fn ended_words(run: &wibbet_core::run::Run, by_word: bool) -> String {
    let done = run.count(Outcome::Done);
    let all = run.steps.len();
    if run.state == RunState::Stopped && run.steps.iter().any(|s| s.state == wibbet_core::run::StepState::Waiting) {
        let carries = called(View::Run, Action::CarryOn, by_word);
        return format!("Run {} is stopped: {done} of {all} done and read back. {carries} carries it on.", run.number);
    }
    let answered = run.count(Outcome::Answered);
    if answered > 0 && done + answered == all {
        let were = if done == 0 { String::new() } else { format!("{done} done and read back, ") };
        let words = "that is all that can be known of it from here";
        return format!("Run {}: {were}{answered} answered yes; {words}.", run.number);
    }
    if done == all {
        let counted = if all == 1 { "it is".to_owned() } else { format!("all {all} are") };
        let undo = called(View::Run, Action::Undo, by_word);
        let back = if run.kind == RunKind::TakeOut { format!(" {undo} leads back.") } else { String::new() };
        format!("Run {}: {counted} done and read back.{back}", run.number)
    } else {
        format!("Run {}: {done} of {all} done and read back, the others not.", run.number)
    }
}
