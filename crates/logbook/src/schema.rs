//! The layout of the file.

use std::path::{Path, PathBuf};
use std::time::Duration;

use rusqlite::{Connection, ErrorCode, OpenFlags, TransactionBehavior};
use wibbet_types::private_file;

use crate::error::LogbookError;

/// The layout that this program writes. Steps to later layouts are added to [`STEPS`].
pub(crate) const LAYOUT: i64 = STEPS.len() as i64;

/// From each layout to the next.
const STEPS: [&str; 22] = ["
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
", "
-- Devices of equal serial are told apart; `id` is what runs name them by.
CREATE TABLE devices_2 (
    id TEXT PRIMARY KEY, serial TEXT NOT NULL,
    maker TEXT NOT NULL, model TEXT NOT NULL, kind TEXT NOT NULL,
    sdk INTEGER NOT NULL, release TEXT NOT NULL, patch TEXT NOT NULL, build TEXT NOT NULL,
    android_id TEXT,
    address TEXT NOT NULL,                                        -- the route by which it was last linked
    forgotten INTEGER NOT NULL DEFAULT 0,                         -- not linked by itself any more
    awake_before INTEGER,                                         -- stay_on_while_plugged_in as it was before Wibbet changed it
    first_seen INTEGER NOT NULL, last_seen INTEGER NOT NULL
) STRICT;
INSERT INTO devices_2 (id, serial, maker, model, kind, sdk, release, patch, build, address, first_seen, last_seen)
    SELECT serial, serial, maker, model, 'unknown', sdk, release, patch, '', address, first_seen, last_seen FROM devices;
DROP TABLE devices;
ALTER TABLE devices_2 RENAME TO devices;
CREATE INDEX devices_of_serial ON devices (serial);
", "
-- What APKs tell, by what identifies the file and the languages that were looked for. Can be read again at any time.
CREATE TABLE apps (
    path TEXT NOT NULL, size INTEGER NOT NULL, time INTEGER NOT NULL, version INTEGER NOT NULL,
    build TEXT NOT NULL, languages TEXT NOT NULL,
    package TEXT NOT NULL,
    label TEXT, locale TEXT NOT NULL,
    home TEXT NOT NULL,                                           -- a line for each entry: class, tab, label
    parts TEXT NOT NULL,                                          -- activities services receivers providers
    overlay_of TEXT, libraries TEXT NOT NULL, trouble TEXT,
    PRIMARY KEY (path, build, languages)
) STRICT, WITHOUT ROWID;
-- What somebody wrote down of a package: for a device (its id), a model (maker and model), or all (empty).
CREATE TABLE notes (
    package TEXT NOT NULL, scope TEXT NOT NULL, whose TEXT NOT NULL,
    text TEXT NOT NULL, star INTEGER NOT NULL, touched INTEGER NOT NULL,
    PRIMARY KEY (package, scope, whose)
) STRICT, WITHOUT ROWID;
-- How somebody has set the program up: columns, saved searches.
CREATE TABLE choices (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT, WITHOUT ROWID;
", "
-- The serial by which a device goes on its cable, or in another program's server: not always the one that it tells.
ALTER TABLE devices ADD COLUMN known_as TEXT;
-- Labels are chosen and kept by other rules since; the files are read again.
DELETE FROM apps;
", "
-- The order in which things were sent, which clocks do not tell; where a step that puts back leads to; and whether somebody
-- has allowed a step that has no way back.
ALTER TABLE steps ADD COLUMN sent_order INTEGER;
ALTER TABLE steps ADD COLUMN target TEXT;
ALTER TABLE steps ADD COLUMN for_good INTEGER NOT NULL DEFAULT 0;
UPDATE steps SET sent_order = placed.n FROM (
    SELECT run, place, row_number() OVER (ORDER BY coalesce(settled, answered, sent), run, place) AS n
    FROM steps WHERE sent IS NOT NULL
) AS placed WHERE steps.run = placed.run AND steps.place = placed.place;
CREATE INDEX order_of_steps ON steps (sent_order);
-- Where a device was met by wireless debugging is not remembered any more: the port was that of one start.
UPDATE devices SET address = '' WHERE sdk >= 30 AND address LIKE '%:%' AND address NOT LIKE '%:5555';
", "
-- What an APK tells is kept for each device: what one tells is not what its like have to be shown.
DROP TABLE apps;
CREATE TABLE apps (
    path TEXT NOT NULL, size INTEGER NOT NULL, time INTEGER NOT NULL, version INTEGER NOT NULL,
    build TEXT NOT NULL, languages TEXT NOT NULL, device TEXT NOT NULL,
    package TEXT NOT NULL,
    label TEXT, locale TEXT NOT NULL,
    home TEXT NOT NULL,                                           -- a line for each entry: class, tab, label
    parts TEXT NOT NULL,                                          -- activities services receivers providers
    overlay_of TEXT, libraries TEXT NOT NULL, trouble TEXT,
    PRIMARY KEY (path, build, languages, device)
) STRICT, WITHOUT ROWID;
", "
-- What a step installs that puts a package back by its APK.
ALTER TABLE steps ADD COLUMN apk TEXT;
", "
-- What people had given a package for the user, a line each; and what became of giving it again.
ALTER TABLE steps ADD COLUMN given TEXT;
ALTER TABLE steps ADD COLUMN returned TEXT;
", "
-- The name that a device is sold under.
ALTER TABLE devices ADD COLUMN market TEXT NOT NULL DEFAULT '';
", "
-- By which others find an app, and whom it talks to. The files are read again for it.
DELETE FROM apps;
ALTER TABLE apps ADD COLUMN declared TEXT NOT NULL DEFAULT '';
", "
-- Whom the framework names stands in what it declares now. The files are read again for it.
DELETE FROM apps;
", "
-- What is tried where a step is refused; for whom and by whom a run is done, and the job that a device is at.
ALTER TABLE runs ADD COLUMN on_refusal TEXT NOT NULL DEFAULT 'leave';
ALTER TABLE runs ADD COLUMN technician TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN ticket TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN note TEXT NOT NULL DEFAULT '';
CREATE TABLE jobs_at_hand (
    device TEXT PRIMARY KEY, technician TEXT NOT NULL, ticket TEXT NOT NULL, note TEXT NOT NULL
) STRICT, WITHOUT ROWID;
", "
-- Copies of packages' APKs that are kept on this computer, in a folder below that of all copies.
CREATE TABLE copies (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL, run INTEGER, package TEXT NOT NULL,
    version_code INTEGER, version TEXT NOT NULL, installer TEXT,
    made INTEGER NOT NULL, folder TEXT NOT NULL,
    files TEXT NOT NULL                                           -- a line for each: size, SHA-256, name, where it was
) STRICT;
CREATE INDEX copies_of_device ON copies (device, package);
ALTER TABLE steps ADD COLUMN copy INTEGER;
", "
-- The device in figures before a run and after it; and what was seen of it afterwards.
ALTER TABLE runs ADD COLUMN figures_before TEXT;
ALTER TABLE runs ADD COLUMN figures_after TEXT;
CREATE TABLE seen_after (
    run INTEGER NOT NULL, at INTEGER NOT NULL, words TEXT NOT NULL
) STRICT;
CREATE INDEX seen_after_runs ON seen_after (run);
-- Commands of a device's shell that somebody typed, written down before they are sent.
CREATE TABLE commands (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL, sent INTEGER NOT NULL, command TEXT NOT NULL,
    answer TEXT, code INTEGER
) STRICT;
", "
-- Whether somebody has said that a copy may be installed on other devices of the model.
ALTER TABLE copies ADD COLUMN offered INTEGER NOT NULL DEFAULT 0;
-- Of what was removed from the system: a line for each thing that lay in its folder, see `Placed`.
ALTER TABLE copies ADD COLUMN placed TEXT NOT NULL DEFAULT '';
", "
-- What the start of the device loses with a step, by class; nothing where that was not known.
ALTER TABLE steps ADD COLUMN start_class INTEGER;
", "
-- Uses of the fault finder: a line for each suspect and for each round, see `Suspect` and `Round`.
CREATE TABLE finders (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL, begun INTEGER NOT NULL, what TEXT NOT NULL,
    suspects TEXT NOT NULL, rounds TEXT NOT NULL, ended INTEGER
) STRICT;
", "
-- Looks at devices, a line for each package and role, see `Look`, packed by DEFLATE; a look that shows what the last one did is written
-- down as its `until`.
CREATE TABLE looks (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL, at INTEGER NOT NULL, until INTEGER NOT NULL, build TEXT NOT NULL,
    boot TEXT, packed BLOB NOT NULL
) STRICT;
CREATE INDEX looks_devices ON looks (device);
-- Update breaks: a line for each package that was out, see `BreakItem`, and for each that the device had.
CREATE TABLE breaks (
    number INTEGER PRIMARY KEY AUTOINCREMENT,
    device TEXT NOT NULL, begun INTEGER NOT NULL, build TEXT NOT NULL,
    items TEXT NOT NULL, packages TEXT NOT NULL, ended INTEGER
) STRICT;
-- How long the device's last start took, in milliseconds, where that was seen.
ALTER TABLE devices ADD COLUMN start_took INTEGER;
-- What tells by itself whether something is broken still, see `Check`.
ALTER TABLE finders ADD COLUMN told_by TEXT;
", "
-- The name of the order that a run carries out; empty where it is none's.
ALTER TABLE runs ADD COLUMN order_name TEXT NOT NULL DEFAULT '';
-- The names of its packages, a line each with the id, and what would be missed, a line each; nothing where that was not worked out.
ALTER TABLE runs ADD COLUMN names TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN missed TEXT;
", "
-- For whom a job is done.
ALTER TABLE runs ADD COLUMN customer TEXT NOT NULL DEFAULT '';
ALTER TABLE jobs_at_hand ADD COLUMN customer TEXT NOT NULL DEFAULT '';
", "
-- Of a run that was taken in from another bench: the bench's name, and its number there; nothing of what was made here.
ALTER TABLE runs ADD COLUMN bench TEXT;
ALTER TABLE runs ADD COLUMN bench_run INTEGER;
-- The place of a step in the order of what its own bench sent, once that of all benches is another one.
ALTER TABLE steps ADD COLUMN bench_order INTEGER;
CREATE UNIQUE INDEX runs_of_benches ON runs (bench, bench_run) WHERE bench IS NOT NULL;
-- What became of closing links: a line for each thing, see `CloseStep`.
CREATE TABLE closings (
    device TEXT NOT NULL, at INTEGER NOT NULL, steps TEXT NOT NULL
) STRICT;
CREATE INDEX closings_of_device ON closings (device, at);
-- The name by which this logbook's runs are known on other benches.
INSERT OR IGNORE INTO choices (name, value) VALUES ('bench', lower(hex(randomblob(4))));
", "
-- Settings of devices that orders have set, and that were put back. Written down before they are sent.
CREATE TABLE settings (
    number INTEGER PRIMARY KEY, device TEXT NOT NULL,
    run INTEGER, order_name TEXT NOT NULL, note TEXT NOT NULL,    -- what they came with; empty where they were put back
    user INTEGER NOT NULL, space TEXT NOT NULL, name TEXT NOT NULL,
    was TEXT, wanted TEXT,                                        -- nothing for what is not set
    state TEXT NOT NULL, remark TEXT NOT NULL,
    at INTEGER NOT NULL,
    undoes INTEGER NOT NULL,                                      -- it puts back what was set before it
    back INTEGER                                                  -- when that was put back
) STRICT;
CREATE INDEX settings_of_device ON settings (device, number);
-- When its files were handed over or deleted. Steps of runs name it still.
ALTER TABLE copies ADD COLUMN let_go INTEGER;
"];

pub(crate) fn open(path: &Path) -> Result<Connection, LogbookError> {
    let failed = |error| LogbookError::from_sqlite(path, error);
    // The record tells of other people's devices: it is for its owner only. What was made otherwise, or has been given
    // to others since, stays as it is. Files that SQLite puts beside it get the same rights.
    // Why it cannot be made SQLite tells too.
    let _ = private_file(path);
    let mut connection = Connection::open(path).map_err(failed)?;
    connection.busy_timeout(Duration::from_secs(10)).map_err(failed)?;
    let settle = |connection: &Connection| -> rusqlite::Result<()> {
        connection.pragma_update(None, "journal_mode", "WAL")?;
        connection.pragma_update(None, "synchronous", "FULL")?;
        // On macOS "written" means on the disk's own cache without this; elsewhere it does nothing.
        connection.pragma_update(None, "fullfsync", "ON")?;
        connection.pragma_update(None, "checkpoint_fullfsync", "ON")?;
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
    let before = version(&connection).map_err(failed)?;
    if before == LAYOUT {
        return Ok(connection);
    }
    if (1..LAYOUT).contains(&before) {
        keep_copy(&connection, path, before)?;
    }
    // Of two programs that begin a logbook at once, the second waits here and finds it made.
    let change = connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(failed)?;
    let found = version(&change).map_err(failed)?;
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

/// Makes the tables of this layout in a file that has none.
pub(crate) fn build(connection: &Connection) -> rusqlite::Result<()> {
    STEPS.iter().try_for_each(|step| connection.execute_batch(step))
}

fn version(connection: &Connection) -> rusqlite::Result<i64> {
    connection.query_row("PRAGMA user_version", [], |row| row.get(0))
}

/// Keeps the logbook as it is beside itself, before it gets a new layout, which an older Wibbet could not read. Whole under
/// its name or not there: a copy that was ended in the middle lies under another name.
fn keep_copy(connection: &Connection, path: &Path, layout: i64) -> Result<(), LogbookError> {
    let disk =
        |why: std::io::Error| LogbookError::Disk { path: path.into(), why: format!("no copy could be made: {why}") };
    let copy = path.with_extension(format!("layout-{layout}.sqlite"));
    if copy.exists() {
        return Ok(());
    }
    // Two programs that come to this at once make one each.
    copy_to(connection, &copy, path.with_extension(format!("layout-{layout}.{}", std::process::id())), disk)
}

/// Writes the logbook as it is at this moment into a file, by way of a draft: whole under its name, or not there.
pub(crate) fn copy_to(
    connection: &Connection,
    to: &Path,
    draft: PathBuf,
    disk: impl Fn(std::io::Error) -> LogbookError,
) -> Result<(), LogbookError> {
    let _ = std::fs::remove_file(&draft);
    let made = private_file(&draft).map_err(&disk).and_then(|()| {
        let words = [draft.to_string_lossy()];
        connection.execute("VACUUM INTO ?1", words).map_err(|error| LogbookError::from_sqlite(to, error))?;
        std::fs::File::open(&draft).and_then(|file| file.sync_all()).map_err(&disk)?;
        std::fs::rename(&draft, to).map_err(&disk)
    });
    if made.is_err() {
        // What is half made is of no use, and the first trouble is the one to tell.
        let _ = std::fs::remove_file(&draft);
    }
    made
}

/// Opens a logbook for looking: nothing is written, so it may be on a disk that cannot be written, or another's.
/// `None` where there is none.
pub(crate) fn open_to_look(path: &Path) -> Result<Option<Connection>, LogbookError> {
    let failed = |error| LogbookError::from_sqlite(path, error);
    if !path.exists() {
        return Ok(None);
    }
    let look = |name: &str, flags| {
        let connection = Connection::open_with_flags(name, OpenFlags::SQLITE_OPEN_READ_ONLY | flags)?;
        connection.busy_timeout(Duration::from_secs(10))?;
        let found = version(&connection)?;
        Ok::<_, rusqlite::Error>((connection, found))
    };
    let seen = look(&path.to_string_lossy(), OpenFlags::empty());
    let (connection, found) = match seen {
        // SQLite wants files of its own beside it, even for looking. Without them it may be read as long as nothing waits
        // beside it to be taken in.
        Err(error) if error.sqlite_error_code() == Some(ErrorCode::CannotOpen) => {
            let waiting =
                path.with_file_name(format!("{}-wal", path.file_name().unwrap_or_default().to_string_lossy()));
            if waiting.metadata().is_ok_and(|file| file.len() > 0) {
                return Err(LogbookError::ReadOnly { path: path.into() });
            }
            look(&file_uri(path), OpenFlags::SQLITE_OPEN_URI).map_err(failed)?
        }
        seen => seen.map_err(failed)?,
    };
    match found {
        LAYOUT => Ok(Some(connection)),
        // Of an older layout nothing can be asked before it has the new one.
        _ if found < LAYOUT => open(path).map(Some),
        _ => Err(LogbookError::Newer { path: path.into(), found, known: LAYOUT }),
    }
}

/// The file as SQLite's interface wants to have it named, and that nobody changes it meanwhile.
fn file_uri(path: &Path) -> String {
    let mut uri = "file:".to_owned();
    for byte in path.to_string_lossy().bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'.' | b'-' | b'_' => uri.push(char::from(byte)),
            _ => uri.push_str(&format!("%{byte:02X}")),
        }
    }
    uri + "?immutable=1"
}
