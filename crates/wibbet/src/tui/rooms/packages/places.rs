//! Where search line, table, details and tray are.

use ratatui::layout::Rect;

use super::tray::upshot_lines;
use crate::tui::app::App;
use crate::tui::widgets::Theme;

const DETAILS: u16 = 42;

/// Where the parts are.
pub(super) struct Places {
    pub(super) search: Rect,
    pub(super) table: Rect,
    pub(super) details: Option<Rect>,
    pub(super) tray: Rect,
}

pub(super) fn places(app: &App, body: Rect) -> Places {
    let chosen = app.device().map_or(0, |d| d.tray.len() + d.newcomers.len()) as u16;
    let theme = Theme::sized(app.has_large_words());
    let told = app.device().map_or(0, |device| upshot_lines(device, &theme, usize::from(body.width)).len()) as u16;
    let tray_lines = match (body.height, chosen) {
        (0..12, _) => 1,
        (24.., 0) if body.width < 60 => 4,
        (_, 0) => 2,
        (12..24, n) => (n + 2).min(4) + told.min(2),
        (_, n) => (n + 3).min(8) + told + u16::from(body.width < 60),
    };
    let search = Rect { height: 1.min(body.height), ..body };
    let left = body.height.saturating_sub(search.height);
    let tray_lines = tray_lines.min(left);
    let middle = Rect { y: body.y + search.height, height: left - tray_lines, ..body };
    let tray = Rect { y: middle.y + middle.height, height: tray_lines, ..body };
    let (table, details) = match (app.details, body.width, middle.height) {
        (true, 104.., _) => {
            let details = Rect { x: middle.x + middle.width - DETAILS, width: DETAILS, ..middle };
            (Rect { width: middle.width - DETAILS, ..middle }, Some(details))
        }
        // On a narrow screen they stand below.
        (true, _, 14..) => {
            let lines = middle.height / 2;
            let details = Rect { y: middle.y + middle.height - lines, height: lines, ..middle };
            (Rect { height: middle.height - lines, ..middle }, Some(details))
        }
        _ => (middle, None),
    };
    Places { search, table, details, tray }
}

/// The table, its heading included.
pub(crate) fn table_area(app: &App, body: Rect) -> Rect {
    places(app, body).table
}
