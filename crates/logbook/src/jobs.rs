//! For whom and by whom runs are done.

use rusqlite::{Connection, OptionalExtension as _, Row, params};
use wibbet_core::plan::Job;
use wibbet_types::{DeviceId, PlainText, RunId};

use crate::{Logbook, Result};

/// The columns of a job.
pub(crate) const COLUMNS: &str = "technician, ticket, customer, note";

/// A job out of its columns, as it may be shown.
pub(crate) fn job_of(row: &Row<'_>, first: usize) -> rusqlite::Result<Job> {
    let text = |n: usize| row.get::<_, String>(first + n).map(|text| PlainText::new(&text).into_string());
    Ok(Job { technician: text(0)?, ticket: text(1)?, customer: text(2)?, note: text(3)? })
}

/// Writes down of what job a run is a part.
pub(crate) fn write(connection: &Connection, run: i64, job: &Job) -> rusqlite::Result<()> {
    let sql = "UPDATE runs SET technician = ?2, ticket = ?3, customer = ?4, note = ?5 WHERE number = ?1";
    connection.execute(sql, params![run, job.technician, job.ticket, job.customer, job.note]).map(|_| ())
}

/// Has a run be part of the job that its device is at.
pub(crate) fn take_at_hand(connection: &Connection, run: i64, device: &DeviceId) -> rusqlite::Result<()> {
    let sql = "UPDATE runs SET technician = job.technician, ticket = job.ticket, customer = job.customer, note = job.note \
               FROM jobs_at_hand AS job WHERE number = ?1 AND job.device = ?2";
    connection.execute(sql, params![run, device.as_str()]).map(|_| ())
}

impl Logbook {
    /// The job that a device is at: what runs begun now are part of.
    pub fn job_at_hand(&self, device: &DeviceId) -> Result<Job> {
        let sql = format!("SELECT {COLUMNS} FROM jobs_at_hand WHERE device = ?1");
        let found = self.connection.query_row(&sql, [device.as_str()], |row| job_of(row, 0)).optional();
        found.map(Option::unwrap_or_default).map_err(self.failed())
    }

    /// A device is at another job; an empty one ends it.
    pub fn set_job_at_hand(&self, device: &DeviceId, job: &Job) -> Result<()> {
        let done = match job.is_empty() {
            true => self.connection.execute("DELETE FROM jobs_at_hand WHERE device = ?1", [device.as_str()]),
            false => self.connection.execute(
                &format!("INSERT OR REPLACE INTO jobs_at_hand (device, {COLUMNS}) VALUES (?1, ?2, ?3, ?4, ?5)"),
                params![device.as_str(), job.technician, job.ticket, job.customer, job.note],
            ),
        };
        done.map(|_| ()).map_err(self.failed())
    }

    /// Writes down of what job a run is a part.
    pub fn set_job(&self, run: RunId, job: &Job) -> Result<()> {
        write(&self.connection, run.number(), job).map_err(self.failed())
    }
}
