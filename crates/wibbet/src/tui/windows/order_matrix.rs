//! The devices under the order that is at work: a matrix of items and devices, with what becomes and became of each.

use std::collections::BTreeSet;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::order::{OrderItem, Way, What};

use super::form::framed;
use crate::tui::app::{App, Cell, DeviceModel, Mark, Marked, OnDevice, OrderWork, Row, Stage, marked};
use crate::tui::keys::{Action, Layer};
use crate::tui::rooms::orders::so_far;
use crate::tui::widgets::{Tap, Theme, first_shown, fit, large_lines, truncate, width, wrap};

pub(super) fn way_words(item: &OrderItem) -> &'static str {
    match item.way {
        Way::Usual => "as one would mark it",
        Way::By(way) => way.label(),
        Way::Leave => "leave",
    }
}

/// A device under the order as it is drawn.
struct Column<'a> {
    place: usize,
    one: &'a OnDevice,
    device: &'a DeviceModel,
    marked: Vec<Marked<'a>>,
}

impl<'a> Column<'a> {
    fn all(app: &'a App, work: &'a OrderWork) -> Vec<Self> {
        let column = |(place, one): (usize, &'a OnDevice)| {
            let device = app.devices.iter().find(|device| device.card == one.card)?;
            let run = device.run_of_order(&one.stage);
            let marked = one.stage.held().map_or_else(Vec::new, |held| marked(held, run));
            Some(Self { place, one, device, marked })
        };
        work.devices.iter().enumerate().filter_map(column).collect()
    }

    /// What became of a row.
    fn of_row(&self, row: Row<'_>) -> Vec<Cell<'_>> {
        let cell =
            |one: &Marked<'a>| Cell { mark: one.mark, id: one.line.id.as_ref(), user: one.line.user, why: one.words() };
        match row {
            Row::Item(n, _) => self.of_item(n).iter().map(cell).collect(),
            Row::Install(n, _) => {
                let run = self.device.run_of_order(&self.one.stage);
                self.one.stage.install(n, run).into_iter().collect()
            }
            Row::Setting(n, _) => self.one.stage.setting(n),
        }
    }

    /// The lines of an item.
    fn of_item(&self, item: usize) -> &[Marked<'a>] {
        let range = self.one.stage.held().map(|held| held.applied.of_item(item));
        range.and_then(|range| self.marked.get(range)).unwrap_or_default()
    }
}

/// The weightiest of several, and how many there are of it.
fn weightiest(cells: &[Cell<'_>]) -> Option<(Mark, usize)> {
    let first = cells.iter().map(|one| one.mark).min()?;
    Some((first, cells.iter().filter(|one| one.mark == first).count()))
}

fn mark_style(mark: Mark, theme: &Theme) -> Style {
    match mark {
        Mark::Refused | Mark::Unsettled | Mark::Otherwise => theme.alert,
        Mark::Sent | Mark::Goes => theme.accent,
        Mark::Done => theme.good,
        Mark::NotSent | Mark::Stays | Mark::AlreadySo | Mark::NotThere => theme.dim,
    }
}

fn stage_words(one: &OnDevice, device: &DeviceModel) -> (String, bool) {
    match &one.stage {
        Stage::Away if device.running => ("busy".into(), false),
        Stage::Away => ("not linked".into(), false),
        Stage::Reading => ("reading".into(), false),
        Stage::Failed(_) => ("▲ not read".into(), true),
        Stage::Held(held) if held.stays.is_some() => match held.applied.speaks_against.is_empty() {
            true => ("none to do".into(), false),
            false => ("▲ not for it".into(), true),
        },
        Stage::Held(held) => (format!("{} to do", held.to_send()), false),
        Stage::Sent(_) => match device.run_of_order(&one.stage) {
            Some(run) => {
                let settled = run.steps.iter().filter(|step| step.outcome.is_some()).count();
                (format!("{settled} of {}", run.steps.len()), false)
            }
            None => ("starting".into(), false),
        },
        Stage::Ended(_, over) if over.trouble.is_some() => ("▲ trouble".into(), true),
        Stage::Ended(_, over) => match &over.run {
            Some(run) if over.whole => (format!("all {} done", run.counting().count() + over.settings.len()), false),
            Some(run) => (format!("▲ {} of {}", so_far(run), run.counting().count()), true),
            None => ("ended".into(), false),
        },
    }
}

/// The most and least cells of a device's column.
const COLUMN: (usize, usize) = (24, 11);

/// So many cells of a column have room for words beside the shapes.
const WORDY: usize = 20;

pub(super) fn draw_work(
    app: &App,
    work: &OrderWork,
    able: &dyn Fn(Action) -> bool,
    theme: &Theme,
    frame: &mut Frame<'_>,
) {
    let all = Column::all(app, work);
    // What is told on the line below it is seen.
    let high = frame.area().height.saturating_sub(10);
    let columns = frame.area().width.saturating_sub(2);
    let title = format!(" Order: {} ", truncate(&work.order.name, 50));
    let room = framed(&title, (columns, high), (Layer::OrderWork, able), theme, frame);
    let cells = usize::from(room.width);
    let mut head: Vec<Line<'_>> = Vec::new();
    if !work.order.purpose.is_empty() {
        head.push(Line::styled(truncate(&work.order.purpose, cells), theme.plain));
    }
    let end = work.order.end.words().map_or_else(String::new, |words| format!(" Then: {words}."));
    let about = format!("{}{end}", work.stops_on.words());
    head.push(Line::styled(truncate(&about, cells), theme.dim));
    if work.line {
        head.push(Line::styled(
            truncate("Line: it is carried out on whatever is plugged in and allowed.", cells),
            theme.accent,
        ));
    }
    if work.line && !work.calls.is_empty() && room.height > 20 {
        let style = |needs_a_hand| if needs_a_hand { theme.alert } else { theme.good };
        let needs_a_hand = work.calls.iter().any(|(needs, _)| *needs);
        let word = if needs_a_hand { "LOOK" } else { "READY" };
        head.push(Line::raw(""));
        let large = large_lines(word).into_iter();
        head.extend(large.map(|line| Line::styled(truncate(&line, cells), style(needs_a_hand))));
        for (needs, words) in &work.calls {
            let sign = if *needs { "▲" } else { "·" };
            head.push(Line::styled(truncate(&format!("{sign} {words}"), cells), style(*needs)));
        }
    }
    head.push(Line::raw(""));
    let top = u16::try_from(head.len()).unwrap_or(0).min(room.height);
    frame.render_widget(Paragraph::new(head), Rect { height: top, ..room });
    let below = 7.min(room.height / 3);
    let table = Rect { y: room.y + top, height: room.height.saturating_sub(top + below), ..room };
    draw_table(work, &all, theme, frame, table);
    let under = Rect { y: table.bottom(), height: room.bottom().saturating_sub(table.bottom()), ..room };
    let lines: Vec<Line<'_>> = about_cell(work, &all, theme, cells);
    frame.render_widget(Paragraph::new(lines), under);
}

fn draw_table(work: &OrderWork, all: &[Column<'_>], theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let cells = usize::from(area.width);
    let count = all.len();
    if count == 0 {
        return frame.render_widget(Line::styled("No device is on the bench yet.", theme.dim), area);
    }
    let name_cells = (cells / 4).clamp(14, 36);
    let column = ((cells - name_cells) / count).clamp(COLUMN.1, COLUMN.0);
    let shown = ((cells - name_cells) / column).clamp(1, count);
    let first = first_shown(work.device_at, count, shown);
    let devices = all.get(first..(first + shown).min(count)).unwrap_or_default();
    let more = match (first > 0, first + shown < count) {
        (false, false) => String::new(),
        _ => format!(" {}–{} of {count}", first + 1, first + shown),
    };
    let mut names = vec![Span::styled(fit(&more, name_cells), theme.dim)];
    let mut stages = vec![Span::raw(" ".repeat(name_cells))];
    for (n, Column { place, one, device, .. }) in devices.iter().enumerate() {
        // A tap on a device goes there; on the one under the cursor it takes it in, or leaves it out.
        let by = (first + n) as isize - work.device_at as isize;
        let action = match by {
            0 => Action::Mark,
            1.. => Action::Later,
            _ => Action::Earlier,
        };
        let x = area.x.saturating_add(u16::try_from(name_cells + n * column).unwrap_or(u16::MAX));
        let place_of = Rect { x, width: u16::try_from(column).unwrap_or(0), ..area };
        let head = Rect { height: 2, ..place_of }.intersection(area);
        let tapped = if by == 0 { head } else { place_of.intersection(area) };
        if let Some(key) = Layer::OrderWork.event_of(action) {
            theme.taps.note(tapped, Tap::Keys(key, by.unsigned_abs().max(1)));
        }
        let sign = if one.chosen { "■ " } else { "□ " };
        let style = match (*place == work.device_at, one.chosen) {
            (true, _) => theme.cursor,
            (false, true) => theme.strong,
            (false, false) => theme.dim,
        };
        let name = if column >= WORDY { device.name() } else { short_name(device) };
        names.push(Span::styled(fit(&format!("{sign}{name}"), column - 1), style));
        names.push(Span::raw(" "));
        let (words, alert) = stage_words(one, device);
        let style = if alert { theme.alert } else { theme.dim };
        stages.push(Span::styled(fit(&words, column - 1), style));
        stages.push(Span::raw(" "));
    }
    let mut lines = vec![Line::from(names), Line::from(stages)];
    let rows = usize::from(area.height).saturating_sub(2);
    let all = work.rows();
    let from = first_shown(work.item_at, all.len(), rows);
    for (n, row) in all.iter().enumerate().skip(from).take(rows) {
        let y = area.y.saturating_add(u16::try_from(2 + n - from).unwrap_or(u16::MAX));
        let name = Rect { y, height: 1, width: u16::try_from(name_cells).unwrap_or(0), ..area };
        theme.taps.note(name.intersection(area), Tap::Row(n as isize - work.item_at as isize));
        let mut spans = vec![Span::styled(fit(&format!(" {}", row.words()), name_cells), theme.plain)];
        for column_of in devices {
            let marks = column_of.of_row(*row);
            let words = match weightiest(&marks) {
                None => String::new(),
                Some((mark, _)) if marks.len() == 1 && column < WORDY => mark.shape().to_owned(),
                Some((mark, of)) if column < WORDY => format!("{} {of}/{}", mark.shape(), marks.len()),
                Some((mark, _)) if marks.len() == 1 => format!("{} {}", mark.shape(), mark.word()),
                Some((mark, of)) if of == marks.len() => format!("{} {of} {}", mark.shape(), mark.word()),
                Some((mark, of)) => format!("{} {of} of {} {}", mark.shape(), marks.len(), mark.word()),
            };
            let style = weightiest(&marks).map_or(theme.dim, |(mark, _)| mark_style(mark, theme));
            let style = if n == work.item_at && column_of.place == work.device_at { theme.cursor } else { style };
            spans.push(Span::styled(fit(&format!(" {words}"), column - 1), style));
            spans.push(Span::raw(" "));
        }
        lines.push(Line::from(spans));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

/// The name of a device where there is little room: its maker is left out.
fn short_name(device: &DeviceModel) -> String {
    let Some(facts) = &device.facts else { return device.name() };
    let model = if facts.market.as_str().is_empty() { &facts.model } else { &facts.market };
    let model = model.as_str().trim();
    let plain = model.strip_prefix(facts.maker.as_str()).map_or(model, str::trim);
    if plain.is_empty() { device.name() } else { plain.to_owned() }
}

/// What the shapes mean that are in the table.
fn legend<'a>(work: &OrderWork, all: &[Column<'_>], theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let rows = work.rows();
    let others = rows.iter().filter(|row| !matches!(row, Row::Item(..)));
    let cells_of = |row| all.iter().flat_map(move |column| column.of_row(row)).map(|cell| cell.mark);
    let mut marks: BTreeSet<Mark> = all.iter().flat_map(|column| &column.marked).map(|one| one.mark).collect();
    marks.extend(others.flat_map(|row| cells_of(*row)));
    let words: Vec<String> = marks.iter().map(|mark| format!("{} {}", mark.shape().trim(), mark.word())).collect();
    let mut lines: Vec<String> = Vec::new();
    for word in words {
        match lines.last_mut().filter(|line| width(line) + 3 + width(&word) <= cells) {
            Some(line) => line.push_str(&format!("   {word}")),
            None => lines.push(word),
        }
    }
    lines.into_iter().map(|line| Line::styled(truncate(&line, cells), theme.dim)).collect()
}

/// What a row of an order says.
fn row_words(work: &OrderWork, row: Row<'_>) -> String {
    let item = match row {
        Row::Install(_, install) => return format!("{} is installed before anything goes", install.file),
        Row::Setting(_, one) => {
            let users = one.users.as_ref().unwrap_or(&work.order.users);
            let whose = if one.setting.is_of_a_user() { format!(", for {users}") } else { String::new() };
            return format!("{} is set to {}{whose}, when the packages are as they are to be", one.setting, one.value);
        }
        Row::Item(_, item) => item,
    };
    let only = item.only_if.as_ref().map_or_else(String::new, |line| format!(", only if {line}"));
    let unless = item.unless.as_ref().map_or_else(String::new, |line| format!(", unless {line}"));
    let users = item.users.as_ref().unwrap_or(&work.order.users);
    format!("{}: {}, for {users}{only}{unless}", item.what, way_words(item))
}

/// What is known of the row and the device under the cursor.
fn about_cell<'a>(work: &OrderWork, all: &[Column<'_>], theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = legend(work, all, theme, cells);
    lines.push(Line::styled("─".repeat(cells), theme.dim));
    let rows = work.rows();
    let Some(row) = rows.get(work.item_at) else { return lines };
    lines.push(Line::styled(truncate(&row_words(work, *row), cells), theme.strong));
    let Some(column) = all.iter().find(|column| column.place == work.device_at) else { return lines };
    let device = column.device;
    let mut say = |words: String, style| {
        let words = format!("{} · {words}", device.name());
        lines.extend(wrap(&words, cells).into_iter().map(|line| Line::styled(line, style)));
    };
    match &column.one.stage {
        Stage::Failed(why) => say(why.clone(), theme.alert),
        Stage::Ended(_, over) => over.trouble.iter().for_each(|why| say(why.clone(), theme.alert)),
        _ => {}
    }
    if let Some(held) = column.one.stage.held() {
        held.applied.speaks_against.iter().for_each(|why| say(why.clone(), theme.alert));
        held.unread.iter().for_each(|why| say(format!("manifests could not be read: {why}"), theme.alert));
    }
    for cell in column.of_row(*row) {
        let name = match (row, cell.id) {
            (Row::Item(_, item), Some(id)) if item.what == What::Package(id.clone()) => String::new(),
            (_, Some(id)) => format!("{} · ", device.name_of(id)),
            (_, None) => String::new(),
        };
        let user = cell.user.map_or_else(String::new, |user| format!("{} · ", device.user_words(user)));
        let why = cell.why.map_or_else(String::new, |why| format!(": {why}"));
        say(format!("{name}{user}{}{why}", cell.mark.word()), theme.dim);
    }
    lines
}
