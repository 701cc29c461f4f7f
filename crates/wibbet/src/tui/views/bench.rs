//! The bench: a card for each device, with its ladder.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Paragraph};
use wibbet_core::{Condition, Outcome, Rung};

use crate::tui::model::{DeviceModel, Model};
use crate::tui::text::{capital, ends, first_shown, fit, width, wrap};
use crate::tui::theme::{Theme, shape, turning};

/// Lines of a card, its border included.
const CARD: u16 = 9;
/// Cells of the ladder and its words.
const LADDER: usize = 32;
/// What is counted for each user.
const COUNTED: [Condition; 5] =
    [Condition::InUse, Condition::Disabled, Condition::Suspended, Condition::Hidden, Condition::Uninstalled];

fn columns(body: Rect) -> usize {
    usize::from(body.width / 76).max(1)
}

/// The cards in sight: place on the bench and where it is.
fn cards(model: &Model, body: Rect) -> Vec<(usize, Rect)> {
    let columns = columns(body);
    let rows = usize::from((body.height / CARD).max(1));
    let all_rows = model.devices.len().div_ceil(columns);
    let first = first_shown(model.current / columns, all_rows, rows);
    let cell = body.width / columns as u16;
    (first * columns..model.devices.len().min((first + rows) * columns))
        .map(|n| {
            let (row, column) = ((n / columns - first) as u16, (n % columns) as u16);
            let area = Rect::new(body.x + column * cell, body.y + row * CARD, cell, CARD);
            (n, area.intersection(body))
        })
        .collect()
}

pub(super) fn card_at(model: &Model, body: Rect, column: u16, line: u16) -> Option<usize> {
    cards(model, body).into_iter().find(|(_, area)| area.contains((column, line).into())).map(|(n, _)| n)
}

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    if model.devices.is_empty() {
        let lines = [
            "",
            "The bench is empty.",
            "",
            "On the device: Settings, About, tap “Build number” seven times; then in the developer options",
            "switch on debugging over the network. It shows an address there, or the Wi-Fi page does.",
            "",
            "Then press a and type that address, such as 192.0.2.7:5555.",
            "",
            "To try Wibbet without a device: wibbet demo",
        ];
        let lines: Vec<Line<'_>> = lines
            .iter()
            .flat_map(|l| wrap(l, usize::from(body.width).saturating_sub(4)))
            .map(|l| Line::raw(format!("  {l}")))
            .collect();
        frame.render_widget(Paragraph::new(lines), body);
        return;
    }
    for (n, area) in cards(model, body) {
        card(model, &model.devices[n], n == model.current, theme, frame, area);
    }
}

fn card(model: &Model, device: &DeviceModel, here: bool, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let (border, name) = if here { (theme.accent, theme.accent) } else { (theme.dim, theme.strong) };
    let kind = if here { BorderType::Thick } else { BorderType::Plain };
    let android = device.facts.as_ref().map_or_else(String::new, |f| format!(" {} ", f.android));
    let block = Block::bordered()
        .border_type(kind)
        .border_style(border)
        .title(Line::styled(format!(" {} ", device.name()), name))
        .title(Line::styled(android, theme.dim).right_aligned());
    let inside = block.inner(area);
    frame.render_widget(block, area);
    let cells = usize::from(inside.width);
    // On a narrow screen what to do is worth more than the names of the rungs.
    let ladder_cells = if cells < 60 && device.ladder.trouble.is_some() { 6 } else { LADDER.min(cells) };
    let beside = beside(model, device, theme, cells.saturating_sub(ladder_cells + 1));
    let mut lines: Vec<Line<'_>> = Vec::new();
    for (n, rung) in Rung::ALL.into_iter().enumerate().rev() {
        let (shape, style) = if n < device.ladder.held {
            ("╟──╢", theme.good)
        } else if n == device.ladder.held && device.ladder.trouble.is_some() {
            ("╟  ╢", if device.ladder.awaits_tap() { theme.accent } else { theme.alert })
        } else if n == device.ladder.held {
            ("╟┄┄╢", theme.accent)
        } else {
            ("║  ║", theme.dim)
        };
        let words = match n.cmp(&device.ladder.held) {
            std::cmp::Ordering::Equal if device.ladder.trouble.is_none() => {
                format!("{} {}", rung.words(), turning(model.tick))
            }
            _ => rung.words().to_owned(),
        };
        let words_style = if n < device.ladder.held { theme.plain } else { style };
        let mut spans = vec![
            Span::raw(" "),
            Span::styled(shape, style),
            Span::styled(format!(" {}", fit(&words, ladder_cells.saturating_sub(6))), words_style),
        ];
        if let Some(text) = beside.get(lines.len()) {
            spans.extend(text.spans.iter().cloned());
        }
        lines.push(Line::from(spans));
    }
    for text in beside.iter().skip(lines.len()) {
        let mut spans = vec![Span::raw(" ".repeat(ladder_cells))];
        spans.extend(text.spans.iter().cloned());
        lines.push(Line::from(spans));
    }
    let room = usize::from(inside.height).saturating_sub(1);
    lines.truncate(room);
    while lines.len() < room {
        lines.push(Line::raw(""));
    }
    lines.push(foot(model, device, theme, cells));
    frame.render_widget(Paragraph::new(lines), inside);
}

/// What stands beside the ladder: what is missing and what to do, or what the device is.
fn beside<'a>(model: &Model, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    if cells < 12 {
        return Vec::new();
    }
    let mut lines = Vec::new();
    if let Some(trouble) = &device.ladder.trouble {
        lines.extend(wrap(&trouble.advice, cells).into_iter().map(|l| Line::from(Span::styled(l, theme.strong))));
        lines.extend(wrap(&capital(&trouble.seen), cells).into_iter().map(|l| Line::from(Span::styled(l, theme.dim))));
        return lines;
    }
    let Some(inventory) = &device.inventory else {
        let what = device.busy.clone().unwrap_or_else(|| "making the link".into());
        lines.push(Line::styled(format!("{what} {}", turning(model.tick)), theme.accent));
        return lines;
    };
    lines.push(Line::from(Span::styled(format!("{} packages", inventory.packages.len()), theme.strong)));
    for user in inventory.users.iter().take(3) {
        let running = if user.running { "" } else { ", not running" };
        let (words, wide) = match cells {
            62.. => (format!("user {} {} ({}{running})", user.id, user.name, user.kind.name()), 34),
            _ => (format!("user {} {}", user.id, user.name), 21),
        };
        let mut spans = vec![Span::styled(fit(&words, wide.min(cells)), theme.plain)];
        let mut room = cells.saturating_sub(wide);
        for condition in COUNTED {
            let count = inventory.packages.values().filter(|p| p.state(user.id).condition() == condition).count();
            let text = format!(" {}{count}", shape(condition));
            room = room.saturating_sub(width(&text));
            if count > 0 && room > 0 {
                spans.push(Span::styled(text, theme.condition(condition)));
            }
        }
        lines.push(Line::from(spans));
    }
    if let Some(facts) = device.facts.as_ref().filter(|f| !f.patch.as_str().is_empty()) {
        lines.push(Line::from(Span::styled(format!("patch level {}", facts.patch), theme.dim)));
    }
    if !device.abilities.install_existing {
        lines.extend(
            wrap("this Android cannot reinstall what is uninstalled: disable instead", cells)
                .into_iter()
                .map(|l| Line::from(Span::styled(l, theme.alert))),
        );
    }
    lines
}

fn foot<'a>(model: &Model, device: &DeviceModel, theme: &Theme, cells: usize) -> Line<'a> {
    let serial = device.facts.as_ref().map_or_else(String::new, |f| format!("{} · ", f.serial));
    let right = if let Some(run) = device.shown_run().filter(|_| device.running) {
        let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
        Span::styled(
            format!("{} run {}: {settled} of {} ", turning(model.tick), run.number, run.steps.len()),
            theme.accent,
        )
    } else if let Some(run) = device.unfinished() {
        Span::styled(format!("run {} is unfinished: c carries it on ", run.number), theme.alert)
    } else if let Some(run) = device.runs.first() {
        Span::styled(
            format!("last run {}: {} of {} done ", run.number, run.count(Outcome::Done), run.steps.len()),
            theme.dim,
        )
    } else if device.inventory.is_some() {
        Span::styled("no runs yet ", theme.dim)
    } else {
        Span::raw("")
    };
    ends(vec![Span::styled(format!(" {serial}{}", device.address), theme.dim)], vec![right], cells)
}
