//! The logbook of another bench, taken into this one: devices, runs, notes and update breaks. What is taken in is read as anything from
//! outside is: texts become harmless, and a file that is no logbook of this layout is refused before anything of it is used.

use std::collections::HashMap;
use std::path::Path;

use rusqlite::limits::Limit;
use rusqlite::types::Value;
use rusqlite::{
    Connection, OpenFlags, OptionalExtension as _, Transaction, TransactionBehavior, params, params_from_iter,
};
use wibbet_types::{DeviceId, PlainText, Timestamp};

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

/// More rows of a kind no bench has. So many take some seconds, for which whoever else writes waits; they wait for ten at most.
const MOST_ROWS: i64 = 200_000;

/// Longer texts, and higher numbers in an order, no bench has.
const LONGEST: i32 = 1 << 20;
const LAST: i64 = 1 << 48;

/// So far ahead of this bench's clock another's may be, in milliseconds.
const AHEAD: i64 = 366 * 24 * 60 * 60 * 1000;

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
const IN_LINES: &[&str] = &["names", "missed", "given", "returned", "items", "packages", "whose"];

const OF_NOTE: &[&str] = &["package", "scope", "whose", "text", "star", "touched"];

const OF_BREAK: &[&str] = &["device", "begun", "build", "items", "packages", "ended"];

/// The tables that are read.
const TABLES: &[&str] = &["devices", "runs", "steps", "seen_after", "notes", "breaks", "choices"];

/// A run of the other logbook, with where it is from.
struct TheirRun {
    /// Its number there.
    there: i64,
    /// The bench that it was made on, and its number on that.
    bench: String,
    number: i64,
    begun: i64,
    touched: i64,
    /// Its device, as it is called there.
    device: String,
}

impl Logbook {
    /// The name by which the runs of this logbook are known on other benches.
    pub fn bench(&self) -> Result<String> {
        bench_of(&self.connection).map_err(self.failed())
    }

    /// Takes another logbook in, all of it or nothing: a file that [`Logbook::back_up`] has written. That one stays as it is. Twice is the same
    /// as once. What was made here is told from here alone, whatever the other one says of it.
    ///
    /// # Errors
    /// [`LogbookError::Other`] where it is no logbook of this layout, or a copy of this one that has gone on apart.
    pub fn merge(&mut self, other: &Path, now: Timestamp) -> Result<Merged> {
        let theirs = open_theirs(other)?;
        let path = self.path.clone();
        let change = self
            .connection
            .transaction_with_behavior(TransactionBehavior::Immediate)
            .map_err(|error| LogbookError::from_sqlite(&path, error))?;
        let merging = Merging { change: &change, theirs: &theirs, other, latest: now.0.saturating_add(AHEAD) };
        let merged = merging.all()?;
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
    // Whatever else has a name there may never end.
    if !path.is_file() {
        return Err(not_one(path, "there is no such file"));
    }
    let theirs = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).map_err(bad)?;
    theirs
        .execute_batch("PRAGMA trusted_schema = OFF; PRAGMA cell_size_check = ON; PRAGMA query_only = ON")
        .map_err(bad)?;
    theirs.set_limit(Limit::SQLITE_LIMIT_LENGTH, LONGEST).map_err(bad)?;
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

/// One logbook on its way into another.
struct Merging<'a> {
    change: &'a Transaction<'a>,
    theirs: &'a Connection,
    other: &'a Path,
    /// Nothing can have been done later than this.
    latest: i64,
}

/// A value of a column, harmless.
fn taken_in(column: &str, value: Value) -> Value {
    match value {
        Value::Text(text) if IN_LINES.contains(&column) => {
            let lines = text.split('\n').map(|line| line.split('\t').map(shown).collect::<Vec<_>>().join("\t"));
            Value::Text(lines.collect::<Vec<_>>().join("\n"))
        }
        Value::Text(text) => Value::Text(shown(&text)),
        other => other,
    }
}

impl Merging<'_> {
    fn bad(&self, why: impl std::fmt::Display) -> LogbookError {
        not_one(self.other, why)
    }

    fn all(&self) -> Result<Merged> {
        let failed = |error: rusqlite::Error| self.bad(error);
        let mut merged = Merged::default();
        let (ours, there) = (bench_of(self.change).map_err(failed)?, bench_of(self.theirs).map_err(failed)?);
        if there.is_empty() {
            return Err(self.bad("it does not say which bench it is of"));
        }
        let ids = self.devices(&mut merged).map_err(failed)?;
        for run in self.runs(&there).map_err(failed)? {
            self.run(&run, &ours, &ids, &mut merged)?;
        }
        if merged.runs + merged.runs_further > 0 {
            put_in_order(self.change, &ours).map_err(failed)?;
        }
        self.notes(&ids, &mut merged).map_err(failed)?;
        self.breaks(&ids, &mut merged).map_err(failed)?;
        Ok(merged)
    }

    /// Goes through the rows of a table of theirs by some columns, those where `which` holds.
    fn each(
        &self,
        (table, columns, which): (&str, &[&str], &str),
        of: &[&dyn rusqlite::ToSql],
        mut then: impl FnMut(Vec<Value>) -> rusqlite::Result<()>,
    ) -> rusqlite::Result<()> {
        let sql = format!("SELECT {} FROM {table} WHERE {which}", columns.join(", "));
        let mut statement = self.theirs.prepare_cached(&sql)?;
        let mut rows = statement.query(of)?;
        while let Some(row) = rows.next()? {
            let value = |(n, column): (usize, &&str)| Ok(taken_in(column, row.get(n)?));
            then(columns.iter().enumerate().map(value).collect::<rusqlite::Result<_>>()?)?;
        }
        Ok(())
    }

    fn insert(&self, table: &str, columns: &[&str], values: &[Value]) -> rusqlite::Result<()> {
        let places: Vec<String> = (1..=columns.len()).map(|n| format!("?{n}")).collect();
        let sql = format!("INSERT INTO {table} ({}) VALUES ({})", columns.join(", "), places.join(", "));
        self.change.prepare_cached(&sql)?.execute(params_from_iter(values)).map(|_| ())
    }

    /// Takes devices in; what each is called here. Where it was met on the other bench, and what was changed there for its link, is of that
    /// bench.
    fn devices(&self, merged: &mut Merged) -> rusqlite::Result<HashMap<String, String>> {
        let mut ids = HashMap::new();
        let columns: Vec<&str> = OF_DEVICE.iter().copied().chain(["first_seen", "last_seen", "id"]).collect();
        self.each(("devices", &columns, "1 ORDER BY id"), &[], |mut values| {
            let Some(Value::Text(id)) = values.pop() else { return Ok(()) };
            // One whose name cannot be is left where it is; runs of it are refused.
            if id.parse::<DeviceId>().is_err() {
                return Ok(());
            }
            let known = "SELECT id FROM devices WHERE serial = ?1 AND maker = ?2 AND model = ?3 \
                         AND (android_id IS NULL OR ?4 IS NULL OR android_id = ?4) ORDER BY id = ?5 DESC, id";
            let of = params![values[0], values[1], values[2], values[8], id];
            let here: Option<String> = self.change.query_row(known, of, |row| row.get(0)).optional()?;
            let here = match here {
                Some(here) => {
                    let seen = &values[OF_DEVICE.len()..];
                    let sql =
                        "UPDATE devices SET first_seen = min(first_seen, ?2), last_seen = max(last_seen, min(?3, ?4)) WHERE id = ?1";
                    self.change.execute(sql, params![here, seen[0], seen[1], self.latest])?;
                    here
                }
                None => {
                    let here = free_id(self.change, &id)?;
                    let columns: Vec<&str> = columns.iter().copied().chain(["address"]).collect();
                    values.extend([Value::Text(here.clone()), Value::Text(String::new())]);
                    self.insert("devices", &columns, &values)?;
                    merged.devices += 1;
                    here
                }
            };
            ids.insert(id, here);
            Ok(())
        })?;
        Ok(ids)
    }

    fn runs(&self, there: &str) -> rusqlite::Result<Vec<TheirRun>> {
        let mut statement = self
            .theirs
            .prepare("SELECT number, bench, bench_run, touched, serial, begun FROM runs ORDER BY begun, number")?;
        let run = |row: &rusqlite::Row<'_>| {
            let here: i64 = row.get(0)?;
            let of: Option<(String, i64)> = row.get::<_, Option<String>>(1)?.zip(row.get::<_, Option<i64>>(2)?);
            let (bench, number) = of.unwrap_or_else(|| (there.to_owned(), here));
            let bench = bench.chars().filter(char::is_ascii_alphanumeric).take(16).collect();
            Ok(TheirRun { there: here, bench, number, touched: row.get(3)?, device: row.get(4)?, begun: row.get(5)? })
        };
        statement.query_map([], run)?.collect()
    }

    fn run(&self, run: &TheirRun, ours: &str, ids: &HashMap<String, String>, merged: &mut Merged) -> Result<()> {
        let failed = |error: rusqlite::Error| self.bad(error);
        let Some(device) = ids.get(&run.device) else {
            return Err(self.bad(format!("run {} is of a device that it does not know", run.there)));
        };
        if ![run.begun, run.touched].iter().all(|time| (0..=self.latest).contains(time)) {
            let words = "is of a time that cannot be: the clock of one of the two benches is wrong";
            return Err(self.bad(format!("run {} of bench {} {words}", run.number, run.bench)));
        }
        // What was made here stands under its own number.
        let own = run.bench == ours;
        let row = |row: &rusqlite::Row<'_>| {
            Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?, row.get::<_, String>(2)?, row.get::<_, i64>(3)?))
        };
        let which = if own { "number = ?2 AND bench IS NULL AND ?1 <> ''" } else { "bench = ?1 AND bench_run = ?2" };
        let sql = format!("SELECT number, touched, serial, begun FROM runs WHERE {which}");
        let found = self.change.query_row(&sql, params![run.bench, run.number], row).optional().map_err(failed)?;
        let further = match found {
            Some((_, _, of, begun)) if (&of, begun) != (device, run.begun) => {
                let words = "is another one here than there: one of the two logbooks is a copy of the other, and both have gone on since";
                return Err(self.bad(format!("run {} of bench {} {words}", run.number, run.bench)));
            }
            Some((_, touched, ..)) if own || touched >= run.touched => {
                merged.already += 1;
                return Ok(());
            }
            // One of ours that is not here any more was erased, and stays so.
            None if own => {
                merged.gone += 1;
                return Ok(());
            }
            Some((number, ..)) => Some(number),
            None => None,
        };
        let number = self.take_run(run, further, device).map_err(failed)?;
        self.take_steps(run, number)?;
        match further {
            Some(_) => merged.runs_further += 1,
            None => merged.runs += 1,
        }
        Ok(())
    }

    /// Writes a run down as the other bench has it, in the place of the one that stands here already. Its number here.
    fn take_run(&self, run: &TheirRun, here: Option<i64>, device: &str) -> rusqlite::Result<i64> {
        let mut values = Vec::new();
        self.each(("runs", OF_RUN, "number = ?1"), &[&run.there], |row| {
            values = row;
            Ok(())
        })?;
        if let Some(serial) = values.first_mut() {
            *serial = Value::Text(device.to_owned());
        }
        if let Some(number) = here {
            self.change.execute("DELETE FROM steps WHERE run = ?1", [number])?;
            self.change.execute("DELETE FROM seen_after WHERE run = ?1", [number])?;
            let sets: Vec<String> =
                OF_RUN.iter().enumerate().map(|(n, column)| format!("{column} = ?{}", n + 2)).collect();
            let sql = format!("UPDATE runs SET {} WHERE number = ?1", sets.join(", "));
            self.change.execute(&sql, params_from_iter([Value::Integer(number)].into_iter().chain(values)))?;
            return Ok(number);
        }
        let columns: Vec<&str> = OF_RUN.iter().copied().chain(["bench", "bench_run"]).collect();
        values.extend([Value::Text(run.bench.clone()), Value::Integer(run.number)]);
        self.insert("runs", &columns, &values)?;
        Ok(self.change.last_insert_rowid())
    }

    /// Takes the steps of a run in, and what was seen behind it.
    fn take_steps(&self, run: &TheirRun, here: i64) -> Result<()> {
        let failed = |error: rusqlite::Error| self.bad(error);
        let columns: Vec<&str> = OF_STEP.iter().copied().chain(["run", "copy"]).collect();
        let steps = ("steps", OF_STEP, "run = ?1");
        let taken = self.each(steps, &[&run.there], |mut values| {
            // The copies lie on the other bench. No copy has the number 0.
            let of_a_copy = matches!(values.get(3), Some(Value::Text(way)) if way == "install-copy");
            values.extend([Value::Integer(here), if of_a_copy { Value::Integer(0) } else { Value::Null }]);
            self.insert("steps", &columns, &values)
        });
        taken.map_err(failed)?;
        let seen = self.each(("seen_after", &["at", "words"], "run = ?1"), &[&run.there], |mut values| {
            values.push(Value::Integer(here));
            self.insert("seen_after", &["at", "words", "run"], &values)
        });
        seen.map_err(failed)?;
        let sql =
            "SELECT place, coalesce(bench_order, sent_order) FROM steps WHERE run = ?1 AND sent_order IS NOT NULL";
        let mut statement = self.theirs.prepare_cached(sql).map_err(failed)?;
        let sent = statement
            .query_map([run.there], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?)))
            .map_err(failed)?;
        for step in sent {
            let (place, order) = step.map_err(failed)?;
            if !(1..=LAST).contains(&order) {
                return Err(self.bad(format!("step {place} of its run {} has no place in an order", run.there)));
            }
            let sql = "UPDATE steps SET bench_order = ?3 WHERE run = ?1 AND place = ?2";
            self.change
                .prepare_cached(sql)
                .and_then(|mut sql| sql.execute(params![here, place, order]))
                .map_err(failed)?;
        }
        Ok(())
    }

    fn notes(&self, ids: &HashMap<String, String>, merged: &mut Merged) -> rusqlite::Result<()> {
        self.each(("notes", OF_NOTE, "1"), &[], |mut values| {
            if values[1] == Value::Text("this device".to_owned()) {
                let Some(here) = here_of(&values[2], ids) else { return Ok(()) };
                values[2] = here;
            }
            let sql = "INSERT INTO notes (package, scope, whose, text, star, touched) VALUES (?1, ?2, ?3, ?4, ?5, ?6) \
                       ON CONFLICT (package, scope, whose) DO UPDATE SET text = ?4, star = ?5, touched = ?6 \
                       WHERE touched < ?6 AND ?6 <= ?7";
            values.push(Value::Integer(self.latest));
            merged.notes += self.change.execute(sql, params_from_iter(values))?;
            Ok(())
        })
    }

    fn breaks(&self, ids: &HashMap<String, String>, merged: &mut Merged) -> rusqlite::Result<()> {
        self.each(("breaks", OF_BREAK, "1"), &[], |mut values| {
            let Some(here) = here_of(&values[0], ids) else { return Ok(()) };
            values[0] = here;
            let known = "SELECT number, ended FROM breaks WHERE device = ?1 AND begun = ?2";
            let row = |row: &rusqlite::Row<'_>| Ok((row.get::<_, i64>(0)?, row.get::<_, Option<i64>>(1)?));
            match self.change.query_row(known, params![values[0], values[1]], row).optional()? {
                None => self.insert("breaks", OF_BREAK, &values)?,
                Some((number, None)) if values[5] != Value::Null => {
                    self.change
                        .execute("UPDATE breaks SET ended = ?2 WHERE number = ?1", params![number, values[5]])?;
                }
                Some(_) => return Ok(()),
            }
            merged.breaks += 1;
            Ok(())
        })
    }
}

/// What a device of theirs is called here.
fn here_of(device: &Value, ids: &HashMap<String, String>) -> Option<Value> {
    match device {
        Value::Text(device) => ids.get(device).cloned().map(Value::Text),
        _ => None,
    }
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
