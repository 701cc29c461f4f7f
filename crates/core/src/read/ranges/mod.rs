//! Ranges of files, many of them in one command.

mod find;
mod job;
mod probe;
mod reader;
mod tools;

pub use job::{RangeAnswer, RangeJob};
pub use probe::{probe_command, read_probe};
pub use reader::RangeReader;
pub use tools::{RangeTool, RangeTools};
