//! The bench: every device in a line or two with its ladder lying down, and the card of the one under the cursor, where
//! the ladder stands and the first missing rung is spelled out.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Paragraph};
use wibbet_bench::session::SessionCommand;
use wibbet_core::device::Root;
use wibbet_core::link::{Advice, Rung, RungState, RungStatus};
use wibbet_core::package::Condition;
use wibbet_core::run::Outcome;

use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, View, called};
use crate::tui::message::{Effect, to_session};
use crate::tui::widgets::{
    Theme, capitalize, explained, first_shown, fit, glyph, item_at, justify, spinner, truncate, width, wrap,
};

/// Cells of the list where it stands beside the card.
const LIST: u16 = 38;

/// Cells of the standing ladder and its words.
const LADDER: usize = 32;

/// What is counted for each user.
const COUNTED: [Condition; 5] =
    [Condition::InUse, Condition::Disabled, Condition::Suspended, Condition::Hidden, Condition::Uninstalled];

/// Where list and card are, and how many lines a device has in the list.
struct Places {
    list: Rect,
    card: Rect,
    each: u16,
}

fn places(app: &App, body: Rect) -> Places {
    let count = u16::try_from(app.devices.len()).unwrap_or(u16::MAX);
    if body.width >= 96 {
        let list = Rect { width: LIST, ..body };
        let card = Rect { x: body.x + LIST + 1, width: body.width - LIST - 1, ..body };
        let each = if count.saturating_mul(3) <= body.height { 3 } else { 2 };
        return Places { list, card, each };
    }
    // On a narrow screen the list lies above the card, and gives way to it.
    let height = match count {
        0 | 1 => 0,
        n => n.min((body.height / 3).max(2)),
    };
    let height = height.min(body.height);
    let list = Rect { height, ..body };
    let card = Rect { y: body.y + height, height: body.height - height, ..body };
    Places { list, card, each: 1 }
}

pub(crate) fn card_at(app: &App, body: Rect, column: u16, line: u16) -> Option<usize> {
    let Places { list, each, .. } = places(app, body);
    if !list.contains((column, line).into()) {
        return None;
    }
    let shown = usize::from(list.height / each);
    item_at(app.devices.len(), app.current, shown, usize::from((line - list.y) / each))
}

pub(super) fn is_enabled(app: &App, action: Action) -> bool {
    let on = |test: fn(&DeviceModel) -> bool| app.device().is_some_and(test);
    match action {
        Action::AddDevice | Action::Pair | Action::Guide => true,
        Action::Here => app.on_itself,
        Action::Next => on(|d| d.inventory.is_some()),
        Action::DeveloperOptions => on(|d| !d.running && d.ladder.holds(Rung::Shell)),
        Action::Restart => on(|d| !d.running && d.is_ready()),
        // It is not asked for where nothing shows that there is any.
        Action::AskForRoot => on(|d| {
            let root = d.details.as_ref().and_then(|details| details.vitals.root);
            !d.running && d.ladder.holds(Rung::Shell) && matches!(root, Some(Root::Su | Root::Daemon))
        }),
        Action::Picture | Action::Shell | Action::Files => on(|d| !d.running && d.ladder.holds(Rung::Shell)),
        Action::SwitchOnWireless => {
            on(|d| !d.running && d.ladder.holds(Rung::Shell) && d.capabilities.has_wireless_debugging())
        }
        Action::CloseLink => on(|d| !d.running && d.ladder.holds(Rung::Shell)),
        Action::StayAwake => {
            on(|d| !d.running && d.is_ready() && d.details.as_ref().is_some_and(|t| t.vitals.stays_awake.is_some()))
        }
        // The ladder knows it already, or there is nothing to try it on.
        Action::TryChanges => on(|d| {
            !d.running && d.inventory.is_some() && d.is_ready() && d.ladder.standing(Rung::Changes) != RungStatus::Holds
        }),
        _ => false,
    }
}

pub(super) fn act(app: &mut App, action: Action, out: &mut Vec<Effect>) {
    match action {
        Action::Next => (app.view, app.notice) = (View::Packages, None),
        Action::DeveloperOptions => {
            out.extend(app.device().map(|d| to_session(d.card, SessionCommand::OpenDeveloperOptions)));
        }
        Action::AskForRoot => {
            out.extend(app.device().map(|d| to_session(d.card, SessionCommand::AskForRoot)));
            app.tell("Asking for root: the device may ask on its screen whether to allow that.");
        }
        Action::Picture => {
            out.extend(app.device().map(|d| to_session(d.card, SessionCommand::Picture)));
            app.tell("Taking a picture of the device's screen.");
        }
        Action::SwitchOnWireless => {
            out.extend(app.device().map(|d| to_session(d.card, SessionCommand::SwitchOnWireless)));
        }
        Action::TryChanges => {
            out.extend(app.device().map(|d| to_session(d.card, SessionCommand::TryChanges)));
        }
        Action::StayAwake => {
            let command = |d: &DeviceModel| to_session(d.card, SessionCommand::StayAwake(!d.stays_awake()));
            out.extend(app.device().map(command));
        }
        _ => {}
    }
}

pub(crate) fn draw(app: &App, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = app.device() else {
        return empty(theme, frame, body);
    };
    let Places { list, card: area, each } = places(app, body);
    let shown = usize::from(list.height / each);
    let first = first_shown(app.current, app.devices.len(), shown);
    let mut lines = Vec::new();
    for (n, device) in app.devices.iter().enumerate().skip(first).take(shown) {
        lines.extend(in_list(app, device, n == app.current, each, theme, usize::from(list.width)));
    }
    frame.render_widget(Paragraph::new(lines), list);
    card(app, device, theme, frame, area);
}

fn empty(theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let cells = usize::from(body.width);
    let say = |text: &str, style: Style| {
        let lines = wrap(text, cells.saturating_sub(2)).into_iter();
        lines.map(move |line| Line::styled(format!("  {line}"), style)).collect::<Vec<_>>()
    };
    let mut lines = vec![Line::raw(""), Line::styled("  The bench is empty.", theme.strong), Line::raw("")];
    lines.extend(say("Plug a device in, with USB debugging switched on: it shows up here by itself.", theme.plain));
    lines.extend(say("What is paired and on the same network shows up too.", theme.plain));
    lines.push(Line::raw(""));
    for (action, words) in [
        (Action::Pair, "pairs a device by air: scan a QR code or type its code"),
        (Action::AddDevice, "adds a device by its address, such as a TV: 192.0.2.7:5555"),
        (Action::Guide, "shows the first steps: developer options, debugging, and what the device asks"),
    ] {
        let what = called(View::Bench, action, theme.taps.large());
        let what_cells = width(&what) + 3;
        lines.extend(explained(&format!("  {what}"), what_cells, words, cells, theme.accent));
    }
    lines.push(Line::raw(""));
    lines.extend(say("To try Wibbet without a device: wibbet demo", theme.dim));
    lines.truncate(usize::from(body.height));
    frame.render_widget(Paragraph::new(lines), body);
}

/// What stands for a rung that holds, is being tried, is missing, or is not known.
fn rung_style(device: &DeviceModel, state: &RungState, theme: &Theme) -> (&'static str, &'static str, Style) {
    match state.standing {
        RungStatus::Holds => ("╟──╢", "╪", theme.good),
        RungStatus::Missing if device.ladder.awaits_tap() => ("╟╴╶╢", "╳", theme.accent),
        RungStatus::Missing => ("╟╴╶╢", "╳", theme.alert),
        RungStatus::Unknown
            if device.ladder.tried() == Some(state.rung) && device.ladder.missing().is_none() && !device.closed =>
        {
            ("╟┄┄╢", "┼", theme.accent)
        }
        RungStatus::Unknown => ("║  ║", "═", theme.dim),
    }
}

/// The ladder lying down, foot to the left.
fn lying<'a>(device: &DeviceModel, theme: &Theme) -> Vec<Span<'a>> {
    device
        .ladder
        .rungs
        .iter()
        .map(|state| {
            let (_, lying, style) = rung_style(device, state, theme);
            Span::styled(lying, style)
        })
        .collect()
}

/// In a few words, how it stands with a device.
fn standing(app: &App, device: &DeviceModel, theme: &Theme) -> (String, Style) {
    // As narrow as a phone's screen there is no room for what can be done about it: the card below the list says that.
    let narrow = app.size.0 < 60;
    let with = |what: &str, way: String| if narrow { what.to_owned() } else { format!("{what}: {way}") };
    if device.is_catching() {
        let seen = device.catch.as_ref().and_then(|catch| catch.seen.as_ref());
        let far =
            seen.map_or_else(|| "waiting for it".to_owned(), |(view, _)| format!("{} of {}", view.back, view.steps));
        return (format!("{} catch: {far}", spinner(app.tick)), theme.accent);
    }
    if device.looping && !device.out_by_record(true).1.is_empty() {
        return (with("loops", format!("{} catches it", app.called(View::Bench, Action::Catch))), theme.alert);
    }
    if let Some(run) = device.shown_run().filter(|_| device.running) {
        let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
        return (format!("{} run {}: {settled}/{}", spinner(app.tick), run.number, run.steps.len()), theme.accent);
    }
    if device.closed {
        return (with("closed", format!("{} links it again", app.called_here(Action::ReadAgain))), theme.dim);
    }
    match (&device.ladder.trouble, &device.inventory) {
        (Some(_), _) if device.ladder.awaits_tap() => ("waits for “Allow” on it".into(), theme.accent),
        (Some(trouble), _) => match trouble.advice {
            // Nothing is wrong with it.
            Advice::Offered => {
                (with("offered", format!("{} links it", app.called_here(Action::ReadAgain))), theme.accent)
            }
            Advice::AllowAfterAll => {
                (with("not allowed", format!("{} asks again", app.called_here(Action::ReadAgain))), theme.alert)
            }
            Advice::Pair => {
                let way = format!("{} pairs", app.called(View::Bench, Action::Pair));
                (with(trouble.advice.short(), way), theme.alert)
            }
            other => (other.short().into(), theme.alert),
        },
        (None, Some(_)) if device.unfinished().is_some() => ("a run is unfinished".into(), theme.alert),
        (None, Some(_)) if device.on_break.is_some() => {
            let words = if device.was_updated() { "updated, on break" } else { "on update break" };
            (words.to_owned(), theme.accent)
        }
        (None, Some(inventory)) if device.ladder.is_up() => {
            let (all, off) = (inventory.packages.len(), device.shelf.entries.len());
            (if narrow { format!("{all} · {off} off") } else { format!("{all} packages, {off} off") }, theme.plain)
        }
        (None, _) if device.ladder.tried().is_some() || device.busy.is_some() => {
            (format!("linking {}", spinner(app.tick)), theme.accent)
        }
        (None, _) => ("not linked".into(), theme.dim),
    }
}

fn in_list<'a>(app: &App, device: &DeviceModel, here: bool, each: u16, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let (words, style) = standing(app, device, theme);
    let bar = if here { "▌" } else { " " };
    let name_style = if here { theme.accent } else { theme.strong };
    let name = device.name();
    let bar_of = |style| Span::styled(bar, style);
    if each == 1 {
        let mut spans =
            vec![bar_of(theme.accent), Span::styled(fit(&name, 24.min(cells / 3)), name_style), Span::raw(" ")];
        spans.extend(lying(device, theme));
        spans
            .push(Span::styled(format!("  {}", truncate(&words, cells.saturating_sub(24.min(cells / 3) + 13))), style));
        return vec![Line::from(spans)];
    }
    let android = device.facts.as_ref().map_or_else(String::new, |f| format!("{} ", f.android));
    let first = justify(
        vec![
            bar_of(theme.accent),
            Span::styled(truncate(&name, cells.saturating_sub(width(&android) + 2)), name_style),
        ],
        vec![Span::styled(android, theme.dim)],
        cells,
    );
    let mut second = vec![bar_of(theme.accent), Span::raw(" ")];
    second.extend(lying(device, theme));
    second.push(Span::styled(format!("  {}", truncate(&words, cells.saturating_sub(13))), style));
    let mut lines = vec![first, Line::from(second)];
    if each > 2 {
        lines.push(Line::raw(""));
    }
    lines
}

fn card(app: &App, device: &DeviceModel, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let android = device.facts.as_ref().map_or_else(String::new, |f| format!(" {} ", f.android));
    let block = Block::bordered()
        .border_type(BorderType::Thick)
        .border_style(theme.accent)
        .title(Line::styled(format!(" {} ", device.name()), theme.accent))
        .title(Line::styled(android, theme.dim).right_aligned());
    let inside = block.inner(area);
    frame.render_widget(block, area);
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = todo(device, theme, cells);
    // On a high screen each rung says how it is known, and what the device is stands below; on a low one beside it.
    let beside_cells = cells.saturating_sub(LADDER + 2);
    let mut ladder = standing_ladder(app, device, theme, LADDER.min(cells));
    let whole = about(app, device, theme, cells.saturating_sub(3));
    let high = usize::from(inside.height) >= lines.len() + ladder.len() + whole.len() + 4;
    let about = match high || beside_cells < 24 {
        true => whole,
        false => about(app, device, theme, beside_cells),
    };
    if high && beside_cells >= 24 {
        for (line, state) in ladder.iter_mut().zip(device.ladder.rungs.iter().rev()) {
            line.spans.push(Span::styled(truncate(&state.known, beside_cells), theme.dim));
        }
        if lines.is_empty() {
            lines.push(Line::raw(""));
        }
        lines.extend(ladder);
        lines.push(Line::raw(""));
        lines.extend(about.into_iter().map(|text| {
            let mut spans = vec![Span::raw("  ")];
            spans.extend(text.spans);
            Line::from(spans)
        }));
    } else if beside_cells >= 24 {
        let mut about = about.into_iter();
        for mut line in ladder {
            if let Some(text) = about.next() {
                line.spans.extend(text.spans);
            }
            lines.push(line);
        }
        for text in about {
            let mut spans = vec![Span::raw(" ".repeat(LADDER))];
            spans.extend(text.spans);
            lines.push(Line::from(spans));
        }
    } else {
        let room = usize::from(inside.height).saturating_sub(lines.len() + 1);
        // What does not fit on a small screen is the ladder's height, which the list shows lying down.
        if room >= ladder.len() + about.len().min(3) {
            lines.extend(ladder);
        }
        lines.extend(about.into_iter().map(|text| {
            let mut spans = vec![Span::raw(" ")];
            spans.extend(text.spans);
            Line::from(spans)
        }));
    }
    let room = usize::from(inside.height).saturating_sub(1);
    lines.truncate(room);
    while lines.len() < room {
        lines.push(Line::raw(""));
    }
    lines.push(foot(app, device, theme, cells));
    frame.render_widget(Paragraph::new(lines), inside);
}

/// What to do about the first missing rung, before everything else.
fn todo<'a>(device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let catches = device.looping && !device.is_catching() && !device.out_by_record(true).1.is_empty();
    let large = theme.taps.large();
    let catch = called(View::Bench, Action::Catch, large);
    let Some(trouble) = &device.ladder.trouble else { return Vec::new() };
    let style = if device.ladder.awaits_tap() { theme.accent } else { theme.alert };
    let room = cells.saturating_sub(4);
    let say = |text: &str, style: Style| {
        wrap(text, room).into_iter().map(move |l| Line::from(Span::styled(format!("  {l}"), style))).collect::<Vec<_>>()
    };
    let mut lines = vec![Line::raw("")];
    if catches {
        let words = format!(
            "It starts over and over, or does not end starting. {catch} catches it: it puts back what was taken out in the moments in which it can be asked. Leave its cable in, and choose no reset on it."
        );
        lines.extend(say(&words, theme.strong));
    } else {
        lines.extend(say(&trouble.words, theme.strong));
    }
    if trouble.advice == Advice::SecondSwitch {
        let open = called(View::Bench, Action::DeveloperOptions, large);
        lines.extend(say(&format!("{open} opens the developer options on the device."), theme.plain));
    }
    let again = match trouble.advice.mends_itself() && !catches {
        true => " Wibbet notices by itself when it has been done.",
        false => "",
    };
    lines.extend(say(&format!("{}.{again}", capitalize(trouble.seen.trim_end_matches('.'))), theme.dim));
    if let Some(first) = lines.get_mut(1) {
        first.spans.insert(0, Span::styled("▸", style));
        if let Some(text) = first.spans.get_mut(1) {
            text.content = text.content.strip_prefix(' ').unwrap_or_default().to_owned().into();
        }
    }
    lines.push(Line::raw(""));
    lines
}

fn standing_ladder<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    device
        .ladder
        .rungs
        .iter()
        .rev()
        .map(|state| {
            let (standing, _, style) = rung_style(device, state, theme);
            let trying = standing == "╟┄┄╢";
            let turn = if trying { format!(" {}", spinner(app.tick)) } else { String::new() };
            let words_style = match state.standing {
                RungStatus::Holds => theme.plain,
                _ => style,
            };
            let words = match (state.rung, state.standing) {
                (Rung::Changes, RungStatus::Unknown) if device.ladder.is_up() => "changes: not tried yet".to_owned(),
                _ => format!("{}{turn}", state.rung.label()),
            };
            Line::from(vec![
                Span::raw(" "),
                Span::styled(standing, style),
                Span::styled(format!(" {}", fit(&words, cells.saturating_sub(6))), words_style),
            ])
        })
        .collect()
}

/// What the device is and how it is.
fn about<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines = Vec::new();
    let plain = |text: String, style: Style| Line::from(Span::styled(truncate(&text, cells), style));
    // What the ladder says already is not said twice.
    let missing = usize::from(device.ladder.standing(Rung::Changes) == RungStatus::Missing);
    for warning in device.warnings().into_iter().skip(missing) {
        let wrapped = wrap(&warning, cells.saturating_sub(2));
        lines.extend(wrapped.into_iter().enumerate().map(|(n, l)| {
            let sign = if n == 0 { "▲ " } else { "  " };
            Line::from(Span::styled(format!("{sign}{l}"), theme.alert))
        }));
    }
    if let Some(of) = &device.on_break {
        let (key, since) = (app.called(View::Shelf, Action::UpdateBreak), app.clock(of.begun));
        let words = match device.was_updated() {
            true => format!(
                "On update break since {since}, and the system was updated: {key} on the shelf chooses again what was out."
            ),
            false => format!("On update break since {since}, build {}. {key} on the shelf ends it.", of.build),
        };
        let wrapped = wrap(&words, cells.saturating_sub(2)).into_iter().enumerate();
        lines.extend(wrapped.map(|(n, line)| {
            Line::from(Span::styled(format!("{}{line}", if n == 0 { "◇ " } else { "  " }), theme.accent))
        }));
    }
    if let Some(inventory) = &device.inventory {
        lines.push(plain(format!("{} packages", inventory.packages.len()), theme.strong));
        for user in inventory.users.iter().take(4) {
            lines.push(user_line(inventory, user, device, theme, cells));
        }
    } else if device.ladder.trouble.is_none() {
        let what = device.busy.clone().unwrap_or_else(|| "making the link".into());
        lines.push(plain(format!("{what} {}", spinner(app.tick)), theme.accent));
    }
    if let Some(details) = &device.details {
        let vitals = &details.vitals;
        let mut parts = Vec::new();
        if let Some(name) = &vitals.owners_name {
            parts.push(format!("named “{}”", truncate(name.as_str(), 24)));
        }
        if let Some(battery) = vitals.battery {
            parts.push(format!("battery {} %{}", battery.percent, if battery.powered { ", charging" } else { "" }));
        }
        if let Some(space) = vitals.space {
            parts.push(format!("{} of {} GB free", space.free / 1_000_000_000, space.total / 1_000_000_000));
        }
        if let Some(uptime) = vitals.uptime {
            let hours = uptime.as_secs() / 3600;
            parts.push(if hours >= 48 { format!("up {} days", hours / 24) } else { format!("up {hours} h") });
        }
        if !parts.is_empty() {
            lines.push(plain(parts.join(" · "), theme.plain));
        }
        let mut parts =
            vec![if details.encrypted { "encrypted link".to_owned() } else { "link not encrypted".to_owned() }];
        match vitals.root {
            Some(Root::Daemon) => parts.push("debugging runs as root".into()),
            Some(Root::Su) => parts.push("su is there".into()),
            Some(Root::None) => parts.push("no root seen".into()),
            None => {}
        }
        if device.stays_awake() {
            parts.push("kept awake".into());
        }
        lines.push(plain(parts.join(" · "), theme.dim));
    }
    if let Some(facts) = &device.facts {
        let mut parts = vec![facts.kind.name().to_owned()];
        if !facts.build.as_str().is_empty() {
            parts.push(format!("build {}", facts.build));
        }
        if !facts.patch.as_str().is_empty() {
            parts.push(format!("patch level {}", facts.patch));
        }
        lines.push(plain(parts.join(" · "), theme.dim));
    }
    let ways: Vec<String> = device.routes.iter().map(|r| format!("{} ({})", r.kind(), r)).collect();
    if ways.len() > 1 {
        lines.push(plain(format!("ways to it: {}", ways.join(", ")), theme.dim));
    }
    lines
}

fn user_line<'a>(
    inventory: &wibbet_core::package::Inventory,
    user: &wibbet_core::device::User,
    device: &DeviceModel,
    theme: &Theme,
    cells: usize,
) -> Line<'a> {
    let mut marks = vec![user.kind.name().to_owned()];
    if device.details.as_ref().and_then(|d| d.vitals.current_user) == Some(user.id) && inventory.users.len() > 1 {
        marks.push("on the screen".into());
    }
    match (user.running, user.unlocked) {
        (false, _) => marks.push("not running".into()),
        (true, Some(false)) => marks.push("locked".into()),
        _ => {}
    }
    let (words, wide) = match cells {
        56.. => (format!("user {} {} ({})", user.id, user.name, marks.join(", ")), 40),
        _ => (format!("user {} {}", user.id, user.name), 21),
    };
    let mut spans = vec![Span::styled(fit(&words, wide.min(cells)), theme.plain)];
    let mut room = cells.saturating_sub(wide);
    for condition in COUNTED {
        let count = inventory.packages.values().filter(|p| p.condition(user.id) == condition).count();
        let text = format!(" {}{count}", glyph(condition));
        if count > 0 && room >= width(&text) {
            room -= width(&text);
            spans.push(Span::styled(text, theme.condition(condition)));
        }
    }
    Line::from(spans)
}

fn foot<'a>(app: &App, device: &DeviceModel, theme: &Theme, cells: usize) -> Line<'a> {
    let id = device.facts.as_ref().map_or_else(String::new, |f| format!("{} · ", f.id));
    let right = if let Some(run) = device.shown_run().filter(|_| device.running) {
        let settled = run.steps.iter().filter(|s| s.outcome.is_some()).count();
        Span::styled(
            format!("{} run {}: {settled} of {} ", spinner(app.tick), run.number, run.steps.len()),
            theme.accent,
        )
    } else if let Some(run) = device.unfinished() {
        Span::styled(
            format!("run {} is unfinished: {} carries it on ", run.number, app.called(View::Bench, Action::CarryOn)),
            theme.alert,
        )
    } else if let Some(run) = device.runs.first() {
        Span::styled(
            format!("last run {}: {} of {} done ", run.number, run.count(Outcome::Done), run.steps.len()),
            theme.dim,
        )
    } else if device.inventory.is_some() {
        Span::styled("no runs yet ", theme.dim)
    } else {
        Span::raw("")
    };
    let right = vec![Span::raw(" "), right];
    justify(vec![Span::styled(format!(" {id}{}", device.place()), theme.dim)], right, cells)
}
