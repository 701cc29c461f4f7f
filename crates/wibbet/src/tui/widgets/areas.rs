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
    /// Of a whole screen. Everything has its line down to six lines; the body gets what is left.
    pub(crate) fn of(all: Rect) -> Self {
        let line = |y: u16, height: u16| {
            let y = y.min(all.height);
            Rect::new(all.x, all.y + y, all.width, height.min(all.height - y))
        };
        let head = 3.min(all.height);
        let foot = 2.min(all.height.saturating_sub(head));
        let body = all.height - head - foot;
        Self {
            tabs: line(0, 1),
            device: line(1, 1),
            rule: line(2, 1),
            body: line(head, body),
            notice: line(head + body, 1),
            hints: line(head + body + 1, 1),
        }
    }
}
