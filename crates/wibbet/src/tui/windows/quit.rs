//! Quitting while a run is being carried out.

use ratatui::Frame;
use ratatui::text::Line;

use super::form::{ALL, Flow, Form, framed};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::Theme;

/// Asks whether to quit.
#[derive(Debug, Clone)]
pub(crate) struct Quit;

impl Form for Quit {
    const OPENED_BY: Action = Action::Quit;
    const ABOUT_THE_DEVICE: bool = false;

    /// Only where something is lost by it.
    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        app.devices.iter().any(|d| d.running).then_some(Self)
    }

    fn layer(&self) -> Layer {
        Layer::Quit
    }

    fn act(&mut self, _app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        if action == Action::Accept {
            out.push(Effect::Quit);
        }
        Flow::Close
    }

    fn draw(&self, _app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let room = framed(" A run is going on ", (64, 1), (Layer::Quit, ALL), theme, frame);
        frame.render_widget(Line::raw("What is on its way is settled at the next start."), room);
    }
}
