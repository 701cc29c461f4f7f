//! A figure before and after, as two bars.

use ratatui::text::{Line, Span};

use super::theme::Theme;
use super::{fit, truncate};

/// A bar of so much of `most`, in `cells`, to half a cell; what is not nothing has half a one at least. Thin, so that bars below each other stay
/// apart.
pub(crate) fn bar(value: u64, most: u64, cells: usize) -> String {
    let whole = (cells * 2) as u128;
    let halves = u128::from(value).min(u128::from(most)) * whole / u128::from(most.max(1));
    let halves = if value > 0 { halves.max(1) } else { 0 };
    let rest = if halves % 2 == 1 { "╸" } else { "" };
    format!("{}{rest}", "━".repeat((halves / 2) as usize))
}

/// Room for a figure behind its bar.
const FIGURE: usize = 8;

/// Two lines: what it is and how it was before, and how it is after; one without a bar where that reads the same. The longer bar takes all the
/// room.
pub(crate) fn before_after<'a>(
    name: &str,
    (before, after): (u64, u64),
    (was, is): (&str, &str),
    theme: &Theme,
    cells: usize,
) -> Vec<Line<'a>> {
    let most = before.max(after);
    let left = (cells / 3).clamp(8, 26);
    let room = cells.saturating_sub(left + FIGURE + 8);
    let line = |name: &str, word: &str, drawn: String, words: &str, style| {
        Line::from(vec![
            Span::styled(fit(&truncate(name, left), left), theme.plain),
            Span::styled(format!("{} ", fit(word, 6)), theme.dim),
            Span::styled(drawn, style),
            Span::styled(format!(" {words}"), theme.plain),
        ])
    };
    if was == is {
        return vec![line(name, "same", String::new(), is, theme.dim)];
    }
    vec![
        line(name, "before", bar(before, most, room), was, theme.dim),
        line("", "after", bar(after, most, room), is, theme.accent),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tui::widgets::{ColorDepth, width};

    #[test]
    fn bars_are_as_long_as_what_they_stand_for() {
        assert_eq!(bar(0, 10, 10), "");
        assert_eq!(bar(10, 10, 10), "━".repeat(10));
        assert_eq!(bar(1, 1_000_000, 10), "╸", "something is never nothing");
        assert_eq!(bar(u64::MAX, u64::MAX, 4), "━━━━");
        assert_eq!(bar(99, 100, 10), format!("{}╸", "━".repeat(9)));
        assert_eq!(bar(5, 0, 3), "╸", "no most is no division by nothing");
        let lines = before_after("packages in use", (227, 222), ("227", "222"), &Theme::new(ColorDepth::None), 60);
        let [before, after] = [&lines[0], &lines[1]].map(ToString::to_string);
        assert!(before.contains("before") && before.ends_with(" 227") && width(&before) <= 60, "{before}");
        let full = |line: &str| line.matches('━').count();
        assert!(after.ends_with(" 222") && full(&after) < full(&before), "{after}");
        let same = before_after("free", (10, 11), ("60 GB", "60 GB"), &Theme::new(ColorDepth::None), 60);
        assert_eq!(same.len(), 1);
    }
}
