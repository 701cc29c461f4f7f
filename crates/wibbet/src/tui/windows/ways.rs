//! All ways for a package, or for everything in the tray: what each does, and why one is not to be had here.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use wibbet_core::plan::{Change, PlannedStep, Reversal, TrayItem, plan_take_out};
use wibbet_types::{PackageId, UserId};

use super::form::{ALL, Flow, Form, framed, move_over};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, capitalize, draw_list, fit, truncate, wrap};

/// Whom it is about, and which way the cursor is on.
#[derive(Debug, Clone)]
pub(crate) struct Ways {
    /// The package under the cursor, where there is one, and its user.
    one: Option<(PackageId, UserId)>,
    /// It is about everything in the tray.
    all: bool,
    at: usize,
}

/// The ways, those that take out first.
fn ways(device: &DeviceModel) -> Vec<Change> {
    // Apart from the usual ones, and only once somebody has asked for root.
    let by_root = Change::BY_ROOT.into_iter().filter(|_| device.capabilities.root.is_some());
    Change::TAKE_OUT.into_iter().chain(Change::ACTS).chain(by_root).collect()
}

/// What a way does, in a few words.
fn does(way: Change) -> &'static str {
    match way {
        Change::Uninstall => "it goes for the user, with its data",
        Change::UninstallKeepData => "it goes for the user, and its data stay",
        Change::Disable => "it stays, switched off, with its data",
        Change::Suspend => "it stays, greyed out, and cannot be opened",
        Change::Hide => "it stays with its data, and nothing of it is to be seen",
        Change::DisableByRoot => "off as the system does it; only root switches it on again",
        Change::RemoveFromSystem => "as root: its folder goes, for everybody; a copy is kept",
        Change::Quieten => "it stays in use, and does nothing while nobody looks",
        Change::ForceStop => "it stays in use, and is ended now",
        Change::ClearCache => "it stays in use; what it keeps for being quick goes",
        Change::ClearData => "it stays in use; all that it keeps for the user goes",
        _ => "",
    }
}

impl Ways {
    /// What is planned for a way, for each package that it is about.
    fn plan(&self, device: &DeviceModel, way: Change) -> Vec<PlannedStep> {
        let Some(inventory) = &device.inventory else { return Vec::new() };
        let items: Vec<TrayItem> = match (self.all, &self.one) {
            (false, Some((id, user))) => vec![TrayItem { id: id.clone(), user: *user, way }],
            _ => device.tray.iter().map(|item| TrayItem { way, ..item.clone() }).collect(),
        };
        plan_take_out(inventory, &device.capabilities, &items, true).steps
    }

    /// Why a way is not to be had, or what to know of it.
    fn words(&self, device: &DeviceModel, way: Change) -> (bool, String) {
        let plan = self.plan(device, way);
        let stuck: Vec<_> = plan.iter().filter_map(|step| step.skip).collect();
        match (stuck.first(), stuck.len() == plan.len()) {
            (Some(why), true) => (false, capitalize(&format!("{why}."))),
            (Some(why), false) => (true, format!("Not for {} of {}: {why}.", stuck.len(), plan.len())),
            (None, _) => match plan.first().map(|step| step.back) {
                Some(Reversal::Exact) => (true, "It can be undone, to just what it was.".into()),
                Some(Reversal::Approximate(why)) if way.takes_out() || way == Change::Quieten => {
                    (true, format!("When put back: {why}."))
                }
                Some(Reversal::Approximate(why)) => (true, capitalize(&format!("{why}."))),
                Some(Reversal::Impossible(why)) => (true, format!("No way back: {why}.")),
                None => (true, String::new()),
            },
        }
    }
}

impl Form for Ways {
    const OPENED_BY: Action = Action::Ways;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let one = device.under_cursor().map(|id| (id.clone(), device.user()));
        let way = one.as_ref().and_then(|(id, user)| device.chosen(id, *user));
        let at = way.and_then(|way| ways(device).iter().position(|own| *own == way)).unwrap_or(0);
        // Whoever has chosen several and stands on another one means those.
        let all = one.is_none() || (way.is_none() && !device.tray.is_empty());
        Some(Self { one, all, at })
    }

    fn layer(&self) -> Layer {
        Layer::Ways
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let undo = app.called_here(Action::Undo);
        let Some(device) = app.device_mut() else { return Flow::Close };
        match action {
            Action::Accept => {
                let Some(way) = ways(device).get(self.at).copied() else { return Flow::Close };
                if !self.words(device, way).0 {
                    return Flow::Stay;
                }
                let one = self.one.clone().filter(|_| !self.all);
                let mut count = 0;
                device.change_tray(|tray| match one {
                    Some((id, user)) => {
                        count = 1;
                        match tray.iter_mut().find(|item| item.id == id && item.user == user) {
                            Some(item) => item.way = way,
                            None => tray.push(TrayItem { id, user, way }),
                        }
                    }
                    None => {
                        count = tray.len();
                        tray.iter_mut().for_each(|item| item.way = way);
                    }
                });
                if count > 1 {
                    app.tell(format!("{}: all {count} in the tray. {undo} takes that back.", capitalize(way.label())));
                }
                Flow::Close
            }
            Action::Toggle if self.one.is_some() && !device.tray.is_empty() => {
                self.all = !self.all;
                Flow::Stay
            }
            Action::Toggle => Flow::Stay,
            Action::Leave => Flow::Close,
            _ => {
                let len = ways(device).len();
                move_over(&mut self.at, len, app, action);
                Flow::Stay
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let whom = match (self.all, &self.one) {
            (false, Some((id, user))) => format!("“{}” for {}", device.name_of(id), device.user_words(*user)),
            _ => format!("all {} in the tray", device.tray.len()),
        };
        let title =
            format!(" Ways for {} ", truncate(&whom, usize::from(frame.area().width.saturating_sub(14)).min(60)));
        let all = ways(device);
        let count = u16::try_from(all.len()).unwrap_or(8);
        let narrow = frame.area().width < 60;
        // Below them there is room for what is to be known of one.
        let high = (count + if narrow { 8 } else { 5 }).min(frame.area().height.saturating_sub(6));
        let room = framed(&title, (96, high), (Layer::Ways, ALL), theme, frame);
        let cells = usize::from(room.width);
        let list = Rect { height: room.height.min(count), ..room };
        let row = |way: &Change, _| {
            let can = self.words(device, *way).0;
            let text = match narrow {
                true => format!(" {}", way.label()),
                false => format!(" {} {}", fit(way.label(), 23), does(*way)),
            };
            Line::styled(truncate(&text, cells), if can { theme.plain } else { theme.dim })
        };
        draw_list(&all, self.at, row, theme, frame, list);
        let words = all.get(self.at).map(|way| self.words(device, *way).1).unwrap_or_default();
        let does = all.get(self.at).filter(|_| narrow).map(|way| format!("{}.", capitalize(does(*way))));
        let below = Rect { y: list.bottom() + 1, height: room.height.saturating_sub(count + 1), ..room };
        let lines: Vec<Line<'_>> = does
            .iter()
            .chain([&words])
            .flat_map(|words| wrap(words, cells))
            .map(|line| Line::styled(line, theme.strong))
            .collect();
        frame.render_widget(Paragraph::new(lines), below);
    }
}
