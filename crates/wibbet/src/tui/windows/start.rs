//! What the start of the device needs and a plan would take out: a step of its own before it is sent all the same.

use ratatui::Frame;
use ratatui::text::Line;
use wibbet_core::plan::StartLoss;

use super::form::{Flow, Form, framed, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View, called};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, wrap};

/// Asks whether to take out what the start needs.
#[derive(Debug, Clone)]
pub(crate) struct Start;

/// What is left out for the sake of the start, each with what comes of it.
fn losses(device: &DeviceModel) -> impl Iterator<Item = (String, &StartLoss)> {
    let left = device.reviewed().into_iter().flat_map(|review| review.plan.left_for_the_start());
    left.filter_map(|step| Some((format!("{}, {}", device.name_of(&step.id), step.id), step.start.as_ref()?)))
}

/// A restart before anything is sent: not of one that is at something.
fn may_restart(device: &DeviceModel) -> bool {
    device.is_ready() && !device.running
}

impl Form for Start {
    const OPENED_BY: Action = Action::DespiteStart;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self)
    }

    fn layer(&self) -> Layer {
        Layer::Start
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        match (action, app.device_mut()) {
            (Action::DespiteStartNow, Some(device)) => device.allow_despite_start(),
            // What can be done about it from here: it shows how long a start takes, and whether this computer is let in by itself.
            (Action::TryRestart, Some(device)) if may_restart(device) => return Flow::Open(Action::Restart),
            (Action::TryRestart, _) => return Flow::Stay,
            _ => {}
        }
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let columns = 88.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let mut lines: Vec<Line<'_>> = Vec::new();
        if !device.start_is_known() {
            let words = "What the start of this device needs has not been worked out yet. That takes seconds on most devices, and the plan waits for it.";
            lines.extend(wrap(words, cells).into_iter().map(Line::raw));
        }
        for (name, loss) in losses(device) {
            lines.extend(wrap(&name, cells).into_iter().map(|line| Line::styled(line, theme.strong)));
            let words = format!("Without it {}.", loss.words());
            let words = wrap(&words, cells.saturating_sub(2)).into_iter();
            lines.extend(words.map(|line| Line::styled(format!("  {line}"), theme.alert)));
        }
        lines.push(Line::raw(""));
        let catch = called(View::Shelf, Action::Catch, theme.taps.large());
        let words = format!(
            "A device that does not start answers for moments only, or not at all. Catch ({catch} on the shelf) puts this back then; without what that needs a factory reset, which loses everything on it, may be what is left:"
        );
        lines.extend(wrap(&words, cells).into_iter().map(Line::raw));
        for need in device.catch_needs() {
            let (sign, style) = match need.holds {
                Some(true) => ("╪", theme.good),
                Some(false) => ("╳", theme.alert),
                None => ("═", theme.dim),
            };
            let words = wrap(&need.words, cells.saturating_sub(4)).into_iter().enumerate();
            lines.extend(
                words.map(|(n, line)| Line::styled(format!("  {} {line}", if n == 0 { sign } else { " " }), style)),
            );
        }
        lines.push(Line::raw(""));
        let words = "Nothing is sent by this: it goes into the plan, and the plan is sent as always.";
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, theme.dim)));
        let high = u16::try_from(lines.len()).unwrap_or(u16::MAX);
        let title = format!(" The start of {} ", device.name());
        let able = |action| action != Action::TryRestart || may_restart(device);
        let room = framed(&title, (columns, high), (Layer::Start, &able), theme, frame);
        say_all(lines, theme, frame, room);
    }
}
