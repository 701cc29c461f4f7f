//! The run: the plan before it is sent, then the same list coming alive.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_bench::session::SessionCommand;
use wibbet_core::package::{Condition, PackageState};
use wibbet_core::plan::{Change, Consequence, OnRefusal, Reversal, SkipReason, TrayItem, Upshot};
use wibbet_core::run::{NotDone, Outcome, Run, RunKind, RunState, Step, StepState, not_done};

use super::parts::{becoming, data_words, named, outcome_counts, review_put_back};
use crate::tui::app::{App, DeviceModel, Review, RunPane};
use crate::tui::keys::{Action, View};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{
    ColorDepth, Place, TallList, Theme, capitalize, fit, glyph, spinner, told, truncate, under_cursor, width, wrap,
};

/// Lines above the list, at least.
const HEAD: usize = 3;

type Item<'a> = Vec<Line<'a>>;

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
    items: Vec<Item<'a>>,
    list: TallList,
}

impl<'a> Page<'a> {
    fn of(app: &App, device: &DeviceModel, theme: &Theme, body: Rect) -> Self {
        let cells = usize::from(body.width);
        let (head, items) = (head(app, device, theme, cells), items(app, device, theme, cells));
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

fn head<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = words_above(app, device, theme, cells);
    lines.resize(lines.len().max(HEAD), Line::raw(""));
    lines
}

fn words_above<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    match &device.pane {
        RunPane::Nothing => {
            let mut lines = vec![Line::raw("")];
            let (words, style) = match device.unfinished() {
                Some(run) => (
                    format!(
                        "Run {} was stopped or interrupted. {} looks at the device and carries it on.",
                        run.number,
                        app.called(View::Run, Action::CarryOn)
                    ),
                    theme.alert,
                ),
                None => (
                    format!(
                        "Nothing is planned. Mark packages on {} Packages, then {} shows the plan here.",
                        app.called(View::Run, Action::Show(View::Packages)),
                        app.called(View::Packages, Action::Next)
                    ),
                    theme.dim,
                ),
            };
            lines.extend(told(&words, cells, style));
            lines
        }
        RunPane::Starting(_) => vec![
            Line::raw(""),
            Line::styled(format!(" Looking at the device before anything is sent {}", spinner(app.tick)), theme.accent),
        ],
        RunPane::Review(review) => {
            let (send, all) = (review.plan.to_send(), review.plan.steps.len());
            let left = if send == all { String::new() } else { format!(", {} not sent", all - send) };
            let job = if device.job.is_empty() { String::new() } else { format!(" · {}", device.job.words()) };
            let title = format!(" Plan: {} on {} · {send} to send{left}{job}", review.kind.label(), device.name());
            let key = |action| app.called(View::Run, action);
            let mut next = if send > 0 && !device.is_ready() {
                " Nothing has been sent yet. It can be sent as soon as the device is linked and read.".to_owned()
            } else if send > 0 && device.awaits_the_start() {
                let what = device.reading.as_deref().unwrap_or("reading who is engaged in what");
                let all = key(Action::DespiteStart);
                format!(" Nothing has been sent yet. It waits for what the start needs: {what}. {all} does without.")
            } else if send > 0 {
                let (sends, words) = (key(Action::Send), key(Action::Requests));
                format!(" Nothing has been sent yet. {sends} sends it in numbered order; {words} shows the requests.")
            } else {
                " Nothing here can be sent; each line says why.".to_owned()
            };
            if has_no_way_back(device) {
                let (disable, all) = (key(Action::ToDisable), key(Action::AllowNoWayBack));
                next.push_str(&format!(" No way back: {disable} disables instead, {all} sends it all the same."));
            }
            let warnings = device.warnings();
            let warning = match warnings.as_slice() {
                [] => String::new(),
                [one] => format!(" ▲ {one}"),
                [first, rest @ ..] => format!(" ▲ {first} (+{} on the bench)", rest.len()),
            };
            let mut lines = told(&title, cells, theme.strong);
            lines.extend(told(&next, cells, theme.accent));
            if review.kind == RunKind::TakeOut && send > 0 {
                let words = capitalize(review.plan.terms.on_refusal.words());
                let words = format!(" {words} ({} changes that).", key(Action::OnRefusal));
                let own = if review.plan.terms.on_refusal == OnRefusal::default() { theme.dim } else { theme.plain };
                lines.extend(told(&words, cells, own));
            }
            let left = left_for_the_start(device);
            if left > 0 {
                let one = if left == 1 { "one of these: it is" } else { "some of these: they are" };
                let all = key(Action::DespiteStart);
                let words = format!("The start of the device needs {one} left out; {all} shows what would come of it.");
                let wrapped = wrap(&words, cells.saturating_sub(1)).into_iter();
                lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
            }
            if let Some(data) = data_words(device, &review.plan, device.has_several_users()) {
                let words = match review.plan.can_keep_data() {
                    true => format!("{}. {} keeps them.", capitalize(&data), key(Action::KeepData)),
                    false => format!("{}. Nothing on this device keeps them.", capitalize(&data)),
                };
                let wrapped = wrap(&words, cells.saturating_sub(1)).into_iter();
                lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.alert)));
            }
            if let Some(words) = review.plan.back_words().filter(|_| review.kind == RunKind::TakeOut) {
                let wrapped = wrap(&format!("{}.", capitalize(&words)), cells.saturating_sub(1)).into_iter();
                lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.plain)));
            }
            let copies = review.plan.securing().map(|step| &step.id).collect::<std::collections::BTreeSet<_>>().len();
            if copies > 0 {
                let apps = if copies == 1 { "1 app" } else { &format!("{copies} apps") };
                let words = format!(" First the APKs of {apps} are copied to this computer, to come back from there.");
                lines.extend(told(&words, cells, theme.plain));
            }
            for (user, does) in review.does.iter().filter(|(_, does)| !does.is_quiet()) {
                let words = missed_words(device, does);
                let whom =
                    if review.does.len() > 1 { format!("For {}: ", device.user_words(*user)) } else { String::new() };
                let wrapped = wrap(&format!("{whom}{words}"), cells.saturating_sub(1)).into_iter();
                lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
            }
            lines.extend(told(&warning, cells, theme.alert));
            // Headings stand apart from it.
            if !warning.is_empty() && review.shown().iter().any(|(heading, _)| heading.is_some()) {
                lines.push(Line::raw(""));
            }
            lines
        }
        RunPane::Shown(run) => {
            let job = if run.job.is_empty() { String::new() } else { format!(" · {}", run.job.words()) };
            let (what, when) = (run.kind.label(), app.clock(run.begun));
            let title = format!(" Run {}: {what} on {} · {when}{job}", run.number, device.name());
            let mut lines = told(&title, cells, theme.strong);
            lines.push(progress(run, device, theme, cells));
            if let Some(why) = run.not_understood.first() {
                let words = format!(" Another version of Wibbet wrote a part of this: {why}. It is left alone.");
                lines.extend(told(&words, cells, theme.alert));
            }
            if let Some(figures) = run.figures_words() {
                lines.extend(told(&format!("{}.", capitalize(&figures)), cells, theme.plain));
            }
            for words in run.seen_after.iter().take(MOST_SEEN) {
                let wrapped = wrap(&format!("▲ {words}"), cells.saturating_sub(1)).into_iter().take(2);
                lines.extend(wrapped.map(|line| Line::styled(format!(" {line}"), theme.strong)));
            }
            if run.seen_after.len() > MOST_SEEN {
                let more = format!(" … and {} more that failed", run.seen_after.len() - MOST_SEEN);
                lines.extend(told(&more, cells, theme.dim));
            }
            let refused: usize = not_done_of(device).iter().map(|group| group.steps.len()).sum();
            match refused {
                _ if device.running => lines.push(Line::raw("")),
                0 => lines.push(Line::raw("")),
                n => {
                    let were = if n == 1 { "1 was not done" } else { &format!("{n} were not done") };
                    let words =
                        format!(" {were}: {} shows what else may work.", app.called(View::Run, Action::Choices));
                    lines.extend(told(&words, cells, theme.accent));
                }
            }
            lines
        }
    }
}

/// So many failures behind a run are shown above its steps.
const MOST_SEEN: usize = 3;

/// What would be missed, in a sentence or two.
fn missed_words(device: &DeviceModel, does: &Upshot) -> String {
    let missed = does.missed(|id| format!("“{}”", device.name_of(id)));
    missed.iter().map(|line| format!("{}.", capitalize(line))).collect::<Vec<_>>().join(" ")
}

fn progress<'a>(run: &Run, device: &DeviceModel, theme: &Theme, cells: usize) -> Line<'a> {
    let all = run.steps.len().max(1);
    let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
    let bar = (cells / 4).clamp(8, 40);
    let full = bar * settled / all;
    let state = match run.state {
        _ if !run.not_understood.is_empty() => " · not all of it understood",
        RunState::Open if device.paused => " · paused",
        RunState::Open => "",
        // Its keys wait for the session: a run that says it can be carried on has to be.
        RunState::Stopped | RunState::Finished if device.running => " · one moment",
        RunState::Stopped => " · stopped, can be carried on",
        RunState::Finished => " · finished",
    };
    let words = format!(" {settled} of {}  {}{state}", run.steps.len(), outcome_counts(run));
    Line::from(vec![
        Span::styled(format!(" {}", "━".repeat(full)), theme.good),
        Span::styled("╌".repeat(bar - full), theme.dim),
        Span::styled(truncate(&words, cells.saturating_sub(bar + 1)), theme.plain),
    ])
}

fn items<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Item<'a>> {
    let (headings, mut items): (Vec<Item<'a>>, Vec<Item<'a>>) = match &device.pane {
        RunPane::Review(review) => {
            let item = |(heading, place): (Option<(Consequence, usize)>, usize)| {
                let heading = heading.map(|(what, count)| heading_line(what, count, theme, cells));
                (heading.into_iter().collect(), planned(place, review, device, theme, cells))
            };
            let (headings, mut items): (Vec<_>, Vec<_>) = review.shown().into_iter().map(item).unzip();
            if device.show_words
                && review.plan.to_send() > 0
                && let Some(last) = items.last_mut()
            {
                last.extend(behind_all(theme, cells));
            }
            (headings, items)
        }
        RunPane::Shown(run) => {
            let item = |step: &Step| carried_out(app, (step, run.is_replaced(step)), device, theme, cells);
            run.steps.iter().map(|step| (Vec::new(), item(step))).unzip()
        }
        _ => (Vec::new(), Vec::new()),
    };
    if let Some(item) = items.get_mut(device.run_at)
        && let Some(line) = item.first_mut()
    {
        *line = under_cursor(std::mem::take(line), theme, cells);
    }
    headings.into_iter().zip(items).map(|(heading, item)| heading.into_iter().chain(item).collect()).collect()
}

/// What stands above the steps that come to the same.
fn heading_line<'a>(what: Consequence, count: usize, theme: &Theme, cells: usize) -> Line<'a> {
    let title = format!("{} · {count} ", capitalize(what.title()));
    let before = if cells < 60 { "─ " } else { " ── " };
    let rule = cells.saturating_sub(width(&title) + width(before) + 1);
    let style = if what == Consequence::NotSent { theme.dim } else { theme.strong };
    Line::from(vec![
        Span::styled(before, theme.dim),
        Span::styled(truncate(&title, cells.saturating_sub(width(before))), style),
        Span::styled("─".repeat(rule), theme.dim),
    ])
}

/// The cells of way, package and user, by the width of the screen.
fn widths(cells: usize) -> (usize, usize, usize) {
    match cells {
        0..70 => (10, cells.saturating_sub(24).max(10), 0),
        70..110 => (12, cells.saturating_sub(48), 8),
        _ => (22, cells.saturating_sub(81).min(60), 22),
    }
}

/// What the state becomes by a way.
fn after(way: Change, before: PackageState) -> Condition {
    match way {
        Change::Uninstall | Change::UninstallKeepData | Change::RemoveFromSystem => Condition::Uninstalled,
        way if way.is_act() => before.condition(),
        Change::Disable | Change::DisableByRoot => Condition::Disabled,
        Change::Hide => Condition::Hidden,
        Change::Suspend => Condition::Suspended,
        // Reinstalling may be followed by a step that disables again; by itself it leads to use.
        _ if before.condition() == Condition::Absent && way != Change::InstallCopy => Condition::Absent,
        _ => Condition::InUse,
    }
}

/// The way in words, as many as there is room for.
fn way_cell(way: Change, is_back: bool, cells: usize) -> String {
    let words = match way {
        Change::UninstallKeepData if cells < 20 => becoming(way).1,
        // Somebody's own copy of what was there, or an app that comes from elsewhere.
        Change::InstallCopy if !is_back => "install",
        _ => way.label(),
    };
    fit(words, cells)
}

fn user_cell(device: &DeviceModel, step: wibbet_types::UserId, cells: usize) -> String {
    match cells {
        0 => String::new(),
        1..12 => fit(&format!("user {step}"), cells),
        _ => fit(&device.user_words(step), cells),
    }
}

/// What is sent when all steps are done.
fn behind_all<'a>(theme: &Theme, cells: usize) -> Item<'a> {
    let command = wibbet_core::read::write_request().command();
    let words = "in the end, so that the device has it all on its disk:";
    let lines = wrap(words, cells.saturating_sub(6)).into_iter().map(|l| Line::styled(format!("     {l}"), theme.dim));
    lines.chain([Line::styled(format!("     ⟩ {command}"), theme.good)]).collect()
}

fn planned<'a>(place: usize, review: &Review, device: &DeviceModel, theme: &Theme, cells: usize) -> Item<'a> {
    let step = &review.plan.steps[place];
    let (way, id, user) = widths(cells);
    let before = step.before.condition();
    let becomes = after(step.way, step.before);
    let mut spans = vec![
        Span::styled(format!("{:>3}  ", place + 1), theme.dim),
        Span::styled(
            format!("{} ", way_cell(step.way, step.target.is_some(), way)),
            if step.skip.is_some() { theme.dim } else { theme.accent },
        ),
        Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain),
        Span::styled(user_cell(device, step.user, user), theme.dim),
    ];
    spans.push(match step.skip {
        Some(_) => Span::styled(format!(" {} stays {}", glyph(before), before.word()), theme.dim),
        None if cells < 70 => Span::styled(format!(" {}→{}", glyph(before), glyph(becomes)), theme.plain),
        None => Span::styled(format!(" {}→{} {}", glyph(before), glyph(becomes), becomes.word()), theme.plain),
    });
    let mut lines = vec![Line::from(spans)];
    let mut under = |text: String, style| {
        lines.extend(wrap(&text, cells.saturating_sub(6)).into_iter().map(|l| Line::styled(format!("     {l}"), style)))
    };
    match (step.skip, step.back) {
        (Some(skip), Reversal::Impossible(why)) => {
            under(format!("not sent: {skip}. {}.", capitalize(why)), theme.alert)
        }
        (Some(skip), _) => {
            let stops = step.start.as_ref().filter(|_| matches!(skip, SkipReason::Start(_)));
            let stops = stops.and_then(|start| start.what_stops());
            let stops = stops.map_or_else(String::new, |stops| format!("; what stops: {stops}"));
            under(format!("not sent: {skip}{stops}"), theme.alert);
        }
        (None, Reversal::Impossible(why)) => under(format!("no way back: {why}"), theme.alert),
        // The head says it of all of them.
        (None, Reversal::WITHOUT_DATA) => {}
        (None, Reversal::Approximate(why)) => under(format!("when put back: {why}"), theme.plain),
        (None, Reversal::Exact) => {}
    }
    let goes = step.skip.is_none() && step.way.takes_out();
    let does = review.does.iter().filter(|(user, _)| goes && *user == step.user);
    let stops: Vec<&str> = does.flat_map(|(_, does)| does.stops_with(&step.id)).collect();
    match &step.start {
        Some(start) if step.skip.is_none() => under(format!("▲ {}", start.words()), theme.alert),
        _ if !stops.is_empty() => under(format!("stops: {}", stops.join("; ")), theme.strong),
        _ => {}
    }
    if let Some(words) = step.along_words().filter(|_| step.skip.is_none()) {
        under(words, theme.plain);
    }
    if let Some(words) = step.given_words(&device.capabilities).filter(|_| step.skip.is_none()) {
        under(words, theme.dim);
    }
    if device.show_words && step.skip.is_none() {
        under(format!("⟩ {}", step.command(&device.capabilities)), theme.good);
        if !step.way.takes_out() {
            step.gives_back(&device.capabilities)
                .0
                .into_iter()
                .for_each(|words| under(format!("⟩ {words}"), theme.good));
        }
    }
    lines
}

/// How far a step has got, as a shape: sent, answered, read back.
pub(crate) fn track(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Skipped)) => "╌╌╌",
        (StepState::Waiting, _) => "▱▱▱",
        (StepState::Sent, _) => "▰▱▱",
        (StepState::Answered, _) => "▰▰▱",
        (StepState::Settled, Some(Outcome::Unsettled)) => "▰▱▱",
        (StepState::Settled, Some(Outcome::Answered)) => "▰▰▱",
        (StepState::Settled, _) => "▰▰▰",
    }
}

fn stage(step: &Step) -> &'static str {
    match (step.state, step.outcome) {
        (_, Some(Outcome::Done)) => "done",
        (_, Some(Outcome::Refused)) => "refused",
        (_, Some(Outcome::NoEffect)) => "no effect",
        (_, Some(Outcome::Answered)) => "said yes",
        (_, Some(Outcome::Unsettled)) => "unsettled",
        (_, Some(Outcome::Skipped)) => "not sent",
        (StepState::Waiting, _) => "waiting",
        (StepState::Sent, _) => "sent",
        _ => "answered",
    }
}

/// A step of a run; one in whose place another way was taken is told aside.
fn carried_out<'a>(
    app: &App,
    (step, replaced): (&Step, bool),
    device: &DeviceModel,
    theme: &Theme,
    cells: usize,
) -> Item<'a> {
    let (way, id, user) = widths(cells);
    let style = match step.outcome {
        Some(_) if replaced => theme.dim,
        Some(outcome) => theme.outcome(outcome),
        None if step.state == StepState::Waiting => theme.dim,
        None => theme.accent,
    };
    let going = step.outcome.is_none() && step.state != StepState::Waiting && device.running;
    let securing = device.securing.filter(|(index, ..)| *index == step.index && device.running);
    let stage = if let Some((_, bytes, of)) = securing {
        format!("copying {}%", bytes.saturating_mul(100) / of.max(1))
    } else if going {
        format!("{} {}", stage(step), spinner(app.tick))
    } else {
        stage(step).to_owned()
    };
    let (stage_cells, way, id) = match cells {
        0..70 => (0, way, id.saturating_sub(2)),
        70..110 => (11, 10, cells - 43),
        _ => (11, way, id),
    };
    let mut spans = vec![Span::styled(format!(" {} ", track(step)), style)];
    if stage_cells > 0 {
        spans.push(Span::styled(fit(&stage, stage_cells), style));
    }
    spans.push(Span::styled(format!("{} ", way_cell(step.way, step.target.is_some(), way)), theme.plain));
    spans.push(Span::styled(format!("{} ", fit(&named(device, &step.id, id), id)), theme.plain));
    spans.push(Span::styled(user_cell(device, step.user, user), theme.dim));
    let before = step.before.condition();
    if let Some(now) = step.after {
        let now = now.condition();
        let word = if cells < 110 { "" } else { now.word() };
        spans.push(Span::styled(format!(" {}→{} {word}", glyph(before), glyph(now)), theme.plain));
    } else {
        spans.push(Span::styled(format!(" {}", glyph(before)), theme.dim));
    }
    let mut lines = vec![Line::from(spans)];
    let indent = if cells < 70 { 5 } else { 16 };
    let mut under = |text: &str, style| {
        lines.extend(
            wrap(text, cells.saturating_sub(indent + 1))
                .into_iter()
                .map(|l| Line::styled(format!("{}{l}", " ".repeat(indent)), style)),
        );
    };
    if let Some(copy) = step.copy.filter(|_| step.way.takes_out() && step.outcome == Some(Outcome::Done)) {
        under(&format!("its APKs are kept on this computer as copy {copy}"), theme.dim);
    }
    if !step.remark.is_empty() {
        let quiet = matches!(step.outcome, Some(Outcome::Done | Outcome::Answered | Outcome::Skipped) | None);
        under(&step.remark, if quiet || replaced { theme.dim } else { theme.alert });
    }
    if let Some(words) = step.returned_words() {
        let all = step.returned.iter().flatten().all(|one| one.done);
        under(&words, if all { theme.dim } else { theme.alert });
    }
    if device.show_words {
        under(&format!("⟩ {}", step.words), theme.good);
        if let Some(answer) = &step.answer {
            let said = if answer.as_str().is_empty() { "(nothing)" } else { answer.as_str() };
            // An exception brings pages of trace; the logbook has them.
            let said = if width(said) > 300 { truncate(said, 300) } else { said.to_owned() };
            under(&format!("⟨ {said}"), theme.dim);
        }
    }
    lines
}
