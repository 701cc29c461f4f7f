//! Ranges of files, many of them in one command.

mod job;
mod reader;
mod tools;

pub use job::{ChunkHead, RangeJob};
pub use reader::RangeReader;
pub use tools::{RangeTool, RangeTools, probe_command, read_probe};
