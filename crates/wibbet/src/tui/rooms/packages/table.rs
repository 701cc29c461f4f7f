//! The table of packages.

use std::cell::RefCell;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use wibbet_core::catalog::{Attribute, CatalogEntry, Column, DisplayName};
use wibbet_core::package::Package;
use wibbet_core::plan::Change;
use wibbet_core::search::Matcher;
use wibbet_types::{PackageId, UserId};

use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, View};
use crate::tui::rooms::parts::becoming;
use crate::tui::widgets::{Theme, draw_list, fit, glyph, truncate, width};

/// In front of each line: the cursor, and what is special about it.
const GUTTER: usize = 2;

/// A column with its room on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Slot {
    pub(super) column: Column,
    /// For a column of states: whose.
    pub(super) user: Option<UserId>,
    pub(super) cells: usize,
}

/// The columns that have room: as many as fit, in the chosen order. Label and id share what is left.
pub(super) fn slots(columns: &[Column], users: &[UserId], at_work: UserId, cells: usize) -> Vec<Slot> {
    let narrow = cells < 66;
    // With words where there is room; else the user at work has them, and the others a shape.
    let state = |user: UserId| match cells {
        0..66 => 4,
        66..100 if user != at_work => 4,
        _ => 14,
    };
    let least = |column: Column| match (column == Attribute::LABEL, column == Attribute::ID) {
        (true, _) => {
            if narrow {
                16
            } else {
                20
            }
        }
        (_, true) => match cells {
            _ if narrow => 12,
            0..100 => 22,
            _ => 24,
        },
        _ => usize::from(column.cells),
    };
    let mut slots: Vec<Slot> = Vec::new();
    let mut left = cells.saturating_sub(GUTTER);
    // On a phone's screen what is known of a package is worth more than its id, which stands in its details.
    let by_label = cells < 60 && columns.contains(&Attribute::LABEL);
    for column in columns.iter().filter(|column| !by_label || **column != Attribute::ID) {
        if *column != Attribute::STATES {
            let wanted = least(*column) + 1;
            if wanted <= left || slots.is_empty() {
                slots.push(Slot { column, user: None, cells: wanted.min(left).saturating_sub(1) });
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
            slots.push(Slot { column, user: Some(user), cells: wanted - 1 });
            left -= wanted;
        }
    }
    let growing: Vec<usize> = (0..slots.len())
        .filter(|n| [Attribute::LABEL, Attribute::ID, Attribute::NOTE].contains(&slots[*n].column))
        .collect();
    // The label grows first: most are short, and the rest is the id's.
    let share = |column| if column == Attribute::LABEL { 2 } else { 1 };
    let shares: usize = growing.iter().map(|n| share(slots[*n].column)).sum();
    for n in &growing {
        let limit = if slots[*n].column == Attribute::LABEL && growing.len() > 1 { 34 } else { usize::MAX };
        let extra = (left * share(slots[*n].column) / shares.max(1)).min(limit.saturating_sub(slots[*n].cells));
        slots[*n].cells += extra;
    }
    let used: usize = slots.iter().map(|s| s.cells + 1).sum();
    if let Some(last) = growing.last() {
        slots[*last].cells += cells.saturating_sub(GUTTER + used);
    }
    slots
}

pub(super) fn draw(app: &App, device: &DeviceModel, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(catalog) = &device.catalog else { return };
    let cells = usize::from(area.width);
    let users: Vec<UserId> = catalog.inventory.users.iter().map(|u| u.id).collect();
    let slots = slots(&app.columns, &users, device.user(), cells);
    frame.render_widget(head(device, &slots, users.len(), theme), Rect { height: 1.min(area.height), ..area });
    let list = Rect { y: area.y + 1.min(area.height), height: area.height.saturating_sub(1), ..area };
    if device.found.is_empty() {
        let words = format!("  Nothing is found. {} clears the search.", app.called(View::Packages, Action::Back));
        frame.render_widget(Line::styled(words, theme.dim), Rect { height: 1.min(list.height), ..list });
        return;
    }
    let matcher = RefCell::new(Matcher::default());
    let row = |id: &PackageId, n: usize| {
        let Some(entry) = catalog.entry(id, device.user()) else { return Line::default() };
        let in_front = device.front.as_ref().is_some_and(|(front, _)| front == id);
        let sign = match (in_front, entry.star()) {
            (true, _) => "◉",
            (false, true) => "★",
            _ => " ",
        };
        let bar = if n == device.at { "▌" } else { " " };
        let mut spans = vec![Span::styled(bar, theme.accent), Span::styled(sign, theme.accent)];
        for slot in &slots {
            cell(device, slot, &entry, in_front, theme, &mut matcher.borrow_mut(), &mut spans);
        }
        Line::from(spans)
    };
    draw_list(&device.found, device.at, row, theme, frame, list);
}

fn head<'a>(device: &DeviceModel, slots: &[Slot], users: usize, theme: &Theme) -> Line<'a> {
    let mut spans = vec![Span::raw("  ")];
    for slot in slots {
        let sorted = device.sort.0 == Some(slot.column) && slot.user.is_none_or(|u| u == device.user());
        let mut title = match slot.user {
            Some(user) if slot.cells < 10 => format!("u{user}"),
            Some(user) => device.user_words(user),
            None => slot.column.title.to_owned(),
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
    let fitted = truncate(text, slot.cells);
    let fill = " ".repeat(slot.cells.saturating_sub(width(&fitted)));
    if slot.column.right { format!("{fill}{fitted}") } else { format!("{fitted}{fill}") }
}

fn cell<'a>(
    device: &DeviceModel,
    slot: &Slot,
    entry: &CatalogEntry<'_>,
    in_front: bool,
    theme: &Theme,
    matcher: &mut Matcher,
    spans: &mut Vec<Span<'a>>,
) {
    match slot.user {
        Some(user) => {
            let chosen = device.chosen(&entry.package.id, user);
            let (text, style) = state_cell(entry.package, user, chosen, slot.cells, theme);
            spans.push(Span::styled(format!("{} ", fit(&text, slot.cells)), style));
        }
        None if slot.column == Attribute::LABEL => {
            let DisplayName { text: name, guessed } = entry.name();
            let style = match (guessed, in_front) {
                (true, _) => theme.dim.add_modifier(Modifier::ITALIC),
                (false, true) => theme.accent,
                (false, false) => theme.plain,
            };
            let text = if guessed { format!("~ {name}") } else { name.into_owned() };
            let text = truncate(&text, slot.cells);
            let fill = " ".repeat(slot.cells.saturating_sub(width(&text)) + 1);
            let letters = if guessed { Vec::new() } else { device.query.letters(&text, matcher) };
            marked(&text, &letters, style, theme, spans);
            spans.push(Span::raw(fill));
        }
        None if slot.column == Attribute::ID => {
            let (text, fill) = id_text(entry.package.id.as_str(), slot.cells);
            let letters = device.query.letters(&text, matcher);
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
        None => {
            // What was not told looks other than nothing.
            let (text, style) = match slot.column.words(entry) {
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
    let condition = package.condition(user);
    let Some(way) = chosen else {
        let text = match cells {
            0..10 => glyph(condition).to_owned(),
            _ => format!("{} {}", glyph(condition), condition.word()),
        };
        return (text, theme.condition(condition));
    };
    let (becomes, word) = becoming(way);
    let text = match cells {
        0..10 => {
            format!(
                "{}→{}{}",
                glyph(condition),
                glyph(becomes),
                if way == Change::UninstallKeepData { "+" } else { "" }
            )
        }
        _ => format!("{}→{} {word}", glyph(condition), glyph(becomes)),
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
        fn columns_fit(chosen in proptest::sample::subsequence(Attribute::columns().collect::<Vec<_>>(), 1..22), users in 1u32..5, at in 0u32..5, cells in 0usize..200) {
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
            let grows = slots.iter().any(|s| [Attribute::ID, Attribute::NOTE].contains(&s.column));
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
        let theme = Theme::new(crate::tui::widgets::ColorDepth::None);
        let mut spans = Vec::new();
        marked("Nebelhorn", &[0, 2, 3], theme.plain, &theme, &mut spans);
        let parts: Vec<(&str, bool)> =
            spans.iter().map(|s| (&*s.content, s.style.add_modifier.contains(Modifier::UNDERLINED))).collect();
        assert_eq!(parts, [("N", true), ("e", false), ("be", true), ("lhorn", false)]);
    }
}
