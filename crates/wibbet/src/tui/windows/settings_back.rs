//! Settings of the device that orders have set, and putting them back.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::Line;
use wibbet_bench::run::SettingBack;
use wibbet_bench::session::SessionCommand;
use wibbet_core::run::{SettingChange, SettingGoal, settings_to_put_back, value_words};

use super::form::{Flow, Form};
use super::page::Page;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Scroll, Theme, wrap};

/// The settings of a device.
#[derive(Debug, Clone, Default)]
pub(crate) struct SettingsBack {
    /// What can be put back, once it has been read.
    goals: Option<Vec<SettingGoal>>,
    /// What became of putting it back.
    back: Option<Vec<SettingBack>>,
    /// Why it could not be read, or put back.
    trouble: Option<String>,
    working: bool,
    scroll: Scroll,
}

impl SettingsBack {
    /// What was read.
    pub(crate) fn take(&mut self, read: Result<(Vec<SettingChange>, Option<Vec<SettingBack>>), String>) {
        self.working = false;
        match read {
            Ok((all, back)) => {
                self.goals = Some(settings_to_put_back(&all));
                self.back = back.or(self.back.take());
                self.trouble = None;
            }
            Err(why) => self.trouble = Some(why),
        }
    }

    fn can_put_back(&self) -> bool {
        !self.working && self.goals.as_ref().is_some_and(|goals| !goals.is_empty())
    }

    fn told<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
        let mut lines: Vec<Line<'a>> = Vec::new();
        let mut say =
            |words: &str, style: Style| lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, style)));
        let whose = |goal: &SettingGoal| match goal.setting.is_of_a_user() {
            true => format!(" · {}", device.user_words(goal.user)),
            false => String::new(),
        };
        for one in self.back.iter().flatten() {
            let (sign, style) = if one.done { ("✓", theme.good) } else { ("▲", theme.alert) };
            let to = value_words(one.goal.to.as_deref());
            let words = if one.done { format!("is {to} again") } else { format!("stays: {}", one.why) };
            say(&format!("{sign} {}{}: {words}", one.goal.setting, whose(&one.goal)), style);
        }
        self.trouble.iter().for_each(|why| say(&format!("▲ {why}"), theme.alert));
        if self.back.is_some() {
            say("", theme.plain);
        }
        match &self.goals {
            None if self.trouble.is_some() => {}
            None => say("The device is being read.", theme.dim),
            Some(goals) if goals.is_empty() && self.back.is_none() => {
                say("No order has set anything on this device that is not back already.", theme.dim);
            }
            Some(goals) => {
                for goal in goals.iter().rev() {
                    let (from, to) = (value_words(goal.from.as_deref()), value_words(goal.to.as_deref()));
                    say(&format!("{}{}: {from} → {to}", goal.setting, whose(goal)), theme.strong);
                    say(&format!("  by {}", goal.orders.join(", ")), theme.dim);
                    say(&format!("  ⟩ {}", goal.setting.put(goal.user, goal.to.as_deref()).command()), theme.dim);
                }
            }
        }
        lines
    }

    fn page(&self, app: &App, then: impl FnOnce(&Page<'_>)) {
        let Some(device) = app.device() else { return };
        let lines = |theme: &Theme, cells: usize| self.told(device, theme, cells);
        let able = |action| action != Action::Send || self.can_put_back();
        let title = format!(" Settings that orders have set on {} ", device.name());
        then(&Page { title: &title, columns: 88, keys: (Layer::SettingsBack, &able), lines: &lines });
    }
}

impl Form for SettingsBack {
    const OPENED_BY: Action = Action::SettingsBack;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        out.push(to_session(app.device()?.card, SessionCommand::Settings { put_back: false }));
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::SettingsBack
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            Action::Send if self.can_put_back() => {
                let Some(device) = app.device() else { return Flow::Close };
                self.working = true;
                out.push(to_session(device.card, SessionCommand::Settings { put_back: true }));
            }
            _ => {
                let (mut scroll, mut flow) = (self.scroll, Flow::Stay);
                self.page(app, |page| flow = page.act(&mut scroll, app, action));
                self.scroll = scroll;
                return flow;
            }
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        self.page(app, |page| page.draw(self.scroll, app, theme, frame));
    }
}
