//! A file for each group of commands.

mod after;
mod asking;
pub(crate) mod change;
mod drawing;
pub(crate) mod files;
pub(crate) mod links;
pub(crate) mod look;
pub(crate) mod packages;
pub(crate) mod shelf;
pub(crate) mod why;
