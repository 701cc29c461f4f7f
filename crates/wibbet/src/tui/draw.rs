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
    let areas = Areas::of(cells.area());
    frame::draw(&model.app, theme, cells, &areas);
    rooms::draw(&model.app, theme, cells, areas.body);
    if let Some(window) = model.windows.last() {
        window.draw(&model.app, theme, cells);
    }
}

/// What is at a place on the screen.
pub(crate) fn hit(app: &App, column: u16, line: u16) -> Option<Hit> {
    let areas = Areas::of(ratatui::layout::Rect::new(0, 0, app.size.0, app.size.1));
    if line == areas.tabs.y {
        return frame::tabs(app, areas.tabs.width)
            .into_iter()
            .find(|(_, from, to)| (*from..*to).contains(&usize::from(column)))
            .map(|(view, ..)| Hit::View(view));
    }
    rooms::item_at(app, column, line).map(Hit::Item)
}
