//! The packages: the table, what is known of the one under the cursor, and the tray.

mod details;
mod places;
mod search_line;
mod table;
mod tray;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use wibbet_bench::fleet::CardId;
use wibbet_bench::session::SessionCommand;
use wibbet_core::catalog::Column;
use wibbet_core::package::{Condition, Note, Scope, Source};
use wibbet_core::plan::{Change, TrayItem};
use wibbet_core::run::recorded_state;
use wibbet_types::{PackageId, UserId};

use super::parts::review_put_back;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, first_shown, item_at, spinner, step, wrap};
use places::places;
pub(crate) use places::table_area;

pub(super) use search_line::search_key;

/// The columns that have room on the screen.
fn shown_columns(app: &App) -> Vec<Column> {
    let users: Vec<UserId> = app
        .device()
        .and_then(|d| d.inventory.as_ref())
        .map_or_else(Vec::new, |i| i.users.iter().map(|u| u.id).collect());
    let at_work = app.device().map_or(UserId::OWNER, DeviceModel::user);
    let cells = usize::from(table_area(app, app.body()).width);
    let mut columns: Vec<_> =
        table::slots(&app.columns, &users, at_work, cells).into_iter().map(|s| s.column).collect();
    columns.dedup();
    columns
}

pub(crate) fn is_enabled(app: &App, action: Action) -> bool {
    let Some(device) = app.device() else { return false };
    let Some(inventory) = &device.inventory else { return action == Action::Next && device.has_something_to_do() };
    let id = device.under_cursor();
    match action {
        Action::Mark
        | Action::Search
        | Action::Details
        | Action::Columns
        | Action::Searches
        | Action::FromList
        | Action::Export
        | Action::Sort => true,
        Action::MarkForAll => id.is_some() && inventory.users.len() > 1,
        Action::Ways => id.is_some() || !device.tray.is_empty(),
        Action::NextWay | Action::Everything | Action::Star | Action::Note => id.is_some(),
        Action::Ties => id.is_some_and(|id| device.entry(id).is_some_and(|entry| entry.judgement.is_some())),
        Action::OtherWays => device.upshot(device.user()).is_some_and(|upshot| !upshot.instead.is_empty()),
        Action::Next | Action::EmptyTray => device.has_something_to_do(),
        Action::InstallApp => device.facts.is_some() && !device.running,
        Action::Parts => {
            device.capabilities.root.is_some()
                && device.is_ready()
                && !device.running
                && device.under_cursor().is_some()
        }
        Action::PutBack => id.is_some_and(|id| inventory.condition(id, device.user()).is_off()),
        Action::Undo => device.can_undo_tray(),
        Action::Redo => device.can_redo_tray(),
        Action::MarkFound | Action::Back => !device.search.value().is_empty(),
        Action::NextUser => inventory.users.len() > 1,
        Action::SortOtherWay => device.sort.0.is_some(),
        Action::WorkOutSizes => {
            let sizes = device.catalog.as_ref().is_some_and(|catalog| catalog.metrics.tells(Source::Sizes));
            device.is_ready() && !sizes && device.capabilities.sizes_packages()
        }
        Action::Languages | Action::Follow => device.is_ready(),
        Action::Unfollow => device.following,
        Action::Open => device.is_ready() && !device.running && id.is_some(),
        _ => false,
    }
}

pub(crate) fn act(app: &mut App, action: Action, out: &mut Vec<Effect>) {
    let Some(device) = app.device_mut() else { return };
    let card = device.card;
    match action {
        Action::Search => device.searching = true,
        Action::Mark => mark(app),
        Action::MarkForAll => mark_for_all(app),
        Action::NextWay => next_way(device),
        Action::MarkFound => mark_found(app),
        Action::NextUser => device.next_user(),
        Action::EmptyTray => {
            device.change_tray(Vec::clear);
            let dropped = device.drop_newcomers().into_iter();
            out.extend(dropped.map(|copy| to_session(card, SessionCommand::DropCopy(copy))));
        }
        Action::Undo => device.undo_tray(),
        Action::Redo => device.redo_tray(),
        Action::PutBack => put_back(app),
        Action::Back => {
            device.search.reset();
            device.refresh_found();
        }
        Action::Next => {
            if !device.running {
                device.review_tray();
            }
            (app.view, app.notice) = (View::Run, None);
        }
        Action::Details => app.details = !app.details,
        Action::Follow if device.following => go_to_front(app),
        Action::Follow => {
            device.following = true;
            out.push(to_session(card, SessionCommand::Follow(true)));
            let (goes, stops) = (app.called_here(Action::Follow), app.called_here(Action::Unfollow));
            app.tell(format!(
                "The package on the device's screen is highlighted now. {goes} goes to it, {stops} stops this."
            ));
        }
        Action::WorkOutSizes => out.push(to_session(card, SessionCommand::WorkOutSizes)),
        Action::Unfollow => {
            device.following = false;
            device.front = None;
            out.push(to_session(card, SessionCommand::Follow(false)));
        }
        Action::Star => out.extend(star(device).map(|note| to_session(card, SessionCommand::Note(note)))),
        Action::Sort => {
            let columns = shown_columns(app);
            let Some(device) = app.device_mut() else { return };
            let now = device.sort.0.and_then(|column| columns.iter().position(|c| *c == column));
            device.sort = (columns.get(now.map_or(0, |n| n + 1)).copied(), false);
            device.refresh_found();
        }
        Action::SortOtherWay => {
            device.sort.1 = !device.sort.1;
            device.refresh_found();
        }
        _ => {}
    }
}

fn mark(app: &mut App) {
    let back = app.called_here(Action::PutBack);
    let Some(device) = app.device_mut() else { return };
    let Some(id) = device.under_cursor().cloned() else { return };
    let user = device.user();
    let state = device.inventory.as_ref().map(|i| i.state(&id, user)).unwrap_or_default();
    if device.chosen(&id, user).is_some() {
        device.change_tray(|tray| tray.retain(|item| item.id != id || item.user != user));
    } else if let Some(why) = device.inventory.as_ref().and_then(|i| tray::never(device, i, &id, user)) {
        app.tell(format!("{id}: {why}."));
        return;
    } else if state.installed {
        device.mark_all(&[id]);
    } else {
        let word = state.condition().word();
        let back = if state.condition().is_off() { format!(" {back} puts it back.") } else { String::new() };
        let who = device.user_words(user);
        app.tell(format!("{id} is {word} for {who}; there is nothing to take out.{back}"));
        return;
    }
    step(&mut device.at, device.found.len(), 1);
}

/// Marks the package under the cursor for each user who has it, or takes it out for all where all have it marked.
fn mark_for_all(app: &mut App) {
    let Some(device) = app.device_mut() else { return };
    let (Some(id), Some(inventory)) = (device.under_cursor().cloned(), device.inventory.clone()) else { return };
    let has = |user: &UserId| {
        let installed = inventory.state(&id, *user).installed;
        installed && tray::never(device, &inventory, &id, *user).is_none()
    };
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).filter(has).collect();
    let way = users.iter().find_map(|user| device.chosen(&id, *user));
    let all = users.iter().all(|user| device.chosen(&id, *user).is_some());
    let count = users.len();
    if all {
        device.change_tray(|tray| tray.retain(|item| item.id != id));
    } else {
        let way = way.unwrap_or_else(|| device.first_way(&id));
        device.change_tray(|tray| {
            tray.retain(|item| item.id != id);
            tray.extend(users.into_iter().map(|user| TrayItem { id: id.clone(), user, way }));
        });
    }
    let words = match (all, count) {
        (_, 0) => format!("{id} is installed for nobody; there is nothing to take out."),
        (true, _) => format!("{id} is not in the tray any more, for nobody."),
        (false, 1) => format!("{id} is in the tray for the one user who has it."),
        (false, n) => format!("{id} is in the tray for {n} users."),
    };
    app.tell(words);
}

fn next_way(device: &mut DeviceModel) {
    let (Some(id), user) = (device.under_cursor().cloned(), device.user()) else { return };
    if let Some(way) = device.chosen(&id, user) {
        let at = Change::TAKE_OUT.iter().position(|w| *w == way).unwrap_or(0);
        let following = (1..=Change::TAKE_OUT.len()).map(|n| Change::TAKE_OUT[(at + n) % Change::TAKE_OUT.len()]);
        let next = following.into_iter().find(|way| tray::can(device, &id, user, *way)).unwrap_or(way);
        device.change_tray(|tray| {
            for item in tray.iter_mut().filter(|i| i.id == id && i.user == user) {
                item.way = next;
            }
        });
        return;
    }
    // What is not chosen yet is taken in, in another than the first way.
    let state = device.inventory.as_ref().map(|i| i.state(&id, user)).unwrap_or_default();
    if state.installed && !Change::Disable.is_met_by(state) {
        device.change_tray(|tray| tray.push(TrayItem { id, user, way: Change::Disable }));
    }
}

fn mark_found(app: &mut App) {
    let undo = app.called_here(Action::Undo);
    let Some(device) = app.device_mut() else { return };
    let (Some(inventory), user) = (device.inventory.clone(), device.user()) else { return };
    let in_use =
        |id: &&wibbet_types::PackageId| matches!(inventory.condition(id, user), Condition::InUse | Condition::Dormant);
    let may_go = |id: &&wibbet_types::PackageId| tray::never(device, &inventory, id, user).is_none();
    let ids: Vec<_> = device.found.iter().filter(in_use).filter(may_go).cloned().collect();
    let count = device.mark_all(&ids);
    app.tell(format!("{count} more packages in the tray. {undo} takes them out again."));
}

/// Shows the plan that puts back the package under the cursor.
fn put_back(app: &mut App) {
    let Some(device) = app.device().filter(|d| !d.running) else { return };
    let (Some(id), user) = (device.under_cursor().cloned(), device.user()) else { return };
    let on_shelf = device.shelf.entries.iter().find(|e| e.id == id && e.user == user);
    let target = on_shelf.map_or_else(|| recorded_state(&device.runs, &id, user), |e| e.target);
    review_put_back(app, vec![(id, user, target)]);
}

/// The note on the package under the cursor that gives it a star for all devices, or takes it away.
fn star(device: &DeviceModel) -> Option<Note> {
    let id = device.under_cursor()?.clone();
    let all = device.catalog.as_ref().and_then(|s| s.notes.get(&id)).cloned().unwrap_or_default();
    let known = all.iter().find(|n| n.scope == Scope::All).cloned();
    let note = known.unwrap_or(Note { id, scope: Scope::All, text: String::new(), star: false });
    Some(Note { star: !note.star, ..note })
}

fn go_to_front(app: &mut App) {
    let again = app.called_here(Action::ReadAgain);
    let Some(device) = app.device_mut() else { return };
    let Some((id, _)) = device.front.clone() else {
        app.tell("The device does not report what is on its screen; a lock screen belongs to no app.");
        return;
    };
    if !device.go_to(&id) {
        // The search does not find it: it is what somebody wants to see now.
        device.search.reset();
        device.refresh_found();
        if !device.go_to(&id) {
            app.tell(format!("{id} is on the device's screen, but not on the list. {again} reads the packages again."));
        }
    }
}

/// The packages that are in sight, while anything is still to be read of them.
pub(crate) fn in_sight(app: &App) -> Option<(CardId, Vec<PackageId>)> {
    let device = app.device().filter(|_| app.view == View::Packages)?;
    let catalog = device.catalog.as_ref()?;
    let lines = usize::from(table_area(app, app.body()).height.saturating_sub(1));
    let first = first_shown(device.at, device.found.len(), lines);
    let shown = device.found.iter().skip(first).take(lines);
    let unread: Vec<PackageId> = shown.filter(|id| !catalog.names.apps.contains_key(*id)).cloned().collect();
    (!unread.is_empty()).then_some((device.card, unread))
}

pub(crate) fn line_at(app: &App, body: Rect, column: u16, line: u16) -> Option<usize> {
    let table = table_area(app, body);
    let device = app.device()?;
    if !table.contains((column, line).into()) || line == table.y {
        return None;
    }
    let lines = usize::from(table.height.saturating_sub(1));
    item_at(device.found.len(), device.at, lines, usize::from(line - table.y - 1))
}

pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = app.device() else { return };
    let Some(inventory) = &device.inventory else {
        let what = match &device.ladder.trouble {
            Some(trouble) => format!("{} {}", trouble.seen, trouble.words),
            None => format!("{} {}", device.busy.as_deref().unwrap_or("making the link"), spinner(app.tick)),
        };
        let lines: Vec<Line<'_>> = wrap(&what, usize::from(body.width).saturating_sub(4))
            .into_iter()
            .map(|l| Line::raw(format!("  {l}")))
            .collect();
        frame.render_widget(Paragraph::new(lines), body);
        return;
    };
    let parts = places(app, body);
    search_line::draw(app, device, inventory, theme, frame, parts.search);
    table::draw(app, device, theme, frame, parts.table);
    if let Some(area) = parts.details {
        details::draw(app, device, inventory, theme, frame, area);
    }
    tray::draw(device, inventory, theme, frame, parts.tray);
    if device.searching {
        search_line::draw_completions(device, theme, frame, parts.table);
    }
}
