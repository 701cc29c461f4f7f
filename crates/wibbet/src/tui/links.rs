//! What the screen does about links: cards that come and go, pairing, closing, and in the demo the devices' own screens.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::backend::crossterm::EventHandler as _;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::session::SessionCommand;
use wibbet_sim::OwnerAction;

use super::events::{CLOSED, offered};
use super::message::Effect;
use crate::demo::{DemoAct, DemoScreen};
use crate::tui::app::{Model, PairForm, Window};

pub(super) fn open_pairing(model: &mut Model) -> Vec<Effect> {
    model.popup = Some(Window::Pair(Box::default()));
    model.qr = None;
    offered(model);
    vec![Effect::Bench(BenchCommand::ShowQr)]
}

/// A key in one of the windows about links.
pub(super) fn popup_key(model: &mut Model, event: &Event, key: KeyEvent) -> Vec<Effect> {
    match &mut model.popup {
        Some(Window::Pair(form)) => match key.code {
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
        Some(Window::Close(_)) => return close_key(model, key),
        Some(Window::OwnScreens { .. }) => return own_screens_key(model, key),
        _ => {}
    }
    Vec::new()
}

fn pair_now(form: &mut PairForm) -> Vec<Effect> {
    if form.working {
        return Vec::new();
    }
    let code: String = form.code.value().chars().filter(|c| !c.is_whitespace()).collect();
    let at = match crate::address::address(form.at.value().trim()) {
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
    let Some(Window::Close(form)) = &mut model.popup else { return Vec::new() };
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

pub(super) fn open_own_screens(model: &mut Model, behind: Option<Box<PairForm>>) {
    let serial = model.device().and_then(|d| d.facts.as_ref()).map(|f| f.serial.as_str().to_owned());
    let place = |wanted: &dyn Fn(&DemoScreen) -> bool| model.own_screens.iter().position(wanted);
    // While pairing the one that can be paired is of interest.
    let scans = |s: &DemoScreen| {
        s.acts.iter().any(|a| matches!(a, DemoAct::Owner(OwnerAction::ShowCode | OwnerAction::CloseDialog)))
    };
    let at = match behind {
        Some(_) => place(&scans),
        None => place(&|s| Some(&s.serial) == serial.as_ref()),
    };
    model.popup = Some(Window::OwnScreens { at: at.unwrap_or(0), act: 0, behind });
}

fn own_screens_key(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let screens = &model.own_screens;
    let Some(Window::OwnScreens { at, act, behind }) = &mut model.popup else { return Vec::new() };
    let Some(screen) = screens.get(*at) else {
        model.popup = behind.take().map(Window::Pair);
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
            model.popup = behind.take().map(Window::Pair);
            offered(model);
        }
    }
    Vec::new()
}
