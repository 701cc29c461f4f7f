//! The job sheet: what was done to a device, for whoever gets it back. What stands on it is worked out here; `report` puts it on paper.

mod sheet;
mod words;

pub use sheet::{Bar, Sheet, SheetPart, SheetRow, SheetSource, Without, job_sheet, runs_of_job};
pub use words::{BadWords, SheetWords, read_words, write_words};
