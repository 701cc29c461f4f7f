//! The logbook: the runs so far, of all devices, by day or by device, and what became of the one under the cursor.

use std::sync::Arc;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::device::FigureOf;
use wibbet_core::run::{Outcome, Run, RunState};

use super::parts::outcome_counts;
use crate::tui::app::{App, RunPane};
use crate::tui::keys::{Action, View};
use crate::tui::widgets::{
    Theme, before_after, capitalize, draw_list, fit, item_at, justify, told, truncate, width, wrap,
};

const HEAD: u16 = 2;

/// From so many columns on the run under the cursor stands beside the list, and from so many lines on below it.
const BESIDE: u16 = 108;
const BELOW: u16 = 18;

/// So many packages of a run are named.
const MOST_NAMED: usize = 40;

pub(super) fn is_enabled(app: &App, action: Action) -> bool {
    match action {
        Action::Next => app.log.here().is_some(),
        Action::Search | Action::Sort => !app.log.read.runs.is_empty(),
        Action::Back => !app.log.search.value().is_empty(),
        _ => false,
    }
}

pub(super) fn act(app: &mut App, action: Action) {
    match action {
        Action::Search => app.log.searching = true,
        Action::Sort => app.log.turn(),
        Action::Back => {
            app.log.search.reset();
            app.log.search_again();
        }
        Action::Next => open(app),
        _ => {}
    }
}

/// What an action means here and now.
pub(super) fn word(app: &App, action: Action) -> Option<&'static str> {
    (action == Action::Sort && app.log.is_by_device()).then_some("by day")
}

/// Shows a run of a device that is on the bench where runs are shown; another one is read in a window.
fn open(app: &mut App) {
    let Some(run) = app.log.here().cloned() else { return };
    app.notice = None;
    match app.devices.iter().position(|d| d.facts.as_ref().is_some_and(|f| f.id == run.device)) {
        Some(place) if !app.devices[place].running => {
            app.current = place;
            app.devices[place].run_from_the_top();
            app.devices[place].pane = RunPane::Shown(Arc::new(run));
            app.view = View::Run;
        }
        _ => app.tell("That device has a run going on; it is on the run view."),
    }
}

/// The list, and where the run under the cursor is told of.
fn areas(body: Rect) -> (Rect, Option<Rect>) {
    let head = HEAD.min(body.height);
    let room = Rect { y: body.y + head, height: body.height - head, ..body };
    if body.width >= BESIDE {
        let right = body.width * 9 / 20;
        let list = Rect { width: body.width - right - 1, ..room };
        (list, Some(Rect { x: list.right() + 1, width: right, ..room }))
    } else if body.height >= BELOW {
        let below = room.height / 2;
        let list = Rect { height: room.height - below - 1, ..room };
        (list, Some(Rect { y: list.bottom() + 1, height: below, ..room }))
    } else {
        (room, None)
    }
}

pub(super) fn line_at(app: &App, body: Rect, column: u16, line: u16) -> Option<usize> {
    let (list, _) = areas(body);
    if column >= list.right() {
        return None;
    }
    item_at(app.log.len(), app.log.at, usize::from(list.height), usize::from(line.checked_sub(list.y)?))
}

pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let title = title(app, theme, usize::from(body.width));
    // Where there is nothing below, all of it has room.
    let high = if app.log.read.runs.is_empty() { body.height } else { 1.min(body.height) };
    frame.render_widget(Paragraph::new(title), Rect { height: high, ..body });
    if app.log.searching || !app.log.search.value().is_empty() {
        search_line(app, theme, frame, Rect { y: body.y + 1, height: 1.min(body.height.saturating_sub(1)), ..body });
    }
    let (list, about) = areas(body);
    let runs = app.log.shown();
    let cells = usize::from(list.width);
    let row = |run: &&Run, n: usize| row(app, run, n.checked_sub(1).map(|before| runs[before]), theme, cells);
    draw_list(&runs, app.log.at, row, theme, frame, list);
    if let (Some(area), Some(run)) = (about, app.log.here()) {
        let beside = area.x > body.x;
        let rule = |words: String| Line::styled(words, theme.dim);
        if beside {
            let bars = (0..area.height).map(|_| rule("│".to_owned())).collect::<Vec<_>>();
            frame.render_widget(Paragraph::new(bars), Rect { x: area.x - 1, width: 1, ..area });
        } else {
            frame.render_widget(rule("─".repeat(usize::from(area.width))), Rect { y: area.y - 1, height: 1, ..area });
        }
        let area = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
        let lines = about_run(app, run, theme, usize::from(area.width));
        frame.render_widget(Paragraph::new(lines), area);
    }
}

fn title<'a>(app: &App, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let opens = app.called(View::Logbook, Action::Next);
    let words = match (app.log.read.runs.len(), app.log.len()) {
        (0, _) => " No runs yet. What is done to a device is written down here before it is sent.".to_owned(),
        (all, found) if found < all => format!(" {found} of {all} runs found."),
        (1, _) if cells < 60 => format!(" 1 run. {opens} opens it."),
        (all, _) if cells < 60 => format!(" {all} runs. {opens} opens one."),
        (1, _) => format!(" 1 run. {opens} opens it, with every step, answer and state read back."),
        (all, _) => format!(" {all} runs. {opens} opens one, with every step, answer and state read back."),
    };
    told(&words, cells, theme.strong)
}

fn search_line(app: &App, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let log = &app.log;
    let style = if log.searching { theme.strong } else { theme.plain };
    let left = vec![Span::styled(" / ", theme.accent), Span::styled(log.search.value().to_owned(), style)];
    let right = match log.searching && log.search.value().is_empty() {
        true => vec![Span::styled("ticket, technician, customer, device, package, note ", theme.dim)],
        false => Vec::new(),
    };
    frame.render_widget(justify(left, right, usize::from(area.width)), area);
    if log.searching && area.height > 0 {
        let x = area.x + 3 + u16::try_from(log.search.visual_cursor()).unwrap_or(0);
        frame.set_cursor_position((x.min(area.right().saturating_sub(1)), area.y));
    }
}

/// A run in a line. What it shares with the one before, the day or the device, is not said again.
fn row<'a>(app: &App, run: &Run, before: Option<&Run>, theme: &Theme, cells: usize) -> Line<'a> {
    let by_device = app.log.is_by_device();
    let (day, time) = day_and_time(app, run);
    let same_day = before.is_some_and(|before| day_and_time(app, before).0 == day);
    let same_device = before.is_some_and(|before| before.device == run.device);
    let device = match by_device && same_device {
        true => String::new(),
        // Where there is little room the id stands beside or below only.
        false => match name_of(app, run) {
            Some(name) if cells < 76 => name,
            _ => device_name(app, run),
        },
    };
    let day = if !by_device && same_day { String::new() } else { day };
    let number = format!("{:>4} ", run.number.number());
    let for_device = match cells {
        0..58 => 12,
        58..76 => 20,
        _ => 34,
    };
    let device = fit(&truncate(&device, for_device), for_device);
    let day = fit(&day, 6);
    // As narrow as a phone's screen the time stands below only, so that what became of it has room.
    let time = if cells < 58 { String::new() } else { format!("{time} ") };
    let mut spans = match by_device {
        true => {
            vec![Span::styled(format!(" {device} "), theme.strong), Span::styled(format!("{day} {time}"), theme.dim)]
        }
        false => {
            vec![Span::styled(format!(" {day} "), theme.strong), Span::styled(time, theme.dim)]
        }
    };
    spans.push(Span::styled(number, theme.plain));
    if !by_device {
        spans.push(Span::styled(format!("{device} "), theme.plain));
    }
    spans.push(Span::styled(fit(run.kind.label(), 9), theme.plain));
    let used: usize = spans.iter().map(|span| width(&span.content)).sum();
    let words = outcome_words(app, run);
    let style = if needs_a_look(run) { theme.alert } else { theme.good };
    spans.push(Span::styled(truncate(&words, cells.saturating_sub(used)), style));
    let left = cells.saturating_sub(used + width(&words));
    let ticket = if run.job.ticket.is_empty() { String::new() } else { format!(" · {}", run.job.ticket) };
    if left > 6 {
        spans.push(Span::styled(truncate(&ticket, left), theme.dim));
    }
    Line::from(spans)
}

fn needs_a_look(run: &Run) -> bool {
    let is_well = |outcome| matches!(outcome, Some(Outcome::Done | Outcome::Answered | Outcome::Skipped));
    run.state != RunState::Finished || run.counting().any(|step| !is_well(step.outcome))
}

fn day_and_time(app: &App, run: &Run) -> (String, String) {
    let clock = app.clock(run.begun);
    match clock.rsplit_once(' ') {
        Some((day, time)) => (day.to_owned(), time.to_owned()),
        None => (clock, String::new()),
    }
}

fn name_of(app: &App, run: &Run) -> Option<String> {
    let known = app.devices.iter().filter_map(|d| d.facts.as_ref()).find(|f| f.id == run.device);
    known.map(|facts| facts.name()).or_else(|| app.log.name_of(&run.device).map(str::to_owned))
}

fn device_name(app: &App, run: &Run) -> String {
    name_of(app, run).map_or_else(|| run.device.to_string(), |name| format!("{name} · {}", run.device))
}

fn outcome_words(app: &App, run: &Run) -> String {
    let state = match run.state {
        _ if !run.not_understood.is_empty() => " · not all understood",
        RunState::Finished => "",
        RunState::Open
            if app.devices.iter().any(|d| d.running && d.shown_run().is_some_and(|r| r.number == run.number)) =>
        {
            " · going on"
        }
        // Another program may be at it, or it was interrupted: linking the device settles that.
        RunState::Open => " · open",
        RunState::Stopped => " · stopped",
    };
    format!("{}{state}", outcome_counts(run))
}

/// What is known of a run, in lines.
fn about_run<'a>(app: &App, run: &Run, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = Vec::new();
    let say = |lines: &mut Vec<Line<'a>>, words: &str, style: Style| {
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, style)));
    };
    let title = format!("Run {} · {} · {}", run.number, run.kind.label(), app.clock(run.begun));
    say(&mut lines, &title, theme.strong);
    let from = run.taken_in.as_ref().map(|(bench, number)| format!("run {number} of bench {bench}"));
    let order = (!run.order.is_empty()).then(|| format!("order {}", run.order));
    let job = (!run.job.is_empty()).then(|| run.job.words());
    for words in [Some(device_name(app, run)), from, order, job].into_iter().flatten() {
        say(&mut lines, &words, theme.plain);
    }
    say(&mut lines, &capitalize(&outcome_words(app, run)), if needs_a_look(run) { theme.alert } else { theme.good });
    if let [Some(before), Some(after)] = &run.figures {
        lines.push(Line::raw(""));
        let several = after.in_use.len() > 1;
        for (of, then, now) in before.beside(after) {
            let name = match of {
                FigureOf::InUse(user) if several => format!("in use, user {user}"),
                FigureOf::InUse(_) => "packages in use".to_owned(),
                FigureOf::Free => "free space".to_owned(),
                FigureOf::Memory => "free memory".to_owned(),
            };
            lines.extend(before_after(&name, (then, now), (&of.words(then), &of.words(now)), theme, cells));
        }
    }
    let name = |id| run.names.get(id).map_or_else(|| format!("{id}"), ToString::to_string);
    let seen = run.seen_after.iter().map(|words| format!("▲ {words}")).collect();
    let missed = run.missed.iter().flatten().map(|words| capitalize(words.as_str())).collect();
    let failed = run.counting().filter(|s| matches!(s.outcome, Some(Outcome::Refused | Outcome::NoEffect)));
    // What was refused for one reason stands there once.
    let mut reasons: Vec<(&str, Vec<String>)> = Vec::new();
    for step in failed {
        match reasons.iter_mut().find(|(why, _)| *why == step.remark) {
            Some((_, names)) => names.push(name(&step.id)),
            None => reasons.push((&step.remark, vec![name(&step.id)])),
        }
    }
    let failed = reasons.into_iter().take(MOST_NAMED);
    let failed = failed.map(|(why, names)| format!("▲ {}: {why}", some_of(&names))).collect();
    let done: Vec<String> = run.counting().filter(|step| step.is_so()).map(|step| name(&step.id)).collect();
    let done = if done.is_empty() { Vec::new() } else { vec![some_of(&done)] };
    let groups: [(Vec<String>, Style); 4] =
        [(seen, theme.strong), (missed, theme.strong), (failed, theme.alert), (done, theme.dim)];
    for (texts, style) in groups.into_iter().filter(|(texts, _)| !texts.is_empty()) {
        lines.push(Line::raw(""));
        texts.iter().for_each(|words| say(&mut lines, words, style));
    }
    lines
}

/// The first of some names, and how many more there are.
fn some_of(names: &[String]) -> String {
    let more = names.len().saturating_sub(MOST_NAMED);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{}{more}", names[..names.len().min(MOST_NAMED)].join(" · "))
}
