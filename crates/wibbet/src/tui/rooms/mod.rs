//! One room for each view: what can be done there and what that does, what it draws, and what is under the mouse.

mod bench;
mod logbook;
pub(crate) mod orders;
mod packages;
mod parts;
mod run;
mod shelf;

use ratatui::Frame;
use ratatui::layout::Rect;
use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::run::Control;
use wibbet_bench::session::SessionCommand;
use wibbet_types::{DeviceId, RunId};

use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View, hint, menu_of};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, step};

pub(crate) use packages::in_sight;
pub(crate) use parts::review_put_back;
pub(crate) use run::{not_done_of, track};

/// Whether an action does something here and now.
pub(crate) fn is_enabled(app: &App, action: Action) -> bool {
    if hint(app.view, action).is_empty() {
        return false;
    }
    let device = |test: fn(&DeviceModel) -> bool| app.device().is_some_and(test);
    match action {
        Action::Stop => device(|d| d.running),
        // A catch waits for moments, and pauses for nobody.
        Action::Pause => device(|d| d.running && !d.is_catching()),
        Action::UndoRun => device(|d| !d.running && !d.of_the_last_run().is_empty()),
        Action::NextDevice => app.devices.len() > 1,
        Action::ReadAgain => device(|d| !d.running && d.busy.is_none()),
        Action::DeviceScreens => app.simulated,
        Action::Menu => menu_of(app.view).any(|b| is_enabled(app, b.action)),
        Action::CarryOn => {
            device(|d| !d.running && d.is_ready() && d.reviewed().is_none() && d.to_carry_on().is_some())
        }
        Action::FindFault => device(DeviceModel::may_find_fault),
        Action::Catch => device(DeviceModel::may_catch),
        Action::UpdateBreak => device(|d| !d.running && d.catalog.is_some()),
        Action::Changes => device(|d| d.looked_back.is_some()),
        Action::JobSheet => run_of_sheet(app).is_some(),
        Action::Life => device_under_cursor(app).is_some(),
        Action::Job => device(|d| d.facts.is_some()),
        Action::CopyId => app.device().is_some_and(|d| d.id_under_cursor(app.view).is_some()),
        Action::Show(_)
        | Action::Orders
        | Action::NextView
        | Action::PreviousView
        | Action::Palette
        | Action::Help
        | Action::SearchHelp
        | Action::Quit
        | Action::Up
        | Action::Down
        | Action::PageUp
        | Action::PageDown
        | Action::First
        | Action::Last => true,
        _ => match app.view {
            View::Bench => bench::is_enabled(app, action),
            View::Packages => packages::is_enabled(app, action),
            View::Run => run::is_enabled(app, action),
            View::Shelf => shelf::is_enabled(app, action),
            View::Logbook => logbook::is_enabled(app, action),
        },
    }
}

/// The run whose job sheet would be shown: the one under the cursor or on the screen, or else the latest on the device.
pub(crate) fn run_of_sheet(app: &App) -> Option<RunId> {
    match app.view {
        View::Logbook => app.log.here().map(|run| run.number),
        _ => {
            let device = app.device()?;
            let shown = device.shown_run().filter(|_| app.view == View::Run);
            let latest = device.runs.iter().max_by_key(|run| run.number);
            shown.map(|run| run.number).or(latest.map(|run| run.number))
        }
    }
}

/// The device under the cursor: of the logbook that of the run there.
pub(crate) fn device_under_cursor(app: &App) -> Option<DeviceId> {
    match app.view {
        View::Logbook => app.log.here().map(|run| run.device.clone()),
        _ => Some(app.device()?.facts.as_ref()?.id.clone()),
    }
}

/// Does an action that is enabled and opens no window.
pub(crate) fn act(app: &mut App, action: Action, out: &mut Vec<Effect>) {
    let page = isize::try_from(page(app)).unwrap_or(1);
    let turned = |by: usize| View::ALL[(app.view as usize + by) % View::ALL.len()];
    match action {
        Action::Show(view) => show(app, view, out),
        Action::NextView => show(app, turned(1), out),
        Action::PreviousView => show(app, turned(View::ALL.len() - 1), out),
        Action::Up => move_by(app, -1),
        Action::Down => move_by(app, 1),
        Action::PageUp => move_by(app, -page),
        Action::PageDown => move_by(app, page),
        Action::First => move_to(app, 0),
        Action::Last => move_to(app, usize::MAX),
        Action::NextDevice => app.current = (app.current + 1) % app.devices.len().max(1),
        Action::Quit => out.push(Effect::Quit),
        Action::ReadAgain => out.extend(app.device().map(|d| to_session(d.card, SessionCommand::Survey))),
        Action::UndoRun => {
            let wanted = app.device().map_or_else(Vec::new, DeviceModel::of_the_last_run);
            parts::review_put_back(app, wanted);
        }
        Action::Stop => {
            out.extend(app.device().map(|d| Effect::Bench(BenchCommand::Control(d.card, Control::Stop))));
            app.tell("Stopping after what is on its way.");
        }
        Action::Pause => {
            let key = app.called_here(Action::Pause);
            let Some(device) = app.device_mut() else { return };
            device.paused = !device.paused;
            let (card, paused) = (device.card, device.paused);
            let (control, words) = match paused {
                true => (Control::Pause, format!("Paused: what is on its way is read back. {key} goes on.")),
                false => (Control::Go, "Going on.".to_owned()),
            };
            out.push(Effect::Bench(BenchCommand::Control(card, control)));
            app.tell(words);
        }
        Action::CarryOn => {
            let Some((device, number)) =
                app.device_mut().and_then(|d| Some((d.to_carry_on()?, d))).map(|(n, d)| (d, n))
            else {
                return;
            };
            device.running = true;
            out.push(to_session(device.card, SessionCommand::CarryOn(number)));
            app.view = View::Run;
            app.notice = None;
        }
        Action::CopyId => {
            if let Some(id) = app.device().and_then(|d| d.id_under_cursor(app.view)).cloned() {
                app.tell(format!("{id} is in the clipboard, where the terminal allows that."));
                out.push(Effect::Copy(id.to_string()));
            }
        }
        _ => match app.view {
            View::Bench => bench::act(app, action, out),
            View::Packages => packages::act(app, action, out),
            View::Run => run::act(app, action, out),
            View::Shelf => shelf::act(app, action, out),
            View::Logbook => logbook::act(app, action),
        },
    }
}

/// What an action means here and now, where the word of the keymap would say too little.
pub(crate) fn word(app: &App, action: Action) -> Option<&'static str> {
    if action == Action::Pause && app.device().is_some_and(|device| device.paused) {
        return Some("go on");
    }
    match app.view {
        View::Run => run::word(app, action),
        View::Shelf => shelf::word(app, action),
        View::Logbook => logbook::word(app, action),
        _ => None,
    }
}

/// The keys of the search line that somebody types into, where there is one.
pub(crate) fn typed_into(app: &App) -> Option<Layer> {
    match app.view {
        View::Packages => app.device().filter(|device| device.searching).map(|_| Layer::SearchLine),
        View::Logbook => app.log.searching.then_some(Layer::LogSearch),
        _ => None,
    }
}

/// Something is typed into the search line.
pub(crate) fn type_in(app: &mut App, typed: impl FnOnce(&mut Input)) {
    match app.view {
        View::Logbook => {
            typed(&mut app.log.search);
            app.log.search_again();
        }
        _ => {
            if let Some(device) = app.device_mut() {
                typed(&mut device.search);
                device.search_again();
            }
        }
    }
}

/// A key with a meaning of its own while a search line is typed into.
pub(crate) fn search_key(app: &mut App, action: Action) {
    let by = isize::try_from(page(app)).unwrap_or(1);
    match (app.view, action) {
        (View::Packages, _) => packages::search_key(app, action),
        (_, Action::Accept) => app.log.searching = false,
        (_, Action::Leave) => {
            app.log.searching = false;
            logbook::act(app, Action::Back);
        }
        (_, Action::Up) => move_by(app, -1),
        (_, Action::Down) => move_by(app, 1),
        (_, Action::PageUp) => move_by(app, -by),
        (_, Action::PageDown) => move_by(app, by),
        _ => {}
    }
}

/// Goes to a view.
fn show(app: &mut App, view: View, out: &mut Vec<Effect>) {
    app.view = view;
    app.notice = None;
    if view == View::Logbook {
        out.push(Effect::ReadLog);
    }
}

/// The cursor of the view, and how many items it moves over.
fn cursor(app: &mut App) -> Option<(&mut usize, usize)> {
    let devices = app.devices.len();
    match app.view {
        View::Bench => return Some((&mut app.current, devices)),
        View::Logbook => {
            let len = app.log.len();
            return Some((&mut app.log.at, len));
        }
        _ => {}
    }
    let view = app.view;
    let device = app.device_mut()?;
    Some(match view {
        View::Packages => (&mut device.at, device.found.len()),
        View::Shelf => (&mut device.shelf_at, device.shelf.entries.len()),
        _ => {
            let len = device.run_len();
            (&mut device.run_at, len)
        }
    })
}

pub(crate) fn move_by(app: &mut App, by: isize) {
    if app.view == View::Run {
        return run::move_by(app, by);
    }
    if let Some((at, len)) = cursor(app) {
        step(at, len, by);
    }
}

/// Whether the cursor is on an item.
pub(crate) fn is_at(app: &mut App, item: usize) -> bool {
    cursor(app).is_some_and(|(at, _)| *at == item)
}

pub(crate) fn move_to(app: &mut App, to: usize) {
    if app.view == View::Run
        && let Some(device) = app.device_mut()
    {
        device.run_from_the_top();
    }
    if let Some((at, len)) = cursor(app) {
        *at = to.min(len.saturating_sub(1));
    }
}

/// How many lines of the view's list are on the screen.
fn page(app: &App) -> usize {
    let body = app.body();
    let lines = match app.view {
        View::Packages => packages::table_area(app, body).height.saturating_sub(1),
        View::Bench => 1,
        _ => body.height / 2,
    };
    usize::from(lines.max(1))
}

/// Draws the view.
pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    match app.view {
        View::Bench => bench::draw(app, theme, frame, body),
        View::Packages => packages::draw(app, theme, frame, body),
        View::Run => run::draw(app, theme, frame, body),
        View::Shelf => shelf::draw(app, theme, frame, body),
        View::Logbook => logbook::draw(app, theme, frame, body),
    }
}

/// The item of the view's list at a place on the screen.
pub(crate) fn item_at(app: &App, column: u16, line: u16) -> Option<usize> {
    let body = app.body();
    match app.view {
        View::Packages => packages::line_at(app, body, column, line),
        View::Bench => bench::card_at(app, body, column, line),
        View::Shelf => shelf::line_at(app, body, line),
        View::Logbook => logbook::line_at(app, body, column, line),
        View::Run => run::line_at(app, body, line),
    }
}
