//! The parts of the screen.

use ratatui::layout::Rect;

/// The parts of the screen.
pub(crate) struct Areas {
    pub(crate) tabs: Rect,
    pub(crate) device: Rect,
    pub(crate) rule: Rect,
    pub(crate) body: Rect,
    pub(crate) notice: Rect,
    pub(crate) hints: Rect,
}

impl Areas {
    /// How many rows of large words there are at the bottom of a screen of so many lines, and how many lines each has.
    pub(crate) fn words(lines: u16) -> (u16, u16) {
        match lines {
            0..16 => (1, 1),
            16..28 => (1, 2),
            _ => (2, 2),
        }
    }

    /// Of a whole screen, with large words at its bottom or keys. Everything has its line down to six lines; the body gets what is left.
    pub(crate) fn of(all: Rect, large: bool) -> Self {
        let words = match Self::words(all.height) {
            (rows, high) if large => rows * high + (rows - 1),
            _ => 1,
        };
        let line = |y: u16, height: u16| {
            let y = y.min(all.height);
            Rect::new(all.x, all.y + y, all.width, height.min(all.height - y))
        };
        let head = 3.min(all.height);
        // A narrow note takes more lines.
        let notice = if large && all.width < 60 && all.height >= 28 { 2 } else { 1 };
        let foot = (notice + words).min(all.height.saturating_sub(head));
        let body = all.height - head - foot;
        Self {
            tabs: line(0, 1),
            device: line(1, 1),
            rule: line(2, 1),
            body: line(head, body),
            notice: line(head + body, notice),
            hints: line(head + body + notice, foot.saturating_sub(notice)),
        }
    }
}
