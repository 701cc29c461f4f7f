//! The logbook of another bench, taken into this one: devices, runs, notes and update breaks. What is taken in is read as anything from
//! outside is: texts become harmless, and a file that is no logbook of this layout is refused before anything of it is used.

use std::collections::HashMap;
use std::path::Path;

use rusqlite::types::Value;
use rusqlite::{
    Connection, OpenFlags, OptionalExtension as _, Transaction, TransactionBehavior, params, params_from_iter,
};
use wibbet_types::{DeviceId, PlainText};

use crate::schema::LAYOUT;
use crate::{Logbook, LogbookError, Result};

/// What a merge took in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Merged {
    /// Devices that were not known here.
    pub devices: usize,
    /// Runs that were not.
    pub runs: usize,
    /// Runs that the other bench has known for longer since.
    pub runs_further: usize,
    /// Notes that are new or newer there.
    pub notes: usize,
    /// Update breaks that were not known here, or have ended there.
    pub breaks: usize,
    /// Runs of the other logbook that stand here as they stand there, or further.
    pub already: usize,
    /// Runs of this bench that are not here any more: they were erased, and stay so.
    pub gone: usize,
}

/// More rows of a kind, or longer texts, no bench has.
const MOST_ROWS: i64 = 1_000_000;
const LONGEST: usize = 1 << 20;

/// The columns of a run, but for its number and the bench that it is of.
const OF_RUN: &[&str] = &[
    "serial",
    "kind",
    "state",
    "begun",
    "touched",
    "on_refusal",
    "technician",
    "ticket",
    "customer",
    "note",
    "figures_before",
    "figures_after",
    "order_name",
    "names",
    "missed",
];

/// The columns of a step, but for its run, its place in the order of what was sent, and the copy.
const OF_STEP: &[&str] = &[
    "place",
    "package",
    "user",
    "way",
    "words",
    "before",
    "state",
    "tries",
    "sent",
    "answered",
    "settled",
    "answer",
    "after",
    "outcome",
    "remark",
    "target",
    "for_good",
    "apk",
    "given",
    "returned",
    "start_class",
];

const OF_DEVICE: &[&str] = &[
    "serial",
    "maker",
    "model",
    "kind",
    "sdk",
    "release",
    "patch",
    "build",
    "android_id",
    "known_as",
    "market",
    "start_took",
];

/// Columns that hold a line for each thing.
const IN_LINES: &[&str] = &["names", "missed", "given", "returned", "items", "packages"];

/// The tables that are read.
const TABLES: &[&str] = &["devices", "runs", "steps", "seen_after", "notes", "breaks", "choices"];

/// A run of the other logbook, with where it is from.
struct TheirRun {
    /// Its number there.
    there: i64,
    /// The bench that it was made on, and its number on that.
    bench: String,
    number: i64,
    touched: i64,
}

impl Logbook {
    /// The name by which the runs of this logbook are known on other benches.
    pub fn bench(&self) -> Result<String> {
        bench_of(&self.connection).map_err(self.failed())
    }

    /// Takes another logbook in, all of it or nothing: a file that [`Logbook::back_up`] has written. That one stays as it is. Twice is the same
    /// as once.
    ///
    /// # Errors
    /// [`LogbookError::Other`] where it is no logbook of this layout, or a copy of this one that has gone on apart.
    pub fn merge(&mut self, other: &Path) -> Result<Merged> {
        let theirs = open_theirs(other)?;
        let path = self.path.clone();
        let change = self
            .connection
            .transaction_with_behavior(TransactionBehavior::Immediate)
            .map_err(|error| LogbookError::from_sqlite(&path, error))?;
        let merged = merge(&change, &theirs, other)?;
        change.commit().map_err(|error| LogbookError::from_sqlite(&path, error))?;
        Ok(merged)
    }
}

fn bench_of(connection: &Connection) -> rusqlite::Result<String> {
    let told =
        connection.query_row("SELECT value FROM choices WHERE name = 'bench'", [], |row| row.get::<_, String>(0));
    Ok(shown(&told?).chars().filter(char::is_ascii_alphanumeric).take(16).collect())
}

fn shown(text: &str) -> String {
    PlainText::new(text).into_string()
}

fn not_one(path: &Path, why: impl std::fmt::Display) -> LogbookError {
    let why = PlainText::short(&why.to_string());
    LogbookError::Other { path: path.into(), why: format!("it is no logbook that can be taken in: {why}") }
}

/// Opens the file for reading, and makes sure that it is what it says it is: the tables are those of this layout, to the letter, so that nothing in
/// it is worked out by what the file brings along.
fn open_theirs(path: &Path) -> Result<Connection> {
    let bad = |error: rusqlite::Error| not_one(path, error);
    let theirs = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).map_err(bad)?;
    theirs
        .execute_batch("PRAGMA trusted_schema = OFF; PRAGMA cell_size_check = ON; PRAGMA query_only = ON")
        .map_err(bad)?;
    let layout: i64 = theirs.query_row("PRAGMA user_version", [], |row| row.get(0)).map_err(bad)?;
    if layout != LAYOUT {
        let words = format!(
            "it is of layout {layout} and this one of {LAYOUT}; both benches have to have the same version of Wibbet, and opened their logbook with it"
        );
        return Err(not_one(path, words));
    }
    let ours = Connection::open_in_memory().map_err(bad)?;
    crate::schema::build(&ours).map_err(bad)?;
    let made_by = |connection: &Connection, table: &str| {
        let sql = "SELECT sql FROM sqlite_master WHERE type = 'table' AND name = ?1";
        connection.query_row(sql, [table], |row| row.get::<_, String>(0)).optional()
    };
    for table in TABLES {
        if made_by(&theirs, table).map_err(bad)? != made_by(&ours, table).map_err(bad)? {
            return Err(not_one(path, format!("its table of {table} is none of Wibbet's")));
        }
        let count: i64 =
            theirs.query_row(&format!("SELECT count(*) FROM {table}"), [], |row| row.get(0)).map_err(bad)?;
        if count > MOST_ROWS {
            return Err(not_one(path, format!("it has {count} {table}, more than any bench has")));
        }
    }
    Ok(theirs)
}

fn merge(change: &Transaction<'_>, theirs: &Connection, other: &Path) -> Result<Merged> {
    let bad = |error: rusqlite::Error| not_one(other, error);
    let mut merged = Merged::default();
    let (ours, there) = (bench_of(change).map_err(bad)?, bench_of(theirs).map_err(bad)?);
    if there.is_empty() {
        return Err(not_one(other, "it does not say which bench it is of"));
    }
    let ids = merge_devices(change, theirs, &mut merged).map_err(bad)?;
    for run in runs_of(theirs, &there).map_err(bad)? {
        // What was made here stands under its own number.
        let own = run.bench == ours;
        let found = find_run(change, &run, own).map_err(bad)?;
        let of_it = |connection: &Connection, number: i64| {
            let sql = "SELECT serial, begun FROM runs WHERE number = ?1";
            connection.query_row(sql, [number], |row| Ok((row.get::<_, String>(0)?, row.get::<_, i64>(1)?)))
        };
        let (device, begun) = of_it(theirs, run.there).map_err(bad)?;
        let Some(device) = ids.get(&device) else {
            return Err(not_one(other, format!("run {} is of a device that it does not know", run.there)));
        };
        let further = match found {
            Some((number, touched)) => {
                if of_it(change, number).map_err(bad)? != (device.clone(), begun) {
                    let words = format!(
                        "run {} of bench {} is another one here than there: one of the two logbooks is a copy of the other, and both have gone on since",
                        run.number, run.bench
                    );
                    return Err(not_one(other, words));
                }
                if touched >= run.touched {
                    merged.already += 1;
                    continue;
                }
                Some(number)
            }
            // One of ours that is not here any more was erased, and stays so.
            None if own => {
                merged.gone += 1;
                continue;
            }
            None => None,
        };
        let number = take_run(change, theirs, &run, further, device).map_err(bad)?;
        take_steps(change, theirs, (run.there, number)).map_err(bad)?;
        match further {
            Some(_) => merged.runs_further += 1,
            None => merged.runs += 1,
        }
    }
    if merged.runs + merged.runs_further > 0 {
        put_in_order(change, &ours).map_err(bad)?;
    }
    merge_notes(change, theirs, &ids, &mut merged).map_err(bad)?;
    merge_breaks(change, theirs, &ids, &mut merged).map_err(bad)?;
    Ok(merged)
}

/// A value of a column, harmless.
fn taken_in(column: &str, value: Value) -> Value {
    match value {
        Value::Text(text) if IN_LINES.contains(&column) => {
            let cut: String = text.chars().take(LONGEST).collect();
            let lines = cut.split('\n').map(|line| line.split('\t').map(shown).collect::<Vec<_>>().join("\t"));
            Value::Text(lines.collect::<Vec<_>>().join("\n"))
        }
        Value::Text(text) => Value::Text(shown(&text.chars().take(LONGEST).collect::<String>())),
        other => other,
    }
}

/// The rows of a table by some columns, those where `which` holds.
fn rows(
    connection: &Connection,
    (table, columns, which): (&str, &[&str], &str),
    of: &[&dyn rusqlite::ToSql],
) -> rusqlite::Result<Vec<Vec<Value>>> {
    let sql = format!("SELECT {} FROM {table} WHERE {which}", columns.join(", "));
    let mut statement = connection.prepare_cached(&sql)?;
    let read = statement.query_map(of, |row| {
        columns.iter().enumerate().map(|(n, column)| Ok(taken_in(column, row.get(n)?))).collect()
    })?;
    read.collect()
}

fn insert(change: &Transaction<'_>, table: &str, columns: &[&str], values: &[Value]) -> rusqlite::Result<()> {
    let places: Vec<String> = (1..=columns.len()).map(|n| format!("?{n}")).collect();
    let sql = format!("INSERT INTO {table} ({}) VALUES ({})", columns.join(", "), places.join(", "));
    change.prepare_cached(&sql)?.execute(params_from_iter(values)).map(|_| ())
}

/// Takes devices in; what each is called here. Where it was met on the other bench, and what was changed there for its link, is of that bench.
fn merge_devices(
    change: &Transaction<'_>,
    theirs: &Connection,
    merged: &mut Merged,
) -> rusqlite::Result<HashMap<String, String>> {
    let mut ids = HashMap::new();
    let mut statement = theirs.prepare("SELECT id, first_seen, last_seen FROM devices ORDER BY id")?;
    let all =
        statement.query_map([], |row| Ok((row.get::<_, String>(0)?, row.get::<_, i64>(1)?, row.get::<_, i64>(2)?)))?;
    for device in all {
        let (id, first, last) = device?;
        // One whose name cannot be is left where it is, and so are its runs: they are refused above.
        if id.parse::<DeviceId>().is_err() {
            continue;
        }
        let Some(values) = rows(theirs, ("devices", OF_DEVICE, "id = ?1"), &[&id])?.pop() else { continue };
        let known = "SELECT id FROM devices WHERE serial = ?1 AND maker = ?2 AND model = ?3 \
                     AND (android_id IS NULL OR ?4 IS NULL OR android_id = ?4) ORDER BY id = ?5 DESC, id";
        let of = params![values[0], values[1], values[2], values[8], id];
        let here: Option<String> = change.query_row(known, of, |row| row.get(0)).optional()?;
        let here = match here {
            Some(here) => {
                let sql =
                    "UPDATE devices SET first_seen = min(first_seen, ?2), last_seen = max(last_seen, ?3) WHERE id = ?1";
                change.execute(sql, params![here, first, last])?;
                here
            }
            None => {
                let here = free_id(change, &id)?;
                let columns: Vec<&str> =
                    OF_DEVICE.iter().copied().chain(["id", "address", "first_seen", "last_seen"]).collect();
                let own = [Value::Text(here.clone()), Value::Text(String::new()), first.into(), last.into()];
                insert(change, "devices", &columns, &values.into_iter().chain(own).collect::<Vec<_>>())?;
                merged.devices += 1;
                here
            }
        };
        ids.insert(id, here);
    }
    Ok(ids)
}

/// A name for a device that no other one has here.
fn free_id(change: &Transaction<'_>, id: &str) -> rusqlite::Result<String> {
    let mut free = id.to_owned();
    let mut n = 2;
    while change.query_row("SELECT count(*) FROM devices WHERE id = ?1", [&free], |row| row.get::<_, i64>(0))? > 0 {
        free = format!("{id}.{n}");
        n += 1;
    }
    Ok(free)
}

fn runs_of(theirs: &Connection, there: &str) -> rusqlite::Result<Vec<TheirRun>> {
    let sql = "SELECT number, bench, bench_run, touched FROM runs ORDER BY begun, number";
    let mut statement = theirs.prepare(sql)?;
    let run = |row: &rusqlite::Row<'_>| {
        let number: i64 = row.get(0)?;
        let of: Option<(String, i64)> = row.get::<_, Option<String>>(1)?.zip(row.get::<_, Option<i64>>(2)?);
        let (bench, its) = of.unwrap_or_else(|| (there.to_owned(), number));
        let bench = bench.chars().filter(char::is_ascii_alphanumeric).take(16).collect();
        Ok(TheirRun { there: number, bench, number: its, touched: row.get(3)? })
    };
    statement.query_map([], run)?.collect()
}

/// The run as it stands here: its number, and when it was touched last.
fn find_run(change: &Transaction<'_>, run: &TheirRun, own: bool) -> rusqlite::Result<Option<(i64, i64)>> {
    let row = |row: &rusqlite::Row<'_>| Ok((row.get(0)?, row.get(1)?));
    match own {
        true => {
            let sql = "SELECT number, touched FROM runs WHERE number = ?1 AND bench IS NULL";
            change.query_row(sql, [run.number], row).optional()
        }
        false => {
            let sql = "SELECT number, touched FROM runs WHERE bench = ?1 AND bench_run = ?2";
            change.query_row(sql, params![run.bench, run.number], row).optional()
        }
    }
}

/// Writes a run down as the other bench has it, in the place of the one that stands here already. Its number here.
fn take_run(
    change: &Transaction<'_>,
    theirs: &Connection,
    run: &TheirRun,
    here: Option<i64>,
    device: &str,
) -> rusqlite::Result<i64> {
    let mut values = rows(theirs, ("runs", OF_RUN, "number = ?1"), &[&run.there])?.pop().unwrap_or_default();
    if let Some(serial) = values.first_mut() {
        *serial = Value::Text(device.to_owned());
    }
    if let Some(number) = here {
        change.execute("DELETE FROM steps WHERE run = ?1", [number])?;
        change.execute("DELETE FROM seen_after WHERE run = ?1", [number])?;
        let sets: Vec<String> = OF_RUN.iter().enumerate().map(|(n, column)| format!("{column} = ?{}", n + 2)).collect();
        let sql = format!("UPDATE runs SET {} WHERE number = ?1", sets.join(", "));
        change.execute(&sql, params_from_iter([Value::Integer(number)].into_iter().chain(values)))?;
        return Ok(number);
    }
    let columns: Vec<&str> = OF_RUN.iter().copied().chain(["bench", "bench_run"]).collect();
    let own = [Value::Text(run.bench.clone()), Value::Integer(run.number)];
    insert(change, "runs", &columns, &values.into_iter().chain(own).collect::<Vec<_>>())?;
    Ok(change.last_insert_rowid())
}

/// Takes the steps of a run in, and what was seen behind it.
fn take_steps(change: &Transaction<'_>, theirs: &Connection, (there, here): (i64, i64)) -> rusqlite::Result<()> {
    let columns: Vec<&str> = OF_STEP.iter().copied().chain(["run", "copy"]).collect();
    for values in rows(theirs, ("steps", OF_STEP, "run = ?1"), &[&there])? {
        // The copies lie on the other bench. No copy has the number 0.
        let of_a_copy = matches!(values.get(3), Some(Value::Text(way)) if way == "install-copy");
        let own = [Value::Integer(here), if of_a_copy { Value::Integer(0) } else { Value::Null }];
        insert(change, "steps", &columns, &values.into_iter().chain(own).collect::<Vec<_>>())?;
    }
    let seen = ["at", "words"];
    for values in rows(theirs, ("seen_after", &seen, "run = ?1"), &[&there])? {
        let values: Vec<Value> = values.into_iter().chain([here.into()]).collect();
        insert(change, "seen_after", &["at", "words", "run"], &values)?;
    }
    let sql = "SELECT place, coalesce(bench_order, sent_order) FROM steps WHERE run = ?1 AND sent_order IS NOT NULL";
    let mut statement = theirs.prepare_cached(sql)?;
    let sent = statement.query_map([there], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?)))?;
    for step in sent {
        let (place, order) = step?;
        let sql = "UPDATE steps SET bench_order = ?3 WHERE run = ?1 AND place = ?2";
        change.prepare_cached(sql)?.execute(params![here, place, order])?;
    }
    Ok(())
}

/// A step that was sent.
struct Sent {
    run: i64,
    place: i64,
    bench: String,
    /// Its place in the order of its bench.
    order: i64,
    /// When that was; no step of a bench counts as sent before one that stands before it there, whatever its clock said.
    at: i64,
}

/// Gives all steps their places in one order: those of a bench in the order that they have there, those of several by when they were sent. It
/// comes out the same whichever way logbooks are taken in.
fn put_in_order(change: &Transaction<'_>, ours: &str) -> rusqlite::Result<()> {
    let sql = "SELECT run, place, coalesce(bench, ?1), coalesce(bench_order, sent_order) AS own, coalesce(sent, answered, settled, 0) \
               FROM steps JOIN runs ON runs.number = steps.run WHERE own IS NOT NULL ORDER BY 3, 4, run, place";
    let sent = |row: &rusqlite::Row<'_>| {
        Ok(Sent { run: row.get(0)?, place: row.get(1)?, bench: row.get(2)?, order: row.get(3)?, at: row.get(4)? })
    };
    let mut all: Vec<Sent> = change.prepare(sql)?.query_map([ours], sent)?.collect::<rusqlite::Result<_>>()?;
    for n in 1..all.len() {
        if all[n].bench == all[n - 1].bench {
            all[n].at = all[n].at.max(all[n - 1].at);
        }
    }
    // Sorting keeps what is equal as it is: by bench and its order.
    all.sort_by_key(|sent| sent.at);
    // Behind all numbers that there are: what is sent from now on is behind these in any order.
    let last = "SELECT max(coalesce(max(sent_order), 0), coalesce(max(bench_order), 0)) FROM steps";
    let first = change.query_row(last, [], |row| row.get::<_, i64>(0))?;
    let mut update =
        change.prepare("UPDATE steps SET sent_order = ?3, bench_order = ?4 WHERE run = ?1 AND place = ?2")?;
    for (n, sent) in (1..).zip(all) {
        update.execute(params![sent.run, sent.place, first.saturating_add(n), sent.order])?;
    }
    Ok(())
}

fn merge_notes(
    change: &Transaction<'_>,
    theirs: &Connection,
    ids: &HashMap<String, String>,
    merged: &mut Merged,
) -> rusqlite::Result<()> {
    let mut statement = theirs.prepare("SELECT package, scope, whose, text, star, touched FROM notes")?;
    let text = |row: &rusqlite::Row<'_>, n: usize| row.get::<_, String>(n);
    let all = statement.query_map([], |row| {
        Ok((text(row, 0)?, text(row, 1)?, text(row, 2)?, text(row, 3)?, row.get::<_, bool>(4)?, row.get::<_, i64>(5)?))
    })?;
    for note in all {
        let (package, scope, whose, text, star, touched) = note?;
        let whose = match scope.as_str() {
            "this device" => match ids.get(&whose) {
                Some(here) => here.clone(),
                None => continue,
            },
            // Maker and model stand on two lines.
            _ => whose.split('\n').map(shown).collect::<Vec<_>>().join("\n"),
        };
        let sql = "INSERT INTO notes (package, scope, whose, text, star, touched) VALUES (?1, ?2, ?3, ?4, ?5, ?6) \
                   ON CONFLICT (package, scope, whose) DO UPDATE SET text = ?4, star = ?5, touched = ?6 WHERE touched < ?6";
        merged.notes +=
            change.execute(sql, params![shown(&package), shown(&scope), whose, shown(&text), star, touched])?;
    }
    Ok(())
}

fn merge_breaks(
    change: &Transaction<'_>,
    theirs: &Connection,
    ids: &HashMap<String, String>,
    merged: &mut Merged,
) -> rusqlite::Result<()> {
    let columns = ["device", "begun", "build", "items", "packages", "ended"];
    for mut values in rows(theirs, ("breaks", &columns, "1"), &[])? {
        let here = match &values[0] {
            Value::Text(device) => ids.get(device),
            _ => None,
        };
        let Some(here) = here else { continue };
        values[0] = Value::Text(here.clone());
        let known = "SELECT number, ended FROM breaks WHERE device = ?1 AND begun = ?2";
        let found: Option<(i64, Option<i64>)> =
            change.query_row(known, params![values[0], values[1]], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
        match found {
            None => {
                insert(change, "breaks", &columns, &values)?;
                merged.breaks += 1;
            }
            Some((number, None)) if values[5] != Value::Null => {
                change.execute("UPDATE breaks SET ended = ?2 WHERE number = ?1", params![number, values[5]])?;
                merged.breaks += 1;
            }
            Some(_) => {}
        }
    }
    Ok(())
}
