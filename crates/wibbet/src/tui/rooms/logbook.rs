//! The logbook: the runs so far, of all devices.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::run::{Outcome, Run, RunKind, RunState};

use super::parts::{outcome_counts, under_cursor};
use crate::tui::app::Model;
use crate::tui::widgets::{Theme, cut, first_shown, fit};

const HEAD: u16 = 2;

pub(crate) fn line_at(model: &Model, body: Rect, line: u16) -> Option<usize> {
    let room = usize::from(body.height.saturating_sub(HEAD));
    let line = usize::from(line.checked_sub(body.y + HEAD)?);
    Some(first_shown(model.log_at, model.log.len(), room) + line).filter(|n| line < room && *n < model.log.len())
}

pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let cells = usize::from(body.width);
    let title = match model.log.len() {
        0 => " No runs yet. What is done to a device is written down here before it is sent.".to_owned(),
        1 => " 1 run. Enter opens it, with every step, answer and state read back.".to_owned(),
        n => format!(" {n} runs. Enter opens one, with every step, answer and state read back."),
    };
    let mut lines = vec![Line::styled(cut(&title, cells), theme.strong), Line::raw("")];
    let room = usize::from(body.height.saturating_sub(HEAD));
    let first = first_shown(model.log_at, model.log.len(), room);
    for (n, run) in model.log.iter().enumerate().skip(first).take(room) {
        let here = n == model.log_at;
        let alert = run.state != RunState::Finished
            || run.steps.iter().any(|s| !matches!(s.outcome, Some(Outcome::Done | Outcome::Skipped)));
        let spans = vec![
            Span::styled(if here { "▌ " } else { "  " }, theme.accent),
            Span::styled(format!("run {:<3} ", run.number), theme.strong),
            Span::styled(format!("{} ", fit(&model.clock(run.begun), 12)), theme.dim),
            Span::styled(
                format!(
                    "{} ",
                    fit(
                        &device_name(model, run),
                        match cells {
                            0..90 => 14,
                            90..110 => 31,
                            _ => 40,
                        }
                    )
                ),
                theme.plain,
            ),
            Span::styled(fit(if run.kind == RunKind::TakeOut { "take out" } else { "put back" }, 10), theme.plain),
            Span::styled(outcome_words(model, run), if alert { theme.alert } else { theme.good }),
        ];
        let line = Line::from(spans);
        lines.push(if here { under_cursor(line, theme, cells) } else { line });
    }
    frame.render_widget(Paragraph::new(lines), body);
}

fn device_name(model: &Model, run: &Run) -> String {
    let known = model.devices.iter().filter_map(|d| d.facts.as_ref()).find(|f| f.id == run.serial);
    known.map_or_else(|| run.serial.to_string(), |f| format!("{} · {}", f.name(), f.id))
}

fn outcome_words(model: &Model, run: &Run) -> String {
    let state = match run.state {
        RunState::Finished => "",
        RunState::Open
            if model.devices.iter().any(|d| d.running && d.shown_run().is_some_and(|r| r.number == run.number)) =>
        {
            " · going on"
        }
        // Another program may be at it, or it was interrupted: linking the device settles that.
        RunState::Open => " · open",
        RunState::Stopped => " · stopped",
    };
    format!("{}{state}", outcome_counts(run))
}
