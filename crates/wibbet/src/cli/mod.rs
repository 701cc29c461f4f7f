//! The command line.

mod args;
pub(crate) mod commands;
mod examples;
mod options;
mod order_args;
mod resolve;

pub(crate) use args::{Arguments, Command, LogbookCommand};
pub(crate) use examples::command;
pub(crate) use options::How;
pub(crate) use order_args::{OrderCommand, Ordered};
pub(crate) use resolve::Finder;
