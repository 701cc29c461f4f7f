//! The shelf: what is off, by run or from before.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::run::{Origin, ShelfEntry};

use super::parts::{first_line, item_at, named, under_cursor};
use crate::tui::app::{DeviceModel, Model};
use crate::tui::widgets::{Theme, cut, fit, shape};

const HEAD: u16 = 2;

/// Whether a heading stands above an entry.
fn heads(entries: &[ShelfEntry], n: usize) -> bool {
    n == 0 || entries[n - 1].origin != entries[n].origin
}

fn heights(device: &DeviceModel) -> Vec<usize> {
    let entries = &device.shelf.entries;
    (0..entries.len()).map(|n| if heads(entries, n) { 3 } else { 1 }).collect()
}

pub(crate) fn line_at(model: &Model, body: Rect, line: u16) -> Option<usize> {
    let device = model.device()?;
    let line = line.checked_sub(body.y + HEAD)?;
    item_at(&heights(device), device.shelf_at, usize::from(body.height.saturating_sub(HEAD)), usize::from(line))
}

pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = model.device() else { return };
    let cells = usize::from(body.width);
    let entries = &device.shelf.entries;
    let title = match (entries.len(), device.shelf_marks.len()) {
        _ if device.inventory.is_none() => " The packages of this device have not been read yet.".to_owned(),
        (0, _) => " Nothing is off on this device.".to_owned(),
        (n, 0) => format!(" {n} off. b plans to put back the one under the cursor; Space marks several."),
        (n, marked) => format!(" {n} off, {marked} marked. b plans to put back the marked ones."),
    };
    let mut lines = vec![Line::styled(cut(&title, cells), theme.strong), Line::raw("")];
    let mut list: Vec<Line<'_>> = Vec::new();
    for (n, entry) in entries.iter().enumerate() {
        if heads(entries, n) {
            let count = entries.iter().filter(|e| e.origin == entry.origin).count();
            let words = match entry.origin {
                Origin::Run { number, begun } => format!("run {number} · {} · {count}", model.clock(begun)),
                Origin::Before => format!("off before Wibbet · {count}"),
            };
            let rule = "─".repeat(cells.saturating_sub(crate::tui::widgets::width(&words) + 4));
            list.push(Line::raw(""));
            list.push(Line::from(vec![
                Span::styled("─ ", theme.dim),
                Span::styled(format!("{words} "), theme.accent),
                Span::styled(rule, theme.dim),
            ]));
        }
        let here = n == device.shelf_at;
        let marked = device.shelf_marks.contains(&(entry.id.clone(), entry.user));
        let id_cells = cells
            .saturating_sub(match cells {
                0..70 => 20,
                70..100 => 42,
                _ => 60,
            })
            .clamp(12, 60);
        let mut spans = vec![
            Span::styled(if here { "▌" } else { " " }, theme.accent),
            Span::styled(if marked { "◆ " } else { "  " }, theme.accent),
            Span::styled(
                format!("{} {} ", shape(entry.condition), fit(entry.condition.word(), 12)),
                theme.condition(entry.condition),
            ),
            Span::styled(format!("{} ", fit(&named(device, &entry.id, id_cells), id_cells)), theme.plain),
        ];
        if cells >= 70 {
            spans.push(Span::styled(fit(&device.user_words(entry.user), 22), theme.dim));
        }
        if cells >= 100 {
            let goal = entry.target.condition();
            spans.push(Span::styled(format!(" back to {}", goal.word()), theme.dim));
        }
        let line = Line::from(spans);
        list.push(if here { under_cursor(line, theme, cells) } else { line });
    }
    let room = usize::from(body.height.saturating_sub(HEAD));
    let first = first_line(&heights(device), device.shelf_at, room);
    lines.extend(list.into_iter().skip(first).take(room));
    frame.render_widget(Paragraph::new(lines), body);
}
