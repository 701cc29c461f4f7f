//! Restarting a device: what it does to the link, and what waits for it.

use ratatui::Frame;
use ratatui::text::Line;
use wibbet_bench::around::Route;
use wibbet_bench::ops::before_restart;
use wibbet_bench::session::SessionCommand;
use wibbet_core::ask::{RestartTo, restart_request};
use wibbet_core::read::write_request;

use super::form::{ALL, Flow, Form, framed, line_count, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View, called};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, wrapped};

/// Asks whether to restart the device.
#[derive(Debug, Clone, Default)]
pub(crate) struct Restart {
    to: RestartTo,
}

/// What is to be known before.
fn words(device: &DeviceModel, to: RestartTo, by_word: bool) -> Vec<String> {
    let mut words = before_restart(&device.routes, device.details.as_ref().map(|details| &details.vitals), to);
    let has = |test: fn(&Route) -> bool| device.routes.iter().any(test);
    if to == RestartTo::System
        && has(|route| matches!(route, Route::Air { .. }))
        && has(|route| matches!(route, Route::Cable(_) | Route::Server(_)))
    {
        let key = called(View::Bench, Action::SwitchOnWireless, by_word);
        words[0].push_str(&format!(" {key} switches it on over the cable."));
    }
    words
}

impl Form for Restart {
    const OPENED_BY: Action = Action::Restart;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Restart
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match (action, app.device()) {
            (Action::Toggle, _) => {
                let at = RestartTo::ALL.iter().position(|to| *to == self.to).unwrap_or(0);
                self.to = RestartTo::ALL[(at + 1) % RestartTo::ALL.len()];
                return Flow::Stay;
            }
            (Action::RestartNow, Some(device)) => {
                out.push(to_session(device.card, SessionCommand::Restart(self.to)));
            }
            _ => {}
        }
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let columns = 84.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let mut lines: Vec<Line<'_>> = Vec::new();
        lines.push(Line::styled(format!("Into {}.", self.to.words()), theme.strong));
        for part in words(device, self.to, theme.taps.large()) {
            lines.extend(wrapped(&part, cells, theme.plain));
        }
        lines.push(Line::raw(""));
        let goes = "This goes to the device, the second once it has said yes to the first:";
        lines.extend(wrapped(goes, cells, theme.dim));
        for request in [write_request(), restart_request(self.to)] {
            lines.push(Line::styled(format!("  ⟩ {}", request.command()), theme.good));
        }
        let title = format!(" Restart {} ", device.name());
        let room = framed(&title, (columns, line_count(&lines)), (Layer::Restart, ALL), theme, frame);
        say_all(lines, theme, frame, room);
    }
}
