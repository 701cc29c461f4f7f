//! The command line.

mod args;
pub(crate) mod commands;
mod resolve;

pub(crate) use args::{Arguments, Command, How, LogbookCommand};
pub(crate) use resolve::Finder;
