//! Drawing: the model in, cells out. Where a list is on the screen is worked out here once, for
//! drawing, for paging and for the mouse.

use ratatui::Frame;
use ratatui::layout::Rect;

use crate::tui::app::Model;
use crate::tui::keys::View;
use crate::tui::rooms::{bench, frame, logbook, packages, run, shelf, table};
use crate::tui::widgets::Theme;

/// What is under the mouse.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Hit {
    View(View),
    /// A line of the view's list, by place.
    Line(usize),
}

/// Draws the screen.
pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>) {
    let areas = frame::areas(frame.area());
    frame::draw(model, theme, frame, &areas);
    match model.view {
        View::Bench => bench::draw(model, theme, frame, areas.body),
        View::Packages => packages::draw(model, theme, frame, areas.body),
        View::Run => run::draw(model, theme, frame, areas.body),
        View::Shelf => shelf::draw(model, theme, frame, areas.body),
        View::Logbook => logbook::draw(model, theme, frame, areas.body),
    }
    if let Some(popup) = &model.popup {
        super::windows::help::draw(model, popup, theme, frame);
    }
}

fn whole(model: &Model) -> Rect {
    Rect::new(0, 0, model.size.0, model.size.1)
}

/// How many lines of the view's list are on the screen.
pub(crate) fn page(model: &Model) -> usize {
    let body = frame::areas(whole(model)).body;
    let lines = match model.view {
        View::Packages => packages::table_area(model, body).height.saturating_sub(1),
        View::Bench => 1,
        _ => body.height / 2,
    };
    usize::from(lines.max(1))
}

/// The columns of the table of packages that have room on the screen.
pub(crate) fn shown_columns(model: &Model) -> Vec<wibbet_core::catalog::Column> {
    let body = frame::areas(whole(model)).body;
    let users: Vec<wibbet_types::UserId> = model
        .device()
        .and_then(|d| d.inventory.as_ref())
        .map_or_else(Vec::new, |i| i.users.iter().map(|u| u.id).collect());
    let at_work = model.device().map_or(wibbet_types::UserId::OWNER, |d| d.user());
    let cells = usize::from(packages::table_area(model, body).width);
    let mut columns: Vec<_> =
        table::slots(&model.columns, &users, at_work, cells).into_iter().map(|s| s.column).collect();
    columns.dedup();
    columns
}

/// What is at a place on the screen.
pub(crate) fn hit(model: &Model, column: u16, line: u16) -> Option<Hit> {
    let areas = frame::areas(whole(model));
    if line == areas.stations.y {
        return frame::stations(model, areas.stations.width)
            .into_iter()
            .find(|(_, from, to)| (*from..*to).contains(&usize::from(column)))
            .map(|(view, ..)| Hit::View(view));
    }
    let place = match model.view {
        View::Packages => packages::line_at(model, areas.body, column, line),
        View::Bench => bench::card_at(model, areas.body, column, line),
        View::Shelf => shelf::line_at(model, areas.body, line),
        View::Logbook => logbook::line_at(model, areas.body, line),
        View::Run => run::line_at(model, areas.body, line),
    };
    place.map(Hit::Line)
}
