//! The job sheet, as it would stand on paper, and writing it.

use jiff::tz::TimeZone;
use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use wibbet_core::sheet::{Sheet, SheetPart, SheetRow, SheetWords, Without};
use wibbet_types::RunId;

use super::form::{Flow, Form};
use super::page::Page;
use crate::config::PaperName;
use crate::export::sheet::SheetJob;
use crate::out::day_and_time;
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::{Effect, OnPaper};
use crate::tui::rooms::run_of_sheet;
use crate::tui::widgets::{Scroll, Theme, before_after, fit, plain_name, truncate, width, wrap};

/// A job sheet.
#[derive(Debug, Clone)]
pub(crate) struct JobSheet {
    /// The run that it was asked for at.
    run: RunId,
    /// What it is made of, once it has been read.
    job: Option<SheetJob>,
    words: SheetWords,
    /// Of that run alone.
    only: bool,
    without: Without,
    paper: PaperName,
    zone: TimeZone,
    /// The sheet that is shown.
    sheet: Option<Sheet>,
    scroll: Scroll,
}

impl JobSheet {
    /// Takes what it is made of.
    pub(crate) fn take(&mut self, (job, words): (SheetJob, SheetWords)) {
        (self.job, self.words) = (Some(job), words);
        self.make();
    }

    fn make(&mut self) {
        let Some(job) = &self.job else { return };
        let sheet = match self.only {
            true => job.only(self.run).sheet(&self.words, self.without, &self.zone),
            false => job.sheet(&self.words, self.without, &self.zone),
        };
        self.sheet = Some(sheet);
        self.scroll = Scroll::default();
    }

    fn enabled(&self, action: Action) -> bool {
        match action {
            Action::WritePdf | Action::WriteSvg | Action::SheetPaper => self.sheet.is_some(),
            Action::SheetSerial | Action::SheetUsage => self.job.is_some(),
            Action::Toggle => self.job.as_ref().is_some_and(|job| job.runs.len() > 1),
            _ => true,
        }
    }

    fn write(&self, pdf: bool) -> Option<Effect> {
        let (job, sheet) = (self.job.as_ref()?, self.sheet.as_ref()?);
        let name = match self.only {
            true => format!("job-sheet-run-{}", self.run),
            // No serial in the name of a file that is handed on.
            false => {
                format!(
                    "job-sheet-{}-{}",
                    plain_name(&job.facts.name()),
                    job.begun().map_or_else(String::new, |at| day_and_time(at, &self.zone).0)
                )
            }
        };
        let of = OnPaper::Sheet(Box::new(sheet.clone()), self.words.foot.clone());
        Some(Effect::WritePaper { of, paper: self.paper, pdf, name })
    }

    fn page(&self, then: impl FnOnce(&Page<'_>)) {
        let lines = |theme: &Theme, cells: usize| match &self.sheet {
            Some(sheet) => told(sheet, &self.words.foot, theme, cells),
            None => vec![Line::styled("The logbook is being read.", theme.dim)],
        };
        let able = |action| self.enabled(action);
        let title = format!(" Job sheet · {} ", self.paper.word());
        then(&Page { title: &title, columns: 100, keys: (Layer::JobSheet, &able), lines: &lines });
    }
}

impl Form for JobSheet {
    const OPENED_BY: Action = Action::JobSheet;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        let run = run_of_sheet(app)?;
        out.push(Effect::ReadSheet(run));
        let (without, paper) = (app.config.without(&[]), app.config.sheet.paper);
        let (words, scroll, zone) = (SheetWords::default(), Scroll::default(), app.zone.clone());
        Some(Self { run, job: None, words, only: false, without, paper, zone, sheet: None, scroll })
    }

    fn layer(&self) -> Layer {
        Layer::JobSheet
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        if !self.enabled(action) {
            return Flow::Stay;
        }
        match action {
            Action::WritePdf | Action::WriteSvg => {
                out.extend(self.write(action == Action::WritePdf));
                // Where it is stands on the line below.
                return Flow::Close;
            }
            Action::SheetPaper => self.paper = self.paper.other(),
            Action::Toggle => self.only = !self.only,
            Action::SheetSerial => self.without.serial = !self.without.serial,
            Action::SheetUsage => self.without.usage = !self.without.usage,
            _ => {
                let (mut scroll, mut flow) = (self.scroll, Flow::Stay);
                self.page(|page| flow = page.act(&mut scroll, app, action));
                self.scroll = scroll;
                return flow;
            }
        }
        if matches!(action, Action::Toggle | Action::SheetSerial | Action::SheetUsage) {
            self.make();
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        self.page(|page| page.draw(self.scroll, app, theme, frame));
    }
}

/// The sheet in lines.
fn told<'a>(sheet: &Sheet, foot: &str, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = vec![Line::styled(sheet.title.clone(), theme.accent)];
    if !sheet.workshop.is_empty() {
        lines.push(Line::styled(sheet.workshop.clone(), theme.plain));
    }
    lines.push(Line::raw(""));
    for part in &sheet.parts {
        match part {
            SheetPart::Facts(facts) => {
                let left = facts.iter().map(|(name, _)| width(name)).max().unwrap_or(0).min(cells / 3) + 2;
                facts.iter().for_each(|(name, value)| lines.extend(fact(name, value, left, theme, cells)));
            }
            SheetPart::Rows(title, rows) => {
                heading(title, theme, cells, &mut lines);
                rows.iter().for_each(|one| lines.extend(row(one, theme, cells)));
            }
            SheetPart::Lines(title, sentences) => {
                heading(title, theme, cells, &mut lines);
                sentences.iter().for_each(|words| indented("– ", words, theme.plain, cells, &mut lines));
            }
            SheetPart::Bars(title, bars) => {
                heading(title, theme, cells, &mut lines);
                for bar in bars {
                    let words = (bar.words.0.as_str(), bar.words.1.as_str());
                    lines.extend(before_after(&bar.name, (bar.before, bar.after), words, theme, cells));
                }
            }
            SheetPart::Sign(whose) => {
                lines.push(Line::raw(""));
                lines.push(Line::raw(""));
                let each = (cells / whose.len().max(1)).saturating_sub(3);
                let rules: Vec<String> = whose.iter().map(|_| "─".repeat(each)).collect();
                let names: Vec<String> = whose.iter().map(|who| fit(who, each)).collect();
                lines.push(Line::styled(rules.join("   "), theme.dim));
                lines.push(Line::styled(names.join("   "), theme.dim));
            }
        }
    }
    lines.push(Line::raw(""));
    indented("", foot, theme.dim, cells, &mut lines);
    lines
}

fn heading(title: &str, theme: &Theme, cells: usize, lines: &mut Vec<Line<'_>>) {
    lines.push(Line::raw(""));
    let title = truncate(title, cells.saturating_sub(4));
    let rule = "─".repeat(cells.saturating_sub(width(&title) + 1));
    lines.push(Line::from(vec![Span::styled(format!("{title} "), theme.strong), Span::styled(rule, theme.dim)]));
}

fn fact<'a>(name: &str, value: &str, left: usize, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let shown = wrap(value, cells.saturating_sub(left)).into_iter().enumerate().map(|(n, text)| {
        let name = fit(if n == 0 { name } else { "" }, left);
        Line::from(vec![Span::styled(name, theme.dim), Span::styled(text, theme.plain)])
    });
    shown.collect()
}

/// What became of a package: its name and what was done, its id, and why.
fn row<'a>(row: &SheetRow, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let right = (cells * 3 / 10).max(width(&row.what).min(cells / 2));
    let left = cells.saturating_sub(right + 1);
    let mut lines = vec![Line::from(vec![
        Span::styled(format!("{} ", fit(&row.name, left)), theme.strong),
        Span::styled(truncate(&row.what, right), theme.plain),
    ])];
    if !row.id.is_empty() {
        indented("  ", &row.id, theme.dim, cells, &mut lines);
    }
    if !row.why.is_empty() {
        indented("  ", &row.why, theme.plain, cells, &mut lines);
    }
    lines
}

/// A text in lines behind a sign, which stands before the first one.
fn indented(sign: &str, text: &str, style: Style, cells: usize, lines: &mut Vec<Line<'_>>) {
    let in_cells = width(sign);
    for (n, words) in wrap(text, cells.saturating_sub(in_cells)).into_iter().enumerate() {
        let sign = if n == 0 { sign.to_owned() } else { " ".repeat(in_cells) };
        lines.push(Line::styled(format!("{sign}{words}"), style));
    }
}
