//! The devices that have been met.

use std::collections::HashSet;
use std::time::Duration;

use rusqlite::{Connection, Row, TransactionBehavior, params};
use wibbet_core::device::{DeviceFacts, DeviceKind, Likeness};
use wibbet_types::{AndroidVersion, DeviceId, PlainText, Timestamp};

use crate::rows::{parsed, understood};
use crate::{Logbook, LogbookError, Result};

/// A device that has been met.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownDevice {
    /// What it is.
    pub facts: DeviceFacts,
    /// Where it was last found.
    pub address: String,
    /// The serial by which it goes on its cable, where that is known.
    pub known_as: Option<String>,
    /// When it was last seen.
    pub seen: Timestamp,
    /// Somebody had it forgotten: it is not linked by itself.
    pub forgotten: bool,
    /// What `stay_on_while_plugged_in` was before it was changed from here.
    pub awake_before: Option<u32>,
    /// How long its last start took, where that was seen.
    pub start_took: Option<Duration>,
}

impl Logbook {
    /// Notes that a device was met, and where, empty for a place that will be another's soon; `known_as` is the serial by
    /// which it goes there, where it does. The id by which it is known here: its serial, or the serial with a number behind
    /// it where another device has the same. `None`, and nothing is noted, where less than `least` speaks for it that
    /// it is the one that it says it is.
    pub fn note_device(
        &mut self,
        facts: &DeviceFacts,
        least: Likeness,
        address: &str,
        known_as: Option<&str>,
        now: Timestamp,
    ) -> Result<Option<DeviceId>> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        // Of two programs that meet two devices of one serial at once, the second sees what the first has noted.
        let behavior = TransactionBehavior::Immediate;
        let change = self.connection.transaction_with_behavior(behavior).map_err(failed)?;
        let known: Vec<DeviceFacts> = read_devices(&change).map_err(failed)?.into_iter().map(|d| d.facts).collect();
        let taken: HashSet<String> = {
            let mut ids = change.prepare_cached("SELECT id FROM devices").map_err(failed)?;
            let ids = ids.query_map([], |row| row.get(0)).and_then(Iterator::collect);
            ids.map_err(failed)?
        };
        let alike =
            known.iter().map(|k| (k.likeness(facts), k)).filter(|(likeness, _)| *likeness > Likeness::Different);
        // Of several that are alike the one for which most speaks.
        let id = match alike.max_by_key(|(likeness, known)| (*likeness, std::cmp::Reverse(&known.id))) {
            Some((likeness, known)) if likeness >= least => known.id.clone(),
            Some(_) => return Ok(None),
            // Without one it could not be told from others another time.
            None if least > Likeness::Alike && facts.android_id.is_none() => return Ok(None),
            None => (1..)
                .map_while(|n| DeviceId::nth(&facts.serial, n).ok())
                .find(|id| !taken.contains(id.as_str()))
                .ok_or_else(|| LogbookError::NoIdLeft { serial: facts.serial.clone() })?,
        };
        let sql = "INSERT INTO devices (id, serial, maker, model, kind, sdk, release, patch, build, android_id, address, first_seen, last_seen, known_as, market) \
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?12, ?13, ?14) \
                   ON CONFLICT (id) DO UPDATE SET maker = ?3, model = ?4, kind = ?5, sdk = ?6, release = ?7, patch = ?8, \
                   build = ?9, android_id = coalesce(?10, android_id), address = coalesce(nullif(?11, ''), address), last_seen = ?12, forgotten = 0, \
                   known_as = coalesce(?13, known_as), market = ?14";
        let android = &facts.android;
        let values = params![
            id.as_str(),
            facts.serial.as_str(),
            facts.maker.as_str(),
            facts.model.as_str(),
            facts.kind.name(),
            android.sdk(),
            android.release().as_str(),
            facts.patch.as_str(),
            facts.build.as_str(),
            facts.android_id.as_ref().map(PlainText::as_str),
            address,
            now.0,
            known_as,
            facts.market.as_str()
        ];
        change.execute(sql, values).map_err(failed)?;
        change.commit().map_err(failed)?;
        Ok(Some(id))
    }

    /// The devices that have been met, the last one first.
    pub fn devices(&self) -> Result<Vec<KnownDevice>> {
        read_devices(&self.connection).map_err(self.failed())
    }

    /// A device is not linked by itself any more, until it is met again. Its runs stay.
    pub fn forget_device(&self, id: &DeviceId) -> Result<()> {
        let sql = "UPDATE devices SET forgotten = 1 WHERE id = ?1";
        self.connection.execute(sql, [id.as_str()]).map_err(self.failed())?;
        Ok(())
    }

    /// Nothing is to be found at an address any more that was met there.
    pub fn forget_address(&self, address: &str) -> Result<()> {
        let sql = "UPDATE devices SET address = '' WHERE address = ?1";
        self.connection.execute(sql, [address]).map_err(self.failed())?;
        Ok(())
    }

    /// Keeps what `stay_on_while_plugged_in` was before it was changed; `None` when it has been put back.
    pub fn set_awake_before(&self, id: &DeviceId, before: Option<u32>) -> Result<()> {
        let sql = "UPDATE devices SET awake_before = ?2 WHERE id = ?1";
        self.connection.execute(sql, params![id.as_str(), before]).map_err(self.failed())?;
        Ok(())
    }

    /// Keeps how long a start of a device took.
    pub fn set_start_took(&self, id: &DeviceId, took: Duration) -> Result<()> {
        let milliseconds = i64::try_from(took.as_millis()).unwrap_or(i64::MAX);
        let sql = "UPDATE devices SET start_took = ?2 WHERE id = ?1";
        self.connection.execute(sql, params![id.as_str(), milliseconds]).map_err(self.failed())?;
        Ok(())
    }
}

fn read_devices(connection: &Connection) -> rusqlite::Result<Vec<KnownDevice>> {
    let sql = "SELECT id, serial, maker, model, kind, sdk, release, patch, build, android_id, address, last_seen, forgotten, awake_before, known_as, market, start_took \
               FROM devices ORDER BY last_seen DESC, id";
    let mut statement = connection.prepare_cached(sql)?;
    let device = |row: &Row<'_>| {
        let text = |i| row.get::<_, String>(i).map(|t| PlainText::new(&t));
        Ok(KnownDevice {
            facts: DeviceFacts {
                id: parsed(row, 0)?,
                serial: parsed(row, 1)?,
                maker: text(2)?,
                model: text(3)?,
                market: text(15)?,
                kind: DeviceKind::from_name(&row.get::<_, String>(4)?),
                android: AndroidVersion::new(row.get(5)?, &row.get::<_, String>(6)?),
                patch: text(7)?,
                build: text(8)?,
                android_id: row.get::<_, Option<String>>(9)?.map(|t| PlainText::new(&t)),
                boot_id: None,
            },
            address: row.get(10)?,
            seen: Timestamp(row.get(11)?),
            forgotten: row.get(12)?,
            awake_before: row.get(13)?,
            known_as: row.get(14)?,
            start_took: row.get::<_, Option<i64>>(16)?.and_then(|ms| u64::try_from(ms).ok()).map(Duration::from_millis),
        })
    };
    // One that is not understood is left alone.
    let rows = statement.query_map([], |row| understood(device(row), &mut Vec::new()))?;
    rows.filter_map(rusqlite::Result::transpose).collect()
}
