//! A break for a system update: everything back before it, and out again behind it.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::Line;
use wibbet_bench::session::SessionCommand;
use wibbet_core::diagnosis::{BreakItem, BreakView, UpdateBreak};
use wibbet_types::{PackageId, UserId};

use super::form::{Flow, Form};
use super::page::Page;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::rooms::review_put_back;
use crate::tui::widgets::{Scroll, Theme, wrap};

/// An update break.
#[derive(Debug, Clone, Default)]
pub(crate) struct Break {
    scroll: Scroll,
    /// With what was off before Wibbet.
    before_too: bool,
    /// What one that begins now would be about, and how much it would leave out.
    would_be: (Vec<BreakItem>, usize),
}

impl Break {
    fn enabled(&self, device: &DeviceModel, action: Action) -> bool {
        let view = device.break_view();
        let idle = !device.running;
        match (action, view) {
            (Action::BeginBreak, None) => idle && !self.would_be.0.is_empty() && device.evidence.is_some(),
            (Action::BeginBreak, Some(view)) => idle && !view.still_out.is_empty(),
            (Action::Toggle, view) => view.is_none(),
            (Action::ChooseAgain, view) => idle && view.is_some_and(|view| !view.again.is_empty()),
            (Action::EndBreak, view) => view.is_some(),
            _ => true,
        }
    }

    fn page(&self, app: &App, then: impl FnOnce(&Page<'_>)) {
        let Some(device) = app.device() else { return };
        let lines = |theme: &Theme, cells: usize| match device.break_view() {
            Some(view) => going_on(app, device, &view, theme, cells),
            None => self.before(device, theme, cells),
        };
        let able = |action| self.enabled(device, action);
        let title = format!(" Update break of {} ", device.name());
        then(&Page { title: &title, columns: 96, keys: (Layer::Break, &able), lines: &lines });
    }

    fn before<'a>(&self, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
        let mut lines: Vec<Line<'a>> = Vec::new();
        let mut say = |words: &str, style| lines.extend(told(words, style, cells));
        let (items, left) = &self.would_be;
        if let Some(catalog) = &device.catalog {
            let need = UpdateBreak::need(items, catalog);
            say(&need.words(|id| device.name_of(id)), theme.strong);
        }
        say("", theme.plain);
        say(
            "Everything that is out comes back in one run before the update, and how it was is remembered. Behind the update it is chosen again \
             in one go: what is tied otherwise than before is left in, and what is new in the system is shown first.",
            theme.plain,
        );
        say("", theme.plain);
        let whose = if self.before_too { "Out by runs, or off before Wibbet" } else { "Out by runs" };
        say(&format!("{whose} · {}", items.len()), theme.strong);
        for item in items {
            say(&format!("  {} · {}", named(device, &item.id, item.user), item.way.label()), theme.plain);
        }
        if *left > 0 {
            say(
                &format!(
                    "{left} more come back by root or from a copy only, or are of a private space, and are left as they are."
                ),
                theme.dim,
            );
        }
        if device.evidence.is_none() {
            say("What ties its packages is still being worked out; the break waits for that.", theme.dim);
        }
        lines
    }
}

/// A text over as many lines as it takes; what it is set in by goes for all of them.
fn told<'a>(words: &str, style: Style, cells: usize) -> Vec<Line<'a>> {
    let plain = words.trim_start();
    let indent = " ".repeat(words.len() - plain.len());
    let lines = wrap(plain, cells.saturating_sub(indent.len())).into_iter();
    lines.map(|line| Line::styled(format!("{indent}{line}"), style)).collect()
}

/// The name of a package, and for whom where that has to be said.
fn named(device: &DeviceModel, id: &PackageId, user: UserId) -> String {
    let several = device.inventory.as_ref().is_some_and(|inventory| inventory.users.len() > 1);
    let name = device.name_of(id);
    if several { format!("{name} · {}", device.user_words(user)) } else { name }
}

fn going_on<'a>(app: &App, device: &DeviceModel, view: &BreakView, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = Vec::new();
    let mut say = |words: &str, style| lines.extend(told(words, style, cells));
    let Some(of) = &device.on_break else { return lines };
    let build = device.facts.as_ref().map(|facts| facts.build.to_string()).unwrap_or_default();
    let since = app.clock(of.begun);
    match view.updated {
        true => say(&format!("On break since {since}. The system was updated: {} → {build}.", of.build), theme.strong),
        false => say(&format!("On break since {since}. The system is build {build}, as it was then."), theme.strong),
    }
    let next = match (view.still_out.is_empty(), view.updated) {
        (false, _) => "Not all of it is back yet: the plan puts back what is still out.",
        (true, false) => {
            "Everything is back. Update the system on the device now; the break waits, whether Wibbet runs or not."
        }
        (true, true) => "Behind the update: choose again what was out, look at the plan, and send it.",
    };
    say(next, theme.accent);
    let mut part = |title: String, style, items: Vec<String>| {
        if !items.is_empty() {
            say("", theme.plain);
            say(&title, style);
            items.iter().for_each(|words| say(&format!("  {words}"), theme.plain));
        }
    };
    let new: Vec<String> = view.new.iter().map(|id| format!("{}, {id}", device.name_of(id))).collect();
    part(format!("New in the system · {}", new.len()), theme.strong, new);
    let out: Vec<String> = view.still_out.iter().map(|(id, user, _)| named(device, id, *user)).collect();
    part(format!("Still out · {}", out.len()), theme.strong, out);
    let held =
        view.held.iter().map(|(item, holds)| format!("{}: {}", named(device, &item.id, item.user), holds.join("; ")));
    let held: Vec<String> = held.collect();
    part(format!("Tied otherwise than before, and left in · {}", held.len()), theme.alert, held);
    let again = view.again.iter().map(|item| format!("{} · {}", named(device, &item.id, item.user), item.way.label()));
    let again: Vec<String> = again.collect();
    part(format!("Back, and can go again · {}", again.len()), theme.strong, again);
    let gone: Vec<String> = view.gone.iter().map(|(id, user)| named(device, id, *user)).collect();
    let unjudged: Vec<String> = view.unjudged.iter().map(|user| device.user_words(*user)).collect();
    part("What ties their packages now is not worked out yet".into(), theme.alert, unjudged);
    part(format!("Not on the device any more · {}", gone.len()), theme.strong, gone);
    lines
}

impl Form for Break {
    const OPENED_BY: Action = Action::UpdateBreak;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let device = app.device()?;
        let would_be = if device.on_break.is_some() { Default::default() } else { device.break_items(false) };
        Some(Self { would_be, ..Self::default() })
    }

    fn layer(&self) -> Layer {
        Layer::Break
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let plan = app.called(View::Packages, Action::Next);
        let Some(device) = app.device_mut() else { return Flow::Close };
        if !self.enabled(device, action) {
            return Flow::Stay;
        }
        match action {
            Action::Toggle => {
                self.before_too = !self.before_too;
                self.would_be = device.break_items(self.before_too);
                Flow::Stay
            }
            Action::BeginBreak => {
                let back = match device.break_view() {
                    Some(view) => view.still_out,
                    None => {
                        let items = std::mem::take(&mut self.would_be.0);
                        out.push(to_session(device.card, SessionCommand::BeginBreak(items.clone())));
                        items.into_iter().map(|item| (item.id, item.user, item.target)).collect()
                    }
                };
                review_put_back(app, back);
                Flow::Close
            }
            Action::ChooseAgain => {
                let (Some(view), Some(of)) = (device.break_view(), device.on_break.take()) else { return Flow::Close };
                let count = device.choose_again(&view.again);
                // What is chosen is on disk before the break is over: an end in between loses neither.
                if let Some(tray) = device.tray_to_keep() {
                    out.push(to_session(device.card, SessionCommand::KeepTray(tray)));
                }
                out.push(to_session(device.card, SessionCommand::EndBreak(of.number)));
                app.view = View::Packages;
                app.tell(format!("The break has ended: {count} chosen again. {plan} makes the plan."));
                Flow::Close
            }
            Action::EndBreak => {
                if let Some(of) = device.on_break.take() {
                    out.push(to_session(device.card, SessionCommand::EndBreak(of.number)));
                    app.tell("The break has ended; everything is left as it is.".to_owned());
                }
                Flow::Close
            }
            _ => {
                let mut scroll = self.scroll;
                let mut flow = Flow::Stay;
                self.page(app, |page| flow = page.act(&mut scroll, app, action));
                self.scroll = scroll;
                flow
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        self.page(app, |page| page.draw(self.scroll, app, theme, frame));
    }
}
