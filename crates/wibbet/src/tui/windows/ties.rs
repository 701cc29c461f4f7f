//! What leans on what: a package among those that it is tied to, drawn, and a way from each to the next.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::holds::{Around, Tie};
use wibbet_types::PackageId;

use super::form::{Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, fit, truncate, width, wrap};

/// The sides of the drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Leaning,
    Leans,
}

/// A package and those around it.
#[derive(Debug, Clone)]
pub(crate) struct Ties {
    around: Around,
    side: Side,
    at: usize,
    /// Where one came from, the latest last.
    former: Vec<PackageId>,
}

/// Cells between a column and the package in the middle.
const GAP: usize = 5;

/// Lines below the drawing.
const BELOW: usize = 4;

/// The cells of the package in the middle, and of each column.
fn widths(cells: usize) -> (usize, usize) {
    let middle = (cells / 4).clamp(14, 34);
    (middle, cells.saturating_sub(middle + 2 * GAP) / 2)
}

fn around(device: &DeviceModel, id: &PackageId) -> Option<Around> {
    let judged = device.catalog.as_ref()?.judged.get(&device.user())?;
    Some(Around::of(&judged.leans, id))
}

impl Ties {
    fn at(around: Around, former: Vec<PackageId>) -> Self {
        let side = if around.leaning.is_empty() { Side::Leans } else { Side::Leaning };
        Self { around, side, at: 0, former }
    }

    fn ties(&self, side: Side) -> &[Tie] {
        match side {
            Side::Leaning => &self.around.leaning,
            Side::Leans => &self.around.leans,
        }
    }

    fn under_cursor(&self) -> Option<&Tie> {
        self.ties(self.side).get(self.at)
    }

    fn turn_to(&mut self, device: &DeviceModel, id: &PackageId, former: Vec<PackageId>) {
        if let Some(around) = around(device, id) {
            *self = Self::at(around, former);
        }
    }

    /// What ties the package under the cursor and the one in the middle, in words.
    fn words(&self, device: &DeviceModel) -> Vec<(String, bool)> {
        let here = device.name_of(&self.around.id);
        let stops = |id: &PackageId| {
            let judgement = device.entry(id).and_then(|entry| entry.judgement);
            judgement.map_or_else(|| "not known".to_owned(), |one| one.stops())
        };
        let Some(tie) = self.under_cursor() else {
            let words = "As far as manifests tell, nothing here leans on it, and it leans on nothing.";
            return vec![
                (words.to_owned(), false),
                (format!("Without “{here}” stops: {}.", stops(&self.around.id)), true),
            ];
        };
        let there = device.name_of(&tie.other);
        let (who, whom) = match self.side {
            Side::Leaning => (&there, &here),
            Side::Leans => (&here, &there),
        };
        let others = match tie.others {
            0 => "nobody else here has it".to_owned(),
            1 => "1 more here has it".to_owned(),
            n => format!("{n} more here have it"),
        };
        let by = tie.by.first().map_or("", String::as_str);
        let more = if tie.by.len() > 1 { format!(" and {} more", tie.by.len() - 1) } else { String::new() };
        vec![
            (format!("“{who}” asks “{whom}” for {by}{more}; {others}."), false),
            (format!("Without “{there}” stops: {}.", stops(&tie.other)), true),
        ]
    }

    /// The lines of the drawing, `high` of them: a column, the package in the middle, a column.
    fn drawing<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize, high: usize) -> Vec<Line<'a>> {
        let (middle, column) = widths(cells);
        let shown = (high / 2).max(1);
        let rows = |side: Side| self.ties(side).len().min(shown);
        let centre = rows(Side::Leaning).max(rows(Side::Leans)).saturating_sub(1).max(1).min(high.saturating_sub(3));
        let drawn = [Side::Leaning, Side::Leans].map(|side| {
            let first = if side == self.side { (self.at + 1).saturating_sub(shown) } else { 0 };
            let ties: Vec<&Tie> = self.ties(side).iter().skip(first).take(shown).collect();
            // A short column stands beside the middle.
            let top = centre.saturating_sub(ties.len().saturating_sub(1));
            Column { side, first, top, ties }
        });
        (0..high)
            .map(|y| {
                let mut spans: Vec<Span<'a>> = Vec::new();
                let [left, right] = &drawn;
                spans.extend(self.cell(device, theme, left, y, column));
                spans.push(Span::styled(left.connector(y, centre), theme.dim));
                spans.extend(self.box_line(device, theme, y, centre, middle));
                spans.push(Span::styled(right.connector(y, centre), theme.dim));
                spans.extend(self.cell(device, theme, right, y, column));
                Line::from(spans)
            })
            .collect()
    }

    /// A line of a column: the name of a package, and below it by what it is found.
    fn cell<'a>(
        &self,
        device: &DeviceModel,
        theme: &Theme,
        own: &Column<'_>,
        y: usize,
        column: usize,
    ) -> Vec<Span<'a>> {
        let line = y.checked_sub(own.top);
        let tie = line.and_then(|line| own.ties.get(line / 2));
        let (Some(line), Some(tie)) = (line, tie) else { return vec![Span::raw(" ".repeat(column))] };
        if line % 2 == 1 {
            let by = tie.by.first().map_or("", String::as_str);
            // The end of a long name tells more than its beginning.
            let by = if width(by) < column { by.to_owned() } else { short(by, column.saturating_sub(1)) };
            return vec![Span::styled(fit(&format!(" {by}"), column), theme.dim)];
        }
        let here = own.side == self.side && own.first + line / 2 == self.at;
        let style = if here { theme.cursor } else { style(tie, theme) };
        let name = truncate(&device.name_of(&tie.other), column.saturating_sub(2));
        let rest = column.saturating_sub(width(&name) + 2);
        match own.side {
            Side::Leaning => {
                vec![Span::styled(format!(" {name} "), style), Span::styled("─".repeat(rest), theme.dim)]
            }
            Side::Leans => vec![Span::styled(format!(" {name} "), style), Span::raw(" ".repeat(rest))],
        }
    }

    /// A line of the package in the middle, in a frame of four lines whose second one is at the centre.
    fn box_line<'a>(
        &self,
        device: &DeviceModel,
        theme: &Theme,
        y: usize,
        centre: usize,
        cells: usize,
    ) -> Vec<Span<'a>> {
        let inside = cells.saturating_sub(4);
        let id = self.around.id.as_str();
        let end = if width(id) <= inside { id.to_owned() } else { short(id, inside) };
        let edge = "━".repeat(cells.saturating_sub(2));
        let within = |text: &str, style: Style| {
            let side = |text: &'static str| Span::styled(text, theme.accent);
            vec![side("┃ "), Span::styled(fit(text, inside), style), side(" ┃")]
        };
        match (y + 1).checked_sub(centre) {
            Some(0) => vec![Span::styled(format!("┏{edge}┓"), theme.accent)],
            Some(1) => within(&device.name_of(&self.around.id), theme.strong),
            Some(2) => within(&end, theme.dim),
            Some(3) => vec![Span::styled(format!("┗{edge}┛"), theme.accent)],
            _ => vec![Span::raw(" ".repeat(cells))],
        }
    }
}

/// The end of a name, in so many cells.
fn short(name: &str, cells: usize) -> String {
    let skip = name.chars().count().saturating_sub(cells.saturating_sub(1));
    format!("…{}", name.chars().skip(skip).collect::<String>())
}

/// What nobody else can give is what ties.
fn style(tie: &Tie, theme: &Theme) -> Style {
    if tie.others == 0 { theme.strong } else { theme.plain }
}

/// A column of the drawing: those of a side that there is room for, from a line on.
struct Column<'a> {
    side: Side,
    first: usize,
    top: usize,
    ties: Vec<&'a Tie>,
}

impl Column<'_> {
    /// What leads from its packages to the one in the middle, or back.
    fn connector(&self, y: usize, centre: usize) -> String {
        let Some(last) = self.ties.len().checked_sub(1).map(|n| self.top + 2 * n) else { return " ".repeat(GAP) };
        let (above, below) = (centre.min(self.top), centre.max(last));
        let out = (self.top..=last).contains(&y) && (y - self.top).is_multiple_of(2);
        let (up, down, to) = (y > above && y <= below, y >= above && y < below, y == centre);
        // Towards the column, up, down, towards the middle.
        let (left, right) = if self.side == Side::Leaning { (out, to) } else { (to, out) };
        let corner = match (left, up, down, right) {
            (false, false, false, false) => " ",
            (true, false, false, _) | (false, false, false, true) => "─",
            (false, true, false, false) => "╵",
            (false, false, true, false) => "╷",
            (false, true, true, false) => "│",
            (true, false, true, false) => "┐",
            (true, true, false, false) => "┘",
            (true, true, true, false) => "┤",
            (false, false, true, true) => "┌",
            (false, true, false, true) => "└",
            (false, true, true, true) => "├",
            (true, false, true, true) => "┬",
            (true, true, false, true) => "┴",
            (true, true, true, true) => "┼",
        };
        let line = |on: bool| if on { "─" } else { " " };
        let arrow = |on: bool| if on { "▸" } else { " " };
        match self.side {
            Side::Leaning => format!("{}{corner}{}{} ", line(left), line(right), arrow(right)),
            Side::Leans => format!(" {}{corner}{}{}", line(left), line(right), arrow(right)),
        }
    }
}

impl Form for Ties {
    const OPENED_BY: Action = Action::Ties;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let id = device.under_cursor()?.clone();
        Some(Self::at(around(device, &id)?, Vec::new()))
    }

    fn layer(&self) -> Layer {
        Layer::Ties
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device_mut() else { return Flow::Close };
        match action {
            Action::Accept => {
                if let Some(other) = self.under_cursor().map(|tie| tie.other.clone()) {
                    let mut former = std::mem::take(&mut self.former);
                    former.push(self.around.id.clone());
                    self.turn_to(device, &other, former);
                }
            }
            Action::Earlier => {
                if let Some(id) = self.former.pop() {
                    let former = std::mem::take(&mut self.former);
                    self.turn_to(device, &id, former);
                }
            }
            Action::NextField => {
                let other = if self.side == Side::Leaning { Side::Leans } else { Side::Leaning };
                if !self.ties(other).is_empty() {
                    (self.side, self.at) = (other, 0);
                }
            }
            Action::Leave => {
                // Whoever has gone somewhere goes on from there, where the search shows it.
                if !self.former.is_empty() {
                    device.go_to(&self.around.id);
                }
                return Flow::Close;
            }
            _ => {
                let len = self.ties(self.side).len();
                move_over(&mut self.at, len, app, action);
            }
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let area = frame.area();
        let columns = 130.min(area.width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let most = self.ties(Side::Leaning).len().max(self.ties(Side::Leans).len());
        let room = usize::from(area.height).saturating_sub(BELOW + 8);
        let high = (most * 2).clamp(5, room.max(5));
        let enabled = |action: Action| match action {
            Action::Accept => self.under_cursor().is_some(),
            Action::Earlier => !self.former.is_empty(),
            Action::NextField => !self.around.leaning.is_empty() && !self.around.leans.is_empty(),
            _ => true,
        };
        let lines = u16::try_from(high + BELOW + 2).unwrap_or(u16::MAX);
        let title = " What leans on what ";
        let inside = framed(title, (columns, lines), (Layer::Ties, &enabled), theme, frame);
        let (middle, column) = widths(cells);
        let head = |side: Side| match (side, self.ties(side).len()) {
            (Side::Leaning, 0) => " nothing leans on it".to_owned(),
            (Side::Leans, 0) => " it leans on nothing".to_owned(),
            (Side::Leaning, 1) => " 1 leans on it".to_owned(),
            (Side::Leaning, n) => format!(" {n} lean on it"),
            (Side::Leans, n) => format!(" it leans on {n}"),
        };
        let mut all = vec![
            Line::from(vec![
                Span::styled(fit(&head(Side::Leaning), column), theme.accent),
                Span::raw(" ".repeat(middle + 2 * GAP)),
                Span::styled(fit(&head(Side::Leans), column), theme.accent),
            ]),
            Line::raw(""),
        ];
        all.extend(self.drawing(device, theme, cells, high));
        all.push(Line::raw(""));
        for (words, strong) in self.words(device) {
            let style = if strong { theme.strong } else { theme.plain };
            all.extend(wrap(&words, cells).into_iter().map(|line| Line::styled(line, style)));
        }
        frame.render_widget(Paragraph::new(all), inside);
    }
}
