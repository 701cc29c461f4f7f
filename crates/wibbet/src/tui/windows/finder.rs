//! The fault finder: which of the packages that went is why something is broken, round by round.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use tui_input::Input;
use wibbet_bench::finder::FindFault;
use wibbet_bench::session::SessionCommand;
use wibbet_core::diagnosis::{Check, Evaluation, Next};
use wibbet_core::plan::TrayItem;
use wibbet_core::run::recorded_start;
use wibbet_types::{PackageId, PlainText};

use super::form::{Flow, Form, framed, say_all};
use crate::tui::app::{App, DeviceModel, FinderPane};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, capitalize, spinner, wrap};

/// So many packages are named of those that come back, and of those that go.
const NAMED: usize = 6;

/// The fault finder.
#[derive(Debug, Clone, Default)]
pub(crate) struct Finder {
    /// What is broken is being typed: it has not begun.
    asks: bool,
    /// Suspects of all runs, in place of the last one's.
    all: bool,
    what: Input,
    /// What tells it by itself.
    told_by: Input,
    /// That one is typed into.
    at_check: bool,
    /// What a round that was sent wanted.
    tried: Option<Vec<bool>>,
}

/// What the window is at.
enum Stage<'a> {
    /// Nothing goes on.
    Before,
    /// A round, or the end, is to be sent.
    ToSend(&'a FinderPane),
    /// It is carried out.
    Sending,
    /// What was seen is asked.
    Asks(&'a FinderPane),
    /// It is found, and all is as it is to be.
    Found(&'a FinderPane),
    /// It cannot be told.
    Blurred(&'a FinderPane),
}

fn stage<'a>(device: &'a DeviceModel, tried: Option<&Vec<bool>>) -> Stage<'a> {
    let Some(pane) = &device.finder else { return Stage::Before };
    // What could not be done of it keeps nobody from answering: what is so counts.
    let sent = tried.is_some() && tried == pane.wanted().as_ref();
    let done = sent || device.round_takes().is_some_and(|takes| takes.is_done());
    match &pane.next {
        _ if device.running => Stage::Sending,
        Next::Blurred(_) => Stage::Blurred(pane),
        _ if !done => Stage::ToSend(pane),
        Next::Found(_) => Stage::Found(pane),
        Next::Try(_) => Stage::Asks(pane),
    }
}

fn enabled(device: &DeviceModel, tried: Option<&Vec<bool>>, action: Action) -> bool {
    let stage = stage(device, tried);
    match action {
        Action::TryRound => matches!(stage, Stage::ToSend(_)) && device.is_ready(),
        Action::StillBroken | Action::NotBroken | Action::CannotTell => matches!(stage, Stage::Asks(_)),
        Action::TakeAnswerBack => {
            !matches!(stage, Stage::Before | Stage::Sending)
                && device.finder.as_ref().is_some_and(|pane| !pane.finder.rounds.is_empty())
        }
        Action::EndFinder => !matches!(stage, Stage::Before | Stage::Sending),
        _ => true,
    }
}

impl Form for Finder {
    const OPENED_BY: Action = Action::FindFault;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        Some(Self { asks: device.finder.is_none(), ..Self::default() })
    }

    fn layer(&self) -> Layer {
        if self.asks { Layer::FinderBegins } else { Layer::Finder }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device_mut() else { return Flow::Close };
        let mut send = |wanted| out.push(to_session(device.card, SessionCommand::FindFault(wanted)));
        match action {
            Action::Toggle => self.all = !self.all,
            Action::NextField => self.at_check = !self.at_check,
            Action::Accept if self.asks => {
                let suspects = device.suspects(self.all);
                let check = self.check(device);
                let understood = check.is_some() || self.told_by.value().trim().is_empty();
                if !suspects.is_empty() && understood {
                    send(FindFault::Begin(suspects, PlainText::new(self.what.value().trim()), check));
                    self.asks = false;
                }
            }
            Action::Leave => return Flow::Close,
            action if !enabled(device, self.tried.as_ref(), action) => {}
            Action::TryRound => {
                if let Some(back) = device.finder.as_ref().and_then(FinderPane::wanted) {
                    self.tried = Some(back.clone());
                    send(FindFault::Try(back));
                    device.running = true;
                }
            }
            Action::StillBroken => send(FindFault::Seen(Evaluation::Still)),
            Action::NotBroken => send(FindFault::Seen(Evaluation::Gone)),
            Action::CannotTell => send(FindFault::Seen(Evaluation::CannotTell)),
            Action::TakeAnswerBack => send(FindFault::TakeBack),
            Action::EndFinder => {
                send(FindFault::End(device.finder.as_ref().and_then(FinderPane::found)));
                return Flow::Close;
            }
            _ => {}
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let columns = 92.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let lines = match stage(device, self.tried.as_ref()) {
            Stage::Before if self.asks => {
                let mut lines = before(device, self.all, theme, cells);
                lines.extend(self.about_the_check(device, theme, cells));
                lines
            }
            Stage::Before => vec![Line::styled(format!("{} Beginning.", spinner(app.tick)), theme.accent)],
            stage => going_on(app, device, &stage, theme, cells),
        };
        let high = u16::try_from(lines.len()).unwrap_or(u16::MAX);
        let title = format!(" Fault finder on {} ", device.name());
        let able = |action| enabled(device, self.tried.as_ref(), action);
        let high = high + if self.asks { 3 } else { 0 };
        let room = framed(&title, (columns, high), (self.layer(), &able), theme, frame);
        say_all(lines, theme, frame, room);
        if self.asks && room.height > 2 {
            let fields = [("what is broken", &self.what), ("told by itself", &self.told_by)];
            for (n, (name, input)) in fields.into_iter().enumerate() {
                let line = Rect { y: room.bottom() - 2 + u16::from(n == 1), height: 1, ..room };
                let field = Field { name, name_cells: 16, input, here: self.at_check == (n == 1) };
                frame.render_widget(field.line(theme, usize::from(line.width)), line);
                if field.here {
                    field.put_cursor(frame, line, 0);
                }
            }
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        let field = if self.at_check { &mut self.told_by } else { &mut self.what };
        self.asks.then_some(field)
    }

    fn is_moving(&self) -> bool {
        !self.asks
    }
}

impl Finder {
    /// Whether one goes on has been told: what was not begun, and why a note says, can be begun another way.
    pub(crate) fn told(&mut self, goes_on: bool) {
        self.asks = !goes_on;
    }

    /// What is typed as what tells it by itself.
    fn check(&self, device: &DeviceModel) -> Option<Check> {
        let there = |id: &PackageId| device.inventory.as_ref().is_some_and(|all| all.packages.contains_key(id));
        Check::typed(self.told_by.value(), there)
    }

    fn about_the_check<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
        let (words, style) = match (self.check(device), self.told_by.value().trim()) {
            (Some(check), _) => {
                (format!("Looked at by itself, each round: {}.", check.words(|id| device.name_of(id))), theme.good)
            }
            (None, "") => (
                "Whoever looks answers each round; or it is told by itself: by the id of an app that fails, by an action that nobody answers, or by “starts”, which restarts the device."
                    .to_owned(),
                theme.dim,
            ),
            (None, _) => ("That is neither the id of a package on the device nor the name of an action.".to_owned(), theme.alert),
        };
        wrap(&words, cells).into_iter().map(|line| Line::styled(line, style)).collect()
    }
}

fn before<'a>(device: &DeviceModel, all: bool, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let words = "For “since the run something is broken”, where nothing says what it is due to. Each round puts some of the packages back and asks \
                 whether it is still broken; six rounds tell one of forty, and two more check it. Days may lie between two rounds.";
    lines.extend(wrap(words, cells).into_iter().map(Line::raw));
    lines.push(Line::raw(""));
    let (suspects, run) = (device.suspects(all).len(), device.out_by_record(all).0);
    let who = run.map_or_else(|| "all runs".to_owned(), |run| format!("run {run}"));
    let words = match suspects {
        0 => format!("Nothing that {who} took out is off: there are no suspects."),
        1 => format!("One suspect: what {who} took out and is off."),
        n => format!("{n} suspects: what {who} took out and is off. Likely ones are met first."),
    };
    lines.extend(wrap(&words, cells).into_iter().map(|line| Line::styled(line, theme.strong)));
    lines
}

fn going_on<'a>(app: &App, device: &DeviceModel, stage: &Stage<'_>, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let mut say = |words: &str, style| {
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, style)));
    };
    let name = |id: &PackageId| device.name_of(id);
    let named = |ids: &[&PackageId]| {
        let mut words: Vec<String> = ids.iter().take(NAMED).map(|id| name(id)).collect();
        if ids.len() > NAMED {
            words.push(format!("{} more", ids.len() - NAMED));
        }
        words.join(", ")
    };
    if let Some(pane) = &device.finder {
        let finder = &pane.finder;
        let what = if finder.what.as_str().is_empty() { String::new() } else { format!("“{}”: ", finder.what) };
        let rounds = match finder.rounds.len() {
            0 => "no round yet".to_owned(),
            1 => "one round so far".to_owned(),
            n => format!("{n} rounds so far"),
        };
        say(&format!("{what}{} suspects, {rounds}", finder.suspects.len()), theme.dim);
        say("", theme.plain);
    }
    let takes = device.round_takes().unwrap_or_default();
    match stage {
        Stage::Before => {}
        Stage::Sending => {
            say(
                &format!("{} The round is being carried out; the run shows each step.", spinner(app.tick)),
                theme.strong,
            );
        }
        Stage::ToSend(pane) => {
            let words = match pane.found() {
                Some(cause) => capitalize(&format!("{}.", pane.finder.found_words(cause, name))),
                None => format!("Round {}:", pane.finder.rounds.len() + 1),
            };
            say(&words, theme.strong);
            let back: Vec<&PackageId> = takes.put_back.iter().map(|(id, ..)| id).collect();
            let needed = |item: &&TrayItem| recorded_start(&device.runs, &item.id, item.user).is_some();
            let (stay, go): (Vec<&TrayItem>, Vec<&TrayItem>) = takes.take_out.iter().partition(needed);
            let [stay, gone] = [stay, go].map(|items| items.into_iter().map(|item| &item.id).collect::<Vec<_>>());
            if !back.is_empty() {
                say(&format!("{} back: {}.", back.len(), named(&back)), theme.plain);
            }
            if !gone.is_empty() {
                say(&format!("{} off again, as they were: {}.", gone.len(), named(&gone)), theme.plain);
            }
            if !stay.is_empty() {
                let words =
                    format!("{} left back, since the start of the device needs it: {}.", stay.len(), named(&stay));
                say(&words, theme.alert);
            }
            say("", theme.plain);
            if let (Some(check), None) = (&pane.finder.check, pane.found()) {
                say(&format!("Then it is looked at by itself {}.", check.words(name)), theme.plain);
            }
            say("All of it is sent as runs of their own, read back, and in the logbook.", theme.dim);
        }
        Stage::Asks(pane) => {
            let all = pane.wanted().unwrap_or_default();
            let suspects = pane.finder.suspects.iter().zip(&all).filter(|(_, back)| **back);
            let back: Vec<&PackageId> = suspects.map(|(suspect, _)| &suspect.id).collect();
            say(&format!("Back now, {} of {}: {}.", back.len(), all.len(), named(&back)), theme.plain);
            say("Try on the device: is it still broken?", theme.strong);
            let missing = takes.put_back.len() + takes.take_out.len();
            if missing > 0 {
                let words = format!(
                    "{missing} of this round could not be done, as the run shows: what is so on the device counts."
                );
                say(&words, theme.alert);
            }
            say("It can be looked at tomorrow, too: the answer is waited for.", theme.dim);
        }
        Stage::Found(pane) => {
            if let Some(cause) = pane.found() {
                say(&capitalize(&format!("{}.", pane.finder.found_words(cause, name))), theme.strong);
            }
            say(
                "The others are off, and that stays back. Ending it notes that for all devices of this model.",
                theme.plain,
            );
        }
        Stage::Blurred(pane) => {
            say("It cannot be told for certain. The likeliest, the first one first:", theme.strong);
            if let Next::Blurred(places) = &pane.next {
                let ids: Vec<&PackageId> =
                    places.iter().filter_map(|place| pane.finder.suspects.get(*place)).map(|one| &one.id).collect();
                say(&named(&ids), theme.plain);
            }
        }
    }
    lines
}
