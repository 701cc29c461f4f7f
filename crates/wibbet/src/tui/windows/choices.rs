//! What else may work where a run was refused: another way, a page to open on the device, once more; for all that was refused alike,
//! or for one.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use wibbet_bench::session::SessionCommand;
use wibbet_core::ask::Opening;
use wibbet_core::plan::TrayItem;
use wibbet_core::run::{Choice, NotDone, Run, Step, others_who_have};

use super::form::{ALL, Flow, Form, framed, move_over, say_all};
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::rooms::not_done_of;
use crate::tui::widgets::{Theme, capitalize, draw_list, truncate, wrap};

/// What there was when it was opened, a line for each choice, and which the cursor is on.
#[derive(Debug, Clone)]
pub(crate) struct Choices {
    run: std::sync::Arc<Run>,
    lines: Vec<(NotDone, Choice)>,
    at: usize,
    /// Only the first of the kind, not all.
    one: bool,
}

impl Choices {
    /// The steps that a line is about.
    fn steps<'a>(&'a self, group: &NotDone) -> Vec<&'a Step> {
        let all = group.steps.iter().filter_map(|index| self.run.steps.get(index.get()));
        all.take(if self.one { 1 } else { usize::MAX }).collect()
    }

    /// The steps of a line by name.
    fn whom(&self, device: &DeviceModel, group: &NotDone) -> String {
        let steps = self.steps(group);
        let name = steps.first().map_or_else(String::new, |step| format!("“{}”", device.name_of(&step.id)));
        match steps.len() {
            0 | 1 => name,
            n => format!("{name} and {} more", n - 1),
        }
    }
}

/// What became of a step, in words.
fn became(group: &NotDone) -> String {
    let way = group.way.label();
    match (&group.said, group.why) {
        (Some(said), Some(why)) => format!("{way} was refused, since {}: {said}", why.meaning()),
        (_, Some(why)) => format!("{way} was refused, since {}", why.meaning()),
        (_, None) => format!("{way} had no effect, though the device said yes"),
    }
}

impl Form for Choices {
    const OPENED_BY: Action = Action::Choices;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let run = device.shown_run()?.clone();
        let under_cursor = run.steps.get(device.run_at).map(|step| step.index);
        let mut groups = not_done_of(device);
        // What the cursor is on comes first, and is the one where only one is meant.
        if let Some(own) = under_cursor {
            groups.sort_by_key(|group| !group.steps.contains(&own));
            for group in &mut groups {
                group.steps.sort_by_key(|index| *index != own);
            }
        }
        let line = |group: NotDone| group.choices.clone().into_iter().map(move |choice| (group.clone(), choice));
        Some(Self { run, lines: groups.into_iter().flat_map(line).collect(), at: 0, one: false })
    }

    fn layer(&self) -> Layer {
        Layer::Choices
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let Some(device) = app.device_mut() else { return Flow::Close };
        match (action, self.lines.get(self.at).cloned()) {
            (Action::Accept, Some((group, choice))) => {
                let way = match choice {
                    Choice::Way(way) => way,
                    Choice::Again | Choice::Page(_) | Choice::DeveloperOptions | Choice::User(_) => group.way,
                };
                let inventory = device.inventory.clone();
                // For another user goes what that one has.
                let whose = |step: &Step| match choice {
                    Choice::User(user) => {
                        others_who_have(&step.id, &self.run, inventory.as_deref()).contains(&user).then_some(user)
                    }
                    _ => Some(step.user),
                };
                let user = self.steps(&group).first().map(|step| step.user);
                let items: Vec<TrayItem> = self
                    .steps(&group)
                    .into_iter()
                    .filter_map(|step| Some(TrayItem { id: step.id.clone(), user: whose(step)?, way }))
                    .collect();
                device.change_tray(|tray| *tray = items);
                device.review_tray();
                match (choice, user) {
                    (Choice::Page(page), Some(user)) if device.is_ready() => {
                        let opening = Opening::Settings { page, user };
                        out.push(to_session(device.card, SessionCommand::Open(opening)));
                    }
                    (Choice::DeveloperOptions, _) if device.is_ready() => {
                        out.push(to_session(device.card, SessionCommand::OpenDeveloperOptions));
                    }
                    _ => {}
                }
                app.view = View::Run;
                app.notice = None;
                Flow::Close
            }
            (Action::Accept | Action::Leave, _) => Flow::Close,
            (Action::Toggle, _) => {
                self.one = !self.one;
                Flow::Stay
            }
            _ => {
                move_over(&mut self.at, self.lines.len(), app, action);
                Flow::Stay
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(device) = app.device() else { return };
        let columns = 100.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(4));
        let mut below: Vec<Line<'_>> = vec![Line::raw("")];
        if let Some((group, choice)) = self.lines.get(self.at) {
            let asked = format!("{}: {}.", self.whom(device, group), became(group));
            below.extend(wrap(&asked, cells).into_iter().map(|line| Line::styled(line, theme.strong)));
            let lesson = group.said.as_ref().and_then(|said| device.lessons.get(group.way, said));
            // That it was met in this very run only teaches nothing.
            if let Some(lesson) =
                lesson.filter(|lesson| lesson.last != Some(self.run.number) || !lesson.worked.is_empty())
            {
                let words = capitalize(&format!("{}.", lesson.words()));
                below.extend(wrap(&words, cells).into_iter().map(|line| Line::styled(line, theme.accent)));
            }
            let mut does = match choice {
                Choice::Page(page) => format!("This is sent at once: {}. ", opening_words(device, page, self, group)),
                Choice::DeveloperOptions => "The page is opened at once. ".to_owned(),
                _ => String::new(),
            };
            let sends = app.called(View::Run, Action::Send);
            does.push_str(&format!("The plan is shown then; nothing of it is sent before {sends}."));
            below.extend(wrap(&does, cells).into_iter().map(|line| Line::styled(line, theme.dim)));
        }
        let count = u16::try_from(self.lines.len()).unwrap_or(u16::MAX);
        let count = count.min(frame.area().height.saturating_sub(14)).max(1);
        let high = count + u16::try_from(below.len()).unwrap_or(0);
        let room = framed(" What else may work ", (columns, high), (Layer::Choices, ALL), theme, frame);
        let list = Rect { height: count.min(room.height), ..room };
        let row = |(group, choice): &(NotDone, Choice), _| {
            let words = match choice {
                Choice::User(user) => format!("for {} instead", device.user_words(*user)),
                choice => choice.words(),
            };
            Line::raw(truncate(&format!(" {}: {words}", self.whom(device, group)), cells))
        };
        draw_list(&self.lines, self.at, row, theme, frame, list);
        let rest = Rect { y: list.bottom(), height: room.height - list.height, ..room };
        say_all(below, theme, frame, rest);
    }
}

/// What opens the page, word for word.
fn opening_words(device: &DeviceModel, page: &'static str, form: &Choices, group: &NotDone) -> String {
    let user = form.steps(group).first().map_or_else(|| device.user(), |step| step.user);
    Opening::Settings { page, user }.request().command()
}
