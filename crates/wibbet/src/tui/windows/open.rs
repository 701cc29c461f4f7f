//! Opening something on the device.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use wibbet_bench::session::SessionCommand;
use wibbet_core::ask::Opening;

use super::form::{ALL, Flow, Form, cells_inside, framed, move_over, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, draw_list, wrap};

/// What can be opened, and which of it the cursor is on.
#[derive(Debug, Clone)]
pub(crate) struct Open {
    all: Vec<(String, Opening)>,
    at: usize,
}

/// What can be opened on the device for the package under the cursor, with words for people.
fn openings(device: &DeviceModel) -> Option<Vec<(String, Opening)>> {
    let id = device.under_cursor()?.clone();
    let user = device.user();
    let mut all = Vec::new();
    if let Some(app) = device.entry(&id).and_then(|s| s.app) {
        for entry in app.home.iter().take(6) {
            let name = entry.label.as_ref().or(app.label.as_ref()).map_or("the app", |l| l.as_str());
            let class = entry.class.to_string();
            all.push((format!("“{name}”, as from the home screen"), Opening::Screen { id: id.clone(), user, class }));
        }
    }
    all.push(("its page in the device's settings".to_owned(), Opening::About { id, user }));
    Some(all)
}

impl Form for Open {
    const OPENED_BY: Action = Action::Open;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self { all: openings(app.device()?)?, at: 0 })
    }

    fn layer(&self) -> Layer {
        Layer::Open
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match (action, self.all.get(self.at), app.device()) {
            (Action::Accept, Some((_, opening)), Some(device)) => {
                out.push(to_session(device.card, SessionCommand::Open(opening.clone())));
                Flow::Close
            }
            (Action::Accept | Action::Leave, ..) => Flow::Close,
            _ => {
                move_over(&mut self.at, self.all.len(), app, action);
                Flow::Stay
            }
        }
    }

    fn draw(&self, _app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let count = u16::try_from(self.all.len()).unwrap_or(1);
        let columns = 100;
        let cells = cells_inside(columns, frame).saturating_sub(2);
        let goes = |opening: &Opening| wrap(&opening.request().command(), cells);
        // As high as the longest of them takes, so that the window stands still.
        let most = self.all.iter().map(|(_, opening)| goes(opening).len()).max().unwrap_or(0);
        let lines = count.saturating_add(2).saturating_add(u16::try_from(most).unwrap_or(u16::MAX));
        let room = framed(" Open on the device ", (columns, lines), (Layer::Open, ALL), theme, frame);
        let list = Rect { height: count.min(room.height), ..room };
        let row = |(words, _): &(String, Opening), _| Line::raw(format!(" {words}"));
        draw_list(&self.all, self.at, row, theme, frame, list);
        let below = Rect { y: list.bottom(), height: room.height - list.height, ..room };
        let sent = self.all.get(self.at).map_or_else(Vec::new, |(_, opening)| goes(opening));
        let mut lines = vec![Line::raw(""), Line::styled("This goes to the device:", theme.dim)];
        lines.extend(sent.into_iter().map(|l| Line::styled(format!("  {l}"), theme.good)));
        say_all(lines, theme, frame, below);
    }
}
