//! The device that the program itself runs on: pairing with its own wireless debugging, and the link to it.

use std::num::NonZeroU16;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_bench::ops::here_at;
use wibbet_core::link::Advice;
use wibbet_types::Address;

use super::form::{Flow, Form, framed};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Field, Theme, spinner, wrap};

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
    known: Known,
    trouble: Option<String>,
}

impl Here {
    /// This device's own debugging was found, or was not.
    pub(crate) fn found(&mut self, at: Option<&Address>) {
        self.known = at.map_or(Known::NotFound, |at| Known::Found(at.clone()));
    }

    /// A pairing has come to its end.
    pub(crate) fn paired(&mut self, done: Result<(), String>) -> Vec<Effect> {
        self.working = false;
        match done {
            Ok(()) => {
                self.trouble = None;
                self.known = Known::Looking;
                vec![Effect::Bench(BenchCommand::FindHere)]
            }
            Err(why) => {
                self.trouble = Some(format!("{why}. A dialog that is opened again has another code and another port."));
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
                self.working = true;
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

    /// The words, and at which of the lines the two fields stand.
    fn lines<'a>(&self, app: &App, theme: &Theme, cells: usize) -> (Vec<Line<'a>>, u16) {
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
        let fields_at = u16::try_from(lines.len()).unwrap_or(0);
        lines.extend([Line::raw(""), Line::raw(""), Line::raw("")]);
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
        if let Some(trouble) = &self.trouble {
            say(&format!("▲ {trouble}"), theme.alert, &mut lines);
        }
        lines.push(Line::raw(""));
        let warnings = "Wireless debugging ends with the network and at a restart. Without this terminal, the keyboard or the settings nothing can be put back from here. A device that does not start any more cannot catch itself: that takes another one.";
        say(warnings, theme.dim, &mut lines);
        (lines, fields_at)
    }
}

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
        let columns = 76.min(frame.area().width);
        let cells = usize::from(columns.saturating_sub(4));
        let (lines, fields_at) = self.lines(app, theme, cells);
        let high = u16::try_from(lines.len()).unwrap_or(u16::MAX);
        let enabled = |action| !self.working || action == Action::Leave;
        let room = framed(" This device itself ", (columns, high), (Layer::Here, &enabled), theme, frame);
        // The fields are what somebody types into with half the screen under a keyboard: they are always in sight.
        let hidden = (fields_at + 2).saturating_sub(room.height);
        frame.render_widget(Paragraph::new(lines).scroll((hidden, 0)), room);
        for (n, (name, input)) in [("code", &self.code), ("port", &self.port)].into_iter().enumerate() {
            let field = Field { name, name_cells: 5, input, here: (n == 1) == self.on_port };
            let y = room.y + (fields_at - hidden.min(fields_at)) + u16::try_from(n).unwrap_or(0);
            if y < room.bottom() {
                field.draw(1, theme, frame, Rect { y, height: 1, ..room });
            }
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(if self.on_port { &mut self.port } else { &mut self.code })
    }

    fn edited(&mut self) {
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
