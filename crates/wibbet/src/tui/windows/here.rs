//! The device that the program itself runs on: pairing with its own wireless debugging, and the link to it.

use std::num::NonZeroU16;
use std::ops::Range;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::ops::here_at;
use wibbet_core::link::Advice;
use wibbet_types::Address;

use super::form::{Flow, Form, cells_inside, framed, hidden_above, line_count, most_inside};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Field, Scroll, Theme, spinner, wrap};

/// What has been found out about this device's debugging.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
enum Known {
    #[default]
    Looking,
    NotFound,
    Found(Address),
}

/// Code and port wait for as long as somebody takes, and stay when it did not work.
#[derive(Debug, Clone, Default)]
pub(crate) struct Here {
    code: Input,
    port: Input,
    on_port: bool,
    working: bool,
    /// Whether it was tried at all.
    tried: bool,
    known: Known,
    trouble: Option<String>,
    /// Where its text was swiped to; by itself it stands so that the fields, and what is said of them, are in sight.
    swiped: Option<Scroll>,
}

/// What the window says.
struct Said<'a> {
    lines: Vec<Line<'a>>,
    /// The first of the two lines that are typed into.
    fields_at: u16,
    /// Those that are in sight by themselves.
    needed: Range<u16>,
}

impl Here {
    /// This device's own debugging was found, or was not.
    pub(crate) fn found(&mut self, at: Option<&Address>) {
        let known = at.map_or(Known::NotFound, |at| Known::Found(at.clone()));
        if known != self.known {
            (self.known, self.swiped) = (known, None);
        }
    }

    /// A pairing has come to its end.
    pub(crate) fn paired(&mut self, done: Result<(), String>) -> Vec<Effect> {
        self.working = false;
        self.swiped = None;
        match done {
            Ok(()) => {
                self.trouble = None;
                self.known = Known::Looking;
                vec![Effect::Bench(BenchCommand::FindHere)]
            }
            Err(why) => {
                self.trouble = Some(why);
                Vec::new()
            }
        }
    }

    fn pair_now(&mut self, out: &mut Vec<Effect>) {
        if self.working {
            return;
        }
        let port = self.port.value().parse::<NonZeroU16>().ok();
        let code = self.code.value().to_owned();
        self.trouble = match (code.len(), port) {
            (6, Some(port)) => {
                (self.working, self.tried) = (true, true);
                out.push(Effect::Bench(BenchCommand::Pair { at: here_at(port), code }));
                return;
            }
            (6, None) => {
                self.on_port = true;
                Some("the port is the number behind the colon, in the same dialog as the code".into())
            }
            _ => {
                self.on_port = false;
                Some("the code has six digits".into())
            }
        };
    }

    fn said<'a>(&self, app: &App, theme: &Theme, cells: usize) -> Said<'a> {
        let mut lines: Vec<Line<'a>> = Vec::new();
        let say = |text: &str, style: Style, lines: &mut Vec<Line<'a>>| {
            lines.extend(wrap(text, cells).into_iter().map(|line| Line::styled(line, style)));
        };
        let steps = [
            "1  Settings, Developer options: switch Wireless debugging on.",
            "2  Have the settings beside this terminal (split screen, or a floating window): the dialog with the code is void when the settings leave the screen.",
            "3  There: “Pair device with pairing code”. Type here what it shows. Once is enough for always.",
        ];
        for step in steps {
            say(step, theme.plain, &mut lines);
        }
        lines.push(Line::raw(""));
        let fields_at = line_count(&lines);
        lines.extend([Line::raw(""), Line::raw("")]);
        let mut seen_to = line_count(&lines);
        lines.push(Line::raw(""));
        if let Some(trouble) = &self.trouble {
            say(&format!("▲ {trouble}"), theme.alert, &mut lines);
            seen_to = line_count(&lines);
        }
        let turn = spinner(app.tick);
        match &self.known {
            _ if self.working => say(&format!("pairing {turn}"), theme.accent, &mut lines),
            Known::Looking => {
                say(&format!("looking for this device's own debugging {turn}"), theme.accent, &mut lines);
            }
            Known::NotFound => say(
                "This device's debugging does not answer yet: wireless debugging is off, or it waits for a network.",
                theme.dim,
                &mut lines,
            ),
            Known::Found(at) => {
                let own = app.devices.iter().find(|d| d.routes.iter().any(|route| route.at() == Some(at)));
                let words = match own.and_then(|device| device.ladder.trouble.as_ref()) {
                    Some(trouble) if trouble.advice == Advice::Pair => "not paired with this terminal yet".to_owned(),
                    Some(trouble) => trouble.seen.clone(),
                    None => format!("making the link {turn}"),
                };
                say(&format!("Its debugging is at port {}: {words}", at.port()), theme.accent, &mut lines);
            }
        }
        // Until there is something to be told, the steps are what somebody needs to read.
        if self.tried || matches!(self.known, Known::Found(_)) {
            seen_to = line_count(&lines);
        }
        lines.push(Line::raw(""));
        let warnings = "Wireless debugging ends with the network and at a restart. Without this terminal, the keyboard or the settings nothing can be put back from here. A device that does not start any more cannot catch itself: that takes another one.";
        say(warnings, theme.dim, &mut lines);
        Said { lines, fields_at, needed: fields_at..seen_to }
    }

    fn is_enabled(&self, action: Action) -> bool {
        !self.working || action == Action::Leave
    }

    /// Where the text stands in a room of so many lines.
    fn scroll(&self, needed: Range<u16>, room: u16) -> Scroll {
        self.swiped.unwrap_or_else(|| Scroll::at(usize::from(hidden_above(needed, room))))
    }
}

/// The most cells that the window takes.
const COLUMNS: u16 = 76;

impl Form for Here {
    const OPENED_BY: Action = Action::Here;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        out.push(Effect::Bench(BenchCommand::FindHere));
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Here
    }

    fn act(&mut self, _app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        self.swiped = None;
        match action {
            Action::Accept => self.pair_now(out),
            Action::NextField => self.on_port = !self.on_port,
            Action::LookAgain => {
                self.known = Known::Looking;
                out.push(Effect::Bench(BenchCommand::FindHere));
            }
            _ => {
                out.push(Effect::Bench(BenchCommand::EndPairing));
                return Flow::Close;
            }
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let enabled = |action| self.is_enabled(action);
        let Said { lines, fields_at, needed } = self.said(app, theme, cells_inside(COLUMNS, frame));
        let len = lines.len();
        let title = " This device itself ";
        let room = framed(title, (COLUMNS, line_count(&lines)), (Layer::Here, &enabled), theme, frame);
        let scroll = self.scroll(needed, room.height);
        scroll.draw(lines, theme, frame, room);
        let first = scroll.first(len, usize::from(room.height));
        for (n, (name, input)) in [("code", &self.code), ("port", &self.port)].into_iter().enumerate() {
            let field = Field { name, name_cells: 5, input, here: (n == 1) == self.on_port };
            let y = (usize::from(fields_at) + n).checked_sub(first).and_then(|y| u16::try_from(y).ok());
            if let Some(y) = y.filter(|y| *y < room.height) {
                field.draw(1, theme, frame, Rect { y: room.y + y, height: 1, ..room });
            }
        }
    }

    fn swiped(&mut self, app: &App, by: isize) -> bool {
        let enabled = |action| self.is_enabled(action);
        let (cells, room) = most_inside(app, COLUMNS, (Layer::Here, &enabled));
        let said = self.said(app, &Theme::sized(app.has_large_words()), cells);
        let mut scroll = self.scroll(said.needed, room);
        scroll.step(by, said.lines.len(), usize::from(room));
        self.swiped = Some(scroll);
        true
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(if self.on_port { &mut self.port } else { &mut self.code })
    }

    fn edited(&mut self) {
        self.swiped = None;
        for field in [&mut self.code, &mut self.port] {
            if field.value().contains(|c: char| !c.is_ascii_digit()) {
                // The dialog shows address and port in one: what stands behind the colon is the port.
                let text = field.value().rsplit(':').next().unwrap_or("").replace(|c: char| !c.is_ascii_digit(), "");
                *field = Input::new(text);
            }
        }
        // Six digits are all of a code.
        if !self.on_port && self.code.value().len() == 6 && self.port.value().is_empty() {
            self.on_port = true;
        }
    }

    fn is_moving(&self) -> bool {
        true
    }
}
