//! Words that are large enough for a finger.

use crossterm::event::KeyEvent;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;

use super::text::{fit, truncate, width};
use super::theme::Theme;

/// Puts words into rows of `cells`, in their order: for each row the words and how many cells each takes. Each row is filled, so that
/// nothing between two words is nobody's. At most `most` rows; `last` has its place at the end of the last one, whatever is left out.
pub(crate) fn rows<T: Clone>(
    words: &[(String, T)],
    last: Option<&(String, T)>,
    cells: usize,
    most: usize,
) -> Vec<Vec<(String, T, usize)>> {
    let needed = |word: &str| width(word).min(cells.saturating_sub(2)) + 2;
    let mut rows: Vec<Vec<&(String, T)>> = vec![Vec::new()];
    let mut used = 0;
    for word in words {
        let reserved = match last {
            Some(last) if rows.len() == most => needed(&last.0) + 1,
            _ => 0,
        };
        let gap = usize::from(used > 0);
        if used > 0 && used + gap + needed(&word.0) + reserved > cells {
            if rows.len() == most {
                continue;
            }
            rows.push(Vec::new());
            used = 0;
        }
        used += usize::from(used > 0) + needed(&word.0);
        if let Some(row) = rows.last_mut() {
            row.push(word);
        }
    }
    if let Some(last) = last {
        let full = |row: &Vec<&(String, T)>| {
            row.iter().map(|word| needed(&word.0) + 1).sum::<usize>() + needed(&last.0) > cells
        };
        if rows.last().is_some_and(full) && rows.len() < most {
            rows.push(Vec::new());
        }
        if let Some(row) = rows.last_mut() {
            while full(row) && !row.is_empty() {
                row.pop();
            }
            row.push(last);
        }
    }
    rows.into_iter().filter(|row| !row.is_empty()).map(|row| spread(&row, cells, needed)).collect()
}

/// Shares out what a row has left.
fn spread<T: Clone>(row: &[&(String, T)], cells: usize, needed: impl Fn(&str) -> usize) -> Vec<(String, T, usize)> {
    let used: usize = row.iter().map(|word| needed(&word.0)).sum::<usize>() + row.len().saturating_sub(1);
    let left = cells.saturating_sub(used);
    let share = |n: usize| left / row.len() + usize::from(n < left % row.len());
    row.iter().enumerate().map(|(n, word)| (word.0.clone(), word.1.clone(), needed(&word.0) + share(n))).collect()
}

/// Draws rows of such words, each `high` lines and `apart` lines from the next; a tap on the lines between belongs to those above.
pub(crate) fn draw_buttons(
    rows: &[Vec<(String, KeyEvent, usize)>],
    (high, apart): (u16, u16),
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let mut y = area.y;
    for row in rows {
        let mut x = area.x;
        for (word, key, cells) in row {
            let wide = u16::try_from(*cells).unwrap_or(u16::MAX);
            let place = Rect::new(x, y, wide, high).intersection(area);
            let touched = Rect::new(x, y, wide.saturating_add(1), high + apart).intersection(area);
            let chosen = theme.taps.note_word(touched, *key);
            let style = if chosen { theme.cursor } else { theme.button };
            let mark = if chosen { "▸" } else { " " };
            let inner = truncate(word, cells.saturating_sub(2));
            let before = (cells.saturating_sub(2) - width(&inner)) / 2;
            let text = fit(&format!("{mark}{}{inner}", " ".repeat(before)), *cells);
            let mut lines = vec![Line::styled(text, style)];
            lines.extend((1..high).map(|_| Line::styled(" ".repeat(*cells), style)));
            frame.render_widget(Paragraph::new(lines), place);
            x = x.saturating_add(wide).saturating_add(1);
        }
        y = y.saturating_add(high + apart);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(all: &[&str]) -> Vec<(String, usize)> {
        all.iter().enumerate().map(|(n, word)| ((*word).to_owned(), n)).collect()
    }

    #[test]
    fn rows_are_filled_and_the_last_word_is_always_there() {
        let all =
            words(&["mark", "plan", "search", "put back", "user", "details", "sort", "star", "follow the screen"]);
        let more = ("more".to_owned(), 99);
        for cells in 8..70 {
            for most in 1..4 {
                let rows = rows(&all, Some(&more), cells, most);
                assert!(rows.len() <= most, "{cells} {most}");
                for row in &rows {
                    let used: usize = row.iter().map(|(.., cells)| cells + 1).sum::<usize>() - 1;
                    assert!(used == cells || row.len() == 1, "{cells}: {row:?}");
                }
                let shown: Vec<usize> = rows.iter().flatten().map(|(_, n, _)| *n).collect();
                assert_eq!(shown.last(), Some(&99));
                assert!(shown.is_sorted(), "in their order: {shown:?}");
            }
        }
    }
}
