//! The command line.

mod args;
pub(crate) mod commands;
mod options;
mod resolve;

pub(crate) use args::{Arguments, Command, LogbookCommand};
pub(crate) use options::How;
pub(crate) use resolve::Finder;
