//! What stands around every view: the line of work at the top, the device, notes and keys.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::link::Rung;

use crate::tui::app::{Model, RunPane};
use crate::tui::keys::{Action, KEYMAP, View, key_of};
use crate::tui::offers::is_enabled;
use crate::tui::widgets::{Theme, cut, ends, turning, width, wrap};

/// The parts of the screen.
pub(crate) struct Areas {
    pub(crate) stations: Rect,
    pub(crate) device: Rect,
    rule: Rect,
    pub(crate) body: Rect,
    note: Rect,
    hints: Rect,
}

pub(crate) fn areas(all: Rect) -> Areas {
    let line = |y: u16, height: u16| {
        let y = y.min(all.height);
        Rect::new(all.x, all.y + y, all.width, height.min(all.height - y))
    };
    // Everything has its line down to six lines; the body gets what is left.
    let head = 3.min(all.height);
    let foot = 2.min(all.height.saturating_sub(head));
    let body = all.height - head - foot;
    Areas {
        stations: line(0, 1),
        device: line(1, 1),
        rule: line(2, 1),
        body: line(head, body),
        note: line(head + body, 1),
        hints: line(head + body + 1, 1),
    }
}

const NAME: &str = " wibbet ";

/// The stations of the line of work: view, first cell, cell behind the last.
pub(crate) fn stations(model: &Model, cells: u16) -> Vec<(View, usize, usize)> {
    let mut at = width(NAME) + 1;
    View::ALL
        .into_iter()
        .map(|view| {
            let w = width(&station(model, view, cells));
            let from = at;
            at += w + width(track(cells));
            (view, from, from + w)
        })
        .collect()
}

fn track(cells: u16) -> &'static str {
    match cells {
        0..80 => " ",
        80..110 => " ─ ",
        _ => " ─── ",
    }
}

fn station(model: &Model, view: View, cells: u16) -> String {
    let number = view as usize + 1;
    let shape = if view == model.view { "◉" } else { "○" };
    let device = model.device();
    let count = match view {
        View::Bench => model.devices.len(),
        View::Packages => device.and_then(|d| d.inventory.as_ref()).map_or(0, |i| i.packages.len()),
        View::Run => 0,
        View::Shelf => device.map_or(0, |d| d.shelf.entries.len()),
        View::Logbook => device.map_or(0, |d| d.runs.len()),
    };
    match cells {
        0..60 if view == model.view => format!("◉{number} {}", view.name()),
        0..60 => format!("{shape}{number}"),
        60..96 => format!("{shape}{number} {}", view.name()),
        _ if view == View::Run && device.is_some_and(|d| d.reviewed().is_some()) => {
            format!("{shape} {number} Run · plan")
        }
        _ if view == View::Run && device.is_some_and(|d| d.running) => format!("{shape} {number} Run · going on"),
        _ if count > 0 => format!("{shape} {number} {} {count}", view.name()),
        _ => format!("{shape} {number} {}", view.name()),
    }
}

pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, areas: &Areas) {
    let cells = areas.stations.width;
    let mut spans = vec![Span::styled(NAME, theme.accent), Span::raw(" ")];
    for (n, view) in View::ALL.into_iter().enumerate() {
        if n > 0 {
            spans.push(Span::styled(track(cells), theme.dim));
        }
        let style = if view == model.view { theme.strong } else { theme.dim };
        spans.push(Span::styled(station(model, view, cells), style));
    }
    let sign = match cells {
        _ if !model.simulated => "",
        110.. => " simulated bench devices ",
        _ => " simulated ",
    };
    frame.render_widget(
        Paragraph::new(ends(spans, vec![Span::styled(sign, theme.sign)], usize::from(cells))),
        areas.stations,
    );
    frame.render_widget(Paragraph::new(device_line(model, theme, usize::from(cells))), areas.device);
    let rule = "─".repeat(usize::from(cells));
    frame.render_widget(Paragraph::new(Span::styled(rule, theme.dim)), areas.rule);
    frame.render_widget(Paragraph::new(note_line(model, theme, usize::from(cells))), areas.note);
    frame.render_widget(Paragraph::new(hint_line(model, theme, usize::from(cells))), areas.hints);
}

fn device_line<'a>(model: &'a Model, theme: &Theme, cells: usize) -> Line<'a> {
    let Some(device) = model.device() else {
        return Line::styled(
            " No device yet: plug one in. p pairs by air, a adds an address, g tells the first steps.",
            theme.dim,
        );
    };
    let mut left = vec![Span::raw(" "), Span::styled(device.name(), theme.strong)];
    if let Some(facts) = &device.facts {
        left.push(Span::styled(format!("  {} · {}", facts.android, facts.id), theme.dim));
    }
    if model.devices.len() > 1 {
        left.push(Span::styled(format!(" · device {} of {}", model.current + 1, model.devices.len()), theme.dim));
    }
    let turn = turning(model.tick);
    let right = if let Some(why) = &device.waiting {
        Span::styled(format!(" {turn} {} ", cut(why, cells / 2)), theme.alert)
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
            other => other.words(),
        };
        Span::styled(format!(" linked · {lacks} "), theme.alert)
    } else if device.closed {
        Span::styled(" link closed ", theme.dim)
    } else if device.ladder.tried().is_some() {
        Span::styled(format!(" {turn} making the link "), theme.accent)
    } else {
        Span::styled(" linked ", theme.good)
    };
    ends(left, vec![right], cells)
}

fn note_line<'a>(model: &'a Model, theme: &Theme, cells: usize) -> Line<'a> {
    match &model.note {
        Some(note) => {
            let style = if note.alert { theme.alert } else { theme.plain };
            let shape = if note.alert { "▲ " } else { "· " };
            // A long note is cut here; the logbook and the run view have all of it.
            let text = wrap(&note.text, cells.saturating_sub(4)).into_iter().next().unwrap_or_default();
            let more = if width(&text) < width(&note.text) { "…" } else { "" };
            Line::from(vec![Span::raw(" "), Span::styled(format!("{shape}{text}{more}"), style)])
        }
        None => Line::raw(""),
    }
}

/// The keys that do something here and now, as many as fit.
fn hint_line<'a>(model: &Model, theme: &Theme, cells: usize) -> Line<'a> {
    let typing = model.view == View::Packages && model.device().is_some_and(|d| d.searching);
    let shown: Vec<(String, &str)> = if typing {
        vec![
            ("Enter".into(), "to the list"),
            ("Esc".into(), "clear"),
            ("↑↓".into(), "move"),
            ("Tab".into(), "completes a :fact"),
            ("F1".into(), "how to search"),
        ]
    } else {
        KEYMAP
            .iter()
            .filter(|b| !b.hint.is_empty() && is_enabled(model, b.action))
            .map(|b| (key_of(b.action), words(model, b.action, b.hint)))
            .collect()
    };
    // Help and the palette are always in sight: they lead to everything that did not fit.
    let is_way_out = |key: &str| !typing && matches!(key, "?" | ":");
    let reserved: usize = shown.iter().filter(|(k, _)| is_way_out(k)).map(|(k, w)| width(k) + width(w) + 3).sum();
    let mut used = 1;
    let mut spans = vec![Span::raw(" ")];
    for (key, words) in &shown {
        let needed = width(key) + width(words) + 3;
        if !is_way_out(key) && used + needed + reserved > cells {
            continue;
        }
        used += if is_way_out(key) { 0 } else { needed };
        spans.push(Span::styled(key.clone(), theme.accent));
        spans.push(Span::styled(format!(" {words}  "), theme.plain));
    }
    Line::from(spans)
}

/// What an action means here, where its general word would say too little.
fn words(model: &Model, action: Action, general: &'static str) -> &'static str {
    let device = model.device();
    match (action, model.view) {
        (Action::GoOn, View::Bench) => "to its packages",
        (Action::GoOn, View::Packages) => "plan",
        (Action::GoOn, View::Logbook) => "open the run",
        (Action::Undo, View::Run) => "put all back",
        (Action::Back, View::Run) => "not now",
        (Action::Back, View::Packages) => "clear search",
        (Action::PutBack, View::Shelf) if device.is_some_and(|d| !d.shelf_marks.is_empty()) => "put back the marked",
        (Action::Send, _) if device.is_some_and(|d| matches!(&d.pane, RunPane::Review(r) if r.plan.to_send() == 1)) => {
            "send the step"
        }
        (Action::Send, _) => "send the steps",
        _ => general,
    }
}
