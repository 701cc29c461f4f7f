//! Searches that were kept.

use ratatui::Frame;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;

use super::form::{Flow, Form, cells_inside, framed, line_count, move_over};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, draw_list, truncate, wrapped};

/// The one that the cursor is on.
#[derive(Debug, Clone, Default)]
pub(crate) struct Searches(usize);

/// What is searched for now, where that is not kept yet.
fn new_search(app: &App) -> Option<&str> {
    let line = app.device()?.search.value().trim();
    let room = app.searches.len() < App::MOST_SEARCHES;
    Some(line).filter(|l| room && !l.is_empty() && !app.searches.iter().any(|known| known == l))
}

impl Form for Searches {
    const OPENED_BY: Action = Action::Searches;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Searches
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let at = &mut self.0;
        match action {
            Action::Leave => return Flow::Close,
            Action::Accept => {
                if let Some(line) = app.searches.get(*at).cloned()
                    && let Some(device) = app.device_mut()
                {
                    device.search = Input::new(line);
                    device.search_again();
                }
                return Flow::Close;
            }
            Action::Add => {
                let Some(line) = new_search(app).map(str::to_owned) else { return Flow::Stay };
                app.searches.push(line);
                *at = app.searches.len() - 1;
                out.push(Effect::Choose(App::SEARCHES, app.searches.join("\n")));
            }
            Action::Remove if *at < app.searches.len() => {
                app.searches.remove(*at);
                *at = (*at).min(app.searches.len().saturating_sub(1));
                out.push(Effect::Choose(App::SEARCHES, app.searches.join("\n")));
            }
            _ => move_over(at, app.searches.len(), app, action),
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let columns = 84;
        let none = "None yet. What is searched for at the moment can be kept here.";
        let none = wrapped(none, cells_inside(columns, frame), theme.dim);
        let count = if app.searches.is_empty() {
            line_count(&none)
        } else {
            u16::try_from(app.searches.len()).unwrap_or(u16::MAX)
        };
        let lines = count.min(frame.area().height.saturating_sub(8));
        let enabled = |action| match action {
            Action::Add => new_search(app).is_some(),
            Action::Accept | Action::Remove | Action::Down => !app.searches.is_empty(),
            _ => true,
        };
        let room = framed(" Kept searches ", (columns, lines), (Layer::Searches, &enabled), theme, frame);
        if app.searches.is_empty() {
            frame.render_widget(Paragraph::new(none), room);
        }
        let cells = usize::from(room.width).saturating_sub(1);
        let row = |text: &String, _| Line::raw(format!(" {}", truncate(text, cells)));
        draw_list(&app.searches, self.0, row, theme, frame, room);
    }
}
