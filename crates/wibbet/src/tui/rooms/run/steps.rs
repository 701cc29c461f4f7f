//! The steps: as they are planned, and as they are carried out.

use ratatui::text::{Line, Span};
use wibbet_core::package::{Condition, PackageState};
use wibbet_core::plan::{Change, Consequence, Reversal, SkipReason};
use wibbet_core::run::{Outcome, Step, StepState};

use crate::tui::app::{App, DeviceModel, Review, RunPane};
use crate::tui::rooms::parts::{becoming, named};
use crate::tui::widgets::{Theme, capitalize, fit, glyph, spinner, truncate, under_cursor, width, wrap};

/// A step with all that is said of it.
pub(super) type Item<'a> = Vec<Line<'a>>;

/// The steps that the view shows, in its order.
pub(super) fn items<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Item<'a>> {
    let (headings, mut items): (Vec<Item<'a>>, Vec<Item<'a>>) = match &device.pane {
        RunPane::Review(review) => {
            let item = |(heading, place): (Option<(Consequence, usize)>, usize)| {
                let heading = heading.map(|(what, count)| heading_line(what, count, theme, cells));
                (heading.into_iter().collect(), planned(place, review, device, theme, cells))
            };
            let (headings, mut items): (Vec<_>, Vec<_>) = review.shown().into_iter().map(item).unzip();
            if device.show_words
                && review.plan.to_send() > 0
                && let Some(last) = items.last_mut()
            {
                last.extend(behind_all(theme, cells));
            }
            (headings, items)
        }
        RunPane::Shown(run) => {
            let item = |step: &Step| carried_out(app, (step, run.is_replaced(step)), device, theme, cells);
            run.steps.iter().map(|step| (Vec::new(), item(step))).unzip()
        }
        _ => (Vec::new(), Vec::new()),
    };
    if let Some(item) = items.get_mut(device.run_at)
        && let Some(line) = item.first_mut()
    {
        *line = under_cursor(std::mem::take(line), theme, cells);
    }
    headings.into_iter().zip(items).map(|(heading, item)| heading.into_iter().chain(item).collect()).collect()
}

/// What stands above the steps that come to the same.
fn heading_line<'a>(what: Consequence, count: usize, theme: &Theme, cells: usize) -> Line<'a> {
    let title = format!("{} · {count} ", capitalize(what.title()));
    let before = if cells < 60 { "─ " } else { " ── " };
    let rule = cells.saturating_sub(width(&title) + width(before) + 1);
    let style = if what == Consequence::NotSent { theme.dim } else { theme.strong };
    Line::from(vec![
        Span::styled(before, theme.dim),
        Span::styled(truncate(&title, cells.saturating_sub(width(before))), style),
        Span::styled("─".repeat(rule), theme.dim),
    ])
}

/// The cells of way, package and user, by the width of the screen.
fn widths(cells: usize) -> (usize, usize, usize) {
    match cells {
        0..70 => (10, cells.saturating_sub(24).max(10), 0),
        70..110 => (12, cells.saturating_sub(48), 8),
        _ => (22, cells.saturating_sub(81).min(60), 22),
    }
}

/// What the state becomes by a way.
fn after(way: Change, before: PackageState) -> Condition {
    match way {
        Change::Uninstall | Change::UninstallKeepData | Change::RemoveFromSystem => Condition::Uninstalled,
        way if way.is_act() => before.condition(),
        Change::Disable | Change::DisableByRoot => Condition::Disabled,
        Change::Hide => Condition::Hidden,
        Change::Suspend => Condition::Suspended,
        // Reinstalling may be followed by a step that disables again; by itself it leads to use.
        _ if before.condition() == Condition::Absent && way != Change::InstallCopy => Condition::Absent,
        _ => Condition::InUse,
    }
}

/// The way in words, as many as there is room for.
fn way_cell(way: Change, is_back: bool, cells: usize) -> String {
    let words = match way {
        Change::UninstallKeepData if cells < 20 => becoming(way).1,
        // Somebody's own copy of what was there, or an app that comes from elsewhere.
        Change::InstallCopy if !is_back => "install",
        _ => way.label(),
    };
    fit(words, cells)
}

fn user_cell(device: &DeviceModel, step: wibbet_types::UserId, cells: usize) -> String {
    match cells {
        0 => String::new(),
        1..12 => fit(&format!("user {step}"), cells),
        _ => fit(&device.user_words(step), cells),
    }
}

/// What is sent when all steps are done.
fn behind_all<'a>(theme: &Theme, cells: usize) -> Item<'a> {
    let command = wibbet_core::read::write_request().command();
    let words = "in the end, so that the device has it all on its disk:";
    let lines = wrap(words, cells.saturating_sub(6)).into_iter().map(|l| Line::styled(format!("     {l}"), theme.dim));
    lines.chain([Line::styled(format!("     ⟩ {command}"), theme.good)]).collect()
}

fn planned<'a>(place: usize, review: &Review, device: &DeviceModel, theme: &Theme, cells: usize) -> Item<'a> {
    let step = &review.plan.steps[place];
    let (way, id, user) = widths(cells);
    let before = step.before.condition();
    let becomes = after(step.way, step.before);
    let mut spans = vec![
        Span::styled(format!("{:>3}  ", place + 1), theme.dim),
        Span::styled(
            format!("{} ", way_cell(step.way, step.target.is_some(), way)),
            if step.skip.is_some() { theme.dim } else { theme.accent },
        ),
        Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain),
        Span::styled(user_cell(device, step.user, user), theme.dim),
    ];
    spans.push(match step.skip {
        Some(_) => Span::styled(format!(" {} stays {}", glyph(before), before.word()), theme.dim),
        None if cells < 70 => Span::styled(format!(" {}→{}", glyph(before), glyph(becomes)), theme.plain),
        None => Span::styled(format!(" {}→{} {}", glyph(before), glyph(becomes), becomes.word()), theme.plain),
    });
    let mut lines = vec![Line::from(spans)];
    let mut under = |text: String, style| {
        lines.extend(wrap(&text, cells.saturating_sub(6)).into_iter().map(|l| Line::styled(format!("     {l}"), style)))
    };
    match (step.skip, step.back) {
        (Some(skip), Reversal::Impossible(why)) => {
            under(format!("not sent: {skip}. {}.", capitalize(why)), theme.alert)
        }
        (Some(skip), _) => {
            let stops = step.start.as_ref().filter(|_| matches!(skip, SkipReason::Start(_)));
            let stops = stops.and_then(|start| start.what_stops());
            let stops = stops.map_or_else(String::new, |stops| format!("; what stops: {stops}"));
            under(format!("not sent: {skip}{stops}"), theme.alert);
        }
        (None, Reversal::Impossible(why)) => under(format!("no way back: {why}"), theme.alert),
        // The head says it of all of them.
        (None, Reversal::WITHOUT_DATA) => {}
        (None, Reversal::Approximate(why)) => under(format!("when put back: {why}"), theme.plain),
        (None, Reversal::Exact) => {}
    }
    let goes = step.skip.is_none() && step.way.takes_out();
    let does = review.does.iter().filter(|(user, _)| goes && *user == step.user);
    let stops: Vec<&str> = does.flat_map(|(_, does)| does.stops_with(&step.id)).collect();
    match &step.start {
        Some(start) if step.skip.is_none() => under(format!("▲ {}", start.words()), theme.alert),
        _ if !stops.is_empty() => under(format!("stops: {}", stops.join("; ")), theme.strong),
        _ => {}
    }
    if let Some(words) = step.along_words().filter(|_| step.skip.is_none()) {
        under(words, theme.plain);
    }
    if let Some(words) = step.given_words(&device.capabilities).filter(|_| step.skip.is_none()) {
        under(words, theme.dim);
    }
    if device.show_words && step.skip.is_none() {
        under(format!("⟩ {}", step.command(&device.capabilities)), theme.good);
        if !step.way.takes_out() {
            step.gives_back(&device.capabilities)
                .0
                .into_iter()
                .for_each(|words| under(format!("⟩ {words}"), theme.good));
        }
    }
    lines
}

/// How far a step has got, as a shape: sent, answered, read back.
pub(crate) fn track(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Skipped)) => "╌╌╌",
        (StepState::Waiting, _) => "▱▱▱",
        (StepState::Sent, _) => "▰▱▱",
        (StepState::Answered, _) => "▰▰▱",
        (StepState::Settled, Some(Outcome::Unsettled)) => "▰▱▱",
        (StepState::Settled, Some(Outcome::Answered)) => "▰▰▱",
        (StepState::Settled, _) => "▰▰▰",
    }
}

fn stage(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Done)) => "done",
        (_, Some(Outcome::Refused)) => "refused",
        (_, Some(Outcome::NoEffect)) => "no effect",
        (_, Some(Outcome::Answered)) => "said yes",
        (_, Some(Outcome::Unsettled)) => "unsettled",
        (_, Some(Outcome::Skipped)) => "not sent",
        (StepState::Waiting, _) => "waiting",
        (StepState::Sent, _) => "sent",
        _ => "answered",
    }
}

/// A step of a run; one in whose place another way was taken is told aside.
fn carried_out<'a>(
    app: &App,
    (step, replaced): (&Step, bool),
    device: &DeviceModel,
    theme: &Theme,
    cells: usize,
) -> Item<'a> {
    let (way, id, user) = widths(cells);
    let style = match step.outcome {
        Some(_) if replaced => theme.dim,
        Some(outcome) => theme.outcome(outcome),
        None if step.state == StepState::Waiting => theme.dim,
        None => theme.accent,
    };
    let going = step.outcome.is_none() && step.state != StepState::Waiting && device.running;
    let securing = device.securing.filter(|(index, ..)| *index == step.index && device.running);
    let stage = if let Some((_, bytes, of)) = securing {
        format!("copying {}%", bytes.saturating_mul(100) / of.max(1))
    } else if going {
        format!("{} {}", stage(step), spinner(app.tick))
    } else {
        stage(step).to_owned()
    };
    let (stage_cells, way, id) = match cells {
        0..70 => (0, way, id.saturating_sub(2)),
        70..110 => (11, 10, cells - 43),
        _ => (11, way, id),
    };
    let mut spans = vec![Span::styled(format!(" {} ", track(step)), style)];
    if stage_cells > 0 {
        spans.push(Span::styled(fit(&stage, stage_cells), style));
    }
    spans.push(Span::styled(format!("{} ", way_cell(step.way, step.target.is_some(), way)), theme.plain));
    spans.push(Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain));
    spans.push(Span::styled(user_cell(device, step.user, user), theme.dim));
    let before = step.before.condition();
    if let Some(now) = step.after {
        let now = now.condition();
        let word = if cells < 110 { "" } else { now.word() };
        spans.push(Span::styled(format!(" {}→{} {word}", glyph(before), glyph(now)), theme.plain));
    } else {
        spans.push(Span::styled(format!(" {}", glyph(before)), theme.dim));
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
    if let Some(copy) = step.copy.filter(|_| step.way.takes_out() && step.outcome == Some(Outcome::Done)) {
        under(&format!("its APKs are kept on this computer as copy {copy}"), theme.dim);
    }
    if !step.remark.is_empty() {
        let quiet = matches!(step.outcome, Some(Outcome::Done | Outcome::Answered | Outcome::Skipped) | None);
        under(&step.remark, if quiet || replaced { theme.dim } else { theme.alert });
    }
    if let Some(words) = step.returned_words() {
        let all = step.returned.iter().flatten().all(|one| one.done);
        under(&words, if all { theme.dim } else { theme.alert });
    }
    if device.show_words {
        under(&format!("⟩ {}", step.words), theme.good);
        if let Some(answer) = &step.answer {
            let said = if answer.as_str().is_empty() { "(nothing)" } else { answer.as_str() };
            // An exception brings pages of trace; the logbook has them.
            let said = if width(said) > 300 { truncate(said, 300) } else { said.to_owned() };
            under(&format!("⟨ {said}"), theme.dim);
        }
    }
    lines
}
