//! What a device is like behind a run.

use rusqlite::{Connection, Row, params};
use wibbet_core::device::Figures;
use wibbet_types::{PlainText, RunId, Timestamp};

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
}
