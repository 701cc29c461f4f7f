//! Looks at devices, kept in short, and fewer the further back.

use std::io::{Read as _, Write as _};

use flate2::Compression;
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use rusqlite::{Connection, Row, TransactionBehavior, params};
use wibbet_core::diagnosis::{Look, LookHead, thinned};
use wibbet_types::{DeviceId, LookId, PlainText, Timestamp};

use crate::{Logbook, LogbookError, Result};

/// A look takes some tens of kilobytes before it is packed; what claims to be longer than this is none.
const LONGEST: u64 = 16 << 20;

impl Logbook {
    /// Keeps a look at a device; one that shows what the last one did is only noted as seen again. Older ones that are not needed any more
    /// go. Its number.
    pub fn keep_look(&mut self, device: &DeviceId, look: &Look) -> Result<LookId> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        let behavior = TransactionBehavior::Immediate;
        let change = self.connection.transaction_with_behavior(behavior).map_err(failed)?;
        let kept = (|| {
            let heads = heads(&change, device)?;
            if let Some(last) = heads.last()
                && read(&change, last)?.is_some_and(|last| last.shows_the_same(look))
            {
                let sql = "UPDATE looks SET until = max(until, ?2), boot = coalesce(?3, boot) WHERE number = ?1";
                let boot = look.boot.as_ref().map(PlainText::as_str);
                change.execute(sql, params![last.number.number(), look.until.0, boot])?;
                return Ok(last.number);
            }
            let mut packer = DeflateEncoder::new(Vec::new(), Compression::default());
            let packed = packer.write_all(look.lines().as_bytes()).and_then(|()| packer.finish());
            let packed = packed.map_err(|error| rusqlite::Error::ToSqlConversionFailure(Box::new(error)))?;
            let sql = "INSERT INTO looks (device, at, until, build, packed, boot) VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            let boot = look.boot.as_ref().map(PlainText::as_str);
            change
                .execute(sql, params![device.as_str(), look.at.0, look.until.0, look.build.as_str(), packed, boot])?;
            let number = LookId::new(change.last_insert_rowid());
            let Look { at, until, build, boot, .. } = look.clone();
            let of_it = LookHead { number, at, until, build, boot };
            let all: Vec<LookHead> = heads.into_iter().chain([of_it]).collect();
            for gone in thinned(&all, look.until) {
                change.execute("DELETE FROM looks WHERE number = ?1", [gone.number()])?;
            }
            Ok(number)
        })();
        let number = kept.map_err(failed)?;
        change.commit().map_err(failed)?;
        Ok(number)
    }

    /// The looks at a device that are kept, the first one first.
    pub fn looks(&self, device: &DeviceId) -> Result<Vec<LookHead>> {
        heads(&self.connection, device).map_err(self.failed())
    }

    /// What a look saw; `None` where it is not kept any more, or cannot be read.
    pub fn look(&self, head: &LookHead) -> Result<Option<Look>> {
        read(&self.connection, head).map_err(self.failed())
    }
}

fn heads(connection: &Connection, device: &DeviceId) -> rusqlite::Result<Vec<LookHead>> {
    let sql = "SELECT number, at, until, build, boot FROM looks WHERE device = ?1 ORDER BY number";
    let head = |row: &Row<'_>| {
        Ok(LookHead {
            number: LookId::new(row.get(0)?),
            at: Timestamp(row.get(1)?),
            until: Timestamp(row.get(2)?),
            build: PlainText::new(&row.get::<_, String>(3)?),
            boot: row.get::<_, Option<String>>(4)?.map(|boot| PlainText::new(&boot)),
        })
    };
    connection.prepare_cached(sql)?.query_map([device.as_str()], head)?.collect()
}

fn read(connection: &Connection, head: &LookHead) -> rusqlite::Result<Option<Look>> {
    let mut statement = connection.prepare_cached("SELECT packed FROM looks WHERE number = ?1")?;
    let mut rows = statement.query([head.number.number()])?;
    let Some(row) = rows.next()? else { return Ok(None) };
    let packed: Vec<u8> = row.get(0)?;
    let mut text = String::new();
    match DeflateDecoder::new(packed.as_slice()).take(LONGEST).read_to_string(&mut text) {
        Ok(length) if (length as u64) < LONGEST => Ok(Some(Look::from_lines(head, &text))),
        // Somebody else wrote it: it is as if it were not there.
        _ => Ok(None),
    }
}
