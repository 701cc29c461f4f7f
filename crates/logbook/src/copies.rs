//! Copies of packages' APKs that are kept on this computer: what there is, and what was in them. The files themselves lie in a folder
//! beside the logbook.

use std::collections::BTreeSet;

use rusqlite::{Row, params};
use wibbet_core::device::DeviceFacts;
use wibbet_core::package::{KeptCopy, Placed, is_one_folder};
use wibbet_types::{CopyId, DeviceId, PlainText, RunId, Timestamp};

use crate::rows::{bad_value, lines, parsed, read_lines, understood};
use crate::{Logbook, Result, error};

fn copy_of(row: &Row<'_>) -> rusqlite::Result<KeptCopy> {
    let installer: Option<String> = row.get(6)?;
    let folder: String = row.get(8)?;
    // Whatever the row says, nothing outside of the folder of copies is read or written.
    let inside = !folder.is_empty() && folder.split('/').all(|part| !part.is_empty() && !part.starts_with('.'));
    if !inside || folder.contains('\\') {
        return Err(bad_value(8, error::UnknownWord(folder)));
    }
    let placed: Vec<Placed> = read_lines(row, 11)?.unwrap_or_default();
    // Nor is anything on a device taken away or placed outside of one package's folder.
    if !placed.is_empty() && !is_one_folder(&placed) {
        return Err(bad_value(11, error::UnknownWord("what lay in its folder".into())));
    }
    Ok(KeptCopy {
        number: CopyId::new(row.get(0)?),
        device: parsed(row, 1)?,
        run: row.get::<_, Option<i64>>(2)?.map(RunId::new),
        id: parsed(row, 3)?,
        version_code: row.get::<_, Option<i64>>(4)?.and_then(|code| code.try_into().ok()),
        version: PlainText::new(&row.get::<_, String>(5)?),
        installer: installer.map(|_| parsed(row, 6)).transpose()?,
        made: Timestamp(row.get(7)?),
        folder,
        files: read_lines(row, 9)?.unwrap_or_default(),
        offered: row.get(10)?,
        placed,
    })
}

impl Logbook {
    /// Writes down a copy whose files are all there and have been checked; its number is given here.
    pub fn add_copy(&mut self, copy: &KeptCopy) -> Result<CopyId> {
        let sql = "INSERT INTO copies (device, run, package, version_code, version, installer, made, folder, files, placed) \
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)";
        let values = params![
            copy.device.as_str(),
            copy.run.map(RunId::number),
            copy.id.as_str(),
            copy.version_code.and_then(|code| i64::try_from(code).ok()),
            copy.version.as_str(),
            copy.installer.as_ref().map(|id| id.as_str().to_owned()),
            copy.made.0,
            copy.folder,
            lines(&copy.files),
            lines(&copy.placed)
        ];
        self.connection.execute(sql, values).map_err(self.failed())?;
        Ok(CopyId::new(self.connection.last_insert_rowid()))
    }

    /// The copies that are kept for a device, or all, the latest first. One that is not understood is left alone.
    pub fn copies(&self, device: Option<&DeviceId>) -> Result<Vec<KeptCopy>> {
        self.read_copies("?1 IS NULL OR device = ?1", params![device.map(DeviceId::as_str)])
    }

    /// The copies of other devices of a model that somebody has offered to their like, the latest first; of each version of an app
    /// the latest one.
    pub fn copies_offered_to(&self, device: &DeviceFacts) -> Result<Vec<KeptCopy>> {
        let like = "offered AND device IN (SELECT id FROM devices WHERE maker = ?1 AND model = ?2 AND id <> ?3)";
        let (maker, model) = (device.maker.as_str(), device.model.as_str());
        let mut all = self.read_copies(like, params![maker, model, device.id.as_str()])?;
        let mut seen = BTreeSet::new();
        all.retain(|copy| copy.installs() && seen.insert((copy.id.clone(), copy.version_code)));
        Ok(all)
    }

    /// Says whether a copy may be installed on other devices of the model. Whether there is such a copy.
    pub fn offer_copy(&self, number: CopyId, offered: bool) -> Result<bool> {
        let sql = "UPDATE copies SET offered = ?2 WHERE number = ?1";
        let changed = self.connection.execute(sql, params![number.number(), offered]).map_err(self.failed())?;
        Ok(changed > 0)
    }

    fn read_copies(&self, which: &str, values: impl rusqlite::Params) -> Result<Vec<KeptCopy>> {
        let sql = format!(
            "SELECT number, device, run, package, version_code, version, installer, made, folder, files, offered, placed FROM copies \
             WHERE let_go IS NULL AND ({which}) ORDER BY number DESC"
        );
        let mut statement = self.connection.prepare_cached(&sql).map_err(self.failed())?;
        let rows = statement.query_map(values, |row| understood(copy_of(row), &mut Vec::new()));
        rows.and_then(|rows| rows.filter_map(rusqlite::Result::transpose).collect()).map_err(self.failed())
    }

    /// One copy.
    pub fn copy(&self, number: CopyId) -> Result<Option<KeptCopy>> {
        Ok(self.copies(None)?.into_iter().find(|copy| copy.number == number))
    }

    /// Notes that the files of a copy are not here any more.
    pub fn let_copy_go(&self, number: CopyId, now: Timestamp) -> Result<()> {
        let sql = "UPDATE copies SET let_go = ?2 WHERE number = ?1";
        self.connection.execute(sql, params![number.number(), now.0]).map(|_| ()).map_err(self.failed())
    }

    /// Forgets a copy, unless a step of a run names it. Whether it did.
    pub fn forget_copy(&self, number: CopyId) -> Result<bool> {
        let sql = "DELETE FROM copies WHERE number = ?1 AND NOT EXISTS (SELECT 1 FROM steps WHERE copy = ?1)";
        let gone = self.connection.execute(sql, [number.number()]).map_err(self.failed())?;
        Ok(gone > 0)
    }
}
