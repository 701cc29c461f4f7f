//! What happens: a message changes the model and asks for effects. Nothing here waits.

use std::sync::Arc;

use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;
use wibbet_bench::fleet::{BenchCommand, BenchEvent};
use wibbet_bench::run::RunNews;
use wibbet_bench::session::SessionEvent;
use wibbet_core::link::Ladder;
use wibbet_core::package::notes_by_package;
use wibbet_core::run::{Outcome, RunKind, RunState};
use wibbet_types::PlainText;

use super::actions::{act, is_useful, move_by, move_to};
use super::keymap::{Action, KEYMAP, action_of};
use super::model::{DeviceModel, Model, Popup, RunPane, View};
use super::views::{self, Hit};
use super::{find, links};
use crate::demo::{DemoAct, DemoScreen};

/// Something that has happened.
#[derive(Debug)]
pub(crate) enum Message {
    /// A key, the mouse, a paste, a new size.
    Terminal(Event),
    /// The bench tells something.
    Bench(BenchEvent),
    /// In the demo: what the devices themselves show.
    OwnScreens(Vec<DemoScreen>),
    /// Something could not be done.
    Trouble(String),
    /// Something was done that is worth telling.
    Told(String),
    /// How the program was set up: columns and searches.
    Choices(Option<String>, Option<String>),
    /// The runs of the logbook, or why they could not be read.
    Log(Result<Vec<wibbet_core::run::Run>, String>),
    /// Time passes.
    Tick,
}

/// Something to be done outside of the model.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Effect {
    Bench(BenchCommand),
    /// In the demo: somebody does something with a device, by its serial.
    Demo(String, DemoAct),
    ReadLog,
    /// Remember how something was chosen: its name, and how.
    Choose(&'static str, String),
    /// Put a text into the clipboard of whoever sits at the terminal.
    Copy(String),
    /// Write a file: the beginning of its name, the end of it, and what is in it.
    Write(String, &'static str, String),
    Quit,
}

/// Takes a message in.
pub(crate) fn update(model: &mut Model, message: Message) -> Vec<Effect> {
    match message {
        Message::Terminal(event) => terminal(model, &event),
        Message::Bench(event) => links::bench(model, event),
        Message::OwnScreens(screens) => {
            model.own_screens = screens;
            Vec::new()
        }
        Message::Trouble(why) => {
            model.alert(why);
            Vec::new()
        }
        Message::Told(what) => {
            model.tell(what);
            Vec::new()
        }
        Message::Choices(columns, searches) => {
            find::take_choices(model, columns.as_deref(), searches.as_deref());
            Vec::new()
        }
        Message::Log(Err(trouble)) => {
            model.alert(trouble);
            Vec::new()
        }
        Message::Log(Ok(runs)) => {
            model.log = runs;
            model.log_at = model.log_at.min(model.log.len().saturating_sub(1));
            Vec::new()
        }
        Message::Tick => {
            model.tick = model.tick.wrapping_add(1);
            Vec::new()
        }
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
            links::closed(model, steps);
        }
        SessionEvent::Facts(facts, abilities) => {
            device.facts = Some(*facts);
            device.abilities = abilities;
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
        SessionEvent::Run(RunNews::Changed(run)) => device.pane = RunPane::Shown(run),
        SessionEvent::Run(RunNews::Waiting(why)) => device.waiting = why,
        SessionEvent::Run(RunNews::States(id, states)) => {
            if let Some(inventory) = &device.inventory {
                let mut inventory = (**inventory).clone();
                inventory.with_state(&id, &states);
                device.take_inventory(Arc::new(inventory));
            }
        }
        SessionEvent::Names(names) => find::learn(device, |sheet| sheet.names = names),
        SessionEvent::Measures(measures) => find::learn(device, |sheet| sheet.measures = measures),
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
                        model.note = Some(super::model::Note { text: format!("{name}{note}"), alert });
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

fn terminal(model: &mut Model, event: &Event) -> Vec<Effect> {
    match event {
        // A terminal tells Alt and a key as Escape and that key. No key here goes with Alt, and Escape and a key reach
        // the program in one piece when somebody types fast or the line is slow.
        Event::Key(key) if key.modifiers.contains(KeyModifiers::ALT) => {
            let escape = KeyEvent { code: KeyCode::Esc, modifiers: KeyModifiers::NONE, ..*key };
            let then = KeyEvent { modifiers: key.modifiers - KeyModifiers::ALT, ..*key };
            [escape, then].into_iter().flat_map(|key| terminal(model, &Event::Key(key))).collect()
        }
        Event::Key(key) if key.kind != KeyEventKind::Release => self::key(model, event, *key),
        Event::Mouse(mouse) => self::mouse(model, *mouse),
        Event::Resize(columns, lines) => {
            model.size = (*columns, *lines);
            Vec::new()
        }
        Event::Paste(text) => {
            paste(model, text);
            Vec::new()
        }
        _ => Vec::new(),
    }
}

/// The line that is being typed into, if any.
fn open_input(model: &mut Model) -> Option<&mut Input> {
    match &mut model.popup {
        Some(Popup::Palette { input, .. } | Popup::Address { input, .. } | Popup::Languages { input, .. }) => {
            return Some(input);
        }
        Some(Popup::Note(form)) => return Some(&mut form.inputs[form.scope as usize]),
        Some(Popup::Ids(form)) => return Some(&mut form.input),
        Some(Popup::Pair(form)) => return Some(if form.on_code { &mut form.code } else { &mut form.at }),
        Some(_) => return None,
        None => {}
    }
    let (current, view) = (model.current, model.view);
    model.devices.get_mut(current).filter(|d| d.searching && view == View::Packages).map(|d| &mut d.search)
}

fn paste(model: &mut Model, text: &str) {
    // A list of ids is taken for one wherever nothing is being typed.
    let takes_lists = model.popup.is_none() || matches!(model.popup, Some(Popup::Ids(_)));
    if takes_lists && model.view == View::Packages && find::paste(model, text) {
        return;
    }
    if let Some(input) = open_input(model) {
        // Only the first line: what follows it was not meant for a line.
        for c in PlainText::new(text.lines().next().unwrap_or("")).as_str().chars().take(500) {
            input.handle(tui_input::InputRequest::InsertChar(c));
        }
        if let Some(device) = model.device_mut() {
            device.search_again();
        }
    }
}

fn key(model: &mut Model, event: &Event, key: KeyEvent) -> Vec<Effect> {
    let interrupt = key.code == KeyCode::Char('c') && key.modifiers == KeyModifiers::CONTROL;
    if model.popup.is_some() && !interrupt {
        return popup_key(model, event, key);
    }
    if open_input(model).is_some() && !interrupt {
        return search_key(model, event, key);
    }
    match action_of(key) {
        Some(action) => act(model, action),
        None => Vec::new(),
    }
}

fn search_key(model: &mut Model, event: &Event, key: KeyEvent) -> Vec<Effect> {
    let Some(device) = model.device_mut() else { return Vec::new() };
    let offers = find::completions(device);
    match key.code {
        KeyCode::Enter => device.searching = false,
        KeyCode::Esc => {
            device.searching = false;
            device.search.reset();
            device.refresh_found();
        }
        KeyCode::Up if !offers.is_empty() => device.completing = device.completing.saturating_sub(1),
        KeyCode::Down if !offers.is_empty() => device.completing = (device.completing + 1).min(offers.len() - 1),
        KeyCode::Up | KeyCode::Down | KeyCode::PageUp | KeyCode::PageDown => {
            return action_of(key).map_or_else(Vec::new, |action| act(model, action));
        }
        KeyCode::F(1) => model.popup = Some(Popup::SearchHelp { from: 0 }),
        KeyCode::Tab if !offers.is_empty() => find::complete(device, &offers),
        KeyCode::Tab => device.searching = false,
        _ => {
            device.search.handle_event(event);
            device.search_again();
        }
    }
    Vec::new()
}

fn popup_key(model: &mut Model, event: &Event, key: KeyEvent) -> Vec<Effect> {
    let lines = usize::from(model.size.1);
    if matches!(model.popup, Some(Popup::Pair(_) | Popup::Close(_) | Popup::OwnScreens { .. })) {
        return links::popup_key(model, event, key);
    }
    if let Some(effects) = find::popup_key(model, event, key) {
        return effects;
    }
    match &mut model.popup {
        Some(Popup::Quit) => match key.code {
            KeyCode::Char('y') => return vec![Effect::Quit],
            KeyCode::Char('n') | KeyCode::Esc => model.popup = None,
            _ => {}
        },
        Some(Popup::Help { from } | Popup::SearchHelp { from } | Popup::Guide { from }) => match key.code {
            KeyCode::Up | KeyCode::Char('k') => *from = from.saturating_sub(1),
            KeyCode::Down | KeyCode::Char('j') => *from += 1,
            KeyCode::PageUp => *from = from.saturating_sub(lines / 2),
            KeyCode::PageDown => *from += lines / 2,
            _ => model.popup = None,
        },
        Some(Popup::Palette { input, at }) => match key.code {
            KeyCode::Esc => model.popup = None,
            KeyCode::Up => *at = at.saturating_sub(1),
            KeyCode::Down => *at += 1,
            KeyCode::Enter => {
                let found = palette(input.value());
                let chosen = found.get((*at).min(found.len().saturating_sub(1))).copied();
                model.popup = None;
                if let Some(action) = chosen {
                    if is_useful(model, action) {
                        return act(model, action);
                    }
                    model.tell("That does nothing here and now.");
                }
            }
            _ => {
                input.handle_event(event);
                *at = 0;
            }
        },
        Some(Popup::Address { input, trouble }) => match key.code {
            KeyCode::Esc => model.popup = None,
            KeyCode::Enter => match crate::cli::address(input.value().trim()) {
                Ok(address) => {
                    model.popup = None;
                    let has = |d: &DeviceModel| d.routes.iter().any(|r| r.to_string() == address);
                    if let Some(place) = model.devices.iter().position(has) {
                        model.current = place;
                        model.tell("That device is on the bench already.");
                    } else {
                        model.view = View::Bench;
                        model.awaited = Some(address.clone());
                        return vec![Effect::Bench(BenchCommand::Add(address))];
                    }
                }
                Err(rule) => *trouble = Some(rule),
            },
            _ => {
                input.handle_event(event);
                *trouble = None;
            }
        },
        _ => {}
    }
    Vec::new()
}

/// The actions whose name holds every word of a line.
pub(crate) fn palette(line: &str) -> Vec<Action> {
    let words: Vec<String> = line.split_whitespace().map(str::to_lowercase).collect();
    KEYMAP.iter().filter(|b| words.iter().all(|w| b.name.to_lowercase().contains(w))).map(|b| b.action).collect()
}

fn mouse(model: &mut Model, mouse: MouseEvent) -> Vec<Effect> {
    if model.popup.is_some() {
        return Vec::new();
    }
    match mouse.kind {
        MouseEventKind::ScrollUp => move_by(model, -3),
        MouseEventKind::ScrollDown => move_by(model, 3),
        MouseEventKind::Down(MouseButton::Left) => match views::hit(model, mouse.column, mouse.row) {
            Some(Hit::View(view)) => return act(model, Action::Show(view)),
            Some(Hit::Line(line)) => move_to(model, line),
            None => {}
        },
        _ => {}
    }
    Vec::new()
}
