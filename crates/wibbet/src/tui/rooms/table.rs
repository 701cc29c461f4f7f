//! The table of packages and its search line.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Clear, Paragraph};
use wibbet_core::catalog::{CatalogEntry, Column};
use wibbet_core::package::{Inventory, Package};
use wibbet_core::plan::Change;
use wibbet_core::search::Finder;
use wibbet_types::UserId;

use super::parts::{becoming, under_cursor};
use crate::tui::app::{DeviceModel, Model};
use crate::tui::widgets::{Theme, cut, ends, first_shown, fit, shape, turning, width};

/// In front of each line: the cursor, and what is special about it.
const GUTTER: usize = 2;

/// A column with its room on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Slot {
    pub(crate) column: Column,
    /// For a column of states: whose.
    pub(super) user: Option<UserId>,
    pub(super) cells: usize,
}

/// The columns that have room: as many as fit, in the chosen order. Label and id share what is left.
pub(crate) fn slots(columns: &[Column], users: &[UserId], at_work: UserId, cells: usize) -> Vec<Slot> {
    let narrow = cells < 66;
    // With words where there is room; else the user at work has them, and the others a shape.
    let state = |user: UserId| match cells {
        0..66 => 4,
        66..100 if user != at_work => 4,
        _ => 14,
    };
    let least = |column: Column| match column {
        Column::Label if narrow => 16,
        Column::Label => 20,
        Column::Id if narrow => 12,
        Column::Id if cells < 100 => 22,
        Column::Id => 24,
        other => usize::from(other.cells()),
    };
    let mut slots: Vec<Slot> = Vec::new();
    let mut left = cells.saturating_sub(GUTTER);
    for column in columns {
        if *column != Column::States {
            let wanted = least(*column) + 1;
            if wanted <= left || slots.is_empty() {
                slots.push(Slot { column: *column, user: None, cells: wanted.min(left).saturating_sub(1) });
                left = left.saturating_sub(wanted);
            }
            continue;
        }
        // The user at work first, if not all have room; the others in their order.
        let mut shown: Vec<UserId> = users.to_vec();
        if shown.iter().map(|u| state(*u) + 1).sum::<usize>() > left {
            shown.sort_by_key(|u| *u != at_work);
        }
        for user in shown {
            let wanted = state(user) + 1;
            if wanted > left {
                break;
            }
            slots.push(Slot { column: *column, user: Some(user), cells: wanted - 1 });
            left -= wanted;
        }
    }
    let growing: Vec<usize> =
        (0..slots.len()).filter(|n| matches!(slots[*n].column, Column::Label | Column::Id | Column::Note)).collect();
    // The label grows first: most are short, and the rest is the id's.
    let share = |column| if column == Column::Label { 2 } else { 1 };
    let shares: usize = growing.iter().map(|n| share(slots[*n].column)).sum();
    for n in &growing {
        let limit = if slots[*n].column == Column::Label && growing.len() > 1 { 34 } else { usize::MAX };
        let extra = (left * share(slots[*n].column) / shares.max(1)).min(limit.saturating_sub(slots[*n].cells));
        slots[*n].cells += extra;
    }
    let used: usize = slots.iter().map(|s| s.cells + 1).sum();
    if let Some(last) = growing.last() {
        slots[*last].cells += cells.saturating_sub(GUTTER + used);
    }
    slots
}

pub(crate) fn draw_search(
    model: &Model,
    device: &DeviceModel,
    inventory: &Inventory,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let value = device.search.value();
    let cells = usize::from(area.width);
    let found = match (value.is_empty(), device.found.len()) {
        (true, all) => format!(" {all} packages "),
        (false, found) => format!(" {found} of {} found ", inventory.packages.len()),
    };
    let mut right = Vec::new();
    let trouble = device.query.trouble.as_ref();
    if let Some(trouble) = trouble {
        right.push(Span::styled(format!(" {} ", cut(&trouble.words, cells / 2)), theme.alert));
    } else if let Some((id, _)) = &device.front {
        right.push(Span::styled(format!(" ◉ {} ", cut(&device.name_of(id), 28)), theme.accent));
    } else if let Some(what) = &device.reading {
        right.push(Span::styled(format!(" {what} {} ", turning(model.tick)), theme.dim));
    }
    right.push(Span::styled(found, theme.dim));
    let mut left = vec![Span::styled(" / ", theme.accent)];
    match trouble {
        _ if value.is_empty() && !device.searching => {
            left.push(Span::styled("words of label, id or notes, :facts, :size>50M …", theme.dim));
        }
        // The spot of the trouble is marked where it is.
        Some(spot) if spot.at.end <= value.len() => {
            left.push(Span::styled(value[..spot.at.start].to_owned(), theme.plain));
            let wrong = if spot.at.is_empty() { "?" } else { &value[spot.at.clone()] };
            left.push(Span::styled(wrong.to_owned(), theme.alert.add_modifier(Modifier::UNDERLINED)));
            left.push(Span::styled(value[spot.at.end..].to_owned(), theme.plain));
        }
        _ => left.push(Span::styled(value.to_owned(), if device.searching { theme.strong } else { theme.plain })),
    }
    frame.render_widget(Paragraph::new(ends(left, right, cells)), area);
    if device.searching {
        let x = area.x + 3 + u16::try_from(device.search.visual_cursor()).unwrap_or(0);
        frame.set_cursor_position((x.min(area.right().saturating_sub(1)), area.y));
    }
}

/// What the word that is being typed can become, over the beginning of the table.
pub(crate) fn draw_completions(device: &DeviceModel, theme: &Theme, frame: &mut Frame<'_>, table: Rect) {
    let offers = crate::tui::offers::completions(device);
    let lines = offers.len().min(10).min(usize::from(table.height));
    if lines == 0 {
        return;
    }
    let area = Rect { x: table.x + 2, width: 64.min(table.width.saturating_sub(2)), height: lines as u16, ..table };
    let cells = usize::from(area.width);
    let at = device.completing.min(offers.len() - 1);
    let shown = offers.iter().enumerate().skip(first_shown(at, offers.len(), lines)).take(lines).map(|(n, offer)| {
        let line = Line::from(vec![
            Span::styled(format!(" {}", fit(offer.text.trim_end(), 15)), theme.accent),
            Span::styled(fit(offer.doc, cells.saturating_sub(16)), theme.plain),
        ]);
        if n == at { under_cursor(line, theme, cells) } else { line }
    });
    frame.render_widget(Clear, area);
    frame.render_widget(Paragraph::new(shown.collect::<Vec<_>>()), area);
}

pub(crate) fn draw_table(model: &Model, device: &DeviceModel, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(sheet) = &device.sheet else { return };
    let cells = usize::from(area.width);
    let users: Vec<UserId> = sheet.inventory.users.iter().map(|u| u.id).collect();
    let slots = slots(&model.columns, &users, device.user(), cells);
    let mut lines = vec![head(device, &slots, users.len(), theme)];
    let room = usize::from(area.height).saturating_sub(1);
    let first = first_shown(device.at, device.found.len(), room);
    let mut finder = Finder::default();
    for (n, id) in device.found.iter().enumerate().skip(first).take(room) {
        let Some(sight) = sheet.sight(id, device.user()) else { continue };
        let here = n == device.at;
        let in_front = device.front.as_ref().is_some_and(|(front, _)| front == id);
        let sign = match (in_front, sight.star()) {
            (true, _) => "◉",
            (false, true) => "★",
            _ => " ",
        };
        let mut spans =
            vec![Span::styled(if here { "▌" } else { " " }, theme.accent), Span::styled(sign, theme.accent)];
        for slot in &slots {
            cell(device, slot, &sight, in_front, theme, &mut finder, &mut spans);
        }
        let line = Line::from(spans);
        lines.push(if here { under_cursor(line, theme, cells) } else { line });
    }
    if device.found.is_empty() {
        lines.push(Line::styled("  Nothing is found. Esc clears the search.", theme.dim));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

fn head<'a>(device: &DeviceModel, slots: &[Slot], users: usize, theme: &Theme) -> Line<'a> {
    let mut spans = vec![Span::raw("  ")];
    for slot in slots {
        let sorted = device.sort.0 == Some(slot.column) && slot.user.is_none_or(|u| u == device.user());
        let mut title = match slot.user {
            Some(user) if slot.cells < 10 => format!("u{user}"),
            Some(user) => device.user_words(user),
            None => slot.column.title().to_owned(),
        };
        let at_work = slot.user == Some(device.user());
        if at_work && users > 1 {
            title = format!("▾{title}");
        }
        if sorted {
            title.push_str(if device.sort.1 { " ▲" } else { " ▼" });
        }
        let style = if at_work || sorted { theme.accent } else { theme.dim };
        spans.push(Span::styled(format!("{} ", placed(slot, &title)), style));
    }
    Line::from(spans)
}

/// Numbers stand at the right.
fn placed(slot: &Slot, text: &str) -> String {
    let fitted = cut(text, slot.cells);
    let fill = " ".repeat(slot.cells.saturating_sub(width(&fitted)));
    if slot.column.is_number() || slot.column == Column::Idle {
        format!("{fill}{fitted}")
    } else {
        format!("{fitted}{fill}")
    }
}

fn cell<'a>(
    device: &DeviceModel,
    slot: &Slot,
    sight: &CatalogEntry<'_>,
    in_front: bool,
    theme: &Theme,
    finder: &mut Finder,
    spans: &mut Vec<Span<'a>>,
) {
    match (slot.column, slot.user) {
        (Column::States, Some(user)) => {
            let chosen = device.chosen(&sight.package.id, user);
            let (text, style) = state_cell(sight.package, user, chosen, slot.cells, theme);
            spans.push(Span::styled(format!("{} ", fit(&text, slot.cells)), style));
        }
        (Column::Label, _) => {
            let (name, guessed) = sight.name();
            let style = match (guessed, in_front) {
                (true, _) => theme.dim.add_modifier(Modifier::ITALIC),
                (false, true) => theme.accent,
                (false, false) => theme.plain,
            };
            let text = if guessed { format!("~ {name}") } else { name };
            let text = cut(&text, slot.cells);
            let fill = " ".repeat(slot.cells.saturating_sub(width(&text)) + 1);
            let letters = if guessed { Vec::new() } else { device.query.letters(&text, finder) };
            marked(&text, &letters, style, theme, spans);
            spans.push(Span::raw(fill));
        }
        (Column::Id, _) => {
            let (text, fill) = id_text(sight.package.id.as_str(), slot.cells);
            let letters = device.query.letters(&text, finder);
            // The last part says what it is, the rest who made it.
            let dim = text.rfind('.').map_or(0, |dot| text[..=dot].chars().count());
            let parts: Vec<char> = text.chars().collect();
            let (before, behind): (String, String) = (parts[..dim].iter().collect(), parts[dim..].iter().collect());
            let first: Vec<usize> = letters.iter().copied().filter(|n| *n < dim).collect();
            let second: Vec<usize> = letters.iter().filter(|n| **n >= dim).map(|n| n - dim).collect();
            marked(&before, &first, theme.dim, theme, spans);
            marked(&behind, &second, theme.plain, theme, spans);
            spans.push(Span::raw(fill));
        }
        (column, _) => {
            // What was not told looks other than nothing.
            let (text, style) = match column.words(sight) {
                Some(text) if text == "never" => (text, theme.dim),
                Some(text) => (text, theme.plain),
                None => ("–".to_owned(), theme.dim),
            };
            spans.push(Span::styled(format!("{} ", placed(slot, &text)), style));
        }
    }
}

/// A text in which the letters that were looked for stand out.
fn marked<'a>(text: &str, letters: &[usize], style: Style, theme: &Theme, spans: &mut Vec<Span<'a>>) {
    let strong = theme.accent.add_modifier(Modifier::UNDERLINED);
    let mut run = String::new();
    let mut run_marked = false;
    for (n, c) in text.chars().enumerate() {
        let is_marked = letters.binary_search(&n).is_ok();
        if is_marked != run_marked && !run.is_empty() {
            spans.push(Span::styled(std::mem::take(&mut run), if run_marked { strong } else { style }));
        }
        run_marked = is_marked;
        run.push(c);
    }
    if !run.is_empty() {
        spans.push(Span::styled(run, if run_marked { strong } else { style }));
    }
}

/// An id in its room, and what fills the rest. Of one that is too long the end is kept: it says what the package is.
fn id_text(id: &str, cells: usize) -> (String, String) {
    let shown = if id.len() > cells { format!("…{}", &id[id.len() + 1 - cells.max(1)..]) } else { id.to_owned() };
    let fill = " ".repeat(cells.saturating_sub(width(&shown)) + 1);
    (shown, fill)
}

/// What a package is to a user and, where it is chosen, what it is going to be.
fn state_cell(package: &Package, user: UserId, chosen: Option<Change>, cells: usize, theme: &Theme) -> (String, Style) {
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
            format!(
                "{}→{}{}",
                shape(condition),
                shape(becomes),
                if way == Change::UninstallKeepData { "+" } else { "" }
            )
        }
        _ => format!("{}→{} {word}", shape(condition), shape(becomes)),
    };
    (text, theme.accent)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever is chosen, the columns fill the width and never pass it, in the chosen order.
        #[test]
        fn columns_fit(chosen in proptest::sample::subsequence(Column::ALL.to_vec(), 1..22), users in 1u32..5, at in 0u32..5, cells in 0usize..200) {
            let all: Vec<UserId> = (0..users).map(UserId::new).collect();
            let at_work = UserId::new(at.min(users - 1));
            let slots = slots(&chosen, &all, at_work, cells);
            let used: usize = slots.iter().map(|s| s.cells + 1).sum::<usize>() + GUTTER;
            prop_assert!(used <= cells.max(GUTTER + 1), "{used} of {cells}");
            let mut order: Vec<Column> = slots.iter().map(|s| s.column).collect();
            order.dedup();
            let kept: Vec<Column> = chosen.iter().copied().filter(|c| order.contains(c)).collect();
            prop_assert_eq!(&order, &kept);
            // Of several users the one at work is never the one without room.
            let states: Vec<UserId> = slots.iter().filter_map(|s| s.user).collect();
            prop_assert!(states.is_empty() || states.contains(&at_work));
            let grows = slots.iter().any(|s| matches!(s.column, Column::Id | Column::Note));
            if grows && cells > GUTTER + 1 {
                prop_assert_eq!(used, cells, "what is left is used");
            }
        }
    }

    #[test]
    fn long_ids_keep_their_end() {
        for (id, cells, shown) in [
            ("com.a.b", 10, "com.a.b"),
            ("com.corvane.weather.provider", 12, "…er.provider"),
            ("com.a", 1, "…"),
            ("com.a", 0, "…"),
        ] {
            let (text, fill) = id_text(id, cells);
            assert_eq!(text, shown);
            assert_eq!(fill.len(), cells.saturating_sub(width(&text)) + 1);
        }
    }

    #[test]
    fn letters_that_were_looked_for_stand_out() {
        let theme = Theme::new(crate::tui::widgets::Depth::None);
        let mut spans = Vec::new();
        marked("Nebelhorn", &[0, 2, 3], theme.plain, &theme, &mut spans);
        let parts: Vec<(&str, bool)> =
            spans.iter().map(|s| (&*s.content, s.style.add_modifier.contains(Modifier::UNDERLINED))).collect();
        assert_eq!(parts, [("N", true), ("e", false), ("be", true), ("lhorn", false)]);
    }
}
