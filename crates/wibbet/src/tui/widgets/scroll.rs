//! A text that is longer than its window.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::theme::Theme;

/// How far such a text has been scrolled.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Scroll(usize);

impl Scroll {
    /// So many lines have gone out of sight.
    pub(crate) fn at(first: usize) -> Self {
        Self(first)
    }

    /// The first line in sight, of `len` lines in a window of `room`, which may have become larger since.
    pub(crate) fn first(self, len: usize, room: usize) -> usize {
        self.0.min(len.saturating_sub(room))
    }

    /// Scrolls a text of `len` lines in a window of `room`, never past its end.
    pub(crate) fn step(&mut self, by: isize, len: usize, room: usize) {
        self.0 = self.0.saturating_add_signed(by).min(len.saturating_sub(room));
    }

    /// Draws what is in sight. Where the text goes on, an arrow stands in the margin on the right.
    pub(crate) fn draw(self, lines: Vec<Line<'_>>, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
        let room = usize::from(area.height);
        let len = lines.len();
        let first = self.first(len, room);
        frame.render_widget(Paragraph::new(lines.into_iter().skip(first).take(room).collect::<Vec<_>>()), area);
        let margin = Rect { x: area.right(), width: 1, height: area.height.min(1), ..area }.intersection(frame.area());
        if first > 0 {
            frame.render_widget(Span::styled("↑", theme.accent), margin);
        }
        if first + room < len {
            let last = Rect { y: area.bottom().saturating_sub(margin.height), ..margin };
            frame.render_widget(Span::styled("↓", theme.accent), last);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_is_scrolled_past_the_end() {
        let mut scroll = Scroll::default();
        scroll.step(50, 30, 10);
        assert_eq!(scroll, Scroll(20));
        // So the first step back is seen.
        scroll.step(-1, 30, 10);
        assert_eq!(scroll, Scroll(19));
        scroll.step(-99, 30, 10);
        scroll.step(5, 3, 10);
        assert_eq!(scroll, Scroll(0));
    }
}
