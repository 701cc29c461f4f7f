//! Looking after the record itself: whether it is whole, a copy of it, and what is known of a device erased on request.

use std::path::{Path, PathBuf};

use rusqlite::{TransactionBehavior, params};
use wibbet_core::package::KeptCopy;
use wibbet_types::DeviceId;

use crate::schema::{LAYOUT, copy_to};
use crate::{Logbook, LogbookError, Result};

/// What was erased of a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Erased {
    /// Rows, by what they are of, in words; without those of which there were none.
    pub rows: Vec<(&'static str, usize)>,
    /// The copies whose files are to be deleted now.
    pub copies: Vec<KeptCopy>,
    /// Whether its bytes are out of the file too: not while another program uses it.
    pub overwritten: bool,
    /// Older layouts of the logbook, which lie beside it and tell of the device still, if it was met then.
    pub older: Vec<PathBuf>,
}

/// What is kept of a device: a name for it, and which rows they are.
const OF_A_DEVICE: [(&str, &str, &str); 14] = [
    ("steps", "steps", "run IN (SELECT number FROM runs WHERE serial = ?1)"),
    ("sightings behind runs", "seen_after", "run IN (SELECT number FROM runs WHERE serial = ?1)"),
    ("runs", "runs", "serial = ?1"),
    ("looks", "looks", "device = ?1"),
    ("update breaks", "breaks", "device = ?1"),
    ("uses of the fault finder", "finders", "device = ?1"),
    ("closed links", "closings", "device = ?1"),
    ("settings", "settings", "device = ?1"),
    ("commands", "commands", "device = ?1"),
    ("copies", "copies", "device = ?1"),
    ("labels", "apps", "device = ?1"),
    ("notes", "notes", "scope = 'this device' AND whose = ?1"),
    ("jobs", "jobs_at_hand", "device = ?1"),
    ("choices", "choices", "name = 'tray ' || ?1"),
];

impl Logbook {
    /// What is wrong with the file, in words; nothing where all of it can be read and fits together.
    pub fn check(&self) -> Result<Vec<String>> {
        let mut statement = self.connection.prepare("PRAGMA integrity_check").map_err(self.failed())?;
        let told = statement.query_map([], |row| row.get::<_, String>(0)).map_err(self.failed())?;
        let told: Vec<String> = told.collect::<rusqlite::Result<_>>().map_err(self.failed())?;
        let mut wrong: Vec<String> = told.into_iter().filter(|words| words != "ok").collect();
        let sql = "SELECT count(*) FROM steps WHERE run NOT IN (SELECT number FROM runs)";
        let lost: i64 = self.connection.query_row(sql, [], |row| row.get(0)).map_err(self.failed())?;
        if lost > 0 {
            wrong.push(format!("{lost} steps are of runs that are not there"));
        }
        for run in self.runs(None)?.iter().filter(|run| !run.not_understood.is_empty()) {
            wrong.push(format!("run {}: {}", run.number, run.not_understood.join("; ")));
        }
        Ok(wrong)
    }

    /// Writes a copy of the logbook as it is at this moment, whoever else uses it: whole under its name, or not there. Nothing is written
    /// over.
    ///
    /// # Errors
    /// [`LogbookError::Disk`] where there is such a file, or it cannot be written.
    pub fn back_up(&self, to: &Path) -> Result<()> {
        let disk = |why: std::io::Error| LogbookError::Disk { path: to.into(), why: why.to_string() };
        if to.exists() {
            return Err(disk(std::io::ErrorKind::AlreadyExists.into()));
        }
        copy_to(&self.connection, to, to.with_extension(format!("draft-{}", std::process::id())), disk)
    }

    /// Erases what is kept of a device, in one go, its bytes in the file too where nobody else uses it. A run that is being carried out on it cannot
    /// be written down any more, and stops.
    pub fn erase(&mut self, device: &DeviceId) -> Result<Erased> {
        let copies = self.copies(Some(device))?;
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        let change = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(failed)?;
        let mut rows = Vec::new();
        for (words, table, which) in OF_A_DEVICE {
            let sql = format!("DELETE FROM {table} WHERE {which}");
            let count = change.execute(&sql, params![device.as_str()]).map_err(failed)?;
            rows.push((words, count));
        }
        let own = change.execute("DELETE FROM devices WHERE id = ?1", [device.as_str()]).map_err(failed)?;
        rows.insert(0, ("device", own));
        change.commit().map_err(failed)?;
        // Rows that were written over leave their bytes in pages: the file is written anew, and what lies beside it is taken in. Neither can
        // be while another program reads it.
        let whole = self.connection.execute_batch("VACUUM").is_ok();
        let busy = self.connection.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |row| row.get::<_, i64>(0));
        let overwritten = whole && busy.is_ok_and(|busy| busy == 0);
        rows.retain(|(_, count)| *count > 0);
        let older = (1..LAYOUT).map(|layout| path.with_extension(format!("layout-{layout}.sqlite")));
        Ok(Erased { rows, copies, overwritten, older: older.filter(|file| file.exists()).collect() })
    }
}
