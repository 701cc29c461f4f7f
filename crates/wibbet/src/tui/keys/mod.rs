//! Keys, and what they mean: in layers, as tables. Help, bottom line, menus, palette, the feet of windows and every
//! sentence that names a key are made from them.

mod action;
mod binding;
mod key;
mod layer;
mod menus;
mod rooms;
mod windows;

pub(crate) use action::{Action, View};
pub(crate) use binding::Binding;
pub(crate) use key::Key;
pub(crate) use layer::{Layer, by_name, called, hint, in_room, menu_of, own_of};
