//! What stands around every view: the line of work at the top, the device, notes and keys.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::link::Rung;

use crate::tui::app::App;
use crate::tui::keys::{Action, Binding, Key, Layer, View, in_room};
use crate::tui::rooms::{self, is_enabled};
use crate::tui::widgets::{Areas, Theme, button_rows, draw_buttons, justify, spinner, truncate, width, wrap};

const NAME: &str = " wibbet ";

/// The tabs of the line of work: view, first cell, cell behind the last.
pub(crate) fn tabs(app: &App, cells: u16) -> Vec<(View, usize, usize)> {
    let mut at = width(NAME) + 1;
    View::ALL
        .into_iter()
        .map(|view| {
            let w = width(&tab(app, view, cells));
            let from = at;
            at += w + width(separator(cells));
            (view, from, from + w)
        })
        .collect()
}

fn separator(cells: u16) -> &'static str {
    match cells {
        0..80 => " ",
        80..110 => " ─ ",
        _ => " ─── ",
    }
}

fn tab(app: &App, view: View, cells: u16) -> String {
    let number = view as usize + 1;
    let glyph = if view == app.view { "◉" } else { "○" };
    let device = app.device();
    let count = match view {
        View::Bench => app.devices.len(),
        View::Packages => device.and_then(|d| d.inventory.as_ref()).map_or(0, |i| i.packages.len()),
        View::Run => 0,
        View::Shelf => device.map_or(0, |d| d.shelf.entries.len()),
        View::Logbook => device.map_or(0, |d| d.runs.len()),
    };
    match cells {
        0..60 if view == app.view => format!("◉{number} {}", view.name()),
        0..60 => format!("{glyph}{number}"),
        60..96 => format!("{glyph}{number} {}", view.name()),
        _ if view == View::Run && device.is_some_and(|d| d.reviewed().is_some()) => {
            format!("{glyph} {number} Run · plan")
        }
        _ if view == View::Run && device.is_some_and(|d| d.running) => format!("{glyph} {number} Run · going on"),
        _ if count > 0 => format!("{glyph} {number} {} {count}", view.name()),
        _ => format!("{glyph} {number} {}", view.name()),
    }
}

pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, areas: &Areas) {
    let cells = areas.tabs.width;
    let mut spans = vec![Span::styled(NAME, theme.accent), Span::raw(" ")];
    for (n, view) in View::ALL.into_iter().enumerate() {
        if n > 0 {
            spans.push(Span::styled(separator(cells), theme.dim));
        }
        let style = if view == app.view { theme.strong } else { theme.dim };
        spans.push(Span::styled(tab(app, view, cells), style));
    }
    let sign = match cells {
        _ if !app.simulated => "",
        110.. => " simulated bench devices ",
        _ => " simulated ",
    };
    frame.render_widget(
        Paragraph::new(justify(spans, vec![Span::styled(sign, theme.sign)], usize::from(cells))),
        areas.tabs,
    );
    frame.render_widget(Paragraph::new(device_line(app, theme, usize::from(cells))), areas.device);
    let rule = "─".repeat(usize::from(cells));
    frame.render_widget(Paragraph::new(Span::styled(rule, theme.dim)), areas.rule);
    frame.render_widget(Paragraph::new(notice_lines(app, theme, areas.notice)), areas.notice);
}

fn device_line<'a>(app: &'a App, theme: &Theme, cells: usize) -> Line<'a> {
    let key = |action| app.called(View::Bench, action);
    let Some(device) = app.device() else {
        return Line::styled(
            format!(
                " No device yet: plug one in. On the bench {} pairs by air, {} adds an address, {} shows the first steps.",
                key(Action::Pair),
                key(Action::AddDevice),
                key(Action::Guide)
            ),
            theme.dim,
        );
    };
    let mut left = vec![Span::raw(" "), Span::styled(device.name(), theme.strong)];
    if let Some(facts) = &device.facts {
        left.push(Span::styled(format!("  {} · {}", facts.android, facts.id), theme.dim));
    }
    if app.devices.len() > 1 {
        left.push(Span::styled(format!(" · device {} of {}", app.current + 1, app.devices.len()), theme.dim));
    }
    let turn = spinner(app.tick);
    let right = if let Some(why) = &device.waiting {
        Span::styled(format!(" {turn} {} ", truncate(why, cells / 2)), theme.alert)
    } else if device.running {
        Span::styled(format!(" {turn} run going on "), theme.accent)
    } else if let Some(busy) = &device.busy {
        Span::styled(format!(" {turn} {busy} "), theme.accent)
    } else if device.ladder.awaits_tap() {
        Span::styled(format!(" {turn} waiting for “Allow” on the device "), theme.accent)
    } else if let Some(trouble) = device.ladder.trouble.as_ref().filter(|_| !device.ladder.is_up()) {
        let again = if trouble.advice.mends_itself() { "tried again by itself " } else { "" };
        Span::styled(format!(" no link · {again}"), theme.alert)
    } else if let Some(trouble) = &device.ladder.trouble {
        let lacks = match trouble.rung {
            Rung::Changes => "changes not permitted",
            Rung::Started => "still starting",
            other => other.label(),
        };
        Span::styled(format!(" linked · {lacks} "), theme.alert)
    } else if device.closed {
        Span::styled(" link closed ", theme.dim)
    } else if device.ladder.tried().is_some() {
        Span::styled(format!(" {turn} making the link "), theme.accent)
    } else {
        Span::styled(" linked ", theme.good)
    };
    justify(left, vec![right], cells)
}

fn notice_lines<'a>(app: &'a App, theme: &Theme, area: Rect) -> Vec<Line<'a>> {
    let Some(notice) = &app.notice else { return Vec::new() };
    let style = if notice.alert { theme.alert } else { theme.plain };
    let glyph = if notice.alert { "▲ " } else { "· " };
    let lines = wrap(&notice.text, usize::from(area.width).saturating_sub(4));
    // A long note is cut here; the logbook and the run view have all of it.
    let room = usize::from(area.height);
    let line = |(n, text): (usize, &String)| {
        let more = if n + 1 == room && lines.len() > room { "…" } else { "" };
        let sign = if n == 0 { glyph } else { "  " };
        Line::from(vec![Span::raw(" "), Span::styled(format!("{sign}{text}{more}"), style)])
    };
    lines.iter().take(room).enumerate().map(line).collect()
}

/// What does something here and now: its key, the words for it, and whether it leads to everything else.
fn hints(app: &App) -> Vec<(Key, &'static str, bool)> {
    let typed_into = rooms::typed_into(app);
    let typing = typed_into.is_some();
    let mut bindings: Vec<_> = match typed_into {
        Some(layer) => layer.bindings().collect(),
        None => in_room(app.view).collect(),
    };
    bindings.retain(|b| !b.hint.is_empty() && (typing || is_enabled(app, b.action)));
    // What leads to everything that does not fit is always in sight.
    let leads_on = |action| matches!(action, Action::Menu | Action::Palette | Action::Help) && !typing;
    let hint = |b: &Binding| {
        let words = rooms::word(app, b.action).unwrap_or(b.hint);
        Some((*b.keys.first()?, words, leads_on(b.action)))
    };
    bindings.into_iter().filter_map(hint).collect()
}

/// The keys that do something here and now, as many as fit.
pub(crate) fn draw_hints(app: &App, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    if theme.taps.large() {
        return draw_words(app, theme, frame, area);
    }
    let cells = usize::from(area.width);
    let shown = hints(app);
    let needed = |key: Key, words: &str| width(&key.name()) + width(words) + 3;
    let reserved: usize = shown.iter().filter(|(.., leads)| *leads).map(|(k, w, _)| needed(*k, w)).sum();
    let (mut used, mut at) = (1, 1);
    let mut spans = vec![Span::raw(" ")];
    for (key, words, leads) in shown {
        let needed = needed(key, words);
        if !leads && used + needed + reserved > cells {
            continue;
        }
        used += if leads { 0 } else { needed };
        let cell = |cells: usize| u16::try_from(cells).unwrap_or(u16::MAX);
        let place = Rect { x: area.x.saturating_add(cell(at)), width: cell(needed - 1), ..area };
        theme.taps.note_word(place.intersection(area), key.event());
        at += needed;
        spans.push(Span::styled(key.name(), theme.accent));
        spans.push(Span::styled(format!(" {words}  "), theme.plain));
    }
    frame.render_widget(Line::from(spans), Rect { height: 1.min(area.height), ..area });
}

/// The same as large words, for a finger. What has no room is behind the last one.
fn draw_words(app: &App, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let (most, high) = Areas::words(frame.area().height);
    let all = hints(app);
    let words: Vec<_> =
        all.iter().filter(|(.., leads)| !leads).map(|(key, words, _)| ((*words).to_owned(), key.event())).collect();
    let more = Layer::Everywhere.event_of(Action::Palette).filter(|_| rooms::typed_into(app).is_none());
    let more = more.map(|key| ("more".to_owned(), key));
    let rows = button_rows(&words, more.as_ref(), usize::from(area.width), usize::from(most));
    draw_buttons(&rows, (high, 1), theme, frame, area);
}
