//! Fitting text into cells.

use ratatui::style::Style;
use ratatui::text::{Line, Span};
use unicode_width::{UnicodeWidthChar as _, UnicodeWidthStr as _};

/// The cells that a text takes.
pub(crate) fn width(text: &str) -> usize {
    text.width()
}

/// `text` in exactly `cells` cells: cut with an ellipsis, or filled with blanks.
pub(crate) fn fit(text: &str, cells: usize) -> String {
    let mut out = truncate(text, cells);
    out.extend(std::iter::repeat_n(' ', cells.saturating_sub(width(&out))));
    out
}

/// `text` in at most `cells` cells, cut with an ellipsis.
pub(crate) fn truncate(text: &str, cells: usize) -> String {
    if width(text) <= cells {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 0;
    for c in text.chars() {
        let w = c.width().unwrap_or(0);
        if used + w + 1 > cells {
            break;
        }
        used += w;
        out.push(c);
    }
    if cells > 0 {
        out.push('…');
    }
    out
}

/// A name as a part of the name of a file: letters, digits and dashes.
pub(crate) fn plain_name(name: &str) -> String {
    let plain: String = name.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).take(60).collect();
    plain.to_lowercase()
}

/// `text` as the beginning of a sentence.
pub(crate) fn capitalize(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |c| c.to_uppercase().chain(chars).collect())
}

/// A sentence on one line, cut where it does not fit; as narrow as a phone's screen on as many as it takes.
pub(crate) fn told<'a>(text: &str, cells: usize, style: Style) -> Vec<Line<'a>> {
    let text = text.trim_start();
    if cells < 60 {
        let lines = wrap(text, cells.saturating_sub(1)).into_iter();
        return lines.map(|line| Line::styled(format!(" {line}"), style)).collect();
    }
    vec![Line::styled(truncate(&format!(" {text}"), cells), style)]
}

/// `text` on as many lines of at most `cells` cells as it takes.
pub(crate) fn wrapped<'a>(text: &str, cells: usize, style: Style) -> Vec<Line<'a>> {
    wrap(text, cells).into_iter().map(|line| Line::styled(line, style)).collect()
}

/// Something short in cells of its own, and what it means beside it, on as many lines as that takes; as narrow as a phone's screen
/// below it.
pub(crate) fn explained<'a>(what: &str, what_cells: usize, words: &str, cells: usize, style: Style) -> Vec<Line<'a>> {
    if cells < 60 && what_cells > 8 {
        let head = wrap(what, cells.saturating_sub(2)).into_iter().map(|line| Line::styled(format!("  {line}"), style));
        let below = wrap(words, cells.saturating_sub(4)).into_iter().map(|line| Line::raw(format!("    {line}")));
        return head.chain(below).collect();
    }
    let lines = wrap(words, cells.saturating_sub(what_cells + 3)).into_iter().enumerate();
    let head = |n: usize| fit(if n == 0 { what } else { "" }, what_cells);
    lines.map(|(n, line)| Line::from(vec![Span::styled(format!("  {} ", head(n)), style), Span::raw(line)])).collect()
}

/// `text` in lines of at most `cells` cells, broken at blanks where there are any.
pub(crate) fn wrap(text: &str, cells: usize) -> Vec<String> {
    let cells = cells.max(8);
    let mut lines: Vec<String> = Vec::new();
    let mut line = String::new();
    for word in text.split(' ') {
        let mut word = word;
        if !line.is_empty() && width(&line) + 1 + width(word) > cells {
            lines.push(std::mem::take(&mut line));
        }
        if !line.is_empty() {
            line.push(' ');
        }
        // A word longer than a line is broken where the line ends.
        while width(&line) + width(word) > cells {
            let mut room = cells - width(&line);
            let end = word.char_indices().find(|(_, c)| {
                let w = c.width().unwrap_or(0);
                let full = w > room;
                room = room.saturating_sub(w);
                full
            });
            let end = end.map_or(word.len(), |(at, _)| at).max(word.chars().next().map_or(0, char::len_utf8));
            line.push_str(&word[..end]);
            word = &word[end..];
            lines.push(std::mem::take(&mut line));
            if word.is_empty() {
                break;
            }
        }
        line.push_str(word);
    }
    if !line.is_empty() || lines.is_empty() {
        lines.push(line);
    }
    lines
}

/// Two ends of a line, the right one at the right margin; the left one is cut where they meet.
pub(crate) fn justify<'a>(left: Vec<Span<'a>>, right: Vec<Span<'a>>, cells: usize) -> Line<'a> {
    let right_width: usize = right.iter().map(Span::width).sum();
    let room = cells.saturating_sub(right_width);
    let mut used = 0;
    let mut spans: Vec<Span<'a>> = Vec::new();
    for span in left {
        let w = span.width();
        if used + w <= room {
            used += w;
            spans.push(span);
        } else {
            let text = truncate(&span.content, room - used);
            used += width(&text);
            spans.push(Span::styled(text, span.style));
            break;
        }
    }
    spans.push(Span::raw(" ".repeat(room.saturating_sub(used))));
    spans.extend(right);
    Line::from(spans)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_counted_and_not_characters() {
        assert_eq!(fit("abc", 5), "abc  ");
        assert_eq!(fit("abcdef", 4), "abc…");
        assert_eq!(fit("カレンダー", 5), "カレ…");
        assert_eq!(fit("カレンダー", 6), "カレ… ");
        assert_eq!(fit("e\u{301}e\u{301}", 3), "e\u{301}e\u{301} ");
        assert_eq!(fit("x", 0), "");
    }

    #[test]
    fn what_is_explained_is_not_cut_on_a_phone() {
        let lines = explained("a name of some length", 16, "what it means, in words", 16, Style::new());
        let told: Vec<String> = lines.iter().map(ToString::to_string).collect();
        assert_eq!(told, ["  a name of some", "  length", "    what it", "    means, in", "    words"]);
    }

    #[test]
    fn lines_are_broken_at_blanks() {
        assert_eq!(wrap("one two three four", 9), ["one two", "three", "four"]);
        assert_eq!(wrap("", 9), [""]);
        assert_eq!(wrap("abcdefghijkl mn", 8), ["abcdefgh", "ijkl mn"]);
        for cells in 8..40 {
            for text in ["カレンダーのアプリ is a calendar-of-some-length", "a b c d e f g h i j"] {
                assert!(wrap(text, cells).iter().all(|line| width(line) <= cells), "{cells}");
            }
        }
    }
}
