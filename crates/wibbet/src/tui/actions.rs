//! What each action does. An action changes the model and asks for effects; nothing here waits.

use std::sync::Arc;

use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::session::SessionCommand;
use wibbet_core::plan::{Back, Change, TrayItem};
use wibbet_core::run::{Outcome, RunKind, recorded_state};

use super::message::{Effect, to_session};
use super::offers::{is_enabled, refused_uninstalls, to_carry_on};
use super::{find, links, views};
use crate::tui::app::{CloseForm, DeviceModel, Model, RunPane, Window};
use crate::tui::keys::{Action, View};

/// Does an action.
pub(crate) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    if !is_enabled(model, action) {
        return Vec::new();
    }
    let current = model.current;
    match action {
        Action::Show(view) => return show(model, view),
        Action::NextView => return show(model, View::ALL[(model.view as usize + 1) % View::ALL.len()]),
        Action::FormerView => {
            return show(model, View::ALL[(model.view as usize + View::ALL.len() - 1) % View::ALL.len()]);
        }
        Action::Up => move_by(model, -1),
        Action::Down => move_by(model, 1),
        Action::PageUp => move_by(model, -(views::page(model) as isize)),
        Action::PageDown => move_by(model, views::page(model) as isize),
        Action::First => move_to(model, 0),
        Action::Last => move_to(model, usize::MAX),
        Action::Palette => model.popup = Some(Window::Palette { input: Input::default(), at: 0 }),
        Action::Help => model.popup = Some(Window::Help { from: 0 }),
        Action::SearchHelp => model.popup = Some(Window::SearchHelp { from: 0 }),
        Action::AddDevice => model.popup = Some(Window::Address { input: Input::default(), trouble: None }),
        Action::Guide => model.popup = Some(Window::Guide { from: 0 }),
        Action::Pair => return links::open_pairing(model),
        Action::CloseLink => model.popup = Some(Window::Close(CloseForm::default())),
        Action::OwnScreens => links::open_own_screens(model, None),
        Action::NextDevice => model.current = (current + 1) % model.devices.len(),
        Action::Details => model.details = !model.details,
        Action::Quit => {
            if model.devices.iter().any(|d| d.running) {
                model.popup = Some(Window::Quit);
            } else {
                return vec![Effect::Quit];
            }
        }
        Action::GoOn => return go_on(model),
        Action::Follow
        | Action::Unfollow
        | Action::Open
        | Action::WholeSheet
        | Action::CopyId
        | Action::Star
        | Action::Note
        | Action::Sort
        | Action::SortOtherWay
        | Action::Columns
        | Action::Searches
        | Action::FromList
        | Action::Languages
        | Action::Export => return find::act(model, action),
        _ => return on_device(model, action),
    }
    Vec::new()
}

fn show(model: &mut Model, view: View) -> Vec<Effect> {
    model.view = view;
    model.note = None;
    if view == View::Logbook { vec![Effect::ReadLog] } else { Vec::new() }
}

fn go_on(model: &mut Model) -> Vec<Effect> {
    model.note = None;
    match model.view {
        View::Bench => model.view = View::Packages,
        View::Packages => {
            if let Some(device) = model.device_mut().filter(|d| !d.running) {
                device.review_tray();
            }
            model.view = View::Run;
        }
        View::Logbook => {
            if let Some(run) = model.log.get(model.log_at).cloned() {
                let place = model.devices.iter().position(|d| d.facts.as_ref().is_some_and(|f| f.id == run.serial));
                match place {
                    Some(place) if !model.devices[place].running => {
                        model.current = place;
                        model.devices[place].run_at = 0;
                        model.devices[place].pane = RunPane::Shown(Arc::new(run));
                        model.view = View::Run;
                    }
                    Some(_) => model.tell("That device has a run going on; it is on the run view."),
                    None => model.tell(format!("The device of that run, {}, is not on the bench.", run.serial)),
                }
            }
        }
        View::Run | View::Shelf => {}
    }
    Vec::new()
}

fn on_device(model: &mut Model, action: Action) -> Vec<Effect> {
    let (view, current) = (model.view, model.current);
    let Some(device) = model.devices.get_mut(current) else { return Vec::new() };
    let card = device.card;
    match action {
        Action::StayAwake => {
            let on = !super::offers::stays_awake(device);
            return vec![to_session(card, SessionCommand::StayAwake(on))];
        }
        Action::Search => device.searching = true,
        Action::Mark if view == View::Shelf => {
            if let Some(entry) = device.shelf.entries.get(device.shelf_at) {
                let mark = (entry.id.clone(), entry.user);
                if !device.shelf_marks.remove(&mark) {
                    device.shelf_marks.insert(mark);
                }
            }
            move_by(model, 1);
        }
        Action::Mark => mark(model),
        Action::NextWay => next_way(model),
        Action::MarkFound => mark_found(model),
        Action::NextUser => device.next_user(),
        Action::EmptyTray => device.change_tray(Vec::clear),
        Action::Undo if view == View::Packages => device.undo_tray(),
        Action::Undo => put_back_run(model, None),
        Action::PutBack => match view {
            View::Run => {
                let only = device.run_at;
                put_back_run(model, Some(only));
            }
            View::Shelf => put_back_shelf(model),
            _ => put_back_under_cursor(model),
        },
        Action::Words => device.show_words = !device.show_words,
        Action::ReadAgain => return vec![to_session(card, SessionCommand::Survey)],
        Action::Stop => {
            model.tell("Stopping after the step that is on its way.");
            return vec![Effect::Bench(BenchCommand::StopRun(card))];
        }
        Action::CarryOn => {
            if let Some(number) = to_carry_on(device) {
                device.running = true;
                model.view = View::Run;
                model.note = None;
                return vec![to_session(card, SessionCommand::CarryOn(number))];
            }
        }
        Action::ToDisable if device.reviewed().is_none() => {
            let instead = refused_uninstalls(device);
            device.change_tray(|tray| *tray = instead);
            device.review_tray();
        }
        Action::ToDisable => {
            device.review_again(
                |items, plan| {
                    for step in plan.steps.iter().filter(|s| matches!(s.back, Back::NoWay(_))) {
                        if let Some(item) = items.iter_mut().find(|i| i.id == step.id && i.user == step.user) {
                            item.way = Change::Disable;
                        }
                    }
                },
                false,
            );
        }
        Action::AllowNoWayBack => device.review_again(|_, _| {}, true),
        Action::Send => {
            if let Some(review) = device.reviewed().cloned() {
                let (kind, plan) = (review.kind, review.plan.clone());
                device.pane = RunPane::Starting(review);
                device.running = true;
                device.run_at = 0;
                match kind {
                    RunKind::TakeOut => device.change_tray(Vec::clear),
                    RunKind::PutBack => device.shelf_marks.clear(),
                }
                model.note = None;
                return vec![to_session(card, SessionCommand::Run(kind, plan))];
            }
        }
        Action::Back if view == View::Run => {
            let kind = device.reviewed().map(|r| r.kind);
            device.pane = RunPane::Nothing;
            model.view = if kind == Some(RunKind::PutBack) { View::Shelf } else { View::Packages };
            model.tell("Nothing was sent.");
        }
        Action::Back => {
            device.search.reset();
            device.refresh_found();
        }
        _ => {}
    }
    Vec::new()
}

fn mark(model: &mut Model) {
    let Some(device) = model.device_mut() else { return };
    let Some(id) = device.under_cursor().cloned() else { return };
    let user = device.user();
    let state = device.inventory.as_ref().map(|i| i.state(&id, user)).unwrap_or_default();
    if device.chosen(&id, user).is_some() {
        device.change_tray(|tray| tray.retain(|item| item.id != id || item.user != user));
    } else if state.installed {
        device.change_tray(|tray| tray.push(TrayItem { id, user, way: Change::Uninstall }));
    } else {
        let word = state.condition().word();
        let back = if state.condition().is_off() { " b puts it back." } else { "" };
        let who = device.user_words(user);
        model.tell(format!("{id} is {word} for {who}; there is nothing to take out.{back}"));
        return;
    }
    move_by(model, 1);
}

fn next_way(model: &mut Model) {
    let Some(device) = model.device_mut() else { return };
    let (Some(id), user) = (device.under_cursor().cloned(), device.user()) else { return };
    match device.chosen(&id, user) {
        Some(way) => {
            let at = Change::TAKE_OUT.iter().position(|w| *w == way).unwrap_or(0);
            let next = Change::TAKE_OUT[(at + 1) % Change::TAKE_OUT.len()];
            device.change_tray(|tray| {
                for item in tray.iter_mut().filter(|i| i.id == id && i.user == user) {
                    item.way = next;
                }
            });
        }
        None => mark_with(device, id, Change::Disable),
    }
}

/// Takes a package that is installed into the tray, in another than the first way.
fn mark_with(device: &mut DeviceModel, id: wibbet_types::PackageId, way: Change) {
    let user = device.user();
    let state = device.inventory.as_ref().map(|i| i.state(&id, user)).unwrap_or_default();
    if state.installed && !way.is_met_by(state) {
        device.change_tray(|tray| tray.push(TrayItem { id, user, way }));
    }
}

fn mark_found(model: &mut Model) {
    let Some(device) = model.device_mut() else { return };
    let (Some(inventory), user) = (device.inventory.clone(), device.user()) else { return };
    let new: Vec<TrayItem> = device
        .found
        .iter()
        .filter(|id| {
            inventory.state(id, user).condition() == wibbet_core::package::Condition::InUse
                && device.chosen(id, user).is_none()
        })
        .map(|id| TrayItem { id: id.clone(), user, way: Change::Uninstall })
        .collect();
    let count = new.len();
    device.change_tray(|tray| tray.extend(new));
    model.tell(format!("{count} packages more in the tray. z takes them out again."));
}

/// Shows the plan that puts back a run, or one step of it.
fn put_back_run(model: &mut Model, only: Option<usize>) {
    let Some(device) = model.device_mut() else { return };
    let Some(run) = device.shown_run().cloned() else { return };
    let done =
        run.steps.iter().filter(|s| s.outcome == Some(Outcome::Done) && only.is_none_or(|place| s.place == place));
    let wanted = done.map(|s| (s.id.clone(), s.user, s.before)).collect();
    device.review_put_back(wanted);
}

fn put_back_shelf(model: &mut Model) {
    let Some(device) = model.device_mut().filter(|d| !d.running) else { return };
    let marked = &device.shelf_marks;
    let chosen = device.shelf.entries.iter().enumerate().filter(|(n, e)| {
        if marked.is_empty() { *n == device.shelf_at } else { marked.contains(&(e.id.clone(), e.user)) }
    });
    let wanted = chosen.map(|(_, e)| (e.id.clone(), e.user, e.target)).collect();
    device.review_put_back(wanted);
    show(model, View::Run);
}

fn put_back_under_cursor(model: &mut Model) {
    let Some(device) = model.device_mut().filter(|d| !d.running) else { return };
    let (Some(id), user) = (device.under_cursor().cloned(), device.user()) else { return };
    let on_shelf = device.shelf.entries.iter().find(|e| e.id == id && e.user == user);
    let target = on_shelf.map_or_else(|| recorded_state(&device.runs, &id, user), |e| e.target);
    device.review_put_back(vec![(id, user, target)]);
    show(model, View::Run);
}

/// The cursor of the view, and how many lines it moves over.
fn cursor(model: &mut Model) -> Option<(&mut usize, usize)> {
    let devices = model.devices.len();
    match model.view {
        View::Bench => return Some((&mut model.current, devices)),
        View::Logbook => return Some((&mut model.log_at, model.log.len())),
        _ => {}
    }
    let view = model.view;
    let device = model.device_mut()?;
    Some(match view {
        View::Packages => (&mut device.at, device.found.len()),
        View::Shelf => (&mut device.shelf_at, device.shelf.entries.len()),
        _ => {
            let len = device.run_len();
            (&mut device.run_at, len)
        }
    })
}

pub(crate) fn move_by(model: &mut Model, by: isize) {
    if let Some((at, len)) = cursor(model) {
        *at = at.saturating_add_signed(by).min(len.saturating_sub(1));
    }
}

pub(crate) fn move_to(model: &mut Model, to: usize) {
    if let Some((at, len)) = cursor(model) {
        *at = to.min(len.saturating_sub(1));
    }
}
