//! The whole of what the screen shows: the state of the rooms, and the windows over them.

use wibbet_bench::fleet::CardId;

use super::app::App;
use super::keys::View;
use super::widgets::Tappable;
use super::windows::Window;

/// The screen.
#[derive(Debug)]
pub(crate) struct Model {
    pub(crate) app: App,
    /// The windows over the view; the last one is in front and has the keys.
    pub(crate) windows: Vec<Window>,
    /// What can be tapped on the screen as it was drawn last.
    pub(crate) tappable: Tappable,
}

impl Model {
    pub(crate) fn new(app: App) -> Self {
        Self { app, windows: Vec::new(), tappable: Tappable::default() }
    }

    /// What tells whether another view or window has come in front.
    pub(crate) fn stands(&self) -> (View, usize, Option<CardId>) {
        (self.app.view, self.windows.len(), self.app.device().map(|device| device.card))
    }

    /// Whether something on the screen turns.
    pub(crate) fn is_moving(&self) -> bool {
        self.app.is_moving() || self.windows.iter().any(Window::is_moving)
    }
}
