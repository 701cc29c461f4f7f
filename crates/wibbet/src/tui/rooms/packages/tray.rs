//! The tray below the table.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::package::{Condition, Inventory};
use wibbet_core::plan::{Change, Plan, Reversal, SkipReason, StartOutlook, TrayItem, plan_take_out};
use wibbet_types::{PackageId, UserId};

use crate::tui::app::DeviceModel;
use crate::tui::keys::{Action, View, called, hint};
use crate::tui::rooms::parts::{becoming, data_words, named};
use crate::tui::widgets::{Theme, capitalize, fit, glyph, told, width};

/// The plan for some items, with all that has no way back.
pub(super) fn tray_plan(device: &DeviceModel, inventory: &Inventory, items: &[TrayItem]) -> Plan {
    plan_take_out(inventory, &device.capabilities, items, true)
}

/// Why a package cannot be taken out for a user in any way; `None` where there is one, or where only the plan can tell.
pub(super) fn never(device: &DeviceModel, inventory: &Inventory, id: &PackageId, user: UserId) -> Option<SkipReason> {
    let item = TrayItem { id: id.clone(), user, way: Change::Uninstall };
    let skip = tray_plan(device, inventory, &[item]).steps.first()?.skip?;
    matches!(skip, SkipReason::Essential(_) | SkipReason::Library | SkipReason::NoDebugging).then_some(skip)
}

/// Whether a way is to be had for a package on this device, as far as that can be told before.
pub(super) fn can(device: &DeviceModel, id: &PackageId, user: UserId, way: Change) -> bool {
    let Some(inventory) = &device.inventory else { return true };
    let item = TrayItem { id: id.clone(), user, way };
    let skip = tray_plan(device, inventory, &[item]).steps.first().and_then(|step| step.skip);
    !matches!(
        skip,
        Some(SkipReason::MayNotSuspend | SkipReason::MayNotDisable | SkipReason::NotPerUser | SkipReason::AlreadySo)
    )
}

/// How a line of what the tray does is to be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Weight {
    Aside,
    Strong,
    Alert,
}

/// What the tray does to the user at work: one line when all is well, more when not.
fn upshot_words(device: &DeviceModel, by_word: bool) -> Vec<(String, Weight)> {
    if device.tray.is_empty() {
        return Vec::new();
    }
    let Some(upshot) = device.upshot(device.user()) else {
        let words = match (device.evidence.is_some(), &device.reading) {
            (true, _) => return Vec::new(),
            (false, Some(_)) => "What it does to the device is worked out when all has been read.",
            (false, None) => "What it does to the device has not been worked out.",
        };
        return vec![(words.to_owned(), Weight::Aside)];
    };
    let mut lines = Vec::new();
    match upshot.start {
        StartOutlook::Expected | StartOutlook::NotKnown => {}
        StartOutlook::Unusable => lines.push(("It would start and could not be used.".to_owned(), Weight::Alert)),
        StartOutlook::NotExpected => {
            lines.push(("The device is not expected to start afterwards.".to_owned(), Weight::Alert));
        }
    }
    let missed = upshot.missed(|id| format!("“{}”", device.name_of(id)));
    lines.extend(missed.iter().map(|line| (capitalize(line), Weight::Strong)));
    if let Some(instead) = upshot.instead.first() {
        let words = capitalize(&instead.words_with(|id| format!("“{}”", device.name_of(id))));
        let more = match upshot.instead.len() {
            1 => String::new(),
            n => format!(", or {} more", n - 1),
        };
        let key = called(View::Packages, Action::OtherWays, by_word);
        lines.push((format!("{words} ({key}{more})"), Weight::Aside));
    }
    if lines.is_empty() {
        let freed = upshot.memory_bytes.filter(|bytes| *bytes > 0);
        let freed = freed.map(|bytes| format!(" {} of memory are freed.", wibbet_types::bytes_words(bytes)));
        lines.push((format!("Nothing was found that would be missed.{}", freed.unwrap_or_default()), Weight::Aside));
    }
    lines
}

/// How many are chosen in a way.
fn count_of(device: &DeviceModel, way: Change) -> usize {
    device.tray.iter().filter(|item| item.way == way).count()
}

/// What the tray does, in lines.
pub(super) fn upshot_lines<'a>(device: &DeviceModel, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let styled = |(words, weight): (String, Weight)| {
        let style = match weight {
            Weight::Aside => theme.dim,
            Weight::Strong => theme.strong,
            Weight::Alert => theme.alert,
        };
        told(&words, cells, style)
    };
    upshot_words(device, theme.taps.large()).into_iter().flat_map(styled).collect()
}

pub(super) fn draw(device: &DeviceModel, inventory: &Inventory, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let cells = usize::from(area.width);
    if !device.has_something_to_do() {
        let rule = "─".repeat(cells.saturating_sub(8));
        let lines = vec![Line::from(vec![
            Span::styled("─ ", theme.dim),
            Span::styled("Tray ", theme.accent),
            Span::styled(rule, theme.dim),
        ])];
        let large = theme.taps.large();
        let mark = if large { "A tap at the beginning of a line" } else { &hint(View::Packages, Action::Mark) };
        let words = format!(
            "Empty. {mark} marks a package: uninstall, where it is needed disable; {} changes that.",
            called(View::Packages, Action::NextWay, large)
        );
        let mut lines: Vec<Line<'_>> = lines;
        lines.extend(told(&words, cells, theme.dim));
        let skip = lines.len().saturating_sub(usize::from(area.height));
        frame.render_widget(Paragraph::new(lines.into_iter().skip(skip).collect::<Vec<_>>()), area);
        return;
    }
    let plan = tray_plan(device, inventory, &device.tray);
    let count = |is: fn(Change) -> bool| device.tray.iter().filter(|i| is(i.way)).count();
    let mut parts = Vec::new();
    let ways = [
        (count(Change::uninstalls), "uninstall"),
        (count(|way| way == Change::Disable), "disable"),
        (count(|way| way == Change::Suspend), "suspend"),
    ];
    let acts = Change::ACTS.map(|act| (count_of(device, act), act.label()));
    let by_root = Change::BY_ROOT.map(|way| (count_of(device, way), way.label()));
    for (n, word) in ways.into_iter().chain(acts).chain(by_root) {
        if n > 0 {
            parts.push(format!("{word} {n}"));
        }
    }
    if !device.newcomers.is_empty() {
        parts.insert(0, format!("install {}", device.newcomers.len()));
    }
    let stuck = plan.steps.iter().filter(|s| matches!(s.back, Reversal::Impossible(_))).count();
    let title = format!("{} chosen: {} ", device.tray.len() + device.newcomers.len(), parts.join(", "));
    let rule = "─".repeat(cells.saturating_sub(7 + width(&title)));
    let mut lines = vec![Line::from(vec![
        Span::styled("─ ", theme.dim),
        Span::styled("Tray ", theme.accent),
        Span::styled(title, theme.strong),
        Span::styled(rule, theme.dim),
    ])];
    let room = usize::from(area.height).saturating_sub(1);
    // Whether it can be put back.
    let starts = device.upshot(device.user()).is_none_or(|upshot| upshot.start < StartOutlook::NotExpected);
    let words = match (stuck, data_words(device, &plan, false)) {
        (0, _) if !starts => " Whether it can be put back when the device does not start is not sure.".to_owned(),
        (0, None) => " All of it can be put back as it was.".to_owned(),
        (0, Some(data)) => format!(" All of it can be put back, but {data}."),
        (1, _) => " 1 of them cannot be put back from here; the plan says why.".to_owned(),
        (n, _) => format!(" {n} of them cannot be put back from here; the plan says why."),
    };
    let last = told(&words, cells, if stuck > 0 || !starts { theme.alert } else { theme.dim });
    let upshot = if room > 2 { last.len().min(room - 2) } else { 0 };
    // What it does, as far as there is room beside one item.
    let said = upshot_lines(device, theme, cells).into_iter().take(room.saturating_sub(upshot + 1));
    let said: Vec<Line<'_>> = said.collect();
    // On a phone's screen by number alone, as over the columns of the table.
    let whom = |user: UserId| if cells < 60 { format!("u{user}") } else { device.user_words(user) };
    let newcomers = device.newcomers.iter().map(|(user, taken)| {
        let words = if cells < 70 { fit("install", 10) } else { fit("install first", 21) };
        let name = format!("{} {}", taken.copy.id, taken.copy.version);
        let room = if cells < 70 { cells.saturating_sub(26) } else { cells - 48 };
        Line::from(vec![
            Span::styled(format!(" +→{} {words}", glyph(Condition::InUse)), theme.accent),
            Span::styled(fit(&name, room.clamp(12, 60)), theme.plain),
            Span::styled(format!(" {}", whom(*user)), theme.dim),
        ])
    });
    let mut items: Vec<Line<'_>> = newcomers
        .chain(device.tray.iter().map(|item| {
            let condition = inventory.condition(&item.id, item.user);
            let (becomes, short) = becoming(item.way);
            let (words, room) = if cells < 70 {
                (fit(short, 10), cells.saturating_sub(26))
            } else {
                (fit(item.way.label(), 21), cells - 48)
            };
            Line::from(vec![
                Span::styled(format!(" {}→{} {words}", glyph(condition), glyph(becomes)), theme.accent),
                Span::styled(fit(&named(device, &item.id, room.clamp(12, 60)), room.clamp(12, 60)), theme.plain),
                Span::styled(format!(" {}", whom(item.user)), theme.dim),
            ])
        }))
        .collect();
    let shown = room.saturating_sub(upshot + said.len());
    if items.len() > shown && shown > 0 {
        let more = items.len() - shown + 1;
        // The latest ones are those that somebody is thinking of.
        items.drain(..more);
        items.insert(0, Line::styled(format!(" … and {more} more"), theme.dim));
    }
    items.truncate(shown);
    lines.extend(items);
    lines.extend(said);
    lines.extend(last.into_iter().take(upshot));
    frame.render_widget(Paragraph::new(lines), area);
}
