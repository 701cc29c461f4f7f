//! How to search.

use ratatui::Frame;
use ratatui::text::{Line, Span};
use wibbet_core::catalog::Attribute;
use wibbet_core::search::facts;

use super::form::{Flow, Form};
use super::page::Page;
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Scroll, Theme, fit, wrap};

/// The page about searching.
#[derive(Debug, Clone, Default)]
pub(crate) struct SearchHelp(Scroll);

const PAGE: Page<'static> = Page { title: " How to search ", columns: 104, layer: Layer::Reading, lines: &lines };

fn lines(theme: &Theme, cells: usize) -> Vec<Line<'static>> {
    let mut lines: Vec<Line<'_>> = Vec::new();
    let complete = Layer::SearchLine.hint(Action::Complete);
    let say = |text: &str, lines: &mut Vec<Line<'_>>| lines.extend(wrap(text, cells).into_iter().map(Line::raw));
    say(
        &format!(
            "Words separated by spaces: a package is found when label, id or notes have all of them, the best first; letters may be left out of a longer word, and \"two words\" stand as they are. A word after a colon is a fact, which may be cut short, or a comparison. | is or, ! is not, ( ) group. {complete} completes."
        ),
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
    let mut row = |name: String, doc: &str| lines.push(Line::raw(format!("  {} {doc}", fit(&name, 16))));
    facts().for_each(|fact| row(format!(":{}", fact.name), fact.doc));
    Attribute::comparisons().for_each(|(_, c)| row(format!(":{}{}", c.name, c.kind.example()), c.doc));
    say(
        "  Sizes: 300k 50M 1.5G. Times: 20min 3h 90d 2w 6mo 1y. What a device does not report is not found, also not with !.",
        &mut lines,
    );
    lines
}

impl Form for SearchHelp {
    const OPENED_BY: Action = Action::SearchHelp;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Reading
    }

    fn act(&mut self, app: &mut App, action: Action, _out: &mut Vec<Effect>) -> Flow {
        PAGE.act(&mut self.0, app, action)
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        PAGE.draw(self.0, app, theme, frame);
    }
}
