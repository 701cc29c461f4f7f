//! A text that is read in a window of its own.

use std::marker::PhantomData;

use ratatui::Frame;
use ratatui::text::Line;

use super::form::{ALL, Flow, Form, foot, framed};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::Effect;
use crate::tui::widgets::{Scroll, Theme};

/// A text that has nothing to do with any device: it is read, and closed again.
pub(crate) trait Text {
    /// The action that opens it.
    const OPENED_BY: Action;
    const TITLE: &'static str;
    /// The most cells that it takes.
    const COLUMNS: u16;

    /// The text for a width, seen from a view.
    fn lines(here: View, theme: &Theme, cells: usize) -> Vec<Line<'static>>;
}

/// The window of such a text, and how far it has been scrolled.
#[derive(Debug, Clone)]
pub(crate) struct Reading<T>(Scroll, PhantomData<T>);

impl<T: Text> Reading<T> {
    fn page(here: View, then: impl FnOnce(&Page<'_>)) {
        let lines = |theme: &Theme, cells: usize| T::lines(here, theme, cells);
        then(&Page { title: T::TITLE, columns: T::COLUMNS, keys: (Layer::Reading, ALL), lines: &lines });
    }
}

impl<T: Text> Form for Reading<T> {
    const OPENED_BY: Action = T::OPENED_BY;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self(Scroll::default(), PhantomData))
    }

    fn layer(&self) -> Layer {
        Layer::Reading
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let mut flow = Flow::Stay;
        Self::page(app.view, |page| flow = page.act(&mut self.0, app, action));
        flow
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        Self::page(app.view, |page| page.draw(self.0, app, theme, frame));
    }
}

/// Moves in a text of `len` lines in a window of `room`, or closes it.
fn read_on(scroll: &mut Scroll, len: usize, room: usize, action: Action) -> Flow {
    let page = isize::try_from(room.saturating_sub(1)).unwrap_or(1).max(1);
    match action {
        Action::Up => scroll.step(-1, len, room),
        Action::Down => scroll.step(1, len, room),
        Action::PageUp => scroll.step(-page, len, room),
        Action::PageDown => scroll.step(page, len, room),
        Action::First => scroll.step(isize::MIN, len, room),
        Action::Last => scroll.step(isize::MAX, len, room),
        Action::Leave => return Flow::Close,
        _ => {}
    }
    Flow::Stay
}

/// The size of a page that is read: as large as the screen allows.
fn page_size(screen: (u16, u16), columns: u16) -> (u16, u16) {
    (columns.min(screen.0.saturating_sub(2)), screen.1.saturating_sub(2))
}

/// Cells and lines for the text inside such a page.
fn page_room(app: &App, columns: u16, keys: (Layer, &dyn Fn(Action) -> bool)) -> (usize, usize) {
    let (wide, high) = page_size(app.size, columns);
    let cells = usize::from(wide.saturating_sub(4));
    let below = foot(keys.0, keys.1, &Theme::sized(app.has_large_words()), cells).len() + 1;
    (cells, usize::from(high.saturating_sub(2)).saturating_sub(below))
}

/// A text that is read, and how far it has been scrolled.
pub(super) struct Page<'a> {
    pub(super) title: &'a str,
    /// The most cells that it takes.
    pub(super) columns: u16,
    /// Its layer, and which of its keys do something.
    pub(super) keys: (Layer, &'a dyn Fn(Action) -> bool),
    /// The text for a width.
    pub(super) lines: &'a dyn Fn(&Theme, usize) -> Vec<Line<'a>>,
}

impl Page<'_> {
    pub(super) fn act(&self, scroll: &mut Scroll, app: &App, action: Action) -> Flow {
        let (cells, room) = page_room(app, self.columns, self.keys);
        let len = (self.lines)(&Theme::sized(app.has_large_words()), cells).len();
        read_on(scroll, len, room, action)
    }

    pub(super) fn draw(&self, scroll: Scroll, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let (columns, _) = page_size(app.size, self.columns);
        let (cells, most) = page_room(app, self.columns, self.keys);
        let lines = (self.lines)(theme, cells);
        let high = u16::try_from(lines.len().min(most)).unwrap_or(u16::MAX);
        let room = framed(self.title, (columns, high), self.keys, theme, frame);
        scroll.draw(lines, theme, frame, room);
    }
}
