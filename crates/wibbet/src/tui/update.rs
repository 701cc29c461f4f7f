//! What happens: a message changes the model and asks for effects. Nothing here waits.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;
use wibbet_bench::fleet::BenchCommand;
use wibbet_types::PlainText;

use super::actions::{act, move_by, move_to};
use super::message::{Effect, Message};
use super::offers::{is_enabled, palette};
use super::views::{self, Hit};
use super::{find, links};
use crate::tui::app::{DeviceModel, Model, Window};
use crate::tui::keys::{Action, View, action_of};

/// Takes a message in.
pub(crate) fn update(model: &mut Model, message: Message) -> Vec<Effect> {
    match message {
        Message::Terminal(event) => terminal(model, &event),
        Message::Bench(event) => super::events::bench(model, event),
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
        Some(Window::Palette { input, .. } | Window::Address { input, .. } | Window::Languages { input, .. }) => {
            return Some(input);
        }
        Some(Window::Note(form)) => return Some(&mut form.inputs[form.scope as usize]),
        Some(Window::Ids(form)) => return Some(&mut form.input),
        Some(Window::Pair(form)) => return Some(if form.on_code { &mut form.code } else { &mut form.at }),
        Some(_) => return None,
        None => {}
    }
    let (current, view) = (model.current, model.view);
    model.devices.get_mut(current).filter(|d| d.searching && view == View::Packages).map(|d| &mut d.search)
}

fn paste(model: &mut Model, text: &str) {
    // A list of ids is taken for one wherever nothing is being typed.
    let takes_lists = model.popup.is_none() || matches!(model.popup, Some(Window::Ids(_)));
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
    let offers = super::offers::completions(device);
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
        KeyCode::F(1) => model.popup = Some(Window::SearchHelp { from: 0 }),
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
    if matches!(model.popup, Some(Window::Pair(_) | Window::Close(_) | Window::OwnScreens { .. })) {
        return links::popup_key(model, event, key);
    }
    if let Some(effects) = find::popup_key(model, event, key) {
        return effects;
    }
    match &mut model.popup {
        Some(Window::Quit) => match key.code {
            KeyCode::Char('y') => return vec![Effect::Quit],
            KeyCode::Char('n') | KeyCode::Esc => model.popup = None,
            _ => {}
        },
        Some(Window::Help { from } | Window::SearchHelp { from } | Window::Guide { from }) => match key.code {
            KeyCode::Up | KeyCode::Char('k') => *from = from.saturating_sub(1),
            KeyCode::Down | KeyCode::Char('j') => *from += 1,
            KeyCode::PageUp => *from = from.saturating_sub(lines / 2),
            KeyCode::PageDown => *from += lines / 2,
            _ => model.popup = None,
        },
        Some(Window::Palette { input, at }) => match key.code {
            KeyCode::Esc => model.popup = None,
            KeyCode::Up => *at = at.saturating_sub(1),
            KeyCode::Down => *at += 1,
            KeyCode::Enter => {
                let found = palette(input.value());
                let chosen = found.get((*at).min(found.len().saturating_sub(1))).copied();
                model.popup = None;
                if let Some(action) = chosen {
                    if is_enabled(model, action) {
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
        Some(Window::Address { input, trouble }) => match key.code {
            KeyCode::Esc => model.popup = None,
            KeyCode::Enter => match crate::address::address(input.value().trim()) {
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
