//! Help: the order of work, what the shapes mean, and all keys.

use ratatui::text::Line;
use wibbet_core::link::Rung;
use wibbet_core::package::Condition;

use super::page::{Reading, Text};
use crate::tui::keys::{Action, Binding, Layer, View, called, menu_of, own_of};
use crate::tui::widgets::{Theme, explained, glyph, wrap};

/// The help.
pub(crate) type Help = Reading<HelpText>;

#[derive(Debug, Clone)]
pub(crate) enum HelpText {}

/// The keys in their layers: a heading, and what is bound. Those of the view come first.
fn key_tables(here: View) -> Vec<(String, Vec<&'static Binding>)> {
    let menu = called(here, Action::Menu, false);
    let of = |view: View| {
        let own = (format!("Keys on {}", view.name()), Layer::Room(view).bindings().collect());
        let more: Vec<&Binding> = menu_of(view).collect();
        [own, (format!("More on {}, after {menu}", view.name()), more)].into_iter().filter(|(_, all)| !all.is_empty())
    };
    let mut tables: Vec<(String, Vec<&Binding>)> = of(here).collect();
    tables.push(("Keys everywhere".to_owned(), Layer::Everywhere.bindings().collect()));
    let line = if here == View::Logbook { Layer::LogSearch } else { Layer::SearchLine };
    tables.push(("Keys while you type a search".to_owned(), line.bindings().collect()));
    tables.extend(View::ALL.into_iter().filter(|view| *view != here).flat_map(of));
    tables
}

/// What can be done, by name: in the view, then everywhere, then in the other views.
fn name_tables(here: View) -> Vec<(String, Vec<&'static Binding>)> {
    let of = |view: View| (format!("On {}", view.name()), own_of(view).collect());
    let others = View::ALL.into_iter().filter(|view| *view != here).map(of);
    let everywhere = ("Everywhere".to_owned(), Layer::Everywhere.bindings().collect());
    [of(here), everywhere].into_iter().chain(others).collect()
}

impl Text for HelpText {
    const OPENED_BY: Action = Action::Help;
    const TITLE: &'static str = " Help ";
    const COLUMNS: u16 = 104;

    fn lines(here: View, theme: &Theme, cells: usize) -> Vec<Line<'static>> {
        let mut lines: Vec<Line<'_>> = Vec::new();
        let say = |text: &str, lines: &mut Vec<Line<'_>>| lines.extend(wrap(text, cells).into_iter().map(Line::raw));
        say(
            "The line at the top is the order of work: choose a device on the bench, mark packages, look at the plan, send it and watch it being read back. What is off stands on the shelf and can be put back from there.",
            &mut lines,
        );
        let large = theme.taps.large();
        if large {
            say(
                "Tap a line to choose it, and the words at the bottom to do what they say; “more” has all of them. A swipe scrolls. By the arrows of a remote: to the sides from word to word, and the button between them does it.",
                &mut lines,
            );
        }
        for (title, bindings) in if large { name_tables(here) } else { key_tables(here) } {
            lines.push(Line::raw(""));
            lines.push(Line::styled(title, theme.accent));
            for binding in bindings {
                let keys: Vec<String> = binding.keys.iter().map(|k| k.name()).collect();
                let what = if large { binding.name.to_owned() } else { keys.join(" ") };
                lines.extend(explained(&what, if large { 45 } else { 14 }, binding.doc, cells, theme.accent));
            }
        }
        lines.push(Line::raw(""));
        lines.push(Line::styled("The ladder of a link", theme.accent));
        for (sign, words) in [
            ("╟──╢ ╪", "a rung that holds"),
            ("╟┄┄╢ ┼", "one that is being tried"),
            ("╟╴╶╢ ╳", "the one that is missing"),
            ("║  ║ ═", "nothing is known of it yet"),
        ] {
            lines.extend(explained(sign, 8, words, cells, theme.plain));
        }
        for rung in Rung::ALL.iter().rev() {
            let words = match rung {
                Rung::Reached => "it is on the bus, or answers at its address",
                Rung::Interface => "USB debugging is on, or what answers is a debugging daemon",
                Rung::Free => "this user may open it, and no other program holds it",
                Rung::Authorised => "somebody has allowed this computer on the device, or it is paired",
                Rung::Shell => "it answers commands",
                Rung::Service => "its packages can be read",
                Rung::Changes => "no second switch of the maker forbids changes",
                Rung::Started => "Android says that it has started",
            };
            lines.extend(explained(rung.label(), 25, words, cells, theme.plain));
        }
        lines.push(Line::raw(""));
        lines.push(Line::styled("Shapes", theme.accent));
        for condition in [
            Condition::InUse,
            Condition::Dormant,
            Condition::Disabled,
            Condition::Suspended,
            Condition::Hidden,
            Condition::Archived,
            Condition::Uninstalled,
            Condition::Absent,
            Condition::Unreadable,
        ] {
            let words = match condition {
                Condition::InUse => "in use: installed for the user, and on",
                Condition::Dormant => "dormant: installed, and off by its own manifest; nobody has switched it off",
                Condition::Disabled => "disabled: installed, but it does not run",
                Condition::Suspended => "suspended: greyed out and not started",
                Condition::Hidden => "hidden: an administrator or root has put it away",
                Condition::Archived => "archived by its user: its code went, its icon and data stayed",
                Condition::Uninstalled => "uninstalled for the user; its code is still on the device",
                Condition::Absent => "absent: not there for this user",
                Condition::Unreadable => "unreadable: the device does not tell, or not so that it can be relied on",
            };
            lines.extend(explained(glyph(condition), 4, words, cells, theme.plain));
        }
        let follow = called(View::Packages, Action::Follow, large);
        let all = called(View::Packages, Action::Everything, large);
        for (sign, words) in [
            ("●→○", "chosen: what it is, and what it is going to be"),
            ("▰▰▰", "a step: sent, answered, read back"),
            ("◉", &format!("on the device's screen now ({follow} follows it)")),
            ("★", "with a star"),
            ("~", "a name guessed from the id, where no label could be read"),
            ("–", &format!("the device does not report it; {all} says why")),
        ] {
            lines.extend(explained(sign, 4, words, cells, theme.plain));
        }
        lines.push(Line::raw(""));
        let search = called(View::Packages, Action::SearchHelp, large);
        say(&format!("Searching has a page of its own: {search}."), &mut lines);
        lines
    }
}
