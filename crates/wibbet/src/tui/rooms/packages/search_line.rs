//! The search line, its keys, and what the word that is being typed can become.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Clear, Paragraph};
use tui_input::Input;
use wibbet_core::package::Inventory;
use wibbet_core::search::{Completion, Search, SearchError, SearchErrorKind};

use super::places::table_area;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::widgets::{Tap, Theme, draw_list, fit, justify, spinner, step, truncate};

/// What the word under the cursor of the search line can become.
fn completions(device: &DeviceModel) -> Vec<Completion> {
    let line = device.search.value();
    let cursor = line.char_indices().nth(device.search.cursor()).map_or(line.len(), |(at, _)| at);
    let offers = Search::complete(line, cursor);
    // A word that is whole already needs no list.
    let whole = |c: &Completion| c.text.trim_end() == &line[c.at.clone()];
    if offers.len() == 1 && offers.iter().all(whole) { Vec::new() } else { offers }
}

/// A key with a meaning of its own while the search line is typed into.
pub(crate) fn search_key(app: &mut App, action: Action) {
    let page = isize::try_from(table_area(app, app.body()).height).unwrap_or(1).max(1);
    let Some(device) = app.device_mut() else { return };
    let offers = completions(device);
    match action {
        Action::Accept => device.searching = false,
        Action::Leave => {
            device.searching = false;
            device.search.reset();
            device.refresh_found();
        }
        Action::Up if !offers.is_empty() => step(&mut device.completing, offers.len(), -1),
        Action::Down if !offers.is_empty() => step(&mut device.completing, offers.len(), 1),
        Action::Up => step(&mut device.at, device.found.len(), -1),
        Action::Down => step(&mut device.at, device.found.len(), 1),
        Action::PageUp => step(&mut device.at, device.found.len(), -page),
        Action::PageDown => step(&mut device.at, device.found.len(), page),
        Action::Complete if offers.is_empty() => device.searching = false,
        Action::Complete => complete(device, &offers),
        _ => {}
    }
}

fn complete(device: &mut DeviceModel, offers: &[Completion]) {
    let Some(offer) = offers.get(device.completing.min(offers.len().saturating_sub(1))) else { return };
    let mut line = device.search.value().to_owned();
    line.replace_range(offer.at.clone(), &offer.text);
    let cursor = line[..offer.at.start + offer.text.len()].chars().count();
    device.search = Input::new(line).with_cursor(cursor);
    device.search_again();
}

/// What is wrong, and what shows what would do.
fn trouble_words(trouble: &SearchError, by_word: bool) -> String {
    let key = Layer::SearchLine.called(Action::Complete, by_word);
    match &trouble.kind {
        kind @ SearchErrorKind::NotComparable(_) => format!("{kind}; {key} shows what can"),
        kind @ SearchErrorKind::UnknownFact(_) => format!("{kind}; {key} shows those that there are"),
        kind => kind.to_string(),
    }
}

pub(super) fn draw(
    app: &App,
    device: &DeviceModel,
    inventory: &Inventory,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let value = device.search.value();
    let cells = usize::from(area.width);
    let found = match (value.is_empty(), device.found.len()) {
        (true, all) => format!(" {all} packages "),
        (false, found) => format!(" {found} of {} found ", inventory.packages.len()),
    };
    if !device.searching
        && let Some(key) = Layer::Room(View::Packages).event_of(Action::Search)
    {
        theme.taps.note(area, Tap::Keys(key, 1));
    }
    let mut right = Vec::new();
    let trouble = device.query.trouble.as_ref();
    if let Some(trouble) = trouble {
        right.push(Span::styled(
            format!(" {} ", truncate(&trouble_words(trouble, theme.taps.large()), cells / 2)),
            theme.alert,
        ));
    } else if let Some((id, _)) = &device.front {
        right.push(Span::styled(format!(" ◉ {} ", truncate(&device.name_of(id), 28)), theme.accent));
    } else if let Some(what) = device.reading.as_ref().filter(|_| value.is_empty() || cells >= 60) {
        right.push(Span::styled(format!(" {what} {} ", spinner(app.tick)), theme.dim));
    }
    right.push(Span::styled(found, theme.dim));
    let mut left = vec![Span::styled(" / ", theme.accent)];
    match trouble {
        _ if value.is_empty() && !device.searching => {
            left.push(Span::styled("words of label, id or notes, :facts, :size>50M …", theme.dim));
        }
        // The spot of the trouble is marked where it is.
        Some(spot) if spot.span.end <= value.len() => {
            left.push(Span::styled(value[..spot.span.start].to_owned(), theme.plain));
            let wrong = if spot.span.is_empty() { "?" } else { &value[spot.span.clone()] };
            left.push(Span::styled(wrong.to_owned(), theme.alert.add_modifier(Modifier::UNDERLINED)));
            left.push(Span::styled(value[spot.span.end..].to_owned(), theme.plain));
        }
        _ => left.push(Span::styled(value.to_owned(), if device.searching { theme.strong } else { theme.plain })),
    }
    frame.render_widget(Paragraph::new(justify(left, right, cells)), area);
    if device.searching {
        let x = area.x + 3 + u16::try_from(device.search.visual_cursor()).unwrap_or(0);
        frame.set_cursor_position((x.min(area.right().saturating_sub(1)), area.y));
    }
}

/// What the word that is being typed can become, over the beginning of the table.
pub(super) fn draw_completions(device: &DeviceModel, theme: &Theme, frame: &mut Frame<'_>, table: Rect) {
    let offers = completions(device);
    let lines = offers.len().min(10).min(usize::from(table.height));
    if lines == 0 {
        return;
    }
    let area = Rect { x: table.x + 2, width: 64.min(table.width.saturating_sub(2)), height: lines as u16, ..table };
    let cells = usize::from(area.width);
    let row = |offer: &Completion, _| {
        Line::from(vec![
            Span::styled(format!(" {}", fit(offer.text.trim_end(), 15)), theme.accent),
            Span::styled(fit(offer.doc, cells.saturating_sub(16)), theme.plain),
        ])
    };
    frame.render_widget(Clear, area);
    draw_list(&offers, device.completing, row, theme, frame, area);
    // The one that is chosen; typing on leaves fewer.
    if let Some(key) = Layer::SearchLine.event_of(Action::Complete) {
        theme.taps.note(area, Tap::Keys(key, 1));
    }
}
