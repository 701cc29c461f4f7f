//! Reading what a device printed: one module for each command.

mod answers;
mod apks;
mod bindings;
mod changes;
mod essential;
mod failures;
mod figures;
mod foreground;
mod given;
mod help;
mod install;
mod languages;
mod lines;
mod metrics;
mod pace;
mod packages_dump;
mod packages_list;
mod parts;
mod placed;
mod processes;
mod properties;
mod ranges;
mod read_back;
mod round;
mod shared_users;
mod short_dump;
mod signs;
mod survey;
mod ties;
mod users;
mod vitals;
mod written;

pub use answers::{answers_request, read_answers_to_needs};
pub use apks::{ApkCounts, ApkPaths, ApkReading, ApkWork, Looked};
pub use bindings::{bindings_request, read_bindings};
pub use changes::{ChangesPermitted, changes_request, read_changes};
pub(crate) use essential::read_answers;
pub use essential::{essential_request, read_essential};
pub use failures::{failures_request, log_time_request, read_failures, read_log_time};
pub use figures::{figures_request, read_figures};
pub use foreground::{FrontEvents, front_events_request, front_request, read_front};
pub use given::{Choices, given_request, read_choices};
pub use help::{HELP, commands_requests, read_commands};
pub use install::{
    abandon_request, commit_request, create_request, install_words, paths_request, read_created, read_paths, read_sums,
    sums_request, write_file_request,
};
pub use languages::{language_request, read_languages};
pub use metrics::{MeasureReader, measure_requests, sizes_request, sizing_request};
pub use pace::Pace;
pub use packages_dump::{DumpReader, DumpedPackage, PackageDump};
pub use packages_list::{
    disabled_request, installed_request, known_request, quiet_request, read_installed, read_package_list, read_quiet,
};
pub(crate) use parts::{marked_request, parts};
pub use placed::{
    Found, UnknownPlace, clear_up_request, folder_request, is_as_kept, is_part_of, place_requests, read_folder,
    says_placed, take_away_request,
};
pub use processes::ProcessOwners;
pub use properties::{IDENTITY, IS_TV, PROPERTIES, Properties, read_identity, read_is_tv};
pub use ranges::{RangeAnswer, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
pub use read_back::{ReadBack, read_back, read_back_all, read_back_request};
pub use shared_users::{SharedUsers, read_shared_users, shared_users_request};
pub use short_dump::{ShortDump, ShortForm, read_short_dump, short_dump_request};
pub use signs::{
    StartSigns, read_signs, read_system_crash, says_found, service_request, signs_request, system_crash_request,
};
pub use survey::{inventory, survey_dump, survey_list};
pub use ties::{read_ties, ties_request};
pub use users::{read_users, users_by_number, users_requests};
pub use vitals::{read_report, read_stored_keys, report_request, stored_keys_request, vitals_request};
pub use written::{says_written, write_request};
