//! A list with a cursor. What remembers the cursor is a number; moving, scrolling, drawing and the mouse are here.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::taps::Tap;
use super::theme::Theme;

/// Moves a cursor over a list of `len` items.
pub(crate) fn step(at: &mut usize, len: usize, by: isize) {
    *at = at.saturating_add_signed(by).min(len.saturating_sub(1));
}

/// The first line shown of a list, so that the cursor stays in the middle where it can.
pub(crate) fn first_shown(at: usize, len: usize, lines: usize) -> usize {
    at.saturating_sub(lines / 2).min(len.saturating_sub(lines))
}

/// One style for the whole line: the shapes and words in it say the rest.
pub(crate) fn under_cursor<'a>(line: Line<'a>, theme: &Theme, cells: usize) -> Line<'a> {
    let fill = " ".repeat(cells.saturating_sub(line.width()));
    let mut spans: Vec<Span<'a>> = line.spans.into_iter().map(|s| Span::styled(s.content, theme.cursor)).collect();
    spans.push(Span::styled(fill, theme.cursor));
    Line::from(spans)
}

/// Draws items of one line each with the cursor on one of them.
pub(crate) fn draw_list<'a, T>(
    items: &[T],
    at: usize,
    row: impl Fn(&T, usize) -> Line<'a>,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let (room, cells) = (usize::from(area.height), usize::from(area.width));
    let at = at.min(items.len().saturating_sub(1));
    let shown = items.iter().enumerate().skip(first_shown(at, items.len(), room)).take(room).map(|(n, item)| {
        let line = row(item, n);
        if n == at { under_cursor(line, theme, cells) } else { line }
    });
    let first = first_shown(at, items.len(), room);
    for n in first..items.len().min(first + room) {
        let place = Rect { y: area.y + u16::try_from(n - first).unwrap_or(0), height: 1, ..area };
        theme.taps.note(place, Tap::Row(n as isize - at as isize));
    }
    frame.render_widget(Paragraph::new(shown.collect::<Vec<_>>()), area);
}

/// The item of such a list at a line of its area.
pub(crate) fn item_at(len: usize, at: usize, lines: usize, line: usize) -> Option<usize> {
    Some(first_shown(at, len, lines) + line).filter(|n| line < lines && *n < len)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_keep_the_cursor_in_sight() {
        for len in 0..30 {
            for lines in 1..12 {
                for at in 0..len {
                    let first = first_shown(at, len, lines);
                    assert!(first <= at && at < first + lines, "{at} {len} {lines}");
                    assert_eq!(item_at(len, at, lines, at - first), Some(at));
                }
                assert_eq!(item_at(len, 0, lines, lines), None);
            }
        }
    }

    #[test]
    fn a_cursor_never_leaves_its_list() {
        for (at, len, by, then) in [(0, 3, -1, 0), (1, 3, 9, 2), (5, 0, 1, 0), (2, 3, -2, 0)] {
            let mut moved = at;
            step(&mut moved, len, by);
            assert_eq!(moved, then);
        }
    }
}
