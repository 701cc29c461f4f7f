//! What leans on what: a package among those that it is tied to, drawn, and a way from each to the next.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::holds::{Around, Tie};
use wibbet_types::PackageId;

use super::form::{Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Tap, Theme, fit, truncate, width, wrap};

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

    /// How many there are on a side, in words.
    fn head(&self, side: Side) -> String {
        match (side, self.ties(side).len()) {
            (Side::Leaning, 0) => " nothing leans on it".to_owned(),
            (Side::Leans, 0) => " it leans on nothing".to_owned(),
            (Side::Leaning, 1) => " 1 leans on it".to_owned(),
            (Side::Leaning, n) => format!(" {n} lean on it"),
            (Side::Leans, n) => format!(" it leans on {n}"),
        }
    }

    /// Those of a side that are in sight where there is room for so many of them.
    fn column(&self, side: Side, shown: usize, top: usize) -> Column<'_> {
        let first = if side == self.side { (self.at + 1).saturating_sub(shown) } else { 0 };
        Column { side, first, top, ties: self.ties(side).iter().skip(first).take(shown).collect() }
    }

    /// As narrow as a phone's screen: who leans on it, the package below, and below it whom it leans on.
    fn below_each_other<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize, high: usize) -> Drawing<'a> {
        let (before, after) = (self.ties(Side::Leaning).len(), self.ties(Side::Leans).len());
        // Besides them there are two headings, two arrows and the frame. What one side does not need is the other's.
        let most = (high.saturating_sub(8) / 2).max(2);
        let half = (most / 2).max(1);
        let shown =
            [before.min(half.max(most.saturating_sub(after))), after.min(half.max(most.saturating_sub(before)))];
        let mut lines: Vec<Line<'a>> = Vec::new();
        let mut places = Vec::new();
        let arrow = || Line::styled("    ▾", theme.dim);
        let mut side = |side: Side, shown: usize, lines: &mut Vec<Line<'a>>| {
            lines.push(Line::styled(self.head(side), theme.accent));
            let column = self.column(side, shown, lines.len());
            for n in 0..column.ties.len() {
                places.push((side, column.first + n, Rect::new(0, row(lines.len()), row(cells), 2)));
                for y in [lines.len(), lines.len() + 1] {
                    // The first part of it: nothing leads to the side.
                    lines.push(Line::from_iter(self.cell(device, theme, &column, y, cells).into_iter().take(1)));
                }
            }
        };
        side(Side::Leaning, shown[0], &mut lines);
        lines.extend((before > 0).then(arrow));
        lines.extend((0..4).map(|y| Line::from(self.box_line(device, theme, y, 1, cells))));
        lines.extend((after > 0).then(arrow));
        side(Side::Leans, shown[1], &mut lines);
        Drawing { lines, places }
    }

    /// The drawing, `high` lines of it below its headings: a column, the package in the middle, a column.
    fn beside_each_other<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize, high: usize) -> Drawing<'a> {
        let (middle, column) = widths(cells);
        let shown = (high / 2).max(1);
        let rows = |side: Side| self.ties(side).len().min(shown);
        let centre = rows(Side::Leaning).max(rows(Side::Leans)).saturating_sub(1).max(1).min(high.saturating_sub(3));
        // A short column stands beside the middle.
        let drawn = [Side::Leaning, Side::Leans]
            .map(|side| self.column(side, shown, centre.saturating_sub(rows(side).saturating_sub(1))));
        let mut lines = vec![
            Line::from(vec![
                Span::styled(fit(&self.head(Side::Leaning), column), theme.accent),
                Span::raw(" ".repeat(middle + 2 * GAP)),
                Span::styled(fit(&self.head(Side::Leans), column), theme.accent),
            ]),
            Line::raw(""),
        ];
        let mut places = Vec::new();
        for (own, x) in drawn.iter().zip([0, column + middle + 2 * GAP]) {
            for n in 0..own.ties.len() {
                let place = Rect::new(row(x), row(lines.len() + own.top + 2 * n), row(column), 2);
                places.push((own.side, own.first + n, place));
            }
        }
        lines.extend((0..high).map(|y| {
            let mut spans: Vec<Span<'a>> = Vec::new();
            let [left, right] = &drawn;
            spans.extend(self.cell(device, theme, left, y, column));
            spans.push(Span::styled(left.connector(y, centre), theme.dim));
            spans.extend(self.box_line(device, theme, y, centre, middle));
            spans.push(Span::styled(right.connector(y, centre), theme.dim));
            spans.extend(self.cell(device, theme, right, y, column));
            Line::from(spans)
        }));
        Drawing { lines, places }
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

/// A count of lines or cells on the screen.
fn row(n: usize) -> u16 {
    u16::try_from(n).unwrap_or(u16::MAX)
}

/// The drawing, and where in it which package of which side stands.
struct Drawing<'a> {
    lines: Vec<Line<'a>>,
    places: Vec<(Side, usize, Rect)>,
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
        let drawn = if cells < 50 {
            self.below_each_other(device, theme, cells, usize::from(area.height).saturating_sub(BELOW + 10))
        } else {
            let most = self.ties(Side::Leaning).len().max(self.ties(Side::Leans).len());
            let room = usize::from(area.height).saturating_sub(BELOW + 8);
            self.beside_each_other(device, theme, cells, (most * 2).clamp(5, room.max(5)))
        };
        let enabled = |action: Action| match action {
            Action::Accept => self.under_cursor().is_some(),
            Action::Earlier => !self.former.is_empty(),
            Action::NextField => !self.around.leaning.is_empty() && !self.around.leans.is_empty(),
            _ => true,
        };
        let mut words: Vec<Line<'_>> = Vec::new();
        for (text, strong) in self.words(device) {
            let style = if strong { theme.strong } else { theme.plain };
            words.extend(wrap(&text, cells).into_iter().map(|line| Line::styled(line, style)));
        }
        let lines = row(drawn.lines.len() + BELOW.max(words.len() + 1));
        let title = " What leans on what ";
        let inside = framed(title, (columns, lines), (Layer::Ties, &enabled), theme, frame);
        for (side, n, place) in drawn.places {
            let place = Rect { x: inside.x + place.x, y: inside.y + place.y, ..place }.intersection(inside);
            let tap = match Layer::Ties.event_of(Action::NextField) {
                Some(key) if side != self.side => Tap::Keys(key, 1),
                _ => Tap::Row(n as isize - self.at as isize),
            };
            theme.taps.note(place, tap);
        }
        let mut all = drawn.lines;
        all.push(Line::raw(""));
        all.extend(words);
        frame.render_widget(Paragraph::new(all), inside);
    }
}
