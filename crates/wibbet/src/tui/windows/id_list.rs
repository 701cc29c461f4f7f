//! Marking from a list of ids that was pasted or typed.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_core::catalog;
use wibbet_types::{PackageId, PlainText};

use super::form::{ALL, Flow, Form, framed, line_count};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Field, Theme, wrap, wrapped};

/// A list of ids, sorted by what they are on the device.
#[derive(Debug, Clone, Default)]
pub(crate) struct IdList {
    input: Input,
    /// On the device and installed for the user at work.
    here: Vec<PackageId>,
    /// On the device, but not installed for the user.
    off: Vec<PackageId>,
    /// Not on the device.
    missing: Vec<PackageId>,
    /// What is no id.
    others: Vec<String>,
}

impl IdList {
    /// Takes a text for a list of several ids; `None` where it is none.
    pub(crate) fn of(app: &App, text: &str) -> Option<Self> {
        let list = catalog::IdList::read(text);
        let device = app.device().filter(|d| !d.searching && d.inventory.is_some())?;
        let mut form = Self::default();
        let several = list.ids.len() > 1;
        form.merge(device, list);
        several.then_some(form)
    }

    /// Takes in more ids, each once.
    fn merge(&mut self, device: &DeviceModel, list: catalog::IdList) {
        let user = device.user();
        for id in list.ids {
            let package = device.inventory.as_ref().and_then(|i| i.packages.get(&id));
            let these = match package {
                Some(package) if package.state(user).installed => &mut self.here,
                Some(_) => &mut self.off,
                None => &mut self.missing,
            };
            if !these.contains(&id) {
                these.push(id);
            }
        }
        self.others.extend(list.others);
    }
}

impl Form for IdList {
    const OPENED_BY: Action = Action::FromList;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::IdList
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let undo = app.called_here(Action::Undo);
        let Some(device) = app.device_mut().filter(|_| action == Action::Accept) else { return Flow::Close };
        if !self.input.value().trim().is_empty() {
            let list = catalog::IdList::read(self.input.value());
            self.input.reset();
            self.merge(device, list);
            return Flow::Stay;
        }
        let count = device.mark_all(&self.here);
        app.tell(match self.here.len() {
            0 => "Nothing of the list is installed here, and nothing was marked.".to_owned(),
            _ => format!("{count} more packages in the tray. {undo} takes them out again."),
        });
        Flow::Close
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let most = frame.area().height.saturating_sub(6).min(20);
        let inside = framed(" Mark from a list of ids ", (96, most), (Layer::IdList, ALL), theme, frame);
        let cells = usize::from(inside.width);
        let field = Field { name: "", name_cells: 0, input: &self.input, here: true };
        let words = "Paste ids, or type some, separated by spaces or commas.";
        let mut lines = wrapped(words, cells, theme.plain);
        let at = line_count(&lines);
        lines.extend([field.line(theme, cells), Line::raw("")]);
        let room = usize::from(inside.height).saturating_sub(lines.len());
        let user = device.user_words(device.user());
        let mut rows: Vec<Line<'_>> = Vec::new();
        let mut part = |title: String, style: Style, names: Vec<String>| {
            if !names.is_empty() {
                rows.extend(wrapped(&format!("{} {title}", names.len()), cells, style));
                let listed = wrap(&names.join(", "), cells.saturating_sub(2)).into_iter();
                rows.extend(listed.map(|line| Line::styled(format!("  {line}"), theme.plain)));
            }
        };
        let names = |list: &[PackageId]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
        part("not on this device:".into(), theme.alert, names(&self.missing));
        part("no ids:".into(), theme.alert, self.others.iter().map(|o| PlainText::new(o).into_string()).collect());
        part(format!("not installed for {user}, so there is nothing to take out:"), theme.accent, names(&self.off));
        part(format!("installed for {user}, to be marked:"), theme.good, names(&self.here));
        if rows.len() > room {
            rows.truncate(room.saturating_sub(1));
            rows.push(Line::styled("…", theme.dim));
        }
        lines.extend(rows);
        frame.render_widget(Paragraph::new(lines), inside);
        field.put_cursor(frame, inside, at);
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(&mut self.input)
    }

    fn paste(&mut self, app: &App, text: &str) -> bool {
        let list = catalog::IdList::read(text);
        let Some(device) = app.device().filter(|_| !list.ids.is_empty()) else { return false };
        self.merge(device, list);
        true
    }
}
