//! Catch: what it does and what it puts back; then what it sees of a device that does not start any more.

use ratatui::Frame;
use ratatui::text::Line;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::run::Control;
use wibbet_bench::session::SessionCommand;

use super::form::{Flow, Form, framed, say_all};
use crate::tui::app::{App, CatchPane, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Theme, spinner, wrap};

/// So many packages are named.
const NAMED: usize = 8;

/// Begins a catch, or shows the one that is going on.
#[derive(Debug, Clone, Default)]
pub(crate) struct Catch {
    /// What all runs took out, in place of the last one.
    all: bool,
    /// It is going on, as far as this window knows.
    goes_on: bool,
}

impl Form for Catch {
    const OPENED_BY: Action = Action::Catch;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device_mut()?;
        // One that has ended is told of once.
        if !device.is_catching() {
            device.catch = None;
        }
        Some(Self { all: false, goes_on: device.is_catching() })
    }

    fn layer(&self) -> Layer {
        if self.goes_on { Layer::Catching } else { Layer::Catch }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device_mut() else { return Flow::Close };
        match action {
            Action::Toggle => {
                self.all = !self.all;
                return Flow::Stay;
            }
            Action::CatchNow if !device.out_by_record(self.all).1.is_empty() => {
                let wanted = device.begin_catch(self.all);
                out.push(to_session(device.card, SessionCommand::Catch(wanted)));
                self.goes_on = true;
                return Flow::Stay;
            }
            Action::CatchNow => return Flow::Stay,
            Action::Stop if device.is_catching() => {
                out.push(Effect::Bench(BenchCommand::Control(device.card, Control::Stop)));
                app.tell("Stopping after what is on its way. The catch can be begun again, and goes on where it was.");
            }
            _ => {}
        }
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let columns = 92.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let lines = match &device.catch {
            Some(catch) => going_on(app, device, catch, theme, cells),
            None => before(device, self.all, theme, cells),
        };
        let enabled = |action| action != Action::Stop || device.is_catching();
        let high = u16::try_from(lines.len()).unwrap_or(u16::MAX);
        let title = format!(" Catch {} ", device.name());
        let room = framed(&title, (columns, high), (self.layer(), &enabled), theme, frame);
        say_all(lines, theme, frame, room);
    }

    fn is_moving(&self) -> bool {
        self.goes_on
    }
}

fn before<'a>(device: &DeviceModel, all: bool, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let words = "For a device that starts over and over, or hangs while it starts. Wibbet waits for it on every way, and puts back what was taken \
                 out in the moments in which it can be asked, over as many of its starts as that takes. Leave its cable in, and choose \
                 no reset on it.";
    lines.extend(wrap(words, cells).into_iter().map(Line::raw));
    lines.push(Line::raw(""));
    let (number, out) = device.out_by_record(all);
    if out.is_empty() {
        let words = "The logbook has nothing that a run took out of this device and that is not back: there is nothing to catch.";
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, theme.alert)));
        return lines;
    }
    let needed = out.iter().filter(|one| one.start.is_some()).count();
    let who = number.map_or_else(|| "all runs".to_owned(), |number| format!("run {number}"));
    let start = match needed {
        0 => String::new(),
        n => format!(", {n} of which its start needs (▸)"),
    };
    let title = format!("It puts back what {who} took out and is not back: {} in all{start}.", out.len());
    lines.extend(wrap(&title, cells).into_iter().map(|line| Line::styled(line, theme.strong)));
    for one in out.iter().take(NAMED) {
        let needed = if one.start.is_some() { "▸ " } else { "  " };
        let words = format!("{needed}{} · {} · user {}", device.name_of(&one.id), one.id, one.user);
        lines.push(Line::raw(crate::tui::widgets::truncate(&words, cells)));
    }
    if out.len() > NAMED {
        lines.push(Line::styled(format!("  and {} more", out.len() - NAMED), theme.dim));
    }
    lines.push(Line::raw(""));
    let words = "What is sent: for each the command that brings it back, as in `cmd package install-existing --user 0 ID`, what its start needs first; \
                 then `dumpsys package write`. All is read back once it stands.";
    lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, theme.dim)));
    lines
}

fn going_on<'a>(app: &App, device: &DeviceModel, catch: &CatchPane, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let mut say = |words: &str, style| {
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, style)));
    };
    if let Some(ended) = &catch.ended {
        let run = app.called(View::Bench, Action::Show(View::Run));
        match ended {
            Some(trouble) => say(&format!("It has ended: {trouble}."), theme.alert),
            None => {
                say("The device has started and stood for two minutes, and all of it has been read back.", theme.strong)
            }
        }
        say(&format!("{run} Run shows what became of each step."), theme.plain);
        return lines;
    }
    let turn = spinner(app.tick);
    if catch.stands {
        let words = "It stands. Looking what became of all of it; the run shows each step.";
        say(&format!("{turn} {words}"), theme.strong);
        return lines;
    }
    match &catch.seen {
        None => say(
            &format!(
                "{turn} Waiting for the device on every way to it. Leave its cable in; switch it on if it is off."
            ),
            theme.strong,
        ),
        Some((view, at)) => {
            let words = view.words(&device.capabilities, *at);
            for (n, words) in words.iter().enumerate() {
                let words = crate::tui::widgets::capitalize(words);
                let alert = view.never_comes && words.starts_with("The package service does not come up");
                match n {
                    0 => say(&format!("{turn} {words}."), theme.strong),
                    _ => say(&format!("  {words}."), if alert { theme.alert } else { theme.plain }),
                }
            }
        }
    }
    if let Some(waits) = &catch.waits {
        say(&format!("  {}.", crate::tui::widgets::capitalize(waits)), theme.dim);
    }
    lines.push(Line::raw(""));
    let words = "Leave the cable in. It goes on when this window is closed.";
    lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, theme.dim)));
    lines
}
