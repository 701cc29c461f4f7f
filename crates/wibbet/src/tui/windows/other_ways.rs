//! What avoids a part of what the tray does: leaving some out, having something else do it first, another way of taking out.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use wibbet_bench::session::SessionCommand;
use wibbet_core::ask::Opening;
use wibbet_core::plan::{Change, Instead};

use super::form::{ALL, Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, capitalize, draw_list, truncate, wrapped};

/// What there was when it was opened, and which of it the cursor is on: what is done is what is shown, whatever is worked out meanwhile.
#[derive(Debug, Clone)]
pub(crate) struct OtherWays {
    ways: Vec<Instead>,
    at: usize,
}

/// What is sent to open the page where something else is chosen.
fn opening(device: &DeviceModel, way: &Instead) -> Option<Opening> {
    match way {
        Instead::First(_, _, Some(page)) => Some(Opening::Settings { page, user: device.user() }),
        _ => None,
    }
}

/// What it does here, in words.
fn does(device: &DeviceModel, way: &Instead) -> String {
    let count = way.ids().len();
    let them = if count == 1 { "it".to_owned() } else { format!("these {count}") };
    match (way, opening(device, way)) {
        (Instead::LeaveOut(..) | Instead::Smaller(..), _) => format!("Takes {them} out of the tray."),
        (Instead::Disable(_), _) => format!("Changes the way of {them} to disable."),
        (Instead::First(..), Some(opening)) if device.is_ready() => {
            format!("Opens the page on the device where that is chosen. This is sent: {}", opening.request().command())
        }
        (Instead::First(..), _) => "That is done on the device itself.".to_owned(),
    }
}

impl Form for OtherWays {
    const OPENED_BY: Action = Action::OtherWays;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        Some(Self { ways: device.upshot(device.user())?.instead.clone(), at: 0 })
    }

    fn layer(&self) -> Layer {
        Layer::OtherWays
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device_mut() else { return Flow::Close };
        let way = self.ways.get(self.at).cloned();
        let user = device.user();
        match (action, way) {
            (Action::Accept, Some(Instead::LeaveOut(ids, _) | Instead::Smaller(ids, _))) => {
                device.change_tray(|tray| tray.retain(|item| item.user != user || !ids.contains(&item.id)));
            }
            (Action::Accept, Some(Instead::Disable(ids))) => device.change_tray(|tray| {
                let own = tray.iter_mut().filter(|item| item.user == user && ids.contains(&item.id));
                own.for_each(|item| item.way = Change::Disable);
            }),
            (Action::Accept, Some(way)) if device.is_ready() && !device.running => match opening(device, &way) {
                Some(opening) => out.push(to_session(device.card, SessionCommand::Open(opening))),
                None => return Flow::Stay,
            },
            (Action::Accept, Some(_)) => return Flow::Stay,
            (Action::Accept | Action::Leave, _) => {}
            _ => {
                move_over(&mut self.at, self.ways.len(), app, action);
                return Flow::Stay;
            }
        }
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let all = self.ways.as_slice();
        let columns = 100.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let name = |id: &wibbet_types::PackageId| format!("“{}”", device.name_of(id));
        let mut below: Vec<Line<'_>> = vec![Line::raw("")];
        if let Some(way) = all.get(self.at) {
            below.extend(wrapped(&format!("{}.", capitalize(&way.words_with(name))), cells, theme.strong));
            below.extend(wrapped(&does(device, way), cells, theme.dim));
        }
        below.push(Line::raw(""));
        let undo = app.called(View::Packages, Action::Undo);
        let words = format!("What is changed in the tray is taken back by {undo}.");
        below.extend(wrapped(&words, cells, theme.dim));
        let count = u16::try_from(all.len()).unwrap_or(u16::MAX).min(frame.area().height.saturating_sub(14)).max(1);
        let high = count + u16::try_from(below.len()).unwrap_or(0);
        let room = framed(" Other ways ", (columns, high), (Layer::OtherWays, ALL), theme, frame);
        let list = Rect { height: count.min(room.height), ..room };
        let row = |way: &Instead, _| Line::raw(truncate(&format!(" {}", capitalize(&way.words_with(name))), cells));
        draw_list(all, self.at, row, theme, frame, list);
        let rest = Rect { y: list.bottom(), height: room.height - list.height, ..room };
        frame.render_widget(Paragraph::new(below), rest);
    }
}
