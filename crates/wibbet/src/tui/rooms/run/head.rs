//! What is said above the steps: what the plan as a whole does, how far the run has got, and what to do next.

use ratatui::text::{Line, Span};
use wibbet_core::plan::{OnRefusal, Upshot};
use wibbet_core::run::{Run, RunKind, RunState};

use super::{has_no_way_back, left_for_the_start, not_done_of};
use crate::tui::app::{App, DeviceModel, Review, RunPane};
use crate::tui::keys::{Action, View};
use crate::tui::rooms::parts::{data_words, outcome_counts};
use crate::tui::widgets::{Theme, capitalize, spinner, told, truncate, wrap};

/// At least so many lines.
const LEAST: usize = 3;

/// What is said above the steps.
pub(super) fn lines<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = words_above(app, device, theme, cells);
    lines.resize(lines.len().max(LEAST), Line::raw(""));
    lines
}

fn words_above<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    match &device.pane {
        RunPane::Nothing => of_nothing(app, device, theme, cells),
        RunPane::Starting(_) => vec![
            Line::raw(""),
            Line::styled(format!(" Looking at the device before anything is sent {}", spinner(app.tick)), theme.accent),
        ],
        RunPane::Review(review) => of_plan(app, device, review, theme, cells),
        RunPane::Shown(run) => of_run(app, device, run, theme, cells),
    }
}

fn of_nothing<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = vec![Line::raw("")];
    let (words, style) = match device.unfinished() {
        Some(run) => (
            format!(
                "Run {} was stopped or interrupted. {} looks at the device and carries it on.",
                run.number,
                app.called(View::Run, Action::CarryOn)
            ),
            theme.alert,
        ),
        None => (
            format!(
                "Nothing is planned. Mark packages on {} Packages, then {} shows the plan here.",
                app.called(View::Run, Action::Show(View::Packages)),
                app.called(View::Packages, Action::Next)
            ),
            theme.dim,
        ),
    };
    lines.extend(told(&words, cells, style));
    lines
}

fn of_plan<'a>(app: &App, device: &DeviceModel, review: &Review, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let (send, all) = (review.plan.to_send(), review.plan.steps.len());
    let left = if send == all { String::new() } else { format!(", {} not sent", all - send) };
    let job = if device.job.is_empty() { String::new() } else { format!(" · {}", device.job.words()) };
    let title = format!(" Plan: {} on {} · {send} to send{left}{job}", review.kind.label(), device.name());
    let key = |action| app.called(View::Run, action);
    let mut next = if send > 0 && !device.is_ready() {
        " Nothing has been sent yet. It can be sent as soon as the device is linked and read.".to_owned()
    } else if send > 0 && device.awaits_the_start() {
        let what = device.reading.as_deref().unwrap_or("reading who is engaged in what");
        let all = key(Action::DespiteStart);
        format!(" Nothing has been sent yet. It waits for what the start needs: {what}. {all} does without.")
    } else if send > 0 {
        let (sends, words) = (key(Action::Send), key(Action::Requests));
        format!(" Nothing has been sent yet. {sends} sends it in numbered order; {words} shows the requests.")
    } else {
        " Nothing here can be sent; each line says why.".to_owned()
    };
    if has_no_way_back(device) {
        let (disable, all) = (key(Action::ToDisable), key(Action::AllowNoWayBack));
        next.push_str(&format!(" No way back: {disable} disables instead, {all} sends it all the same."));
    }
    let warnings = device.warnings();
    let warning = match warnings.as_slice() {
        [] => String::new(),
        [one] => format!(" ▲ {one}"),
        [first, rest @ ..] => format!(" ▲ {first} (+{} on the bench)", rest.len()),
    };
    let mut lines = told(&title, cells, theme.strong);
    lines.extend(told(&next, cells, theme.accent));
    if review.kind == RunKind::TakeOut && send > 0 {
        let words = capitalize(review.plan.terms.on_refusal.words());
        let words = format!(" {words} ({} changes that).", key(Action::OnRefusal));
        let own = if review.plan.terms.on_refusal == OnRefusal::default() { theme.dim } else { theme.plain };
        lines.extend(told(&words, cells, own));
    }
    let left = left_for_the_start(device);
    if left > 0 {
        let one = if left == 1 { "one of these: it is" } else { "some of these: they are" };
        let all = key(Action::DespiteStart);
        let words = format!("The start of the device needs {one} left out; {all} shows what would come of it.");
        let wrapped = wrap(&words, cells.saturating_sub(1)).into_iter();
        lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
    }
    if let Some(data) = data_words(device, &review.plan, device.has_several_users()) {
        let words = match review.plan.can_keep_data() {
            true => format!("{}. {} keeps them.", capitalize(&data), key(Action::KeepData)),
            false => format!("{}. Nothing on this device keeps them.", capitalize(&data)),
        };
        let wrapped = wrap(&words, cells.saturating_sub(1)).into_iter();
        lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.alert)));
    }
    if let Some(words) = review.plan.back_words().filter(|_| review.kind == RunKind::TakeOut) {
        let wrapped = wrap(&format!("{}.", capitalize(&words)), cells.saturating_sub(1)).into_iter();
        lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.plain)));
    }
    let copies = review.plan.securing().map(|step| &step.id).collect::<std::collections::BTreeSet<_>>().len();
    if copies > 0 {
        let apps = if copies == 1 { "1 app" } else { &format!("{copies} apps") };
        let words = format!(" First the APKs of {apps} are copied to this computer, to come back from there.");
        lines.extend(told(&words, cells, theme.plain));
    }
    for (user, does) in review.does.iter().filter(|(_, does)| !does.is_quiet()) {
        let words = missed_words(device, does);
        let whom = if review.does.len() > 1 { format!("For {}: ", device.user_words(*user)) } else { String::new() };
        let wrapped = wrap(&format!("{whom}{words}"), cells.saturating_sub(1)).into_iter();
        lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
    }
    lines.extend(told(&warning, cells, theme.alert));
    // Headings stand apart from it.
    if !warning.is_empty() && review.shown().iter().any(|(heading, _)| heading.is_some()) {
        lines.push(Line::raw(""));
    }
    lines
}

fn of_run<'a>(app: &App, device: &DeviceModel, run: &Run, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let job = if run.job.is_empty() { String::new() } else { format!(" · {}", run.job.words()) };
    let (what, when) = (run.kind.label(), app.clock(run.begun));
    let title = format!(" Run {}: {what} on {} · {when}{job}", run.number, device.name());
    let mut lines = told(&title, cells, theme.strong);
    lines.push(progress(run, device, theme, cells));
    if let Some(why) = run.not_understood.first() {
        let words = format!(" Another version of Wibbet wrote a part of this: {why}. It is left alone.");
        lines.extend(told(&words, cells, theme.alert));
    }
    if let Some(figures) = run.figures_words() {
        lines.extend(told(&format!("{}.", capitalize(&figures)), cells, theme.plain));
    }
    for words in run.seen_after.iter().take(MOST_SEEN) {
        let wrapped = wrap(&format!("▲ {words}"), cells.saturating_sub(1)).into_iter().take(2);
        lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
    }
    if run.seen_after.len() > MOST_SEEN {
        let more = format!(" … and {} more that failed", run.seen_after.len() - MOST_SEEN);
        lines.extend(told(&more, cells, theme.dim));
    }
    let refused: usize = not_done_of(device).iter().map(|group| group.steps.len()).sum();
    match refused {
        _ if device.running => lines.push(Line::raw("")),
        0 => lines.push(Line::raw("")),
        n => {
            let were = if n == 1 { "1 was not done" } else { &format!("{n} were not done") };
            let words = format!(" {were}: {} shows what else may work.", app.called(View::Run, Action::Choices));
            lines.extend(told(&words, cells, theme.accent));
        }
    }
    lines
}

/// So many failures behind a run are shown above its steps.
const MOST_SEEN: usize = 3;

/// What would be missed, in a sentence or two.
fn missed_words(device: &DeviceModel, does: &Upshot) -> String {
    let missed = does.missed(|id| format!("“{}”", device.name_of(id)));
    missed.iter().map(|line| format!("{}.", capitalize(line))).collect::<Vec<_>>().join(" ")
}

fn progress<'a>(run: &Run, device: &DeviceModel, theme: &Theme, cells: usize) -> Line<'a> {
    let all = run.steps.len().max(1);
    let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
    let bar = (cells / 4).clamp(8, 40);
    let full = bar * settled / all;
    let state = match run.state {
        _ if !run.not_understood.is_empty() => " · not all of it understood",
        RunState::Open if device.paused => " · paused",
        RunState::Open => "",
        // Its keys wait for the session: a run that says it can be carried on has to be.
        RunState::Stopped | RunState::Finished if device.running => " · one moment",
        RunState::Stopped => " · stopped, can be carried on",
        RunState::Finished => " · finished",
    };
    let words = format!(" {settled} of {}  {}{state}", run.steps.len(), outcome_counts(run));
    Line::from(vec![
        Span::styled(format!(" {}", "━".repeat(full)), theme.good),
        Span::styled("╌".repeat(bar - full), theme.dim),
        Span::styled(truncate(&words, cells.saturating_sub(bar + 1)), theme.plain),
    ])
}
