//! Help, palette and the window for an address; and which window is drawn how.

use ratatui::Frame;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::package::Condition;

use crate::tui::app::{Model, Window};
use crate::tui::keys::{KEYMAP, key_of};
use crate::tui::offers::{is_enabled, palette};
use crate::tui::rooms::under_cursor;
use crate::tui::widgets::{Theme, cut, first_shown, fit, shape, window, wrap};
use crate::tui::windows::links;

pub(crate) fn draw(model: &Model, popup: &Window, theme: &Theme, frame: &mut Frame<'_>) {
    match popup {
        Window::Help { from } => help(*from, theme, frame),
        Window::Palette { input, at } => actions(model, input, *at, theme, frame),
        Window::Address { input, trouble } => address(input, trouble.as_deref(), theme, frame),
        Window::Guide { from } => links::guide(*from, theme, frame),
        Window::Pair(form) => links::pair(model, form, theme, frame),
        Window::Close(form) => links::close(model, form, theme, frame),
        Window::OwnScreens { at, act, .. } => links::own_screens(model, *at, *act, theme, frame),
        Window::Everything { .. }
        | Window::Columns { .. }
        | Window::Note(_)
        | Window::Ids(_)
        | Window::Open { .. }
        | Window::Searches { .. }
        | Window::Languages { .. }
        | Window::Export { .. } => super::find::draw(model, popup, theme, frame),
        Window::SearchHelp { from } => search_help(*from, theme, frame),
        Window::Quit => {
            let inside = window(frame, theme, " A run is going on ", 64, 5);
            let lines = vec![
                Line::raw("The step on its way is settled at the next start."),
                Line::raw(""),
                Line::from(vec![
                    Span::styled("y", theme.accent),
                    Span::raw(" quit all the same   "),
                    Span::styled("n", theme.accent),
                    Span::raw(" stay"),
                ]),
            ];
            frame.render_widget(Paragraph::new(lines), inside);
        }
    }
}

fn help(from: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let inside = window(
        frame,
        theme,
        " Help · ↑↓ moves, Esc closes ",
        104.min(size.width.saturating_sub(2)),
        size.height.saturating_sub(2),
    );
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = Vec::new();
    let say = |text: &str, lines: &mut Vec<Line<'_>>| lines.extend(wrap(text, cells).into_iter().map(Line::raw));
    say(
        "The line at the top is the order of work: choose a device on the bench, mark packages, look at the plan, send it and watch it being read back. What is off stands on the shelf and can be put back from there.",
        &mut lines,
    );
    lines.push(Line::raw(""));
    lines.push(Line::styled("The ladder of a link", theme.accent));
    lines.push(Line::raw("  ╟──╢ ╪   a rung that holds          ╟┄┄╢ ┼   one that is being tried"));
    lines.push(Line::raw("  ╟╴╶╢ ╳   the one that is missing    ║  ║ ═   nothing is known of it yet"));
    for rung in wibbet_core::link::Rung::ALL.iter().rev() {
        let words = match rung {
            wibbet_core::link::Rung::Reached => "it is on the bus, or answers at its address",
            wibbet_core::link::Rung::Interface => "USB debugging is on, or what answers is a debugging daemon",
            wibbet_core::link::Rung::Free => "this user may open it, and no other program holds it",
            wibbet_core::link::Rung::Authorised => "somebody has allowed this computer on the device, or it is paired",
            wibbet_core::link::Rung::Shell => "it answers commands",
            wibbet_core::link::Rung::Service => "its packages can be read",
            wibbet_core::link::Rung::Changes => "no second switch of the maker forbids changes",
            wibbet_core::link::Rung::Started => "Android says that it has started",
        };
        lines.push(Line::raw(format!("  {}  {words}", fit(rung.words(), 24))));
    }
    lines.push(Line::raw(""));
    lines.push(Line::styled("Shapes", theme.accent));
    for condition in [
        Condition::InUse,
        Condition::Disabled,
        Condition::Suspended,
        Condition::Hidden,
        Condition::Uninstalled,
        Condition::Absent,
    ] {
        let words = match condition {
            Condition::InUse => "in use: installed for the user, and on",
            Condition::Disabled => "disabled: installed, but it does not run",
            Condition::Suspended => "suspended: greyed out and not started",
            Condition::Hidden => "hidden: an administrator or root has put it away",
            Condition::Uninstalled => "uninstalled for the user; its code is still on the device",
            Condition::Absent => "absent: not there for this user",
        };
        lines.push(Line::raw(format!("  {}  {words}", shape(condition))));
    }
    lines.push(Line::raw("  ●→○  chosen: what it is, and what it is going to be"));
    lines.push(Line::raw("  ▰▰▰  a step: sent, answered, read back"));
    lines.push(Line::raw(""));
    lines.push(Line::raw("  ◉    on the device's screen now (f follows it)      ★  with a star"));
    lines.push(Line::raw("  ~    a name guessed from the id, where no label could be read"));
    lines.push(Line::raw("  –    the device did not tell; I says why"));
    lines.push(Line::raw(""));
    say("Searching has a page of its own: F1.", &mut lines);
    lines.push(Line::raw(""));
    lines.push(Line::styled("Keys", theme.accent));
    for binding in &KEYMAP {
        let keys: Vec<String> = binding.keys.iter().map(|k| k.name()).collect();
        let doc = wrap(binding.doc, cells.saturating_sub(18));
        for (n, text) in doc.into_iter().enumerate() {
            let key = if n == 0 { keys.join(" ") } else { String::new() };
            lines.push(Line::from(vec![Span::styled(format!("  {} ", fit(&key, 14)), theme.accent), Span::raw(text)]));
        }
    }
    let room = usize::from(inside.height);
    let first = from.min(lines.len().saturating_sub(room));
    let shown: Vec<Line<'_>> = lines.into_iter().skip(first).take(room).collect();
    frame.render_widget(Paragraph::new(shown), inside);
}

/// The page about searching.
fn search_help(from: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let inside = window(
        frame,
        theme,
        " How to search · ↑↓ moves, Esc closes ",
        104.min(size.width.saturating_sub(2)),
        size.height.saturating_sub(2),
    );
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = Vec::new();
    let say = |text: &str, lines: &mut Vec<Line<'_>>| lines.extend(wrap(text, cells).into_iter().map(Line::raw));
    say(
        "Words separated by spaces: a package is found when label, id or notes have all of them, the best first; letters may be left out of a longer word, and \"two words\" stand as they are. A word after a colon is a fact, which may be cut short, or a comparison. | is or, ! is not, ( ) group. Tab completes.",
        &mut lines,
    );
    for example in [
        ("skerry", "everything that has “skerry” in label, id or notes"),
        (":idle>90d :size>50M", "not used for 90 days, and larger than 50 MB"),
        ("!:system | :updated", "not part of the system, or updated since"),
        (":permission=location :in-use", "in use, and asks for the location"),
    ] {
        lines.push(Line::from(vec![
            Span::styled(format!("  {} ", fit(example.0, 29)), theme.strong),
            Span::raw(example.1),
        ]));
    }
    lines.push(Line::raw(""));
    for (name, _, doc) in wibbet_core::search::FACTS {
        lines.push(Line::raw(format!("  {} {doc}", fit(&format!(":{name}"), 16))));
    }
    for (name, _, kind, doc) in wibbet_core::search::FIELDS {
        let example = match kind {
            wibbet_core::search::FieldKind::Bytes => ">50M",
            wibbet_core::search::FieldKind::Duration => ">90d",
            wibbet_core::search::FieldKind::Number => "=23",
            wibbet_core::search::FieldKind::Text => "=word",
        };
        lines.push(Line::raw(format!("  {} {doc}", fit(&format!(":{name}{example}"), 16))));
    }
    say(
        "  Sizes: 300k 50M 1.5G. Times: 20min 3h 90d 2w 6mo 1y. What a device did not tell is not found, also not with !.",
        &mut lines,
    );
    lines.push(Line::raw(""));
    let room = usize::from(inside.height);
    let first = from.min(lines.len().saturating_sub(room));
    let shown: Vec<Line<'_>> = lines.into_iter().skip(first).take(room).collect();
    frame.render_widget(Paragraph::new(shown), inside);
}

fn actions(model: &Model, input: &tui_input::Input, at: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let inside = window(
        frame,
        theme,
        " All actions · type a part of a name, Enter does it ",
        76,
        size.height.saturating_sub(4).min(24),
    );
    let cells = usize::from(inside.width);
    let found = palette(input.value());
    let at = at.min(found.len().saturating_sub(1));
    let mut lines =
        vec![Line::from(vec![Span::styled(": ", theme.accent), Span::styled(input.value().to_owned(), theme.strong)])];
    let room = usize::from(inside.height).saturating_sub(1);
    for (n, action) in found.iter().enumerate().skip(first_shown(at, found.len(), room)).take(room) {
        let name = KEYMAP.iter().find(|b| b.action == *action).map_or("", |b| b.name);
        let useful = is_enabled(model, *action);
        let style = if useful { theme.plain } else { theme.dim };
        let aside = if useful { "" } else { "not here and now" };
        let line = Line::from(vec![
            Span::styled(format!(" {} ", fit(&key_of(*action), 9)), theme.accent),
            Span::styled(fit(name, cells.saturating_sub(29)), style),
            Span::styled(aside, theme.dim),
        ]);
        lines.push(if n == at { under_cursor(line, theme, cells) } else { line });
    }
    if found.is_empty() {
        lines.push(Line::styled(" No action has such a name.", theme.dim));
    }
    frame.render_widget(Paragraph::new(lines), inside);
    frame.set_cursor_position((inside.x + 2 + u16::try_from(input.visual_cursor()).unwrap_or(0), inside.y));
}

fn address(input: &tui_input::Input, trouble: Option<&str>, theme: &Theme, frame: &mut Frame<'_>) {
    let inside = window(frame, theme, " Add a device ", 70, 6);
    let cells = usize::from(inside.width);
    let aside = match trouble {
        Some(rule) => Line::styled(cut(rule, cells), theme.alert),
        None => Line::styled(cut("Its debugging port is mostly 5555. Enter adds it, Esc does not.", cells), theme.dim),
    };
    let lines = vec![
        Line::raw("Address, HOST:PORT"),
        Line::from(vec![Span::styled("⟩ ", theme.accent), Span::styled(input.value().to_owned(), theme.strong)]),
        Line::raw(""),
        aside,
    ];
    frame.render_widget(Paragraph::new(lines), inside);
    frame.set_cursor_position((inside.x + 2 + u16::try_from(input.visual_cursor()).unwrap_or(0), inside.y + 1));
}
