//! What a window is: a form with a layer of keys, a drawing, and what its keys do.

use std::ops::Range;

use crossterm::event::KeyEvent;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use tui_input::Input;

use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, button_rows, draw_buttons, step, width, window};

/// What becomes of a window after a key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Flow {
    Stay,
    Close,
    /// It closes, and this is done in the room behind it.
    Do(Action),
    /// Another window opens over it.
    Open(Action),
}

/// A window over the view.
pub(crate) trait Form: Sized {
    /// The action that opens it.
    const OPENED_BY: Action;

    /// Whether what is done in it is done to the device under the cursor. It closes when that device goes.
    const ABOUT_THE_DEVICE: bool = true;

    /// Opens it; `None` where there is nothing to show.
    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self>;

    /// Its keys.
    fn layer(&self) -> Layer;

    /// Does one of the actions of its layer.
    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow;

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>);

    /// The line that is typed into, which gets every key that its layer does not have.
    fn field(&mut self) -> Option<&mut Input> {
        None
    }

    /// Something was typed into it.
    fn edited(&mut self) {}

    /// Swiped, or scrolled by the wheel, by so many lines; false where its keys move over it.
    fn swiped(&mut self, _app: &App, _by: isize) -> bool {
        false
    }

    /// Takes a pasted text; false to have its first line typed in.
    fn paste(&mut self, _app: &App, _text: &str) -> bool {
        false
    }

    /// Whether something in it turns.
    fn is_moving(&self) -> bool {
        false
    }
}

/// Moves the cursor of a list in a window.
pub(super) fn move_over(at: &mut usize, len: usize, app: &App, action: Action) {
    let page = app.half_a_screen();
    match action {
        Action::Up => step(at, len, -1),
        Action::Down => step(at, len, 1),
        Action::PageUp => step(at, len, -page),
        Action::PageDown => step(at, len, page),
        Action::First => *at = 0,
        Action::Last => *at = len.saturating_sub(1),
        _ => {}
    }
}

/// A line of keys, with the cells in which each of them stands with its words.
type KeyLine<'a> = (Line<'a>, Vec<(Range<usize>, KeyEvent)>);

/// What stands at the foot of a window: the keys that do something, or large words for them.
pub(super) enum Foot<'a> {
    Keys(Vec<KeyLine<'a>>),
    Words(Vec<Vec<(String, KeyEvent, usize)>>),
}

impl Foot<'_> {
    /// How many lines it takes.
    pub(super) fn len(&self) -> usize {
        match self {
            Self::Keys(lines) => lines.len(),
            Self::Words(rows) => (2 * rows.len()).saturating_sub(1),
        }
    }

    /// Draws it.
    pub(super) fn draw(self, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
        match self {
            Self::Words(rows) => draw_buttons(&rows, (1, 1), theme, frame, area),
            Self::Keys(lines) => {
                for (y, (line, keys)) in (area.y..area.bottom()).zip(lines) {
                    frame.render_widget(line, Rect { y, height: 1, ..area });
                    for (cells, key) in keys {
                        let at = |cell: usize| area.x.saturating_add(u16::try_from(cell).unwrap_or(u16::MAX));
                        let place = Rect::new(at(cells.start), y, u16::try_from(cells.len()).unwrap_or(0), 1);
                        theme.taps.note_word(place.intersection(area), key);
                    }
                }
            }
        }
    }
}

/// The keys of a layer that do something, for lines of `cells`.
pub(super) fn foot<'a>(layer: Layer, enabled: &dyn Fn(Action) -> bool, theme: &Theme, cells: usize) -> Foot<'a> {
    let bindings = layer.bindings().filter(|b| !b.hint.is_empty() && b.name.is_empty() && enabled(b.action));
    if theme.taps.large() {
        // A finger moves by swiping and tapping.
        let words = bindings.filter(|b| b.action != Action::Down);
        let words: Vec<_> = words.filter_map(|b| Some((b.hint.to_owned(), b.keys.first()?.event()))).collect();
        return Foot::Words(button_rows(&words, None, cells, usize::MAX));
    }
    let mut lines: Vec<KeyLine<'a>> = Vec::new();
    let mut used = 0;
    for binding in bindings {
        let Some(first) = binding.keys.first() else { continue };
        let key = first.name();
        let needed = width(&key) + width(binding.hint) + 1;
        if lines.is_empty() || used + 3 + needed > cells {
            lines.push((Line::default(), Vec::new()));
            used = 0;
        }
        let gap = if used == 0 { "" } else { "   " };
        if let Some((line, keys)) = lines.last_mut() {
            line.spans.push(Span::raw(gap));
            let chosen = used + gap.len()..used + gap.len() + needed;
            line.spans.push(Span::styled(key, theme.accent));
            line.spans.push(Span::styled(format!(" {}", binding.hint), theme.dim));
            keys.push((chosen, first.event()));
        }
        used += needed + gap.len();
    }
    Foot::Keys(lines)
}

/// The cells inside a window of `columns`, on the screen that there is.
pub(super) fn cells_inside(columns: u16, frame: &Frame<'_>) -> usize {
    usize::from(columns.min(frame.area().width).saturating_sub(4))
}

/// How many lines they are.
pub(super) fn line_count(lines: &[Line<'_>]) -> u16 {
    u16::try_from(lines.len()).unwrap_or(u16::MAX)
}

/// How many of the first lines of a window go out of sight for those that somebody types into, and for what is said of that: they are in sight
/// where half the screen is under a keyboard, or beside another app, too. What there is no room for is the end of what is said.
pub(super) fn hidden_above(needed: Range<u16>, room: u16) -> u16 {
    needed.end.saturating_sub(room).min(needed.start)
}

/// The cells inside a window of `columns`, and the most lines that `framed` can leave above its keys.
pub(super) fn most_inside(app: &App, columns: u16, (layer, enabled): (Layer, &dyn Fn(Action) -> bool)) -> (usize, u16) {
    let cells = usize::from(columns.min(app.size.0).saturating_sub(4));
    let keys = foot(layer, enabled, &Theme::sized(app.has_large_words()), cells);
    let inside = app.size.1.saturating_sub(2);
    (cells, inside - (u16::try_from(keys.len()).unwrap_or(1) + 1).min(inside.saturating_sub(1)))
}

/// The frame of a window of `columns` with room for `lines`, and its keys at its foot: what is left inside.
pub(super) fn framed(
    title: &str,
    (columns, lines): (u16, u16),
    (layer, enabled): (Layer, &dyn Fn(Action) -> bool),
    theme: &Theme,
    frame: &mut Frame<'_>,
) -> Rect {
    let all = frame.area();
    let columns = columns.min(all.width);
    let keys = foot(layer, enabled, theme, usize::from(columns.saturating_sub(4)));
    let below = u16::try_from(keys.len()).unwrap_or(1) + 1;
    let inside = window(frame, theme, title, columns, lines.saturating_add(below + 2).min(all.height));
    // What is to be read goes before the keys where there is no room for both.
    let below = below.min(inside.height.saturating_sub(1));
    let room = Rect { height: inside.height - below, ..inside };
    let foot = Rect { y: room.bottom() + 1, height: below.saturating_sub(1), ..inside };
    keys.draw(theme, frame, foot.intersection(inside));
    room
}

/// Draws what a window says all at once. Where the screen is too low for it, that is said: nobody takes a part for the whole.
pub(super) fn say_all(mut lines: Vec<Line<'_>>, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let room = usize::from(area.height);
    if lines.len() > room && room > 0 {
        let words = format!("▲ {} more lines need a higher screen", lines.len() - room + 1);
        lines.truncate(room - 1);
        lines.push(Line::styled(words, theme.alert));
    }
    frame.render_widget(Paragraph::new(lines), area);
}

/// Every key of a layer does something.
pub(super) const ALL: &dyn Fn(Action) -> bool = &|_| true;
