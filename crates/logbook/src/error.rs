//! What can go wrong with the record.

use std::path::{Path, PathBuf};

use rusqlite::ErrorCode;
use thiserror::Error;

/// Why the logbook could not be read or written.
#[derive(Debug, Error)]
pub enum LogbookError {
    /// Its folder could not be made.
    #[error("the folder {path} could not be made: {why}")]
    Folder {
        /// The folder.
        path: PathBuf,
        /// What the system said.
        why: std::io::Error,
    },
    /// The disk is full.
    #[error(
        "the logbook {path} could not be written: the disk is full. Nothing more is sent to a device until there is room"
    )]
    Full {
        /// The file.
        path: PathBuf,
    },
    /// The disk does not do what is asked of it. SQLite says so too when a full disk has no room for
    /// the files that it works with.
    #[error(
        "the logbook {path} could not be read or written: the disk is full or failing ({why}). Nothing more is sent to a \
         device until it can be"
    )]
    Disk {
        /// The file.
        path: PathBuf,
        /// What SQLite said.
        why: String,
    },
    /// It can be read at most.
    #[error(
        "the logbook {path} cannot be written: the disk or the file can only be read. Nothing is sent to a device without a \
         record. To look at it, copy it with the files beside it that begin with its name to where it can be written, and \
         name that folder by WIBBET_HOME"
    )]
    ReadOnly {
        /// The file.
        path: PathBuf,
    },
    /// Another program holds it.
    #[error("the logbook {path} is held by another program; try again in a moment")]
    Busy {
        /// The file.
        path: PathBuf,
    },
    /// It is no logbook, or it is damaged.
    #[error("{path} is not a logbook that can be read ({why}). Keep it, move it away, and Wibbet begins a new one")]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What was seen.
        why: String,
    },
    /// It was written by a newer Wibbet.
    #[error("the logbook {path} was written by a newer Wibbet (layout {found}, this one knows {known}); use that one")]
    Newer {
        /// The file.
        path: PathBuf,
        /// Its layout.
        found: i64,
        /// The newest layout that this program knows.
        known: i64,
    },
    /// Another device has this serial already, and it is too long for a number behind it.
    #[error("another device has the serial {serial} already, and it is too long to be told apart by a number")]
    NoIdLeft {
        /// The serial.
        serial: wibbet_types::Serial,
    },
    /// A step is not in the logbook.
    #[error("the logbook has no step {index} of run {run}")]
    NoSuchStep {
        /// The run.
        run: wibbet_types::RunId,
        /// The step's place.
        index: wibbet_types::StepIndex,
    },
    /// No use of the fault finder of that number goes on.
    #[error("the logbook has no fault finder {finder} that goes on")]
    NoSuchFinder {
        /// Its number.
        finder: wibbet_types::FinderId,
    },
    /// The fault finder goes on on a device already.
    #[error("the fault finder goes on on {device} already")]
    FinderGoesOn {
        /// The device.
        device: wibbet_types::DeviceId,
    },
    /// The device is on an update break already.
    #[error("{device} is on an update break already")]
    BreakGoesOn {
        /// The device.
        device: wibbet_types::DeviceId,
    },
    /// Anything else.
    #[error("the logbook {path} could not be used: {why}")]
    Other {
        /// The file.
        path: PathBuf,
        /// What SQLite said.
        why: String,
    },
}

/// A word in the record that no version of Wibbet wrote.
#[derive(Debug, Error)]
#[error("unknown word “{0}”")]
pub(crate) struct UnknownWord(pub(crate) String);

impl LogbookError {
    pub(crate) fn from_sqlite(path: &Path, error: rusqlite::Error) -> Self {
        let path = path.to_owned();
        let why = error.to_string();
        match error.sqlite_error_code() {
            Some(ErrorCode::DiskFull) => Self::Full { path },
            Some(ErrorCode::SystemIoFailure) => Self::Disk { path, why },
            Some(ErrorCode::ReadOnly) => Self::ReadOnly { path },
            Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => Self::Busy { path },
            Some(ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt) => Self::Damaged { path, why },
            None if matches!(error, rusqlite::Error::FromSqlConversionFailure(..)) => Self::Damaged { path, why },
            _ => Self::Other { path, why },
        }
    }
}
