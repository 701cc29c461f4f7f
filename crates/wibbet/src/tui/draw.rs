//! Drawing: the model in, cells out.

use ratatui::Frame;

use super::frame;
use super::model::Model;
use super::rooms;
use crate::tui::app::App;
use crate::tui::keys::View;
use crate::tui::widgets::{Areas, Theme};

/// What is under the mouse.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Hit {
    View(View),
    /// An item of the view's list, by place.
    Item(usize),
}

/// Draws the screen.
pub(crate) fn draw(model: &Model, theme: &Theme, cells: &mut Frame<'_>) {
    theme.taps.begin(model.app.has_large_words(), model.app.word);
    let areas = Areas::of(cells.area(), model.app.has_large_words());
    frame::draw(&model.app, theme, cells, &areas);
    // Words for a finger that does nothing there, while a window is in front, would only mislead it.
    if model.windows.is_empty() || !model.app.has_large_words() {
        frame::draw_hints(&model.app, theme, cells, areas.hints);
    }
    rooms::draw(&model.app, theme, cells, areas.body);
    if let Some(window) = model.windows.last() {
        window.draw(&model.app, theme, cells);
    }
}

/// What is at a place on the screen.
pub(crate) fn hit(app: &App, column: u16, line: u16) -> Option<Hit> {
    let areas = Areas::of(ratatui::layout::Rect::new(0, 0, app.size.0, app.size.1), app.has_large_words());
    if line == areas.tabs.y {
        return frame::tabs(app, areas.tabs.width)
            .into_iter()
            .find(|(_, from, to)| (*from..*to).contains(&usize::from(column)))
            .map(|(view, ..)| Hit::View(view));
    }
    rooms::item_at(app, column, line).map(Hit::Item)
}
