//! A file for each group of commands.

mod asking;
pub(crate) mod catch;
pub(crate) mod change;
pub(crate) mod changes;
pub(crate) mod config;
pub(crate) mod copies;
mod drawing;
pub(crate) mod files;
pub(crate) mod find_fault;
mod interrupt;
pub(crate) mod life;
pub(crate) mod links;
pub(crate) mod logbook;
pub(crate) mod look;
pub(crate) mod order;
pub(crate) mod order_apply;
pub(crate) mod order_line;
pub(crate) mod order_record;
pub(crate) mod packages;
pub(crate) mod part;
pub(crate) mod settings;
pub(crate) mod sheet;
pub(crate) mod shelf;
pub(crate) mod tidy;
pub(crate) mod update_break;
pub(crate) mod why;
