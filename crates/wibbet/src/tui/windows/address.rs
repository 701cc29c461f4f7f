//! Adding a device by its address.

use ratatui::Frame;
use ratatui::text::Line;
use tui_input::Input;
use wibbet_bench::around::Route;
use wibbet_bench::fleet::BenchCommand;

use super::form::{ALL, Flow, Form, cells_inside, framed, line_count, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::Effect;
use crate::tui::widgets::{Field, Theme, wrapped};

/// An address that is being typed.
#[derive(Debug, Clone, Default)]
pub(crate) struct Address {
    input: Input,
    trouble: Option<String>,
}

impl Address {
    fn field_of(&self) -> Field<'_> {
        Field { name: "", name_cells: 0, input: &self.input, here: true }
    }
}

impl Form for Address {
    const OPENED_BY: Action = Action::AddDevice;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Address
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        if action != Action::Accept {
            return Flow::Close;
        }
        let address = match self.input.value().trim().parse::<wibbet_types::Address>() {
            Ok(address) => address,
            Err(rule) => {
                self.trouble = Some(rule.to_string());
                return Flow::Stay;
            }
        };
        // Of what there was but hearsay somebody has named now.
        let named = |r: &Route| r.at() == Some(&address) && !matches!(r, Route::Remembered(_) | Route::Hearsay { .. });
        let has = |d: &DeviceModel| d.routes.iter().any(named);
        if let Some(place) = app.devices.iter().position(has) {
            app.current = place;
            app.tell("That device is on the bench already.");
        } else {
            app.view = View::Bench;
            app.awaited = Some(address.clone());
            out.push(Effect::Bench(BenchCommand::Add(address)));
        }
        Flow::Close
    }

    fn draw(&self, _app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let columns = 70;
        let cells = cells_inside(columns, frame);
        let field = self.field_of();
        let mut lines = vec![Line::raw("Address, HOST:PORT"), field.line(theme, cells), Line::raw("")];
        lines.extend(match &self.trouble {
            Some(rule) => wrapped(rule, cells, theme.alert),
            None => wrapped("Its debugging port is mostly 5555.", cells, theme.dim),
        });
        let room = framed(" Add a device ", (columns, line_count(&lines)), (Layer::Address, ALL), theme, frame);
        say_all(lines, theme, frame, room);
        field.put_cursor(frame, room, 1);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }

    fn edited(&mut self) {
        self.trouble = None;
    }
}
