//! A line that is typed into.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::Frame;
use ratatui::layout::{Position, Rect};
use ratatui::text::{Line, Span};
use tui_input::Input;

use super::taps::Tap;
use super::text::fit;
use super::theme::Theme;

/// A line that is typed into: a sign where the keys go, a name, and the text, of which the part around the cursor is shown
/// where it is longer than its room.
pub(crate) struct Field<'a> {
    pub(crate) name: &'a str,
    /// The cells of the name; 0 for none.
    pub(crate) name_cells: usize,
    pub(crate) input: &'a Input,
    /// Whether the keys go here.
    pub(crate) here: bool,
}

impl Field<'_> {
    fn text_at(&self) -> usize {
        2 + if self.name_cells > 0 { self.name_cells + 1 } else { 0 }
    }

    fn scrolled(&self, cells: usize) -> (usize, String) {
        let room = cells.saturating_sub(self.text_at() + 1);
        let from = self.input.visual_scroll(room);
        let mut passed = 0;
        let rest = self.input.value().chars().skip_while(|c| {
            let skip = passed < from;
            passed += unicode_width::UnicodeWidthChar::width(*c).unwrap_or(0);
            skip
        });
        (from, rest.collect())
    }

    /// The line, for an area of so many cells.
    pub(crate) fn line<'a>(&self, theme: &Theme, cells: usize) -> Line<'a> {
        let mut spans = vec![Span::styled(if self.here { "⟩ " } else { "  " }, theme.accent)];
        if self.name_cells > 0 {
            let style = if self.here { theme.plain } else { theme.dim };
            spans.push(Span::styled(format!("{} ", fit(self.name, self.name_cells)), style));
        }
        let (_, text) = self.scrolled(cells);
        spans.push(Span::styled(fit(&text, cells.saturating_sub(self.text_at())), theme.strong));
        Line::from(spans)
    }

    /// Draws it on a line, with the cursor where the keys go to it. A tap on another one is as many times Tab as lead there.
    pub(crate) fn draw(&self, tabs: usize, theme: &Theme, frame: &mut Frame<'_>, line: Rect) {
        frame.render_widget(self.line(theme, usize::from(line.width)), line);
        if self.here {
            self.put_cursor(frame, line, 0);
        } else {
            theme.taps.note(line, Tap::Keys(KeyEvent::new(KeyCode::Tab, KeyModifiers::NONE), tabs));
        }
    }

    /// Puts the terminal's cursor where the next letter goes, the field being line `line` of `area`.
    pub(crate) fn put_cursor(&self, frame: &mut Frame<'_>, area: Rect, line: u16) {
        let (from, _) = self.scrolled(usize::from(area.width));
        let column = self.text_at() + self.input.visual_cursor().saturating_sub(from);
        let column = u16::try_from(column).unwrap_or(u16::MAX).min(area.width.saturating_sub(1));
        let place = Position::new(area.x.saturating_add(column), area.y.saturating_add(line));
        if area.contains(place) {
            frame.set_cursor_position(place);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ratatui::Terminal;
    use ratatui::backend::{Backend as _, TestBackend};

    /// What a field shows in a few cells, and where its cursor is.
    fn shown(text: &str, cells: u16, name: &str) -> (String, u16) {
        let mut terminal = Terminal::new(TestBackend::new(cells, 1)).unwrap();
        let input = Input::new(text.to_owned());
        let theme = Theme::new(super::super::theme::ColorDepth::None);
        terminal
            .draw(|frame| {
                let field = Field { name, name_cells: name.len(), input: &input, here: true };
                let area = frame.area();
                frame.render_widget(field.line(&theme, usize::from(area.width)), area);
                field.put_cursor(frame, area, 0);
            })
            .unwrap();
        let column = terminal.backend_mut().get_cursor_position().unwrap().x;
        let line = terminal.backend().to_string();
        (line.lines().next().unwrap().trim_matches('"').to_owned(), column)
    }

    #[test]
    fn the_end_of_a_long_text_is_in_sight_where_it_is_typed() {
        assert_eq!(shown("abc", 12, ""), ("⟩ abc       ".to_owned(), 5));
        assert_eq!(shown("abc", 12, "code"), ("⟩ code abc  ".to_owned(), 10));
        let (line, column) = shown("abcdefghijklmnop", 12, "");
        assert!(line.contains("nop") && !line.contains("abc"), "{line}");
        assert!(column < 12);
        let (line, _) = shown("カレンダーのアプリです", 14, "");
        assert!(line.contains("です"), "{line}");
    }
}
