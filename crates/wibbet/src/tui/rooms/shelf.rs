//! The shelf: what is off, by run or from before.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_bench::session::SessionCommand;
use wibbet_core::link::Rung;
use wibbet_core::package::KeptCopy;
use wibbet_core::run::{Origin, ShelfEntry};

use super::parts::{named, review_put_back};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Place, TallList, Theme, fit, glyph, step, truncate, under_cursor};

/// Lines above the entries.
const HEAD: usize = 2;

/// Whether a heading stands above an entry.
fn heads(entries: &[ShelfEntry], n: usize) -> bool {
    n == 0 || entries[n - 1].origin != entries[n].origin
}

/// Which lines are in sight, and where the cursor is among them.
fn list(device: &DeviceModel, body: Rect) -> (TallList, Place) {
    let entries = &device.shelf.entries;
    let heights = (0..entries.len()).map(|n| if heads(entries, n) { 3 } else { 1 }).collect();
    (TallList::new(HEAD, heights, usize::from(body.height)), Place { at: device.shelf_at, passed: 0 })
}

pub(super) fn is_enabled(app: &App, action: Action) -> bool {
    match action {
        Action::OfferCopy => {
            app.device().is_some_and(|device| copy_under_cursor(device).is_some_and(KeptCopy::installs))
        }
        Action::SettingsBack => app.device().is_some_and(|device| !device.running && device.ladder.holds(Rung::Shell)),
        Action::Mark | Action::MarkFound | Action::PutBack => {
            app.device().is_some_and(|device| !device.shelf.entries.is_empty())
        }
        _ => false,
    }
}

/// The copy that is kept of what is under the cursor.
fn copy_under_cursor(device: &DeviceModel) -> Option<&KeptCopy> {
    let entry = device.shelf.entries.get(device.shelf_at)?;
    match entry.copy {
        Some(number) => device.copies.iter().find(|copy| copy.number == number),
        None => KeptCopy::last_of(&device.copies, &entry.id),
    }
}

pub(super) fn act(app: &mut App, action: Action, out: &mut Vec<Effect>) {
    let Some(device) = app.device_mut() else { return };
    match action {
        Action::Mark => {
            if let Some(entry) = device.shelf.entries.get(device.shelf_at) {
                let mark = (entry.id.clone(), entry.user);
                if !device.shelf_marks.remove(&mark) {
                    device.shelf_marks.insert(mark);
                }
            }
            step(&mut device.shelf_at, device.shelf.entries.len(), 1);
        }
        Action::MarkFound => {
            let Some(origin) = device.shelf.entries.get(device.shelf_at).map(|entry| entry.origin) else { return };
            let group = device.shelf.entries.iter().filter(|entry| entry.origin == origin);
            let group: Vec<_> = group.map(|entry| (entry.id.clone(), entry.user)).collect();
            match group.iter().all(|mark| device.shelf_marks.contains(mark)) {
                true => device.shelf_marks.retain(|mark| !group.contains(mark)),
                false => device.shelf_marks.extend(group),
            }
        }
        Action::PutBack if !device.running => {
            let marked = &device.shelf_marks;
            let chosen = device.shelf.entries.iter().enumerate().filter(|(n, e)| {
                if marked.is_empty() { *n == device.shelf_at } else { marked.contains(&(e.id.clone(), e.user)) }
            });
            let wanted = chosen.map(|(_, e)| (e.id.clone(), e.user, e.target)).collect();
            review_put_back(app, wanted);
        }
        Action::OfferCopy => {
            let Some(copy) = copy_under_cursor(device) else { return };
            let (number, offered) = (copy.number, !copy.offered);
            out.push(to_session(device.card, SessionCommand::OfferCopy(number, offered)));
            let install = app.called(View::Packages, Action::InstallApp);
            let words = match offered {
                true => format!(
                    "Copy {number} is offered to other devices of the model, where {install} on the packages installs an app."
                ),
                false => format!("Copy {number} is kept for this device alone."),
            };
            app.tell(words);
        }
        _ => {}
    }
}

pub(super) fn word(app: &App, action: Action) -> Option<&'static str> {
    let marked = app.device().is_some_and(|d| !d.shelf_marks.is_empty());
    (action == Action::PutBack && marked).then_some("put back the marked")
}

pub(super) fn line_at(app: &App, body: Rect, line: u16) -> Option<usize> {
    let (list, place) = list(app.device()?, body);
    list.item_at(place, usize::from(line.checked_sub(body.y)?))
}

pub(super) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = app.device() else { return };
    let cells = usize::from(body.width);
    let entries = &device.shelf.entries;
    let (back, mark) = (app.called(View::Shelf, Action::PutBack), app.called(View::Shelf, Action::Mark));
    let title = match (entries.len(), device.shelf_marks.len()) {
        _ if device.inventory.is_none() && cells < 60 => " Its packages have not been read yet.".to_owned(),
        (n, 0) if n > 0 && cells < 60 => format!(" {n} off. {back} plans to put it back."),
        (n, marked) if n > 0 && cells < 60 => format!(" {n} off, {marked} marked. {back} plans it."),
        _ if device.inventory.is_none() => " The packages of this device have not been read yet.".to_owned(),
        (0, _) => " Nothing is off on this device.".to_owned(),
        (n, 0) => format!(" {n} off. {back} plans to put back the one under the cursor; {mark} marks several."),
        (n, marked) => format!(" {n} off, {marked} marked. {back} plans to put back the marked ones."),
    };
    let not_given: Vec<String> = device
        .shelf
        .not_given
        .iter()
        .map(|(user, count)| match cells {
            0..60 => format!("{count} never given to user {user}"),
            _ => format!("{count} that {} was never given", device.user_words(*user)),
        })
        .collect();
    let not_given = match not_given.is_empty() {
        true => String::new(),
        false => format!(" Not counted: {}.", not_given.join("; ")),
    };
    let above =
        vec![Line::styled(truncate(&title, cells), theme.strong), Line::styled(truncate(&not_given, cells), theme.dim)];
    let mut items: Vec<Vec<Line<'_>>> = Vec::new();
    for (n, entry) in entries.iter().enumerate() {
        let mut item = Vec::new();
        if heads(entries, n) {
            let count = entries.iter().filter(|e| e.origin == entry.origin).count();
            let words = match entry.origin {
                Origin::Run { number, begun } => format!("run {number} · {} · {count}", app.clock(begun)),
                Origin::Before => format!("off before Wibbet · {count}"),
            };
            let rule = "─".repeat(cells.saturating_sub(crate::tui::widgets::width(&words) + 4));
            item.push(Line::raw(""));
            item.push(Line::from(vec![
                Span::styled("─ ", theme.dim),
                Span::styled(format!("{words} "), theme.accent),
                Span::styled(rule, theme.dim),
            ]));
        }
        let here = n == device.shelf_at;
        let marked = device.shelf_marks.contains(&(entry.id.clone(), entry.user));
        let id_cells = cells
            .saturating_sub(match cells {
                0..70 => 25,
                70..100 => 42,
                _ => 72,
            })
            .clamp(12, 60);
        let mut spans = vec![
            Span::styled(if here { "▌" } else { " " }, theme.accent),
            Span::styled(if marked { "◆ " } else { "  " }, theme.accent),
            Span::styled(
                format!("{} {} ", glyph(entry.condition), fit(entry.word(), 12)),
                theme.condition(entry.condition),
            ),
            Span::styled(format!("{} ", fit(&named(device, &entry.id, id_cells), id_cells)), theme.plain),
        ];
        let whose = match cells {
            0..70 => fit(&format!("u{}", entry.user), 5),
            _ => fit(&device.user_words(entry.user), 22),
        };
        spans.push(Span::styled(whose, theme.dim));
        if cells >= 100 {
            let goal = entry.target.condition();
            let offered = device.copies.iter().any(|copy| Some(copy.number) == entry.copy && copy.offered);
            let from = match entry.copy {
                Some(_) if offered => ", offered copy",
                Some(_) => ", from its copy",
                None => "",
            };
            spans.push(Span::styled(format!(" back to {}{from}", goal.word()), theme.dim));
        }
        let line = Line::from(spans);
        item.push(if here { under_cursor(line, theme, cells) } else { line });
        items.push(item);
    }
    let (list, place) = list(device, body);
    frame.render_widget(Paragraph::new(list.shown(place, above, items)), body);
}
