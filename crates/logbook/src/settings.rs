//! Settings of devices that orders have set: written down before they are sent.

use rusqlite::{Row, params};
use wibbet_core::ask::{NamedSetting, SettingsTable};
use wibbet_core::run::{SettingChange, SettingState};
use wibbet_types::{DeviceId, RunId, Timestamp, UserId};

use crate::rows::{bad_value, understood};
use crate::{Logbook, Result, error};

impl Logbook {
    /// Writes down that a setting is about to be set. Its number; that of `change` is not looked at.
    pub fn begin_setting(&self, change: &SettingChange) -> Result<i64> {
        let sql = "INSERT INTO settings (device, run, order_name, user, space, name, was, wanted, state, remark, at, undoes, note) \
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13)";
        let SettingChange {
            device, run, order, user, setting, before, wanted, state, remark, at, undoes, note, ..
        } = change;
        let values = params![
            device.as_str(),
            run.map(RunId::number),
            order,
            user.number(),
            setting.table().name(),
            setting.name(),
            before,
            wanted,
            state.name(),
            remark,
            at.0,
            undoes,
            note
        ];
        self.connection.execute(sql, values).map_err(self.failed())?;
        Ok(self.connection.last_insert_rowid())
    }

    /// Writes down what came of it. What it puts back is put back with it.
    pub fn settle_setting(&mut self, number: i64, (state, remark): (SettingState, &str), now: Timestamp) -> Result<()> {
        let path = self.path.clone();
        let failed = |error| crate::LogbookError::from_sqlite(&path, error);
        let change = self.connection.transaction().map_err(failed)?;
        let sql = "UPDATE settings SET state = ?2, remark = ?3 WHERE number = ?1";
        change.execute(sql, params![number, state.name(), remark]).map_err(failed)?;
        if state == SettingState::Done {
            let sql = "UPDATE settings SET back = ?2 WHERE back IS NULL AND number <= ?1 AND (device, user, space, name) = \
                       (SELECT device, user, space, name FROM settings WHERE number = ?1 AND undoes = 1)";
            change.execute(sql, params![number, now.0]).map_err(failed)?;
        }
        change.commit().map_err(failed)
    }

    /// What was set on a device, the first one first.
    pub fn settings(&self, device: &DeviceId) -> Result<Vec<SettingChange>> {
        let sql = "SELECT number, device, run, order_name, user, space, name, was, wanted, state, remark, at, undoes, back, note \
                   FROM settings WHERE device = ?1 ORDER BY number";
        let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
        // One that is not understood is left alone.
        let rows = statement.query_map([device.as_str()], |row| understood(change_of(row), &mut Vec::new()));
        rows.and_then(|rows| rows.filter_map(rusqlite::Result::transpose).collect()).map_err(self.failed())
    }
}

fn change_of(row: &Row<'_>) -> rusqlite::Result<SettingChange> {
    let (device, table, state): (String, String, String) = (row.get(1)?, row.get(5)?, row.get(9)?);
    let table = SettingsTable::from_name(&table).ok_or_else(|| bad_value(5, error::UnknownWord(table.clone())))?;
    Ok(SettingChange {
        number: row.get(0)?,
        device: device.parse().map_err(|error| bad_value(1, error))?,
        run: row.get::<_, Option<i64>>(2)?.map(RunId::new),
        order: row.get(3)?,
        note: row.get(14)?,
        user: UserId::new(row.get(4)?),
        setting: NamedSetting::new(table, &row.get::<_, String>(6)?).map_err(|error| bad_value(6, error))?,
        before: row.get(7)?,
        wanted: row.get(8)?,
        state: SettingState::from_name(&state).ok_or_else(|| bad_value(9, error::UnknownWord(state)))?,
        remark: row.get(10)?,
        at: Timestamp(row.get(11)?),
        undoes: row.get(12)?,
        back: row.get::<_, Option<i64>>(13)?.map(Timestamp),
    })
}
