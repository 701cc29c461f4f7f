//! Closing the link of a device: what it does, in words, and then what became of it.

use std::path::PathBuf;

use ratatui::Frame;
use ratatui::text::{Line, Span};
use wibbet_bench::ops::CopiesGo;
use wibbet_bench::session::{Closing, SessionCommand};
use wibbet_core::ask::DeviceSetting;
use wibbet_core::link::CloseStep;
use wibbet_types::counted;

use super::form::{Flow, Form, framed, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::rooms::run_of_sheet;
use crate::tui::widgets::{Theme, fit, plain_name, spinner, truncate, width, wrap};

/// What is to be done, and later what was.
#[derive(Debug, Clone, Default)]
pub(crate) struct Close {
    forget: bool,
    keep_debugging: bool,
    copies: Copies,
    working: bool,
    steps: Option<Vec<CloseStep>>,
}

/// What becomes of the copies of its apps.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
enum Copies {
    #[default]
    Stay,
    HandOver,
    Delete,
}

impl Copies {
    fn next(self) -> Self {
        match self {
            Self::Stay => Self::HandOver,
            Self::HandOver => Self::Delete,
            Self::Delete => Self::Stay,
        }
    }
}

/// Cells for what was done.
const WHAT: usize = 28;

/// How many copies are kept of the device's own apps.
fn kept(device: &DeviceModel) -> usize {
    device.copies.iter().filter(|copy| device.facts.as_ref().is_some_and(|f| f.id == copy.device)).count()
}

/// The folder that copies are handed over in: below the one that the program was started in.
fn handed_over_in(app: &App, device: &DeviceModel) -> PathBuf {
    let day = jiff::Zoned::now().with_time_zone(app.zone.clone()).date();
    PathBuf::from(format!("copies-of-{}-{day}", plain_name(&device.name())))
}

impl Close {
    /// It has been done.
    pub(crate) fn done(&mut self, steps: Vec<CloseStep>) {
        self.working = false;
        self.steps = Some(steps);
    }
}

fn lines<'a>(app: &App, device: &DeviceModel, form: &Close, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let by_hand = "By hand, on the device: Developer options, “Revoke USB debugging authorisations”, and under Wireless debugging “Paired devices”: its owner takes this computer's right away there.";
    if let Some(steps) = &form.steps {
        for step in steps {
            let (sign, style) = if step.done { ("✓", theme.good) } else { ("▲", theme.alert) };
            let head = Span::styled(format!(" {sign} "), style);
            // What is longer stands in lines of its own.
            if width(&step.what) < WHAT && width(&step.known) + WHAT + 4 <= cells {
                let (what, known) = (fit(&step.what, WHAT), step.known.clone());
                lines.push(Line::from(vec![head, Span::styled(what, theme.strong), Span::styled(known, theme.dim)]));
                continue;
            }
            lines.push(Line::from(vec![
                head,
                Span::styled(truncate(&step.what, cells.saturating_sub(4)), theme.strong),
            ]));
            let known = wrap(&step.known, cells.saturating_sub(4));
            lines.extend(known.into_iter().map(|line| Line::styled(format!("   {line}"), theme.dim)));
        }
        if steps.is_empty() {
            lines.push(Line::raw(" The link has been let go of; nothing had to be changed."));
        }
        lines.push(Line::raw(""));
        lines.extend(wrap(by_hand, cells).into_iter().map(Line::raw));
        lines.push(Line::raw(""));
        let again = app.called(View::Bench, Action::ReadAgain);
        lines.push(Line::styled(format!("{again} on the bench links it again, if it can be."), theme.dim));
    } else {
        let on = |on: bool| if on { "●" } else { "○" };
        // The words at the foot stand for the keys where fingers do the work.
        let key_cells = if theme.taps.large() { 0 } else { 3 };
        let row = |key: String, on_off: &'static str, words: String| -> Vec<Line<'_>> {
            let head = |n: usize| match n {
                0 => {
                    [Span::styled(format!(" {on_off} "), theme.good), Span::styled(fit(&key, key_cells), theme.accent)]
                }
                _ => [Span::raw("   "), Span::raw(" ".repeat(key_cells))],
            };
            let lines = wrap(&words, cells.saturating_sub(3 + key_cells)).into_iter().enumerate();
            lines.map(|(n, text)| Line::from_iter(head(n).into_iter().chain([Span::raw(text)]))).collect()
        };
        let awake = device.stays_awake();
        lines.extend(row(
            String::new(),
            on(awake),
            "let it sleep again as it did before, if that was changed from here".into(),
        ));
        lines.extend(row(
            Layer::Close.hint(Action::KeepDebugging),
            on(!form.keep_debugging),
            "switch debugging off on it: the link goes with it, which shows it".into(),
        ));
        if !form.keep_debugging {
            let mut words = Vec::new();
            if device.capabilities.has_wireless_debugging() {
                words.push(DeviceSetting::WirelessDebuggingOff.request().command());
            }
            words.push(DeviceSetting::UsbDebuggingOff.request().command());
            let indent = if cells < 60 { 3 } else { 8 };
            let wrapped = words.iter().flat_map(|w| wrap(&format!("⟩ {w}"), cells.saturating_sub(indent)));
            lines.extend(wrapped.map(|w| Line::styled(format!("{:indent$}{w}", ""), theme.dim)));
        }
        lines.extend(row(
            Layer::Close.hint(Action::Forget),
            on(form.forget),
            "forget the device here; its runs stay in the logbook".into(),
        ));
        let kept = kept(device);
        if kept > 0 {
            let count = counted(kept, "copy", "copies");
            let (sign, words, more) = match form.copies {
                Copies::Stay => (false, format!("{count} of its apps: kept on this computer"), String::new()),
                Copies::HandOver => (
                    true,
                    format!("{count} of its apps: handed over, and not kept here"),
                    format!("into {}", handed_over_in(app, device).display()),
                ),
                Copies::Delete => (
                    true,
                    format!("{count} of its apps: deleted"),
                    "what only they bring back cannot be put back from here any more".to_owned(),
                ),
            };
            lines.extend(row(Layer::Close.hint(Action::Copies), on(sign), words));
            if !more.is_empty() {
                lines.extend(wrap(&format!("        {more}"), cells).into_iter().map(|l| Line::styled(l, theme.dim)));
            }
        }
        lines.push(Line::raw(""));
        lines.extend(wrap(by_hand, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
        if form.working {
            lines.push(Line::styled(format!("closing {}", spinner(app.tick)), theme.accent));
        }
    }
    lines
}

impl Form for Close {
    const OPENED_BY: Action = Action::CloseLink;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        if self.steps.is_some() { Layer::Closed } else { Layer::Close }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            _ if self.working => {}
            Action::Leave => return Flow::Close,
            Action::JobSheet if run_of_sheet(app).is_some() => return Flow::Open(Action::JobSheet),
            Action::Forget => self.forget = !self.forget,
            Action::Copies if app.device().is_some_and(|device| kept(device) > 0) => self.copies = self.copies.next(),
            Action::KeepDebugging => self.keep_debugging = !self.keep_debugging,
            Action::CloseNow => {
                let Some(device) = app.device() else { return Flow::Close };
                self.working = true;
                let copies = match self.copies {
                    Copies::Stay => CopiesGo::Stay,
                    Copies::HandOver => CopiesGo::HandOver(handed_over_in(app, device)),
                    Copies::Delete => CopiesGo::Delete,
                };
                let closing = Closing { switch_off: !self.keep_debugging, forget: self.forget, copies };
                out.push(to_session(device.card, SessionCommand::Close(closing)));
            }
            _ => {}
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let title = format!(" Close the link to {} ", device.name());
        let columns = 84.min(frame.area().width.saturating_sub(2));
        let lines = lines(app, device, self, theme, usize::from(columns.saturating_sub(4)));
        let high = u16::try_from(lines.len()).unwrap_or(u16::MAX);
        let has_sheet = run_of_sheet(app).is_some();
        let has_copies = kept(device) > 0;
        let enabled = |action| match action {
            _ if self.working => false,
            Action::JobSheet => has_sheet,
            Action::Copies => has_copies,
            _ => true,
        };
        let room = framed(&title, (columns, high), (self.layer(), &enabled), theme, frame);
        say_all(lines, theme, frame, room);
    }

    fn is_moving(&self) -> bool {
        true
    }
}
