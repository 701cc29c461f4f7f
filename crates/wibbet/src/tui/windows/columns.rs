//! Which columns the table has, and in which order.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::catalog::{Attribute, Column};

use super::form::{ALL, Flow, Form, cells_inside, framed, move_over};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, capitalize, draw_list, fit, truncate, wrapped};

/// The column that the cursor is on, among all: those that are chosen first.
#[derive(Debug, Clone, Default)]
pub(crate) struct Columns(usize);

impl Form for Columns {
    const OPENED_BY: Action = Action::Columns;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Columns
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let list = app.all_columns();
        let at = &mut self.0;
        let Some((column, chosen)) = list.get(*at).copied() else { return Flow::Close };
        let count = app.columns.len();
        match action {
            Action::Toggle if chosen && count > 1 => app.columns.retain(|c| *c != column),
            Action::Toggle if !chosen => {
                app.columns.push(column);
                *at = count;
            }
            Action::Earlier if chosen && *at > 0 => {
                app.columns.swap(*at, *at - 1);
                *at -= 1;
            }
            Action::Later if chosen && *at + 1 < count => {
                app.columns.swap(*at, *at + 1);
                *at += 1;
            }
            Action::Reset => app.columns = Attribute::FIRST.to_vec(),
            Action::Leave => {
                let names: Vec<&str> = app.columns.iter().map(|c| c.name).collect();
                out.push(Effect::Choose(App::COLUMNS, names.join(" ")));
                return Flow::Close;
            }
            _ => move_over(at, list.len(), app, action),
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let list = app.all_columns();
        let columns = 84;
        let cells = cells_inside(columns, frame);
        // The description of the one under the cursor stands whole below the list; beside the others where there is room.
        let narrow = cells < 56;
        let below = if narrow { 4 } else { 3 };
        let count = u16::try_from(list.len()).unwrap_or(u16::MAX);
        let count = count.min(frame.area().height.saturating_sub(6 + below));
        let room = framed(" Columns ", (columns, count + below), (Layer::Columns, ALL), theme, frame);
        let rows = Rect { height: room.height.saturating_sub(below), ..room };
        if let Some((column, _)) = list.get(self.0) {
            let words = wrapped(&format!("{}.", capitalize(column.doc)), cells, theme.dim);
            let place = Rect { y: rows.bottom() + 1, height: room.height.saturating_sub(rows.height + 1), ..room };
            frame.render_widget(Paragraph::new(words), place.intersection(room));
        }
        let row = |(column, chosen): &(Column, bool), n: usize| {
            let mark = if *chosen { format!("{:>2}", n + 1) } else { " ·".to_owned() };
            let style = if *chosen { theme.plain } else { theme.dim };
            let mut spans = vec![Span::styled(format!(" {mark} "), theme.accent)];
            spans.push(Span::styled(fit(column.title, 18), style));
            if !narrow {
                spans.push(Span::styled(truncate(column.doc, cells.saturating_sub(23)), theme.dim));
            }
            Line::from(spans)
        };
        draw_list(&list, self.0, row, theme, frame, rows);
    }
}
