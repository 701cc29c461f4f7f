//! The record on disk: devices, runs and their steps, in one SQLite file.
//!
//! What is promised: a step is on disk as "sent" before it is sent, its answer before it is read
//! back, its outcome before the next program learns of it. Every write is a transaction that has
//! reached the disk when the call returns (`synchronous = FULL`). Several programs may use one
//! logbook; who works on a device holds its [`Claim`].
//!
//! The logbook decides nothing: it keeps what it is given.

mod after;
mod apps;
mod breaks;
mod claim;
mod copies;
mod devices;
mod error;
mod finders;
mod jobs;
mod keeping;
mod looks;
mod merging;
mod notes;
mod rows;
mod runs;
mod schema;
mod settings;
mod told;
use std::path::{Path, PathBuf};

use rusqlite::Connection;
use wibbet_types::private_folder;

pub use claim::{Claim, ClaimError, MeetingPlaces};
pub use devices::KnownDevice;
pub use error::LogbookError;
pub use keeping::Erased;
pub use merging::Merged;
pub use runs::NewStep;

type Result<T> = std::result::Result<T, LogbookError>;

/// An open logbook.
#[derive(Debug)]
pub struct Logbook {
    connection: Connection,
    path: PathBuf,
}

impl Logbook {
    /// The name of the file within its folder.
    pub const FILE: &'static str = "logbook.sqlite";

    /// Opens the logbook in a folder; folder and file are made at first use.
    ///
    /// # Errors
    /// When the file cannot be opened, is no logbook, or was written by a newer Wibbet.
    pub fn open(folder: &Path) -> Result<Self> {
        let path = folder.join(Self::FILE);
        private_folder(folder).map_err(|why| LogbookError::Folder { path: folder.into(), why })?;
        let connection = schema::open(&path)?;
        Ok(Self { connection, path })
    }

    /// Opens the logbook of a folder for looking only: `None` where there is none. Nothing is written, unless it has the
    /// layout of an older Wibbet.
    ///
    /// # Errors
    /// As [`Logbook::open`]; [`LogbookError::ReadOnly`] where it would have to be written first and cannot be.
    pub fn open_to_look(folder: &Path) -> Result<Option<Self>> {
        let path = folder.join(Self::FILE);
        Ok(schema::open_to_look(&path)?.map(|connection| Self { connection, path }))
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    fn failed(&self) -> impl Fn(rusqlite::Error) -> LogbookError + '_ {
        |error| LogbookError::from_sqlite(&self.path, error)
    }
}
