//! The command line.

mod args;
pub(crate) mod commands;
mod resolve;

pub(crate) use args::{Arguments, Command, How};
pub(crate) use resolve::Finder;
