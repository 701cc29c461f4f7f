//! What has changed on a device since an earlier look at it.

use ratatui::Frame;
use ratatui::text::{Line, Span};
use wibbet_bench::session::SessionCommand;
use wibbet_core::diagnosis::{Drift, DriftKind, in_short};

use super::form::{Flow, Form};
use super::page::Page;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{Scroll, Theme, fit, width, wrap};

/// What has changed.
#[derive(Debug, Clone, Default)]
pub(crate) struct Changes(Scroll);

fn enabled(device: &DeviceModel, action: Action) -> bool {
    match action {
        Action::Earlier => device.other_look(false).is_some(),
        Action::Later => device.other_look(true).is_some(),
        Action::ChooseAgain => !device.back_again().is_empty() && !device.running,
        _ => true,
    }
}

fn page(app: &App, then: impl FnOnce(&Page<'_>)) {
    let Some(device) = app.device() else { return };
    let lines = |theme: &Theme, cells: usize| told(app, device, theme, cells);
    let able = |action| enabled(device, action);
    let title = format!(" What has changed on {} ", device.name());
    then(&Page { title: &title, columns: 108, keys: (Layer::Changes, &able), lines: &lines });
}

impl Form for Changes {
    const OPENED_BY: Action = Action::Changes;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Changes
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let plan = app.called(View::Packages, Action::Next);
        let Some(device) = app.device_mut() else { return Flow::Close };
        if !enabled(device, action) {
            return Flow::Stay;
        }
        match action {
            Action::Earlier | Action::Later => {
                if let Some(since) = device.other_look(action == Action::Later) {
                    out.push(to_session(device.card, SessionCommand::LookBack(since)));
                    self.0 = Scroll::default();
                }
                Flow::Stay
            }
            Action::ChooseAgain => {
                let again = device.back_again().to_vec();
                let count = device.choose_again(&again);
                app.view = View::Packages;
                app.tell(format!("{count} chosen again, each the way it went before. {plan} makes the plan."));
                Flow::Close
            }
            _ => {
                let mut flow = Flow::Stay;
                page(app, |page| flow = page.act(&mut self.0, app, action));
                flow
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        page(app, |page| page.draw(self.0, app, theme, frame));
    }
}

fn told<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = Vec::new();
    let mut say = |words: &str, style| lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, style)));
    let Some(all) = device.looked_back.as_ref() else { return lines };
    if let Some((was, out)) = &all.was {
        let words = format!(
            "This may be {was} behind a factory reset: the serial and the model are the same, its Android id is another. {} that runs had out \
             there is in use here.",
            out.len()
        );
        say(&words, theme.alert);
        say("", theme.plain);
    }
    let Some((head, _)) = &all.before else {
        say("This is the first look at this device that is kept. What changes from now on can be told.", theme.strong);
        return lines;
    };
    let place = all.earlier.iter().position(|look| look.number == head.number).unwrap_or(0) + 1;
    let since = format!("Since look {place} of {}, {}.", all.earlier.len(), app.clock(head.until));
    say(&since, theme.strong);
    if head.build != all.now.build {
        say(&format!("The system was updated: {} → {}.", head.build, all.now.build), theme.strong);
    }
    if !all.whole {
        say("Not everything could be read at one of the two looks: what is new or gone is not told.", theme.alert);
    }
    if all.drift.is_empty() {
        say("Nothing has changed.", theme.plain);
    }
    let several = device.inventory.as_ref().is_some_and(|inventory| inventory.users.len() > 1);
    let (drift, more) = in_short(&all.drift);
    for (n, one) in drift.iter().enumerate() {
        let group = |other: &Drift| (other.kind, other.by) == (one.kind, one.by);
        if n == 0 || !group(&drift[n - 1]) {
            let count = all.drift.iter().filter(|other| group(other)).count();
            let style = if one.kind == DriftKind::CameBack { theme.alert } else { theme.accent };
            let title = format!("─ {}, {} · {count} ", one.kind.title(), one.by.words());
            let rule = "─".repeat(cells.saturating_sub(width(&title)));
            lines.push(Line::raw(""));
            lines.push(Line::from(vec![Span::styled(title, style), Span::styled(rule, theme.dim)]));
        }
        let user = match one.user {
            Some(user) if several => format!(" · {}", device.user_words(user)),
            _ => String::new(),
        };
        let name_cells = (cells * 2 / 5).clamp(16, 44);
        let name = match device.name_of(&one.id) {
            name if name == one.id.as_str() => name,
            name => format!("{name}  {}", one.id),
        };
        lines.push(Line::from(vec![
            Span::raw("  "),
            Span::styled(format!("{} ", fit(&name, name_cells)), theme.plain),
            Span::styled(format!("{}{user}", one.words), theme.dim),
        ]));
    }
    if more > 0 {
        lines.push(Line::styled(format!("  … and {more} more"), theme.dim));
    }
    lines
}
