//! The layout of the file.

use std::path::Path;
use std::time::Duration;

use rusqlite::{Connection, ErrorCode, TransactionBehavior};

use crate::error::LogbookError;

/// The layout that this program writes. Steps to later layouts are added to [`STEPS`].
const LAYOUT: i64 = STEPS.len() as i64;

/// From each layout to the next.
const STEPS: [&str; 1] = ["
CREATE TABLE devices (
    serial TEXT PRIMARY KEY,
    maker TEXT NOT NULL, model TEXT NOT NULL,
    sdk INTEGER NOT NULL, release TEXT NOT NULL, patch TEXT NOT NULL,
    address TEXT NOT NULL,
    first_seen INTEGER NOT NULL, last_seen INTEGER NOT NULL      -- milliseconds since 1970, UTC
) STRICT;
CREATE TABLE runs (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    serial TEXT NOT NULL, kind TEXT NOT NULL, state TEXT NOT NULL,
    begun INTEGER NOT NULL, touched INTEGER NOT NULL
) STRICT;
CREATE INDEX runs_of_device ON runs (serial, number);
CREATE TABLE steps (
    run INTEGER NOT NULL REFERENCES runs (number), place INTEGER NOT NULL,
    package TEXT NOT NULL, user INTEGER NOT NULL, way TEXT NOT NULL,
    words TEXT NOT NULL,                                          -- as they go to the device
    before TEXT NOT NULL,                                         -- state, e.g. installed=1 hidden=0 suspended=0 enabled=0
    state TEXT NOT NULL,                                          -- waiting, sent, answered, settled
    tries INTEGER NOT NULL DEFAULT 0,
    sent INTEGER, answered INTEGER, settled INTEGER,
    answer TEXT, after TEXT, outcome TEXT,
    remark TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (run, place)
) STRICT, WITHOUT ROWID;
"];

pub(crate) fn open(path: &Path) -> Result<Connection, LogbookError> {
    let failed = |error| LogbookError::from_sqlite(path, error);
    let mut connection = Connection::open(path).map_err(failed)?;
    connection.busy_timeout(Duration::from_secs(10)).map_err(failed)?;
    let settle = |connection: &Connection| -> rusqlite::Result<()> {
        connection.pragma_update(None, "journal_mode", "WAL")?;
        connection.pragma_update(None, "synchronous", "FULL")?;
        connection.pragma_update(None, "foreign_keys", "ON")
    };
    // Changing the journal is the one thing that SQLite does not wait for: of two programs that
    // begin a logbook at once, one is told "busy" right away.
    let mut tries = 0;
    while let Err(error) = settle(&connection) {
        tries += 1;
        if tries > 100 || error.sqlite_error_code() != Some(ErrorCode::DatabaseBusy) {
            return Err(failed(error));
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    // Of two programs that begin a logbook at once, the second waits here and finds it made.
    let change = connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(failed)?;
    let found: i64 = change.query_row("PRAGMA user_version", [], |row| row.get(0)).map_err(failed)?;
    if found > LAYOUT {
        return Err(LogbookError::Newer { path: path.into(), found, known: LAYOUT });
    }
    for step in STEPS.iter().skip(usize::try_from(found).unwrap_or(0)) {
        change.execute_batch(step).map_err(failed)?;
    }
    change.pragma_update(None, "user_version", LAYOUT).map_err(failed)?;
    change.commit().map_err(failed)?;
    Ok(connection)
}
