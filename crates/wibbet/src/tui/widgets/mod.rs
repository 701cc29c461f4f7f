//! Drawing without knowing the program.

mod areas;
mod bars;
mod buttons;
mod field;
mod glyphs;
mod large;
mod list;
mod qr;
mod scroll;
mod tall;
mod taps;
mod text;
mod theme;
mod window;

pub(crate) use areas::Areas;
pub(crate) use bars::{bar, before_after};
pub(crate) use buttons::{draw_buttons, rows as button_rows};
pub(crate) use field::Field;
pub(crate) use glyphs::{glyph, spinner};
pub(crate) use large::large_lines;
pub(crate) use list::{draw_list, first_shown, item_at, step, under_cursor};
pub(crate) use qr::qr_lines;
pub(crate) use scroll::Scroll;
pub(crate) use tall::{Place, TallList};
pub(crate) use taps::{Tap, Tappable};
pub(crate) use text::{capitalize, explained, fit, justify, plain_name, told, truncate, width, wrap, wrapped};
pub(crate) use theme::{ColorDepth, Theme};
pub(crate) use window::window;
