//! What the screen does about links: cards that come and go, pairing, closing, and in the demo the devices' own screens.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;
use wibbet_bench::fleet::{BenchCommand, BenchEvent};
use wibbet_bench::ops::PairNews;
use wibbet_bench::session::{CloseStep, SessionCommand};
use wibbet_core::ask::Care;
use wibbet_sim::OwnersAct;

use super::model::{CloseForm, DeviceModel, Model, PairForm, Popup};
use super::update::{Effect, session};
use crate::demo::{DemoAct, DemoScreen};

/// Whether the device is kept awake from here.
pub(super) fn stays_awake(device: &DeviceModel) -> bool {
    device.details.as_ref().and_then(|d| d.vitals.stays_awake) == Some(Care::AWAKE_ALWAYS)
}

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
        BenchEvent::Pairing(PairNews::Offered) => {
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
const CLOSED: &str = "the device has closed its dialog, and its code is void: open it again and type the new code";

/// The address in the window follows what is announced, unless somebody typed one.
fn offered(model: &mut Model) {
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

pub(super) fn open_pairing(model: &mut Model) -> Vec<Effect> {
    model.popup = Some(Popup::Pair(Box::default()));
    model.qr = None;
    offered(model);
    vec![Effect::Bench(BenchCommand::ShowQr)]
}

fn paired(model: &mut Model, done: Result<String, (String, bool)>) -> Vec<Effect> {
    match done {
        Ok(name) => {
            match &mut model.popup {
                Some(Popup::Pair(_)) => model.popup = None,
                Some(Popup::OwnScreens { behind, .. }) => *behind = None,
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

/// A key in one of the windows about links.
pub(super) fn popup_key(model: &mut Model, event: &Event, key: KeyEvent) -> Vec<Effect> {
    match &mut model.popup {
        Some(Popup::Pair(form)) => match key.code {
            KeyCode::Esc => {
                model.popup = None;
                model.qr = None;
                return vec![Effect::Bench(BenchCommand::EndPairing)];
            }
            KeyCode::Char('t') if key.modifiers == KeyModifiers::CONTROL && model.simulated => {
                let behind = Some(std::mem::take(form));
                open_own_screens(model, behind);
            }
            KeyCode::Tab | KeyCode::Up | KeyCode::Down | KeyCode::BackTab => form.on_code = !form.on_code,
            KeyCode::Enter => return pair_now(form),
            _ if form.on_code => {
                form.code.handle_event(event);
            }
            _ => {
                form.at.handle_event(event);
                form.typed = true;
            }
        },
        Some(Popup::Close(_)) => return close_key(model, key),
        Some(Popup::OwnScreens { .. }) => return own_screens_key(model, key),
        _ => {}
    }
    Vec::new()
}

fn pair_now(form: &mut PairForm) -> Vec<Effect> {
    if form.working {
        return Vec::new();
    }
    let code: String = form.code.value().chars().filter(|c| !c.is_whitespace()).collect();
    let at = match crate::cli::address(form.at.value().trim()) {
        Ok(at) => at,
        Err(rule) => {
            form.trouble = Some(if form.at.value().is_empty() && form.trouble.as_deref() == Some(CLOSED) {
                form.code.reset();
                CLOSED.into()
            } else if form.at.value().is_empty() {
                "no device offers pairing yet: open “Pair device with pairing code” on it, or type the address that it shows"
                    .into()
            } else {
                rule
            });
            form.on_code = form.trouble.as_deref() == Some(CLOSED);
            return Vec::new();
        }
    };
    if code.is_empty() {
        form.trouble = Some("type the six digits that the device shows".into());
        form.on_code = true;
        return Vec::new();
    }
    form.working = true;
    form.trouble = None;
    vec![Effect::Bench(BenchCommand::Pair { at, code })]
}

fn close_key(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let card = model.device().map(|d| d.card);
    let Some(Popup::Close(form)) = &mut model.popup else { return Vec::new() };
    match key.code {
        _ if form.working => {}
        _ if form.steps.is_some() => model.popup = None,
        KeyCode::Esc | KeyCode::Char('n') => model.popup = None,
        KeyCode::Char('f') => form.forget = !form.forget,
        KeyCode::Char('k') => form.keep_debugging = !form.keep_debugging,
        KeyCode::Char('s') => {
            form.working = true;
            let command = SessionCommand::Close { switch_off: !form.keep_debugging, forget: form.forget };
            return card.map_or_else(Vec::new, |card| vec![Effect::Bench(BenchCommand::Session(card, command))]);
        }
        _ => {}
    }
    Vec::new()
}

/// A link has been closed.
pub(super) fn closed(model: &mut Model, steps: Vec<CloseStep>) {
    let all = steps.iter().all(|s| s.done);
    match &mut model.popup {
        Some(Popup::Close(CloseForm { working, steps: shown, .. })) => {
            *working = false;
            *shown = Some(steps);
        }
        _ if all => model.tell("The link has been closed."),
        _ => model.alert("The link has been closed; not all of it could be done."),
    }
}

pub(super) fn open_own_screens(model: &mut Model, behind: Option<Box<PairForm>>) {
    let serial = model.device().and_then(|d| d.facts.as_ref()).map(|f| f.serial.as_str().to_owned());
    let place = |wanted: &dyn Fn(&DemoScreen) -> bool| model.own_screens.iter().position(wanted);
    // While pairing the one that can be paired is of interest.
    let scans = |s: &DemoScreen| {
        s.acts.iter().any(|a| matches!(a, DemoAct::Owner(OwnersAct::ShowCode | OwnersAct::CloseDialog)))
    };
    let at = match behind {
        Some(_) => place(&scans),
        None => place(&|s| Some(&s.serial) == serial.as_ref()),
    };
    model.popup = Some(Popup::OwnScreens { at: at.unwrap_or(0), act: 0, behind });
}

fn own_screens_key(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let screens = &model.own_screens;
    let Some(Popup::OwnScreens { at, act, behind }) = &mut model.popup else { return Vec::new() };
    let Some(screen) = screens.get(*at) else {
        model.popup = behind.take().map(Popup::Pair);
        return Vec::new();
    };
    match key.code {
        KeyCode::Left => (*at, *act) = ((*at + screens.len() - 1) % screens.len(), 0),
        KeyCode::Right | KeyCode::Tab => (*at, *act) = ((*at + 1) % screens.len(), 0),
        KeyCode::Up => *act = act.saturating_sub(1),
        KeyCode::Down => *act = (*act + 1).min(screen.acts.len().saturating_sub(1)),
        KeyCode::Enter => {
            let chosen = screen.acts.get((*act).min(screen.acts.len().saturating_sub(1))).cloned();
            return chosen.map_or_else(Vec::new, |act| vec![Effect::Demo(screen.serial.clone(), act)]);
        }
        _ => {
            model.popup = behind.take().map(Popup::Pair);
            offered(model);
        }
    }
    Vec::new()
}
