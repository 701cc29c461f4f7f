//! The frame of a window.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::{Block, BorderType, Clear};

use super::theme::Theme;

/// Clears a window in the middle of the screen; what is inside its border.
pub(crate) fn window(frame: &mut Frame<'_>, theme: &Theme, title: &str, width: u16, height: u16) -> Rect {
    let all = frame.area();
    let (width, height) = (width.min(all.width), height.min(all.height));
    let area = Rect::new((all.width - width) / 2, (all.height - height) / 2, width, height);
    let block = Block::bordered()
        .border_type(BorderType::Thick)
        .border_style(theme.accent)
        .title(Line::styled(title.to_owned(), theme.accent));
    let inside = block.inner(area);
    frame.render_widget(Clear, area);
    theme.taps.cover();
    frame.render_widget(block, area);
    Rect { x: inside.x + 1.min(inside.width), width: inside.width.saturating_sub(2), ..inside }
}
