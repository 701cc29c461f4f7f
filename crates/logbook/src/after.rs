//! What a device is like behind a run.

use rusqlite::{Connection, OptionalExtension as _, Row, params};
use wibbet_core::device::Figures;
use wibbet_core::link::CloseStep;
use wibbet_types::{DeviceId, PlainText, RunId, Timestamp};

use crate::rows::lines;
use crate::{Logbook, Result};

/// Sightings that are kept of a run.
const MOST_SEEN: i64 = 200;

/// Figures out of a column.
pub(crate) fn figures_of(row: &Row<'_>, column: usize) -> rusqlite::Result<Option<Figures>> {
    Ok(row.get::<_, Option<String>>(column)?.and_then(|text| text.parse().ok()))
}

/// What was seen behind a run, in order.
pub(crate) fn seen(connection: &Connection, run: RunId) -> rusqlite::Result<Vec<PlainText>> {
    let sql = "SELECT words FROM seen_after WHERE run = ?1 ORDER BY at, rowid LIMIT ?2";
    let mut statement = connection.prepare_cached(sql)?;
    let rows = statement.query_map(params![run.number(), MOST_SEEN], |row| row.get::<_, String>(0))?;
    rows.map(|words| words.map(|words| PlainText::new(&words))).collect()
}

impl Logbook {
    /// Writes down what a device was in figures before a run, or is after it.
    pub fn set_figures(&self, run: RunId, after: bool, figures: &Figures) -> Result<()> {
        let sql = match after {
            true => "UPDATE runs SET figures_after = ?2 WHERE number = ?1",
            false => "UPDATE runs SET figures_before = ?2 WHERE number = ?1 AND figures_before IS NULL",
        };
        let done = self.connection.execute(sql, params![run.number(), figures.to_string()]);
        done.map(|_| ()).map_err(self.failed())
    }

    /// Writes down what was seen of a device behind a run; what was seen alike once is not again.
    pub fn add_seen(&self, run: RunId, words: &PlainText, at: Timestamp) -> Result<()> {
        let sql = "INSERT INTO seen_after (run, at, words) SELECT ?1, ?2, ?3 \
                   WHERE NOT EXISTS (SELECT 1 FROM seen_after WHERE run = ?1 AND words = ?3)";
        let done = self.connection.execute(sql, params![run.number(), at.0, words.as_str()]);
        done.map(|_| ()).map_err(self.failed())
    }

    /// Writes down what became of closing the link to a device.
    pub fn note_closing(&self, device: &DeviceId, steps: &[CloseStep], now: Timestamp) -> Result<()> {
        let sql = "INSERT INTO closings (device, at, steps) VALUES (?1, ?2, ?3)";
        let done = self.connection.execute(sql, params![device.as_str(), now.0, lines(steps)]);
        done.map(|_| ()).map_err(self.failed())
    }

    /// What became of closing the link to a device the last time, no earlier than at a moment.
    pub fn closing_since(&self, device: &DeviceId, since: Timestamp) -> Result<Option<Vec<CloseStep>>> {
        let sql = "SELECT steps FROM closings WHERE device = ?1 AND at >= ?2 ORDER BY at DESC, rowid DESC LIMIT 1";
        let found = self.connection.query_row(sql, params![device.as_str(), since.0], |row| row.get::<_, String>(0));
        let found = found.optional().map_err(self.failed())?;
        // A line that is none is left out.
        Ok(found.map(|text| text.lines().filter_map(|line| line.parse().ok()).collect()))
    }

    /// Writes down that a command that somebody typed is sent to a device; its number.
    pub fn add_command(&self, device: &DeviceId, command: &str, at: Timestamp) -> Result<i64> {
        let sql = "INSERT INTO commands (device, sent, command) VALUES (?1, ?2, ?3)";
        let done = self.connection.execute(sql, params![device.as_str(), at.0, command]);
        done.map(|_| self.connection.last_insert_rowid()).map_err(self.failed())
    }

    /// Writes down what came of it.
    pub fn answer_command(&self, number: i64, answer: &PlainText, code: Option<u8>) -> Result<()> {
        let sql = "UPDATE commands SET answer = ?2, code = ?3 WHERE number = ?1";
        let done = self.connection.execute(sql, params![number, answer.as_str(), code]);
        done.map(|_| ()).map_err(self.failed())
    }

    /// The last commands that were typed for a device, the last first: what was typed, and what came of it where that is known.
    pub fn commands(&self, device: &DeviceId) -> Result<Vec<(String, Option<PlainText>)>> {
        let sql = "SELECT command, answer FROM commands WHERE device = ?1 ORDER BY number DESC LIMIT 100";
        let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
        let rows = statement.query_map([device.as_str()], |row| {
            let answer: Option<String> = row.get(1)?;
            Ok((row.get(0)?, answer.map(|answer| PlainText::new(&answer))))
        });
        rows.and_then(|rows| rows.collect()).map_err(self.failed())
    }
}
