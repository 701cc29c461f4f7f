//! The run: the plan before it is sent, then the same list coming alive.

mod head;
mod steps;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use wibbet_bench::session::SessionCommand;
use wibbet_core::plan::{Change, Reversal, SkipReason, TrayItem};
use wibbet_core::run::{NotDone, Outcome, RunKind, Step, not_done};

use super::parts::review_put_back;
use crate::tui::app::{App, DeviceModel, RunPane};
use crate::tui::keys::{Action, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{ColorDepth, Place, TallList, Theme};

pub(crate) use steps::track;

/// Steps of the plan that is shown are not sent, since there is no way back.
fn has_no_way_back(device: &DeviceModel) -> bool {
    device.reviewed().is_some_and(|r| r.plan.steps.iter().any(|s| s.skip == Some(SkipReason::NoWayBack)))
}

/// How many steps of the plan that is shown are not sent for the sake of the start.
fn left_for_the_start(device: &DeviceModel) -> usize {
    device.reviewed().map_or(0, |review| review.plan.left_for_the_start().count())
}

/// What the run that is shown could not uninstall, to be disabled instead.
fn refused_uninstalls(device: &DeviceModel) -> Vec<TrayItem> {
    let Some(run) = device.shown_run() else { return Vec::new() };
    let failed = |s: &&Step| {
        let failed = matches!(s.outcome, Some(Outcome::Refused | Outcome::NoEffect));
        s.way.uninstalls() && failed && !run.is_replaced(s)
    };
    let item = |s: &Step| TrayItem { id: s.id.clone(), user: s.user, way: Change::Disable };
    run.steps.iter().filter(failed).map(item).collect()
}

/// What of the run that is shown was not done, with what else may work.
pub(crate) fn not_done_of(device: &DeviceModel) -> Vec<NotDone> {
    let run = device.shown_run().filter(|run| run.kind == RunKind::TakeOut);
    let all = run.map_or_else(Vec::new, |run| not_done(run, &device.capabilities, device.inventory.as_deref()));
    all.into_iter().filter(|group| !group.choices.is_empty()).collect()
}

/// The steps of the run that is shown that were done and can be undone: all, or the one of an index.
fn undoable(device: &DeviceModel, only: Option<usize>) -> impl Iterator<Item = &Step> {
    let run = device.shown_run().filter(|r| r.kind == RunKind::TakeOut && !device.running);
    let steps = run.map_or(&[][..], |r| &r.steps);
    steps.iter().filter(move |s| s.outcome == Some(Outcome::Done) && only.is_none_or(|index| s.index.get() == index))
}

pub(super) fn is_enabled(app: &App, action: Action) -> bool {
    let on = |test: fn(&DeviceModel) -> bool| app.device().is_some_and(test);
    match action {
        Action::Send => on(|d| {
            d.is_ready() && !d.running && !d.awaits_the_start() && d.reviewed().is_some_and(|r| r.plan.to_send() > 0)
        }),
        Action::ToDisable => on(|d| has_no_way_back(d) || (!d.running && !refused_uninstalls(d).is_empty())),
        Action::AllowNoWayBack => on(has_no_way_back),
        Action::DespiteStart => on(|d| d.awaits_the_start() || left_for_the_start(d) > 0),
        Action::OnRefusal => on(|d| d.reviewed().is_some_and(|r| r.kind == RunKind::TakeOut && r.plan.to_send() > 0)),
        Action::Choices => on(|d| !d.running && !not_done_of(d).is_empty()),
        Action::KeepData => on(|d| d.reviewed().is_some_and(|r| r.plan.can_keep_data())),
        Action::PutBack => on(|d| undoable(d, Some(d.run_at)).next().is_some()),
        Action::Undo => on(|d| undoable(d, None).next().is_some()),
        Action::Requests => on(|d| d.run_len() > 0),
        Action::Back => on(|d| d.reviewed().is_some()),
        _ => false,
    }
}

pub(super) fn act(app: &mut App, action: Action, out: &mut Vec<Effect>) {
    let Some(device) = app.device_mut() else { return };
    match action {
        Action::Send => send(app, out),
        Action::ToDisable if device.reviewed().is_none() => {
            let instead = refused_uninstalls(device);
            device.change_tray(|tray| *tray = instead);
            device.review_tray();
        }
        Action::ToDisable => device.review_again(|items, plan| {
            for step in plan.steps.iter().filter(|s| matches!(s.back, Reversal::Impossible(_))) {
                if let Some(item) = items.iter_mut().find(|i| i.id == step.id && i.user == step.user) {
                    item.way = Change::Disable;
                }
            }
        }),
        Action::AllowNoWayBack => device.allow_no_way_back(),
        Action::OnRefusal => device.next_on_refusal(),
        Action::KeepData => device.review_again(|items, plan| {
            for step in plan.losing_data() {
                let item = items.iter_mut().find(|i| i.id == step.id && i.user == step.user);
                if let (Some(item), Some(way)) = (item, step.keeping) {
                    item.way = way;
                }
            }
        }),
        Action::PutBack | Action::Undo => {
            let only = (action == Action::PutBack).then_some(device.run_at);
            let wanted = undoable(device, only).map(|s| (s.id.clone(), s.user, s.before)).collect();
            review_put_back(app, wanted);
        }
        Action::Requests => device.show_words = !device.show_words,
        Action::Back => {
            let kind = device.reviewed().map(|r| r.kind);
            device.pane = RunPane::Nothing;
            app.view = if kind == Some(RunKind::PutBack) { View::Shelf } else { View::Packages };
            app.tell("Nothing was sent.");
        }
        _ => {}
    }
}

fn send(app: &mut App, out: &mut Vec<Effect>) {
    let Some(device) = app.device_mut() else { return };
    let Some(review) = device.reviewed().cloned() else { return };
    let (kind, plan) = (review.kind, review.plan.clone());
    device.suspect(&review);
    device.pane = RunPane::Starting(review);
    device.running = true;
    device.run_from_the_top();
    match kind == RunKind::PutBack {
        false => {
            device.change_tray(Vec::clear);
            // They belong to the run now, once there is one.
            device.newcomers_sent = std::mem::take(&mut device.newcomers);
        }
        true => device.shelf_marks.clear(),
    }
    out.push(to_session(device.card, SessionCommand::Run(kind, plan)));
    app.notice = None;
}

pub(super) fn word(app: &App, action: Action) -> Option<&'static str> {
    let to_send = app.device().and_then(DeviceModel::reviewed).map(|r| r.plan.to_send());
    match (action, to_send) {
        (Action::Send, Some(1)) => Some("send the step"),
        (Action::Send, _) => Some("send the steps"),
        _ => None,
    }
}

pub(super) fn line_at(app: &App, body: Rect, line: u16) -> Option<usize> {
    let device = app.device()?;
    let page = Page::of(app, device, &Theme::new(ColorDepth::None), body);
    page.list.item_at(place(device), usize::from(line.checked_sub(body.y)?))
}

/// Moves over the steps, or over the lines of one that is not wholly in sight.
pub(super) fn move_by(app: &mut App, by: isize) {
    let Some(device) = app.device() else { return };
    let page = Page::of(app, device, &Theme::new(ColorDepth::None), app.body());
    let to = page.list.moved(place(device), by);
    if let Some(device) = app.device_mut() {
        (device.run_at, device.run_passed) = (to.at, (to.at, to.passed));
    }
}

fn place(device: &DeviceModel) -> Place {
    let (item, passed) = device.run_passed;
    Place { at: device.run_at, passed: if item == device.run_at { passed } else { 0 } }
}

/// All that the view says, and which lines of it are in sight.
struct Page<'a> {
    head: Vec<Line<'a>>,
    items: Vec<steps::Item<'a>>,
    list: TallList,
}

impl<'a> Page<'a> {
    fn of(app: &App, device: &DeviceModel, theme: &Theme, body: Rect) -> Self {
        let cells = usize::from(body.width);
        let (head, items) = (head::lines(app, device, theme, cells), steps::items(app, device, theme, cells));
        let list = TallList::new(head.len(), items.iter().map(Vec::len).collect(), usize::from(body.height));
        Self { head, items, list }
    }
}

pub(super) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = app.device() else { return };
    let (Page { head, items, list }, place) = (Page::of(app, device, theme, body), place(device));
    let count = items.len();
    let mut lines = list.shown(place, head, items);
    if list.has_all_below(place)
        && let Some(last) = lines.last_mut()
    {
        let words =
            if count == 1 { " ↓ the step is below".to_owned() } else { format!(" ↓ {count} steps are below") };
        *last = Line::styled(words, theme.strong);
    }
    frame.render_widget(Paragraph::new(lines), body);
}
