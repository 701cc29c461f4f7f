//! Keys, and what they mean.

mod action;
mod key;
mod keymap;

pub(crate) use action::{Action, View};
pub(crate) use keymap::{KEYMAP, action_of, key_of};
