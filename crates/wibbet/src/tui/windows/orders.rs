//! Orders: those that are at hand, making one, and one that is held against the devices on the bench and carried out.

use std::sync::Arc;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::fleet::{BenchCommand, CardId};
use wibbet_bench::orders::HeldOrder;
use wibbet_bench::run::Control;
use wibbet_core::order::{Made, Order, write_order};
use wibbet_types::{PackageId, PlainText, counted};

use super::form::{ALL, Flow, Form, framed, move_over};
use super::order_matrix::{draw_work, way_words};
use super::page::Page;
use crate::tui::app::{App, DeviceModel, OrderFile, OrderWork, Row, Stage};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::rooms::orders;
use crate::tui::widgets::{Field, Scroll, Theme, draw_list, fit, plain_name, step, truncate, wrap};

/// What is shown of it.
#[derive(Debug, Clone)]
enum Pane {
    /// The orders at hand, and the one under the cursor.
    Files,
    /// What one can be made of, which of that is meant, and what it is called.
    Making(Vec<(String, Vec<Made>)>, usize, Input),
    /// The devices under the order that is at work.
    Work,
    /// What would be sent, before it is.
    Asked(Asked),
}

/// What would be sent.
#[derive(Debug, Clone)]
struct Asked {
    /// Whatever is plugged in from now on is meant, too.
    line: bool,
    /// The devices, with what each was shown with: that is sent, and nothing that came later.
    shown: Vec<(CardId, Arc<HeldOrder>)>,
    scroll: Scroll,
}

impl Asked {
    fn of(work: &OrderWork, line: bool) -> Self {
        let shown = work.to_send().map(|(one, held)| (one.card, Arc::clone(held))).collect();
        Self { line, shown, scroll: Scroll::default() }
    }
}

#[derive(Debug, Clone)]
pub(crate) struct OrdersForm(Pane);

impl Form for OrdersForm {
    const OPENED_BY: Action = Action::Orders;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        out.push(Effect::ListOrders);
        let pane = if app.orders.work.is_some() { Pane::Work } else { Pane::Files };
        Some(Self(pane))
    }

    fn layer(&self) -> Layer {
        match self.0 {
            Pane::Files => Layer::Orders,
            Pane::Making(..) => Layer::OrderMaking,
            Pane::Work => Layer::OrderWork,
            Pane::Asked(..) => Layer::OrderAsked,
        }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match &mut self.0 {
            Pane::Files => match action {
                Action::Accept => match app.orders.files.get(app.orders.at).map(|file| file.order.clone()) {
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
                _ => {
                    let mut at = app.orders.at;
                    move_over(&mut at, app.orders.files.len(), app, action);
                    app.orders.at = at;
                }
            },
            Pane::Making(sources, at, name) => match action {
                Action::Accept => {
                    if let Some(effect) = made(app, sources, *at, name.value()) {
                        out.push(effect);
                        self.0 = Pane::Files;
                    }
                }
                Action::Leave => self.0 = Pane::Files,
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
            Pane::Asked(asked) => match action {
                Action::Send => {
                    let Asked { line, shown, .. } = asked.clone();
                    self.0 = Pane::Work;
                    if line && let Some(work) = &mut app.orders.work {
                        work.line = true;
                        work.calls.clear();
                    }
                    let words = counted(orders::send_order(app, &shown, out), "device", "devices");
                    match line {
                        true => {
                            app.tell(format!("Sent to {words}; from now on to whatever is plugged in and allowed."))
                        }
                        false => app.tell(format!("Sent to {words}.")),
                    }
                }
                _ => {
                    let (mut scroll, mut flow) = (asked.scroll, Flow::Stay);
                    asked_page(app, asked, |page| flow = page.act(&mut scroll, app, action));
                    asked.scroll = scroll;
                    if flow == Flow::Close {
                        self.0 = Pane::Work;
                    }
                }
            },
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        match &self.0 {
            Pane::Files => draw_files(app, theme, frame),
            Pane::Making(sources, at, name) => draw_making(sources, *at, name, theme, frame),
            Pane::Work => {
                if let Some(work) = &app.orders.work {
                    draw_work(app, work, &|action| enabled(work, action), theme, frame);
                }
            }
            Pane::Asked(asked) => asked_page(app, asked, |page| page.draw(asked.scroll, app, theme, frame)),
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        match &mut self.0 {
            Pane::Making(_, _, name) => Some(name),
            _ => None,
        }
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
        order.made_on(&jiff::Zoned::now().with_time_zone(app.zone.clone()).date().to_string(), facts);
    }
    Some(Effect::KeepOrder(plain_name(&name), write_order(&order)))
}

impl OrdersForm {
    fn work(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let half = app.half_a_screen();
        let Some(work) = &mut app.orders.work else { return Flow::Close };
        // Whoever was called is here.
        work.calls.clear();
        let (items, devices) = (work.rows().len(), work.devices.len());
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
            Action::Send if enabled(work, action) => self.0 = Pane::Asked(Asked::of(work, false)),
            Action::LineMode if work.line => {
                orders::end_line(app);
                app.tell("Nothing is begun by itself any more.");
            }
            Action::LineMode => self.0 = Pane::Asked(Asked::of(work, true)),
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
                self.0 = Pane::Files;
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

fn draw_files(app: &App, theme: &Theme, frame: &mut Frame<'_>) {
    let (files, at) = (&app.orders.files, app.orders.at);
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
    let row = |file: &OrderFile, _| match &file.order {
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
            let items: Vec<String> = order.items.iter().take(4).map(|item| Row::Item(0, item).words()).collect();
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
    let words =
        "What ties each package here is noted: where that is otherwise on another device, it is left alone there.";
    let columns = 84.min(frame.area().width.saturating_sub(2));
    let words: Vec<Line<'_>> = wrap(words, usize::from(columns.saturating_sub(4)))
        .into_iter()
        .map(|line| Line::styled(line, theme.dim))
        .collect();
    let below = 2 + u16::try_from(words.len()).unwrap_or(2);
    let high = u16::try_from(sources.len()).unwrap_or(8).min(12) + below;
    let room = framed(" Make an order ", (columns, high), (Layer::OrderMaking, ALL), theme, frame);
    let list = Rect { height: room.height.saturating_sub(below), ..room };
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
    let under = Rect { y: line.bottom(), height: room.bottom().saturating_sub(line.bottom()), ..room };
    frame.render_widget(Paragraph::new(words), under);
}

/// What would be sent to each device, in words.
fn asked_words<'a>(app: &App, asked: &Asked, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = Vec::new();
    let mut say = |words: &str, style| lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, style)));
    if let Some(work) = app.orders.work.as_ref().filter(|_| asked.line) {
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
        for one in &work.order.settings {
            say(&format!("{} is set to {}", one.setting, one.value), theme.plain);
        }
    }
    for (card, held) in &asked.shown {
        let Some(device) = app.devices.iter().find(|device| device.card == *card) else { continue };
        say("", theme.plain);
        let id = device.facts.as_ref().map_or_else(String::new, |facts| facts.id.to_string());
        say(&format!("{} · {id} · {}", device.name(), counted(held.to_send(), "step", "steps")), theme.strong);
        for (user, does) in &held.does {
            let whose = if held.does.len() > 1 { format!("{}: ", device.user_words(*user)) } else { String::new() };
            let missed = does.missed(|id| device.name_of(id));
            missed.iter().for_each(|words| say(&format!("▲ {whose}{words}"), theme.alert));
        }
        let sizes = |id: &PackageId| device.catalog.as_ref()?.metrics.sizes.get(id)?.data;
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
        for one in held.settings.iter().filter(|one| one.is_to_set()) {
            say(&format!("  ⟩ {}", one.command()), theme.good);
        }
    }
    lines
}

fn asked_page(app: &App, asked: &Asked, then: impl FnOnce(&Page<'_>)) {
    let lines = |theme: &Theme, cells: usize| asked_words(app, asked, theme, cells);
    then(&Page { title: " This is sent ", columns: 120, keys: (Layer::OrderAsked, ALL), lines: &lines });
}
