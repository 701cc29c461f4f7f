//! The life of a device, from the top down: what happened, and how many packages were in use behind it.

use ratatui::Frame;
use ratatui::text::{Line, Span};
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{Life, LifePoint, MomentKind};

use super::form::{Flow, Form};
use super::page::Page;
use crate::out::day_and_time;
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, OnPaper};
use crate::tui::rooms::device_under_cursor;
use crate::tui::widgets::{Scroll, Theme, bar, fit, plain_name, truncate, wrap};

/// The life of a device, once it has been read, and how far it has been scrolled.
#[derive(Debug, Clone, Default)]
pub(crate) struct LifeOf(Option<Box<(DeviceFacts, Life)>>, Scroll);

impl LifeOf {
    /// Takes what was read.
    pub(crate) fn take(&mut self, read: Box<(DeviceFacts, Life)>) {
        // One reads on from what was last.
        self.0 = Some(read);
    }

    fn page(&self, app: &App, then: impl FnOnce(&Page<'_>)) {
        let lines = |theme: &Theme, cells: usize| match &self.0 {
            Some(read) => told(app, &read.1, theme, cells),
            None => vec![Line::styled("The logbook is being read.", theme.dim)],
        };
        let able = |action| !matches!(action, Action::WritePdf | Action::WriteSvg) || self.0.is_some();
        let name = self.0.as_ref().map_or_else(String::new, |read| format!("of {} ", read.0.name()));
        let title = format!(" The life {name}");
        then(&Page { title: &title, columns: 110, keys: (Layer::Life, &able), lines: &lines });
    }
}

impl Form for LifeOf {
    const OPENED_BY: Action = Action::Life;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        out.push(Effect::ReadLife(device_under_cursor(app)?));
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Life
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match (action, &self.0) {
            (Action::WritePdf | Action::WriteSvg, Some(read)) => {
                let name = format!("life-{}", plain_name(&read.0.name()));
                let (of, paper) = (OnPaper::Life(read.clone()), app.config.sheet.paper);
                out.push(Effect::WritePaper { of, paper, pdf: action == Action::WritePdf, name });
                // Where it is stands on the line below.
                Flow::Close
            }
            _ => {
                let (mut scroll, mut flow) = (self.1, Flow::Stay);
                self.page(app, |page| flow = page.act(&mut scroll, app, action));
                self.1 = scroll;
                flow
            }
        }
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        self.page(app, |page| page.draw(self.1, app, theme, frame));
    }
}

fn told<'a>(app: &App, life: &Life, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    if life.points.is_empty() {
        return vec![Line::styled("Nothing is kept of it yet.", theme.dim)];
    }
    let legend: Vec<String> =
        MomentKind::ALL.iter().map(|kind| format!("{} {}", kind.sign().0, kind.sign().1)).collect();
    let mut lines: Vec<Line<'a>> =
        wrap(&legend.join("   "), cells).into_iter().map(|line| Line::styled(line, theme.dim)).collect();
    let with_bars = cells >= 72;
    let right = if with_bars { cells / 3 } else { 5 };
    lines.push(Line::styled(format!("{:>cells$}", if with_bars { "packages in use" } else { "in use" }), theme.dim));
    let mut before = String::new();
    for point in &life.points {
        let (day, time) = day_and_time(point.at, &app.zone);
        let shown = if day == before { "" } else { &day };
        lines.push(row(point, (shown, &time), (life.most(), right, with_bars), theme, cells));
        before = day;
    }
    lines
}

fn row<'a>(
    point: &LifePoint,
    (day, time): (&str, &str),
    (most, right, with_bars): (u32, usize, bool),
    theme: &Theme,
    cells: usize,
) -> Line<'a> {
    let kind = point.what.kind();
    let style = match kind {
        MomentKind::RunInPart => theme.alert,
        MomentKind::Run => theme.good,
        MomentKind::Met | MomentKind::Update | MomentKind::Break | MomentKind::Change => theme.accent,
    };
    // Beside the line of its life, while it is on break.
    let line = if point.on_break { "┊" } else { "│" };
    let room = cells.saturating_sub(10 + 1 + 5 + 1 + 4 + 1 + right);
    let mut spans = vec![
        Span::styled(format!("{} ", fit(day, 10)), theme.strong),
        Span::styled(format!("{time} "), theme.dim),
        Span::styled(line, theme.dim),
        Span::styled(format!(" {} ", kind.sign().0), style),
        Span::styled(format!("{} ", fit(&truncate(&point.what.words(), room), room)), theme.plain),
    ];
    if let Some(count) = point.in_use {
        if with_bars {
            let drawn = bar(count.into(), most.into(), right.saturating_sub(6));
            spans.push(Span::styled(drawn, theme.accent));
            spans.push(Span::styled(format!(" {count}"), theme.plain));
        } else {
            spans.push(Span::styled(format!("{count:>right$}"), theme.plain));
        }
    }
    Line::from(spans)
}
