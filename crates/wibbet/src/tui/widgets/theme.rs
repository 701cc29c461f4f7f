//! Colours and shapes. Colour supports what a shape or a word says; it never says it alone.

use ratatui::style::{Color, Modifier, Style};
use wibbet_core::package::Condition;
use wibbet_core::run::Outcome;

use super::taps::Taps;

/// How many colours a terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ColorDepth {
    /// None, or none wanted (`NO_COLOR`).
    None,
    /// The sixteen of every terminal.
    Sixteen,
    /// 24 bits.
    Full,
}

impl ColorDepth {
    /// What the environment says.
    pub(crate) fn detect() -> Self {
        let set = |name: &str| std::env::var_os(name).is_some_and(|v| !v.is_empty());
        let full = std::env::var("COLORTERM").is_ok_and(|v| v.contains("truecolor") || v.contains("24bit"));
        match () {
            () if set("NO_COLOR") || std::env::var("TERM").is_ok_and(|t| t == "dumb" || t.starts_with("vt")) => {
                Self::None
            }
            () if full => Self::Full,
            // The consoles of Windows say nothing of themselves, and have all colours since Windows 10.
            () if cfg!(windows) && !set("TERM") => Self::Full,
            () => Self::Sixteen,
        }
    }
}

/// Every style of the screen. The terminal's own background is never painted over, and the colours
/// are of a middle brightness, so that light and dark backgrounds both work.
#[derive(Debug, Clone)]
pub(crate) struct Theme {
    /// Ordinary text.
    pub(crate) plain: Style,
    /// What matters most on a line.
    pub(crate) strong: Style,
    /// What is there for completeness.
    pub(crate) dim: Style,
    /// Brass: where one is, and what is going to change.
    pub(crate) accent: Style,
    /// Sea: what holds, what is done.
    pub(crate) good: Style,
    /// Rust: what needs somebody's attention.
    pub(crate) alert: Style,
    /// The line under the cursor.
    pub(crate) cursor: Style,
    /// A small sign, such as "simulated".
    pub(crate) sign: Style,
    /// A word for a finger.
    pub(crate) button: Style,
    /// Where it is written down what can be tapped.
    pub(crate) taps: Taps,
}

impl Theme {
    pub(crate) fn new(depth: ColorDepth) -> Self {
        let plain = Style::new();
        let strong = plain.add_modifier(Modifier::BOLD);
        match depth {
            ColorDepth::None => Self {
                plain,
                strong,
                dim: plain.add_modifier(Modifier::DIM),
                accent: strong,
                good: plain,
                alert: strong.add_modifier(Modifier::UNDERLINED),
                cursor: plain.add_modifier(Modifier::REVERSED),
                sign: plain.add_modifier(Modifier::REVERSED),
                button: plain.add_modifier(Modifier::REVERSED),
                taps: Taps::default(),
            },
            ColorDepth::Sixteen => Self {
                plain,
                strong,
                dim: plain.fg(Color::DarkGray),
                accent: plain.fg(Color::Yellow).add_modifier(Modifier::BOLD),
                good: plain.fg(Color::Cyan),
                alert: plain.fg(Color::Magenta).add_modifier(Modifier::BOLD),
                cursor: plain.add_modifier(Modifier::REVERSED),
                sign: plain.fg(Color::Black).bg(Color::Cyan),
                // Which blue or cyan a terminal has is not known; the other way round it can be read on any.
                button: plain.add_modifier(Modifier::REVERSED),
                taps: Taps::default(),
            },
            ColorDepth::Full => Self {
                plain,
                strong,
                dim: plain.fg(Color::Rgb(124, 132, 140)),
                accent: plain.fg(Color::Rgb(202, 142, 48)).add_modifier(Modifier::BOLD),
                good: plain.fg(Color::Rgb(52, 150, 150)),
                alert: plain.fg(Color::Rgb(208, 104, 72)).add_modifier(Modifier::BOLD),
                cursor: plain.fg(Color::Rgb(250, 244, 230)).bg(Color::Rgb(52, 74, 88)),
                sign: plain.fg(Color::Rgb(250, 244, 230)).bg(Color::Rgb(36, 110, 112)),
                button: plain.fg(Color::Rgb(250, 244, 230)).bg(Color::Rgb(66, 72, 80)),
                taps: Taps::default(),
            },
        }
    }

    /// For measuring how much room a text takes where words are large, or are not.
    pub(crate) fn sized(large: bool) -> Self {
        Self { taps: Taps::sized(large), ..Self::new(ColorDepth::None) }
    }

    /// The style of a condition.
    pub(crate) fn condition(&self, condition: Condition) -> Style {
        match condition {
            Condition::InUse => self.plain,
            Condition::Absent => self.dim,
            Condition::Unreadable => self.alert,
            _ => self.good,
        }
    }

    /// The style of an outcome.
    pub(crate) fn outcome(&self, outcome: Outcome) -> Style {
        match outcome {
            Outcome::Done | Outcome::Answered => self.good,
            Outcome::Skipped => self.dim,
            _ => self.alert,
        }
    }
}
