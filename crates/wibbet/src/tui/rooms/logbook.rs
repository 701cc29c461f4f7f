//! The logbook: the runs so far, of all devices.

use std::sync::Arc;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use wibbet_core::run::{Outcome, Run, RunState};

use super::parts::outcome_counts;
use crate::tui::app::{App, RunPane};
use crate::tui::keys::{Action, View, hint};
use crate::tui::widgets::{Theme, draw_list, fit, item_at, truncate};

const HEAD: u16 = 2;

pub(super) fn is_enabled(app: &App, action: Action) -> bool {
    action == Action::Next && !app.log.is_empty()
}

pub(super) fn act(app: &mut App, action: Action) {
    let Some(run) = app.log.get(app.log_at).filter(|_| action == Action::Next).cloned() else { return };
    app.notice = None;
    match app.devices.iter().position(|d| d.facts.as_ref().is_some_and(|f| f.id == run.device)) {
        Some(place) if !app.devices[place].running => {
            app.current = place;
            app.devices[place].run_at = 0;
            app.devices[place].pane = RunPane::Shown(Arc::new(run));
            app.view = View::Run;
        }
        Some(_) => app.tell("That device has a run going on; it is on the run view."),
        None => app.tell(format!("The device of that run, {}, is not on the bench.", run.device)),
    }
}

pub(super) fn line_at(app: &App, body: Rect, line: u16) -> Option<usize> {
    let room = usize::from(body.height.saturating_sub(HEAD));
    item_at(app.log.len(), app.log_at, room, usize::from(line.checked_sub(body.y + HEAD)?))
}

pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let cells = usize::from(body.width);
    let opens = hint(View::Logbook, Action::Next);
    let title = match app.log.len() {
        0 => " No runs yet. What is done to a device is written down here before it is sent.".to_owned(),
        1 => format!(" 1 run. {opens} opens it, with every step, answer and state read back."),
        n => format!(" {n} runs. {opens} opens one, with every step, answer and state read back."),
    };
    frame.render_widget(
        Line::styled(truncate(&title, cells), theme.strong),
        Rect { height: 1.min(body.height), ..body },
    );
    let head = HEAD.min(body.height);
    let list = Rect { y: body.y + head, height: body.height - head, ..body };
    let row = |run: &Run, n: usize| {
        let alert = run.state != RunState::Finished
            || run
                .steps
                .iter()
                .any(|s| !matches!(s.outcome, Some(Outcome::Done | Outcome::Answered | Outcome::Skipped)));
        let job = if run.job.is_empty() { String::new() } else { format!(" · {}", run.job.words()) };
        let spans = vec![
            Span::styled(if n == app.log_at { "▌ " } else { "  " }, theme.accent),
            Span::styled(format!("run {:<3} ", run.number), theme.strong),
            Span::styled(format!("{} ", fit(&app.clock(run.begun), 12)), theme.dim),
            Span::styled(
                format!(
                    "{} ",
                    fit(
                        &device_name(app, run),
                        match cells {
                            0..90 => 14,
                            90..110 => 31,
                            _ => 40,
                        }
                    )
                ),
                theme.plain,
            ),
            Span::styled(fit(run.kind.label(), 10), theme.plain),
            Span::styled(outcome_words(app, run), if alert { theme.alert } else { theme.good }),
            Span::styled(job, theme.dim),
        ];
        Line::from(spans)
    };
    draw_list(&app.log, app.log_at, row, theme, frame, list);
}

fn device_name(app: &App, run: &Run) -> String {
    let known = app.devices.iter().filter_map(|d| d.facts.as_ref()).find(|f| f.id == run.device);
    known.map_or_else(|| run.device.to_string(), |f| format!("{} · {}", f.name(), f.id))
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
