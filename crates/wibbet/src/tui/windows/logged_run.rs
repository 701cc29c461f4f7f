//! A run of a device that is not on the bench, step by step, as the logbook has it.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::Line;
use wibbet_core::run::Run;

use super::form::{ALL, Flow, Form};
use super::page::Page;
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer, View};
use crate::tui::message::Effect;
use crate::tui::rooms::track;
use crate::tui::widgets::{Scroll, Theme, wrap};

/// A run, and how far it has been scrolled.
#[derive(Debug, Clone)]
pub(crate) struct LoggedRun(Run, Scroll);

impl Form for LoggedRun {
    const OPENED_BY: Action = Action::Next;
    const ABOUT_THE_DEVICE: bool = false;

    /// Of the run under the cursor of the logbook; runs of devices on the bench are shown in the room of theirs.
    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        let run = app.log.here().filter(|_| app.view == View::Logbook)?;
        let on_the_bench = app.devices.iter().any(|d| d.facts.as_ref().is_some_and(|f| f.id == run.device));
        (!on_the_bench).then(|| Self(run.clone(), Scroll::default()))
    }

    fn layer(&self) -> Layer {
        Layer::Reading
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        let (mut scroll, mut flow) = (self.1, Flow::Stay);
        page(app, &self.0, |page| flow = page.act(&mut scroll, app, action));
        self.1 = scroll;
        flow
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        page(app, &self.0, |page| page.draw(self.1, app, theme, frame));
    }
}

fn page(app: &App, run: &Run, then: impl FnOnce(&Page<'_>)) {
    let lines = |theme: &Theme, cells: usize| told(app, run, theme, cells);
    let title = format!(" Run {} ", run.number);
    then(&Page { title: &title, columns: 110, keys: (Layer::Reading, ALL), lines: &lines });
}

fn told<'a>(app: &App, run: &Run, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let mut lines: Vec<Line<'a>> = Vec::new();
    let mut say = |words: &str, style: Style| {
        lines.extend(wrap(words, cells).into_iter().map(|line| Line::styled(line, style)));
    };
    let device = app.log.name_of(&run.device).map_or_else(String::new, |name| format!("{name} · "));
    say(&format!("{device}{} · {} · {}", run.device, run.kind.label(), app.clock(run.begun)), theme.strong);
    if !run.job.is_empty() {
        say(&run.job.words(), theme.plain);
    }
    run.not_understood.iter().for_each(|why| say(&format!("▲ not understood: {why}"), theme.alert));
    for step in &run.steps {
        let name = run.names.get(&step.id).map_or_else(String::new, |name| format!("{name}  "));
        let style = step.outcome.map_or(theme.alert, |outcome| theme.outcome(outcome));
        let outcome = step.outcome.map_or_else(|| "not settled".to_owned(), |outcome| outcome.to_string());
        say("", theme.plain);
        say(&format!("{} {name}{} · user {} · {outcome}", track(step), step.id, step.user), style);
        if !step.words.is_empty() {
            say(&format!("    ⟩ {}", step.words), theme.plain);
        }
        if let Some(answer) = step.answer.as_ref().filter(|answer| !answer.as_str().is_empty()) {
            say(&format!("    ⟨ {answer}"), theme.dim);
        }
        if !step.remark.is_empty() {
            say(&format!("    {}", step.remark), theme.plain);
        }
    }
    lines
}
