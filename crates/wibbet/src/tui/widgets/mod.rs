//! Drawing without knowing the program.

mod glyphs;
mod text;
mod theme;
mod window;

pub(crate) use glyphs::{shape, turning};
pub(crate) use text::{capital, cut, ends, first_shown, fit, width, wrap};
pub(crate) use theme::{Depth, Theme};
pub(crate) use window::window;
