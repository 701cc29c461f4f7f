//! Orders: those that are at hand, making one, and one that is held against the devices on the bench and carried out.

use std::collections::BTreeMap;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::run::Control;
use wibbet_core::order::{AppliedLine, Made, Order, OrderItem, Way, What, write_order};
use wibbet_core::plan::SkipReason;
use wibbet_core::run::Run;
use wibbet_types::{PlainText, counted};

use super::form::{Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel, Mark, OnDevice, OrderWork, Stage, step_of};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::rooms::orders;
use crate::tui::widgets::{Field, Scroll, Theme, draw_list, first_shown, fit, large_lines, step, truncate, wrap};

/// What is shown of it.
#[derive(Debug, Clone)]
enum Pane {
    /// The orders at hand, and the one under the cursor.
    Files(usize),
    /// What one can be made of, which of that is meant, and what it is called.
    Making(Vec<(String, Vec<Made>)>, usize, Input),
    /// The devices under the order that is at work.
    Work,
    /// What would be sent, before it is; `true` where whatever is plugged in from now on is meant.
    Asked(bool, Scroll),
}

#[derive(Debug, Clone)]
pub(crate) struct OrdersForm(Pane);

impl Form for OrdersForm {
    const OPENED_BY: Action = Action::Orders;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        out.push(Effect::ListOrders);
        let pane = if app.orders.work.is_some() { Pane::Work } else { Pane::Files(0) };
        Some(Self(pane))
    }

    fn layer(&self) -> Layer {
        match self.0 {
            Pane::Files(_) => Layer::Orders,
            Pane::Making(..) => Layer::OrderMaking,
            Pane::Work => Layer::OrderWork,
            Pane::Asked(..) => Layer::OrderAsked,
        }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match &mut self.0 {
            Pane::Files(at) => match action {
                Action::Accept => match app.orders.files.get(*at).map(|file| file.order.clone()) {
                    Some(Ok(order)) => {
                        orders::open_order(app, order, out);
                        self.0 = Pane::Work;
                    }
                    Some(Err(_)) => {
                        app.alert("That file cannot be used as an order; what is wrong with it stands below.")
                    }
                    None => {}
                },
                Action::Add => {
                    let sources = app.device().map_or_else(Vec::new, DeviceModel::order_sources);
                    match sources.first() {
                        Some((name, _)) => {
                            let name = Input::new(name.clone());
                            self.0 = Pane::Making(sources, 0, name);
                        }
                        None => {
                            app.alert("There is nothing to make an order of: mark packages, or carry out a run first.")
                        }
                    }
                }
                Action::Leave => return Flow::Close,
                _ => move_over(at, app.orders.files.len(), app, action),
            },
            Pane::Making(sources, at, name) => match action {
                Action::Accept => {
                    if let Some(effect) = made(app, sources, *at, name.value()) {
                        out.push(effect);
                        self.0 = Pane::Files(0);
                    }
                }
                Action::Leave => self.0 = Pane::Files(0),
                Action::Up | Action::Down => {
                    let before = sources.get(*at).map(|(name, _)| name.clone());
                    step(at, sources.len(), if action == Action::Up { -1 } else { 1 });
                    // A name that nobody has typed follows what it is made of.
                    if before.as_deref() == Some(name.value())
                        && let Some((new, _)) = sources.get(*at)
                    {
                        *name = Input::new(new.clone());
                    }
                }
                _ => {}
            },
            Pane::Work => return self.work(app, action, out),
            Pane::Asked(line, scroll) => match action {
                Action::Send => {
                    let line = *line;
                    self.0 = Pane::Work;
                    if line && let Some(work) = &mut app.orders.work {
                        work.line = true;
                        work.calls.clear();
                    }
                    let sent = orders::send_order(app, None, out);
                    let words = counted(sent, "device", "devices");
                    match line {
                        true => {
                            app.tell(format!("Sent to {words}; from now on to whatever is plugged in and allowed."))
                        }
                        false => app.tell(format!("Sent to {words}.")),
                    }
                }
                Action::Leave => self.0 = Pane::Work,
                Action::Up => scroll.step(-1, 10_000, 10),
                Action::Down => scroll.step(1, 10_000, 10),
                Action::PageUp => scroll.step(-10, 10_000, 10),
                Action::PageDown => scroll.step(10, 10_000, 10),
                _ => {}
            },
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        match &self.0 {
            Pane::Files(at) => draw_files(app, *at, theme, frame),
            Pane::Making(sources, at, name) => draw_making(sources, *at, name, theme, frame),
            Pane::Work => {
                if let Some(work) = &app.orders.work {
                    draw_work(app, work, theme, frame);
                }
            }
            Pane::Asked(line, scroll) => {
                if let Some(work) = &app.orders.work {
                    draw_asked(app, work, *line, *scroll, theme, frame);
                }
            }
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        match &mut self.0 {
            Pane::Making(_, _, name) => Some(name),
            _ => None,
        }
    }

    fn is_moving(&self) -> bool {
        false
    }
}

/// The order of what is chosen, to be kept.
fn made(app: &App, sources: &[(String, Vec<Made>)], at: usize, name: &str) -> Option<Effect> {
    let device = app.device()?;
    let (_, those) = sources.get(at)?;
    let name = PlainText::new(name.trim()).into_string();
    let name = if name.is_empty() { "order".to_owned() } else { name };
    let mut order = Order::of(&name, those.clone(), device.inventory.as_deref());
    if let Some(facts) = &device.facts {
        let day = jiff::Zoned::now().with_time_zone(app.zone.clone()).strftime("%Y-%m-%d").to_string();
        order.made = format!("{day} on {} ({}, {})", facts.name(), facts.android, facts.build);
    }
    let plain: String = name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).take(60).collect();
    Some(Effect::KeepOrder(plain.to_lowercase(), write_order(&order)))
}

impl OrdersForm {
    fn work(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let half = app.half_a_screen();
        let Some(work) = &mut app.orders.work else { return Flow::Close };
        // Whoever was called is here.
        work.calls.clear();
        let (items, devices) = (work.order.items.len(), work.devices.len());
        match action {
            Action::Up => step(&mut work.item_at, items, -1),
            Action::Down => step(&mut work.item_at, items, 1),
            Action::PageUp => step(&mut work.item_at, items, -half),
            Action::PageDown => step(&mut work.item_at, items, half),
            Action::Earlier => step(&mut work.device_at, devices, -1),
            Action::Later => step(&mut work.device_at, devices, 1),
            Action::Mark => {
                if let Some(one) = work.devices.get_mut(work.device_at) {
                    one.chosen = !one.chosen;
                }
            }
            Action::StopsOn => work.stops_on = work.stops_on.next(),
            Action::Send if enabled(work, action) => self.0 = Pane::Asked(false, Scroll::default()),
            Action::LineMode if work.line => {
                orders::end_line(app);
                app.tell("Nothing is begun by itself any more.");
            }
            Action::LineMode => self.0 = Pane::Asked(true, Scroll::default()),
            Action::Stop => {
                let card = work.devices.get(work.device_at).filter(|one| matches!(one.stage, Stage::Sent(_)));
                out.extend(card.map(|one| Effect::Bench(BenchCommand::Control(one.card, Control::Stop))));
            }
            Action::StopAll => {
                let sent = work.devices.iter().filter(|one| matches!(one.stage, Stage::Sent(_)));
                out.extend(sent.map(|one| Effect::Bench(BenchCommand::Control(one.card, Control::Stop))));
                orders::end_line(app);
                app.tell("Stopping everywhere after what is on its way.");
            }
            Action::Reset => {
                if let Some(one) = work.devices.get_mut(work.device_at)
                    && !matches!(one.stage, Stage::Sent(_) | Stage::Reading)
                {
                    one.stage = Stage::Away;
                    orders::hold_orders(app, out);
                }
            }
            // What goes on goes on; the order stays at hand.
            Action::Leave => return Flow::Close,
            Action::Remove if enabled(work, action) => {
                orders::close_order(app, out);
                out.push(Effect::ListOrders);
                self.0 = Pane::Files(0);
            }
            _ => {}
        }
        Flow::Stay
    }
}

fn enabled(work: &OrderWork, action: Action) -> bool {
    let here = work.devices.get(work.device_at);
    match action {
        Action::Send => work.to_send().next().is_some(),
        Action::Stop => here.is_some_and(|one| matches!(one.stage, Stage::Sent(_))),
        Action::StopAll => work.goes_on() || work.line,
        Action::Reset => here.is_some_and(|one| !matches!(one.stage, Stage::Sent(_) | Stage::Reading)),
        Action::Remove => !work.goes_on(),
        Action::Mark | Action::Earlier | Action::Later => here.is_some(),
        _ => true,
    }
}

fn draw_files(app: &App, at: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let files = &app.orders.files;
    let able = |action| match action {
        Action::Accept | Action::Down => !files.is_empty(),
        Action::Add => app.device().is_some(),
        _ => true,
    };
    let most = frame.area().height.saturating_sub(10);
    let high = (u16::try_from(files.len()).unwrap_or(most).max(3) + 7).min(most);
    let room = framed(" Orders ", (100, high), (Layer::Orders, &able), theme, frame);
    let cells = usize::from(room.width);
    let below = 7.min(room.height / 2);
    let list = Rect { height: room.height - below, ..room };
    if files.is_empty() {
        let words = match &app.orders.trouble {
            Some(why) => why.clone(),
            None => format!(
                "No orders yet. One is made of what is chosen on a device, of a run, or of what is off; files that others have made \
                 go into {}.",
                app.orders.folder.display()
            ),
        };
        let lines: Vec<Line<'_>> = wrap(&words, cells).into_iter().map(|line| Line::styled(line, theme.dim)).collect();
        frame.render_widget(Paragraph::new(lines), list);
        return;
    }
    let row = |file: &crate::tui::app::OrderFile, _| match &file.order {
        Ok(order) => Line::from(vec![
            Span::styled(format!(" {} ", fit(&order.name, 40)), theme.plain),
            Span::styled(fit(&counted(order.items.len(), "item", "items"), 10), theme.plain),
            Span::styled(truncate(&format!(" {}", file.name), cells.saturating_sub(53)), theme.dim),
        ]),
        Err(_) => Line::from(vec![
            Span::styled(format!(" {} ", fit(&file.name, 40)), theme.plain),
            Span::styled("▲ cannot be used", theme.alert),
        ]),
    };
    draw_list(files, at, row, theme, frame, list);
    let words = match files.get(at).map(|file| &file.order) {
        Some(Ok(order)) => {
            let about = [&order.purpose, &order.made];
            let about: Vec<&str> = about.iter().map(|text| text.as_str()).filter(|text| !text.is_empty()).collect();
            let items: Vec<String> = order.items.iter().take(4).map(item_words).collect();
            let more = order.items.len().saturating_sub(4);
            let more = if more > 0 { format!(" … and {more} more") } else { String::new() };
            format!("{}\n{}{more}", about.join(" · "), items.join(" · "))
        }
        Some(Err(why)) => why.clone(),
        None => String::new(),
    };
    let lines = words.lines().flat_map(|line| wrap(line, cells)).take(usize::from(below.saturating_sub(1)));
    let lines: Vec<Line<'_>> =
        std::iter::once(Line::raw("")).chain(lines.map(|l| Line::styled(l, theme.dim))).collect();
    frame.render_widget(Paragraph::new(lines), Rect { y: list.bottom(), height: below, ..room });
}

fn draw_making(sources: &[(String, Vec<Made>)], at: usize, name: &Input, theme: &Theme, frame: &mut Frame<'_>) {
    let high = u16::try_from(sources.len()).unwrap_or(8).min(12) + 4;
    let room = framed(" Make an order ", (84, high), (Layer::OrderMaking, super::form::ALL), theme, frame);
    let list = Rect { height: room.height.saturating_sub(4), ..room };
    let row = |(name, made): &(String, Vec<Made>), _| {
        Line::raw(format!(" {} {}", fit(name, 54), counted(made.len(), "item", "items")))
    };
    draw_list(sources, at, row, theme, frame, list);
    let line = Rect { y: list.bottom() + 1, height: 1, ..room };
    if line.bottom() <= room.bottom() {
        let field = Field { name: "called", name_cells: 7, input: name, here: true };
        frame.render_widget(field.line(theme, usize::from(line.width)), line);
        field.put_cursor(frame, line, 0);
    }
    let words =
        "What ties each package here is noted: where that is otherwise on another device, it is left alone there.";
    let words: Vec<Line<'_>> =
        wrap(words, usize::from(room.width)).into_iter().map(|l| Line::styled(l, theme.dim)).collect();
    let under = Rect { y: line.bottom(), height: room.bottom().saturating_sub(line.bottom()), ..room };
    frame.render_widget(Paragraph::new(words), under);
}

fn item_words(item: &OrderItem) -> String {
    match &item.what {
        What::Package(id) if item.note.is_empty() => id.to_string(),
        What::Package(_) => item.note.clone(),
        other => other.to_string(),
    }
}

fn way_words(item: &OrderItem) -> &'static str {
    match item.way {
        Way::Usual => "as one would mark it",
        Way::By(way) => way.label(),
        Way::Leave => "leave",
    }
}

/// The lines of one item on a device, with what became of each.
fn cell<'a>(item: usize, one: &'a OnDevice, run: Option<&Run>) -> Vec<(&'a AppliedLine, Mark)> {
    let Some(held) = one.stage.held() else { return Vec::new() };
    let lines = held.applied.lines.iter().filter(|line| line.item == item);
    lines.map(|line| (line, Mark::of(line, held, run))).collect()
}

/// The weightiest of several, and how many there are of it.
fn weightiest(marks: &[(&AppliedLine, Mark)]) -> Option<(Mark, usize)> {
    let mut counts: BTreeMap<Mark, usize> = BTreeMap::new();
    marks.iter().for_each(|(_, mark)| *counts.entry(*mark).or_default() += 1);
    counts.into_iter().next()
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
        Stage::Held(held) => (format!("{} to send", held.plan.to_send()), false),
        Stage::Sent(_) => match device.run_of_order(&one.stage) {
            Some(run) => {
                let settled = run.steps.iter().filter(|step| step.outcome.is_some()).count();
                (format!("{settled} of {}", run.steps.len()), false)
            }
            None => ("starting".into(), false),
        },
        Stage::Ended(_, _, Some(_)) => ("▲ trouble".into(), true),
        Stage::Ended(..) => match device.run_of_order(&one.stage) {
            Some(run) => {
                let done = run.count(wibbet_core::run::Outcome::Done) + run.count(wibbet_core::run::Outcome::Answered);
                match done == run.steps.len() {
                    true => (format!("all {done} done"), false),
                    false => (format!("▲ {done} of {}", run.steps.len()), true),
                }
            }
            None => ("ended".into(), false),
        },
    }
}

/// The most and least cells of a device's column.
const COLUMN: (usize, usize) = (24, 11);

/// So many cells of a column have room for words beside the shapes.
const WORDY: usize = 20;

fn draw_work(app: &App, work: &OrderWork, theme: &Theme, frame: &mut Frame<'_>) {
    let able = |action| enabled(work, action);
    // What is told on the line below it is seen.
    let high = frame.area().height.saturating_sub(10);
    let columns = frame.area().width.saturating_sub(2);
    let title = format!(" Order: {} ", truncate(&work.order.name, 50));
    let room = framed(&title, (columns, high), (Layer::OrderWork, &able), theme, frame);
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
    draw_table(app, work, theme, frame, table);
    let under = Rect { y: table.bottom(), height: room.bottom().saturating_sub(table.bottom()), ..room };
    let lines: Vec<Line<'_>> = about_cell(app, work, theme, cells);
    frame.render_widget(Paragraph::new(lines), under);
}

fn draw_table(app: &App, work: &OrderWork, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let cells = usize::from(area.width);
    let count = work.devices.len();
    if count == 0 {
        return frame.render_widget(Line::styled("No device is on the bench yet.", theme.dim), area);
    }
    let name_cells = (cells / 4).clamp(14, 36);
    let column = ((cells - name_cells) / count).clamp(COLUMN.1, COLUMN.0);
    let shown = ((cells - name_cells) / column).clamp(1, count);
    let first = first_shown(work.device_at, count, shown);
    let devices: Vec<(usize, &OnDevice, &DeviceModel)> = work
        .devices
        .iter()
        .enumerate()
        .skip(first)
        .take(shown)
        .filter_map(|(n, one)| Some((n, one, app.devices.iter().find(|device| device.card == one.card)?)))
        .collect();
    let more = match (first > 0, first + shown < count) {
        (false, false) => String::new(),
        _ => format!(" {}–{} of {count}", first + 1, first + shown),
    };
    let mut names = vec![Span::styled(fit(&more, name_cells), theme.dim)];
    let mut stages = vec![Span::raw(" ".repeat(name_cells))];
    for (n, one, device) in &devices {
        let sign = if one.chosen { "■ " } else { "□ " };
        let style = match (*n == work.device_at, one.chosen) {
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
    let items = &work.order.items;
    let from = first_shown(work.item_at, items.len(), rows);
    for (n, item) in items.iter().enumerate().skip(from).take(rows) {
        let mut spans = vec![Span::styled(fit(&format!(" {}", item_words(item)), name_cells), theme.plain)];
        for (place, one, device) in &devices {
            let marks = cell(n, one, device.run_of_order(&one.stage));
            let words = match weightiest(&marks) {
                None => String::new(),
                Some((mark, _)) if marks.len() == 1 && column < WORDY => mark.shape().to_owned(),
                Some((mark, of)) if column < WORDY => format!("{} {of}/{}", mark.shape(), marks.len()),
                Some((mark, _)) if marks.len() == 1 => format!("{} {}", mark.shape(), mark.word()),
                Some((mark, of)) if of == marks.len() => format!("{} {of} {}", mark.shape(), mark.word()),
                Some((mark, of)) => format!("{} {of} of {} {}", mark.shape(), marks.len(), mark.word()),
            };
            let style = weightiest(&marks).map_or(theme.dim, |(mark, _)| mark_style(mark, theme));
            let style = if n == work.item_at && *place == work.device_at { theme.cursor } else { style };
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

/// What the shapes mean that are in a table without words.
fn legend<'a>(app: &App, work: &OrderWork, theme: &Theme, cells: usize) -> Line<'a> {
    let mut marks: Vec<Mark> = Vec::new();
    for one in &work.devices {
        let device = app.devices.iter().find(|device| device.card == one.card);
        let run = device.and_then(|device| device.run_of_order(&one.stage));
        for item in 0..work.order.items.len() {
            marks.extend(cell(item, one, run).into_iter().map(|(_, mark)| mark));
        }
    }
    marks.sort();
    marks.dedup();
    let words: Vec<String> = marks.iter().map(|mark| format!("{} {}", mark.shape().trim(), mark.word())).collect();
    Line::styled(truncate(&words.join("   "), cells), theme.dim)
}

/// What is known of the item and the device under the cursor.
fn about_cell<'a>(app: &App, work: &OrderWork, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = vec![legend(app, work, theme, cells), Line::styled("─".repeat(cells), theme.dim)];
    let Some(item) = work.order.items.get(work.item_at) else { return lines };
    let only = item.only_if.as_ref().map_or_else(String::new, |line| format!(", only if {line}"));
    let unless = item.unless.as_ref().map_or_else(String::new, |line| format!(", unless {line}"));
    let users = item.users.as_ref().unwrap_or(&work.order.users);
    let head = format!("{}: {}, for {users}{only}{unless}", item.what, way_words(item));
    lines.push(Line::styled(truncate(&head, cells), theme.strong));
    let Some(one) = work.devices.get(work.device_at) else { return lines };
    let Some(device) = app.devices.iter().find(|device| device.card == one.card) else { return lines };
    let mut say = |words: String, style| lines.extend(wrap(&words, cells).into_iter().map(|l| Line::styled(l, style)));
    match &one.stage {
        Stage::Failed(why) => {
            return {
                say(format!("{}: {why}", device.name()), theme.alert);
                lines
            };
        }
        Stage::Ended(_, _, Some(why)) => say(format!("{}: {why}", device.name()), theme.alert),
        _ => {}
    }
    if let Some(held) = one.stage.held() {
        for why in held.applied.speaks_against.iter().filter(|_| held.stays.is_some()) {
            say(format!("{}: {why}", device.name()), theme.alert);
        }
    }
    let run = device.run_of_order(&one.stage);
    for (line, mark) in cell(work.item_at, one, run) {
        let name = match &line.id {
            Some(id) if item.what == What::Package(id.clone()) => String::new(),
            Some(id) => format!("{} · ", device.name_of(id)),
            None => String::new(),
        };
        let user = line.user.map_or_else(String::new, |user| format!("{} · ", device.user_words(user)));
        let why = why_of(line, mark, one, run).map_or_else(String::new, |why| format!(": {why}"));
        say(format!("{} · {name}{user}{}{why}", device.name(), mark.word()), theme.dim);
    }
    lines
}

/// Why something became of a package, where that takes words.
fn why_of(line: &AppliedLine, mark: Mark, one: &OnDevice, run: Option<&Run>) -> Option<String> {
    match mark {
        Mark::Refused | Mark::Unsettled => {
            step_of(line, run).map(|step| step.remark.clone()).filter(|why| !why.is_empty())
        }
        Mark::NotSent => {
            let held = one.stage.held()?;
            let is_it = |id, user| Some(id) == line.id.as_ref() && Some(user) == line.user;
            let step = held.plan.steps.iter().find(|step| is_it(&step.id, step.user))?;
            step.skip.map(|skip: SkipReason| skip.to_string())
        }
        Mark::Goes => line.unjudged.then(|| "what ties it could not be worked out".to_owned()),
        _ => line.fate.why(),
    }
}

fn draw_asked(app: &App, work: &OrderWork, line: bool, scroll: Scroll, theme: &Theme, frame: &mut Frame<'_>) {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let high = frame.area().height.saturating_sub(10);
    let columns = 120.min(frame.area().width.saturating_sub(2));
    let room = framed(" This is sent ", (columns, high), (Layer::OrderAsked, super::form::ALL), theme, frame);
    let cells = usize::from(room.width);
    let mut say = |words: &str, style| lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, style)));
    if line {
        say(
            "From now on the order is carried out on each device that is plugged in and allowed, without a further question, with the \
             care of any run: what is refused, what the start needs and what is tied otherwise stays. A sound and a large word say when one is \
             ready, or needs a hand.",
            theme.strong,
        );
        say("", theme.plain);
        for item in &work.order.items {
            say(&format!("{}: {}", item.what, way_words(item)), theme.plain);
        }
    }
    for (one, held) in work.to_send() {
        let Some(device) = app.devices.iter().find(|device| device.card == one.card) else { continue };
        say("", theme.plain);
        let id = device.facts.as_ref().map_or_else(String::new, |facts| facts.id.to_string());
        say(&format!("{} · {id} · {}", device.name(), counted(held.plan.to_send(), "step", "steps")), theme.strong);
        for (user, does) in &held.does {
            let whose = if held.does.len() > 1 { format!("{}: ", device.user_words(*user)) } else { String::new() };
            let missed = does.missed(|id| device.name_of(id));
            missed.iter().for_each(|words| say(&format!("▲ {whose}{words}"), theme.alert));
        }
        let sizes = |id: &wibbet_types::PackageId| device.catalog.as_ref()?.metrics.sizes.get(id)?.data;
        if let Some(data) = held.plan.data_words(false, sizes) {
            say(&format!("▲ {data}"), theme.alert);
        }
        for planned in &held.plan.steps {
            let command = planned.command(&device.capabilities);
            match planned.skip {
                None => say(&format!("  ⟩ {command}"), theme.good),
                Some(skip) => say(&format!("  ╌ {}: {skip}", device.name_of(&planned.id)), theme.dim),
            }
        }
    }
    scroll.draw(lines, theme, frame, room);
}
