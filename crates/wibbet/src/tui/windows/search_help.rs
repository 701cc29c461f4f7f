//! How to search.

use ratatui::text::Line;
use wibbet_core::catalog::Attribute;
use wibbet_core::search::facts;

use super::page::{Reading, Text};
use crate::tui::keys::{Action, Layer, View};
use crate::tui::widgets::{Theme, explained, wrap};

/// The page about searching.
pub(crate) type SearchHelp = Reading<HowToSearch>;

#[derive(Debug, Clone)]
pub(crate) enum HowToSearch {}

impl Text for HowToSearch {
    const OPENED_BY: Action = Action::SearchHelp;
    const TITLE: &'static str = " How to search ";
    const COLUMNS: u16 = 104;

    fn lines(_here: View, theme: &Theme, cells: usize) -> Vec<Line<'static>> {
        let mut lines: Vec<Line<'_>> = Vec::new();
        let complete = Layer::SearchLine.called(Action::Complete, theme.taps.large());
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
            lines.extend(explained(example.0, 29, example.1, cells, theme.strong));
        }
        lines.push(Line::raw(""));
        let mut row = |name: String, doc: &str| lines.extend(explained(&name, 16, doc, cells, theme.plain));
        facts().for_each(|fact| row(format!(":{}", fact.name), fact.doc));
        Attribute::comparisons().for_each(|(_, c)| row(format!(":{}{}", c.name, c.kind.example()), c.doc));
        say(
            "  Sizes: 300k 50M 1.5G. Times: 20min 3h 90d 2w 6mo 1y. What a device does not report is not found, also not with !.",
            &mut lines,
        );
        lines
    }
}
