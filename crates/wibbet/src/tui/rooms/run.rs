//! The run: the plan before it is sent, then the same list coming alive.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::package::{Condition, PackageState};
use wibbet_core::plan::{Back, Change, PlannedStep};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, Step, StepState};

use super::parts::{becoming, first_line, item_at, named, outcome_counts, under_cursor};
use crate::tui::app::{DeviceModel, Model, Review, RunPane};
use crate::tui::widgets::{Theme, capital, cut, fit, shape, turning, width, wrap};

/// Lines above the list.
const HEAD: u16 = 3;

type Item<'a> = Vec<Line<'a>>;

pub(crate) fn line_at(model: &Model, body: Rect, line: u16) -> Option<usize> {
    let device = model.device()?;
    let items = items(model, device, &Theme::new(crate::tui::widgets::Depth::None), usize::from(body.width));
    let heights: Vec<usize> = items.iter().map(Vec::len).collect();
    let line = line.checked_sub(body.y + HEAD)?;
    item_at(&heights, device.run_at, usize::from(body.height.saturating_sub(HEAD)), usize::from(line))
}

pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = model.device() else { return };
    let cells = usize::from(body.width);
    let mut lines = head(model, device, theme, cells);
    lines.truncate(usize::from(HEAD));
    while lines.len() < usize::from(HEAD) {
        lines.push(Line::raw(""));
    }
    let items = items(model, device, theme, cells);
    let heights: Vec<usize> = items.iter().map(Vec::len).collect();
    let room = usize::from(body.height.saturating_sub(HEAD));
    let first = first_line(&heights, device.run_at, room);
    lines.extend(items.into_iter().flatten().skip(first).take(room));
    frame.render_widget(Paragraph::new(lines), body);
}

fn kind_words(kind: RunKind) -> &'static str {
    match kind {
        RunKind::TakeOut => "take out",
        RunKind::PutBack => "put back",
    }
}

fn head<'a>(model: &Model, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    match &device.pane {
        RunPane::Nothing => {
            let mut lines = vec![Line::raw("")];
            lines.push(match device.unfinished() {
                Some(run) => Line::styled(
                    cut(
                        &format!(
                            " Run {} was stopped or interrupted. c looks at the device and carries it on.",
                            run.number
                        ),
                        cells,
                    ),
                    theme.alert,
                ),
                None => Line::styled(
                    cut(" Nothing is planned. Mark packages on 2 Packages, then Enter shows the plan here.", cells),
                    theme.dim,
                ),
            });
            lines
        }
        RunPane::Starting(_) => vec![
            Line::raw(""),
            Line::styled(
                format!(" Looking at the device before anything is sent {}", turning(model.tick)),
                theme.accent,
            ),
        ],
        RunPane::Review(review) => {
            let (send, all) = (review.plan.to_send(), review.plan.steps.len());
            let left = if send == all { String::new() } else { format!(", {} not sent", all - send) };
            let title = format!(" Plan: {} on {} · {send} to send{left}", kind_words(review.kind), device.name());
            let next = if send > 0 {
                " Nothing has been sent yet. s sends it in this order; v shows the words."
            } else {
                " Nothing here can be sent; each line says why."
            };
            let warnings = device.warnings();
            let warning = match warnings.as_slice() {
                [] => String::new(),
                [one] => format!(" ▲ {one}"),
                [first, rest @ ..] => format!(" ▲ {first} (+{} on the bench)", rest.len()),
            };
            vec![
                Line::styled(cut(&title, cells), theme.strong),
                Line::styled(cut(next, cells), theme.accent),
                Line::styled(cut(&warning, cells), theme.alert),
            ]
        }
        RunPane::Shown(run) => {
            let title = format!(
                " Run {}: {} on {} · {}",
                run.number,
                kind_words(run.kind),
                device.name(),
                model.clock(run.begun)
            );
            vec![Line::styled(cut(&title, cells), theme.strong), progress(run, theme, cells), Line::raw("")]
        }
    }
}

fn progress<'a>(run: &Run, theme: &Theme, cells: usize) -> Line<'a> {
    let all = run.steps.len().max(1);
    let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
    let bar = (cells / 4).clamp(8, 40);
    let full = bar * settled / all;
    let state = match run.state {
        RunState::Open => "",
        RunState::Stopped => " · stopped, can be carried on",
        RunState::Finished => " · finished",
    };
    let words = format!(" {settled} of {}  {}{state}", run.steps.len(), outcome_counts(run));
    Line::from(vec![
        Span::styled(format!(" {}", "━".repeat(full)), theme.good),
        Span::styled("╌".repeat(bar - full), theme.dim),
        Span::styled(cut(&words, cells.saturating_sub(bar + 1)), theme.plain),
    ])
}

fn items<'a>(model: &Model, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Item<'a>> {
    let mut items: Vec<Item<'a>> = match &device.pane {
        RunPane::Review(Review { plan, .. }) => {
            plan.steps.iter().enumerate().map(|(n, step)| planned(n, step, device, theme, cells)).collect()
        }
        RunPane::Shown(run) => run.steps.iter().map(|step| carried_out(model, step, device, theme, cells)).collect(),
        _ => Vec::new(),
    };
    if let Some(item) = items.get_mut(device.run_at)
        && let Some(line) = item.first_mut()
    {
        *line = under_cursor(std::mem::take(line), theme, cells);
    }
    items
}

/// The cells of way, package and user, by the width of the screen.
fn widths(cells: usize) -> (usize, usize, usize) {
    match cells {
        0..70 => (10, cells.saturating_sub(24).max(10), 0),
        70..110 => (12, cells.saturating_sub(48), 8),
        _ => (21, cells.saturating_sub(80).min(60), 22),
    }
}

/// What the state becomes by a way.
fn after(way: Change, before: PackageState) -> Condition {
    match way {
        Change::Uninstall | Change::UninstallKeepData => Condition::Uninstalled,
        Change::Disable => Condition::Disabled,
        // Reinstalling may be followed by a step that disables again; by itself it leads to use.
        _ if before.condition() == Condition::Absent => Condition::Absent,
        _ => Condition::InUse,
    }
}

/// The way in words, as many as there is room for.
fn way_cell(way: Change, cells: usize) -> String {
    fit(if way == Change::UninstallKeepData && cells < 20 { becoming(way).1 } else { way.words() }, cells)
}

fn user_cell(device: &DeviceModel, step: wibbet_types::UserId, cells: usize) -> String {
    match cells {
        0 => String::new(),
        1..12 => fit(&format!("user {step}"), cells),
        _ => fit(&device.user_words(step), cells),
    }
}

fn planned<'a>(n: usize, step: &PlannedStep, device: &DeviceModel, theme: &Theme, cells: usize) -> Item<'a> {
    let (way, id, user) = widths(cells);
    let before = step.before.condition();
    let becomes = after(step.way, step.before);
    let mut spans = vec![
        Span::styled(format!("{:>3}  ", n + 1), theme.dim),
        Span::styled(
            format!("{} ", way_cell(step.way, way)),
            if step.skip.is_some() { theme.dim } else { theme.accent },
        ),
        Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain),
        Span::styled(user_cell(device, step.user, user), theme.dim),
    ];
    spans.push(match step.skip {
        Some(_) => Span::styled(format!(" {} stays {}", shape(before), before.word()), theme.dim),
        None if cells < 70 => Span::styled(format!(" {}→{}", shape(before), shape(becomes)), theme.plain),
        None => Span::styled(format!(" {}→{} {}", shape(before), shape(becomes), becomes.word()), theme.plain),
    });
    let mut lines = vec![Line::from(spans)];
    let mut under = |text: String, style| {
        lines.extend(wrap(&text, cells.saturating_sub(6)).into_iter().map(|l| Line::styled(format!("     {l}"), style)))
    };
    match (step.skip, step.back) {
        (Some(skip), Back::NoWay(why)) => under(format!("not sent: {skip}. {}.", capital(why)), theme.alert),
        (Some(skip), _) => under(format!("not sent: {skip}"), theme.alert),
        (None, Back::NoWay(why)) => under(format!("no way back: {why}"), theme.alert),
        (None, Back::Nearly(why)) => under(format!("when put back: {why}"), theme.plain),
        (None, Back::Sure) => {}
    }
    if device.show_words && step.skip.is_none() {
        under(format!("⟩ {}", step.words(&device.capabilities)), theme.good);
    }
    lines
}

/// How far a step has got, as a shape: sent, answered, read back.
fn track(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Skipped)) => "╌╌╌",
        (StepState::Waiting, _) => "▱▱▱",
        (StepState::Sent, _) => "▰▱▱",
        (StepState::Answered, _) => "▰▰▱",
        (StepState::Settled, Some(Outcome::Unsettled)) => "▰▱▱",
        (StepState::Settled, _) => "▰▰▰",
    }
}

fn stage(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Done)) => "done",
        (_, Some(Outcome::Refused)) => "refused",
        (_, Some(Outcome::NoEffect)) => "no effect",
        (_, Some(Outcome::Unsettled)) => "unsettled",
        (_, Some(Outcome::Skipped)) => "not sent",
        (StepState::Waiting, _) => "waiting",
        (StepState::Sent, _) => "sent",
        _ => "answered",
    }
}

fn carried_out<'a>(model: &Model, step: &Step, device: &DeviceModel, theme: &Theme, cells: usize) -> Item<'a> {
    let (way, id, user) = widths(cells);
    let style = match step.outcome {
        Some(outcome) => theme.outcome(outcome),
        None if step.state == StepState::Waiting => theme.dim,
        None => theme.accent,
    };
    let going = step.outcome.is_none() && step.state != StepState::Waiting && device.running;
    let stage = if going { format!("{} {}", stage(step), turning(model.tick)) } else { stage(step).to_owned() };
    let (stage_cells, way, id) = match cells {
        0..70 => (0, way, id.saturating_sub(2)),
        70..110 => (11, 10, cells - 43),
        _ => (11, way, id),
    };
    let mut spans = vec![Span::styled(format!(" {} ", track(step)), style)];
    if stage_cells > 0 {
        spans.push(Span::styled(fit(&stage, stage_cells), style));
    }
    spans.push(Span::styled(format!("{} ", way_cell(step.way, way)), theme.plain));
    spans.push(Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain));
    spans.push(Span::styled(user_cell(device, step.user, user), theme.dim));
    let before = step.before.condition();
    if let Some(now) = step.after {
        let now = now.condition();
        let word = if cells < 110 { "" } else { now.word() };
        spans.push(Span::styled(format!(" {}→{} {word}", shape(before), shape(now)), theme.plain));
    } else {
        spans.push(Span::styled(format!(" {}", shape(before)), theme.dim));
    }
    let mut lines = vec![Line::from(spans)];
    let indent = if cells < 70 { 5 } else { 16 };
    let mut under = |text: &str, style| {
        lines.extend(
            wrap(text, cells.saturating_sub(indent + 1))
                .into_iter()
                .map(|l| Line::styled(format!("{}{l}", " ".repeat(indent)), style)),
        );
    };
    if !step.remark.is_empty() {
        let quiet = matches!(step.outcome, Some(Outcome::Done | Outcome::Skipped) | None);
        under(&step.remark, if quiet { theme.dim } else { theme.alert });
    }
    if device.show_words {
        under(&format!("⟩ {}", step.words), theme.good);
        if let Some(answer) = &step.answer {
            let said = if answer.as_str().is_empty() { "(nothing)" } else { answer.as_str() };
            // An exception brings pages of trace; the logbook has them.
            let said = if width(said) > 300 { cut(said, 300) } else { said.to_owned() };
            under(&format!("⟨ {said}"), theme.dim);
        }
    }
    lines
}
