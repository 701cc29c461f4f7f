//! The parts of a package, switched off and on one by one, as root. What is sent is shown before, once, and what became of it is read
//! back.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::ops::WantedPart;
use wibbet_bench::session::SessionCommand;
use wibbet_core::ask::{PartName, PartSwitch};
use wibbet_core::package::PartKind;
use wibbet_types::{PackageId, UserId};

use super::form::{ALL, Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Field, Theme, draw_list, fit, truncate, wrap};

/// Whose parts, what is typed to find one, and which the cursor is on.
#[derive(Debug, Clone)]
pub(crate) struct Parts {
    id: PackageId,
    user: UserId,
    input: Input,
    at: usize,
    /// What is about to be sent, once somebody says so.
    asked: Option<WantedPart>,
}

/// A part that is known.
struct Row {
    part: PartName,
    kind: Option<PartKind>,
    is: PartSwitch,
}

impl Parts {
    /// Those that are known and whose class has what is typed; where it is one that none of them has, that too.
    fn rows(&self, device: &DeviceModel) -> Vec<Row> {
        let switched = device.inventory.as_ref().and_then(|i| i.packages.get(&self.id)?.about.parts.get(&self.user));
        let app = device.catalog.as_ref().and_then(|catalog| catalog.names.apps.get(&self.id));
        let mut known: Vec<(String, Option<PartKind>)> = app
            .into_iter()
            .flat_map(|app| &app.declared.parts)
            .map(|part| (part.class.clone(), Some(part.kind)))
            .collect();
        let others = switched.into_iter().flat_map(|parts| parts.off.iter().chain(&parts.on));
        known.extend(others.map(|class| (class.to_string(), None)));
        known.sort();
        known.dedup_by(|one, other| one.0 == other.0);
        let typed = self.input.value().trim();
        known.retain(|(class, _)| class.to_lowercase().contains(&typed.to_lowercase()));
        if known.is_empty() && !typed.is_empty() {
            known.push((typed.to_owned(), None));
        }
        let row = |(class, kind): (String, Option<PartKind>)| {
            let part = PartName::of(&self.id, &class).ok()?;
            let is = PartSwitch::of(switched, part.as_str());
            Some(Row { part, kind, is })
        };
        known.into_iter().filter_map(row).collect()
    }

    fn wanted(&self, row: &Row) -> WantedPart {
        let to = match row.is {
            PartSwitch::Off => PartSwitch::AsDeclared,
            PartSwitch::On | PartSwitch::AsDeclared => PartSwitch::Off,
        };
        WantedPart { id: self.id.clone(), user: self.user, part: row.part.clone(), to }
    }
}

fn kind_word(kind: Option<PartKind>) -> &'static str {
    match kind {
        Some(PartKind::Activity) => "screen",
        Some(PartKind::Service) => "service",
        Some(PartKind::Receiver) => "receiver",
        Some(PartKind::Provider) => "provider",
        None => "",
    }
}

impl Form for Parts {
    const OPENED_BY: Action = Action::Parts;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let id = device.under_cursor()?.clone();
        Some(Self { id, user: device.user(), input: Input::default(), at: 0, asked: None })
    }

    fn layer(&self) -> Layer {
        if self.asked.is_some() { Layer::PartAsked } else { Layer::Parts }
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device() else { return Flow::Close };
        let rows = self.rows(device);
        match action {
            Action::Accept => {
                let free = |_: &&Row| device.switching.is_none() && device.is_ready();
                self.asked = rows.get(self.at).filter(free).map(|row| self.wanted(row));
                Flow::Stay
            }
            Action::SwitchNow => {
                if let Some(wanted) = self.asked.take().filter(|_| device.switching.is_none() && device.is_ready()) {
                    out.push(to_session(device.card, SessionCommand::SwitchPart(wanted.clone())));
                    if let Some(device) = app.device_mut() {
                        device.switching = Some(wanted);
                    }
                }
                Flow::Stay
            }
            Action::Leave if self.asked.take().is_some() => Flow::Stay,
            Action::Leave => Flow::Close,
            _ => {
                move_over(&mut self.at, rows.len(), app, action);
                Flow::Stay
            }
        }
    }

    fn edited(&mut self) {
        self.at = 0;
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let high = frame.area().height.saturating_sub(8).min(22);
        let whom = format!("{}, {}", device.name_of(&self.id), device.user_words(self.user));
        let room =
            framed(&format!(" Parts of {} ", truncate(&whom, 70)), (104, high), (self.layer(), ALL), theme, frame);
        let cells = usize::from(room.width);
        let field = Field { name: "class ", name_cells: 6, input: &self.input, here: self.asked.is_none() };
        frame.render_widget(field.line(theme, cells), Rect { height: 1, ..room });
        if self.asked.is_none() {
            field.put_cursor(frame, room, 0);
        }
        let rows = self.rows(device);
        let mut below: Vec<Line<'_>> = Vec::new();
        if let Some(row) = rows.get(self.at) {
            let wanted = self.wanted(row);
            let words = wanted.to.request(&wanted.id, &wanted.part, wanted.user).words(&device.capabilities);
            let does = match wanted.to {
                PartSwitch::Off => {
                    "It is switched off for this user, until it is switched again or the app is installed anew:"
                }
                PartSwitch::On | PartSwitch::AsDeclared => "It is switched as its manifest says again:",
            };
            below.extend(wrap(does, cells).into_iter().map(|line| Line::styled(line, theme.strong)));
            below.extend(wrap(&format!("⟩ {words}"), cells).into_iter().map(|line| Line::styled(line, theme.good)));
            let (note, style) = match self.asked {
                Some(_) => (
                    "Nothing has been sent yet. It is kept in the logbook before it is sent, and read back.",
                    theme.accent,
                ),
                None => ("Nothing has been sent yet.", theme.dim),
            };
            below.push(Line::styled(truncate(note, cells), style));
        }
        let foot = u16::try_from(below.len()).unwrap_or(0);
        let list = Rect { y: room.y + 2, height: room.height.saturating_sub(3 + foot), ..room };
        if rows.is_empty() {
            let words = "No part of it is known: type its class, such as .Offers or com.ostrel.notes.Offers.";
            frame.render_widget(Paragraph::new(wrap(words, cells).join("\n")).style(theme.dim), list);
        } else {
            let row = |row: &Row, _| {
                let goes = device.switching.as_ref().is_some_and(|wanted| wanted.part == row.part);
                let state = if goes { "being switched" } else { row.is.words() };
                let text = format!(" {} {} {}", fit(state, 22), fit(kind_word(row.kind), 9), row.part);
                Line::styled(truncate(&text, cells), if row.is == PartSwitch::Off { theme.strong } else { theme.plain })
            };
            draw_list(&rows, self.at, row, theme, frame, list);
        }
        let rest = Rect { y: list.bottom() + 1, height: foot.min(room.height), ..room };
        frame.render_widget(Paragraph::new(below), rest.intersection(room));
    }

    fn field(&mut self) -> Option<&mut Input> {
        self.asked.is_none().then_some(&mut self.input)
    }
}
