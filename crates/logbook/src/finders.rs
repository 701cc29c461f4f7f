//! Uses of the fault finder: days may lie between their rounds.

use rusqlite::{Row, params};
use wibbet_core::diagnosis::{Check, FaultFinder, Round, Suspect};
use wibbet_types::{DeviceId, FinderId, PlainText, Timestamp};

use crate::rows::{bad_value, read_lines};
use crate::{Logbook, LogbookError, Result};

impl Logbook {
    /// Writes down that the fault finder is begun on a device. Its number.
    ///
    /// # Errors
    /// [`LogbookError::FinderGoesOn`] where one goes on on it already.
    pub fn begin_finder(
        &self,
        device: &DeviceId,
        (what, check): (&PlainText, Option<&Check>),
        suspects: &[Suspect],
        now: Timestamp,
    ) -> Result<FinderId> {
        let lines: Vec<String> = suspects.iter().map(ToString::to_string).collect();
        let sql = "INSERT INTO finders (device, begun, what, suspects, rounds, told_by) SELECT ?1, ?2, ?3, ?4, '', ?5 \
                   WHERE NOT EXISTS (SELECT 1 FROM finders WHERE device = ?1 AND ended IS NULL)";
        let told_by = check.map(ToString::to_string);
        let values = params![device.as_str(), now.0, what.as_str(), lines.join("\n"), told_by];
        if self.connection.execute(sql, values).map_err(self.failed())? == 0 {
            return Err(LogbookError::FinderGoesOn { device: device.clone() });
        }
        Ok(FinderId::new(self.connection.last_insert_rowid()))
    }

    /// Writes down what a round has shown.
    ///
    /// # Errors
    /// [`LogbookError::NoSuchFinder`] where there is none of that number, or it has ended.
    pub fn mark_round(&self, finder: FinderId, round: &Round) -> Result<()> {
        let sql = "UPDATE finders SET rounds = rounds || CASE rounds WHEN '' THEN '' ELSE char(10) END || ?2 \
                   WHERE number = ?1 AND ended IS NULL";
        let done = self.connection.execute(sql, params![finder.number(), round.to_string()]).map_err(self.failed())?;
        if done == 0 { Err(LogbookError::NoSuchFinder { finder }) } else { Ok(()) }
    }

    /// Takes the last round back: what was seen in it is not so.
    pub fn take_round_back(&self, finder: FinderId) -> Result<()> {
        // In one go: another program may be adding one. A round is a line of so many digits, a blank and a word.
        let sql = "UPDATE finders SET rounds = rtrim(rtrim(rounds, replace(rounds, char(10), '')), char(10)) \
                   WHERE number = ?1 AND ended IS NULL";
        let done = self.connection.execute(sql, [finder.number()]).map_err(self.failed())?;
        if done == 0 { Err(LogbookError::NoSuchFinder { finder }) } else { Ok(()) }
    }

    /// It has ended.
    pub fn end_finder(&self, finder: FinderId, now: Timestamp) -> Result<()> {
        let sql = "UPDATE finders SET ended = coalesce(ended, ?2) WHERE number = ?1";
        self.connection.execute(sql, params![finder.number(), now.0]).map(|_| ()).map_err(self.failed())
    }

    /// The uses of the fault finder on a device, the first one first.
    pub fn finders(&self, device: &DeviceId) -> Result<Vec<FaultFinder>> {
        let sql = "SELECT number, device, begun, what, suspects, rounds, ended, told_by FROM finders WHERE device = ?1 ORDER BY number";
        let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
        let rows = statement.query_map([device.as_str()], finder_of).map_err(self.failed())?;
        rows.collect::<rusqlite::Result<_>>().map_err(self.failed())
    }
}

fn finder_of(row: &Row<'_>) -> rusqlite::Result<FaultFinder> {
    let device: String = row.get(1)?;
    Ok(FaultFinder {
        number: FinderId::new(row.get(0)?),
        device: device.parse().map_err(|error| bad_value(1, error))?,
        begun: Timestamp(row.get(2)?),
        what: PlainText::new(&row.get::<_, String>(3)?),
        // One that is not understood is as good as none: somebody is asked.
        check: row.get::<_, Option<String>>(7)?.and_then(|text| text.parse().ok()),
        suspects: read_lines(row, 4)?.unwrap_or_default(),
        rounds: read_lines(row, 5)?.unwrap_or_default(),
        ended: row.get::<_, Option<i64>>(6)?.map(Timestamp),
    })
}
