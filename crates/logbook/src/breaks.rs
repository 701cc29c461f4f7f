//! Update breaks: what was out of a device before a system update.

use rusqlite::{Row, params};
use wibbet_core::diagnosis::{BreakItem, UpdateBreak};
use wibbet_types::{BreakId, DeviceId, PackageId, PlainText, Timestamp};

use crate::rows::{bad_value, lines, read_lines};
use crate::{Logbook, LogbookError, Result};

impl Logbook {
    /// Writes down that an update break begins on a device: what was out, and what it had. Its number.
    ///
    /// # Errors
    /// [`LogbookError::BreakGoesOn`] where the device is on one already.
    pub fn begin_break(&self, begun: &UpdateBreak) -> Result<BreakId> {
        let packages: Vec<&PackageId> = begun.packages.iter().collect();
        let sql = "INSERT INTO breaks (device, begun, build, items, packages) SELECT ?1, ?2, ?3, ?4, ?5 \
                   WHERE NOT EXISTS (SELECT 1 FROM breaks WHERE device = ?1 AND ended IS NULL)";
        let (device, build) = (begun.device.as_str(), begun.build.as_str());
        let values = params![device, begun.begun.0, build, lines(&begun.items), lines(&packages)];
        if self.connection.execute(sql, values).map_err(self.failed())? == 0 {
            return Err(LogbookError::BreakGoesOn { device: begun.device.clone() });
        }
        Ok(BreakId::new(self.connection.last_insert_rowid()))
    }

    /// It has ended.
    pub fn end_break(&self, number: BreakId, now: Timestamp) -> Result<()> {
        let sql = "UPDATE breaks SET ended = coalesce(ended, ?2) WHERE number = ?1";
        self.connection.execute(sql, params![number.number(), now.0]).map(|_| ()).map_err(self.failed())
    }

    /// The update breaks of a device, the first one first.
    pub fn breaks(&self, device: &DeviceId) -> Result<Vec<UpdateBreak>> {
        let sql =
            "SELECT number, device, begun, build, items, packages, ended FROM breaks WHERE device = ?1 ORDER BY number";
        let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
        let rows = statement.query_map([device.as_str()], break_of).map_err(self.failed())?;
        rows.collect::<rusqlite::Result<_>>().map_err(self.failed())
    }
}

fn break_of(row: &Row<'_>) -> rusqlite::Result<UpdateBreak> {
    let device: String = row.get(1)?;
    let items: Option<Vec<BreakItem>> = read_lines(row, 4)?;
    Ok(UpdateBreak {
        number: BreakId::new(row.get(0)?),
        device: device.parse().map_err(|error| bad_value(1, error))?,
        begun: Timestamp(row.get(2)?),
        build: PlainText::new(&row.get::<_, String>(3)?),
        items: items.unwrap_or_default(),
        packages: read_lines(row, 5)?.unwrap_or_default().into_iter().collect(),
        ended: row.get::<_, Option<i64>>(6)?.map(Timestamp),
    })
}
