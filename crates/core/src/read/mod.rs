//! Reading what a device printed: one module for each command.

mod apks;
mod changes;
mod essential;
mod foreground;
mod help;
mod languages;
mod lines;
mod metrics;
mod packages_dump;
mod packages_list;
mod parts;
mod properties;
mod ranges;
mod read_back;
mod survey;
mod users;
mod vitals;
mod written;

pub use apks::{ApkCounts, ApkPaths, ApkReading, ApkWork, Looked, RangeAnswer};
pub use changes::{ChangesPermitted, changes_request, read_changes};
pub use essential::{essential_request, read_essential};
pub use foreground::{front_request, read_front};
pub use help::{HELP, commands_requests, read_commands};
pub use languages::{language_request, read_languages};
pub use metrics::{MeasureReader, measure_requests, sizes_request};
pub use packages_dump::{DumpReader, DumpedPackage, PackageDump};
pub use packages_list::{installed_request, known_request, read_installed, read_package_list};
pub use properties::{IDENTITY, PROPERTIES, Properties, read_identity};
pub use ranges::{ChunkHead, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
pub use read_back::{ReadBack, read_back, read_back_all, read_back_request};
pub use survey::{inventory, survey_dump, survey_list};
pub use users::{read_users, users_by_number, users_requests};
pub use vitals::{read_report, report_request};
pub use written::{says_written, write_request};
