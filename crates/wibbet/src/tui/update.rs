//! What happens: a message changes the model and asks for effects. Nothing here waits.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use tui_input::backend::crossterm::EventHandler as _;
use tui_input::{Input, InputRequest};
use wibbet_bench::session::SessionCommand;
use wibbet_types::PlainText;

use super::app::{App, DeviceModel};
use super::draw::{Hit, hit};
use super::keys::{Action, Layer, View};
use super::message::{Effect, Message, to_session};
use super::model::Model;
use super::rooms;
use super::widgets::Tap;
use super::windows::{Flow, IdList, Window};

/// Takes a message in.
pub(crate) fn update(model: &mut Model, message: Message) -> Vec<Effect> {
    let effects = take_in(model, message);
    // Before anything else is done: what is sent is not kept as chosen.
    let keep = |device: &mut DeviceModel| {
        let tray = device.tray_to_keep()?;
        Some(to_session(device.card, SessionCommand::KeepTray(tray)))
    };
    let mut out: Vec<Effect> = model.app.devices.iter_mut().filter_map(keep).collect();
    out.extend(effects);
    out
}

fn take_in(model: &mut Model, message: Message) -> Vec<Effect> {
    let mut out = Vec::new();
    let app = &mut model.app;
    match message {
        Message::Terminal(event) => terminal(model, &event, &mut out),
        Message::Bench(event) => return super::events::bench(model, event),
        Message::DeviceScreens(screens) => app.device_screens = screens,
        Message::Trouble(why) | Message::Log(Err(why)) => app.alert(why),
        Message::Done(what) => app.tell(what),
        Message::Apps(folder, files) => {
            let form = model.windows.iter_mut().find_map(|window| match window {
                Window::Apps(form) => Some(form),
                _ => None,
            });
            if let Some(form) = form {
                form.take(&folder, files);
            }
        }
        Message::Orders { folder, files, made } => app.orders.take(folder, files, made.as_deref()),
        Message::Sheet(read) => {
            let form = model.windows.iter_mut().find_map(|window| match window {
                Window::JobSheet(form) => Some(form),
                _ => None,
            });
            match (form, read) {
                (Some(form), Ok(read)) => form.take(*read),
                (Some(_), Err(why)) => {
                    model.windows.retain(|window| !matches!(window, Window::JobSheet(_)));
                    app.alert(format!("The job sheet cannot be made: {why}"));
                }
                (None, _) => {}
            }
        }
        Message::Life(read) => {
            let form = model.windows.iter_mut().find_map(|window| match window {
                Window::LifeOf(form) => Some(form),
                _ => None,
            });
            match (form, read) {
                (Some(form), Ok(read)) => form.take(read),
                (Some(_), Err(why)) => {
                    model.windows.retain(|window| !matches!(window, Window::LifeOf(_)));
                    app.alert(format!("The life of the device cannot be told: {why}"));
                }
                (None, _) => {}
            }
        }
        Message::Choices(columns, searches) => app.take_choices(columns.as_deref(), searches.as_deref()),
        Message::Log(Ok(read)) => app.log.take(read),
        Message::Tick => app.tick = app.tick.wrapping_add(1),
    }
    out
}

fn terminal(model: &mut Model, event: &Event, out: &mut Vec<Effect>) {
    match event {
        // A terminal tells Alt and a key as Escape and that key. No key here goes with Alt, and Escape and a key reach
        // the program in one piece when somebody types fast or the line is slow.
        Event::Key(key) if key.modifiers.contains(KeyModifiers::ALT) => {
            let escape = KeyEvent { code: KeyCode::Esc, modifiers: KeyModifiers::NONE, ..*key };
            let then = KeyEvent { modifiers: key.modifiers - KeyModifiers::ALT, ..*key };
            for key in [escape, then] {
                terminal(model, &Event::Key(key), out);
            }
        }
        Event::Key(key) if key.kind == KeyEventKind::Release || by_arrows(model, *key, out) => {}
        Event::Key(key) => self::key(model, event, *key, out),
        Event::Mouse(mouse) => self::mouse(model, *mouse, out),
        Event::Resize(columns, lines) => model.app.size = (*columns, *lines),
        Event::Paste(text) => paste(model, text),
        _ => {}
    }
}

/// Does an action of a room, if it does something here and now.
fn act(model: &mut Model, action: Action, out: &mut Vec<Effect>) {
    if !rooms::is_enabled(&model.app, action) {
        return;
    }
    match Window::open(&mut model.app, action, out) {
        Some(window) => model.windows.push(window),
        None => rooms::act(&mut model.app, action, out),
    }
}

/// Goes from word to word at the bottom with the arrow keys to the sides, and does the one that was gone to with Enter: a remote control has no
/// others. Where a window has another meaning for these keys it keeps that, unless words are large: then there is one for each. Whether the key
/// was one for that.
fn by_arrows(model: &mut Model, key: KeyEvent, out: &mut Vec<Effect>) -> bool {
    let layer = match model.windows.last_mut() {
        Some(window) => {
            let layer = window.layer();
            // In a text they move over its letters; behind the last one, to the words.
            let leaves =
                |field: &mut Input| key.code == KeyCode::Right && field.cursor() >= field.value().chars().count();
            if model.app.word.is_none() && !window.field().is_none_or(leaves) {
                return false;
            }
            layer
        }
        None if rooms::typed_into(&model.app).is_some() => return false,
        None => Layer::Room(model.app.view),
    };
    let chosen = model.app.word;
    match key.code {
        KeyCode::Right | KeyCode::Left if model.app.has_large_words() || layer.action_of(key).is_none() => {
            model.app.word = model.tappable.word_beside(chosen, key.code == KeyCode::Right);
        }
        KeyCode::Enter if chosen.is_some() => {
            model.app.word = None;
            // One that is not there any more does nothing.
            if let Some(word) = chosen.filter(|word| model.tappable.has_word(*word)) {
                self::key(model, &Event::Key(word), word, out);
            }
        }
        _ => {
            model.app.word = None;
            return false;
        }
    }
    true
}

fn key(model: &mut Model, event: &Event, key: KeyEvent, out: &mut Vec<Effect>) {
    let interrupts = key.modifiers == KeyModifiers::CONTROL && Layer::Everywhere.action_of(key) == Some(Action::Quit);
    if interrupts {
        act(model, Action::Quit, out);
    } else if let Some(window) = model.windows.last_mut() {
        let flow = match (window.layer().action_of(key), window.field()) {
            (Some(action), _) => window.act(&mut model.app, action, out),
            (None, Some(field)) => {
                field.handle_event(event);
                window.edited();
                if let Window::Apps(form) = window {
                    out.extend(form.read());
                }
                Flow::Stay
            }
            (None, None) => Flow::Stay,
        };
        follow(model, flow, out);
    } else if let Some(layer) = rooms::typed_into(&model.app) {
        match layer.action_of(key) {
            Some(Action::SearchHelp) => act(model, Action::SearchHelp, out),
            Some(action) => rooms::search_key(&mut model.app, action),
            None => rooms::type_in(&mut model.app, |field| {
                field.handle_event(event);
            }),
        }
    } else {
        let room = Layer::Room(model.app.view);
        if let Some(action) = room.action_of(key).or_else(|| Layer::Everywhere.action_of(key)) {
            act(model, action, out);
        }
    }
}

/// What becomes of the window in front.
fn follow(model: &mut Model, flow: Flow, out: &mut Vec<Effect>) {
    match flow {
        Flow::Stay => {}
        Flow::Close => drop(model.windows.pop()),
        Flow::Do(action) => {
            model.windows.pop();
            act(model, action, out);
        }
        Flow::Open(action) => model.windows.extend(Window::open(&mut model.app, action, out)),
    }
}

fn paste(model: &mut Model, text: &str) {
    let Model { app, windows, .. } = model;
    match windows.last_mut() {
        Some(window) => {
            if !window.paste(app, text)
                && let Some(field) = window.field()
            {
                type_line(field, text);
                window.edited();
            }
        }
        None => {
            if rooms::typed_into(app).is_some() {
                rooms::type_in(app, |field| type_line(field, text));
            } else if let Some(list) = list_of(app, text) {
                windows.push(Window::IdList(Box::new(list)));
            }
        }
    }
}

/// A list of ids is taken for one wherever packages are shown and nothing is being typed.
fn list_of(app: &App, text: &str) -> Option<IdList> {
    (app.view == View::Packages).then(|| IdList::of(app, text)).flatten()
}

/// Only the first line of a text: what follows it was not meant for a line.
fn type_line(field: &mut Input, text: &str) {
    for c in PlainText::new(text.lines().next().unwrap_or("")).as_str().chars().take(500) {
        field.handle(InputRequest::InsertChar(c));
    }
}

fn mouse(model: &mut Model, mouse: MouseEvent, out: &mut Vec<Effect>) {
    match mouse.kind {
        MouseEventKind::ScrollUp => wheel(model, Action::Up, -3, out),
        MouseEventKind::ScrollDown => wheel(model, Action::Down, 3, out),
        MouseEventKind::Down(MouseButton::Left) => tap(model, mouse.column, mouse.row, out),
        _ => {}
    }
}

fn wheel(model: &mut Model, action: Action, by: isize, out: &mut Vec<Effect>) {
    match model.windows.last_mut() {
        None => rooms::move_by(&mut model.app, by),
        Some(window) => {
            if !window.swiped(&model.app, by) {
                move_in_window(model, action, by.unsigned_abs(), out);
            }
        }
    }
}

/// Moves over what the window in front has lines of.
fn move_in_window(model: &mut Model, action: Action, times: usize, out: &mut Vec<Effect>) {
    for _ in 0..times {
        let Some(window) = model.windows.last_mut() else { return };
        if window.layer().bindings().any(|b| b.action == action) {
            window.act(&mut model.app, action, out);
        }
    }
}

/// Something on the screen was tapped, or clicked.
fn tap(model: &mut Model, column: u16, line: u16, out: &mut Vec<Effect>) {
    let press = |model: &mut Model, code: KeyEvent, times: usize, out: &mut Vec<Effect>| {
        for _ in 0..times {
            key(model, &Event::Key(code), code, out);
        }
    };
    match (model.tappable.at(column, line), model.windows.is_empty()) {
        (Some(Tap::Keys(code, times)), _) => press(model, code, times, out),
        (Some(Tap::Row(by)), false) => {
            let direction = if by < 0 { Action::Up } else { Action::Down };
            move_in_window(model, direction, by.unsigned_abs(), out);
            // Of a list of actions each is done at once; elsewhere the first tap chooses, and the next one does it.
            let chosen = by == 0 || model.windows.last().is_some_and(Window::is_of_actions);
            if let Some(code) = model.windows.last().filter(|_| chosen).map(|w| w.layer().tapped()) {
                press(model, code, 1, out);
            }
        }
        (_, true) => match hit(&model.app, column, line) {
            Some(Hit::View(view)) => act(model, Action::Show(view), out),
            Some(Hit::Item(item)) => tap_item(model, item, column, out),
            None => {}
        },
        (None, false) => {}
    }
}

/// An item of the view's list was tapped: the cursor goes there, and another tap does what one does most there. At the beginning of its
/// line, where its mark stands, it is marked at once.
fn tap_item(model: &mut Model, item: usize, column: u16, out: &mut Vec<Effect>) {
    // It was seen, and is not typed into any more.
    if let Some(layer) = rooms::typed_into(&model.app)
        && layer.bindings().any(|b| b.action == Action::Accept)
    {
        rooms::search_key(&mut model.app, Action::Accept);
    }
    let again = rooms::is_at(&mut model.app, item);
    if !again {
        rooms::move_to(&mut model.app, item);
    }
    let does = match model.app.view {
        View::Packages | View::Shelf if again || column < MARK_CELLS => Action::Mark,
        View::Bench | View::Logbook if again => Action::Next,
        _ => return,
    };
    act(model, does, out);
}

/// So many cells at the beginning of a line are its mark's.
const MARK_CELLS: u16 = 4;
