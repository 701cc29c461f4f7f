//! The packages: the table, what is known of the one under the cursor, and the tray.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::{Back, Condition, Inventory, Origin, Package, Plan, TrayItem, Way, plan_take_out};
use wibbet_types::UserId;

use crate::tui::model::{DeviceModel, Model};
use crate::tui::text::{cut, ends, first_shown, fit, width, wrap};
use crate::tui::theme::{Theme, shape, turning};

const DETAILS: u16 = 42;

/// Where the parts are.
struct Parts {
    search: Rect,
    table: Rect,
    details: Option<Rect>,
    tray: Rect,
}

fn parts(model: &Model, body: Rect) -> Parts {
    let chosen = model.device().map_or(0, |d| d.tray.len()) as u16;
    let tray_lines = match (body.height, chosen) {
        (0..12, _) => 1,
        (_, 0) => 2,
        (12..24, n) => (n + 2).min(4),
        (_, n) => (n + 3).min(8),
    };
    let search = Rect { height: 1.min(body.height), ..body };
    let left = body.height.saturating_sub(search.height);
    let tray_lines = tray_lines.min(left);
    let middle = Rect { y: body.y + search.height, height: left - tray_lines, ..body };
    let tray = Rect { y: middle.y + middle.height, height: tray_lines, ..body };
    let (table, details) = match (model.details, body.width, middle.height) {
        (true, 104.., _) => {
            let details = Rect { x: middle.x + middle.width - DETAILS, width: DETAILS, ..middle };
            (Rect { width: middle.width - DETAILS, ..middle }, Some(details))
        }
        // On a narrow screen they stand below.
        (true, _, 14..) => {
            let lines = middle.height / 2;
            let details = Rect { y: middle.y + middle.height - lines, height: lines, ..middle };
            (Rect { height: middle.height - lines, ..middle }, Some(details))
        }
        _ => (middle, None),
    };
    Parts { search, table, details, tray }
}

/// The table, its heading included.
pub(super) fn table_area(model: &Model, body: Rect) -> Rect {
    parts(model, body).table
}

pub(super) fn line_at(model: &Model, body: Rect, column: u16, line: u16) -> Option<usize> {
    let table = table_area(model, body);
    let device = model.device()?;
    if !table.contains((column, line).into()) || line == table.y {
        return None;
    }
    let first = first_shown(device.at, device.found.len(), usize::from(table.height.saturating_sub(1)));
    Some(first + usize::from(line - table.y - 1)).filter(|n| *n < device.found.len())
}

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = model.device() else { return };
    let Some(inventory) = &device.inventory else {
        let what = match &device.ladder.trouble {
            Some(trouble) => format!("{} {}", trouble.seen, trouble.advice),
            None => format!("{} {}", device.busy.as_deref().unwrap_or("making the link"), turning(model.tick)),
        };
        let lines: Vec<Line<'_>> = wrap(&what, usize::from(body.width).saturating_sub(4))
            .into_iter()
            .map(|l| Line::raw(format!("  {l}")))
            .collect();
        frame.render_widget(Paragraph::new(lines), body);
        return;
    };
    let parts = parts(model, body);
    draw_search(device, inventory, theme, frame, parts.search);
    draw_table(device, inventory, theme, frame, parts.table);
    if let Some(area) = parts.details {
        draw_details(model, device, inventory, theme, frame, area);
    }
    draw_tray(device, inventory, theme, frame, parts.tray);
}

fn draw_search(device: &DeviceModel, inventory: &Inventory, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let value = device.search.value();
    let found = match (value.is_empty(), device.found.len()) {
        (true, all) => format!(" {all} packages "),
        (false, found) => format!(" {found} of {} found ", inventory.packages.len()),
    };
    let mut left = vec![Span::styled(" / ", theme.accent)];
    if device.searching {
        left.push(Span::styled(value.to_owned(), theme.strong));
    } else if value.is_empty() {
        left.push(Span::styled("words of an id, or :disabled :product :user …", theme.dim));
    } else {
        left.push(Span::styled(value.to_owned(), theme.plain));
    }
    frame
        .render_widget(Paragraph::new(ends(left, vec![Span::styled(found, theme.dim)], usize::from(area.width))), area);
    if device.searching {
        let x = area.x + 3 + u16::try_from(device.search.visual_cursor()).unwrap_or(0);
        frame.set_cursor_position((x.min(area.right().saturating_sub(1)), area.y));
    }
}

/// The users whose states have room, the one at work first if not all have.
fn shown_users(device: &DeviceModel, inventory: &Inventory, columns: usize) -> Vec<UserId> {
    let mut users: Vec<UserId> = inventory.users.iter().map(|u| u.id).collect();
    if users.len() > columns {
        let at_work = device.user();
        users.sort_by_key(|u| *u != at_work);
        users.truncate(columns.max(1));
    }
    users
}

fn draw_table(device: &DeviceModel, inventory: &Inventory, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let cells = usize::from(area.width);
    let state = if cells >= 66 { 14 } else { 5 };
    let users = shown_users(device, inventory, cells.saturating_sub(30) / (state + 1));
    let from = if cells >= 80 { 11 } else { 0 };
    let id_cells = cells.saturating_sub(2 + from + users.len() * (state + 1));
    let mut head = vec![Span::styled(fit("  package", id_cells + 2), theme.dim)];
    for user in &users {
        let at_work = *user == device.user();
        let style = if at_work { theme.accent } else { theme.dim };
        let name = device.user_words(*user);
        let name = if state < 10 { format!("u{user}") } else { name };
        let name = if at_work && users.len() > 1 { format!("▾{name}") } else { name };
        head.push(Span::styled(format!("{} ", fit(&name, state)), style));
    }
    if from > 0 {
        head.push(Span::styled(fit("from", from), theme.dim));
    }
    let mut lines = vec![Line::from(head)];
    let room = usize::from(area.height).saturating_sub(1);
    let first = first_shown(device.at, device.found.len(), room);
    for (n, id) in device.found.iter().enumerate().skip(first).take(room) {
        let Some(package) = inventory.packages.get(id) else { continue };
        let here = n == device.at;
        let mut spans = vec![Span::styled(if here { "▌ " } else { "  " }, theme.accent)];
        spans.extend(id_spans(id.as_str(), id_cells, theme));
        for user in &users {
            let (text, style) = state_cell(package, *user, device.chosen(id, *user), state, theme);
            spans.push(Span::styled(format!("{} ", fit(&text, state)), style));
        }
        if from > 0 {
            spans.push(Span::styled(fit(origin(package), from), theme.dim));
        }
        let line = Line::from(spans);
        lines.push(if here { under_cursor(line, theme, cells) } else { line });
    }
    if device.found.is_empty() {
        lines.push(Line::styled("  Nothing is found. Esc clears the search.", theme.dim));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

/// One style for the whole line: the shapes and words in it say the rest.
pub(super) fn under_cursor<'a>(line: Line<'a>, theme: &Theme, cells: usize) -> Line<'a> {
    let fill = " ".repeat(cells.saturating_sub(line.width()));
    let mut spans: Vec<Span<'a>> = line.spans.into_iter().map(|s| Span::styled(s.content, theme.cursor)).collect();
    spans.push(Span::styled(fill, theme.cursor));
    Line::from(spans)
}

/// An id with its last part standing out: the rest says who made it.
fn id_spans<'a>(id: &str, cells: usize, theme: &Theme) -> Vec<Span<'a>> {
    let room = cells.saturating_sub(1);
    // Ids are ASCII. Of one that is too long the end is kept: it says what the package is.
    let shown = if id.len() > room { format!("…{}", &id[id.len() + 1 - room.max(1)..]) } else { id.to_owned() };
    let fill = " ".repeat(cells.saturating_sub(width(&shown)));
    match shown.rfind('.') {
        Some(dot) => vec![
            Span::styled(shown[..=dot].to_owned(), theme.dim),
            Span::styled(format!("{}{fill}", &shown[dot + 1..]), theme.plain),
        ],
        _ => vec![Span::styled(format!("{shown}{fill}"), theme.plain)],
    }
}

/// What a package is to a user and, where it is chosen, what it is going to be.
fn state_cell(package: &Package, user: UserId, chosen: Option<Way>, cells: usize, theme: &Theme) -> (String, Style) {
    let condition = package.state(user).condition();
    let Some(way) = chosen else {
        let text = match cells {
            0..10 => shape(condition).to_owned(),
            _ => format!("{} {}", shape(condition), condition.word()),
        };
        return (text, theme.condition(condition));
    };
    let (becomes, word) = becoming(way);
    let text = match cells {
        0..10 => {
            format!("{}→{}{}", shape(condition), shape(becomes), if way == Way::UninstallKeepData { "+" } else { "" })
        }
        _ => format!("{}→{} {word}", shape(condition), shape(becomes)),
    };
    (text, theme.accent)
}

/// What a package becomes, and the shortest words for it.
pub(super) fn becoming(way: Way) -> (Condition, &'static str) {
    match way {
        Way::Disable => (Condition::Disabled, "disable"),
        Way::UninstallKeepData => (Condition::Uninstalled, "keep data"),
        _ => (Condition::Uninstalled, "uninstall"),
    }
}

fn origin(package: &Package) -> &str {
    match package.kind {
        wibbet_core::PackageKind::User => "user app",
        wibbet_core::PackageKind::UpdatedSystem => "updated",
        wibbet_core::PackageKind::System => package.partition(),
    }
}

fn draw_details(
    model: &Model,
    device: &DeviceModel,
    inventory: &Inventory,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let cells = usize::from(area.width).saturating_sub(3);
    let mut lines: Vec<Line<'_>> = Vec::new();
    if let Some(package) = device.under_cursor().and_then(|id| inventory.packages.get(id)) {
        let mut say =
            |text: &str, style: Style| lines.extend(wrap(text, cells).into_iter().map(|l| Line::styled(l, style)));
        say(package.id.as_str(), theme.strong);
        say("", theme.plain);
        let version = if package.version.as_str().is_empty() {
            "no version".into()
        } else {
            format!("version {}", package.version)
        };
        let kind = match package.kind {
            wibbet_core::PackageKind::System => "system app",
            wibbet_core::PackageKind::UpdatedSystem => "system app, updated since",
            wibbet_core::PackageKind::User => "installed by somebody",
        };
        say(&format!("{kind} · {version}"), theme.plain);
        if let Some(path) = &package.path {
            say(&path.to_string(), theme.dim);
        }
        say("", theme.plain);
        for user in &inventory.users {
            let state = package.state(user.id);
            let condition = state.condition();
            let words = format!("{} {} for {}", shape(condition), condition.word(), device.user_words(user.id));
            say(&words, theme.condition(condition));
            if let Some(way) = device.chosen(&package.id, user.id) {
                say(&format!("→ {}", way.words()), theme.accent);
            }
        }
        let plan = tray_plan(
            device,
            inventory,
            &[TrayItem { id: package.id.clone(), user: device.user(), way: Way::Uninstall }],
        );
        say("", theme.plain);
        if package.state(device.user()).installed {
            match plan.steps.first().map(|s| s.back) {
                Some(Back::Sure) => say("If it is uninstalled, it can be put back as it was.", theme.dim),
                Some(Back::Nearly(why)) => say(&format!("If it is uninstalled, {why}."), theme.plain),
                Some(Back::NoWay(why)) => {
                    say(&format!("If it is uninstalled, there is no way back from here: {why}."), theme.alert)
                }
                None => {}
            }
        }
        for entry in device.shelf.entries.iter().filter(|e| e.id == package.id) {
            let who = device.user_words(entry.user);
            match entry.origin {
                Origin::Run { number, begun } => {
                    say(&format!("Taken out by run {number}, {}, for {who}.", model.clock(begun)), theme.plain)
                }
                Origin::Before => say(&format!("Off for {who} before Wibbet."), theme.plain),
            }
        }
    }
    let beside = area.x > 0;
    let inside = if beside {
        let bar = vec![Line::styled("│", theme.dim); usize::from(area.height)];
        frame.render_widget(Paragraph::new(bar), Rect { width: 1, ..area });
        Rect { x: area.x + 2, width: area.width - 2, ..area }
    } else {
        let rule = Line::styled("─".repeat(usize::from(area.width)), theme.dim);
        frame.render_widget(Paragraph::new(rule), Rect { height: 1, ..area });
        Rect { x: area.x + 1, y: area.y + 1, width: area.width - 1, height: area.height - 1 }
    };
    frame.render_widget(Paragraph::new(lines), inside);
}

fn tray_plan(device: &DeviceModel, inventory: &Inventory, items: &[TrayItem]) -> Plan {
    plan_take_out(inventory, &device.abilities, items, true)
}

fn draw_tray(device: &DeviceModel, inventory: &Inventory, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let cells = usize::from(area.width);
    if device.tray.is_empty() {
        let rule = "─".repeat(cells.saturating_sub(8));
        let lines = vec![
            Line::from(vec![
                Span::styled("─ ", theme.dim),
                Span::styled("Tray ", theme.accent),
                Span::styled(rule, theme.dim),
            ]),
            Line::styled(
                cut(" Empty. Space marks a package to be uninstalled; w chooses another way, such as disable.", cells),
                theme.dim,
            ),
        ];
        let skip = lines.len().saturating_sub(usize::from(area.height));
        frame.render_widget(Paragraph::new(lines.into_iter().skip(skip).collect::<Vec<_>>()), area);
        return;
    }
    let plan = tray_plan(device, inventory, &device.tray);
    let count = |disable: bool| device.tray.iter().filter(|i| (i.way == Way::Disable) == disable).count();
    let mut parts = Vec::new();
    for (n, word) in [(count(false), "uninstall"), (count(true), "disable")] {
        if n > 0 {
            parts.push(format!("{word} {n}"));
        }
    }
    let stuck = plan.steps.iter().filter(|s| matches!(s.back, Back::NoWay(_))).count();
    let title = format!("{} chosen: {} ", device.tray.len(), parts.join(", "));
    let rule = "─".repeat(cells.saturating_sub(7 + width(&title)));
    let mut lines = vec![Line::from(vec![
        Span::styled("─ ", theme.dim),
        Span::styled("Tray ", theme.accent),
        Span::styled(title, theme.strong),
        Span::styled(rule, theme.dim),
    ])];
    let room = usize::from(area.height).saturating_sub(1);
    let upshot = usize::from(room > 2);
    let mut items: Vec<Line<'_>> = device
        .tray
        .iter()
        .map(|item| {
            let condition = inventory.state(&item.id, item.user).condition();
            let (becomes, short) = becoming(item.way);
            let (words, room) = if cells < 70 {
                (fit(short, 10), cells.saturating_sub(26))
            } else {
                (fit(item.way.words(), 21), cells - 48)
            };
            Line::from(vec![
                Span::styled(format!(" {}→{} {words}", shape(condition), shape(becomes)), theme.accent),
                Span::styled(fit(item.id.as_str(), room.clamp(12, 60)), theme.plain),
                Span::styled(format!(" {}", device.user_words(item.user)), theme.dim),
            ])
        })
        .collect();
    let shown = room.saturating_sub(upshot);
    if items.len() > shown && shown > 0 {
        let more = items.len() - shown + 1;
        // The latest ones are those that somebody is thinking of.
        items.drain(..more);
        items.insert(0, Line::styled(format!(" … and {more} more"), theme.dim));
    }
    items.truncate(shown);
    lines.extend(items);
    if upshot == 1 {
        let words = match stuck {
            0 => " All of it can be put back. What leans on it is not worked out in this version yet.".to_owned(),
            1 => " 1 of them cannot be put back from here; the plan says why.".to_owned(),
            n => format!(" {n} of them cannot be put back from here; the plan says why."),
        };
        lines.push(Line::styled(cut(&words, cells), if stuck > 0 { theme.alert } else { theme.dim }));
    }
    frame.render_widget(Paragraph::new(lines), area);
}
