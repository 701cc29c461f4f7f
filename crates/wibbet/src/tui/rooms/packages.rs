//! The packages: the table, what is known of the one under the cursor, and the tray.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::catalog::Column;
use wibbet_core::package::Inventory;
use wibbet_core::plan::{Back, Change, Plan, TrayItem, plan_take_out};
use wibbet_core::run::Origin;

use super::parts::{becoming, named};
use crate::tui::app::{DeviceModel, Model};
use crate::tui::rooms::table;
use crate::tui::widgets::{Theme, cut, first_shown, fit, shape, turning, width, wrap};

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
pub(crate) fn table_area(model: &Model, body: Rect) -> Rect {
    parts(model, body).table
}

pub(crate) fn line_at(model: &Model, body: Rect, column: u16, line: u16) -> Option<usize> {
    let table = table_area(model, body);
    let device = model.device()?;
    if !table.contains((column, line).into()) || line == table.y {
        return None;
    }
    let first = first_shown(device.at, device.found.len(), usize::from(table.height.saturating_sub(1)));
    Some(first + usize::from(line - table.y - 1)).filter(|n| *n < device.found.len())
}

pub(crate) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, body: Rect) {
    let Some(device) = model.device() else { return };
    let Some(inventory) = &device.inventory else {
        let what = match &device.ladder.trouble {
            Some(trouble) => format!("{} {}", trouble.seen, trouble.words),
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
    table::draw_search(model, device, inventory, theme, frame, parts.search);
    table::draw_table(model, device, theme, frame, parts.table);
    if let Some(area) = parts.details {
        draw_details(model, device, inventory, theme, frame, area);
    }
    draw_tray(device, inventory, theme, frame, parts.tray);
    if device.searching {
        table::draw_completions(device, theme, frame, parts.table);
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
        let sight = device.sight(&package.id);
        if let Some(sight) = &sight {
            let (name, guessed) = sight.name();
            say(&name, theme.strong);
            if guessed {
                let why = match (&sight.app.and_then(|a| a.trouble.as_ref()), &device.reading) {
                    (Some(why), _) => format!("a guess from the id: {why}"),
                    (None, Some(_)) => "a guess from the id; its label is being read".to_owned(),
                    (None, None) => "a guess from the id; its label was not read".to_owned(),
                };
                say(&why, theme.dim);
            }
        }
        say(package.id.as_str(), theme.plain);
        let version = if package.version.as_str().is_empty() {
            "no version".into()
        } else {
            format!("version {}", package.version)
        };
        let kind = match package.kind {
            wibbet_core::package::PackageKind::System => format!("system app on {}", package.partition()),
            wibbet_core::package::PackageKind::UpdatedSystem => "system app, updated since".to_owned(),
            wibbet_core::package::PackageKind::User => "installed by somebody".to_owned(),
        };
        say(&format!("{kind} · {version}"), theme.dim);
        if let Some(sight) = &sight {
            let fact = |column: Column| column.words(sight).filter(|w| !w.is_empty());
            let mut facts = Vec::new();
            facts.extend(fact(Column::Size).map(|w| format!("{w} on disk")));
            facts.extend(fact(Column::Memory).map(|w| format!("{w} of memory")));
            facts.extend(fact(Column::Idle).map(|w| match w.as_str() {
                "never" => "never used".to_owned(),
                "today" | "yesterday" => format!("last used {w}"),
                _ => format!("last used {w} ago"),
            }));
            if !facts.is_empty() {
                say(&facts.join(" · "), theme.plain);
            }
            if sight.app.is_some_and(|a| a.label.is_some() && a.home.is_empty()) {
                say("It has no icon on the home screen.", theme.dim);
            }
            let may: Vec<&str> = {
                let has = package.about.requests.iter().filter(|p| package.about.may(p, device.user()));
                has.filter_map(|p| wibbet_core::android::permission_words(p)).collect()
            };
            if !may.is_empty() {
                say(&format!("It may {}.", may.join("; ")), theme.dim);
            }
            for note in sight.notes {
                let star = if note.star { "★ " } else { "" };
                say(&format!("{star}{} ({})", note.text, note.scope.word()), theme.accent);
            }
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
            &[TrayItem { id: package.id.clone(), user: device.user(), way: Change::Uninstall }],
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
        Rect {
            x: area.x + 1,
            y: area.y + 1,
            width: area.width.saturating_sub(1),
            height: area.height.saturating_sub(1),
        }
    };
    frame.render_widget(Paragraph::new(lines), inside);
}

fn tray_plan(device: &DeviceModel, inventory: &Inventory, items: &[TrayItem]) -> Plan {
    plan_take_out(inventory, &device.capabilities, items, true)
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
    let count = |disable: bool| device.tray.iter().filter(|i| (i.way == Change::Disable) == disable).count();
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
                Span::styled(fit(&named(device, &item.id, room.clamp(12, 60)), room.clamp(12, 60)), theme.plain),
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
